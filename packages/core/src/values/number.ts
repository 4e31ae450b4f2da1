/** Decimal numbers and fractions of an inch. */

/** Shortest decimal that reads back as the same number, without an exponent if possible. */
export function plainNumber(value: number): string {
  const short = String(value);
  if (!/e/i.test(short)) return short;
  const fixed = Math.abs(value) < 1 ? value.toFixed(20).replace(/0+$/, '') : String(BigInt(value));
  return Number(fixed) === value ? fixed : short;
}

/** Decimals of a number. */
export function countDecimals(value: number): number {
  const plain = plainNumber(value);
  if (/e/i.test(plain)) return Number.MAX_SAFE_INTEGER;
  return plain.includes('.') ? plain.length - plain.indexOf('.') - 1 : 0;
}

const FRACTION = String.raw`(\d+)\s*\/\s*(\d+)`;
/** `3 1/2`, `3-1/2`, `1/2`, `3.5` or `3`, in inches. */
const INCHES = new RegExp(String.raw`^(?:(\d+(?:\.\d+)?)(?:\s*[-\s]\s*${FRACTION})?|${FRACTION})$`);

function inches(text: string): number | null {
  const m = INCHES.exec(text);
  if (!m) return null;
  const [whole, above, below] = [m[1], m[2] ?? m[4], m[3] ?? m[5]];
  if (below !== undefined && Number(below) === 0) return null;
  if (whole?.includes('.') && above !== undefined) return null;
  return Number(whole ?? 0) + (above === undefined ? 0 : Number(above) / Number(below));
}

/**
 * Parses a length in feet, inches and fractions (`3 1/2`, `1/4"`, `2'-3 1/2"`, `2 ft 3 in`) as inches; `null` otherwise, including plain
 * decimals. An unmarked fraction is in inches only if the unit is inch or foot.
 */
export function readFraction(text: string, unit: string | null): number | null {
  const sign = text.startsWith('-') ? -1 : 1;
  const rest = text
    .replace(/^[+-]\s*/, '')
    .replace(/[\u2032\u2019]/g, "'")
    .replace(/[\u2033\u201d]/g, '"');
  const feet = /^(\d+(?:\.\d+)?)\s*(?:'|ft)\s*-?\s*(.*)$/.exec(rest);
  if (feet) {
    const behind = feet[2]!.replace(/\s*("|in)$/, '');
    // "12 ft lbf" and similar are other units.
    const more = behind === '' ? 0 : inches(behind);
    return more === null ? null : sign * (Number(feet[1]) * 12 + more);
  }
  const marked = /\s*("|in)$/.test(rest);
  const bare = rest.replace(/\s*("|in)$/, '');
  if (!bare.includes('/') || (!marked && unit !== 'in' && unit !== 'ft')) return null;
  const found = inches(bare);
  // A bare fraction of a foot: 1/2 is six inches.
  return found === null ? null : sign * found * (!marked && unit === 'ft' ? 12 : 1);
}

const gcd = (a: number, b: number): number => (b === 0 ? a : gcd(b, a % b));

function fractionText(sign: string, parts: number, denominator: number, feet: boolean): string {
  const one = (n: number) => {
    const [whole, rest] = [Math.floor(n / denominator), n % denominator];
    if (rest === 0) return String(whole);
    const shared = gcd(rest, denominator);
    return `${whole ? `${whole} ` : ''}${rest / shared}/${denominator / shared}`;
  };
  if (!feet) return sign + one(parts);
  const [ft, rest] = [Math.floor(parts / (12 * denominator)), parts % (12 * denominator)];
  return `${sign}${ft}'-${one(rest)}"`;
}

/** Inches as integer and fraction (`3 1/2`) or feet and inches (`2'-3 1/2"`), rounded to the denominator. */
export const roundedFraction = (value: number, denominator: number, feet: boolean): string => {
  const parts = Math.round(Math.abs(value) * denominator);
  return fractionText(value < 0 && parts > 0 ? '-' : '', parts, denominator, feet);
};

/** The same, but `null` if inexact. With inch mark, so it reads back in any unit. */
export function exactFraction(value: number, denominator: number, feet: boolean): string | null {
  const parts = Math.abs(value) * denominator;
  if (!Number.isSafeInteger(parts)) return null;
  const text = fractionText(value < 0 ? '-' : '', parts, denominator, feet);
  return feet ? text : `${text}"`;
}
