/** A cell of a workbook or CSV file. `text` is plain: decimal points, ISO 8601 dates. */
export interface TableCell {
  readonly text: string;
  /** `unreadable`: present but undecodable, such as a missing shared text or a formula without a result. */
  readonly is: 'text' | 'number' | 'boolean' | 'date' | 'error' | 'unreadable' | 'blank';
  /** Set for formula results. */
  readonly formula?: true;
}

/** A table of cells; rows may differ in length. Row 0 is the sheet's first row. */
export interface Table {
  readonly sheet: string | null;
  readonly rows: readonly (readonly TableCell[])[];
  /** Decisions of the reader, for display. */
  readonly note: string | null;
}

/** A table read by rows, in constant memory. */
export interface TableSource {
  readonly sheet: string | null;
  readonly note: string | null;
  /**
   * Rows in order; each call starts over.
   * @throws TableError if the file is truncated
   */
  rows(): Generator<readonly TableCell[]>;
}

export const BLANK_CELL: TableCell = { text: '', is: 'blank' };

/** Loads a table into memory, without trailing empty rows. */
export function tableOf(source: TableSource): Table {
  const rows = [...source.rows()];
  while (rows.length && rows.at(-1)!.every((cell) => cell.text === '')) rows.pop();
  return { sheet: source.sheet, rows, note: source.note };
}

/** A source of in-memory rows. */
export const sourceOf = (table: Table): TableSource => ({
  sheet: table.sheet,
  note: table.note,
  *rows() {
    yield* table.rows;
  },
});

/** A BOM, also misread as Windows-1252. */
const MARK = /^(\ufeff|ï»¿)/;

/** Strips a BOM from the first text. */
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

/** A table cannot be read. */
export class TableError extends Error {
  constructor(
    readonly code: string,
    message: string,
  ) {
    super(message);
    this.name = 'TableError';
  }
}
