import { Signal, computed, signal } from '@angular/core';
import { CellRange } from './types';

/** A cell by row and column; column 0 is the file. */
export interface CellPlace {
  readonly row: number;
  readonly column: number;
}

/** The selected range: the cell with the keyboard and the opposite corner. */
export class GridSelection {
  private readonly cell = signal<CellPlace>({ row: 0, column: 0 });
  private readonly anchor = signal<CellPlace>({ row: 0, column: 0 });
  readonly at = this.cell.asReadonly();
  readonly range = computed((): CellRange => {
    const [at, anchor] = [this.cell(), this.anchor()];
    return {
      top: Math.min(at.row, anchor.row),
      bottom: Math.max(at.row, anchor.row),
      left: Math.min(at.column, anchor.column),
      right: Math.max(at.column, anchor.column),
    };
  });

  /** @param rows number of rows; `columns` of columns besides the file */
  constructor(
    private readonly rows: Signal<{ readonly length: number }>,
    private readonly columns: Signal<{ readonly length: number }>,
  ) {}

  /** Whether a cell lies in a range of several. */
  within(row: number, column: number): boolean {
    const { top, bottom, left, right } = this.range();
    return row >= top && row <= bottom && column >= left && column <= right && (top !== bottom || left !== right);
  }

  /** Selects a cell; `extend` grows the range. */
  to(place: CellPlace, extend: boolean): void {
    this.cell.set(place);
    if (!extend) this.anchor.set(place);
  }

  /** Shrinks the range to its cell. */
  shrink(): void {
    this.anchor.set(this.cell());
  }

  /** The cell some steps away, inside the grid. */
  away(rows: number, columns: number): CellPlace {
    const { row, column } = this.cell();
    return {
      row: Math.max(0, Math.min(this.rows().length - 1, row + rows)),
      column: Math.max(0, Math.min(this.columns().length, column + columns)),
    };
  }

  /** Extends the range to rows, columns or everything. */
  spread(what: 'row' | 'column' | 'all'): void {
    const { row, column } = this.cell();
    const [last, right] = [this.rows().length - 1, this.columns().length];
    this.cell.set(what === 'column' ? { row: 0, column } : { row: what === 'row' ? row : 0, column: Math.min(1, right) });
    this.anchor.set({ row: what === 'row' ? row : last, column: what === 'column' ? column : right });
  }
}
