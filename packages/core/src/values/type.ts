import { HeldValue } from './held';
import { exactFraction, plainNumber, readFraction, roundedFraction } from './number';
import { convert, findUnit } from './units';
import { dateInForm, firstUpper, readDateForm, shortPerson, titleCase } from './words';

/** Property types. `file` refers to another library file. */
export const VALUE_TYPES = ['text', 'longtext', 'whole', 'number', 'yesno', 'date', 'choice', 'person', 'file'] as const;
export type ValueType = (typeof VALUE_TYPES)[number];

/** Letter case on display. */
export const LETTER_FORMS = ['as stored', 'title', 'first upper', 'upper', 'lower'] as const;
/** Number formats; the last two are for inches or feet. */
export const NUMBER_FORMS = ['decimal', 'fraction', 'feet and inches'] as const;

/** How a value is displayed and typed, independent of storage. */
export interface ShownForm {
  readonly letters: (typeof LETTER_FORMS)[number];
  /** Decimals; the property's if `null`. */
  readonly decimals: number | null;
  /** Unit; the property's if `null`. */
  readonly unit: string | null;
  readonly number: (typeof NUMBER_FORMS)[number];
  /** Finest fraction of an inch: 64 for 1/64. */
  readonly denominator: number;
  /** Date format of `YYYY`, `YY`, `MM`, `DD` and separators. */
  readonly date: string;
  readonly person: 'full' | 'short';
}

export const PLAIN_FORM: ShownForm = {
  letters: 'as stored',
  decimals: null,
  unit: null,
  number: 'decimal',
  denominator: 64,
  date: 'YYYY-MM-DD',
  person: 'full',
};

/** Input for parsing and formatting. */
export interface TypeSpec {
  readonly type: ValueType;
  /** Unit code of a `number`; absent if none. */
  readonly unit?: string | null;
  /** Decimals of a `number`; absent if free. */
  readonly decimals?: number | null;
  /** Texts for yes and no; absent if files hold plain booleans. */
  readonly words?: readonly [yes: string, no: string] | null;
  readonly form?: ShownForm;
}

/** A typed value: string for text, choice and date (ISO 8601), number in the property's unit, boolean for yes/no. */
export type TypedValue = string | number | boolean;

/** Why a text is invalid for a type. */
export interface TypeProblem {
  readonly code: 'not-whole' | 'not-number' | 'ambiguous-number' | 'not-yes-no' | 'not-date' | 'unknown-unit' | 'wrong-unit';
  readonly message: string;
}

export type Parsed = { readonly ok: true; readonly value: TypedValue } | { readonly ok: false; readonly problem: TypeProblem };

const good = (value: TypedValue): Parsed => ({ ok: true, value });
const bad = (code: TypeProblem['code'], message: string): Parsed => ({ ok: false, problem: { code, message } });

const YES = new Set(['yes', 'true', 'y', '1', '.t.']);
const NO = new Set(['no', 'false', 'n', '0', '.f.']);

/** Whether a text is an existing ISO 8601 date (`YYYY-MM-DD`). */
export function isIsoDate(text: string): boolean {
  const m = /^(\d{4})-(\d{2})-(\d{2})$/.exec(text);
  if (!m) return false;
  const [year, month, day] = [Number(m[1]), Number(m[2]), Number(m[3])];
  const leap = (year % 4 === 0 && year % 100 !== 0) || year % 400 === 0;
  const days = [31, leap ? 29 : 28, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31][month - 1];
  return days !== undefined && day >= 1 && day <= days;
}

/** Parses a number; one decimal comma is accepted, an ambiguous one (`1,234`) is not. */
function readNumber(text: string): Parsed {
  if (/^[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?$/.test(text)) {
    const n = Number(text);
    return Number.isFinite(n) ? good(n) : bad('not-number', `${text} is too large`);
  }
  const comma = /^([+-]?\d+),(\d+)$/.exec(text);
  if (comma) {
    if (comma[2]!.length === 3 && comma[1]!.replace(/[+-]/, '').length <= 3 && !/^[+-]?0/.test(text))
      return bad('ambiguous-number', `${text} is ambiguous: write ${comma[1]}${comma[2]} or ${comma[1]}.${comma[2]}`);
    return good(Number(`${comma[1]}.${comma[2]}`));
  }
  return bad('not-number', `${JSON.stringify(text)} is not a number`);
}

/** Parses typed, spreadsheet or file text. Outer blanks are ignored except in text and choice. */
export function parseText(text: string, spec: TypeSpec): Parsed {
  const trimmed = text.trim();
  switch (spec.type) {
    case 'text':
    case 'longtext':
    case 'choice':
    case 'person':
    case 'file':
      return good(text);
    case 'whole':
      if (/^[+-]?\d+$/.test(trimmed) && Number.isSafeInteger(Number(trimmed))) return good(Number(trimmed));
      return bad('not-whole', `${JSON.stringify(text)} is not a whole number`);
    case 'number': {
      const inches = readFraction(trimmed, spec.unit ?? null);
      if (inches !== null) return inUnit(inches, 'in', spec);
      const m = /^([+-]?[\d.,]+(?:[eE][+-]?\d+)?)\s*(.*)$/.exec(trimmed);
      if (!m || /^[/\d]/.test(m[2]!)) return bad('not-number', `${JSON.stringify(text)} is not a number`);
      const number = readNumber(m[1]!);
      if (!number.ok || !m[2]) return number;
      return inUnit(number.value as number, m[2], spec);
    }
    case 'yesno': {
      const word = trimmed.toLowerCase();
      if (word === spec.words?.[0].toLowerCase()) return good(true);
      if (word === spec.words?.[1].toLowerCase()) return good(false);
      if (YES.has(word)) return good(true);
      if (NO.has(word)) return good(false);
      return bad('not-yes-no', `${JSON.stringify(text)} is neither ${spec.words?.[0] ?? 'yes'} nor ${spec.words?.[1] ?? 'no'}`);
    }
    case 'date': {
      const form = spec.form?.date ?? PLAIN_FORM.date;
      // Of a timestamp, the date counts.
      const day = /^(\d{4}-\d{2}-\d{2})[T ]\d{2}:\d{2}/.exec(trimmed)?.[1] ?? trimmed;
      const iso = isIsoDate(day) ? day : readDateForm(trimmed, form);
      return iso !== null && isIsoDate(iso) ? good(iso) : bad('not-date', `${JSON.stringify(text)} is not a date such as ${dateInForm('2026-11-25', form)}`);
    }
  }
}

function inUnit(value: number, unit: string, spec: TypeSpec): Parsed {
  const found = findUnit(unit);
  if (!found) return bad('unknown-unit', `${JSON.stringify(unit)} is not a known unit`);
  if (!spec.unit) return bad('wrong-unit', `this property has no unit, but the value is in ${found.code}`);
  const wanted = findUnit(spec.unit);
  if (wanted?.quantity !== found.quantity) return bad('wrong-unit', `${found.code} cannot be converted to ${spec.unit}`);
  return good(convert(value, found.code, wanted.code));
}

/** Parses a held value for a property, converting units. */
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

/** A typed value as held in a file; the inverse of {@link readHeld}. */
export function holdValue(value: TypedValue, spec: TypeSpec): HeldValue {
  switch (spec.type) {
    case 'whole':
      return { text: plainNumber(value as number), form: 'integer' };
    case 'number':
      return spec.unit ? { text: plainNumber(value as number), form: 'measure', unit: spec.unit } : { text: plainNumber(value as number), form: 'real' };
    case 'yesno':
      if (spec.words) return { text: spec.words[value ? 0 : 1], form: 'text' };
      return { text: value ? 'yes' : 'no', form: 'boolean' };
    default:
      return { text: String(value), form: 'text' };
  }
}

/** A text in a display case. */
export function inLetters(text: string, letters: ShownForm['letters']): string {
  switch (letters) {
    case 'upper':
      return text.toUpperCase();
    case 'lower':
      return text.toLowerCase();
    case 'first upper':
      return firstUpper(text);
    case 'title':
      return titleCase(text);
    case 'as stored':
      return text;
  }
}

/** A typed value for display: padded decimals, unit only with `withUnit`. */
export function showValue(value: TypedValue, spec: TypeSpec, withUnit = false): string {
  const form = spec.form ?? PLAIN_FORM;
  if (typeof value === 'boolean') return spec.words ? spec.words[value ? 0 : 1] : value ? 'yes' : 'no';
  if (typeof value === 'string') {
    if (spec.type === 'date') return dateInForm(value, form.date);
    return inLetters(spec.type === 'person' && form.person === 'short' ? shortPerson(value) : value, form.letters);
  }
  const unit = (spec.type === 'number' && spec.unit && form.unit) || (spec.unit ?? null);
  const shown = unit && spec.unit && unit !== spec.unit ? convert(value, spec.unit, unit) : value;
  if (spec.type === 'number' && form.number !== 'decimal' && unit && findUnit(unit)?.quantity === 'length') {
    const text = roundedFraction(convert(shown, unit, 'in'), form.denominator, form.number === 'feet and inches');
    return withUnit && form.number === 'fraction' ? `${text}"` : text;
  }
  const decimals = form.decimals ?? spec.decimals;
  const digits = spec.type === 'number' && decimals != null ? shown.toFixed(decimals) : plainNumber(shown);
  return withUnit && unit ? `${digits} ${unit}` : digits;
}

/** A typed value for editing: exact, and {@link parseText} reads it back. */
export function editText(value: TypedValue, spec: TypeSpec): string {
  const form = spec.form ?? PLAIN_FORM;
  if (typeof value === 'boolean') return spec.words ? spec.words[value ? 0 : 1] : value ? 'yes' : 'no';
  if (typeof value === 'string') return spec.type === 'date' && form.date.includes('YYYY') ? dateInForm(value, form.date) : value;
  if (spec.type === 'number' && form.number !== 'decimal' && (spec.unit === 'in' || spec.unit === 'ft')) {
    const exact = exactFraction(spec.unit === 'ft' ? value * 12 : value, form.denominator, form.number === 'feet and inches');
    const back = exact === null ? null : parseText(exact, spec);
    if (back?.ok && back.value === value) return exact!;
  }
  return plainNumber(value);
}
