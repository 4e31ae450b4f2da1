import { ChangeDetectionStrategy, Component, computed, effect, inject, input, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { ApplyMode, CELL_VERDICTS, CellFilter, CellGroup, TakeBackCellRow, TakeBackView } from '@rule/contract';
import { TakeBackCounts } from '@rule/core/exchange';
import { fileName } from '@rule/core/files';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { RuleColumn, RuleOption, RuleSelect, RuleTable } from '../kit';
import { catalogueFeature, Count, plainHeld, sessionFeature, showInstant } from '../shared';
import { CellSource } from './cell-source';
import { ExchangeStore } from './exchange.store';

type Verdict = (typeof CELL_VERDICTS)[number];
const SAID: Readonly<Record<Verdict, string>> = {
  change: 'would change',
  conflict: 'changed on both sides',
  spoiled: 'spoiled on the way',
  error: 'refused',
  same: 'in Rule already',
};
const OUTCOME: Readonly<Record<string, string>> = { tray: 'in the tray', applied: 'applied', failed: 'not applied', dropped: 'given up' };
const CODES: Readonly<Record<string, string>> = {
  zeros: 'leading zeros lost',
  exponent: 'turned into a number with an exponent',
  digits: 'rounded long digits',
  'number form': 'written as another number',
  date: 'turned into a date',
  'serial number': 'a day as a number',
  'decimal sign': 'decimal comma',
  'yes or no': 'turned into yes or no',
  blanks: 'blanks or line breaks',
  'cut off': 'cut off',
  autocorrected: 'signs exchanged',
  letters: 'letters lost or misread',
  'error cell': 'error cells',
  'unreadable cell': 'cells that cannot be read',
  formula: 'formulas',
};

/** Review of all cells that would change, individually or in bulk. */
@Component({
  selector: 'rule-take-back-review',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleColumn, RuleTable, RuleOption, RuleSelect, ButtonModule, Count, FormsModule],
  template: `
    @let v = view();
    <div class="head">
      <div>
        <h1>{{ v.takeBack.name }}</h1>
        <p>
          Taken back {{ instant(v.takeBack.at) }} by {{ v.takeBack.by }}{{ v.takeBack.note ? ', ' + v.takeBack.note : '' }}.
          @if (!touched()) {
            Nothing is written yet.
          }
          @if (mayEdit() && !touched()) {
            <button type="button" class="link" (click)="s.reopen()">Read it in another way</button>
          }
        </p>
      </div>
      <div class="actions">
        @if (mayEdit() && v.ready) {
          <p-button [label]="'Put ' + (v.ready | count: 'value') + ' in the tray'" [loading]="s.busy()" (onClick)="s.toTray()" />
          <p-button severity="secondary" label="Apply them now" [disabled]="s.busy()" (onClick)="asking.set(!asking())" />
        }
        <p-button severity="secondary" label="Result workbook" (onClick)="result()" />
      </div>
    </div>
    @if (asking()) {
      <div class="card ask" role="group" aria-label="Apply now">
        <p>{{ v.ready | count: 'value' }} would be written as one change set, bypassing pending changes. It can be reverted in History.</p>
        <div class="actions">
          <p-button label="All of them or none" (onClick)="apply('whole')" />
          <p-button severity="secondary" label="File by file" (onClick)="apply('file by file')" />
          <p-button severity="secondary" label="Not now" (onClick)="asking.set(false)" />
        </div>
      </div>
    }
    @for (warning of v.warnings; track warning) {
      <p class="note warn" role="status">{{ warning }}</p>
    }
    <div class="card counts" role="group" aria-label="Cells by outcome">
      <div>
        <b>{{ count('unchanged') }}</b>unchanged
      </div>
      @for (verdict of verdicts; track verdict) {
        <button
          type="button"
          class="plain"
          [class.on]="s.filter().verdict === verdict"
          (click)="look({ verdict: s.filter().verdict === verdict ? undefined : verdict })"
        >
          <b [class.bad]="(verdict === 'conflict' || verdict === 'error' || verdict === 'spoiled') && count(verdict)" [class.good]="verdict === 'change'">{{
            count(verdict)
          }}</b>{{ said[verdict] }}
        </button>
      }
      <div>
        <b [class.bad]="count('notTaken')">{{ count('notTaken') }}</b>in rows left out
      </div>
      <div>
        <b>{{ count('ignored') }}</b>in columns left out
      </div>
      <div class="total">
        <b>{{ count('total') }}</b>cells in all
      </div>
    </div>
    @if (v.issueCount) {
      <details>
        <summary class="bad">{{ v.issueCount | count: 'row is' : 'rows are' }} left out</summary>
        <ul class="issues">
          @for (issue of v.issues; track issue.row) {
            <li>Row {{ issue.row }}: {{ issue.message }}</li>
          }
        </ul>
      </details>
    }
    <div class="tools">
      <rule-select ariaLabel="Property" [ngModel]="s.filter().property ?? ''" (ngModelChange)="look({ property: $event === '' ? undefined : +$event })">
        <rule-option value="" label="all properties" />
        @for (group of v.byProperty; track group.key) {
          <rule-option [value]="group.key" label="{{ group.caption }} ({{ sum(group) }}{{ group.open ? ', ' + group.open + ' open' : '' }})" />
        }
      </rule-select>
      <rule-select ariaLabel="Folder" [ngModel]="s.filter().folder ?? ''" (ngModelChange)="look({ folder: $event === '' ? undefined : $event })">
        <rule-option value="" label="all folders" />
        @for (group of v.byFolder; track group.key) {
          <rule-option [value]="group.key" label="{{ group.caption || 'top folder' }} ({{ sum(group) }})" />
        }
      </rule-select>
      <rule-select ariaLabel="Reason" [ngModel]="s.filter().code ?? ''" (ngModelChange)="look({ code: $event === '' ? undefined : $event })">
        <rule-option value="" label="all reasons" />
        @for (row of v.byCode; track row.verdict + row.code) {
          <rule-option [value]="row.code" label="{{ codes[row.code] ?? row.code }} ({{ row.count }})" />
        }
      </rule-select>
      <rule-select ariaLabel="Decision" [ngModel]="s.filter().decision ?? ''" (ngModelChange)="look({ decision: $event === '' ? undefined : $event })">
        <rule-option value="" label="decided or not" />
        <rule-option value="open" label="not decided ({{ v.open }})" />
        <rule-option value="take" label="to be taken" />
        <rule-option value="leave" label="to be left" />
      </rule-select>
      <input
        class="small"
        type="search"
        placeholder="Find a file or a value"
        aria-label="Find a file or a value"
        [ngModel]="s.filter().search ?? ''"
        (change)="look({ search: $any($event.target).value || undefined })"
      />
      @if (mayEdit()) {
        <span class="all">
          <button type="button" class="link" [disabled]="!total()" (click)="decideAll('take')">Take all {{ total() ?? '' }} shown</button>
          <button type="button" class="link" [disabled]="!total()" (click)="decideAll('leave')">Leave all shown</button>
        </span>
      }
    </div>
    @if (total() === 0) {
      <p class="note" role="status">{{ any() ? 'No cell of this sort.' : 'The table says what Rule holds: nothing would change.' }}</p>
    } @else {
      @if (source(); as cells) {
        <rule-table
          class="card"
          label="Cells"
          [rows]="cells"
          [total]="total()"
          key="id"
          virtual
          line="28"
          height="52vh"
          picks
          [chosen]="selected()?.id ?? null"
          [look]="lookOf"
          (pick)="choose.emit($event)"
          (keyed)="keyed($event)"
        >
          <ng-container *ruleColumn="let cell of cells; name: 'Row'; num: true; width: '40px'">{{ cell.row }}</ng-container>
          <ng-container *ruleColumn="let cell of cells; name: 'File'; tip: 'path'; width: 'minmax(100px, 1.1fr)'">
            {{ leaf(cell.path) }}{{ cell.holder ? ' · ' + cell.holder : '' }}
          </ng-container>
          <ng-container *ruleColumn="let cell of cells; name: 'Property'; width: 'minmax(102px, 0.8fr)'">{{ caption(cell) }}</ng-container>
          <ng-container *ruleColumn="let cell of cells; name: 'In Rule now'; look: 'mono'; tip: current; width: 'minmax(70px, 0.8fr)'">{{
            current(cell)
          }}</ng-container>
          <ng-container *ruleColumn="let cell of cells; name: 'In the table'; look: 'mono'; tip: 'text'; width: 'minmax(70px, 0.9fr)'">
            <b>{{ cell.text || 'blank' }}</b>
          </ng-container>
          <ng-container *ruleColumn="let cell of cells; name: 'What it means'; tip: 'message'; width: 'minmax(130px, 1.5fr)'">
            <span [class.bad]="cell.verdict === 'error'">{{ cell.message }}</span>
          </ng-container>
          <ng-container *ruleColumn="let cell of cells; name: 'Decision'; width: '104px'">
            @if (cell.outcome) {
              <span class="chip" [class.good]="cell.outcome === 'applied'" [class.bad]="cell.outcome === 'failed'">{{ outcomes[cell.outcome] }}</span>
            } @else if (cell.verdict === 'error' || cell.verdict === 'same') {
              <span class="soft">{{ cell.verdict === 'same' ? 'nothing to do' : 'refused' }}</span>
            } @else if (mayEdit()) {
              <button
                type="button"
                class="pick"
                [class.on]="cell.decision === 'leave'"
                [attr.aria-pressed]="cell.decision === 'leave'"
                [attr.aria-label]="'leave ' + held(cell.current) + ' in row ' + cell.row + ', ' + caption(cell)"
                (click)="decide(cell, 'leave'); $event.stopPropagation()"
              >
                leave
              </button>
              <button
                type="button"
                class="pick"
                [disabled]="!cell.takeable"
                [class.on]="cell.decision === 'take'"
                [attr.aria-pressed]="cell.decision === 'take'"
                [attr.aria-label]="'take ' + (cell.text || 'blank') + ' in row ' + cell.row + ', ' + caption(cell)"
                (click)="decide(cell, 'take'); $event.stopPropagation()"
              >
                take
              </button>
            } @else {
              {{ cell.decision ?? 'open' }}
            }
          </ng-container>
        </rule-table>
      }
    }
    <p class="soft" role="status">
      {{ v.ready | count: 'value' }} to be taken{{ v.inTray ? ', ' + v.inTray + ' in the tray' : '' }}{{ v.written ? ', ' + v.written + ' dealt with' : ''
      }}{{ v.open ? '; ' + (v.open | count: 'waits' : 'wait') + ' for a decision, the others need not wait for ' + (v.open === 1 ? 'it' : 'them') : '' }}. On a
      row, T takes and L leaves.
    </p>
  `,
  styles: `
    .counts {
      display: flex;
      margin-bottom: 10px;
    }
    .counts > * {
      flex: 1;
      display: flex;
      flex-direction: column;
      justify-content: flex-start;
      padding: 8px 10px;
      color: var(--soft);
      border-right: 1px solid var(--line);
      font-size: 12px;
      text-align: left;
    }
    .counts > :last-child {
      border-right: 0;
    }
    .counts b {
      display: block;
      color: var(--ink);
      font:
        600 22px/1.15 'Barlow Semi Condensed',
        sans-serif;
    }
    .counts b.bad {
      color: var(--vermilion);
    }
    .counts b.good {
      color: var(--verdigris);
    }
    .counts .on {
      background: var(--brass-tint);
    }
    .tools {
      display: flex;
      gap: 8px;
      align-items: center;
      flex-wrap: wrap;
      margin: 10px 0;
    }
    .tools input {
      height: 32px;
      width: 150px;
      border: 1px solid var(--line);
      border-radius: 4px;
      background: var(--panel);
      padding: 0 8px;
    }
    .all {
      display: inline-flex;
      gap: 14px;
      margin-left: auto;
    }
    .pick {
      border: 1px solid var(--line);
      background: var(--panel);
      padding: 0 7px;
      cursor: pointer;
      border-radius: 3px;
      font-size: 12px;
      line-height: 18px;
    }
    .pick.on {
      background: var(--verdigris);
      border-color: var(--verdigris);
      color: var(--on-accent);
    }
    .pick:disabled {
      opacity: 0.45;
      cursor: default;
    }
    .ask {
      padding: 10px 16px;
      margin-bottom: 12px;
    }
    .issues {
      max-height: 140px;
      overflow: auto;
      margin: 6px 0 0;
    }
    .note.warn {
      border-left-color: var(--ochre);
    }
  `,
})
export class TakeBackReview {
  protected readonly s = inject(ExchangeStore);
  private readonly store = inject(Store);
  readonly view = input.required<TakeBackView>();
  readonly selected = input.required<TakeBackCellRow | null>();
  readonly choose = output<TakeBackCellRow | null>();

  protected readonly verdicts = CELL_VERDICTS;
  protected readonly said = SAID;
  protected readonly codes = CODES;
  protected readonly outcomes = OUTCOME;
  protected readonly leaf = fileName;
  protected readonly held = plainHeld;
  protected readonly instant = showInstant;
  protected readonly mayEdit = this.store.selectSignal(sessionFeature.selectMayEdit);
  private readonly byPropertyId = this.store.selectSignal(catalogueFeature.selectById);
  protected readonly asking = signal(false);
  protected readonly total = signal<number | null>(null);
  protected readonly source = signal<CellSource | null>(null);
  /** Whether values have been taken; the table can then no longer be re-read differently. */
  protected readonly touched = computed(() => this.view().inTray > 0 || this.view().written > 0);
  protected readonly any = computed(() => this.view().byCode.length > 0);

  constructor() {
    const id = computed(() => this.view().takeBack.id);
    effect((onCleanup) => {
      const [takeBack, filter] = [id(), this.s.filter()];
      const source = this.s.cells(takeBack, filter, (total) => this.total.set(total));
      untracked(() => this.source.set(source));
      onCleanup(() => source.close());
    });
    effect(() => {
      if (this.s.revision() > 0) untracked(() => this.source()?.refresh());
    });
  }

  private viewId(): number {
    return this.view().takeBack.id;
  }

  protected count(key: string): number {
    return this.view().takeBack.counts?.[key as keyof TakeBackCounts] ?? 0;
  }
  protected sum(group: CellGroup): number {
    return Object.values(group.counts).reduce((all, n) => all + n, 0);
  }
  protected readonly current = (cell: TakeBackCellRow): string => plainHeld(cell.current);
  protected readonly lookOf = (cell: TakeBackCellRow): string =>
    cell.outcome ? 'done' : cell.verdict === 'conflict' || cell.verdict === 'spoiled' ? 'broken' : '';
  protected caption(cell: TakeBackCellRow): string {
    return cell.name ?? this.byPropertyId()[cell.property]?.caption ?? `property ${cell.property}`;
  }
  protected look(change: { readonly [K in keyof CellFilter]?: CellFilter[K] | undefined }): void {
    const all = Object.entries({ ...this.s.filter(), ...change }).filter(([, value]) => value !== undefined);
    this.s.look(Object.fromEntries(all));
  }

  protected decide(cell: TakeBackCellRow, decision: 'take' | 'leave'): void {
    this.s.decide({ cells: [cell.id], filter: {}, decision: cell.decision === decision ? null : decision });
  }
  protected decideAll(decision: 'take' | 'leave'): void {
    this.s.decide({ cells: null, filter: this.s.filter(), decision });
  }
  /** T takes and L leaves the value of a row. */
  protected keyed({ event, row: cell }: { readonly event: KeyboardEvent; readonly row: TakeBackCellRow }): void {
    if (!this.mayEdit() || cell.outcome || cell.verdict === 'error' || cell.verdict === 'same') return;
    if (event.key === 't' && cell.takeable) this.decide(cell, 'take');
    else if (event.key === 'l') this.decide(cell, 'leave');
    else return;
    event.preventDefault();
  }

  protected apply(mode: ApplyMode): void {
    this.asking.set(false);
    this.s.apply(mode);
  }
  protected result(): void {
    window.location.assign(`/api/exchange/take-backs/${this.viewId()}/result`);
  }
}
