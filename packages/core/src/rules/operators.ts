import { arithmetic } from './decimals';
import { Meter, RuleLimit } from './functions';
import { ANY, FeelType, plain } from './type';
import {
  DaysDuration,
  FeelDate,
  FeelDateTime,
  FeelRange,
  FeelTime,
  FeelValue,
  MonthsDuration,
  LAST_YEAR,
  addMonths,
  civil,
  compare,
  daysOf,
  equal,
  isContext,
  isList,
} from './value';

/** Ordered types. */
export const ORDERED = new Set(['number', 'string', 'date', 'time', 'date and time', 'days and time duration', 'years and months duration']);

/** Duration types. */
export const DURATIONS = new Set(['days and time duration', 'years and months duration']);

/** Date and time types. */
export const MOMENTS = new Set(['date', 'date and time', 'time']);

/** Properties of a type's values, with types. */
export const PROPERTIES: Readonly<Record<string, Readonly<Record<string, FeelType>>>> = {
  date: { year: plain('number'), month: plain('number'), day: plain('number'), weekday: plain('number') },
  'date and time': {
    year: plain('number'),
    month: plain('number'),
    day: plain('number'),
    weekday: plain('number'),
    hour: plain('number'),
    minute: plain('number'),
    second: plain('number'),
    'time offset': plain('days and time duration', true),
  },
  time: { hour: plain('number'), minute: plain('number'), second: plain('number'), 'time offset': plain('days and time duration', true) },
  'days and time duration': { days: plain('number'), hours: plain('number'), minutes: plain('number'), seconds: plain('number') },
  'years and months duration': { years: plain('number'), months: plain('number') },
  range: { start: ANY, end: ANY, 'start included': plain('boolean'), 'end included': plain('boolean') },
};

/** A value's properties: the year of a date, the hours of a duration … */
function partOf(value: FeelValue, name: string): FeelValue {
  if (value instanceof FeelDate || value instanceof FeelDateTime) {
    const at = civil(value.days);
    if (name === 'year' || name === 'month' || name === 'day') return at[name];
    if (name === 'weekday') return ((((value.days + 3) % 7) + 7) % 7) + 1;
  }
  if (value instanceof FeelTime || value instanceof FeelDateTime) {
    if (name === 'hour') return Math.floor(value.seconds / 3600);
    if (name === 'minute') return Math.floor(value.seconds / 60) % 60;
    if (name === 'second') return value.seconds % 60;
    if (name === 'time offset') return value.offset === null ? null : new DaysDuration(value.offset);
  }
  if (value instanceof DaysDuration) {
    const [sign, size] = [Math.sign(value.seconds) + 0 || 1, Math.abs(value.seconds)];
    const parts: Readonly<Record<string, number>> = {
      days: Math.floor(size / 86_400),
      hours: Math.floor(size / 3600) % 24,
      minutes: Math.floor(size / 60) % 60,
      seconds: size % 60,
    };
    return name in parts ? sign * parts[name]! + 0 : null;
  }
  if (value instanceof MonthsDuration) {
    if (name === 'years') return Math.trunc(value.months / 12) + 0;
    if (name === 'months') return (value.months % 12) + 0;
  }
  if (value instanceof FeelRange) {
    const parts: Readonly<Record<string, FeelValue>> = {
      start: value.low,
      end: value.high,
      'start included': value.lowIncluded,
      'end included': value.highIncluded,
    };
    return parts[name] ?? null;
  }
  return null;
}

/** A property of a value, or of each value in a list. */
export function path(value: FeelValue, name: string, meter: Meter): FeelValue {
  if (value === null) return null;
  if (isList(value)) return meter.items(value).map((item) => path(item, name, meter));
  return isContext(value) ? (value[name] ?? null) : partOf(value, name);
}

/** Adds numbers, texts, durations, or a duration to a date or time. */
export function plus(a: FeelValue, b: FeelValue, meter: Meter): FeelValue {
  if (typeof a === 'number' && typeof b === 'number') return arithmetic('plus', a, b);
  if (typeof a === 'string' && typeof b === 'string') return meter.text(a + b);
  return moved(a, b, 1) ?? moved(b, a, 1) ?? sumOf(a, b, 1);
}

const beyond = () => new RuleLimit(`A date is outside the years -${LAST_YEAR} to ${LAST_YEAR}.`);

/**
 * Days since 1970-01-01, checked.
 * @throws RuleLimit if out of range
 */
function inReach(days: number): number {
  if (!(days >= daysOf(-LAST_YEAR, 1, 1)! && days <= daysOf(LAST_YEAR, 12, 31)!)) throw beyond();
  return days;
}

/**
 * A date or time plus a duration.
 * @throws RuleLimit if out of range
 */
function moved(a: FeelValue, by: FeelValue, sign: 1 | -1): FeelValue {
  if (by instanceof MonthsDuration) {
    if (!(a instanceof FeelDate || a instanceof FeelDateTime)) return null;
    const days = addMonths(a.days, sign * by.months);
    if (days === null) throw beyond();
    return a instanceof FeelDate ? new FeelDate(days) : new FeelDateTime(days, a.seconds, a.offset);
  }
  if (!(by instanceof DaysDuration)) return null;
  const seconds = sign * by.seconds;
  if (a instanceof FeelDate) return new FeelDate(inReach(a.days + Math.floor(seconds / 86_400)));
  if (a instanceof FeelTime) return new FeelTime((((a.seconds + seconds) % 86_400) + 86_400) % 86_400, a.offset);
  if (!(a instanceof FeelDateTime)) return null;
  const total = a.seconds + seconds;
  return new FeelDateTime(inReach(a.days + Math.floor(total / 86_400)), ((total % 86_400) + 86_400) % 86_400, a.offset);
}

export function sumOf(a: FeelValue, b: FeelValue, sign: 1 | -1): FeelValue {
  if (a instanceof DaysDuration && b instanceof DaysDuration) return new DaysDuration(a.seconds + sign * b.seconds);
  if (a instanceof MonthsDuration && b instanceof MonthsDuration) return new MonthsDuration(a.months + sign * b.months);
  return null;
}

const instantOf = (value: FeelValue): number | null =>
  value instanceof FeelDateTime
    ? value.instant
    : value instanceof FeelDate
      ? value.days * 86_400
      : value instanceof FeelTime
        ? value.seconds - (value.offset ?? 0)
        : null;

/** Subtracts. */
export function minus(a: FeelValue, b: FeelValue): FeelValue {
  if (typeof a === 'number' && typeof b === 'number') return arithmetic('minus', a, b);
  const shifted = moved(a, b, -1) ?? sumOf(a, b, -1);
  if (shifted !== null) return shifted;
  const [x, y] = [instantOf(a), instantOf(b)];
  return x === null || y === null || a instanceof FeelTime !== b instanceof FeelTime ? null : new DaysDuration(x - y);
}

/** Multiplies numbers, or a duration by a number. */
export function times(a: FeelValue, b: FeelValue): FeelValue {
  if (typeof a === 'number' && typeof b === 'number') return arithmetic('times', a, b);
  const [duration, n] = typeof a === 'number' ? [b, a] : [a, b];
  if (typeof n !== 'number') return null;
  if (duration instanceof DaysDuration) return new DaysDuration(duration.seconds * n);
  return duration instanceof MonthsDuration ? new MonthsDuration(Math.trunc(duration.months * n)) : null;
}

/** Divides numbers, or a duration. */
export function over(a: FeelValue, b: FeelValue): FeelValue {
  if (typeof b === 'number') return b === 0 ? null : typeof a === 'number' ? arithmetic('over', a, b) : times(a, 1 / b);
  if (a instanceof DaysDuration && b instanceof DaysDuration) return b.seconds === 0 ? null : a.seconds / b.seconds;
  return a instanceof MonthsDuration && b instanceof MonthsDuration && b.months !== 0 ? a.months / b.months : null;
}

/** Three-valued "and". */
export const both = (a: FeelValue, b: FeelValue): FeelValue => (a === false || b === false ? false : a === true && b === true ? true : null);

/** Three-valued "or". */
export const either = (a: FeelValue, b: FeelValue): FeelValue => (a === true || b === true ? true : a === false && b === false ? false : null);

/** Compares values of one type; nothing if unordered. */
export function ordered(operator: '<' | '<=' | '>' | '>=', a: FeelValue, b: FeelValue): boolean | null {
  const order = compare(a, b);
  if (order === null) return null;
  return operator === '<' ? order < 0 : operator === '<=' ? order <= 0 : operator === '>' ? order > 0 : order >= 0;
}

/** Whether a value lies in a range. */
export function within(value: FeelValue, range: FeelRange): boolean | null {
  const low = range.low === null ? true : ordered(range.lowIncluded ? '>=' : '>', value, range.low);
  const high = range.high === null ? true : ordered(range.highIncluded ? '<=' : '<', value, range.high);
  return both(low, high) as boolean | null;
}

/** Whether a value passes a test, given the test's result. */
export function passes(value: FeelValue, test: FeelValue, meter: Meter): boolean | null {
  if (test instanceof FeelRange) return within(value, test);
  if (isList(test) && !isList(value)) {
    let unsure = false;
    for (const item of meter.items(test)) {
      const found = passes(value, item, meter);
      if (found === true) return true;
      if (found === null) unsure = true;
    }
    return unsure ? null : false;
  }
  return equal(value, test);
}
