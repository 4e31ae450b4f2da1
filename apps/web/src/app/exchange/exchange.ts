import { ScrollingModule } from '@angular/cdk/scrolling';
import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router } from '@angular/router';
import { TableFormat, TakeBackCellRow } from '@rule/contract';
import { KINDS, Kind } from '@rule/core/schema';
import { fileName } from '@rule/core/files';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { MultiSelectModule } from 'primeng/multiselect';
import { SelectModule } from 'primeng/select';
import {
  Api,
  Bench,
  CatalogueActions,
  catalogueFeature,
  FileLink,
  IndexRow,
  Notices,
  plainHeld,
  saveBlob,
  sessionFeature,
  showInstant,
  TrayActions,
  Way,
} from '../shared';
import { ExchangeStore } from './exchange.store';

type Show = 'open' | 'change' | 'conflict' | 'error' | 'same';

/** Values out to workbooks and CSV files, and back with a review of every cell. */
@Component({
  selector: 'rule-exchange-station',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FileLink, Bench, ButtonModule, FormsModule, IndexRow, MultiSelectModule, ScrollingModule, SelectModule, Way],
  providers: [ExchangeStore],
  template: `
    <rule-bench label="Exchange">
      <div bench="index">
        <rule-index-row text="Send out or take back …" [on]="!back()" (choose)="go(null)" />
        <h3>Taken back</h3>
        @for (row of s.takeBacks(); track row.id) {
          <rule-index-row [text]="row.name" [end]="instant(row.at).slice(5)" [on]="backId() === row.id" (choose)="go(row.id)" />
        } @empty {
          <p class="none">Nothing yet.</p>
        }
        <h3>Sent out</h3>
        @for (row of s.sendOuts(); track row.id) {
          <div class="sent" [title]="row.by + ', ' + instant(row.at)">
            <span>values-{{ row.id }}.{{ row.format }}</span
            ><span [class.warn]="!row.takenBackAt">{{ row.files }} × {{ row.properties }}{{ row.takenBackAt ? '' : ', out' }}</span>
          </div>
        } @empty {
          <p class="none">Nothing yet.</p>
        }
      </div>

      @if (s.error(); as text) {
        <p class="note bad" role="alert">{{ text }}</p>
      }
      @if (s.view(); as v) {
        <div class="head">
          <div>
            <h1>{{ v.takeBack.name }}</h1>
            <p>Taken back {{ instant(v.takeBack.at) }} by {{ v.takeBack.by }}{{ v.takeBack.note ? ', ' + v.takeBack.note : '' }}. Nothing is written yet.</p>
          </div>
          @if (mayEdit()) {
            <div class="actions">
              <p-button
                [label]="'Put ' + s.taken().length + (s.taken().length === 1 ? ' value' : ' values') + ' in the tray'"
                [disabled]="!s.taken().length"
                [loading]="s.busy()"
                (onClick)="toTray()"
              />
            </div>
          }
        </div>
        <div class="card counts" role="group" aria-label="Cells by outcome">
          <div>
            <b>{{ v.takeBack.counts.unchanged }}</b>unchanged
          </div>
          <button type="button" class="plain" [class.on]="show() === 'change'" (click)="show.set('change')">
            <b class="good">{{ v.takeBack.counts.change }}</b>would change
          </button>
          <button type="button" class="plain" [class.on]="show() === 'conflict'" (click)="show.set('conflict')">
            <b [class.bad]="v.takeBack.counts.conflict">{{ v.takeBack.counts.conflict }}</b>changed on both sides
          </button>
          <button type="button" class="plain" [class.on]="show() === 'same'" (click)="show.set('same')">
            <b>{{ v.takeBack.counts.same }}</b>in Rule already
          </button>
          <button type="button" class="plain" [class.on]="show() === 'error'" (click)="show.set('error')">
            <b [class.bad]="v.takeBack.counts.error">{{ v.takeBack.counts.error }}</b>refused
          </button>
          <div>
            <b [class.bad]="v.takeBack.counts.notTaken">{{ v.takeBack.counts.notTaken }}</b>in rows left out
          </div>
          <div class="total">
            <b>{{ v.takeBack.counts.total }}</b>cells in all
          </div>
        </div>
        @for (issue of v.issues; track $index) {
          <p class="note bad">{{ issue.row ? 'Row ' + issue.row + ': ' : '' }}{{ issue.message }}</p>
        }
        @if (shown().length) {
          <div class="card lines" role="table" aria-label="Cells">
            <div class="row header" role="row">
              <span role="columnheader">
                @if (show() === 'open' || show() === 'change') {
                  <input type="checkbox" aria-label="Take all that would change" [checked]="allTicked()" (change)="s.tickAll(!allTicked())" />
                }
              </span>
              <span role="columnheader" class="num">Row</span><span role="columnheader">File</span><span role="columnheader">Property</span
              ><span role="columnheader">Now</span><span role="columnheader">In the table</span><span role="columnheader">What it means</span>
            </div>
            <cdk-virtual-scroll-viewport itemSize="32" role="rowgroup" [style.height]="'min(46vh, ' + 32 * shown().length + 'px)'">
              <div
                class="row"
                role="row"
                *cdkVirtualFor="let cell of shown(); trackBy: byId"
                [class.conflict]="cell.verdict === 'conflict' || cell.verdict === 'error'"
                [class.done]="cell.outcome"
                tabindex="0"
                (click)="selected.set(cell)"
                (keydown.enter)="selected.set(cell)"
              >
                <span role="cell">
                  @if (cell.verdict === 'change' && !cell.outcome) {
                    <input
                      type="checkbox"
                      [attr.aria-label]="'Take row ' + cell.row + ' ' + caption(cell)"
                      [checked]="s.ticked().has(cell.id)"
                      (change)="s.tick(cell.id, !s.ticked().has(cell.id))"
                    />
                  }
                </span>
                <span role="cell" class="num">{{ cell.row }}</span>
                <span role="cell"><rule-file [id]="cell.file" [path]="cell.path" [text]="leaf(cell.path)" /></span>
                <span role="cell">{{ caption(cell) }}</span>
                <span role="cell" class="mono" [title]="held(cell.current)">{{ held(cell.current) }}</span>
                <span role="cell" class="mono" [title]="cell.text"
                  ><b>{{ cell.text || 'blank' }}</b></span
                >
                <span role="cell" [title]="cell.message">
                  @if (cell.outcome) {
                    <span class="chip good">{{ cell.outcome === 'tray' ? 'in the tray' : 'kept as it is' }}</span>
                  } @else if (cell.verdict === 'conflict' && mayEdit()) {
                    @if (s.ticked().has(cell.id)) {
                      <button type="button" class="link" (click)="s.tick(cell.id, false)">Decide again</button>
                    } @else {
                      <button type="button" class="link" [attr.aria-label]="'Keep ' + held(cell.current)" (click)="s.keep([cell.id])">Keep</button>
                      <button type="button" class="link" [attr.aria-label]="'Take ' + cell.text" (click)="s.tick(cell.id, true)">Take</button>
                    }
                    <span class="bad">both changed, was {{ held(cell.base) }}</span>
                  } @else {
                    {{ cell.message }}
                  }
                </span>
              </div>
            </cdk-virtual-scroll-viewport>
          </div>
        } @else {
          <p class="note" role="status">{{ v.cells.length ? 'No cell of this sort is left.' : 'The table says what Rule holds: nothing would change.' }}</p>
        }
        @if (s.conflicts().length) {
          <p class="soft">
            {{ s.conflicts().length }} {{ s.conflicts().length === 1 ? 'conflict waits' : 'conflicts wait' }} for a decision; the others need not wait for
            {{ s.conflicts().length === 1 ? 'it' : 'them' }}.
          </p>
        }
      } @else {
        <div class="head">
          <div>
            <h1>Out to a spreadsheet, and back</h1>
            <p>Rule remembers what it sent out, so that it can tell what the spreadsheet changed from what changed here in the meantime.</p>
          </div>
        </div>
        <div class="two">
          <section class="card">
            <h2>Send out</h2>
            <div class="field">
              <span id="x-kind">Files</span>
              <p-select
                ariaLabelledBy="x-kind"
                [options]="kinds"
                optionLabel="label"
                optionValue="value"
                [ngModel]="kind()"
                (ngModelChange)="kind.set($event)"
              />
            </div>
            <div class="field">
              <span id="x-folder">Folder</span>
              <p-select
                ariaLabelledBy="x-folder"
                [options]="folders()"
                optionLabel="label"
                optionValue="value"
                [filter]="true"
                [ngModel]="folder()"
                (ngModelChange)="folder.set($event)"
              />
            </div>
            <div class="field">
              <span id="x-columns">Properties</span>
              <p-multiselect
                ariaLabelledBy="x-columns"
                [options]="choices()"
                optionLabel="caption"
                optionValue="id"
                [filter]="true"
                placeholder="all that apply"
                [maxSelectedLabels]="3"
                [ngModel]="columns()"
                (ngModelChange)="columns.set($event)"
              />
            </div>
            <p class="soft">{{ count() ?? '…' }} files. The first column is the mark by which Rule knows each row again: leave it as it is.</p>
            <div class="actions">
              <p-button label="Workbook (XLSX)" [loading]="s.busy()" [disabled]="!count()" (onClick)="sendOut('xlsx')" />
              <p-button severity="secondary" label="CSV" [disabled]="!count() || s.busy()" (onClick)="sendOut('csv')" />
            </div>
          </section>
          <section
            class="card drop"
            [class.over]="over()"
            (dragover)="$event.preventDefault(); over.set(true)"
            (dragleave)="over.set(false)"
            (drop)="dropped($event)"
          >
            <h2>Take back</h2>
            <p class="soft">Drop an edited workbook or CSV file here. Every cell that would change is shown before anything is written.</p>
            @if (mayEdit()) {
              <input
                #picker
                type="file"
                class="visually-hidden"
                tabindex="-1"
                aria-label="Workbook or CSV file"
                accept=".xlsx,.csv,.txt,.tsv"
                (change)="picked($event)"
              />
              <p-button severity="secondary" label="Choose a file" [loading]="s.busy()" (onClick)="picker.click()" />
            } @else {
              <p class="soft">Taking back needs the role editor.</p>
            }
          </section>
        </div>
      }

      <div bench="inspector">
        @if (selected(); as cell) {
          <h2><rule-file [id]="cell.file" [path]="cell.path" [text]="leaf(cell.path)" /></h2>
          <p class="soft">{{ caption(cell) }}, row {{ cell.row }}</p>
          <dl>
            <dt>Sent out</dt>
            <dd class="mono">{{ held(cell.base) }}</dd>
            <dt>In Rule now</dt>
            <dd class="mono">{{ held(cell.current) }}</dd>
            <dt>In the table</dt>
            <dd class="mono">{{ cell.text || 'blank' }}</dd>
          </dl>
          <p [class]="cell.verdict === 'change' || cell.verdict === 'same' ? 'note' : 'note bad'">{{ cell.message }}</p>
          @if (cell.name === null) {
            <rule-way [property]="cell.property" />
          }
        } @else {
          <p class="soft">
            {{
              s.view()
                ? 'Choose a cell to see what was sent out, what holds now and what came back.'
                : 'A table that is out and was not taken back is named here and above the station.'
            }}
          </p>
        }
      </div>
    </rule-bench>
  `,
  styles: `
    .none,
    .sent {
      padding: 4px 18px;
      margin: 0;
      color: var(--soft);
    }
    .sent {
      display: flex;
      justify-content: space-between;
      font:
        500 12px 'Barlow Semi Condensed',
        sans-serif;
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
    section p-multiselect,
    section p-select {
      width: 100%;
    }
    .drop {
      border-style: dashed;
      min-height: 180px;
    }
    .over {
      background: var(--verdigris-tint);
      border-color: var(--verdigris);
    }
    .counts {
      display: flex;
      margin-bottom: 14px;
    }
    .counts > * {
      flex: 1;
      display: flex;
      flex-direction: column;
      justify-content: flex-start;
      padding: 10px 14px;
      color: var(--soft);
      border-right: 1px solid var(--line);
    }
    .counts > :last-child {
      border-right: 0;
    }
    .counts b {
      display: block;
      font:
        600 24px/1.15 'Barlow Semi Condensed',
        sans-serif;
    }
    .counts .on {
      background: var(--brass-tint);
    }
    .lines {
      --columns: 32px 46px minmax(110px, 1.1fr) minmax(90px, 0.8fr) minmax(80px, 0.8fr) minmax(80px, 0.9fr) minmax(190px, 1.6fr);
    }
    .conflict {
      background: var(--vermilion-tint);
    }
    .done {
      opacity: 0.6;
      background: none;
    }
    .row .link {
      margin-right: 8px;
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
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  private readonly notices = inject(Notices);
  protected readonly leaf = fileName;
  readonly back = input<string>();
  protected readonly backId = computed(() => (this.back() ? Number(this.back()) : null));

  protected readonly mayEdit = this.store.selectSignal(sessionFeature.selectMayEdit);
  private readonly properties = this.store.selectSignal(catalogueFeature.selectActive);
  private readonly byPropertyId = this.store.selectSignal(catalogueFeature.selectById);
  protected readonly kind = signal<Kind | null>(null);
  protected readonly folder = signal<string | null>(null);
  protected readonly columns = signal<number[]>([]);
  protected readonly count = signal<number | null>(null);
  protected readonly over = signal(false);
  protected readonly show = signal<Show>('open');
  protected readonly selected = signal<TakeBackCellRow | null>(null);
  protected readonly held = plainHeld;
  protected readonly instant = showInstant;
  protected readonly byId = (_: number, cell: TakeBackCellRow): number => cell.id;
  protected readonly kinds: { value: Kind | null; label: string }[] = [
    { value: null, label: 'all kinds' },
    ...KINDS.map((kind) => ({ value: kind, label: `${kind} files` })),
  ];
  protected readonly folders = signal<{ value: string | null; label: string }[]>([{ value: null, label: 'all folders' }]);
  protected readonly choices = computed(() => this.properties().filter((property) => this.kind() === null || property.kinds.includes(this.kind()!)));
  /** Conflicts and refused cells come first: they need a person. */
  protected readonly shown = computed(() => {
    const rank: Readonly<Record<string, number>> = { conflict: 0, error: 1, change: 2, same: 3 };
    const cells = this.s.view()?.cells ?? [];
    const wanted = this.show() === 'open' ? cells.filter((cell) => cell.verdict !== 'same') : cells.filter((cell) => cell.verdict === this.show());
    return [...wanted].sort((a, b) => rank[a.verdict]! - rank[b.verdict]! || a.row - b.row);
  });
  protected readonly allTicked = computed(() => this.s.changes().every((cell) => this.s.ticked().has(cell.id)));

  constructor() {
    this.s.lists();
    this.api.filters().subscribe({
      next: ({ folders }) =>
        this.folders.set([{ value: null, label: 'all folders' }, ...folders.map(({ folder }) => ({ value: folder, label: folder || 'top folder' }))]),
      error: this.notices.failed,
    });
    effect(() => {
      const id = this.backId();
      untracked(() => {
        this.selected.set(null);
        this.show.set('open');
        this.s.open(id);
      });
    });
    effect((onCleanup) => {
      const subscription = this.api.count(this.filter()).subscribe({ next: ({ files }) => this.count.set(files), error: this.notices.failed });
      onCleanup(() => subscription.unsubscribe());
    });
  }

  private filter(): { kind?: Kind; folder?: string } {
    return { ...(this.kind() ? { kind: this.kind()! } : {}), ...(this.folder() ? { folder: this.folder()! } : {}) };
  }

  protected caption(cell: TakeBackCellRow): string {
    return cell.name ?? this.byPropertyId()[cell.property]?.caption ?? `property ${cell.property}`;
  }

  protected go(back: number | null): void {
    void this.router.navigate([], { queryParams: { back } });
  }

  protected sendOut(format: TableFormat): void {
    this.s.busyNow();
    const chosen = this.columns().length ? this.columns() : this.choices().map((property) => property.id);
    this.api.sendOut({ format, filter: this.filter(), properties: chosen }).subscribe({
      next: (file) => {
        saveBlob(file);
        this.s.lists();
        this.store.dispatch(CatalogueActions.recount());
        this.notices.done(`${file.name} is sent out.`);
      },
      error: this.s.failed,
      complete: () => this.s.ready(),
    });
  }

  protected picked(event: Event): void {
    const picker = event.target as HTMLInputElement;
    const file = picker.files?.[0];
    picker.value = '';
    if (file) this.take(file);
  }

  protected dropped(event: DragEvent): void {
    event.preventDefault();
    this.over.set(false);
    const file = event.dataTransfer?.files[0];
    if (file && this.mayEdit()) this.take(file);
  }

  private take(file: File): void {
    this.s.busyNow();
    this.api.takeBack(file).subscribe({
      next: (view) => {
        this.s.show(view);
        this.s.lists();
        this.go(view.takeBack.id);
        this.store.dispatch(CatalogueActions.recount());
      },
      error: this.s.failed,
    });
  }

  protected toTray(): void {
    this.s.busyNow();
    this.api.takeBackTray(this.s.view()!.takeBack.id, this.s.taken()).subscribe({
      next: (view) => {
        this.s.show(view);
        this.store.dispatch(TrayActions.load());
        this.store.dispatch(TrayActions.open({ open: true }));
      },
      error: this.s.failed,
    });
  }
}
