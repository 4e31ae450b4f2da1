/** A number rounded to six significant digits. */
export const plain = (n: number): string => (n === 0 ? '0' : Math.abs(n) >= 1e7 || Math.abs(n) < 1e-3 ? n.toExponential(4) : String(Number(n.toPrecision(6))));
