import { ChangeDetectionStrategy, Component, computed, inject, input, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { LegacyList, LegacyRow } from '@rule/contract';
import { VaultDefinition } from '@rule/core/vault';
import { ButtonModule } from 'primeng/button';
import { RuleColumn, RuleSelect, RuleTable, RuleTakeFile } from '../kit';
import { Count } from '../shared';
import { TakeListStore } from './take-list.store';

/** Option for keys that are paths or names. */
const PATHS = '';

/** Takes a list into records: column mapping, preview and refusals. */
@Component({
  selector: 'rule-take-list',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [TakeListStore],
  imports: [RuleColumn, RuleTable, RuleTakeFile, ButtonModule, Count, FormsModule, RuleSelect],
  template: `
    <div class="head">
      <div>
        <h1>Take a list into records</h1>
        <p>A workbook or CSV file whose rows name files of the vault: by path, by file name, or by the value of a record field.</p>
      </div>
      @if (store.rows(); as r) {
        <div class="actions">
          <p-button [label]="'Write ' + (values() | count: 'value')" [disabled]="values() === 0" [loading]="store.busy()" (onClick)="take()" />
        </div>
      }
    </div>
    @if (store.problem(); as text) {
      <p class="note bad" role="alert">{{ text }}</p>
    }
    @if (store.report(); as r) {
      <p class="note" role="status">
        {{ r.written | count: 'value' }} written{{ r.left.length ? ', ' + r.left.length + ' refused' : '' }}.
        @if (r.edit !== null) {
          <button type="button" class="link" (click)="undo.emit(r.edit)">Undo</button>
        }
      </p>
    }
    <rule-take-file class="drop" label="Choose a list" [hint]="name() || 'or drop it here'" accept=".csv,.tsv,.xlsx" (taken)="read($event[0]!)" />
    @if (store.table(); as t) {
      <div class="bar">
        <span id="tl-key">Files are named in</span>
        <rule-select labelledBy="tl-key" [options]="$any(t.headers)" [ngModel]="key()" (ngModelChange)="key.set($event); look()" />
        <span id="tl-of">which holds</span>
        <rule-select
          labelledBy="tl-of"
          [options]="keyFields()"
          optionLabel="text"
          optionValue="value"
          [ngModel]="keyField()"
          (ngModelChange)="keyField.set($event); look()"
        />
      </div>
      <div class="card wide">
        <rule-table label="Columns of the list" [rows]="others()">
          <ng-container *ruleColumn="let header of others(); let i = index">
            <span [id]="'tl-c' + i">{{ header }}</span>
          </ng-container>
          <ng-container *ruleColumn="let header of others(); let i = index">
            <rule-select
              [labelledBy]="'tl-c' + i"
              clear
              placeholder="not taken"
              [options]="fields()"
              [ngModel]="columns()[header] ?? null"
              (ngModelChange)="assign(header, $event)"
            />
          </ng-container>
        </rule-table>
      </div>
    }
    @if (store.rows(); as r) {
      <p>{{ r.length | count: 'row' }}: {{ changing() }} would change {{ values() | count: 'value' }}, {{ refusedRows() }} with something that is refused.</p>
      <rule-table class="card" label="Rows of the list" [rows]="shown()" key="row" virtual height="46vh">
        <ng-container *ruleColumn="let row of shown(); name: 'Row'; num: true; by: 'row'; width: '56px'">{{ row.row }}</ng-container>
        <ng-container *ruleColumn="let row of shown(); name: 'File'; by: pathOf; tip: pathOf; width: 'minmax(160px, 1fr)'">{{ pathOf(row) }}</ng-container>
        <ng-container *ruleColumn="let row of shown(); name: 'Changes'; tip: changesOf; width: 'minmax(200px, 2fr)'">{{ changesOf(row) }}</ng-container>
        <ng-container *ruleColumn="let row of shown(); name: 'Refused'; by: problemsOf; tip: problemsOf; look: 'bad'; width: 'minmax(160px, 1.5fr)'">
          {{ problemsOf(row) }}
        </ng-container>
      </rule-table>
    }
  `,
  styles: `
    .drop {
      padding: 14px 16px;
      border: 1px dashed var(--line);
      margin-bottom: 12px;
    }
    .bar {
      display: flex;
      gap: 8px;
      align-items: center;
      margin-bottom: 12px;
    }
    .wide {
      overflow-x: auto;
    }
  `,
})
export class TakeList {
  protected readonly store = inject(TakeListStore);
  readonly definition = input.required<VaultDefinition>();
  readonly undo = output<number>();
  /** Emitted when records changed. */
  readonly taken = output();

  protected readonly name = signal('');
  protected readonly key = signal('');
  protected readonly keyField = signal(PATHS);
  protected readonly columns = signal<Readonly<Record<string, string>>>({});

  protected readonly fields = computed(() =>
    this.definition()
      .fields.filter((field) => !field.retired)
      .map((field) => field.name),
  );
  protected readonly keyFields = computed(() => [
    { text: 'paths or file names', value: PATHS },
    ...[...this.fields(), ...this.definition().systemFields].map((field) => ({ text: `the record field ${field}`, value: field })),
  ]);
  protected readonly others = computed(() => (this.store.table()?.headers ?? []).filter((header) => header !== this.key() && header !== ''));
  protected readonly values = computed(() => (this.store.rows() ?? []).reduce((sum, row) => sum + row.changes.length, 0));
  protected readonly changing = computed(() => (this.store.rows() ?? []).filter((row) => row.changes.length > 0).length);
  protected readonly refusedRows = computed(() => (this.store.rows() ?? []).filter((row) => row.problems.length > 0).length);
  /** Rows with changes or problems, refused ones first. */
  protected readonly shown = computed(() => {
    const rows = this.store.rows() ?? [];
    const refused = rows.filter((row) => row.problems.length > 0);
    return [...refused, ...rows.filter((row) => row.problems.length === 0 && row.changes.length > 0)];
  });

  protected readonly pathOf = (row: LegacyRow): string => row.path ?? row.key;
  protected readonly changesOf = (row: LegacyRow): string =>
    row.changes.map((change) => `${change.field}: ${change.before ?? '—'} → ${change.after}`).join(' · ');
  protected readonly problemsOf = (row: LegacyRow): string => row.problems.join(' ');

  protected read(file: File): void {
    this.name.set(file.name);
    this.store.open(file, ({ headers }) => {
      this.key.set(headers[0] ?? '');
      this.keyField.set(PATHS);
      // Columns named like fields are preselected.
      const byName = new Map(this.fields().map((field) => [field.toLowerCase(), field]));
      this.columns.set(
        Object.fromEntries(headers.slice(1).flatMap((header) => (byName.has(header.toLowerCase()) ? [[header, byName.get(header.toLowerCase())!]] : []))),
      );
      this.look();
    });
  }
  protected assign(header: string, field: string | null): void {
    // A field takes one column only.
    const rest = Object.entries(this.columns()).filter(([other, taken]) => other !== header && taken !== field);
    this.columns.set(Object.fromEntries(field === null ? rest : [...rest, [header, field]]));
    this.look();
  }
  private asked(): LegacyList | null {
    const table = this.store.table();
    const columns = this.others().flatMap((header) => (this.columns()[header] ? [{ header, field: this.columns()[header]! }] : []));
    return table && columns.length ? { ...table, key: this.key(), keyField: this.keyField() || null, columns } : null;
  }
  protected look(): void {
    this.store.preview(this.asked());
  }
  protected take(): void {
    const asked = this.asked();
    if (asked) this.store.take(asked, () => this.taken.emit());
  }
}
