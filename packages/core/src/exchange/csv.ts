import iconv from 'iconv-lite';
import Papa from 'papaparse';
import { decodeAs, decodeWestern } from '../files';
import { CsvForm, Encoding } from './csv-form';
import { Table, TableCell, TableError, TableSource, tableOf } from './table';

/** Characters that start formulas in spreadsheets. */
const FORMULA_START = /^[=+\-@\t\r]/;

/** A displayed number; its minus sign is no formula. */
const NUMBER = /^[+-]?\d+([.,]\d+)?$/;

/**
 * Neutralises texts that spreadsheets would execute, with a leading apostrophe; texts starting with one get another, so it can be reversed.
 */
export const neutralise = (text: string): string => ((FORMULA_START.test(text) && !NUMBER.test(text)) || text.startsWith("'") ? `'${text}` : text);

/** Inverse of {@link neutralise}. */
export const restore = (text: string): string => (text.startsWith("'") && (FORMULA_START.test(text.slice(1)) || text.startsWith("''")) ? text.slice(1) : text);

/** Rows as RFC 4180 CSV without a BOM. */
export const csvText = (rows: readonly (readonly string[])[], delimiter = ','): string =>
  rows.length === 0
    ? ''
    : `${Papa.unparse(
        rows.map((row) => row.map(neutralise)),
        { delimiter, newline: '\r\n' },
      )}\r\n`;

/** Rows as RFC 4180 CSV in UTF-8 with a BOM, which spreadsheets need. */
export const writeCsv = (rows: readonly (readonly string[])[], delimiter = ','): string => `\ufeff${csvText(rows, delimiter)}`;

/** The BOM of an encoding, if any. */
export const byteOrderMark = (encoding: CsvForm['encoding']): Uint8Array =>
  encoding === 'utf-8' ? Uint8Array.of(0xef, 0xbb, 0xbf) : encoding === 'utf-16le' ? Uint8Array.of(0xff, 0xfe) : new Uint8Array();

/** Encodes a text; `null` if a character is not available. */
export function encodeText(text: string, encoding: CsvForm['encoding']): Uint8Array | null {
  const bytes = iconv.encode(text, encoding);
  return encoding === 'windows-1252' && decodeWestern(bytes) !== text ? null : bytes;
}

/** Guesses a text encoding: BOM, zero bytes (UTF-16), strict UTF-8, else Windows-1252. */
export function guessEncoding(bytes: Uint8Array): Encoding {
  if (bytes[0] === 0xff && bytes[1] === 0xfe) return 'utf-16le';
  if (bytes[0] === 0xfe && bytes[1] === 0xff) return 'utf-16be';
  if (bytes.length > 1 && bytes[1] === 0 && bytes[0] !== 0) return 'utf-16le';
  if (bytes.length > 1 && bytes[0] === 0 && bytes[1] !== 0) return 'utf-16be';
  try {
    new TextDecoder('utf-8', { fatal: true }).decode(bytes);
    return 'utf-8';
  } catch {
    return 'windows-1252';
  }
}

/** The line where a mostly UTF-8 file becomes invalid; `null` for valid UTF-8 and for other encodings. */
export function lineNotUtf8(bytes: Uint8Array): number | null {
  let line = 1;
  let first: number | null = null;
  let [good, bad] = [0, 0];
  for (let i = 0; i < bytes.length;) {
    const byte = bytes[i]!;
    if (byte === 10) line++;
    if (byte < 0x80) {
      i++;
      continue;
    }
    const length = byte >= 0xf0 && byte < 0xf5 ? 4 : byte >= 0xe0 ? 3 : 2;
    const follows = byte >= 0xc2 && byte < 0xf5 && i + length <= bytes.length && bytes.subarray(i + 1, i + length).every((next) => (next & 0xc0) === 0x80);
    if (follows) good++;
    else {
      bad++;
      first ??= line;
    }
    i += follows ? length : 1;
  }
  return bad > 0 && good > bad ? first : null;
}

/** Whether line ends are mixed. Breaks inside quotes may count too, which is harmless. */
const mixesLineEnds = (text: string): boolean => {
  const [both, feed, both2] = [text.includes('\r\n'), /(^|[^\r])\n/.test(text), /\r(?!\n)/.test(text)];
  return Number(both) + Number(feed) + Number(both2) > 1;
};

/** Normalises line ends outside quotes. Quotes only open at the start of a value (RFC 4180). */
function evenLines(text: string, delimiter: string): string {
  let out = '';
  let from = 0;
  let begins = true;
  let quoted = false;
  for (let i = 0; i < text.length; i++) {
    const c = text[i]!;
    if (quoted) {
      if (c !== '"') continue;
      if (text[i + 1] === '"') i++;
      else quoted = false;
    } else if (c === '"' && begins) {
      quoted = true;
      begins = false;
    } else if (c === '\r') {
      out += `${text.slice(from, i)}\n`;
      if (text[i + 1] === '\n') i++;
      from = i + 1;
      begins = true;
    } else begins = c === delimiter || c === '\n';
  }
  return out + text.slice(from);
}

/** Decodes a text file in a given or guessed encoding. */
export function decodeText(bytes: Uint8Array, encoding: Encoding = guessEncoding(bytes)): { text: string; encoding: Encoding } {
  if (encoding === 'utf-8' || encoding === 'utf-16le' || encoding === 'utf-16be') return { text: new TextDecoder(encoding).decode(bytes), encoding };
  return { text: decodeAs(bytes, encoding), encoding };
}

/** Chosen CSV options. */
export interface CsvChoice {
  readonly encoding?: Encoding | undefined;
  readonly delimiter?: CsvForm['delimiter'] | undefined;
}

/** A CSV file read by rows, with its options. */
export interface CsvSource extends TableSource {
  readonly encoding: Encoding;
  /** Why the encoding is doubtful; `null` if certain or chosen. */
  readonly doubt: string | null;
  readonly delimiter: string;
}

/** A text cell. Undecodable text is not a value. */
const cellOf = (cell: string, lossy: boolean): TableCell =>
  cell === '' ? { text: '', is: 'blank' } : lossy && cell.includes('\ufffd') ? { text: cell, is: 'unreadable' } : { text: restore(cell), is: 'text' };

/** Rows parsed at a time. */
const ROWS_AT_ONCE = 2000;

/**
 * Opens CSV with common encodings and delimiters.
 * @throws TableError `csv-not`
 */
export function csvSource(bytes: Uint8Array, choice: CsvChoice = {}): CsvSource {
  const guessed = guessEncoding(bytes);
  const odd = choice.encoding === undefined && guessed === 'windows-1252' ? lineNotUtf8(bytes) : null;
  const decoded = decodeText(bytes, choice.encoding ?? (odd === null ? guessed : 'utf-8'));
  const { encoding } = decoded;
  // Read as UTF-8 despite invalid bytes.
  const lossy = encoding === 'utf-8' && guessed !== 'utf-8';
  let { text } = decoded;
  if (text.includes('\0')) throw new TableError('csv-not', 'This is not a text file.');
  const hint = /^sep=(.)\r?\n/.exec(text);
  const start = hint ? hint[0].length : 0;
  // Trailing empty lines mislead delimiter detection.
  let end = text.length;
  while (end > start && (text[end - 1] === '\n' || text[end - 1] === '\r')) end--;
  const mixed = mixesLineEnds(text.slice(start, end));
  const head = text.slice(start, Math.min(end, start + 256 * 1024));
  const sample = Papa.parse<string[]>(mixed ? head.replace(/\r\n?/g, '\n') : head, { preview: 100, delimiter: choice.delimiter ?? hint?.[1] ?? '' });
  const { delimiter } = sample.meta;
  const linebreak = mixed ? '\n' : sample.meta.linebreak;
  if (mixed) {
    text = text.slice(0, start) + evenLines(text.slice(start, end), delimiter);
    end = text.length;
  }
  return {
    sheet: null,
    note: encoding === 'utf-8' ? null : `read as ${encoding}`,
    encoding,
    doubt: odd === null ? null : `Line ${odd} is not valid UTF-8, but the rest of the file is. Choose the encoding.`,
    delimiter,
    *rows() {
      let at = start;
      let row = 0;
      while (at < end) {
        const parsed = Papa.parse<string[]>(text.slice(at, end), {
          delimiter,
          newline: linebreak as '\n',
          preview: ROWS_AT_ONCE,
          skipEmptyLines: false,
          // The parser's fast mode reads one row beyond the preview and drops it.
          fastMode: false,
        });
        const quote = parsed.errors.find((error) => error.type === 'Quotes');
        if (quote) throw new TableError('csv-quotes', `Line ${row + (quote.row ?? 0) + 1}: a quotation mark is missing its closing one.`);
        for (const cells of parsed.data) yield cells.map((cell) => cellOf(cell, lossy));
        row += parsed.data.length;
        if (!parsed.meta.truncated || parsed.meta.cursor <= 0) return;
        at += parsed.meta.cursor;
      }
    },
  };
}

/**
 * Reads CSV with an unambiguous encoding.
 * @throws TableError
 */
export function readCsv(bytes: Uint8Array): Table {
  const source = csvSource(bytes);
  if (source.doubt !== null) throw new TableError('csv-encoding', source.doubt);
  return tableOf(source);
}
