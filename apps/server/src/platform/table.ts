import { Table, TableError, readCsv, readWorkbook } from '@rule/core/exchange';
import { invalid } from './problem';

/** A table of texts. */
export interface PlainTable {
  readonly header: readonly string[];
  readonly rows: readonly (readonly string[])[];
}

/**
 * Reads a table from a workbook, a CSV file or a text file with one value per line. The first row names the columns, except in text files.
 */
export function readTable(name: string, bytes: Uint8Array, sheet: string | null): PlainTable {
  try {
    if (/\.txt$/i.test(name)) {
      const lines = readCsv(bytes).rows.map((row) =>
        row
          .map((cell) => cell.text)
          .join(' ')
          .trim(),
      );
      return { header: ['value'], rows: lines.filter(Boolean).map((line) => [line]) };
    }
    const tables: Table[] = /\.(csv|tsv)$/i.test(name) ? [readCsv(bytes)] : readWorkbook(bytes);
    const table = sheet === null ? tables[0] : tables.find((candidate) => candidate.sheet === sheet);
    if (!table)
      throw invalid(
        'no-sheet',
        sheet === null ? `${name} has no sheet.` : `${name} has no sheet ${JSON.stringify(sheet)}; it has ${tables.map((t) => t.sheet).join(', ')}.`,
      );
    const [header, ...body] = table.rows.map((row) => row.map((cell) => cell.text.trim()));
    if (!header || header.every((cell) => cell === '')) throw invalid('no-header', `${name} has no header row.`);
    const wrong = table.rows.slice(1).flatMap((row, i) => (row.some((cell) => cell.is === 'error') ? [i + 2] : []))[0];
    if (wrong !== undefined) throw invalid('error-cell', `${name}, row ${wrong}: a cell holds an error.`);
    return { header, rows: body };
  } catch (error) {
    if (error instanceof TableError) throw invalid(error.code, `${name}: ${error.message}`);
    throw error;
  }
}
