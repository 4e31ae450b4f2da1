import { dateInForm, isDateForm } from '../../values';
import { ANY, TypeKind, plain } from '../type';
import {
  DaysDuration,
  FeelDate,
  FeelDateTime,
  FeelTime,
  FeelValue,
  MonthsDuration,
  civil,
  daysOf,
  readDate,
  readDateTime,
  readDuration,
  readTime,
} from '../value';
import { Builtin, Meter, collected } from './registry';

/** Functions on dates and times. */
export const TIMES: Builtin[] = [];
const add = collected(TIMES);

const typed = (kind: TypeKind) => () => plain(kind, true);
add('date', 'from:a, month:n?, day:n?', typed('date'), 'A date from a text, or from year, month and day.', (args) => {
  const [from, month, day] = args;
  if (args.length === 3) {
    const days = daysOf(from as number, month as number, day as number);
    return days === null ? null : new FeelDate(days);
  }
  if (args.length !== 1) return null;
  if (typeof from === 'string') return readDate(from);
  if (from instanceof FeelDate) return from;
  return from instanceof FeelDateTime ? new FeelDate(from.days) : null;
});
add('time', 'from:a, minute:n?, second:n?, offset:t?', typed('time'), 'A time from a text, or from hour, minute and second.', (args) => {
  const [from, minute, second, offset] = args;
  if (args.length >= 3) {
    const [h, m, s] = [from, minute, second] as number[];
    if (!(h! >= 0 && h! < 24 && m! >= 0 && m! < 60 && s! >= 0 && s! < 60)) return null;
    return new FeelTime(h! * 3600 + m! * 60 + s!, offset instanceof DaysDuration ? offset.seconds : null);
  }
  if (typeof from === 'string') return readTime(from);
  if (from instanceof FeelTime) return from;
  if (from instanceof FeelDate) return new FeelTime(0, 0);
  return from instanceof FeelDateTime ? new FeelTime(from.seconds, from.offset) : null;
});
add('date and time', 'from:a, time:a?', typed('date and time'), 'A date and time from a text, or from a date and a time.', (args) => {
  const [from, time] = args;
  if (args.length === 2) {
    if (!(from instanceof FeelDate || from instanceof FeelDateTime) || !(time instanceof FeelTime)) return null;
    return new FeelDateTime(from.days, time.seconds, time.offset);
  }
  if (typeof from === 'string') return readDateTime(from);
  if (from instanceof FeelDate) return new FeelDateTime(from.days, 0, null);
  return from instanceof FeelDateTime ? from : null;
});
add(
  'duration',
  'from:s',
  () => ANY,
  'A duration from a text such as "P3D" or "P1Y".',
  ([s]) => readDuration(s as string),
);
add('years and months duration', 'from:d, to:d', typed('years and months duration'), 'Whole months between two dates.', ([a, b]) => {
  const [from, to] = [a as FeelDate | FeelDateTime, b as FeelDate | FeelDateTime];
  const sign = from.days > to.days ? -1 : 1;
  const [x, y] = sign > 0 ? [civil(from.days), civil(to.days)] : [civil(to.days), civil(from.days)];
  const months = (y.year - x.year) * 12 + y.month - x.month - (y.day < x.day ? 1 : 0);
  return new MonthsDuration(months === 0 ? 0 : sign * months);
});
const DAYS = ['Sunday', 'Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday'];
const MONTHS = ['January', 'February', 'March', 'April', 'May', 'June', 'July', 'August', 'September', 'October', 'November', 'December'];
const dayNumber = (v: FeelValue) => (v as FeelDate | FeelDateTime).days;
const weekday = (days: number) => (((days + 4) % 7) + 7) % 7;
add('day of week', 'date:d', 's', 'The day of the week in English.', ([d]) => DAYS[weekday(dayNumber(d!))]!);
add('month of year', 'date:d', 's', 'The month in English.', ([d]) => MONTHS[civil(dayNumber(d!)).month - 1]!);
const dayOfYear = (days: number) => days - daysOf(civil(days).year, 1, 1)! + 1;
add('day of year', 'date:d', 'n', 'The day counted from the first of January.', ([d]) => dayOfYear(dayNumber(d!)));
add('week of year', 'date:d', 'n', 'The ISO 8601 week: week 1 has the first Thursday.', ([d]) => {
  const thursday = dayNumber(d!) - ((weekday(dayNumber(d!)) + 6) % 7) + 3;
  return Math.floor((dayOfYear(thursday) - 1) / 7) + 1;
});
add('format date', 'date:d, form:s', 's', 'A date in a format of YYYY, YY, MM, DD and separators.', ([d, form]) => formatDays(dayNumber(d!), form as string));
const now = (m: Meter) => {
  if (m.host.instant === null) return null;
  const days = Math.floor(m.host.instant / 86_400);
  return new FeelDateTime(days, m.host.instant - days * 86_400, 0);
};
add('today', '', typed('date'), 'Today.', (_, m) => {
  const at = now(m);
  return at && new FeelDate(at.days);
});
add('now', '', typed('date and time'), 'The current date and time.', (_, m) => now(m));

/** Formats a date with `YYYY`, `YY`, `MM`, `DD` and separators; `null` if the format is invalid. */
const formatDays = (days: number, form: string): string | null => (isDateForm(form) ? dateInForm(String(new FeelDate(days)), form) : null);
