import { Signal } from '@angular/core';
import { GridRow } from '@rule/contract';
import { continueSeries, layBlock, readBlock, writeBlock } from '@rule/core/grid';
import { Property } from '@rule/core/schema';
import { count } from '@rule/core/words';
import { GridCells } from './cells';
import { holderOf } from './rows';
import { CellRange, GridEdit, GridItem, Refused, rowIn } from './types';

/** Maximum cells per action. */
const MOST_CELLS = 50_000;

/** What blocks of cells rest on, and where they go. */
export interface BlockGrounds {
  readonly rows: Signal<readonly GridItem[]>;
  readonly columns: Signal<readonly Property[]>;
  readonly range: Signal<CellRange>;
  /** Requests missing rows. */
  readonly bring: Signal<(from: number, to: number) => Promise<void>>;
  readonly propose: (edits: GridEdit[]) => void;
  readonly refuse: (refused: Refused) => void;
}

/** Copies, pastes, clears and fills ranges of cells: wholly or not at all. */
export class GridBlocks {
  constructor(
    private readonly cells: GridCells,
    private readonly grid: BlockGrounds,
  ) {}

  /** The selection for the clipboard; `null` while rows of it are loading. */
  copy(): string | null {
    const { top, bottom, left, right } = this.grid.range();
    if (this.lacks(top, bottom)) {
      this.refuse('Some rows are still loading. Copy again in a moment.');
      void this.grid.bring()(top, bottom);
      return null;
    }
    const rows = Array.from({ length: bottom - top + 1 }, (_, i) => this.rowAt(top + i)).filter((row): row is GridRow => row !== null);
    return writeBlock(rows.map((row) => Array.from({ length: right - left + 1 }, (_, i) => this.cells.textOf(row, this.grid.columns()[left + i - 1] ?? null))));
  }

  /** Pastes a text of the clipboard: all of it, or nothing if any value is refused. */
  async paste(clipboard: string): Promise<void> {
    const { top, left, bottom, right } = this.grid.range();
    if (left === 0) return this.refuse('Select a value cell first.');
    const block = layBlock(readBlock(clipboard), bottom - top + 1, right - left + 1);
    const width = Math.max(...block.map((row) => row.length));
    if (block.length * width > MOST_CELLS) return this.refuse(`A block may have ${MOST_CELLS} cells; this one has ${block.length * width}.`);
    const beyond = left + width - 1 - this.grid.columns().length;
    if (beyond > 0) return this.refuse(`The block is ${count(beyond, 'column')} wider than the grid from here on. Nothing was pasted.`);
    // Pasted rows go to following file rows, skipping headings.
    const targets: GridRow[] = [];
    const length = this.grid.rows().length;
    for (let index = top; targets.length < block.length && index < length; index += 200)
      targets.push(...(await this.rowsIn(index, Math.min(index + 199, length - 1))));
    if (targets.length < block.length)
      return this.refuse(`The block is ${count(block.length - targets.length, 'row')} too long for the grid from here. Nothing was pasted.`);
    this.write(
      block.flatMap((texts, r) => texts.map((text, c) => ({ row: targets[r]!, property: this.grid.columns()[left + c - 1]!, text }))),
      'Nothing was pasted',
    );
  }

  /** Clears the selection. */
  async clear(): Promise<void> {
    const { top, bottom, left, right } = this.grid.range();
    const rows = await this.rowsIn(top, bottom);
    const properties = this.grid.columns().slice(Math.max(0, left - 1), right);
    const cells = rows.flatMap((row) =>
      properties.filter((property) => this.cells.textOf(row, property) !== '').map((property) => ({ row, property, text: '' })),
    );
    if (cells.length > MOST_CELLS) this.refuse(`At most ${MOST_CELLS} values can be cleared at once.`);
    else this.write(cells, 'Nothing was blanked');
  }

  /** Fills the columns of the selection with their first value. */
  fillDown(): Promise<void> {
    return this.fillBy((given, count) => Array<string>(count).fill(given[0]!), 1);
  }

  /** Continues the series at the top of the selection. */
  fillSeries(): Promise<void> {
    return this.fillBy(continueSeries, null);
  }

  private async fillBy(fill: (given: readonly string[], count: number) => readonly string[], given: number | null): Promise<void> {
    const { top, bottom, left, right } = this.grid.range();
    if (top === bottom || left === 0) return this.refuse('Select several rows of a column first; the first rows set the pattern.');
    if ((bottom - top + 1) * (right - left + 1) > MOST_CELLS) return this.refuse(`At most ${MOST_CELLS} values can be filled at once.`);
    const rows = await this.rowsIn(top, bottom);
    this.write(
      this.grid
        .columns()
        .slice(left - 1, right)
        .flatMap((property) => {
          const texts = rows.map((row) => this.cells.textOf(row, property));
          const firstBlank = texts.findIndex((text) => text === '');
          // A series starts from the filled cells at the top; if all are filled, from the first two.
          const begin = given ?? Math.max(1, firstBlank < 0 ? Math.min(2, texts.length - 1) : firstBlank);
          const rest = fill(texts.slice(0, begin), texts.length - begin);
          return rest.map((text, i) => ({ row: rows[begin + i]!, property, text }));
        }),
      'Nothing was filled',
    );
  }

  /** Proposes changed texts, all or none. */
  private write(wanted: readonly { readonly row: GridRow; readonly property: Property; readonly text: string }[], nothing: string): void {
    const edits: GridEdit[] = [];
    const wrong: Refused['cells'][number][] = [];
    for (const { row, property, text } of wanted) {
      if (text === this.cells.textOf(row, property)) continue;
      const message = this.cells.barred(row, property) ?? this.cells.wrong(text, row, property);
      if (message === null) edits.push(this.cells.edited(row, property, text));
      else wrong.push({ file: row.file.id, holder: holderOf(row, property), property: property.id, path: row.file.path, caption: property.caption, message });
    }
    if (wrong.length) this.grid.refuse({ message: `${count(wrong.length, 'value')} cannot be written. ${nothing}.`, cells: wrong });
    else if (edits.length) this.grid.propose(edits);
  }

  private rowAt(index: number): GridRow | null {
    return rowIn(this.grid.rows()[index]);
  }

  private lacks(from: number, to: number): boolean {
    return this.grid
      .rows()
      .slice(from, to + 1)
      .includes(null);
  }

  /** Rows of a range, loaded first. Group headings are skipped. */
  private async rowsIn(from: number, to: number): Promise<readonly GridRow[]> {
    if (this.lacks(from, to)) await this.grid.bring()(from, to);
    return Array.from({ length: to - from + 1 }, (_, i) => this.rowAt(from + i)).filter((row): row is GridRow => row !== null);
  }

  private refuse(message: string): void {
    this.grid.refuse({ message, cells: [] });
  }
}
