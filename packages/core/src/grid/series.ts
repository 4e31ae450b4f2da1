import { isIsoDate } from '../values';

/** Days since 1970-01-01 of an ISO 8601 date. */
const daysOf = (text: string): number => Date.UTC(Number(text.slice(0, 4)), Number(text.slice(5, 7)) - 1, Number(text.slice(8))) / 86_400_000;
const dateOf = (days: number): string => new Date(days * 86_400_000).toISOString().slice(0, 10);

const evenStep = (numbers: readonly number[]): number | null => {
  if (numbers.length < 2) return null;
  const step = numbers[1]! - numbers[0]!;
  return numbers.every((n, i) => i === 0 || Math.abs(n - numbers[i - 1]! - step) < 1e-9) ? step : null;
};

/** Decimals of a plain decimal. */
const decimals = (text: string) => /\.(\d+)$/.exec(text)?.[1]!.length ?? 0;

/**
 * Continues a series: numbers and dates by their step (1 if there is only one), texts by their final number with leading zeros, anything
 * else by repetition.
 * @param given contents of the first cells, at least one
 * @param count number of further cells
 */
export function continueSeries(given: readonly string[], count: number): string[] {
  const repeat = () => Array.from({ length: count }, (_, i) => given[i % given.length]!);
  if (given.length === 0 || given.some((text) => text === '')) return given.length === 0 ? Array<string>(count).fill('') : repeat();
  if (given.every((text) => /^-?\d+(\.\d+)?$/.test(text) && !/^-?0\d/.test(text))) {
    const numbers = given.map(Number);
    const step = given.length === 1 ? 1 : evenStep(numbers);
    if (step === null) return repeat();
    const digits = Math.max(...given.map(decimals));
    return Array.from({ length: count }, (_, i) => (numbers.at(-1)! + step * (i + 1)).toFixed(digits));
  }
  if (given.every(isIsoDate)) {
    const days = given.map(daysOf);
    const step = given.length === 1 ? 1 : evenStep(days);
    return step === null ? repeat() : Array.from({ length: count }, (_, i) => dateOf(days.at(-1)! + step * (i + 1)));
  }
  const parts = given.map((text) => /^(.*?)(\d+)(\D*)$/su.exec(text));
  if (parts.every((part) => part !== null && part[1] === parts[0]![1] && part[3] === parts[0]![3])) {
    const numbers = parts.map((part) => Number(part![2]));
    const step = given.length === 1 ? 1 : evenStep(numbers);
    const last = numbers.at(-1)!;
    if (step !== null && last + step * count >= 0 && Number.isSafeInteger(last + step * count)) {
      const width = Math.max(...parts.map((part) => part![2]!.length));
      const padded = parts.some((part) => part![2]!.startsWith('0')) || parts.every((part) => part![2]!.length === width);
      return Array.from({ length: count }, (_, i) => `${parts[0]![1]}${String(last + step * (i + 1)).padStart(padded ? width : 0, '0')}${parts[0]![3]}`);
    }
  }
  return repeat();
}
