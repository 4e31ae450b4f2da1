import { CdkDrag, CdkDragDrop, CdkDropList } from '@angular/cdk/drag-drop';
import { CdkVirtualScrollViewport, ScrollingModule } from '@angular/cdk/scrolling';
import {
  ChangeDetectionStrategy,
  ChangeDetectorRef,
  Component,
  ElementRef,
  Injector,
  afterNextRender,
  computed,
  effect,
  inject,
  input,
  model,
  output,
  signal,
  viewChild,
} from '@angular/core';
import { BomTable, BomTableRow, BomValue } from '@rule/contract';
import { BOM_FACTS, BomColumn, BomContent, BomFact, columnAt, factColumn, propertyColumn, sameColumn } from '@rule/core/bom';
import { Property } from '@rule/core/schema';
import { MenuItem } from 'primeng/api';
import { AutoComplete } from 'primeng/autocomplete';
import { Menu } from 'primeng/menu';
import { FormsModule } from '@angular/forms';
import { BomLine, keyOf, linesOf, moved, totalText, widthOf } from './bom-lines';

/** A column that can be added. */
interface Addable {
  readonly caption: string;
  readonly column: BomColumn;
}

const ROW = 32;
const PICTURE_ROW = 62;

/** Letters that fit into every column. */
const SHORT = 4;

/** The BOM grid: foldable levels, configurable columns, in-place editing. */
@Component({
  selector: 'rule-bom-grid',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [AutoComplete, CdkDrag, CdkDropList, FormsModule, Menu, ScrollingModule],
  template: `
    <div
      class="card list"
      role="treegrid"
      aria-label="Bill of materials"
      [attr.aria-rowcount]="lines().length + 1"
      [style.--columns]="template()"
      [style.--line]="height() - 1 + 'px'"
    >
      <div class="sheet" [style.min-width.px]="total()">
        <div
          class="row header"
          role="row"
          cdkDropList
          cdkDropListOrientation="horizontal"
          [cdkDropListDisabled]="!arrangeable()"
          (cdkDropListDropped)="dropped($event)"
        >
          @for (column of content().columns; track key(column.of); let i = $index) {
            <span role="columnheader" cdkDrag class="column" [class.num]="isNumber(column)" [attr.aria-sort]="sorted(column)">
              @if (renaming() === i) {
                <input
                  class="heading"
                  [attr.aria-label]="'Heading of ' + table().headers[i]"
                  [placeholder]="table().headers[i] ?? ''"
                  [value]="column.header"
                  (keydown.enter)="rename(i, $any($event.target).value)"
                  (keydown.escape)="renaming.set(null)"
                  (blur)="rename(i, $any($event.target).value)"
                />
              } @else {
                <button
                  type="button"
                  class="plain"
                  [attr.data-column]="i"
                  [attr.aria-haspopup]="arrangeable() ? 'menu' : null"
                  [title]="arrangeable() ? 'Column menu. Alt+arrow moves, Shift+arrow changes the width.' : ''"
                  (click)="openMenu($event, i)"
                  (keydown)="headKey($event, i)"
                >
                  {{ table().headers[i] }}{{ arrow(column) }}{{ column.sum ? ' Σ' : '' }}
                </button>
              }
              @if (arrangeable()) {
                <span class="edge" aria-hidden="true" (pointerdown)="stretch($event, i)"></span>
              }
            </span>
          }
          @if (arrangeable()) {
            <span role="columnheader" class="adder">
              @if (adding() !== null) {
                <p-autocomplete
                  appendTo="body"
                  [suggestions]="suggestions()"
                  optionLabel="caption"
                  [autoHighlight]="true"
                  [completeOnFocus]="true"
                  [minLength]="0"
                  ariaLabel="Column to add"
                  placeholder="Property or fact"
                  [(ngModel)]="wanted"
                  (completeMethod)="asked.set($event.query)"
                  (onSelect)="add($event.value)"
                  (keydown.escape)="adding.set(null)"
                />
              } @else {
                <button type="button" class="link" (click)="startAdding(content().columns.length)">Add column</button>
              }
            </span>
          }
        </div>
        <cdk-virtual-scroll-viewport [itemSize]="height()" role="rowgroup" [style.height]="'min(62vh, ' + (height() * lines().length + 2) + 'px)'">
          <ng-container *cdkVirtualFor="let line of lines(); trackBy: byKey; templateCacheSize: 60; let n = index">
            @switch (line.kind) {
              @case ('group') {
                <div class="row group" role="row" [style.height.px]="height()" [attr.aria-rowindex]="n + 2">
                  <span role="gridcell" class="whole">{{ title(line) }}</span>
                </div>
              }
              @case ('total') {
                <div class="row total" role="row" [style.height.px]="height()" [attr.aria-rowindex]="n + 2">
                  @if (firstSum() > 0) {
                    <span role="gridcell" [style.grid-column]="'span ' + firstSum()">{{ title(line) }}</span>
                  }
                  @for (column of content().columns; track key(column.of); let i = $index) {
                    @if (i >= firstSum()) {
                      <span role="gridcell" [class.num]="isNumber(column)" [title]="without(line, i)">{{ totalOf(line, i) }}</span>
                    }
                  }
                </div>
              }
              @default {
                @let row = rowOf(line);
                <div
                  class="row pick"
                  role="row"
                  [style.height.px]="height()"
                  [class.on]="row.id === chosen()"
                  [class.body]="row.bodies"
                  [attr.aria-rowindex]="n + 2"
                  [attr.aria-level]="row.level"
                  [attr.aria-expanded]="row.open ? !folded().has(row.id) : null"
                  [attr.aria-selected]="row.id === chosen()"
                >
                  @for (shown of columns(); track shown.key; let i = $index) {
                    @let cell = row.cells[i]!;
                    @let column = shown.column;
                    @let text = typedAt(row, column);
                    <span
                      role="gridcell"
                      [class.num]="shown.number"
                      [class.typed]="text !== null"
                      [class.bad]="cell.state === 'wrong'"
                      [class.soft]="cell.differs"
                      [attr.tabindex]="n === activeLine() && i === activeColumn() ? 0 : -1"
                      [attr.data-cell]="n + '/' + i"
                      [style.padding-left.px]="i === first() ? 8 + 16 * (row.level - 1) : null"
                      [attr.title]="hintOf(cell)"
                      (click)="choose(n, i, row)"
                      (dblclick)="edit(n, i)"
                      (keydown)="cellKey($event, n, i, row)"
                    >
                      @if (i === first() && row.open) {
                        <button
                          type="button"
                          class="plain fold"
                          tabindex="-1"
                          [attr.aria-label]="(folded().has(row.id) ? 'Unfold ' : 'Fold ') + row.label"
                          (click)="fold(row); $event.stopPropagation()"
                        >
                          {{ folded().has(row.id) ? '▸' : '▾' }}
                        </button>
                      } @else if (i === first() && indents()) {
                        <span class="fold"></span>
                      }
                      @if (editing()?.line === n && editing()?.column === i) {
                        <input
                          class="edit"
                          [attr.aria-label]="table().headers[i] + ' of ' + row.label"
                          [value]="editText(row, column, cell)"
                          (keydown.enter)="commit(row, column, $any($event.target).value); $event.stopPropagation()"
                          (keydown.escape)="stop(n, i); $event.stopPropagation()"
                          (blur)="commit(row, column, $any($event.target).value, false)"
                        />
                      } @else if (shown.picture) {
                        @if (row.picture && row.match.state === 'matched') {
                          <img loading="lazy" [src]="pictureOf(row)" [alt]="row.label" />
                        }
                      } @else if (shown.part && row.match.state !== 'matched') {
                        {{ row.label }}
                        <span class="chip bad after">{{
                          row.match.state === 'ambiguous' ? row.candidates.length + ' files could be it' : 'no part file'
                        }}</span>
                      } @else if (text) {
                        {{ text }}
                      } @else if (cell.text !== '') {
                        {{ cell.text }}{{ cell.state === 'wrong' ? ' !' : '' }}
                        @if (cell.copy) {
                          <span class="chip warn after">copy: {{ cell.copy }}</span>
                        }
                      } @else if (cell.state === 'missing') {
                        <span class="chip bad">missing</span>
                      } @else if (cell.state === 'blank') {
                        <span class="soft" title="blank">–</span>
                      } @else if (cell.state === 'unknown') {
                        <span class="soft">?</span>
                      }
                      @if (i === first() && row.loop) {
                        <span class="chip bad after">contains itself</span>
                      }
                    </span>
                  }
                </div>
              }
            }
          </ng-container>
        </cdk-virtual-scroll-viewport>
      </div>
    </div>
    <p-menu #menu appendTo="body" [popup]="true" [model]="items()" />
  `,
  styles: `
    .list {
      overflow: auto;
    }
    .sheet {
      position: relative;
    }
    .row {
      display: grid;
      grid-template-columns: var(--columns);
      align-items: center;
      border-bottom: 1px solid var(--row);
      box-sizing: border-box;
    }
    .row > span {
      padding: 0 8px;
      overflow: hidden;
      text-overflow: ellipsis;
      white-space: nowrap;
      height: 100%;
      min-width: 0;
      box-sizing: border-box;
    }
    .header > span {
      display: flex;
      align-items: center;
      gap: 6px;
    }
    .header > .num {
      justify-content: flex-end;
    }
    /* Cells are plain blocks of one line: boxes that bend take twice as long to lay out while the list is scrolled. */
    .row > [role='gridcell'] {
      line-height: var(--line);
    }
    .row > [role='gridcell'].num {
      text-align: right;
    }
    .row .chip {
      line-height: normal;
    }
    .row .after {
      margin-left: 6px;
    }
    .row > [role='gridcell']:focus-visible {
      outline: 2px solid var(--brass);
      outline-offset: -2px;
    }
    .header {
      height: 34px;
      border-bottom-color: var(--ink);
      font:
        600 12px 'Barlow Semi Condensed',
        sans-serif;
      color: var(--soft);
    }
    .column {
      position: relative;
      background: var(--panel);
    }
    .column button {
      overflow: hidden;
      text-overflow: ellipsis;
      white-space: nowrap;
      min-width: 0;
    }
    .heading {
      width: 100%;
      min-width: 0;
      border: 1px solid var(--brass);
      border-radius: 3px;
      background: var(--panel);
      padding: 2px 4px;
    }
    .edge {
      position: absolute;
      right: 0;
      top: 4px;
      bottom: 4px;
      width: 7px;
      cursor: ew-resize;
      touch-action: none;
      border-right: 1px solid var(--line);
    }
    .edge:hover {
      border-right: 2px solid var(--verdigris);
    }
    /* Rows are of one height: none has to be laid out again for another. */
    cdk-virtual-scroll-viewport .row {
      contain: strict;
    }
    .pick {
      cursor: default;
    }
    .pick:hover {
      background: color-mix(in srgb, var(--brass-tint) 45%, transparent);
    }
    .pick.on {
      background: var(--brass-tint);
    }
    .body {
      color: var(--soft);
    }
    .group {
      background: var(--side);
      font-weight: 600;
    }
    .group .whole {
      grid-column: 1 / -1;
    }
    .total {
      font-weight: 600;
      border-top: 1px solid var(--ink);
    }
    .typed {
      background: var(--brass-tint);
    }
    .fold {
      display: inline-block;
      width: 16px;
      margin-right: 6px;
      text-align: center;
    }
    .edit {
      width: 100%;
      min-width: 0;
      border: 1px solid var(--brass);
      border-radius: 3px;
      background: var(--panel);
      padding: 3px 5px;
    }
    img {
      vertical-align: middle;
      height: 54px;
      max-width: 76px;
      object-fit: contain;
    }
  `,
})
export class BomGrid {
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef);
  private readonly injector = inject(Injector);
  private readonly changes = inject(ChangeDetectorRef);
  readonly table = input.required<BomTable>();
  readonly content = input.required<BomContent>();
  readonly properties = input.required<readonly Property[]>();
  /** Pending typed values, by property and row. */
  readonly typed = input.required<Readonly<Record<string, string>>>();
  readonly editable = input(false);
  readonly numberable = input(false);
  readonly arrangeable = input(true);
  readonly chosen = model<string | null>(null);
  readonly folded = model<ReadonlySet<string>>(new Set());
  readonly arranged = output<BomContent>();
  readonly valued = output<{ row: BomTableRow; property: number; text: string }>();
  readonly numbered = output<{ row: BomTableRow; number: number }>();
  /** Requests removal of all values of a column's property. */
  readonly valuesRemoved = output<number>();
  readonly columnRemoved = output<string>();

  private readonly menu = viewChild.required<Menu>('menu');
  private readonly viewport = viewChild(CdkVirtualScrollViewport);
  private readonly active = signal({ line: 0, column: 0 });
  protected readonly editing = signal<{ readonly line: number; readonly column: number } | null>(null);
  protected readonly renaming = signal<number | null>(null);
  protected readonly adding = signal<number | null>(null);
  protected readonly asked = signal('');
  protected wanted: Addable | string | null = null;
  private readonly at = signal(0);
  private readonly byId = computed(() => new Map(this.properties().map((property) => [property.id, property])));

  protected readonly lines = computed(() => linesOf(this.table(), this.content(), this.folded()));
  private readonly widths = computed(() =>
    this.content().columns.map((column) => widthOf(column, 'property' in column.of ? this.byId().get(column.of.property) : undefined)),
  );
  /** Columns with what their cells ask of them, once for all rows. */
  protected readonly columns = computed(() =>
    this.content().columns.map((column) => ({
      column,
      key: keyOf(column.of),
      number: this.isNumber(column),
      picture: 'fact' in column.of && column.of.fact === 'picture',
      part: 'fact' in column.of && column.of.fact === 'part',
    })),
  );
  protected readonly template = computed(
    () =>
      `${this.widths()
        .map((width) => `${width}px`)
        .join(' ')}${this.arrangeable() ? ' minmax(150px, 1fr)' : ' 1fr'}`,
  );
  protected readonly total = computed(() => this.widths().reduce((sum, width) => sum + width, 0) + (this.arrangeable() ? 150 : 0));
  protected readonly height = computed(() => (columnAt(this.content().columns, { fact: 'picture' }) >= 0 ? PICTURE_ROW : ROW));
  protected readonly indents = computed(() => this.table().rows.some((row) => row.open));
  /** The column showing levels. */
  protected readonly first = computed(() => {
    const part = this.content().columns.findIndex(({ of }) => 'fact' in of && (of.fact === 'part' || of.fact === 'name'));
    return Math.max(0, part);
  });
  protected readonly suggestions = computed((): Addable[] => {
    const wanted = this.asked().trim().toLowerCase();
    const { columns } = this.content();
    const facts = (Object.keys(BOM_FACTS) as BomFact[]).map((fact): Addable => ({ caption: BOM_FACTS[fact], column: factColumn(fact) }));
    const properties = this.properties().map((property): Addable => ({ caption: property.caption, column: propertyColumn(property.id) }));
    return [...properties, ...facts].filter(({ caption, column }) => columnAt(columns, column.of) < 0 && caption.toLowerCase().includes(wanted));
  });
  protected readonly items = computed((): MenuItem[] => {
    const i = this.at();
    const content = this.content();
    const column = content.columns[i];
    if (!column) return [];
    const name = this.table().headers[i] ?? '';
    const isProperty = 'property' in column.of;
    const sums = isProperty ? this.isNumber(column) : column.of && 'fact' in column.of && ['mass', 'quantity', 'total'].includes(column.of.fact);
    const sort = (descending: boolean) => this.arrange({ sort: [{ of: column.of, descending }] });
    return [
      { label: 'Sort ascending', command: () => sort(false) },
      { label: 'Sort descending', command: () => sort(true) },
      ...(content.sort.length ? [{ label: 'Sort by item number', command: () => this.arrange({ sort: [] }) }] : []),
      ...(content.structure === 'indented'
        ? []
        : content.group && sameColumn(content.group, column.of)
          ? [{ label: 'Do not group', command: () => this.arrange({ group: null }) }]
          : [{ label: `Group by ${name}`, command: () => this.arrange({ group: column.of }) }]),
      ...(sums ? [{ label: column.sum ? 'Hide total' : 'Show total', command: () => this.column(i, { sum: !column.sum }) }] : []),
      { separator: true },
      { label: 'Rename heading', command: () => this.startRenaming(i) },
      { label: 'Insert column before', command: () => this.startAdding(i) },
      { label: 'Insert column after', command: () => this.startAdding(i + 1) },
      { label: 'Remove column', command: () => this.remove(i) },
      ...(isProperty && this.editable()
        ? [{ separator: true }, { label: 'Remove values from files …', command: () => this.valuesRemoved.emit((column.of as { property: number }).property) }]
        : []),
    ];
  });

  constructor() {
    // A new list starts at the top.
    effect(() => {
      this.table();
      this.editing.set(null);
    });
  }

  protected key = keyOf;
  protected byKey = (_: number, line: BomLine) => line.key;
  protected title = (line: BomLine) => (line.kind === 'group' ? `${line.title} (${line.rows})` : line.kind === 'total' ? line.title : '');
  /** The first summed column; the total's title spans the columns before it. */
  protected readonly firstSum = computed(() => this.content().columns.findIndex((column) => column.sum));
  protected rowOf = (line: BomLine): BomTableRow => (line as Extract<BomLine, { kind: 'row' }>).row;
  protected totalOf(line: BomLine, i: number): string {
    if (line.kind !== 'total') return '';
    return totalText(line.totals[i] ?? null);
  }
  protected without(line: BomLine, i: number): string {
    const total = line.kind === 'total' ? line.totals[i] : null;
    return total?.without ? `${total.without} pieces have no value` : '';
  }
  protected isNumber(column: BomColumn): boolean {
    if ('fact' in column.of) return ['item', 'quantity', 'total', 'mass', 'length'].includes(column.of.fact);
    const type = this.byId().get(column.of.property)?.type;
    return type === 'number' || type === 'whole';
  }
  /** URL of a row's picture: its part or body. */
  protected pictureOf({ match, bodies }: BomTableRow): string {
    const file = match.state === 'matched' ? match.file : 0;
    return `/api/files/${file}/picture${bodies ? `?body=${encodeURIComponent(bodies.keys[0]!)}` : ''}`;
  }
  private readonly anyTyped = computed(() => Object.keys(this.typed()).length > 0);
  protected typedAt = (row: BomTableRow, column: BomColumn): string | null =>
    this.anyTyped() && 'property' in column.of ? (this.typed()[`${column.of.property}\n${row.id}`] ?? null) : null;
  /** What a cell says under the pointer; `null` if it says it already. */
  protected hintOf(cell: BomValue): string | null {
    if (cell.differs) return cell.differs.map((entry) => `${entry.text || '(blank)'}: ${entry.pieces}`).join('\n');
    if (cell.note) return cell.note;
    if (cell.copy) return "The assembly's own copy says something else";
    return cell.text.length > SHORT ? cell.text : null;
  }
  protected sorted(column: BomColumn): string | null {
    const own = this.content().sort.find((entry) => sameColumn(entry.of, column.of));
    return own ? (own.descending ? 'descending' : 'ascending') : null;
  }
  protected arrow = (column: BomColumn) => ({ ascending: ' ↑', descending: ' ↓' })[this.sorted(column) ?? ''] ?? '';

  // Columns.
  private arrange(change: Partial<BomContent>): void {
    this.arranged.emit({ ...this.content(), ...change });
  }
  private column(i: number, change: Partial<BomColumn>): void {
    this.arrange({ columns: this.content().columns.map((column, n) => (n === i ? { ...column, ...change } : column)) });
  }
  protected openMenu(event: Event, i: number): void {
    if (!this.arrangeable()) return;
    this.at.set(i);
    this.menu().toggle(event);
  }
  private startRenaming(i: number): void {
    this.renaming.set(i);
    this.focusIn('.heading');
  }
  protected rename(i: number, header: string): void {
    if (this.renaming() !== i) return;
    this.renaming.set(null);
    if (header.trim() !== this.content().columns[i]!.header) this.column(i, { header: header.trim() });
    this.focusIn(`[data-column="${i}"]`);
  }
  protected startAdding(i: number): void {
    this.wanted = null;
    this.adding.set(i);
    this.focusIn('.adder input');
  }
  protected add({ column }: Addable): void {
    const at = this.adding() ?? this.content().columns.length;
    const columns = [...this.content().columns];
    columns.splice(at, 0, column);
    this.adding.set(null);
    this.arrange({ columns });
    this.focusIn(`[data-column="${at}"]`);
  }
  private remove(i: number): void {
    const name = this.table().headers[i] ?? '';
    this.arrange({ columns: this.content().columns.filter((_, n) => n !== i) });
    this.columnRemoved.emit(name);
    this.focusIn(`[data-column="${Math.max(0, i - 1)}"]`);
  }
  protected dropped({ previousIndex, currentIndex }: CdkDragDrop<unknown>): void {
    if (previousIndex !== currentIndex) this.arrange({ columns: moved(this.content().columns, previousIndex, currentIndex) });
  }
  protected headKey(event: KeyboardEvent, i: number): void {
    const by = event.key === 'ArrowRight' ? 1 : event.key === 'ArrowLeft' ? -1 : 0;
    if (!by || !this.arrangeable()) return;
    if (event.altKey && i + by >= 0 && i + by < this.content().columns.length) {
      this.arrange({ columns: moved(this.content().columns, i, i + by) });
      this.focusIn(`[data-column="${i + by}"]`);
    } else if (event.shiftKey) this.column(i, { width: Math.max(30, Math.min(2000, this.widths()[i]! + 16 * by)) });
    else return;
    event.preventDefault();
  }
  protected stretch(event: PointerEvent, i: number): void {
    event.preventDefault();
    event.stopPropagation();
    const edge = event.target as HTMLElement;
    const [from, width] = [event.clientX, this.widths()[i]!];
    const list = this.host.nativeElement.querySelector<HTMLElement>('.list')!;
    let now = width;
    edge.setPointerCapture(event.pointerId);
    // While dragging, only CSS changes; the layout is updated at the end.
    const move = (moving: PointerEvent) => {
      now = Math.max(30, Math.min(2000, Math.round(width + moving.clientX - from)));
      const widths = this.widths().map((own, n) => `${n === i ? now : own}px`);
      list.style.setProperty('--columns', `${widths.join(' ')} minmax(150px, 1fr)`);
    };
    edge.addEventListener('pointermove', move);
    edge.addEventListener(
      'lostpointercapture',
      () => {
        edge.removeEventListener('pointermove', move);
        if (now !== width) this.column(i, { width: now });
      },
      { once: true },
    );
  }

  // Rows and cells.
  protected readonly activeLine = computed(() => Math.min(this.active().line, this.lines().length - 1));
  protected readonly activeColumn = computed(() => Math.min(this.active().column, this.content().columns.length - 1));
  protected choose(line: number, column: number, row: BomTableRow): void {
    this.active.set({ line, column });
    this.chosen.set(row.id);
  }
  protected fold(row: BomTableRow, to?: boolean): void {
    const folded = new Set(this.folded());
    if (to ?? !folded.has(row.id)) folded.add(row.id);
    else folded.delete(row.id);
    this.folded.set(folded);
  }
  protected cellKey(event: KeyboardEvent, line: number, column: number, row: BomTableRow): void {
    if (this.editing()) return;
    const last = this.content().columns.length - 1;
    const to = (toLine: number, toColumn: number) => this.goTo(toLine, Math.max(0, Math.min(last, toColumn)), Math.sign(toLine - line));
    const key = event.key;
    if (key === 'ArrowDown') to(line + 1, column);
    else if (key === 'ArrowUp') to(line - 1, column);
    else if (key === 'PageDown') to(line + 15, column);
    else if (key === 'PageUp') to(line - 15, column);
    else if (key === 'Home') to(event.ctrlKey ? 0 : line, event.ctrlKey ? column : 0);
    else if (key === 'End') to(event.ctrlKey ? this.lines().length - 1 : line, event.ctrlKey ? column : last);
    else if (key === 'ArrowRight') {
      if (column === this.first() && row.open && this.folded().has(row.id)) this.fold(row, false);
      else to(line, column + 1);
    } else if (key === 'ArrowLeft') {
      if (column === this.first() && row.open && !this.folded().has(row.id)) this.fold(row, true);
      else to(line, column - 1);
    } else if (key === ' ') this.choose(line, column, row);
    else if (key === 'Enter' || key === 'F2') this.edit(line, column);
    else if (key.length === 1 && !event.ctrlKey && !event.metaKey && !event.altKey) {
      if (!this.edit(line, column, key)) return;
    } else return;
    event.preventDefault();
  }
  /** Moves to a cell, skipping lines that are not rows. */
  private goTo(line: number, column: number, step: number): void {
    const lines = this.lines();
    let at = Math.max(0, Math.min(lines.length - 1, line));
    while (lines[at]?.kind !== 'row' && lines[at + step]) at += step;
    const found = lines[at];
    if (found?.kind !== 'row') return;
    this.active.set({ line: at, column });
    this.chosen.set(found.row.id);
    const viewport = this.viewport();
    if (viewport) {
      const { start, end } = { start: viewport.measureScrollOffset(), end: viewport.measureScrollOffset() + viewport.getViewportSize() };
      const top = at * this.height();
      if (top < start) viewport.scrollToOffset(top);
      else if (top + this.height() > end) viewport.scrollToOffset(top + this.height() - viewport.getViewportSize());
    }
    this.focusIn(`[data-cell="${at}/${column}"]`);
  }
  private may(row: BomTableRow, column: BomColumn): boolean {
    if ('fact' in column.of) return column.of.fact === 'item' && this.numberable();
    return this.editable() && (row.match.state === 'matched' || row.bodies !== null);
  }
  /**
   * Opens a cell for editing.
   * @returns whether it is editable
   */
  protected edit(line: number, column: number, begin?: string): boolean {
    const found = this.lines()[line];
    if (found?.kind !== 'row' || !this.may(found.row, this.content().columns[column]!)) return false;
    this.active.set({ line, column });
    this.chosen.set(found.row.id);
    this.editing.set({ line, column });
    // Synchronously, so the next key goes to the field.
    this.changes.detectChanges();
    const field = this.host.nativeElement.querySelector<HTMLInputElement>('input.edit');
    if (begin !== undefined && field) field.value = begin;
    field?.focus();
    if (begin === undefined) field?.select();
    return true;
  }
  protected editText(row: BomTableRow, column: BomColumn, cell: BomValue): string {
    if ('fact' in column.of) return row.number === null ? '' : String(row.number);
    return this.typedAt(row, column) ?? (cell.differs ? '' : cell.text);
  }
  protected commit(row: BomTableRow, column: BomColumn, text: string, stay = true): void {
    const editing = this.editing();
    if (!editing) return;
    this.editing.set(null);
    const at = columnAt(this.content().columns, column.of);
    if (text.trim() !== this.editText(row, column, row.cells[at]!)) {
      if ('property' in column.of) this.valued.emit({ row, property: column.of.property, text: text.trim() });
      else if (/^\d{1,8}$/.test(text.trim())) this.numbered.emit({ row, number: Number(text) });
    }
    if (stay) this.focusIn(`[data-cell="${editing.line}/${editing.column}"]`);
  }
  protected stop(line: number, column: number): void {
    this.editing.set(null);
    this.focusIn(`[data-cell="${line}/${column}"]`);
  }
  private focusIn(selector: string): void {
    afterNextRender(() => this.host.nativeElement.querySelector<HTMLElement>(selector)?.focus(), { injector: this.injector });
  }
}
