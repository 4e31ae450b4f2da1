import { HeldValue } from './held';
import { convert, findUnit } from './units';

/** The types that a property can have. */
export const VALUE_TYPES = ['text', 'whole', 'number', 'yesno', 'date', 'choice'] as const;
export type ValueType = (typeof VALUE_TYPES)[number];

/** What parsing and formatting need to know of a property. */
export interface TypeSpec {
  readonly type: ValueType;
  /** Unit code for `number`; absent when the number has no unit. */
  readonly unit?: string | null;
  /** Decimals shown and allowed for `number`; absent when free. */
  readonly decimals?: number | null;
}

/** A value in its type: text, choice and date (ISO 8601) as string, numbers in the property's unit, yes/no as boolean. */
export type TypedValue = string | number | boolean;

/** Why a text is not a value of a type. */
export interface TypeProblem {
  readonly code: 'not-whole' | 'not-number' | 'ambiguous-number' | 'not-yes-no' | 'not-date' | 'unknown-unit' | 'wrong-unit';
  readonly message: string;
}

export type Parsed = { readonly ok: true; readonly value: TypedValue } | { readonly ok: false; readonly problem: TypeProblem };

const good = (value: TypedValue): Parsed => ({ ok: true, value });
const bad = (code: TypeProblem['code'], message: string): Parsed => ({ ok: false, problem: { code, message } });

const YES = new Set(['yes', 'true', 'y', '1', '.t.']);
const NO = new Set(['no', 'false', 'n', '0', '.f.']);

/** Whether a text is a calendar date in the extended format of ISO 8601 (`YYYY-MM-DD`) that exists. */
export function isIsoDate(text: string): boolean {
  const m = /^(\d{4})-(\d{2})-(\d{2})$/.exec(text);
  if (!m) return false;
  const [year, month, day] = [Number(m[1]), Number(m[2]), Number(m[3])];
  const leap = (year % 4 === 0 && year % 100 !== 0) || year % 400 === 0;
  const days = [31, leap ? 29 : 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31][month - 1];
  return days !== undefined && day >= 1 && day <= days;
}

/** Reads the numeric part of a text; one decimal comma is taken, an ambiguous one (`1,234`) is not. */
function readNumber(text: string): Parsed {
  if (/^[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?$/.test(text)) {
    const n = Number(text);
    return Number.isFinite(n) ? good(n) : bad('not-number', `${text} is too large a number`);
  }
  const comma = /^([+-]?\d+),(\d+)$/.exec(text);
  if (comma) {
    if (comma[2]!.length === 3 && comma[1]!.replace(/[+-]/, '').length <= 3 && !/^[+-]?0/.test(text))
      return bad('ambiguous-number', `${text} can be read in two ways: write ${comma[1]}${comma[2]} or ${comma[1]}.${comma[2]}`);
    return good(Number(`${comma[1]}.${comma[2]}`));
  }
  return bad('not-number', `${JSON.stringify(text)} is not a number`);
}

/**
 * Reads a text that a person typed, a spreadsheet holds or a file states as text.
 * Leading and trailing blanks are ignored for every type but text and choice, where they count.
 */
export function parseText(text: string, spec: TypeSpec): Parsed {
  const trimmed = text.trim();
  switch (spec.type) {
    case 'text':
    case 'choice':
      return good(text);
    case 'whole':
      if (/^[+-]?\d+$/.test(trimmed) && Number.isSafeInteger(Number(trimmed))) return good(Number(trimmed));
      return bad('not-whole', `${JSON.stringify(text)} is not a whole number`);
    case 'number': {
      const m = /^([+-]?[\d.,]+(?:[eE][+-]?\d+)?)\s*(.*)$/.exec(trimmed);
      if (!m) return bad('not-number', `${JSON.stringify(text)} is not a number`);
      const number = readNumber(m[1]!);
      if (!number.ok || !m[2]) return number;
      return inUnit(number.value as number, m[2], spec);
    }
    case 'yesno': {
      const word = trimmed.toLowerCase();
      if (YES.has(word)) return good(true);
      if (NO.has(word)) return good(false);
      return bad('not-yes-no', `${JSON.stringify(text)} is neither yes nor no`);
    }
    case 'date':
      return isIsoDate(trimmed) ? good(trimmed) : bad('not-date', `${JSON.stringify(text)} is not a date such as 2026-11-25`);
  }
}

function inUnit(value: number, unit: string, spec: TypeSpec): Parsed {
  const found = findUnit(unit);
  if (!found) return bad('unknown-unit', `${JSON.stringify(unit)} is not a unit that Rule knows`);
  if (!spec.unit) return bad('wrong-unit', `this property has no unit, but the value is in ${found.code}`);
  const wanted = findUnit(spec.unit);
  if (wanted?.quantity !== found.quantity) return bad('wrong-unit', `${found.code} cannot be converted to ${spec.unit}`);
  return good(convert(value, found.code, wanted.code));
}

/** Reads a held value in a property's type, converting units. */
export function readHeld(held: HeldValue, spec: TypeSpec): Parsed {
  if (held.form === 'measure' && held.unit && spec.type === 'number') {
    const number = readNumber(held.text);
    return number.ok ? inUnit(number.value as number, held.unit, spec) : number;
  }
  if (held.form === 'real' && spec.type === 'whole') {
    const n = Number(held.text);
    if (Number.isSafeInteger(n)) return good(n);
  }
  return parseText(held.text, spec);
}

/** The shortest decimal text of a number that reads back as the same number, without an exponent where digits suffice. */
export function plainNumber(value: number): string {
  const short = String(value);
  if (!/e/i.test(short)) return short;
  const fixed = Math.abs(value) < 1 ? value.toFixed(20).replace(/0+$/, '') : String(BigInt(value));
  return Number(fixed) === value ? fixed : short;
}

/** A typed value as it is held in a file: the exact inverse of {@link readHeld}. */
export function holdValue(value: TypedValue, spec: TypeSpec): HeldValue {
  switch (spec.type) {
    case 'whole':
      return { text: plainNumber(value as number), form: 'integer' };
    case 'number':
      return spec.unit ? { text: plainNumber(value as number), form: 'measure', unit: spec.unit } : { text: plainNumber(value as number), form: 'real' };
    case 'yesno':
      return { text: value ? 'yes' : 'no', form: 'boolean' };
    default:
      return { text: String(value), form: 'text' };
  }
}

/** A typed value as it is shown: decimals filled up, unit left to the caption unless `withUnit`. */
export function showValue(value: TypedValue, spec: TypeSpec, withUnit = false): string {
  if (typeof value === 'boolean') return value ? 'yes' : 'no';
  if (typeof value === 'string') return value;
  const digits = spec.type === 'number' && spec.decimals != null ? value.toFixed(spec.decimals) : plainNumber(value);
  return withUnit && spec.unit ? `${digits} ${spec.unit}` : digits;
}

/** How many decimals a number has when written plainly. */
export function countDecimals(value: number): number {
  const plain = plainNumber(value);
  if (/e/i.test(plain)) return Number.MAX_SAFE_INTEGER;
  return plain.includes('.') ? plain.length - plain.indexOf('.') - 1 : 0;
}
