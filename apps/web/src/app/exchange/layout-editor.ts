import { ChangeDetectionStrategy, Component, computed, effect, inject, input, linkedSignal, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Clause, LayoutColumn, LayoutContent, LayoutDraft, TABLE_FORMATS, TableFormat } from '@rule/contract';
import { BESIDE_FACTS, BesideColumn, ROW_LEVELS, RowLevel, besideHeader } from '@rule/core/exchange';
import { KINDS, isHeldAt } from '@rule/core/schema';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { InputTextModule } from 'primeng/inputtext';
import { Clauses } from '../clauses';
import { RuleCheck, RuleChoices, RuleOption, RuleSelect } from '../kit';
import { Count, catalogueFeature, sessionFeature } from '../shared';
import { ExchangeStore } from './exchange.store';
import { LayoutStore } from './layout.store';

const LEVEL_SAID: Readonly<Record<RowLevel, string>> = {
  document: 'a file',
  variant: 'a variant',
  body: 'a body of a part',
  occurrence: 'a placed part of an assembly',
  sheet: 'a sheet of a drawing',
};
const ROWS_SAID: Readonly<Record<LayoutContent['rows'], string>> = {
  all: 'all of them',
  missing: 'files that lack a required value',
  strays: 'files with names outside the schema',
};
const FORMAT_SAID: Readonly<Record<TableFormat, string>> = { xlsx: 'Workbook (XLSX)', csv: 'CSV', json: 'JSON', xml: 'XML' };

/** Editor of a table layout, with send-out. */
@Component({
  selector: 'rule-layout-editor',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [LayoutStore],
  imports: [RuleOption, RuleSelect, ButtonModule, Clauses, Count, FormsModule, InputTextModule, RuleChoices, RuleCheck],
  template: `
    @let c = draft().content;
    <div class="head">
      <div>
        <h1>{{ draft().name || 'Send values out' }}</h1>
        <p>{{ draft().purpose || 'Rule remembers what goes out, so that it can tell what the spreadsheet changed from what changed here in the meantime.' }}</p>
      </div>
    </div>
    <div class="sides">
      <section class="card" aria-label="Rows">
        <h2>Rows</h2>
        <div class="pair">
          <label class="field"
            ><span>Files</span
            ><rule-select [ngModel]="c.filter.kind ?? ''" (ngModelChange)="filterBy({ kind: $event || undefined })">
              <rule-option value="" label="of all kinds" />
              @for (kind of kinds; track kind) {
                <rule-option [value]="kind" label="{{ kind === 'assembly' ? 'assemblies' : kind + 's' }}" />
              }</rule-select
          ></label>
          <label class="field"
            ><span>Which of them</span
            ><rule-select [ngModel]="c.rows" (ngModelChange)="edit({ rows: $event })">
              @for (rows of rowsSaid; track rows[0]) {
                <rule-option [value]="rows[0]" label="{{ rows[1] }}" />
              }</rule-select
          ></label>
          <label class="field"
            ><span>Folder</span
            ><rule-select [ngModel]="c.filter.folder ?? ''" (ngModelChange)="filterBy({ folder: $event || undefined })">
              <rule-option value="" label="all folders" />
              @for (folder of made.folders(); track folder) {
                <rule-option [value]="folder" label="{{ folder }}" />
              }</rule-select
          ></label>
          <label class="field"
            ><span>Class</span
            ><rule-select [ngModel]="c.filter.class ?? ''" (ngModelChange)="filterBy({ class: $event === '' ? undefined : +$event })">
              <rule-option value="" label="all classes" />
              @for (row of made.classes(); track row.id) {
                <rule-option [value]="row.id" label="{{ row.name }}" />
              }</rule-select
          ></label>
          <label class="field"
            ><span>Project or drawing set</span
            ><rule-select [ngModel]="c.filter.within ?? ''" (ngModelChange)="filterBy({ within: $event === '' ? undefined : +$event })">
              <rule-option value="" label="any" />
              @for (row of made.projects(); track row.id) {
                <rule-option [value]="row.id" label="{{ row.level }}: {{ row.name }}" />
              }</rule-select
          ></label>
          <label class="field"
            ><span>BOM of an assembly</span
            ><rule-select [ngModel]="c.filter.assembly ?? ''" (ngModelChange)="filterBy({ assembly: $event === '' ? undefined : +$event })">
              <rule-option value="" label="none in particular" />
              @for (row of made.assemblies(); track row.id) {
                <rule-option [value]="row.id" label="{{ row.path }}" />
              }</rule-select
          ></label>
          @if (c.filter.assembly !== undefined) {
            <label class="field"
              ><span>Item number and quantity</span
              ><rule-select [ngModel]="c.bom ? (c.bom.layout ?? 'order') : ''" (ngModelChange)="items($event)">
                <rule-option value="" label="no such columns" />
                <rule-option value="order" label="numbered in order" />
                @for (row of made.bomLayouts(); track row.id) {
                  <rule-option [value]="row.id" label="as in {{ row.name }}" />
                }</rule-select
            ></label>
          }
        </div>
        <rule-clauses [clauses]="c.filter.where ?? []" [names]="names()" [recordFields]="made.recordFields()" (changed)="where($event)" />
        <div class="pair top">
          <label class="field"
            ><span>One row is</span
            ><rule-select [ngModel]="c.level" (ngModelChange)="level($event)">
              @for (level of levels; track level) {
                <rule-option [value]="level" label="{{ levelSaid[level] }}" />
              }</rule-select
          ></label>
          <label class="field"
            ><span>Shape</span
            ><rule-select [ngModel]="c.shape" (ngModelChange)="edit({ shape: $event })">
              <rule-option value="wide" label="one column per property" />
              <rule-option value="long" label="one row per value" /> </rule-select
          ></label>
        </div>
      </section>
      <section class="card" aria-label="Columns">
        <h2>Columns</h2>
        @if (c.columns.length) {
          <p class="columns-head soft"><span>Property</span><span>Header</span><span>Filled in</span></p>
          <ol class="columns">
            @for (column of c.columns; track column.property; let i = $index) {
              <li>
                <span class="name" [title]="written(column)">{{ caption(column) }}</span>
                <input
                  pInputText
                  [attr.aria-label]="'Header of ' + caption(column)"
                  [placeholder]="written(column)"
                  [ngModel]="column.header"
                  (keydown)="keyed($event, i)"
                  (change)="editColumn(i, { header: $any($event.target).value.trim() })"
                />
                <label class="tick"
                  ><rule-check [ariaLabel]="caption(column) + ' is filled in'" [checked]="column.editable" (flip)="editColumn(i, { editable: $event })"
                /></label>
                <button type="button" class="link" [disabled]="i === 0" [attr.aria-label]="'Move ' + caption(column) + ' up'" (click)="move(i, -1)">↑</button>
                <button
                  type="button"
                  class="link"
                  [disabled]="i === c.columns.length - 1"
                  [attr.aria-label]="'Move ' + caption(column) + ' down'"
                  (click)="move(i, 1)"
                >
                  ↓
                </button>
                <button type="button" class="link" [attr.aria-label]="'Take ' + caption(column) + ' out'" (click)="drop(i)">out</button>
              </li>
            }
          </ol>
        } @else {
          <p class="soft">All {{ fitting().length }} properties that apply, each under its written name and to be filled in.</p>
        }
        <label class="field"
          ><span>Add a column</span
          ><rule-select acts [ngModel]="''" (ngModelChange)="add($event)">
            <rule-option value="" label="choose a property" />
            @for (property of addable(); track property.id) {
              <rule-option [value]="property.id" label="{{ property.caption }}" />
            }</rule-select
        ></label>
        <div class="field">
          <span id="le-beside">Also shown, for reading</span>
          <rule-choices
            labelledBy="le-beside"
            placeholder="vault, records, title block cells"
            [options]="besides()"
            [named]="3"
            counted="{0} columns"
            [ngModel]="besideNames()"
            (ngModelChange)="readBeside($event)"
          />
        </div>
        <p class="soft">Columns that are not filled in are read-only; changes in them are refused when the table comes back.</p>
      </section>
    </div>
    <section class="card out" aria-label="Send out">
      <div class="pair four">
        <label class="field"
          ><span>For</span><input pInputText placeholder="recipient" [ngModel]="recipient()" (ngModelChange)="recipient.set($event)"
        /></label>
        <label class="field"
          ><span>CSV: between cells</span
          ><rule-select [ngModel]="c.csv.delimiter" (ngModelChange)="edit({ csv: { delimiter: $event, decimal: c.csv.decimal, encoding: c.csv.encoding } })">
            <rule-option value="," label="comma" />
            <rule-option value=";" label="semicolon" />
            <rule-option value="&#9;" label="tab" />
            <rule-option value="|" label="bar" /> </rule-select
        ></label>
        <label class="field"
          ><span>CSV: decimal sign</span
          ><rule-select [ngModel]="c.csv.decimal" (ngModelChange)="edit({ csv: { delimiter: c.csv.delimiter, decimal: $event, encoding: c.csv.encoding } })">
            <rule-option value="." label="point" />
            <rule-option value="," label="comma" /> </rule-select
        ></label>
        <label class="field"
          ><span>CSV: encoding</span
          ><rule-select [ngModel]="c.csv.encoding" (ngModelChange)="edit({ csv: { delimiter: c.csv.delimiter, decimal: c.csv.decimal, encoding: $event } })">
            <rule-option value="utf-8" label="UTF-8" />
            <rule-option value="utf-16le" label="UTF-16" />
            <rule-option value="windows-1252" label="Windows-1252" /> </rule-select
        ></label>
      </div>
      <label class="tick"><rule-check [checked]="c.protect" (flip)="edit({ protect: $event })" />protect read-only cells in the workbook</label>
      <div class="actions top">
        @for (format of formats; track format) {
          <p-button
            [severity]="format === 'xlsx' ? undefined : 'secondary'"
            [label]="formatSaid[format]"
            [disabled]="!made.rows() || s.busy()"
            [loading]="s.busy() && made.sending() === format"
            (onClick)="send(format)"
          />
        }
        <span class="soft" role="status">{{ made.rows() === null ? 'counting …' : (made.rows() | count: 'row') }}</span>
      </div>
    </section>
    <section class="card out" aria-label="Layout">
      <div class="pair">
        <label class="field"><span>Name of the layout</span><input pInputText [ngModel]="draft().name" (ngModelChange)="change({ name: $event })" /></label>
        <label class="field"><span>Purpose</span><input pInputText [ngModel]="draft().purpose" (ngModelChange)="change({ purpose: $event })" /></label>
      </div>
      <label class="tick"><rule-check [checked]="draft().shared" (flip)="change({ shared: $event })" />shared with everybody</label>
      <div class="actions top">
        <p-button severity="secondary" [label]="layout() === null ? 'Save the layout' : 'Save'" [disabled]="!draft().name.trim()" (onClick)="save(layout())" />
        @if (layout() !== null) {
          <p-button severity="secondary" label="Save as another" [disabled]="!draft().name.trim()" (onClick)="save(null)" />
          <p-button severity="secondary" label="Remove" (onClick)="remove()" />
        }
      </div>
    </section>
  `,
  styles: `
    :host {
      --places: minmax(80px, 1fr) minmax(80px, 1fr) 46px 18px 18px 26px;
    }
    .sides {
      display: grid;
      grid-template-columns: 1fr 1fr;
      gap: 14px;
      align-items: start;
    }
    section {
      padding: 14px 16px;
    }
    .out {
      margin-top: 14px;
    }
    .pair {
      display: grid;
      grid-template-columns: 1fr 1fr;
      gap: 0 14px;
    }
    .four {
      grid-template-columns: 2fr 1fr 1fr 1fr;
    }
    .top {
      margin-top: 10px;
    }
    .columns {
      list-style: none;
      margin: 0 0 10px;
      padding: 0;
      max-height: 300px;
      overflow: auto;
    }
    .columns li {
      display: grid;
      grid-template-columns: var(--places);
      gap: 8px;
      align-items: center;
      padding: 3px 0;
      border-bottom: 1px solid var(--row);
    }
    .columns-head {
      display: grid;
      grid-template-columns: var(--places);
      gap: 8px;
      margin: 0;
      font:
        500 12px 'Barlow Semi Condensed',
        sans-serif;
    }
    .name {
      overflow: hidden;
      text-overflow: ellipsis;
      white-space: nowrap;
    }
    .tick {
      display: inline-flex;
      gap: 6px;
      align-items: center;
      white-space: nowrap;
    }
    input[pInputText] {
      width: 100%;
      min-width: 0;
    }
  `,
})
export class LayoutEditor {
  protected readonly s = inject(ExchangeStore);
  protected readonly made = inject(LayoutStore);
  private readonly store = inject(Store);
  /** Number of the saved layout; `null` for a new one. */
  readonly layout = input.required<number | null>();
  /** Initial content. */
  readonly start = input.required<LayoutDraft>();
  readonly saved = output<number | null>();
  readonly sent = output<string>();

  protected readonly draft = linkedSignal<LayoutDraft>(() => this.start());
  protected readonly recipient = signal('');
  private readonly properties = this.store.selectSignal(catalogueFeature.selectActive);
  private readonly byId = this.store.selectSignal(catalogueFeature.selectById);
  protected readonly mayAdminister = this.store.selectSignal(sessionFeature.selectMayAdminister);
  protected readonly names = computed(() => this.properties().map((property) => property.writtenName));
  /** Available and selected read-only columns, by header. */
  private readonly known = computed(() => {
    const offered: BesideColumn[] = [
      ...BESIDE_FACTS.map((fact) => ({ fact })),
      ...this.made.recordFields().map((record) => ({ record })),
      ...this.made.cellTags().map((cell) => ({ cell })),
      ...(this.draft().content.beside ?? []),
    ];
    return new Map(offered.map((column) => [besideHeader(column), column]));
  });
  protected readonly besides = computed(() => [...this.known().keys()]);
  protected readonly besideNames = computed(() => (this.draft().content.beside ?? []).map(besideHeader));
  protected readonly kinds = KINDS;
  protected readonly levels = ROW_LEVELS;
  protected readonly levelSaid = LEVEL_SAID;
  protected readonly formats = TABLE_FORMATS;
  protected readonly formatSaid = FORMAT_SAID;
  protected readonly rowsSaid = Object.entries(ROWS_SAID);
  protected readonly fitting = computed(() => {
    const { level, filter } = this.draft().content;
    return this.properties().filter((property) => isHeldAt(property, level) && (filter.kind === undefined || property.kinds.includes(filter.kind)));
  });
  protected readonly addable = computed(() => {
    const { level, columns } = this.draft().content;
    const taken = new Set(columns.map((column) => column.property));
    return this.properties().filter((property) => !taken.has(property.id) && (isHeldAt(property, level) || isHeldAt(property, 'document')));
  });

  constructor() {
    this.made.loadChoices();
    effect(() => {
      const { content } = this.draft();
      untracked(() => this.made.count(content));
    });
  }

  protected caption(column: LayoutColumn): string {
    return this.byId()[column.property]?.caption ?? `property ${column.property}`;
  }
  protected written(column: LayoutColumn): string {
    return this.byId()[column.property]?.writtenName ?? '';
  }

  protected change(change: Partial<LayoutDraft>): void {
    this.draft.update((draft) => ({ ...draft, ...change }));
  }
  protected edit(change: Partial<LayoutContent>): void {
    this.draft.update((draft) => ({ ...draft, content: { ...draft.content, ...change } }));
  }
  protected filterBy(change: Readonly<Record<string, unknown>>): void {
    const all = { ...this.draft().content.filter, ...change };
    this.edit({
      filter: Object.fromEntries(Object.entries(all).filter(([, value]) => value !== undefined)),
      // Only parts of an assembly have item numbers.
      ...(all.assembly === undefined && this.draft().content.bom ? { bom: null } : {}),
    });
  }
  /** Selects item numbers: none, by structure, or from a layout. */
  protected items(chosen: string): void {
    this.edit({ bom: chosen === '' ? null : { layout: chosen === 'order' ? null : Number(chosen) } });
  }
  protected where(clauses: readonly Clause[]): void {
    this.filterBy({ where: clauses.length ? clauses : undefined });
  }
  /** Read-only columns by header. */
  protected readBeside(headers: readonly string[]): void {
    const known = this.known();
    this.edit({ beside: headers.flatMap((header) => known.get(header) ?? []) });
  }
  /** Removes properties the level cannot hold. */
  protected level(level: RowLevel): void {
    const columns = this.draft().content.columns.filter((column) => {
      const property = this.byId()[column.property];
      return property && (isHeldAt(property, level) || isHeldAt(property, 'document'));
    });
    this.edit({ level, columns });
  }

  protected add(id: string): void {
    if (id === '') return;
    const property = this.byId()[Number(id)];
    const { columns, level } = this.draft().content;
    this.edit({ columns: [...columns, { property: Number(id), header: '', editable: property !== undefined && isHeldAt(property, level) }] });
  }
  protected drop(at: number): void {
    this.edit({ columns: this.draft().content.columns.filter((_, i) => i !== at) });
  }
  protected editColumn(at: number, change: Partial<LayoutColumn>): void {
    this.edit({ columns: this.draft().content.columns.map((column, i) => (i === at ? { ...column, ...change } : column)) });
  }
  protected move(at: number, by: number): void {
    const columns = [...this.draft().content.columns];
    const [column] = columns.splice(at, 1);
    columns.splice(at + by, 0, column!);
    this.edit({ columns });
  }
  /** Alt+arrow moves a column. */
  protected keyed(event: KeyboardEvent, at: number): void {
    const by = event.key === 'ArrowUp' ? -1 : event.key === 'ArrowDown' ? 1 : 0;
    const to = at + by;
    if (!event.altKey || by === 0 || to < 0 || to >= this.draft().content.columns.length) return;
    event.preventDefault();
    this.move(at, by);
  }

  protected save(id: number | null): void {
    const draft = { ...this.draft(), name: this.draft().name.trim(), purpose: this.draft().purpose.trim() };
    const body: LayoutDraft = { name: draft.name, purpose: draft.purpose, shared: draft.shared, content: draft.content };
    this.made.save(id, body, (kept) => this.saved.emit(kept));
  }
  protected remove(): void {
    this.made.remove(this.layout()!, this.draft().name, () => this.saved.emit(null));
  }

  protected send(format: TableFormat): void {
    this.made.send({ format, content: this.draft().content, layout: this.layout(), recipient: this.recipient().trim() }, (address) => this.sent.emit(address));
  }
}
