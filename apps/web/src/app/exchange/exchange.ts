import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { Router } from '@angular/router';
import { LayoutDraft, SendOutRow, TakeBackCellRow, TakeBackRow, WHOLE_LIBRARY } from '@rule/contract';
import { fileName } from '@rule/core/files';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { RuleColumn, RuleTable, RuleTakeFile, RuleWaiting } from '../kit';
import { Bench, catalogueFeature, FileLink, IndexRow, Notices, plainHeld, sessionFeature, showInstant, Way } from '../shared';
import { Deliveries } from './deliveries';
import { ExchangeStore } from './exchange.store';
import { LayoutEditor } from './layout-editor';
import { TableReading } from './reading';
import { TakeBackReview } from './review';

/** A layout of everything, for unsaved tables. */
const EVERYTHING: LayoutDraft = { name: '', purpose: '', shared: true, content: WHOLE_LIBRARY };

/** The Exchange station: values out, and back with a review of every cell. */
@Component({
  selector: 'rule-exchange-station',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    RuleColumn,
    RuleTable,
    RuleTakeFile,
    RuleWaiting,
    Bench,
    ButtonModule,
    Deliveries,
    FileLink,
    IndexRow,
    LayoutEditor,
    TableReading,
    TakeBackReview,
    Way,
  ],
  providers: [ExchangeStore],
  template: `
    <rule-bench label="Exchange">
      <div bench="index">
        <rule-index-row text="Send out or take back" [on]="looksAt() === 'start'" (choose)="go({})" />
        <rule-index-row
          text="Copies that are out"
          [end]="s.out().length ? '' + s.out().length : ''"
          [tone]="s.out().length ? 'warn' : ''"
          [on]="looksAt() === 'out'"
          (choose)="go({ view: 'out' })"
        />
        @if (mayAdminister()) {
          <rule-index-row text="Deliveries, watched folders" [on]="looksAt() === 'deliveries'" (choose)="go({ view: 'deliveries' })" />
        }
        <h3>Layouts</h3>
        @for (row of s.layouts().saved; track row.id) {
          <rule-index-row [text]="row.name" [end]="row.shared ? '' : 'yours'" [on]="layoutId() === row.id" (choose)="go({ layout: row.id })" />
        }
        <rule-index-row text="New layout …" [on]="layout() === 'new' && !start()" (choose)="go({ layout: 'new' })" />
        <h3>Taken back</h3>
        @for (row of s.takeBacks(); track row.id) {
          <rule-index-row
            [text]="row.name"
            [end]="row.state === 'asking' ? 'asks' : row.state === 'failed' ? 'failed' : instant(row.at).slice(5, 10)"
            [tone]="row.state === 'asking' ? 'warn' : row.state === 'failed' ? 'bad' : ''"
            [on]="backId() === row.id"
            (choose)="go({ back: row.id })"
          />
        } @empty {
          <p class="none">Nothing yet.</p>
        }
      </div>

      @if (s.error(); as text) {
        <p class="note bad" role="alert">{{ text }}</p>
      }
      @switch (looksAt()) {
        @case ('back') {
          @if (s.view(); as v) {
            @switch (v.takeBack.state) {
              @case ('asking') {
                <rule-table-reading [view]="v" />
              }
              @case ('comparing') {
                <div class="head">
                  <div>
                    <h1>{{ v.takeBack.name }}</h1>
                    <p role="status">Comparing every cell with what was sent out and with the current values. You can keep working.</p>
                  </div>
                </div>
                <rule-waiting />
              }
              @case ('failed') {
                <div class="head">
                  <div>
                    <h1>{{ v.takeBack.name }}</h1>
                    <p class="bad">{{ v.takeBack.note }}</p>
                  </div>
                  @if (mayEdit()) {
                    <div class="actions"><p-button severity="secondary" label="Read it in another way" (onClick)="s.reopen()" /></div>
                  }
                </div>
              }
              @default {
                <rule-take-back-review [view]="v" [selected]="selected()" (choose)="selected.set($event)" />
              }
            }
          } @else {
            <h1>Take back a table</h1>
            @if (!s.error()) {
              <rule-waiting />
            }
          }
        }
        @case ('layout') {
          @if (draft(); as begin) {
            <rule-layout-editor [layout]="layoutId()" [start]="begin" (saved)="go($event === null ? {} : { layout: $event })" (sent)="download($event)" />
          } @else {
            <h1>Layout</h1>
            @if (s.listed()) {
              <p class="note">This layout no longer exists. Choose another one or create a new one.</p>
            } @else if (!s.error()) {
              <rule-waiting />
            }
          }
        }
        @case ('deliveries') {
          <rule-deliveries />
        }
        @case ('out') {
          <div class="head">
            <div>
              <h1>Copies that are out</h1>
              <p>{{ s.out().length ? 'What comes back is compared with what was sent out, however long it takes.' : 'Every copy has come back.' }}</p>
            </div>
          </div>
          <div class="card table">
            <rule-table label="Tables that were sent out" [rows]="s.sendOuts()" key="id" empty="Nothing has been sent out yet.">
              <ng-container *ruleColumn="let row of s.sendOuts(); name: 'Table'">
                @if (row.kept) {
                  <a [href]="'/api/exchange/send-outs/' + row.id + '/file'">{{ row.name }}</a>
                } @else {
                  {{ row.name }}
                }
              </ng-container>
              <ng-container *ruleColumn="let row of s.sendOuts(); name: 'For'; by: 'recipient'">{{ row.recipient || '–' }}</ng-container>
              <ng-container *ruleColumn="let row of s.sendOuts(); name: 'Sent out'"> {{ instant(row.at) }}, {{ row.by }} </ng-container>
              <ng-container *ruleColumn="let row of s.sendOuts(); name: 'Rows'; num: true; by: 'rows'">{{ row.rows }}</ng-container>
              <ng-container *ruleColumn="let row of s.sendOuts(); name: 'Columns'; num: true; by: 'properties'">{{ row.properties }}</ng-container>
              <ng-container *ruleColumn="let row of s.sendOuts(); name: 'State'">
                <span [class.warn]="isOut(row)">{{ row.takenBackAt ? 'back ' + instant(row.takenBackAt) : row.closedAt ? 'will not come back' : 'out' }}</span>
              </ng-container>
              <ng-container *ruleColumn="let row of s.sendOuts(); said: 'Actions'">
                @if (!row.takenBackAt && mayEdit()) {
                  <button type="button" class="link" (click)="s.setClosed(row.id, row.closedAt === null)">
                    {{ row.closedAt ? 'Expect it back' : 'Mark as not returning' }}
                  </button>
                }
              </ng-container>
            </rule-table>
          </div>
        }
        @default {
          <div class="head">
            <div>
              <h1>To a spreadsheet and back</h1>
              <p>Rule remembers what it sent out, so it can tell changes made in the spreadsheet from changes made here.</p>
            </div>
          </div>
          <div class="two">
            <section class="card" aria-label="Send out">
              <h2>Send out</h2>
              @for (row of s.layouts().saved; track row.id) {
                <button type="button" class="plain choice" (click)="go({ layout: row.id })">
                  <b>{{ row.name }}</b><span>{{ row.purpose || describe(row) }}</span>
                </button>
              }
              @for (row of suggestions(); track row.name) {
                <button type="button" class="plain choice" (click)="go({ layout: 'new', start: row.name })">
                  <b>{{ row.name }}</b><span>{{ row.purpose }}</span>
                </button>
              }
            </section>
            <section aria-label="Take back">
              <rule-take-file
                class="card drop"
                label="Choose files"
                fieldLabel="Workbook or CSV file"
                accept=".xlsx,.xlsm,.csv,.txt,.tsv,.json,.xml"
                multiple
                [disabled]="!mayEdit()"
                [loading]="s.busy()"
                (taken)="take($event)"
              >
                <h2>Take back</h2>
                <p class="soft">
                  Drop edited workbooks, CSV, JSON or XML files here: tables from Rule, or other lists with a column of file names. You see every cell that
                  would change before anything is written.
                </p>
                @if (!mayEdit()) {
                  <p class="soft">Taking back needs the role editor.</p>
                }
              </rule-take-file>
            </section>
          </div>
        }
      }

      <div bench="inspector">
        @if (selected(); as cell) {
          <h2><rule-file [id]="cell.file" [path]="cell.path" [text]="leaf(cell.path)" /></h2>
          <p class="soft">{{ caption(cell) }}, row {{ cell.row }}{{ cell.holder ? ', ' + cell.holder : '' }}</p>
          <dl>
            <dt>Sent out</dt>
            <dd class="mono">{{ held(cell.base) }}</dd>
            <dt>In Rule now</dt>
            <dd class="mono">{{ held(cell.current) }}</dd>
            <dt>In the table</dt>
            <dd class="mono">{{ cell.text || 'blank' }}</dd>
          </dl>
          <p [class]="cell.verdict === 'change' || cell.verdict === 'same' ? 'note' : 'note bad'">{{ cell.message }}</p>
          @if (cell.verdict === 'spoiled') {
            <p class="soft">
              {{
                cell.proven
                  ? 'The copy that was sent out proves it. Rule keeps its value unless you take the one from the table.'
                  : 'Nothing proves which value was meant. Take it or leave it.'
              }}
            </p>
          }
          @if (cell.name === null) {
            <rule-way [property]="cell.property" />
          }
        } @else {
          <p class="soft">
            {{
              looksAt() === 'back'
                ? 'Select a cell to see what was sent out, the current value and what came back.'
                : 'Tables that are still out are counted above the station.'
            }}
          </p>
        }
      </div>
    </rule-bench>
  `,
  styles: `
    .none {
      padding: 4px 18px;
      margin: 0;
      color: var(--soft);
    }
    .two {
      display: grid;
      grid-template-columns: 1fr 1fr;
      gap: 16px;
      align-items: start;
    }
    section {
      padding: 16px 18px;
    }
    .choice {
      display: block;
      width: 100%;
      padding: 8px 10px;
      border-top: 1px solid var(--row);
    }
    .choice:hover {
      background: color-mix(in srgb, var(--brass-tint) 45%, transparent);
    }
    .choice b {
      display: block;
      color: var(--verdigris);
    }
    .choice span {
      color: var(--soft);
    }
    .drop {
      border-style: dashed;
      min-height: 180px;
    }
    .table {
      overflow: auto;
    }
    dl {
      display: grid;
      grid-template-columns: auto 1fr;
      gap: 3px 12px;
    }
    dt {
      color: var(--soft);
    }
    dd {
      margin: 0;
      overflow-wrap: anywhere;
    }
  `,
})
export class ExchangeStation {
  protected readonly s = inject(ExchangeStore);
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  private readonly notices = inject(Notices);
  protected readonly leaf = fileName;
  protected readonly held = plainHeld;
  protected readonly instant = showInstant;
  readonly back = input<string>();
  /** Number of a saved layout, or `new`. */
  readonly layout = input<string>();
  /** Name of the suggested layout to start from. */
  readonly start = input<string>();
  readonly view = input<string>();

  protected readonly backId = computed(() => (this.back() ? Number(this.back()) : null));
  protected readonly layoutId = computed(() => (this.layout() && this.layout() !== 'new' ? Number(this.layout()) : null));
  protected readonly looksAt = computed(() =>
    this.backId() !== null
      ? 'back'
      : this.layout()
        ? 'layout'
        : this.view() === 'out'
          ? 'out'
          : this.view() === 'deliveries' && this.mayAdminister()
            ? 'deliveries'
            : 'start',
  );
  protected readonly draft = computed((): LayoutDraft | null => {
    const { saved, purposes } = this.s.layouts();
    if (this.layoutId() !== null) return saved.find((row) => row.id === this.layoutId()) ?? null;
    if (!this.start()) return EVERYTHING;
    return purposes.find((row) => row.name === this.start()) ?? (this.s.listed() ? EVERYTHING : null);
  });
  /** Suggestions not saved yet. */
  protected readonly suggestions = computed(() => {
    const names = new Set(this.s.layouts().saved.map((row) => row.name));
    return this.s.layouts().purposes.filter((row) => !names.has(row.name));
  });
  protected readonly mayEdit = this.store.selectSignal(sessionFeature.selectMayEdit);
  protected readonly mayAdminister = this.store.selectSignal(sessionFeature.selectMayAdminister);
  private readonly byPropertyId = this.store.selectSignal(catalogueFeature.selectById);
  protected readonly selected = signal<TakeBackCellRow | null>(null);

  constructor() {
    this.s.lists();
    effect(() => {
      const id = this.backId();
      untracked(() => {
        this.selected.set(null);
        this.s.open(id);
      });
    });
  }

  protected caption(cell: TakeBackCellRow): string {
    return cell.name ?? this.byPropertyId()[cell.property]?.caption ?? `property ${cell.property}`;
  }
  protected describe({ content }: LayoutDraft): string {
    return content.columns.length ? `${content.columns.length} columns` : 'Every property that applies';
  }
  protected isOut(row: SendOutRow): boolean {
    return row.takenBackAt === null && row.closedAt === null;
  }

  protected go(to: { readonly back?: TakeBackRow['id']; readonly layout?: number | 'new'; readonly start?: string; readonly view?: string }): void {
    void this.router.navigate([], { queryParams: { back: to.back ?? null, layout: to.layout ?? null, start: to.start ?? null, view: to.view ?? null } });
  }

  protected download(path: string): void {
    window.location.assign(path);
    this.notices.done('The table is sent out.');
  }

  /** Shows the last of them. */
  protected take(files: readonly File[]): void {
    this.s.take(files, (back) => this.go({ back }));
  }
}
