/** One cell as a workbook or CSV file holds it. `text` is plain: numbers with a full stop, dates as ISO 8601. */
export interface TableCell {
  readonly text: string;
  readonly is: 'text' | 'number' | 'boolean' | 'date' | 'error' | 'blank';
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

/** A workbook or CSV file cannot be read. */
export class TableError extends Error {
  constructor(
    readonly code: string,
    message: string,
  ) {
    super(message);
    this.name = 'TableError';
  }
}
