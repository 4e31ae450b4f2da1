import { ValueType } from '../values';
import { TableCell } from './table';

/** Kinds of spoiled values. */
export const SPOILED = [
  'zeros',
  'exponent',
  'digits',
  'number form',
  'date',
  'serial number',
  'decimal sign',
  'yes or no',
  'blanks',
  'cut off',
  'autocorrected',
  'letters',
  'error cell',
  'unreadable cell',
  'formula',
] as const;
export type SpoiledCode = (typeof SPOILED)[number];

/** A value altered by a spreadsheet program, if detectable. */
export interface Spoiled {
  readonly code: SpoiledCode;
  readonly message: string;
  /** Whether the sent value proves it. */
  readonly proven: boolean;
}

const TEXTS: ReadonlySet<ValueType> = new Set(['text', 'longtext', 'choice', 'person', 'file']);

/** Cell errors (ECMA-376 part 1, 18.17.3; the rest common practice). */
export const isErrorText = (text: string): boolean => /^(#(N\/A|REF!|VALUE!|NAME\?|DIV\/0!|NUM!|NULL!|SPILL!|CALC!)|Err:\d{3})$/i.test(text.trim());

/** Month abbreviations in languages of common spreadsheets. */
const MONTHS: Readonly<Record<string, number>> = {
  jan: 1, feb: 2, mar: 3, mär: 3, mrz: 3, apr: 4, avr: 4, abr: 4, may: 5, mai: 5, mag: 5, maj: 5, jun: 6, jui: 6, giu: 6, jul: 7, lug: 7,
  aug: 8, aoû: 8, ago: 8, sep: 9, set: 9, oct: 10, okt: 10, ott: 10, nov: 11, dec: 12, dez: 12, déc: 12, dic: 12,
}; // prettier-ignore

const PLAIN_NUMBER = /^[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?$/;
const asNumber = (text: string): number | null => {
  const plain = text.trim().replace(/^([+-]?\d+),(\d+)$/, '$1.$2');
  const n = PLAIN_NUMBER.test(plain) ? Number(plain) : Number.NaN;
  return Number.isFinite(n) ? n : null;
};

/** Year, month and day in a date-like text; missing parts are `null`. */
interface DateParts {
  readonly numbers: readonly number[];
  readonly month: number | null;
}

function partsOf(text: string): DateParts | null {
  const words = text.trim().match(/\p{L}+|\d+/gu);
  if (!words || words.length < 2 || words.length > 3 || !/^[\p{L}\d\s./,-]+$/u.test(text.trim())) return null;
  const numbers: number[] = [];
  let month: number | null = null;
  for (const word of words) {
    if (/^\d+$/.test(word)) numbers.push(Number(word));
    else {
      const found = MONTHS[word.toLowerCase().slice(0, 3)];
      if (found === undefined || month !== null) return null;
      month = found;
    }
  }
  return numbers.length === 0 ? null : { numbers, month };
}

/** Whether a date-like text can have become the day `iso`. */
function readsAs(text: string, iso: string): boolean {
  const parts = partsOf(text);
  const m = /^(\d{4})-(\d{2})-(\d{2})/.exec(iso);
  if (!parts || !m) return false;
  const [year, month, day] = [Number(m[1]), Number(m[2]), Number(m[3])];
  if (parts.month !== null && parts.month !== month) return false;
  const left = parts.month === null ? [year, month, day] : [year, day];
  for (const n of parts.numbers) {
    const at = left.findIndex((value) => value === n || (value === year && value > 1900 && value % 100 === n));
    if (at < 0) return false;
    left.splice(at, 1);
  }
  return true;
}

/** A displayed date; as ISO 8601 where unambiguous. */
function dateText(cell: TableCell): string | null {
  if (cell.is === 'date') return cell.text.slice(0, 10);
  const text = cell.text.trim();
  const named = /^(\d{1,2})[-. ]+(\p{L}{3,9})\.?(?:[-. ]+(\d{2,4}))?$/u.exec(text) ?? /^(\p{L}{3,9})[-. ]+(\d{2,4})$/u.exec(text);
  if (named && Object.keys(MONTHS).some((month) => text.toLowerCase().includes(month))) return text;
  return /^\d{1,4}[./-]\d{1,2}[./-]\d{2,4}$/.test(text) ? text : null;
}

/** Whether two texts denote the same day. */
function sameDay(a: string, b: string): boolean {
  const iso = [a, b].find((text) => /^\d{4}-\d{2}-\d{2}$/.test(text));
  if (iso !== undefined) return readsAs(iso === a ? b : a, iso);
  const [x, y] = [partsOf(a), partsOf(b)];
  if (!x || !y) return false;
  const all = ({ numbers, month }: DateParts) => [...numbers, ...(month === null ? [] : [month])];
  const [short, long] = all(x).length <= all(y).length ? [all(x), all(y)] : [all(y), all(x)];
  const left = [...long];
  return short.every((n) => {
    const at = left.findIndex((value) => value === n || value % 100 === n % 100);
    if (at >= 0) left.splice(at, 1);
    return at >= 0;
  });
}

const BLANKS = /[\s\u00a0\u2000-\u200b\u202f\ufeff]+/g;
const withoutBlanks = (text: string) => text.replace(BLANKS, ' ').trim();
const plainSigns = (text: string) =>
  text
    .replace(/[“”„]/g, '"')
    .replace(/[‘’‚]/g, "'")
    .replace(/[–—]/g, '-')
    .replace(/…/g, '...')
    .replace(/©/g, '(c)')
    .replace(/®/g, '(r)')
    .replace(/½/g, '1/2')
    .replace(/¼/g, '1/4')
    .replace(/¾/g, '3/4')
    .replace(/-+/g, '-');

const WINDOWS_1252_HIGH = '€\u0081‚ƒ„…†‡ˆ‰Š‹Œ\u008dŽ\u008f\u0090‘’“”•–—˜™š›œ\u009džŸ';
/** UTF-8 text misread as Windows-1252. */
const misread = (text: string): string =>
  [...new TextEncoder().encode(text)].map((byte) => (byte >= 0x80 && byte < 0xa0 ? WINDOWS_1252_HIGH[byte - 0x80]! : String.fromCharCode(byte))).join('');

const found = (code: SpoiledCode, message: string, proven: boolean): Spoiled => ({ code, message, proven });
const quote = (text: string) => JSON.stringify(text);

/** Whether a number was cut to fifteen digits. */
const keepsFifteen = (sent: string, text: string): boolean => {
  const [was, is] = [sent.replace(/\D/g, ''), text.replace(/\D/g, '')];
  return was.length === is.length && was.slice(0, 15) === is.slice(0, 15) && /^0*$/.test(is.slice(15));
};

/** What happened to a sent text, if provable. */
function provenText(cell: TableCell, sent: string): Spoiled | null {
  const { text } = cell;
  const proven = (code: SpoiledCode, message: string) => found(code, message, true);
  const [was, is] = [asNumber(sent), asNumber(text)];
  if (was !== null && is !== null) {
    if (/^[+-]?0\d/.test(sent.trim()) && was === is) return proven('zeros', `${quote(sent)} has lost its leading zeros.`);
    if (/[eE]/.test(sent) && was === is) return proven('exponent', `${quote(sent)} was turned into a number with an exponent.`);
    if (sent.replace(/\D/g, '').length > 11 && sent !== text) {
      const shown = /^[+-]?(\d)[.,]?(\d*)[eE]/.exec(text.trim());
      const digits = shown ? 1 + shown[2]!.length : 15;
      if (was.toPrecision(digits) === is.toPrecision(digits) || keepsFifteen(sent, text))
        return shown
          ? proven('exponent', `${quote(sent)} was shortened to a number with an exponent.`)
          : proven('digits', `${quote(sent)} was cut to fifteen digits.`);
    }
    if (was === is) return proven('number form', `${quote(sent)} was turned into a number and written differently.`);
  }
  const day = dateText(cell);
  if (day !== null && day !== sent && (sameDay(sent, day) || sameDay(sent, text))) return proven('date', `${quote(sent)} was turned into a date.`);
  if (cell.is === 'boolean' && /^(true|false|yes|no|wahr|falsch|vrai|faux)$/i.test(sent.trim()))
    return proven('yes or no', `${quote(sent)} was turned into yes or no.`);
  if (text.length >= 255 && sent.length > text.length && sent.startsWith(text))
    return proven('cut off', `The text was cut off after ${text.length} of ${sent.length} characters.`);
  if (withoutBlanks(text) === withoutBlanks(sent)) return proven('blanks', 'Spaces or line breaks were added, lost or replaced.');
  if (withoutBlanks(plainSigns(text)) === withoutBlanks(plainSigns(sent)))
    return proven('autocorrected', `Quotation marks, dashes or symbols were replaced in ${quote(sent)}.`);
  const [letters, now] = [[...sent], [...text]];
  if (letters.length === now.length && /[?\ufffd]/.test(text) && letters.every((letter, i) => letter === now[i] || now[i] === '?' || now[i] === '\ufffd'))
    return proven('letters', `Letters of ${quote(sent)} were lost: the file was saved in an encoding without them.`);
  if (text !== sent && text === misread(sent)) return proven('letters', `Letters of ${quote(sent)} were garbled: the file was opened in the wrong encoding.`);
  return null;
}

/** What happened to a sent number or date. */
function provenValue(cell: TableCell, sent: string, type: ValueType): Spoiled | null {
  if (type === 'date') {
    if (cell.is !== 'date' && sameDay(sent, cell.text)) return found('date', `${quote(sent)} came back in a different date format.`, true);
    if (/^\d{4,6}$/.test(cell.text.trim()) && readsAsSerial(Number(cell.text), sent))
      return found('serial number', `${quote(sent)} came back as a serial day number.`, true);
    return null;
  }
  if (cell.is === 'date' && readsAs(sent, cell.text)) return found('date', `${quote(sent)} was turned into a date.`, true);
  const [was, swapped] = [asNumber(sent), Number(cell.text.trim().replace(/[.,](?=\d{3}\b)/g, ''))];
  if (was !== null && cell.text.includes(',') && (asNumber(cell.text.trim().replace(',', '.')) === was || swapped === was))
    return found('decimal sign', `${quote(sent)} came back with a decimal comma.`, true);
  return null;
}

const readsAsSerial = (serial: number, iso: string): boolean =>
  [0, 1462].some((shift) => new Date(Date.UTC(1899, 11, 30) + (serial + shift) * 86_400_000).toISOString().startsWith(iso));

/**
 * Detects values altered by spreadsheets. `sent` is the sent text, or the current value if unknown; `null` for blank. Unchanged cells are
 * not checked.
 *
 * Behaviour is common practice: number-, date- and yes/no-like texts are converted (cell types of ECMA-376 part 1, 18.18.11), and numbers
 * keep fifteen digits (IEEE 754 binary64).
 */
export function spoiled(cell: TableCell, sent: string | null, type: ValueType): Spoiled | null {
  if (cell.is === 'unreadable')
    return cell.formula
      ? found('unreadable cell', 'The cell holds a formula without a stored result. Open the table in a spreadsheet program and save it.', false)
      : found('unreadable cell', 'The cell cannot be read: its text is missing from the file or has another encoding.', false);
  if (cell.is === 'error' || isErrorText(cell.text)) return found('error cell', `The cell holds the error ${cell.text.trim()}.`, sent !== null && sent !== '');
  if (cell.formula) return found('formula', 'The cell holds a formula; its last saved result would be written.', false);
  if (cell.text === '') return null;
  if (sent !== null && sent !== '') {
    const proof = TEXTS.has(type) ? provenText(cell, sent) : provenValue(cell, sent, type);
    if (proof) return proof;
  }
  if (!TEXTS.has(type)) {
    if (cell.is === 'date' && type !== 'date') return found('date', 'The cell holds a date; it may have been a number.', false);
    return null;
  }
  if (cell.is === 'date')
    return found('date', 'The cell holds a date, but the property is text: the spreadsheet program may have changed the entry to a date.', false);
  if (cell.is === 'boolean') return found('yes or no', 'The cell holds yes or no, but the property is text.', false);
  if (cell.is === 'number' && (/e/i.test(cell.text) || cell.text.replace(/\D/g, '').length > 15))
    return found('digits', 'The cell holds a number with an exponent or with more digits than spreadsheet programs keep.', false);
  if (cell.is === 'text' && /^\d[.,]\d+E\+\d{2,3}$/.test(cell.text))
    return found('exponent', 'The text looks like a number shortened to exponent form.', false);
  return null;
}
