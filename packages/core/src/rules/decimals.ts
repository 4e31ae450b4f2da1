import { Decimal } from 'decimal.js';

/**
 * Numbers in rules are decimals: 0.1 + 0.2 is 0.3, as in FEEL (DMN chapter 10: 34 digits of IEEE 754-2008 decimal128). They are stored as
 * doubles, which distinguish all decimals of 15 digits. Longer ones result from division and are computed as doubles.
 */
const Digits = Decimal.clone({ precision: 34, defaults: true });

const DIGITS = 15;
const MOST = 10 ** DIGITS;

/** Whether a double represents a decimal of at most 15 digits. */
const isShort = (n: number): boolean => {
  if (Number.isInteger(n)) return Math.abs(n) < MOST;
  return Number(n.toPrecision(DIGITS)) === n;
};

type Operation = 'plus' | 'minus' | 'times' | 'over' | 'power';

const AS_DOUBLES: Readonly<Record<Operation, (a: number, b: number) => number>> = {
  plus: (a, b) => a + b,
  minus: (a, b) => a - b,
  times: (a, b) => a * b,
  over: (a, b) => a / b,
  power: (a, b) => a ** b,
};
const AS_DECIMALS: Readonly<Record<Operation, (a: Decimal, b: Decimal) => Decimal>> = {
  plus: (a, b) => a.plus(b),
  minus: (a, b) => a.minus(b),
  times: (a, b) => a.times(b),
  over: (a, b) => a.div(b),
  power: (a, b) => a.pow(b),
};

/** Largest integer exponent computed exactly. */
const LARGEST_POWER = 400;

/** One decimal operation; `null` if not finite. */
export function arithmetic(operation: Operation, a: number, b: number): number | null {
  const double = AS_DOUBLES[operation](a, b);
  // Integers are exact, and so are their quotients to the last digit.
  const plain = Number.isInteger(a) && Number.isInteger(b) && (operation === 'over' || Math.abs(double) < MOST);
  const whole = operation !== 'power' || (Number.isInteger(b) && Math.abs(b) <= LARGEST_POWER);
  const result =
    plain || !whole || !Number.isFinite(double) || !isShort(a) || !isShort(b) ? double : AS_DECIMALS[operation](new Digits(a), new Digits(b)).toNumber();
  return Number.isFinite(result) ? result + 0 : null;
}

/** Order-independent sum; `null` if not finite. */
export function sumOf(list: readonly number[]): number | null {
  if (list.every((n) => Number.isInteger(n))) {
    const total = list.reduce((a, b) => a + b, 0);
    if (Number.isSafeInteger(total)) return total + 0;
  }
  if (list.every(isShort)) return list.reduce((sum, n) => sum.plus(n), new Digits(0)).toNumber() + 0;
  // Compensated summation (Neumaier).
  let [total, lost] = [0, 0];
  for (const n of list) {
    const next = total + n;
    lost += Math.abs(total) >= Math.abs(n) ? total - next + n : n - next + total;
    total = next;
  }
  return Number.isFinite(total + lost) ? total + lost : null;
}
