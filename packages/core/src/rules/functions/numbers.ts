import { convert, findUnit } from '../../values';
import { arithmetic } from '../decimals';
import { DaysDuration, FeelValue, MonthsDuration } from '../value';
import { Builtin, collected } from './registry';

/** Functions on numbers and conditions. */
export const NUMBERS: Builtin[] = [];
const add = collected(NUMBERS);

/** Rounds to decimals; `up` decides on the discarded digit: away from zero, half, or half even. */
export function roundTo(value: number, decimals: number, how: 'half even' | 'half up' | 'half down' | 'up' | 'down' | 'floor' | 'ceiling'): number | null {
  if (!Number.isInteger(decimals) || Math.abs(decimals) > 300 || !Number.isFinite(value)) return null;
  // Shifting the decimal exponent keeps 1.005 exact.
  const shift = (n: number, by: number) => {
    const [digits, exponent = '0'] = String(n).split('e') as [string, string?];
    return Number(`${digits}e${Number(exponent) + by}`);
  };
  const scaled = shift(value, decimals);
  if (!Number.isFinite(scaled)) return null;
  const size = Math.abs(scaled);
  const whole = Math.floor(size);
  const rest = size - whole;
  const up = { 'half even': rest > 0.5 || (rest === 0.5 && whole % 2 === 1), 'half up': rest >= 0.5, 'half down': rest > 0.5, up: rest > 0, down: false };
  let result: number;
  if (how === 'floor') result = Math.floor(scaled);
  else if (how === 'ceiling') result = Math.ceil(scaled);
  else result = Math.sign(scaled) * (up[how] ? whole + 1 : whole);
  return shift(result, -decimals) + 0;
}
add('decimal', 'n:n, scale:n', 'n', 'A number rounded to decimals, halves to the even digit.', ([n, s]) => roundTo(n as number, s as number, 'half even'));
for (const how of ['up', 'down', 'half up', 'half down'] as const)
  add(`round ${how}`, 'n:n, scale:n', 'n', `A number rounded ${how} to decimals.`, ([n, s]) => roundTo(n as number, s as number, how));
add('floor', 'n:n, scale:n?', 'n', 'The next number below.', ([n, s]) => roundTo(n as number, (s ?? 0) as number, 'floor'));
add('ceiling', 'n:n, scale:n?', 'n', 'The next number above.', ([n, s]) => roundTo(n as number, (s ?? 0) as number, 'ceiling'));
add(
  'abs',
  'n:a',
  (args) => args[0]!,
  'The absolute value of a number or duration.',
  ([n]) => {
    if (typeof n === 'number') return Math.abs(n);
    if (n instanceof DaysDuration) return new DaysDuration(Math.abs(n.seconds));
    return n instanceof MonthsDuration ? new MonthsDuration(Math.abs(n.months)) : null;
  },
);
export const finite = (n: number): number | null => (Number.isFinite(n) ? n : null);
/** a − b·⌊a ÷ b⌋ in decimals. */
function remainder(a: number, b: number): number | null {
  const quotient = arithmetic('over', a, b);
  const part = quotient === null ? null : arithmetic('times', b, Math.floor(quotient));
  return part === null ? null : arithmetic('minus', a, part);
}
add('modulo', 'dividend:n, divisor:n', 'n', 'The remainder of a division, with the sign of the divisor.', ([a, b]) =>
  b === 0 ? null : remainder(a as number, b as number),
);
add('sqrt', 'number:n', 'n', 'The square root.', ([n]) => finite(Math.sqrt(n as number)));
add('log', 'number:n', 'n', 'The natural logarithm.', ([n]) => finite(Math.log(n as number)));
add('exp', 'number:n', 'n', "Euler's number raised to a power.", ([n]) => finite(Math.exp(n as number)));
add('odd', 'number:n', 'b', 'Whether a number is odd.', ([n]) => (Number.isInteger(n) ? Math.abs((n as number) % 2) === 1 : null));
add('even', 'number:n', 'b', 'Whether a number is even.', ([n]) => (Number.isInteger(n) ? (n as number) % 2 === 0 : null));
add('number', 'from:s, grouping separator:s?, decimal separator:s?', 'n', 'Reads a number from a text.', ([s, group, point]) => {
  if (
    (group != null && ![' ', ',', '.'].includes(group as string)) ||
    (point != null && !['.', ','].includes(point as string)) ||
    (group != null && group === point)
  )
    return null;
  let text = s as string;
  if (group) text = text.split(group as string).join('');
  if (point) text = text.replace(point as string, '.');
  return /^-?(\d+(\.\d+)?|\.\d+)([eE][+-]?\d+)?$/.test(text) ? finite(Number(text)) : null;
});
add('convert', 'value:n, from:s, to:s', 'n', `Converts a number between units, such as convert(Mass, "kg", "lb").`, ([n, from, to]) => {
  const [a, b] = [findUnit(from as string), findUnit(to as string)];
  return a && b?.quantity === a.quantity ? convert(n as number, a.code, b.code) : null;
});
add('format number', 'value:n, decimals:n, decimal sign:s?', 's', 'A number with a fixed number of decimals, as text.', ([n, d, sign]) => {
  const rounded = roundTo(n as number, d as number, 'half up');
  if (rounded === null || (d as number) < 0 || (d as number) > 15 || ![undefined, null, '.', ','].includes(sign as string)) return null;
  return rounded.toFixed(d as number).replace('.', (sign ?? '.') as string);
});

add('not', 'negand:b', 'b', 'The opposite of a condition.', ([b]) => !b);
const allTrue = (list: readonly FeelValue[]) => (list.includes(false) ? false : list.every((item) => item === true) ? true : null);
const anyTrue = (list: readonly FeelValue[]) => (list.includes(true) ? true : list.every((item) => item === false) ? false : null);
add('all', 'list:l*', 'b', 'Whether all conditions hold.', ([l]) => allTrue(l as readonly FeelValue[]));
add('any', 'list:l*', 'b', 'Whether any condition holds.', ([l]) => anyTrue(l as readonly FeelValue[]));
