import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked, viewChild } from '@angular/core';
import { Router } from '@angular/router';
import { Clause, FINDING_KINDS, FileFilter, GroupBy } from '@rule/contract';
import { INNER_LEVELS, KINDS, Kind, Property, isHeldAt, whyNotTyped } from '@rule/core/schema';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { RuleTip } from '../kit';
import { Bench, Notices, PendingStore, TrayActions, catalogueFeature, sessionFeature, trayFeature } from '../shared';
import { CellDetails } from './cell-details';
import { CellStore } from './cell.store';
import { choiceOf, rangesOf } from './choice';
import { ColumnFilter } from './column-filter';
import { GridColumns } from './columns';
import { ColumnsStore } from './columns.store';
import { FillSheet } from './fill';
import { FindReplace } from './find-replace';
import { ChosenCell, GridEdit, KIND_OF_LEVEL, LEVEL_WORDS, Refused, ValuesGrid, cellKey, isGroup } from './grid';
import { Limits } from './limits';
import { Projects } from './projects';
import { Refusal } from './refusal';
import { RowsAndViews } from './rows-and-views';
import { ToDos } from './to-dos';
import { ValuesIndex } from './values-index';
import { ValuesStore } from './values.store';
import { plural } from './words';

/** The Values station: grid, filters, fill-in, projects and cell details. */
@Component({
  selector: 'rule-values-station',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    RuleTip,
    Bench,
    ButtonModule,
    CellDetails,
    ColumnFilter,
    FillSheet,
    FindReplace,
    GridColumns,
    Projects,
    Limits,
    Refusal,
    RowsAndViews,
    ToDos,
    ValuesGrid,
    ValuesIndex,
  ],
  providers: [CellStore, ColumnsStore, ValuesStore],
  template: `
    <rule-bench label="Values" [inspector]="view() === 'grid' && !choice()">
      <div bench="index">
        <rule-values-index [view]="view()" [kind]="kind()" [folder]="folder()" [search]="search()" [having]="having()" (go)="go($event)" />
      </div>

      @if (choice(); as chosenFiles) {
        <rule-fill-sheet [choice]="chosenFiles" (closed)="go({ fill: null, without: null })" />
      } @else if (view() === 'to-do') {
        <rule-to-dos (fill)="go({ fill: 'files:' + ranges($event), view: null })" />
      } @else if (view() === 'projects') {
        <rule-projects [id]="item()" (picked)="go({ view: 'projects', item: $event })" />
      } @else {
        <div class="page">
          <div class="head">
            <div>
              <h1>{{ title() }}</h1>
              <p>
                {{ grid.total() ?? '…' }} {{ rowWord() }}, {{ columns.columns().length }} properties.
                @if (!mayEdit()) {
                  You can view values but not change them.
                } @else {
                  Type in a cell; changes are collected in the tray.
                }
              </p>
            </div>
            <div class="actions">
              <button type="button" class="link" [attr.aria-expanded]="tool() === 'columns'" (click)="open('columns')">Columns</button>
              <rule-rows-and-views [levels]="grid.levels()" [level]="level()" [group]="group()" [properties]="applying()" (go)="go($event)" />
            </div>
          </div>
          <div class="tools" role="toolbar" aria-label="The grid">
            <p-button [label]="fillText()" [disabled]="!grid.total()" (onClick)="fillChosen()" />
            @if (mayEdit()) {
              <button type="button" class="link" ruleTip="Ctrl+D" (click)="sheet()?.fillDown()">Fill down</button>
              <button type="button" class="link" ruleTip="Ctrl+Alt+D" (click)="sheet()?.fillSeries()">Fill series</button>
              @if (!level()) {
                <button type="button" class="link" ruleTip="Ctrl+H" [attr.aria-expanded]="tool() === 'replace'" (click)="open('replace')">
                  Find and replace
                </button>
              }
              <button type="button" class="link" ruleTip="Computed values of the selection" (click)="renewSelection()">Bring up to date</button>
              <button type="button" class="link" ruleTip="Ctrl+Z" [disabled]="steps().undo === 0" (click)="undo()">Undo</button>
              <button type="button" class="link" ruleTip="Ctrl+Y" [disabled]="steps().redo === 0" (click)="redo()">Redo</button>
            }
            <rule-limits
              [folder]="folder()"
              [having]="having()"
              [search]="search()"
              [clauses]="clauses()"
              [any]="!!grid.total()"
              (go)="go($event)"
              (renewAll)="cells.bringUpToDate({ filter: filterNow() })"
            />
          </div>
          @if (tool() === 'columns') {
            <rule-grid-columns [rest]="viewRest()" />
          }
          @if (filtering(); as property) {
            <rule-column-filter [property]="property" (add)="addClause($event)" (closed)="filtering.set(null)" />
          }
          @if (tool() === 'replace') {
            <rule-find-replace [filter]="filterNow()" [columns]="typedColumns()" (replace)="propose($event.values, $event.reason)" (closed)="tool.set(null)" />
          }
          @if (refusal(); as r) {
            <rule-refusal [refused]="r" (closed)="refusal.set(null)" />
          }
          @if (grid.error(); as text) {
            <p class="note bad" role="alert">{{ text }}</p>
          }
          @if (grid.total() === 0) {
            <p class="note">
              {{
                search() || kind() || folder() || having() || clauses().length ? 'No files match this filter.' : 'No files yet. Register a library in Survey.'
              }}
            </p>
          } @else {
            <div class="grid">
              <rule-values-grid
                [rows]="grid.rows()"
                [columns]="columns.columns()"
                [standIns]="standIns()"
                [pending]="pending()"
                [mayEdit]="mayEdit()"
                [role]="role()"
                [sorted]="sort()"
                [descending]="descending()"
                [frozen]="columns.frozen()"
                [ownWidths]="columns.widths()"
                [filtered]="filtered()"
                [marks]="marks()"
                [groupText]="groupText()"
                [bring]="bring"
                (sort)="sortBy($event)"
                (filter)="filtering.set($event)"
                (toggled)="grid.toggle($event)"
                (need)="sight.set($event)"
                (propose)="propose($event)"
                (refused)="refusal.set($event)"
                (undo)="undo()"
                (redo)="redo()"
                (find)="level() ? null : open('replace')"
                (resized)="columns.resize($event)"
                (chosen)="cell.set($event)"
              />
            </div>
          }
        </div>
      }

      <div bench="inspector">
        <rule-cell-details [cell]="cell()" [mayEdit]="mayEdit()" (renew)="cells.bringUpToDate($event)" />
      </div>
    </rule-bench>
  `,
  styles: `
    .page {
      display: flex;
      flex-direction: column;
      height: 100%;
    }
    .grid {
      flex: 1;
      min-height: 160px;
    }
    .tools {
      display: flex;
      flex-wrap: wrap;
      gap: 6px 16px;
      align-items: center;
      margin-bottom: 10px;
    }
    .tools .link:disabled {
      color: var(--faint);
      cursor: default;
    }
  `,
})
export class ValuesStation {
  protected readonly grid = inject(ValuesStore);
  protected readonly columns = inject(ColumnsStore);
  protected readonly cells = inject(CellStore);
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  private readonly notices = inject(Notices);
  readonly folder = input<string>();
  readonly kind = input<Kind>();
  readonly class = input<string>();
  readonly search = input<string>();
  readonly where = input<string>();
  readonly group = input<GroupBy>();
  /** Level of rows; files if absent. */
  readonly rowsAsked = input<string | undefined>(undefined, { alias: 'rows' });
  protected readonly level = computed(() => INNER_LEVELS.find((level) => level === this.rowsAsked()));
  readonly fill = input<string>();
  readonly without = input<string>();
  readonly item = input<string>();
  readonly findingAsked = input<string | undefined>(undefined, { alias: 'finding' });
  readonly viewAsked = input<string | undefined>(undefined, { alias: 'view' });
  readonly sort = input('file', { transform: (text: string | undefined) => text ?? 'file' });
  readonly desc = input<string>();
  protected readonly descending = computed(() => this.desc() === '1');
  protected readonly view = computed((): 'grid' | 'to-do' | 'projects' => {
    const asked = this.viewAsked();
    return asked === 'to-do' || asked === 'projects' ? asked : 'grid';
  });

  private readonly active = this.store.selectSignal(catalogueFeature.selectActive);
  private readonly byId = this.store.selectSignal(catalogueFeature.selectById);
  protected readonly standIns = this.store.selectSignal(catalogueFeature.selectStandIns);
  protected readonly mayEdit = this.store.selectSignal(sessionFeature.selectMayEdit);
  private readonly user = this.store.selectSignal(sessionFeature.selectUser);
  protected readonly role = computed(() => this.user()?.role ?? 'viewer');
  private readonly waiting = inject(PendingStore);
  protected readonly pending = this.waiting.byAddress;
  protected readonly steps = this.store.selectSignal(trayFeature.selectSteps);
  protected readonly ranges = rangesOf;
  private readonly applied = this.store.selectSignal(trayFeature.selectAppliedCount);
  protected readonly sheet = viewChild(ValuesGrid);

  protected readonly clauses = computed((): readonly Clause[] => {
    try {
      const parsed = JSON.parse(this.where() ?? '[]') as unknown;
      return Array.isArray(parsed) ? (parsed as Clause[]).filter((clause) => typeof clause === 'object' && clause !== null && 'operator' in clause) : [];
    } catch {
      return [];
    }
  });
  protected readonly having = computed(() => FINDING_KINDS.find((kind) => kind === this.findingAsked()));
  protected readonly filterNow = computed((): FileFilter => {
    const kind = KINDS.find((one) => one === this.kind());
    const [folder, search, clauses] = [this.folder(), this.search(), this.clauses()];
    const classId = Number(this.class());
    return {
      ...(folder ? { folder } : {}),
      ...(kind ? { kind } : {}),
      ...(this.class() !== undefined && Number.isInteger(classId) ? { class: classId } : {}),
      ...(search ? { search } : {}),
      ...(this.having() ? { finding: this.having()! } : {}),
      ...(clauses.length ? { where: clauses } : {}),
    };
  });
  /** Selected files for fill-in, from the URL. */
  protected readonly choice = computed(
    () => {
      const fill = this.fill();
      return fill ? choiceOf(fill, this.filterNow(), this.without()) : null;
    },
    { equal: (a, b) => JSON.stringify(a) === JSON.stringify(b) },
  );

  /** Columns for the selected kind. With holder rows, their properties come first; properties above files are not columns. */
  protected readonly applying = computed(() => {
    const level = this.level();
    const kind = level ? KIND_OF_LEVEL[level] : this.kind();
    const reached = this.active().filter((property) => !kind || property.kinds.includes(kind));
    const own = level ? reached.filter((property) => isHeldAt(property, level)) : [];
    return [...own, ...reached.filter((property) => isHeldAt(property, 'document') && !own.includes(property))];
  });
  protected readonly typedColumns = computed(() =>
    this.columns.columns().filter((property) => property.kinds.some((kind) => whyNotTyped(property, kind) === null)),
  );
  protected readonly tool = signal<'columns' | 'replace' | null>(null);
  protected readonly refusal = signal<Refused | null>(null);
  protected readonly marks = computed(
    () => new Map((this.refusal()?.cells ?? []).map((cell) => [cellKey(cell.file, cell.holder, cell.property), cell.message])),
  );
  protected readonly filtered = computed(() => {
    const names = new Set(this.clauses().map((clause) => clause.name));
    return new Set(
      this.columns
        .columns()
        .filter((property) => names.has(property.writtenName) || (property.fileField !== null && names.has(property.fileField)))
        .map((property) => property.id),
    );
  });
  protected readonly groupText = computed(() => {
    const group = this.group();
    const property = group ? this.byId()[Number(group)] : undefined;
    return (text: string) =>
      text === ''
        ? group === 'folder'
          ? 'top folder'
          : group === 'class'
            ? 'no class'
            : `${property?.caption ?? ''}: blank`
        : property
          ? `${property.caption}: ${text}`
          : text;
  });
  protected readonly title = computed(() => {
    const what = this.kind() ? plural(this.kind()!) : 'Files';
    return this.folder() ? `${what} in ${this.folder()}` : `All ${what.toLowerCase()}`;
  });
  protected readonly cell = signal<ChosenCell | null>(null);
  /** Visible rows. */
  protected readonly sight = signal({ from: 0, to: 0 });
  private filesAt(from: number, to: number): number[] {
    return this.grid
      .rows()
      .slice(from, to + 1)
      .flatMap((row) => (row !== null && !isGroup(row) ? [row.file.id] : []));
  }
  /** Loads rows with pending changes, so copies are current. */
  protected readonly bring = async (from: number, to: number): Promise<void> => {
    await this.grid.bring(from, to);
    await this.waiting.bring(this.filesAt(from, to));
  };

  constructor() {
    this.grid.loadFilters();
    this.columns.loadViews();
    effect(() => this.columns.offer(this.applying()));
    effect(() => {
      const level = this.level();
      const query = {
        ...this.filterNow(),
        sort: this.sort(),
        descending: this.descending(),
        ...(level ? { level } : this.group() ? { group: this.group()! } : {}),
      };
      this.applied();
      untracked(() => this.grid.load(query));
    });
    effect(() => {
      const { from, to } = this.sight();
      untracked(() => this.grid.ensure(from, to));
    });
    effect(() => {
      const { from, to } = this.sight();
      this.waiting.see(this.filesAt(from, to));
    });
  }

  /** Counted name of the rows. */
  protected readonly rowWord = computed(() => {
    const level = this.level();
    const [one, many] = level ? LEVEL_WORDS[level] : (['file', 'files'] as const);
    return this.grid.total() === 1 ? one : many;
  });
  protected go(queryParams: Record<string, string | number | null>): void {
    void this.router.navigate([], { queryParams, queryParamsHandling: 'merge' });
  }

  protected sortBy(column: string): void {
    this.go({ sort: column, desc: this.sort() === column && !this.descending() ? '1' : null });
  }

  protected open(tool: 'columns' | 'replace'): void {
    this.tool.update((now) => (now === tool ? null : tool));
    if (this.tool()) setTimeout(() => document.querySelector<HTMLElement>('rule-values-station .panel input')?.focus());
  }

  // Fill-in with the form.
  /** Files of the range; for a single cell, all matching the filter. */
  private chosenFiles(): number[] {
    const range = this.sheet()?.range();
    if (!range || range.top === range.bottom) return [];
    const files = this.grid
      .rows()
      .slice(range.top, range.bottom + 1)
      .flatMap((item) => (item !== null && !isGroup(item) ? [item.file.id] : []));
    return [...new Set(files)];
  }
  protected readonly fillText = computed(() => {
    const range = this.sheet()?.range();
    const rows = range ? range.bottom - range.top + 1 : 1;
    if (rows > 1) return `Fill in ${rows} files …`;
    return this.cell() ? 'Fill in this file …' : 'Fill in all of these …';
  });
  protected fillChosen(): void {
    const chosen = this.chosenFiles();
    const own = this.cell()?.row.file.id;
    this.go({ fill: chosen.length ? `files:${rangesOf(chosen)}` : own ? `files:${own}` : 'filter', view: null });
  }

  // Column filters.
  protected readonly filtering = signal<Property | null>(null);
  protected addClause(clause: Clause): void {
    this.filtering.set(null);
    this.go({ where: JSON.stringify([...this.clauses(), clause]) });
  }
  // Saved views.
  protected readonly viewRest = computed(() => ({
    sort: this.sort(),
    descending: this.descending(),
    group: this.group() ?? null,
    level: this.level() ?? null,
    filter: this.filterNow(),
  }));
  // Editing and undo.
  protected propose(values: GridEdit[], reason = 'typed in the grid'): void {
    if (values.length === 0) return;
    this.refusal.set(null);
    this.store.dispatch(TrayActions.propose({ values, reason }));
  }

  /** Undoes the last step; the server keeps the steps. */
  protected undo(): void {
    if (this.steps().undo > 0) this.store.dispatch(TrayActions.undo({ again: false }));
    else this.notices.done('There is nothing to undo. Applied changes can be reverted in History.');
  }

  protected redo(): void {
    if (this.steps().redo > 0) this.store.dispatch(TrayActions.undo({ again: true }));
  }

  protected renewSelection(): void {
    const cells = this.sheet()?.selected();
    if (!cells || cells.files.length === 0) return;
    this.cells.bringUpToDate({ files: cells.files, ...(cells.properties.length ? { properties: cells.properties } : {}) });
  }
}
