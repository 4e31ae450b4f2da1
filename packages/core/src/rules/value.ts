/**
 * Values of rules, as in FEEL (OMG Decision Model and Notation, chapter 10). `null` is "no value"; dates, times and durations are the
 * classes below.
 */
export type FeelValue =
  | null
  | boolean
  | number
  | string
  | FeelDate
  | FeelTime
  | FeelDateTime
  | DaysDuration
  | MonthsDuration
  | FeelRange
  | FeelFunction
  | readonly FeelValue[]
  | FeelContext;

/** Named values. No prototype, so no name is special. */
export interface FeelContext {
  readonly [name: string]: FeelValue;
}

/** A function defined in a rule. */
export class FeelFunction {
  constructor(
    readonly parameters: readonly string[],
    readonly call: (args: readonly FeelValue[]) => FeelValue,
  ) {}
}

/** A calendar date as days since 1970-01-01 (proleptic Gregorian, ISO 8601). */
export class FeelDate {
  constructor(readonly days: number) {}
  toString(): string {
    return isoDate(this.days);
  }
}

/** A time of day in seconds, with UTC offset in seconds if given. */
export class FeelTime {
  constructor(
    readonly seconds: number,
    readonly offset: number | null,
  ) {}
  toString(): string {
    return isoTime(this.seconds) + isoOffset(this.offset);
  }
}

/** A date and time, local, with UTC offset in seconds if given. */
export class FeelDateTime {
  constructor(
    readonly days: number,
    readonly seconds: number,
    readonly offset: number | null,
  ) {}
  /** Seconds since 1970-01-01; local times count as UTC. */
  get instant(): number {
    return this.days * DAY + this.seconds - (this.offset ?? 0);
  }
  toString(): string {
    return `${isoDate(this.days)}T${isoTime(this.seconds)}${isoOffset(this.offset)}`;
  }
}

/** A duration in seconds. */
export class DaysDuration {
  constructor(readonly seconds: number) {}
  toString(): string {
    let rest = Math.abs(this.seconds);
    const days = Math.floor(rest / DAY);
    rest -= days * DAY;
    const hours = Math.floor(rest / 3600);
    rest -= hours * 3600;
    const minutes = Math.floor(rest / 60);
    const seconds = rest - minutes * 60;
    const time = (hours ? `${hours}H` : '') + (minutes ? `${minutes}M` : '') + (seconds ? `${seconds}S` : '');
    const text = `P${days ? `${days}D` : ''}${time ? `T${time}` : ''}`;
    return (this.seconds < 0 ? '-' : '') + (text === 'P' ? 'PT0S' : text);
  }
}

/** A duration in months. */
export class MonthsDuration {
  constructor(readonly months: number) {}
  toString(): string {
    const months = Math.abs(this.months);
    const text = `P${months >= 12 ? `${Math.floor(months / 12)}Y` : ''}${months % 12 ? `${months % 12}M` : ''}`;
    return (this.months < 0 ? '-' : '') + (text === 'P' ? 'P0M' : text);
  }
}

/** A range such as `[1..10)`; `null` ends are infinite. */
export class FeelRange {
  constructor(
    readonly low: FeelValue,
    readonly lowIncluded: boolean,
    readonly high: FeelValue,
    readonly highIncluded: boolean,
  ) {}
}

const DAY = 86_400;

/** Largest year of dates; the smallest is its negative. */
export const LAST_YEAR = 200_000;

/** Days since 1970-01-01 of a Gregorian date; `null` if invalid. */
export function daysOf(year: number, month: number, day: number): number | null {
  if (!Number.isInteger(year) || !Number.isInteger(month) || !Number.isInteger(day) || Math.abs(year) > LAST_YEAR) return null;
  const at = new Date(0);
  at.setUTCFullYear(year, month - 1, day);
  return at.getUTCFullYear() === year && at.getUTCMonth() === month - 1 && at.getUTCDate() === day ? at.getTime() / 86_400_000 : null;
}

/** Year, month (1 to 12) and day of a day number. */
export function civil(days: number): { readonly year: number; readonly month: number; readonly day: number } {
  const at = new Date(days * 86_400_000);
  return { year: at.getUTCFullYear(), month: at.getUTCMonth() + 1, day: at.getUTCDate() };
}

const two = (n: number) => String(n).padStart(2, '0');

function isoDate(days: number): string {
  const { year, month, day } = civil(days);
  return `${year < 0 ? '-' : ''}${String(Math.abs(year)).padStart(4, '0')}-${two(month)}-${two(day)}`;
}

function isoTime(seconds: number): string {
  const whole = Math.floor(seconds);
  const part = Number((seconds - whole).toFixed(9));
  return `${two(Math.floor(whole / 3600))}:${two(Math.floor(whole / 60) % 60)}:${two(whole % 60)}${part ? String(part).slice(1) : ''}`;
}

function isoOffset(offset: number | null): string {
  if (offset === null) return '';
  if (offset === 0) return 'Z';
  const minutes = Math.abs(offset) / 60;
  return `${offset < 0 ? '-' : '+'}${two(Math.floor(minutes / 60))}:${two(minutes % 60)}`;
}

/** Parses an ISO 8601 date; `null` if invalid. */
export function readDate(text: string): FeelDate | null {
  const m = /^(-?\d{4,6})-(\d{2})-(\d{2})$/.exec(text);
  const days = m && daysOf(Number(m[1]), Number(m[2]), Number(m[3]));
  return days === null ? null : new FeelDate(days);
}

/** Parses an ISO 8601 time of day; `null` if invalid. */
export function readTime(text: string): FeelTime | null {
  const m = /^(\d{2}):(\d{2}):(\d{2}(?:\.\d{1,9})?)(Z|[+-]\d{2}:\d{2})?$/.exec(text);
  if (!m || Number(m[1]) > 23 || Number(m[2]) > 59 || Number(m[3]) >= 60) return null;
  const seconds = Number(m[1]) * 3600 + Number(m[2]) * 60 + Number(m[3]);
  if (m[4] === undefined) return new FeelTime(seconds, null);
  if (m[4] === 'Z') return new FeelTime(seconds, 0);
  const [hours, minutes] = m[4].slice(1).split(':').map(Number) as [number, number];
  if (hours > 14 || minutes > 59) return null;
  return new FeelTime(seconds, (m[4].startsWith('-') ? -1 : 1) * (hours * 3600 + minutes * 60));
}

/** Parses an ISO 8601 date and time; a date alone means midnight. */
export function readDateTime(text: string): FeelDateTime | null {
  const at = text.indexOf('T');
  const date = readDate(at < 0 ? text : text.slice(0, at));
  const time = at < 0 ? new FeelTime(0, null) : readTime(text.slice(at + 1));
  return date && time && new FeelDateTime(date.days, time.seconds, time.offset);
}

/** Parses an ISO 8601 duration: years and months, or days and time. */
export function readDuration(text: string): DaysDuration | MonthsDuration | null {
  const months = /^(-?)P(?=\d)(?:(\d{1,9})Y)?(?:(\d{1,9})M)?$/.exec(text);
  if (months) return new MonthsDuration((months[1] ? -1 : 1) * (Number(months[2] ?? 0) * 12 + Number(months[3] ?? 0)));
  const m = /^(-?)P(?=\d|T\d)(?:(\d{1,9})D)?(?:T(?=\d)(?:(\d{1,9})H)?(?:(\d{1,9})M)?(?:(\d{1,9}(?:\.\d{1,9})?)S)?)?$/.exec(text);
  if (!m) return null;
  const [days, hours, minutes, seconds] = m.slice(2).map((part) => Number(part ?? 0)) as [number, number, number, number];
  return new DaysDuration((m[1] ? -1 : 1) * (days * DAY + hours * 3600 + minutes * 60 + seconds));
}

/** Adds months; the day is limited to the month's length. */
export function addMonths(days: number, months: number): number | null {
  const { year, month, day } = civil(days);
  const at = year * 12 + month - 1 + months;
  const [y, m] = [Math.floor(at / 12), (((at % 12) + 12) % 12) + 1];
  for (let d = day; d > 27; d--) {
    const found = daysOf(y, m, d);
    if (found !== null) return found;
  }
  return daysOf(y, m, Math.min(day, 28));
}

/** Whether a value is a context. */
export const isContext = (value: FeelValue): value is FeelContext =>
  typeof value === 'object' && value !== null && (Object.getPrototypeOf(value) === null || Object.getPrototypeOf(value) === Object.prototype);

export const isList = (value: FeelValue): value is readonly FeelValue[] => Array.isArray(value);

/** Makes a context. */
export function contextOf(entries: Iterable<readonly [string, FeelValue]>): FeelContext {
  const context = Object.create(null) as Record<string, FeelValue>;
  for (const [name, value] of entries) context[name] = value;
  return context;
}

/** FEEL name of a value's type. */
export function typeName(value: FeelValue): string {
  if (value === null) return 'null';
  if (isList(value)) return 'list';
  if (typeof value !== 'object') return typeof value;
  if (value instanceof FeelDate) return 'date';
  if (value instanceof FeelTime) return 'time';
  if (value instanceof FeelDateTime) return 'date and time';
  if (value instanceof DaysDuration) return 'days and time duration';
  if (value instanceof MonthsDuration) return 'years and months duration';
  if (value instanceof FeelRange) return 'range';
  return value instanceof FeelFunction ? 'function' : 'context';
}

/** Sort key of a value; `null` for unordered types. Texts compare directly. */
function rank(value: FeelValue): number | null {
  if (typeof value === 'number') return value;
  if (value instanceof FeelDate) return value.days;
  if (value instanceof FeelDateTime) return value.instant;
  if (value instanceof FeelTime) return value.seconds - (value.offset ?? 0);
  if (value instanceof DaysDuration) return value.seconds;
  return value instanceof MonthsDuration ? value.months : null;
}

/** Compares two values: negative, 0 or positive; `null` if not comparable. */
export function compare(a: FeelValue, b: FeelValue): number | null {
  if (typeof a === 'number' && typeof b === 'number') return a - b;
  if (typeof a === 'string' && typeof b === 'string') return a < b ? -1 : a > b ? 1 : 0;
  if (a === null || b === null || typeof a !== 'object' || typeof b !== 'object' || typeName(a) !== typeName(b)) return null;
  const [x, y] = [rank(a), rank(b)];
  return x === null || y === null ? null : x - y;
}

/** Whether two values are equal; `null` if of different types. `null` equals only `null`. */
export function equal(a: FeelValue, b: FeelValue): boolean | null {
  if (a === b) return true;
  if (a === null || b === null) return false;
  if (typeof a !== 'object' || typeof b !== 'object') return typeof a === typeof b ? false : null;
  if (isList(a) && isList(b)) return a.length === b.length && a.every((item, i) => equal(item, b[i]!) === true);
  if (isContext(a) && isContext(b)) {
    const keys = Object.keys(a);
    return keys.length === Object.keys(b).length && keys.every((key) => key in b && equal(a[key]!, b[key]!) === true);
  }
  if (a instanceof FeelRange && b instanceof FeelRange)
    return equal(a.low, b.low) === true && equal(a.high, b.high) === true && a.lowIncluded === b.lowIncluded && a.highIncluded === b.highIncluded;
  if (typeName(a) !== typeName(b)) return null;
  const order = compare(a, b);
  return order === null ? false : order === 0;
}
