import iconv from 'iconv-lite';
import Papa from 'papaparse';
import { decodeAs, decodeWestern } from '../files';
import { CsvForm, Encoding } from './csv-form';
import { Table, TableCell, TableError, TableSource, tableOf } from './table';

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

/** Rows as RFC 4180 CSV, without a byte order mark. */
export const csvText = (rows: readonly (readonly string[])[], delimiter = ','): string =>
  rows.length === 0
    ? ''
    : `${Papa.unparse(
        rows.map((row) => row.map(neutralise)),
        { delimiter, newline: '\r\n' },
      )}\r\n`;

/** Writes rows as RFC 4180 CSV in UTF-8 with a byte order mark, by which spreadsheet programs know the encoding. */
export const writeCsv = (rows: readonly (readonly string[])[], delimiter = ','): string => `\ufeff${csvText(rows, delimiter)}`;

/** The byte order mark of an encoding, where it has one. */
export const byteOrderMark = (encoding: CsvForm['encoding']): Uint8Array =>
  encoding === 'utf-8' ? Uint8Array.of(0xef, 0xbb, 0xbf) : encoding === 'utf-16le' ? Uint8Array.of(0xff, 0xfe) : new Uint8Array();

/** A text in an encoding; `null` where a character is not in it. */
export function encodeText(text: string, encoding: CsvForm['encoding']): Uint8Array | null {
  const bytes = iconv.encode(text, encoding);
  return encoding === 'windows-1252' && decodeWestern(bytes) !== text ? null : bytes;
}

/** Guesses how a text file is encoded: byte order mark, then zero bytes (UTF-16), then strict UTF-8, else Windows-1252. */
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

/**
 * The line on which a file stops being UTF-8, where most of it is: letters outside ASCII that are UTF-8 are in it as well. `null` for a
 * file that is UTF-8 throughout, or plainly in another encoding.
 */
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

/** Whether lines end in more than one way. Line breaks inside quotation marks count as well: then the longer way of reading does no harm. */
const mixesLineEnds = (text: string): boolean => {
  const [both, feed, both2] = [text.includes('\r\n'), /(^|[^\r])\n/.test(text), /\r(?!\n)/.test(text)];
  return Number(both) + Number(feed) + Number(both2) > 1;
};

/** The text with all line ends outside quotation marks as line feeds. A quotation mark opens a value only where one begins (RFC 4180). */
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

/** Decodes a text file, in the encoding that is named or guessed. */
export function decodeText(bytes: Uint8Array, encoding: Encoding = guessEncoding(bytes)): { text: string; encoding: Encoding } {
  if (encoding === 'utf-8' || encoding === 'utf-16le' || encoding === 'utf-16be') return { text: new TextDecoder(encoding).decode(bytes), encoding };
  return { text: decodeAs(bytes, encoding), encoding };
}

/** What is chosen about a CSV file instead of being guessed. */
export interface CsvChoice {
  readonly encoding?: Encoding | undefined;
  readonly delimiter?: CsvForm['delimiter'] | undefined;
}

/** A CSV file that is read row by row, with what was chosen or guessed about it. */
export interface CsvSource extends TableSource {
  readonly encoding: Encoding;
  /** Why someone should look whether the encoding is right; `null` where it is sure or was chosen. */
  readonly doubt: string | null;
  readonly delimiter: string;
}

/** A cell of text. What could not be decoded is not a value. */
const cellOf = (cell: string, lossy: boolean): TableCell =>
  cell === '' ? { text: '', is: 'blank' } : lossy && cell.includes('\ufffd') ? { text: cell, is: 'unreadable' } : { text: restore(cell), is: 'text' };

/** Rows that are parsed in one step. */
const ROWS_AT_ONCE = 2000;

/** Opens CSV in any of the encodings above and with any common delimiter. @throws TableError `csv-not` */
export function csvSource(bytes: Uint8Array, choice: CsvChoice = {}): CsvSource {
  const guessed = guessEncoding(bytes);
  const odd = choice.encoding === undefined && guessed === 'windows-1252' ? lineNotUtf8(bytes) : null;
  const decoded = decodeText(bytes, choice.encoding ?? (odd === null ? guessed : 'utf-8'));
  const { encoding } = decoded;
  // Read as UTF-8 though some bytes are none.
  const lossy = encoding === 'utf-8' && guessed !== 'utf-8';
  let { text } = decoded;
  if (text.includes('\0')) throw new TableError('csv-not', 'This is not a text file.');
  const hint = /^sep=(.)\r?\n/.exec(text);
  const start = hint ? hint[0].length : 0;
  // Without empty lines at the end: they mislead the search for the delimiter.
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
          // The fast mode reads one row beyond the preview, drops it, and puts the cursor behind it.
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

/** Reads CSV in any of the encodings above and with any common delimiter, where its encoding is plain. @throws TableError */
export function readCsv(bytes: Uint8Array): Table {
  const source = csvSource(bytes);
  if (source.doubt !== null) throw new TableError('csv-encoding', source.doubt);
  return tableOf(source);
}
