/** One cell as a workbook or CSV file holds it. `text` is plain: numbers with a full stop, dates as ISO 8601. */
export interface TableCell {
  readonly text: string;
  /** `unreadable`: something is there and cannot be made out, such as a text that the workbook does not hold, or a formula without its result. */
  readonly is: 'text' | 'number' | 'boolean' | 'date' | 'error' | 'unreadable' | 'blank';
  /** Set when the cell's value was computed by a formula. */
  readonly formula?: true;
}

/** A table of cells; rows may differ in length. Row 0 is the first row of the sheet. */
export interface Table {
  readonly sheet: string | null;
  readonly rows: readonly (readonly TableCell[])[];
  /** Something that the reader had to decide, for people. */
  readonly note: string | null;
}

/** A table that is read row by row, so that one of a million rows needs no more memory than one of a thousand. */
export interface TableSource {
  readonly sheet: string | null;
  readonly note: string | null;
  /** Rows in their order, from the first; each call begins again. @throws TableError where the file breaks off */
  rows(): Generator<readonly TableCell[]>;
}

export const BLANK_CELL: TableCell = { text: '', is: 'blank' };

/** A table of a source, all of it in memory; empty rows at its end are left out. */
export function tableOf(source: TableSource): Table {
  const rows = [...source.rows()];
  while (rows.length && rows.at(-1)!.every((cell) => cell.text === '')) rows.pop();
  return { sheet: source.sheet, rows, note: source.note };
}

/** A source of rows that are in memory already. */
export const sourceOf = (table: Table): TableSource => ({
  sheet: table.sheet,
  note: table.note,
  *rows() {
    yield* table.rows;
  },
});

/** A byte order mark, also one that a program has read as Windows-1252 and saved as letters. */
const MARK = /^(\ufeff|ï»¿)/;

/** A source without a byte order mark before its first text. */
export const withoutMark = (source: TableSource): TableSource => ({
  ...source,
  *rows() {
    let first = true;
    for (const row of source.rows()) {
      const cell = first ? row[0] : undefined;
      first = false;
      yield cell && MARK.test(cell.text) ? [{ ...cell, text: cell.text.replace(MARK, '') }, ...row.slice(1)] : row;
    }
  },
});

/** A workbook, CSV file or other table cannot be read. */
export class TableError extends Error {
  constructor(
    readonly code: string,
    message: string,
  ) {
    super(message);
    this.name = 'TableError';
  }
}
