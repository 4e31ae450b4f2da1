import { NgTemplateOutlet } from '@angular/common';
import {
  ChangeDetectionStrategy,
  Component,
  DestroyRef,
  ElementRef,
  afterNextRender,
  computed,
  effect,
  inject,
  input,
  output,
  signal,
  untracked,
  viewChild,
} from '@angular/core';
import { GridRow, TrayLine } from '@rule/contract';
import { continueSeries, layBlock, readBlock, writeBlock } from '@rule/core/grid';
import { Change, Property, checkProposed, forClass, judge, whyNotChanged } from '@rule/core/schema';
import { HeldValue, StandIns, editText } from '@rule/core/values';
import { count } from '@rule/core/words';
import { Count, lineKey, lockWords, showCell, ShownCell } from '../shared';
import { addressOf, cellKey, has, holderOf } from './grid-rows';

/** A group heading. */
export interface GroupRow {
  readonly group: string;
  readonly files: number;
  readonly open: boolean;
}
/** A grid line; `null` if not loaded. */
export type GridItem = GridRow | GroupRow | null;
export const isGroup = (item: GridItem): item is GroupRow => item !== null && 'group' in item;

/** A selected cell. */
export interface ChosenCell {
  readonly row: GridRow;
  readonly property: Property | null;
  readonly held: HeldValue | null;
  readonly shown: ShownCell | null;
  readonly pending: TrayLine | null;
}

/** Values to write. */
export interface GridEdit {
  readonly file: number;
  /** The holder inside the file; absent for the file. */
  readonly holder?: string;
  readonly property: number;
  readonly text: string;
}

/** Why a block was refused; nothing is written and faulty cells are marked. */
export interface Refused {
  readonly message: string;
  readonly cells: readonly {
    readonly file: number;
    readonly holder: string;
    readonly property: number;
    readonly path: string;
    readonly caption: string;
    readonly message: string;
  }[];
}

/** A cell range, inclusive; column 0 is the file. */
export interface CellRange {
  readonly top: number;
  readonly bottom: number;
  readonly left: number;
  readonly right: number;
}

const ROW = 30;
const HEAD = 30;
const FILE_WIDTH = 230;
/** Rows and pixels rendered beyond the viewport. */
const ROWS_BEYOND = 6;
const WIDTH_BEYOND = 320;
/** Maximum cells per action. */
const MOST_CELLS = 50_000;

const widthOf = (property: Property): number => {
  const byName = 40 + 7 * property.caption.length + (property.unit ? 8 * (property.unit.length + 1) : 0);
  const longest = property.type === 'choice' ? Math.max(8, ...property.choices.map((choice) => choice.length)) : (property.maxLength ?? 20);
  const ofText = Math.min(170, Math.max(60, 24 + 7 * longest));
  const byType = { text: ofText, longtext: ofText, choice: ofText, person: ofText, file: ofText, date: 100, yesno: 74, whole: 74, number: 86 }[property.type];
  return Math.max(byName, byType);
};

interface CellView {
  readonly column: number;
  readonly property: Property;
  readonly shown: ShownCell;
  readonly line: TrayLine | null;
  readonly closed: string | null;
  readonly mark: string | null;
  readonly title: string;
  readonly num: boolean;
  /** Whether the only problem is staleness, and whether a required value is missing. */
  readonly stale: boolean;
  readonly missing: boolean;
}
interface LineView {
  readonly index: number;
  readonly item: GridItem;
  readonly row: GridRow | null;
  readonly group: GroupRow | null;
  readonly frozen: readonly CellView[];
  readonly cells: readonly CellView[];
}

/** Tooltip of a cell. */
function titleOf(shown: ShownCell, line: TrayLine | null, closed: string | null, mark: string | null): string {
  return [
    mark ? `not taken: ${mark}` : '',
    shown.kind === 'value' || shown.kind === 'unreadable' || shown.kind === 'stale' ? shown.text : '',
    shown.violations.map((violation) => violation.message).join('; '),
    line ? `pending, now ${line.current?.text ?? 'blank'}` : '',
    shown.kind === 'not-reached' ? '' : closed,
  ]
    .filter(Boolean)
    .join(' · ');
}

/** The values grid: virtual rows and columns, ranges, keyboard editing. */
@Component({
  selector: 'rule-values-grid',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [Count, NgTemplateOutlet],
  template: `
    <div
      #frame
      class="frame card"
      role="grid"
      tabindex="0"
      aria-label="Files and their values"
      aria-multiselectable="true"
      [attr.aria-rowcount]="rows().length + 1"
      [attr.aria-colcount]="columns().length + 1"
      [attr.aria-activedescendant]="'cell-' + at().row + '-' + at().column"
      (scroll)="scrolled()"
      (keydown)="key($event)"
      (copy)="copy($event)"
      (cut)="cut($event)"
      (paste)="paste($event)"
    >
      <div [style.width.px]="width()" [style.height.px]="head + rows().length * rowHeight">
        <div class="line header" role="row" aria-rowindex="1" [style.width.px]="width()">
          <div role="columnheader" class="file" [style.width.px]="fileWidth" [attr.aria-sort]="ariaSort('file')">
            <button type="button" class="name" tabindex="-1" (click)="sort.emit('file')">File{{ arrow('file') }}</button>
          </div>
          @for (column of shownColumns(); track column.property.id) {
            @if (column.gap) {
              <span class="gap" role="presentation" [style.width.px]="column.gap"></span>
            }
            <div
              role="columnheader"
              [attr.aria-colindex]="column.index + 1"
              [class.num]="isNumber(column.property)"
              [class.frozen]="column.left !== null"
              [style.left.px]="column.left"
              [style.width.px]="column.width"
              [title]="column.property.writtenName + (column.property.help ? ': ' + column.property.help : '')"
              [attr.aria-sort]="ariaSort('' + column.property.id)"
            >
              <button type="button" class="name" tabindex="-1" (click)="sort.emit('' + column.property.id)">
                {{ column.property.caption }}{{ column.property.unit ? ', ' + column.property.unit : '' }}{{ arrow('' + column.property.id) }}
              </button>
              <button
                type="button"
                class="funnel"
                tabindex="-1"
                [class.on]="filtered().has(column.property.id)"
                [attr.aria-label]="'filter by ' + column.property.caption"
                (click)="filter.emit(column.property)"
              >
                ▾
              </button>
              <span class="grip" role="presentation" (pointerdown)="resize($event, column.property, column.width)"></span>
            </div>
          }
        </div>
        <div role="rowgroup" [style.padding-top.px]="window().from * rowHeight">
          @for (line of lines(); track $index) {
            @if (line.group; as group) {
              <div class="line group" role="row" [attr.aria-rowindex]="line.index + 2" [style.width.px]="width()">
                <div class="cell file heading" role="rowheader" [id]="'cell-' + line.index + '-0'" [class.at]="at().row === line.index">
                  <button type="button" class="plain" tabindex="-1" [attr.aria-expanded]="group.open" (click)="toggled.emit(group.group)">
                    {{ group.open ? '▾' : '▸' }} {{ groupText()(group.group) }}
                  </button>
                  <span class="soft">{{ group.files | count: 'file' }}</span>
                </div>
              </div>
            } @else if (line.row) {
              <div class="line" role="row" [attr.aria-rowindex]="line.index + 2" [style.width.px]="width()">
                <div
                  class="cell file"
                  role="rowheader"
                  [id]="'cell-' + line.index + '-0'"
                  [style.width.px]="fileWidth"
                  [class.at]="at().row === line.index && at().column === 0"
                  [class.in]="within(line.index, 0)"
                  [title]="line.row.holder ? line.row.file.path + ' · ' + line.row.holder.label : line.row.file.path"
                  (pointerdown)="press($event, line.index, 0)"
                >
                  {{ line.row.file.name }}
                  @if (line.row.holder; as holder) {
                    <span class="inner">· {{ holder.label }}</span>
                  }
                  @if (line.row.file.problem) {
                    <span class="mark bad" [title]="line.row.file.problem">unread</span>
                  } @else if (line.row.file.lock) {
                    <span class="mark" [title]="'The file ' + lockWords(line.row.file)">locked</span>
                  }
                </div>
                @for (cell of line.frozen; track cell.property.id) {
                  <ng-container *ngTemplateOutlet="cellTemplate; context: { line, cell, frozen: true }" />
                }
                @if (gap()) {
                  <span class="gap" role="presentation" [style.width.px]="gap()"></span>
                }
                @for (cell of line.cells; track $index) {
                  <ng-container *ngTemplateOutlet="cellTemplate; context: { line, cell, frozen: false }" />
                }
              </div>
            } @else {
              <div class="line" role="row" [attr.aria-rowindex]="line.index + 2" [style.width.px]="width()">
                <div class="cell file" role="rowheader" [id]="'cell-' + line.index + '-0'" [style.width.px]="fileWidth"><span class="skeleton"></span></div>
              </div>
            }
          }
        </div>
      </div>
    </div>
    <ng-template #cellTemplate let-line="line" let-cell="cell" let-frozen="frozen">
      <div
        class="cell"
        role="gridcell"
        [id]="'cell-' + line.index + '-' + cell.column"
        [attr.aria-colindex]="cell.column + 1"
        [attr.aria-readonly]="!mayEdit() || cell.shown.kind === 'not-reached' || cell.closed !== null || null"
        [attr.aria-selected]="within(line.index, cell.column)"
        [style.width.px]="widths()[cell.column]"
        [style.left.px]="frozen ? lefts()[cell.column] : null"
        [class.frozen]="frozen"
        [class.num]="cell.num"
        [class.at]="at().row === line.index && at().column === cell.column"
        [class.in]="within(line.index, cell.column)"
        [class.out]="cell.shown.kind === 'not-reached'"
        [class.taken]="cell.closed !== null"
        [class.violating]="cell.shown.violations.length && !cell.stale"
        [class.stale]="cell.stale"
        [class.pending]="cell.line"
        [class.marked]="cell.mark"
        [title]="cell.title"
        (pointerdown)="press($event, line.index, cell.column)"
        (pointerenter)="drag($event, line.index, cell.column)"
        (dblclick)="edit(null)"
      >
        @if (editing() !== null && at().row === line.index && at().column === cell.column) {
          <input
            class="editor"
            autocomplete="off"
            [attr.role]="choices() ? 'combobox' : null"
            [attr.aria-expanded]="choices() ? offered().length > 0 : null"
            [attr.aria-controls]="choices() ? 'grid-choices' : null"
            [attr.aria-activedescendant]="choices() && pick() >= 0 ? 'grid-choice-' + pick() : null"
            [attr.aria-label]="cell.property.caption"
            [attr.aria-invalid]="choices() ? complained() : !!editError()"
            [value]="editing()"
            [placeholder]="cell.property.placeholder"
            (input)="typed($event)"
            (keydown)="editorKey($event)"
            (blur)="leave()"
          />
          @if (offered().length) {
            <ul id="grid-choices" class="choices" role="listbox" [class.above]="above()" [attr.aria-label]="'Choices for ' + cell.property.caption">
              @for (choice of offered(); track choice; let i = $index) {
                <li role="option" [id]="'grid-choice-' + i" [class.on]="i === pick()" [attr.aria-selected]="i === pick()" (pointerdown)="takeChoice(i, $event)">
                  {{ choice || '(blank)' }}
                </li>
              }
            </ul>
          }
          @if (offered().length && !complained() ? null : editError(); as text) {
            <span class="says" [class.above]="offered().length && !above()" role="alert">{{ text }}</span>
          }
        } @else {
          @switch (cell.shown.kind) {
            @case ('placeholder') {
              @if (cell.shown.text) {
                <span class="placeholder">{{ cell.shown.text }}</span>
              }
            }
            @case ('stale') {
              <span class="wanted">{{ cell.shown.text }}</span><span class="mark warn">not written</span>
            }
            @case ('stand-in') {
              <span class="stand-in">{{ cell.shown.text }}</span><span class="mark warn">stand-in</span>
            }
            @default {
              {{ cell.shown.text }}
            }
          }
          @if (cell.mark) {
            <span class="bang" aria-hidden="true">✕</span><span class="visually-hidden">{{ cell.mark }}</span>
          } @else if (cell.stale) {
            @if (cell.shown.kind !== 'stale') {
              <span class="mark warn">stale</span>
            }
            <span class="visually-hidden">{{ cell.shown.violations[0]!.message }}</span>
          } @else if (cell.missing) {
            <span class="mark bad">required</span>
          } @else if (cell.shown.violations.length && cell.shown.kind !== 'stand-in') {
            <span class="bang" aria-hidden="true">!</span><span class="visually-hidden">{{ cell.shown.violations[0]!.message }}</span>
          }
        }
      </div>
    </ng-template>
  `,
  styles: `
    :host {
      display: block;
      height: 100%;
      min-height: 0;
    }
    .frame {
      height: 100%;
      overflow: auto;
      contain: strict;
      user-select: none;
    }
    .line {
      display: flex;
      height: 30px;
    }
    .line > * {
      flex: none;
    }
    .header {
      position: sticky;
      top: 0;
      z-index: 4;
      background: var(--panel);
      border-bottom: 1px solid var(--ink);
    }
    .header > div {
      display: flex;
      align-items: stretch;
      position: relative;
      background: var(--panel);
    }
    .header .name {
      flex: 1;
      min-width: 0;
      border: 0;
      background: none;
      padding: 0 0 0 8px;
      font:
        600 12px 'Barlow Semi Condensed',
        sans-serif;
      color: var(--soft);
      text-align: left;
      white-space: nowrap;
      overflow: hidden;
      text-overflow: ellipsis;
      cursor: pointer;
    }
    .header .num .name {
      text-align: right;
    }
    .funnel {
      border: 0;
      background: none;
      padding: 0 6px 0 2px;
      color: var(--faint);
      font-size: 10px;
      cursor: pointer;
    }
    .funnel.on {
      color: var(--vermilion);
      font-size: 13px;
    }
    .grip {
      position: absolute;
      right: -3px;
      top: 4px;
      bottom: 4px;
      width: 7px;
      cursor: col-resize;
      z-index: 1;
    }
    .file,
    .frozen {
      position: sticky;
      left: 0;
      z-index: 2;
      background: var(--panel);
    }
    .header > .file,
    .header > .frozen {
      position: sticky;
    }
    .inner {
      color: var(--soft);
      white-space: pre;
    }
    .file {
      border-right: 1px solid var(--line);
    }
    .cell {
      position: relative;
      padding: 0 8px;
      line-height: 29px;
      border-bottom: 1px solid var(--row);
      border-right: 1px solid var(--row);
      overflow: hidden;
      text-overflow: ellipsis;
      white-space: nowrap;
      cursor: default;
    }
    .cell.file,
    .cell.frozen {
      position: sticky;
    }
    .group {
      background: var(--side);
      border-bottom: 1px solid var(--line);
    }
    .heading {
      background: none;
      border: 0;
      font-weight: 600;
      display: flex;
      gap: 10px;
      align-items: center;
    }
    .heading .soft {
      font-weight: 400;
    }
    .num {
      text-align: right;
    }
    .out {
      background: color-mix(in srgb, var(--vellum) 70%, var(--panel));
    }
    .taken {
      color: var(--soft);
      font-style: italic;
    }
    .violating {
      background: var(--vermilion-tint);
      box-shadow: inset 0 -2px var(--vermilion);
    }
    .stale {
      background: var(--brass-tint);
      box-shadow: inset 0 -2px var(--ochre);
    }
    .wanted {
      color: var(--soft);
      font-style: italic;
    }
    .pending {
      background: var(--brass-tint);
    }
    .in {
      background: color-mix(in srgb, var(--verdigris-tint) 80%, var(--panel));
    }
    .marked {
      outline: 2px dashed var(--vermilion);
      outline-offset: -2px;
    }
    .at {
      outline: 2px solid var(--ink);
      outline-offset: -2px;
      overflow: visible;
      z-index: 1;
    }
    .file.at,
    .frozen.at {
      z-index: 3;
    }
    .stand-in {
      white-space: pre;
      color: var(--ochre);
    }
    .mark {
      font:
        500 11px 'Barlow Semi Condensed',
        sans-serif;
      color: var(--soft);
      margin-left: 6px;
    }
    .mark.bad {
      color: var(--vermilion);
    }
    .mark.warn {
      color: var(--ochre);
    }
    .bang {
      color: var(--vermilion);
      font-weight: 600;
      margin-left: 3px;
    }
    .editor {
      position: absolute;
      inset: 0;
      width: 100%;
      border: 0;
      padding: 0 7px;
      background: var(--panel);
      color: var(--ink);
      outline: 2px solid var(--verdigris);
      outline-offset: -2px;
    }
    .choices {
      position: absolute;
      left: -1px;
      top: 29px;
      z-index: 5;
      min-width: calc(100% + 2px);
      max-height: 210px;
      overflow: auto;
      margin: 0;
      padding: 3px 0;
      list-style: none;
      background: var(--panel);
      border: 1px solid var(--verdigris);
      box-shadow: var(--shadow);
      line-height: 26px;
    }
    .choices.above {
      top: auto;
      bottom: 29px;
    }
    .choices li {
      padding: 0 10px;
      cursor: pointer;
    }
    .choices li.on,
    .choices li:hover {
      background: var(--brass-tint);
    }
    .says {
      position: absolute;
      left: 0;
      top: 30px;
      z-index: 5;
      max-width: 320px;
      white-space: normal;
      line-height: 1.3;
      text-align: left;
      background: var(--vermilion-tint);
      border-left: 3px solid var(--vermilion);
      padding: 4px 8px;
      box-shadow: var(--shadow);
    }
    .says.above {
      top: auto;
      bottom: 30px;
    }
  `,
})
export class ValuesGrid {
  protected readonly lockWords = lockWords;
  readonly rows = input.required<readonly GridItem[]>();
  readonly columns = input.required<readonly Property[]>();
  readonly standIns = input.required<StandIns>();
  readonly pending = input.required<ReadonlyMap<string, TrayLine>>();
  readonly mayEdit = input(false);
  readonly role = input<Change['role']>('editor');
  readonly sorted = input('file');
  readonly descending = input(false);
  /** Frozen columns beside the file. */
  readonly frozen = input(0);
  readonly ownWidths = input<Readonly<Record<number, number>>>({});
  /** Properties with a column filter. */
  readonly filtered = input<ReadonlySet<number>>(new Set());
  /** Faults of a refused block, by file and property. */
  readonly marks = input<ReadonlyMap<string, string>>(new Map());
  readonly groupText = input<(group: string) => string>((group) => group || '(blank)');
  /** Requests missing rows. */
  readonly bring = input<(from: number, to: number) => Promise<void>>(() => Promise.resolve());
  readonly sort = output<string>();
  readonly filter = output<Property>();
  readonly toggled = output<string>();
  readonly need = output<{ from: number; to: number }>();
  readonly propose = output<GridEdit[]>();
  readonly refused = output<Refused>();
  readonly undo = output();
  readonly redo = output();
  readonly find = output();
  readonly resized = output<{ property: number; width: number }>();
  readonly chosen = output<ChosenCell | null>();

  protected readonly rowHeight = ROW;
  protected readonly head = HEAD;
  protected readonly fileWidth = FILE_WIDTH;
  protected readonly at = signal({ row: 0, column: 0 });
  /** The opposite corner of the selection. */
  private readonly anchor = signal({ row: 0, column: 0 });
  readonly range = computed((): CellRange => {
    const [at, anchor] = [this.at(), this.anchor()];
    return {
      top: Math.min(at.row, anchor.row),
      bottom: Math.max(at.row, anchor.row),
      left: Math.min(at.column, anchor.column),
      right: Math.max(at.column, anchor.column),
    };
  });
  /** Editor text; `null` when closed. */
  protected readonly editing = signal<string | null>(null);
  /** Whether something was typed; then choices are filtered. */
  private readonly hasTyped = signal(false);
  /** Whether an invalid choice was submitted. */
  protected readonly complained = signal(false);
  /** The highlighted choice. */
  private readonly onChoice = signal<number | null>(null);
  /** All choices of the edited property; `null` for free text. */
  protected readonly choices = computed(() => {
    const property = this.editing() === null ? null : this.propertyAt();
    return property && this.options(property);
  });
  protected readonly offered = computed((): readonly string[] => {
    const [all, text] = [this.choices() ?? [], (this.editing() ?? '').toLowerCase()];
    if (!this.hasTyped() || text === '') return all;
    const begins = all.filter((choice) => choice.toLowerCase().startsWith(text));
    return [...begins, ...all.filter((choice) => !begins.includes(choice) && choice.toLowerCase().includes(text))];
  });
  /** The choice Enter takes: highlighted, matching, or current; -1 for none. */
  protected readonly pick = computed(() => {
    const [chosen, offered, text] = [this.onChoice(), this.offered(), this.editing() ?? ''];
    if (chosen !== null) return Math.min(chosen, offered.length - 1);
    if (!this.hasTyped() || text === '') return offered.indexOf(text);
    return offered[0]?.toLowerCase().startsWith(text.toLowerCase()) ? 0 : -1;
  });
  /** Whether choices open upwards, in the lower half of the viewport. */
  protected readonly above = computed(() => {
    const { row } = this.at();
    const frame = this.editing() === null ? null : this.frame().nativeElement;
    return frame !== null && HEAD + (row + 0.5) * ROW - frame.scrollTop > frame.clientHeight / 2;
  });
  private readonly frame = viewChild.required<ElementRef<HTMLElement>>('frame');
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef);
  private readonly sight = signal({ top: 0, left: 0, height: 600, width: 1000 });
  private dragging = false;
  private ticking = false;

  protected readonly widths = computed(() => [FILE_WIDTH, ...this.columns().map((property) => this.ownWidths()[property.id] ?? widthOf(property))]);
  /** Column offsets. */
  protected readonly lefts = computed(() => {
    let left = 0;
    return this.widths().map((width) => {
      const own = left;
      left += width;
      return own;
    });
  });
  protected readonly width = computed(() => this.widths().reduce((sum, width) => sum + width, 0));
  private readonly frozenCount = computed(() => Math.min(this.frozen(), this.columns().length));
  /** Rendered rows. */
  protected readonly window = computed(
    () => {
      const { top, height } = this.sight();
      const count = this.rows().length;
      // Rendered in steps, so slow scrolling rarely re-renders.
      const step = (row: number) => Math.floor(row / ROWS_BEYOND) * ROWS_BEYOND;
      const from = Math.max(0, Math.min(count, step(top / ROW) - ROWS_BEYOND));
      return { from, to: Math.min(count, step((top + height) / ROW) + 2 * ROWS_BEYOND) };
    },
    { equal: (a, b) => a.from === b.from && a.to === b.to },
  );
  private drawnColumns: { readonly from: number; readonly to: number; readonly widths: readonly number[]; readonly first: number } | null = null;
  /** Rendered columns besides frozen ones, inclusive; 1 is the first property. */
  private readonly columnWindow = computed(
    () => {
      const { left, width } = this.sight();
      const [lefts, widths] = [this.lefts(), this.widths()];
      const first = this.frozenCount() + 1;
      const reach = (beyond: number) => {
        let from = first;
        while (from < widths.length - 1 && lefts[from]! + widths[from]! < left - beyond) from++;
        let to = from;
        while (to < widths.length - 1 && lefts[to + 1]! < left + width + beyond) to++;
        return { from, to: Math.min(to, widths.length - 1) };
      };
      // Keeps the rendered range as long as it covers the viewport.
      const needed = reach(20);
      const last = this.drawnColumns;
      if (last?.widths === widths && last.first === first && last.from <= needed.from && last.to >= needed.to) return last;
      this.drawnColumns = { ...reach(WIDTH_BEYOND), widths, first };
      return this.drawnColumns;
    },
    { equal: (a, b) => a.from === b.from && a.to === b.to },
  );
  /** Width of skipped columns after frozen ones, in pixels. */
  protected readonly gap = computed(() => {
    const { from } = this.columnWindow();
    const first = this.frozenCount() + 1;
    return from > first ? this.lefts()[from]! - this.lefts()[first]! : 0;
  });
  private readonly columnIndexes = computed(() => {
    const { from, to } = this.columnWindow();
    const frozen = Array.from({ length: this.frozenCount() }, (_, i) => i + 1);
    return { frozen, cells: from <= to ? Array.from({ length: to - from + 1 }, (_, i) => from + i) : [] };
  });
  protected readonly shownColumns = computed(() => {
    const { frozen, cells } = this.columnIndexes();
    const view = (index: number, left: number | null, gap: number) => ({
      index,
      property: this.columns()[index - 1]!,
      left,
      gap,
      width: this.widths()[index]!,
    });
    return [...frozen.map((index) => view(index, this.lefts()[index]!, 0)), ...cells.map((index, i) => view(index, null, i === 0 ? this.gap() : 0))];
  });
  private readonly shownCells = new WeakMap<GridRow, Map<Property, { readonly line: TrayLine | null; readonly shown: ShownCell }>>();
  protected readonly lines = computed((): LineView[] => {
    const { from, to } = this.window();
    const { frozen, cells } = this.columnIndexes();
    this.pending();
    return this.rows()
      .slice(from, to)
      .map((item, i) => {
        const row = item !== null && !isGroup(item) ? item : null;
        const view = (column: number): CellView => this.cellAt(row!, column);
        return {
          index: from + i,
          item,
          row,
          group: item !== null && isGroup(item) ? item : null,
          frozen: row ? frozen.map(view) : [],
          cells: row ? cells.map(view) : [],
        };
      });
  });
  protected readonly editError = computed(() => {
    const [text, property, row] = [this.editing(), this.propertyAt(), this.rowAt()];
    if (text === null || !property || !row) return null;
    const check = checkProposed(text, forClass(property, row.file.class), this.standIns());
    return check.ok || text === this.textOf(row, property) ? null : check.violations.map((violation) => violation.message).join('; ');
  });

  constructor() {
    afterNextRender(() => {
      this.measure();
      if (typeof ResizeObserver === 'undefined') return;
      const observer = new ResizeObserver(() => this.measure());
      observer.observe(this.frame().nativeElement);
      this.destroyed.onDestroy(() => observer.disconnect());
    });
    const release = () => (this.dragging = false);
    document.addEventListener('pointerup', release);
    this.destroyed.onDestroy(() => document.removeEventListener('pointerup', release));
    effect(() => {
      const { from, to } = this.window();
      untracked(() => this.need.emit({ from, to }));
    });
  }
  private readonly destroyed = inject(DestroyRef);

  private measure(): void {
    const { scrollTop, scrollLeft, clientHeight, clientWidth } = this.frame().nativeElement;
    this.sight.set({ top: scrollTop, left: scrollLeft, height: clientHeight || 600, width: clientWidth || 1000 });
  }

  protected scrolled(): void {
    if (this.ticking) return;
    this.ticking = true;
    requestAnimationFrame(() => {
      this.ticking = false;
      this.measure();
    });
  }

  protected isNumber(property: Property): boolean {
    return property.type === 'number' || property.type === 'whole';
  }
  protected arrow(column: string): string {
    return this.sorted() === column ? (this.descending() ? ' ↓' : ' ↑') : '';
  }
  protected ariaSort(column: string): string | null {
    return this.sorted() === column ? (this.descending() ? 'descending' : 'ascending') : null;
  }

  private cellAt(row: GridRow, column: number): CellView {
    const property = this.columns()[column - 1]!;
    const line = this.pendingOf(row, property);
    const known = this.shownCells.get(row) ?? new Map<Property, { line: TrayLine | null; shown: ShownCell }>();
    this.shownCells.set(row, known);
    let entry = known.get(property);
    if (entry?.line !== line) {
      entry = { line, shown: this.show(row, property) };
      known.set(property, entry);
    }
    const closed = this.closedBy(row, property);
    const mark = this.marks().get(cellKey(row.file.id, holderOf(row, property), property.id)) ?? null;
    const { violations } = entry.shown;
    return {
      column,
      property,
      shown: entry.shown,
      line,
      closed,
      mark,
      title: titleOf(entry.shown, line, closed, mark),
      num: this.isNumber(property),
      stale: violations.length > 0 && violations.every((violation) => violation.code === 'stale'),
      missing: violations.some((violation) => violation.code === 'required'),
    };
  }

  private pendingOf(row: GridRow, property: Property): TrayLine | null {
    return this.pending().get(lineKey(addressOf(row, property))) ?? null;
  }
  private heldOf(row: GridRow, property: Property): HeldValue | null {
    const line = this.pendingOf(row, property);
    return line ? line.proposed : (row.held[property.id] ?? null);
  }
  private show(row: GridRow, property: Property): ShownCell {
    if (!has(row, property)) return { kind: 'not-reached', text: '', violations: [] };
    const own = forClass(property, row.file.class);
    const shown = showCell(this.heldOf(row, property), own, this.standIns());
    if (this.pendingOf(row, property)) return shown;
    // The server's findings consider context; new entries are checked locally.
    const findings = row.findings.filter((finding) => finding.property === property.id);
    const stale = findings.find((finding) => finding.code === 'stale');
    const violations = findings.map(({ code, message }) => ({ code, message }));
    return stale?.wanted && shown.kind === 'placeholder'
      ? { ...showCell(stale.wanted, own, this.standIns()), kind: 'stale', violations }
      : { ...shown, violations };
  }

  /** Why the user may not type here. */
  private closedBy(row: GridRow, property: Property): string | null {
    const { kind, class: className, state } = row.file;
    return whyNotChanged(property, { role: this.role(), kind, className, state: state ?? null });
  }

  protected options(property: Property): readonly string[] | null {
    if (property.type === 'choice' && !property.open) return property.required ? property.choices : ['', ...property.choices];
    const words = property.words ?? ['yes', 'no'];
    if (property.type === 'yesno') return property.required ? words : ['', ...words];
    return null;
  }

  private rowOf(index: number): GridRow | null {
    const item = this.rows()[index] ?? null;
    return item !== null && !isGroup(item) ? item : null;
  }
  private rowAt(): GridRow | null {
    return this.rowOf(this.at().row);
  }
  private propertyAt(): Property | null {
    return this.columns()[this.at().column - 1] ?? null;
  }
  /** A cell's text for editing and copying. */
  private textOf(row: GridRow | null, property: Property | null): string {
    if (!row) return '';
    if (!property) return row.holder ? `${row.file.path} · ${row.holder.label}` : row.file.path;
    if (!has(row, property)) return '';
    const cell = judge(this.heldOf(row, property), property, this.standIns());
    return cell.state === 'value' ? editText(cell.value, property) : cell.state === 'blank' ? '' : cell.text;
  }

  protected within(row: number, column: number): boolean {
    const { top, bottom, left, right } = this.range();
    return row >= top && row <= bottom && column >= left && column <= right && (top !== bottom || left !== right);
  }

  protected press(event: PointerEvent, row: number, column: number): void {
    if (event.button !== 0 || (event.target as HTMLElement).closest('.editor')) return;
    this.dragging = true;
    this.choose(row, column, event.shiftKey);
  }
  protected drag(event: PointerEvent, row: number, column: number): void {
    if (this.dragging && event.buttons === 1) this.choose(row, column, true);
  }

  /** Selects a cell; `extend` grows the range. */
  choose(row: number, column: number, extend = false): void {
    if (this.editing() !== null && (row !== this.at().row || column !== this.at().column)) this.commit();
    this.at.set({ row, column });
    if (!extend) this.anchor.set({ row, column });
    const [chosenRow, property] = [this.rowAt(), this.propertyAt()];
    this.chosen.emit(
      chosenRow && {
        row: chosenRow,
        property,
        held: property ? this.heldOf(chosenRow, property) : null,
        shown: property ? this.show(chosenRow, property) : null,
        pending: property ? this.pendingOf(chosenRow, property) : null,
      },
    );
  }

  private move(rows: number, columns: number, extend = false): void {
    const row = Math.max(0, Math.min(this.rows().length - 1, this.at().row + rows));
    const column = Math.max(0, Math.min(this.columns().length, this.at().column + columns));
    this.choose(row, column, extend);
    const frame = this.frame().nativeElement;
    const top = row * ROW;
    const visible = frame.clientHeight - HEAD;
    if (top < frame.scrollTop) frame.scrollTop = top;
    else if (top + ROW > frame.scrollTop + visible) frame.scrollTop = top + ROW - visible;
    const fixed = this.frozenCount();
    if (column > fixed) {
      const start = this.lefts()[fixed + 1]!;
      const left = this.lefts()[column]! - start;
      const room = frame.clientWidth - start;
      if (left < frame.scrollLeft) frame.scrollLeft = left;
      else if (left + this.widths()[column]! > frame.scrollLeft + room) frame.scrollLeft = left + this.widths()[column]! - room;
    }
  }

  /** Why a cell is not writable. */
  private barred(row: GridRow, property: Property): string | null {
    if (!has(row, property)) return `does not apply to this ${row.holder?.level ?? row.file.kind}`;
    if (row.file.problem !== null) return 'the file could not be read';
    return this.closedBy(row, property) ?? (row.file.lock === null ? null : `the file ${lockWords(row.file)}`);
  }
  private editable(): boolean {
    const [row, property] = [this.rowAt(), this.propertyAt()];
    return this.mayEdit() && row !== null && property !== null && this.barred(row, property) === null;
  }

  /** Opens the editor with the cell's text or the typed key. */
  protected edit(text: string | null): void {
    if (!this.editable()) return;
    this.anchor.set(this.at());
    this.hasTyped.set(text !== null);
    this.complained.set(false);
    this.onChoice.set(null);
    this.editing.set(text ?? this.textOf(this.rowAt(), this.propertyAt()));
    setTimeout(() => {
      const editor = this.editor();
      if (!editor) return;
      // Keys buffered before the editor existed come first.
      if (text !== null) editor.value = this.editing() ?? '';
      editor.focus();
      if (text === null) editor.select();
      else editor.setSelectionRange(editor.value.length, editor.value.length);
    });
  }

  private editor(): HTMLInputElement | null {
    return this.host.nativeElement.querySelector<HTMLInputElement>('.editor');
  }

  protected typed(event: Event): void {
    this.hasTyped.set(true);
    this.complained.set(false);
    this.onChoice.set(null);
    this.editing.set((event.target as HTMLInputElement).value);
  }

  /** A clicked choice. */
  protected takeChoice(at: number, event: Event): void {
    event.preventDefault();
    event.stopPropagation();
    this.onChoice.set(at);
    if (this.commit(true)) this.frame().nativeElement.focus();
  }

  /** The editor's result: the picked choice, or on leaving only an unambiguous one. */
  private editedText(byKey: boolean): string {
    const text = this.editing()!;
    const choices = this.choices();
    if (!choices) return text;
    if (byKey || this.onChoice() !== null) return this.offered()[this.pick()] ?? text;
    return choices.find((choice) => choice.toLowerCase() === text.toLowerCase()) ?? text;
  }

  /**
   * Commits the editor.
   * @returns whether the value is valid; otherwise it stays open
   */
  private commit(byKey = false): boolean {
    const [row, property] = [this.rowAt(), this.propertyAt()];
    if (this.editing() === null || !row || !property) return true;
    const text = this.editedText(byKey);
    this.editing.set(text);
    if (this.editError()) {
      this.complained.set(true);
      return false;
    }
    this.editing.set(null);
    if (text !== this.textOf(row, property)) this.propose.emit([this.edited(row, property, text)]);
    return true;
  }

  private edited(row: GridRow, property: Property, text: string): GridEdit {
    const holder = holderOf(row, property);
    return { file: row.file.id, ...(holder === '' ? {} : { holder }), property: property.id, text };
  }

  protected leave(): void {
    if (this.editing() === null) return;
    // Invalid values are dropped when the cell is left.
    if (!this.commit()) this.editing.set(null);
  }

  protected editorKey(event: KeyboardEvent): void {
    event.stopPropagation();
    const step = { Enter: [event.shiftKey ? -1 : 1, 0], Tab: [0, event.shiftKey ? -1 : 1] }[event.key];
    if (step) {
      event.preventDefault();
      if (!this.commit(true)) return;
      this.frame().nativeElement.focus();
      this.move(step[0]!, step[1]!);
    } else if ((event.key === 'ArrowDown' || event.key === 'ArrowUp') && this.offered().length) {
      event.preventDefault();
      this.onChoice.set(Math.max(0, Math.min(this.offered().length - 1, this.pick() + (event.key === 'ArrowDown' ? 1 : -1))));
      setTimeout(() => this.host.nativeElement.querySelector('.choices .on')?.scrollIntoView({ block: 'nearest' }));
    } else if (event.key === 'Escape') {
      event.preventDefault();
      this.editing.set(null);
      this.frame().nativeElement.focus();
    }
  }

  protected key(event: KeyboardEvent): void {
    if (this.editing() !== null) {
      this.keyBeforeEditor(event);
      return;
    }
    const page = Math.max(1, Math.floor(this.frame().nativeElement.clientHeight / ROW) - 2);
    const far = event.ctrlKey ? Infinity : 1;
    const steps: Readonly<Record<string, readonly [number, number]>> = {
      ArrowDown: [far, 0],
      ArrowUp: [-far, 0],
      ArrowRight: [0, far],
      ArrowLeft: [0, -far],
      PageDown: [page, 0],
      PageUp: [-page, 0],
      Home: event.ctrlKey ? [-Infinity, -Infinity] : [0, -Infinity],
      End: event.ctrlKey ? [Infinity, Infinity] : [0, Infinity],
    };
    const step = event.altKey ? undefined : steps[event.key];
    const command = event.ctrlKey || event.metaKey;
    const letter = event.key.toLowerCase();
    if (step) this.move(...step, event.shiftKey);
    else if (event.key === 'Enter' && !command) {
      const item = this.rows()[this.at().row] ?? null;
      if (isGroup(item)) this.toggled.emit(item.group);
      else this.edit(null);
    } else if (event.key === 'F2') this.edit(null);
    else if (event.key === 'Delete') void this.clear();
    else if (event.key === ' ' && event.shiftKey) this.spread('row');
    else if (event.key === ' ' && command) this.spread('column');
    else if (event.key === ' ' && event.altKey && this.propertyAt()) this.filter.emit(this.propertyAt()!);
    else if (command && letter === 'a') this.spread('all');
    else if (command && letter === 'd') void (event.altKey ? this.fillSeries() : this.fillDown());
    else if (command && letter === 'h') this.find.emit();
    else if (command && (letter === 'y' || (letter === 'z' && event.shiftKey))) this.redo.emit();
    else if (command && letter === 'z') this.undo.emit();
    else if (event.key.length === 1 && !command && !event.altKey && event.key !== '?' && this.editable()) this.edit(event.key);
    else return;
    event.preventDefault();
  }

  /** Buffers keys until the editor has focus. */
  private keyBeforeEditor(event: KeyboardEvent): void {
    if (event.key.length === 1 && !event.ctrlKey && !event.metaKey && !event.altKey) {
      this.hasTyped.set(true);
      this.editing.update((text) => `${text ?? ''}${event.key}`);
      event.preventDefault();
    } else this.editorKey(event);
  }

  /** Extends the range to rows, columns or everything. */
  private spread(what: 'row' | 'column' | 'all'): void {
    const { row, column } = this.at();
    const [last, right] = [this.rows().length - 1, this.columns().length];
    if (what === 'row') {
      this.at.set({ row, column: Math.min(1, right) });
      this.anchor.set({ row, column: right });
    } else if (what === 'column') {
      this.at.set({ row: 0, column });
      this.anchor.set({ row: last, column });
    } else {
      this.at.set({ row: 0, column: Math.min(1, right) });
      this.anchor.set({ row: last, column: right });
    }
  }

  /** Rows of a range, loaded first. Group headings are skipped. */
  private async rowsIn(from: number, to: number): Promise<{ readonly index: number; readonly row: GridRow }[]> {
    if (
      this.rows()
        .slice(from, to + 1)
        .includes(null)
    )
      await this.bring()(from, to);
    return Array.from({ length: to - from + 1 }, (_, i) => from + i).flatMap((index) => {
      const row = this.rowOf(index);
      return row ? [{ index, row }] : [];
    });
  }

  private copied(): string {
    const { top, bottom, left, right } = this.range();
    const rows = Array.from({ length: bottom - top + 1 }, (_, i) => this.rowOf(top + i)).filter((row): row is GridRow => row !== null);
    return writeBlock(rows.map((row) => Array.from({ length: right - left + 1 }, (_, i) => this.textOf(row, this.columns()[left + i - 1] ?? null))));
  }
  protected copy(event: ClipboardEvent): void {
    if (this.editing() !== null) return;
    const { top, bottom } = this.range();
    if (
      this.rows()
        .slice(top, bottom + 1)
        .includes(null)
    ) {
      this.refused.emit({ message: 'Some rows are still loading. Copy again in a moment.', cells: [] });
      void this.bring()(top, bottom);
      return;
    }
    event.clipboardData?.setData('text/plain', this.copied());
    event.preventDefault();
  }
  protected cut(event: ClipboardEvent): void {
    this.copy(event);
    if (event.defaultPrevented && this.mayEdit()) void this.clear();
  }

  protected paste(event: ClipboardEvent): void {
    if (this.editing() !== null || !this.mayEdit()) return;
    event.preventDefault();
    const { top, left, bottom, right } = this.range();
    if (left === 0) {
      this.refused.emit({ message: 'Select a value cell first.', cells: [] });
      return;
    }
    void this.take(layBlock(readBlock(event.clipboardData?.getData('text/plain') ?? ''), bottom - top + 1, right - left + 1), top, left);
  }

  /** Pastes a block: all, or nothing if any text is refused. */
  private async take(block: readonly (readonly string[])[], top: number, left: number): Promise<void> {
    const width = Math.max(...block.map((row) => row.length));
    if (block.length * width > MOST_CELLS)
      return this.refused.emit({ message: `A block may have ${MOST_CELLS} cells; this one has ${block.length * width}.`, cells: [] });
    const beyond = left + width - 1 - this.columns().length;
    if (beyond > 0)
      return this.refused.emit({
        message: `The block is ${count(beyond, 'column')} wider than the grid from here on. Nothing was pasted.`,
        cells: [],
      });
    // Pasted rows go to following file rows, skipping headings.
    const targets: GridRow[] = [];
    for (let index = top; targets.length < block.length && index < this.rows().length; index += 200)
      targets.push(...(await this.rowsIn(index, Math.min(index + 199, this.rows().length - 1))).map((entry) => entry.row));
    if (targets.length < block.length)
      return this.refused.emit({
        message: `The block is ${count(block.length - targets.length, 'row')} too long for the grid from here. Nothing was pasted.`,
        cells: [],
      });
    this.write(
      block.flatMap((texts, r) => texts.map((text, c) => ({ row: targets[r]!, property: this.columns()[left + c - 1]!, text }))),
      'Nothing was pasted',
    );
  }

  /** Proposes changed texts, all or none. */
  private write(wanted: readonly { readonly row: GridRow; readonly property: Property; readonly text: string }[], nothing: string): void {
    const edits: GridEdit[] = [];
    const wrong: Refused['cells'][number][] = [];
    for (const { row, property, text } of wanted) {
      if (text === this.textOf(row, property)) continue;
      const barred = this.barred(row, property);
      const check = barred === null ? checkProposed(text, forClass(property, row.file.class), this.standIns()) : null;
      const message = barred ?? (check!.ok ? null : check!.violations.map((violation) => violation.message).join('; '));
      if (message === null) edits.push(this.edited(row, property, text));
      else wrong.push({ file: row.file.id, holder: holderOf(row, property), property: property.id, path: row.file.path, caption: property.caption, message });
    }
    if (wrong.length) this.refused.emit({ message: `${count(wrong.length, 'value')} cannot be written. ${nothing}.`, cells: wrong });
    else if (edits.length) this.propose.emit(edits);
  }

  /** Clears the selection. */
  private async clear(): Promise<void> {
    if (!this.mayEdit()) return;
    const { top, bottom, left, right } = this.range();
    const rows = await this.rowsIn(top, bottom);
    const properties = this.columns().slice(Math.max(0, left - 1), right);
    const cells = rows.flatMap(({ row }) =>
      properties.filter((property) => this.textOf(row, property) !== '').map((property) => ({ row, property, text: '' })),
    );
    if (cells.length > MOST_CELLS) this.refused.emit({ message: `At most ${MOST_CELLS} values can be cleared at once.`, cells: [] });
    else this.write(cells, 'Nothing was blanked');
  }

  /** Files and properties of the selection; no properties for whole rows. */
  selected(): { files: number[]; properties: number[] } {
    const { top, bottom, left, right } = this.range();
    const files = this.rows()
      .slice(top, bottom + 1)
      .flatMap((item) => (item !== null && !isGroup(item) ? [item.file.id] : []));
    const columns = left === 0 ? [] : this.columns().slice(left - 1, right);
    return { files: [...new Set(files)], properties: columns.map((property) => property.id) };
  }

  /** Fills down. */
  async fillDown(): Promise<void> {
    await this.fillBy((given, count) => Array<string>(count).fill(given[0]!), 1);
  }
  /** Continues a series. */
  async fillSeries(): Promise<void> {
    await this.fillBy(continueSeries, null);
  }
  private async fillBy(fill: (given: readonly string[], count: number) => readonly string[], given: number | null): Promise<void> {
    if (!this.mayEdit()) return;
    const { top, bottom, left, right } = this.range();
    if (top === bottom || left === 0)
      return this.refused.emit({ message: 'Select several rows of a column first; the first rows set the pattern.', cells: [] });
    if ((bottom - top + 1) * (right - left + 1) > MOST_CELLS)
      return this.refused.emit({ message: `At most ${MOST_CELLS} values can be filled at once.`, cells: [] });
    const rows = await this.rowsIn(top, bottom);
    this.write(
      this.columns()
        .slice(left - 1, right)
        .flatMap((property) => {
          const texts = rows.map(({ row }) => this.textOf(row, property));
          const firstBlank = texts.findIndex((text) => text === '');
          // A series starts from the filled cells at the top; if all are filled, from the first two.
          const begin = given ?? Math.max(1, firstBlank < 0 ? Math.min(2, texts.length - 1) : firstBlank);
          const rest = fill(texts.slice(0, begin), texts.length - begin);
          return rest.map((text, i) => ({ row: rows[begin + i]!.row, property, text }));
        }),
      'Nothing was filled',
    );
  }

  protected resize(event: PointerEvent, property: Property, width: number): void {
    event.preventDefault();
    event.stopPropagation();
    const start = event.clientX;
    const move = (moved: PointerEvent) =>
      this.resized.emit({ property: property.id, width: Math.max(40, Math.min(1200, Math.round(width + moved.clientX - start))) });
    const end = () => {
      document.removeEventListener('pointermove', move);
      document.removeEventListener('pointerup', end);
    };
    document.addEventListener('pointermove', move);
    document.addEventListener('pointerup', end);
  }
}
