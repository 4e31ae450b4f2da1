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
import { BomColumn, BomContent, columnAt } from '@rule/core/bom';
import { Property } from '@rule/core/schema';
import { BomHeader } from './bom-header';
import { BomLine, isNumeric, keyOf, linesOf, totalText, widthOf } from './bom-lines';

const ROW = 32;
const PICTURE_ROW = 62;

/** Letters that fit into every column. */
const SHORT = 4;

/** The BOM grid: foldable levels, configurable columns, in-place editing. */
@Component({
  selector: 'rule-bom-grid',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [BomHeader, ScrollingModule],
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
        <rule-bom-header
          [headers]="table().headers"
          [content]="content()"
          [properties]="properties()"
          [widths]="widths()"
          [arrangeable]="arrangeable()"
          [editable]="editable()"
          (arranged)="arranged.emit($event)"
          (stretched)="stretch($event)"
          (valuesRemoved)="valuesRemoved.emit($event)"
          (columnRemoved)="columnRemoved.emit($event)"
        />
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
  `,
  styleUrl: './bom-grid.css',
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

  private readonly viewport = viewChild(CdkVirtualScrollViewport);
  private readonly active = signal({ line: 0, column: 0 });
  protected readonly editing = signal<{ readonly line: number; readonly column: number } | null>(null);
  private readonly byId = computed(() => new Map(this.properties().map((property) => [property.id, property])));

  protected readonly lines = computed(() => linesOf(this.table(), this.content(), this.folded()));
  protected readonly widths = computed(() =>
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
  protected readonly template = computed(() => this.columnsOf(this.widths()));
  protected readonly total = computed(() => this.widths().reduce((sum, width) => sum + width, 0) + (this.arrangeable() ? 150 : 0));
  protected readonly height = computed(() => (columnAt(this.content().columns, { fact: 'picture' }) >= 0 ? PICTURE_ROW : ROW));
  protected readonly indents = computed(() => this.table().rows.some((row) => row.open));
  /** The column showing levels. */
  protected readonly first = computed(() => {
    const part = this.content().columns.findIndex(({ of }) => 'fact' in of && (of.fact === 'part' || of.fact === 'name'));
    return Math.max(0, part);
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
  protected isNumber = (column: BomColumn): boolean => isNumeric(column, this.byId());
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
  private readonly columnsOf = (widths: readonly number[]): string =>
    `${widths.map((width) => `${width}px`).join(' ')}${this.arrangeable() ? ' minmax(150px, 1fr)' : ' 1fr'}`;
  /** While a heading is dragged, only CSS changes. */
  protected stretch(widths: readonly number[]): void {
    this.host.nativeElement.querySelector<HTMLElement>('.list')!.style.setProperty('--columns', this.columnsOf(widths));
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
