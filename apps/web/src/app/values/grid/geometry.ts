import { Signal, computed, signal } from '@angular/core';
import { Property } from '@rule/core/schema';

/** Heights of rows and of the heading, and the width of the column with the file, in pixels. */
export const ROW = 30;
export const HEAD = 30;
export const FILE_WIDTH = 230;
/** Rows and pixels rendered beyond the viewport. */
const ROWS_BEYOND = 6;
const WIDTH_BEYOND = 320;

/** Width of a column that nobody has set, by its property. */
function widthOf(property: Property): number {
  const byName = 40 + 7 * property.caption.length + (property.unit ? 8 * (property.unit.length + 1) : 0);
  const longest = property.type === 'choice' ? Math.max(8, ...property.choices.map((choice) => choice.length)) : (property.maxLength ?? 20);
  const ofText = Math.min(170, Math.max(60, 24 + 7 * longest));
  const byType = { text: ofText, longtext: ofText, choice: ofText, person: ofText, file: ofText, date: 100, yesno: 74, whole: 74, number: 86 }[property.type];
  return Math.max(byName, byType);
}

/** What the geometry of a grid rests on. */
export interface GridExtent {
  readonly rows: Signal<{ readonly length: number }>;
  readonly columns: Signal<readonly Property[]>;
  /** Widths that somebody has set, by property. */
  readonly ownWidths: Signal<Readonly<Record<number, number>>>;
  /** Frozen columns beside the file. */
  readonly frozen: Signal<number>;
}

/** Which rows and columns of a grid are rendered, and where. Column 0 is the file. */
export class GridGeometry {
  private readonly sight = signal({ top: 0, left: 0, height: 600, width: 1000 });
  readonly widths = computed(() => {
    const own = this.grid.ownWidths();
    return [FILE_WIDTH, ...this.grid.columns().map((property) => own[property.id] ?? widthOf(property))];
  });
  /** Column offsets. */
  readonly lefts = computed(() => {
    let left = 0;
    return this.widths().map((width) => {
      const own = left;
      left += width;
      return own;
    });
  });
  readonly width = computed(() => this.widths().reduce((sum, width) => sum + width, 0));
  readonly frozenCount = computed(() => Math.min(this.grid.frozen(), this.grid.columns().length));
  /** Rendered rows. */
  readonly window = computed(
    () => {
      const { top, height } = this.sight();
      const count = this.grid.rows().length;
      // Rendered in steps, so slow scrolling rarely re-renders.
      const step = (row: number) => Math.floor(row / ROWS_BEYOND) * ROWS_BEYOND;
      const from = Math.max(0, Math.min(count, step(top / ROW) - ROWS_BEYOND));
      return { from, to: Math.min(count, step((top + height) / ROW) + 2 * ROWS_BEYOND) };
    },
    { equal: (a, b) => a.from === b.from && a.to === b.to },
  );
  private drawn: { readonly from: number; readonly to: number; readonly widths: readonly number[]; readonly first: number } | null = null;
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
      const last = this.drawn;
      if (last?.widths === widths && last.first === first && last.from <= needed.from && last.to >= needed.to) return last;
      this.drawn = { ...reach(WIDTH_BEYOND), widths, first };
      return this.drawn;
    },
    { equal: (a, b) => a.from === b.from && a.to === b.to },
  );
  /** Width of skipped columns after frozen ones, in pixels. */
  readonly gap = computed(() => {
    const { from } = this.columnWindow();
    const first = this.frozenCount() + 1;
    return from > first ? this.lefts()[from]! - this.lefts()[first]! : 0;
  });
  /** Rendered columns by number. */
  readonly columnIndexes = computed(() => {
    const { from, to } = this.columnWindow();
    const frozen = Array.from({ length: this.frozenCount() }, (_, i) => i + 1);
    return { frozen, cells: from <= to ? Array.from({ length: to - from + 1 }, (_, i) => from + i) : [] };
  });
  /** Rendered column headings; `left` only of frozen ones, `gap` before the first that is not. */
  readonly shownColumns = computed(() => {
    const { frozen, cells } = this.columnIndexes();
    const view = (index: number, left: number | null, gap: number) => ({
      index,
      property: this.grid.columns()[index - 1]!,
      left,
      gap,
      width: this.widths()[index]!,
    });
    return [...frozen.map((index) => view(index, this.lefts()[index]!, 0)), ...cells.map((index, i) => view(index, null, i === 0 ? this.gap() : 0))];
  });

  constructor(private readonly grid: GridExtent) {}

  /** Reads the viewport from the scrolling element. */
  measure({ scrollTop, scrollLeft, clientHeight, clientWidth }: HTMLElement): void {
    this.sight.set({ top: scrollTop, left: scrollLeft, height: clientHeight || 600, width: clientWidth || 1000 });
  }

  /** Scrolls no further than needed to see a cell. */
  bringIntoView(frame: HTMLElement, row: number, column: number): void {
    const top = row * ROW;
    const visible = frame.clientHeight - HEAD;
    if (top < frame.scrollTop) frame.scrollTop = top;
    else if (top + ROW > frame.scrollTop + visible) frame.scrollTop = top + ROW - visible;
    const fixed = this.frozenCount();
    if (column <= fixed) return;
    const start = this.lefts()[fixed + 1]!;
    const left = this.lefts()[column]! - start;
    const room = frame.clientWidth - start;
    if (left < frame.scrollLeft) frame.scrollLeft = left;
    else if (left + this.widths()[column]! > frame.scrollLeft + room) frame.scrollLeft = left + this.widths()[column]! - room;
  }
}
