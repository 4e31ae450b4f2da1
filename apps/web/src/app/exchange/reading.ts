import { ChangeDetectionStrategy, Component, computed, inject, input, linkedSignal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { ColumnChoice, ReadingChoice, TableInspection, TakeBackView } from '@rule/contract';
import { ColumnMatch, DELIMITERS, READ_ENCODINGS } from '@rule/core/exchange';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { RuleCheck, RuleColumn, RuleOption, RuleSelect, RuleTable } from '../kit';
import { catalogueFeature, Count, sessionFeature } from '../shared';
import { ExchangeStore } from './exchange.store';

const MATCHED: Readonly<Record<string, string>> = {
  'written name': 'by its written name',
  'sent header': 'as it was sent out',
  'known spelling': 'by a known spelling',
  caption: 'by the caption',
  likeness: 'probably',
  values: 'by its values, probably',
  role: '',
};

/** Open questions about a table. */
@Component({
  selector: 'rule-table-reading',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleColumn, RuleTable, RuleOption, RuleSelect, ButtonModule, Count, FormsModule, RuleCheck],
  template: `
    @let i = inspection();
    <div class="head">
      <div>
        <h1>{{ view().takeBack.name }}</h1>
        <p>{{ i.rows | count: 'row' }}. Rule asks only about what it cannot tell; nothing is compared yet.</p>
      </div>
      @if (mayEdit()) {
        <div class="actions">
          <p-button label="Compare" [loading]="s.busy()" [disabled]="!ready()" (onClick)="compare()" />
        </div>
      }
    </div>
    @if (i.problem && !ready()) {
      <p class="note bad" role="alert">{{ i.problem }}</p>
    }
    @if (i.format === 'csv' || i.sheets.length > 1) {
      <section class="card" aria-label="File">
        <h2>
          {{ i.format === 'csv' ? 'File and encoding' : 'Sheet' }}
          @if (asks('encoding') || asks('sheet')) {
            <span class="chip warn">please look</span>
          }
        </h2>
        @if (i.doubt && asks('encoding')) {
          <p class="note">{{ i.doubt }}</p>
        }
        <div class="row">
          @if (i.format === 'csv') {
            <label class="field"
              ><span>Encoding</span
              ><rule-select [ngModel]="i.encoding" (ngModelChange)="again({ encoding: $event })">
                @for (encoding of encodings; track encoding) {
                  <rule-option [value]="encoding" label="{{ encoding }}" />
                }</rule-select
            ></label>
            <label class="field"
              ><span>Between cells</span
              ><rule-select [ngModel]="i.delimiter" (ngModelChange)="again({ delimiter: $event })">
                @for (delimiter of delimiters; track delimiter) {
                  <rule-option [value]="delimiter" label="{{ said(delimiter) }}" />
                }</rule-select
            ></label>
            <label class="field"
              ><span>Decimal sign</span
              ><rule-select [ngModel]="i.decimal ?? ''" (ngModelChange)="again({ decimal: $event || undefined })">
                <rule-option value="" label="either" />
                <rule-option value="." label="point" />
                <rule-option value="," label="comma" /> </rule-select
            ></label>
          } @else {
            <label class="field"
              ><span>Sheet</span
              ><rule-select [ngModel]="i.sheet" (ngModelChange)="again({ sheet: $event, headerRow: undefined, columns: undefined })">
                @for (sheet of i.sheets; track sheet.name) {
                  <rule-option [value]="sheet.name" label="{{ sheet.name }}{{ sheet.ours ? ', sent out by Rule' : '' }}" />
                }</rule-select
            ></label>
          }
          <label class="field"
            ><span>Header in row</span
            ><input type="number" min="1" max="1000" [ngModel]="i.headerRow" (change)="again({ headerRow: +$any($event.target).value, columns: undefined })"
          /></label>
        </div>
      </section>
    }
    <section class="card" aria-label="Columns">
      <h2>
        Columns
        @if (asks('columns')) {
          <span class="chip warn">please look</span>
        }
      </h2>
      <div class="wide">
        <rule-table label="Columns of the table" [rows]="i.columns" key="at" [look]="waits">
          <ng-container *ruleColumn="let column of i.columns; name: 'Column'; look: 'mono'">{{ column.header }}</ng-container>
          <ng-container *ruleColumn="let column of i.columns; name: 'Taken for'">
            @if (column.use === 'identity' || column.use === 'property name' || column.use === 'value') {
              {{ column.use === 'identity' ? "Rule's own mark" : column.use }}
            } @else {
              <rule-select [ariaLabel]="'What ' + column.header + ' is'" [ngModel]="chosen(column)" (ngModelChange)="choose(column, $event)">
                <rule-option value="ignored" label="left out" />
                <rule-option value="file" label="the file's name or path" />
                <rule-option value="holder" label="the holder inside the file" />
                @if (mayAdminister() && column.property === null) {
                  <rule-option value="draft" label="a draft of a new property" />
                }
                @for (property of properties(); track property.id) {
                  <rule-option [value]="property.id" label="{{ property.caption }}" />
                }
              </rule-select>
            }
          </ng-container>
          <ng-container *ruleColumn="let column of i.columns; name: 'Why'">
            <span [class.warn]="column.ask">{{ column.message || matched(column) }}</span>
          </ng-container>
          <ng-container *ruleColumn="let column of i.columns; name: 'First values'; look: 'mono soft cut'">{{ values(column) }}</ng-container>
        </rule-table>
      </div>
    </section>
    @if (i.ambiguous.length) {
      <section class="card" aria-label="Rows">
        <h2>
          File names that several files have
          @if (asks('rows')) {
            <span class="chip warn">please look</span>
          }
        </h2>
        @for (entry of i.ambiguous; track entry.name) {
          <label class="field"
            ><span class="mono">{{ entry.name }}, in {{ entry.rows | count: 'row' }}</span
            ><rule-select placeholder="choose which one is meant" [ngModel]="files()[entry.name] ?? null" (ngModelChange)="file(entry.name, $event)">
              <rule-option [value]="0" label="none: skip these rows" />
              @for (candidate of entry.files; track candidate.id) {
                <rule-option [value]="candidate.id" label="{{ candidate.path }}" />
              }</rule-select
          ></label>
        }
      </section>
    }
    <label class="tick"
      ><rule-check [checked]="onlyBlanks()" (flip)="onlyBlanks.set($event)" />take values only where Rule holds none, as for values of an older system</label
    >
  `,
  styles: `
    section {
      padding: 14px 16px;
      margin-bottom: 14px;
    }
    .row {
      display: flex;
      gap: 14px;
      flex-wrap: wrap;
    }
    .row .field {
      min-width: 150px;
      margin: 0;
    }
    .wide {
      overflow: auto;
    }
    .tick {
      display: inline-flex;
      gap: 6px;
      align-items: center;
    }
    input[type='number'] {
      height: 32px;
      width: 90px;
      border: 1px solid var(--line);
      border-radius: 4px;
      background: var(--panel);
      padding: 0 8px;
    }
    h2 .chip {
      margin-left: 8px;
    }
  `,
})
export class TableReading {
  protected readonly s = inject(ExchangeStore);
  private readonly store = inject(Store);
  readonly view = input.required<TakeBackView>();
  protected readonly inspection = computed(() => this.view().inspection!);
  protected readonly mayEdit = this.store.selectSignal(sessionFeature.selectMayEdit);
  protected readonly mayAdminister = this.store.selectSignal(sessionFeature.selectMayAdminister);
  protected readonly properties = this.store.selectSignal(catalogueFeature.selectActive);
  /** Selections so far, kept while the file is read again. */
  private readonly choice = linkedSignal<number, ReadingChoice>({ source: () => this.view().takeBack.id, computation: () => ({}) });
  protected readonly choices = computed(() => this.choice().columns ?? {});
  protected readonly files = computed(() => this.choice().files ?? {});
  protected readonly onlyBlanks = linkedSignal<number, boolean>({ source: () => this.view().takeBack.id, computation: () => false });
  protected readonly encodings = READ_ENCODINGS;
  protected readonly delimiters = DELIMITERS;
  protected readonly ready = computed(() => {
    const i = this.inspection();
    const named = i.columns.some((column) => this.use(column) === 'file' || this.use(column) === 'identity');
    return named && i.ambiguous.every((entry) => this.files()[entry.name] !== undefined);
  });

  /** Marks the columns that wait for an answer. */
  protected readonly waits = (column: TableInspection['columns'][number]): string => (column.ask && !this.choices()[column.at] ? 'on' : '');
  protected asks(what: 'encoding' | 'sheet' | 'columns' | 'rows'): boolean {
    return this.inspection().asks.includes(what);
  }
  protected said(delimiter: string): string {
    return { ',': 'comma', ';': 'semicolon', '\t': 'tab', '|': 'bar' }[delimiter] ?? delimiter;
  }
  protected matched(column: ColumnMatch): string {
    return MATCHED[column.by ?? ''] ?? '';
  }
  protected values(column: ColumnMatch): string {
    return this.inspection()
      .sample.map((row) => row[column.at] ?? '')
      .filter((text) => text !== '')
      .slice(0, 3)
      .join(' · ');
  }
  private use(column: ColumnMatch): string {
    return this.choices()[column.at]?.use ?? column.use;
  }
  protected chosen(column: ColumnMatch): string {
    const own = this.choices()[column.at];
    if (own) return own.use === 'property' ? String(own.property) : own.use;
    return column.use === 'property' ? String(column.property) : column.use;
  }
  protected choose(column: ColumnMatch, to: string): void {
    const chosen: ColumnChoice = /^\d+$/.test(to) ? { use: 'property', property: Number(to) } : { use: to as 'ignored' };
    this.choice.update((choice) => ({ ...choice, columns: { ...(choice.columns ?? {}), [column.at]: chosen } }));
  }
  protected file(name: string, id: number): void {
    this.choice.update((choice) => ({ ...choice, files: { ...(choice.files ?? {}), [name]: id } }));
  }

  /** Reads the file again with another selection. */
  protected again(change: { readonly [K in keyof ReadingChoice]?: ReadingChoice[K] | undefined }): void {
    const all = Object.entries({ ...this.choice(), ...change }).filter(([, value]) => value !== undefined);
    const next = Object.fromEntries(all) as ReadingChoice;
    this.choice.set(next);
    this.s.answer({ ...next, hold: true });
  }

  protected compare(): void {
    const { columns, encoding, sheet } = this.inspection();
    // Continuing accepts what is displayed.
    const settled: Record<number, ColumnChoice> = { ...this.choices() };
    for (const column of columns)
      if (column.ask && !settled[column.at])
        settled[column.at] = column.property !== null ? { use: 'property', property: column.property } : { use: column.use === 'file' ? 'file' : 'ignored' };
    this.s.answer({
      ...this.choice(),
      ...(encoding === null ? {} : { encoding }),
      ...(sheet === null ? {} : { sheet }),
      ...(Object.keys(settled).length ? { columns: settled } : {}),
      ...(this.onlyBlanks() ? { onlyBlanks: true } : {}),
    });
  }
}
