import Papa from 'papaparse';
import { decodeWestern } from '../files';
import { Table, TableCell, TableError } from './table';

/** Characters at which a spreadsheet program takes a text for a formula. */
const FORMULA_START = /^[=+\-@\t\r]/;

/** A number as people write it: a minus sign is no formula there. */
const NUMBER = /^[+-]?\d+([.,]\d+)?$/;

/**
 * Neutralises texts that a spreadsheet program would run: an apostrophe goes before them, and before texts
 * that begin with an apostrophe, so that the way back is exact.
 */
export const neutralise = (text: string): string => ((FORMULA_START.test(text) && !NUMBER.test(text)) || text.startsWith("'") ? `'${text}` : text);

/** The exact inverse of {@link neutralise}. */
export const restore = (text: string): string => (text.startsWith("'") && (FORMULA_START.test(text.slice(1)) || text.startsWith("''")) ? text.slice(1) : text);

/** Writes rows as RFC 4180 CSV in UTF-8 with a byte order mark, by which spreadsheet programs know the encoding. */
export const writeCsv = (rows: readonly (readonly string[])[], delimiter = ','): string =>
  `\ufeff${Papa.unparse(
    rows.map((row) => row.map(neutralise)),
    { delimiter, newline: '\r\n' },
  )}\r\n`;

/** How a text file was found to be encoded. */
export type Encoding = 'utf-8' | 'utf-16le' | 'utf-16be' | 'windows-1252';

/** Decodes a text file: byte order mark, then zero bytes (UTF-16), then strict UTF-8, else Windows-1252. */
export function decodeText(bytes: Uint8Array): { text: string; encoding: Encoding } {
  const utf16 = (encoding: 'utf-16le' | 'utf-16be') => ({ text: new TextDecoder(encoding).decode(bytes), encoding });
  if (bytes[0] === 0xff && bytes[1] === 0xfe) return utf16('utf-16le');
  if (bytes[0] === 0xfe && bytes[1] === 0xff) return utf16('utf-16be');
  if (bytes.length > 1 && bytes[1] === 0 && bytes[0] !== 0) return utf16('utf-16le');
  if (bytes.length > 1 && bytes[0] === 0 && bytes[1] !== 0) return utf16('utf-16be');
  try {
    return { text: new TextDecoder('utf-8', { fatal: true }).decode(bytes), encoding: 'utf-8' };
  } catch {
    return { text: decodeWestern(bytes), encoding: 'windows-1252' };
  }
}

/** Reads CSV in any of the encodings above and with any common delimiter. @throws TableError */
export function readCsv(bytes: Uint8Array): Table {
  const { text, encoding } = decodeText(bytes);
  if (text.includes('\0')) throw new TableError('csv-not', 'This is not a text file.');
  const hint = /^sep=(.)\r?\n/.exec(text);
  // Without empty lines at the end: they mislead the search for the delimiter.
  const parsed = Papa.parse<string[]>((hint ? text.slice(hint[0].length) : text).replace(/[\r\n]+$/, ''), {
    delimiter: hint?.[1] ?? '',
    skipEmptyLines: false,
  });
  const quote = parsed.errors.find((error) => error.type === 'Quotes');
  if (quote) throw new TableError('csv-quotes', `Line ${(quote.row ?? 0) + 1}: a quotation mark is not closed.`);
  const rows = parsed.data.map((row) => row.map((cell): TableCell => ({ text: restore(cell), is: cell === '' ? 'blank' : 'text' })));
  while (rows.length && rows.at(-1)!.every((cell) => cell.text === '')) rows.pop();
  return { sheet: null, rows, note: encoding === 'utf-8' ? null : `read as ${encoding}` };
}
