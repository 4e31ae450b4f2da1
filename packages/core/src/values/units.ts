/** Quantity of a unit. */
export type Quantity =
  'length' | 'mass' | 'angle' | 'time' | 'torque' | 'area' | 'volume' | 'density' | 'force' | 'pressure' | 'power' | 'voltage' | 'current' | 'rotation';

/** A unit: code (also its symbol), quantity and size in SI. */
export interface Unit {
  readonly code: string;
  readonly quantity: Quantity;
  readonly toSi: number;
  /** Alternative spellings. */
  readonly also?: readonly string[];
}

/**
 * Units of properties. Factors from NIST SP 811, appendix B: inch 0.0254 m, foot 0.3048 m, yard 0.9144 m, pound 0.453 592 37 kg, ounce 1/16
 * lb (all exact by definition), pound-force 0.453 592 37 × 9.806 65 N; derived ones are products of these.
 */
export const UNITS: readonly Unit[] = [
  { code: 'µm', quantity: 'length', toSi: 1e-6, also: ['μm', 'um'] },
  { code: 'mm', quantity: 'length', toSi: 1e-3 },
  { code: 'cm', quantity: 'length', toSi: 1e-2 },
  { code: 'dm', quantity: 'length', toSi: 0.1 },
  { code: 'm', quantity: 'length', toSi: 1 },
  { code: 'km', quantity: 'length', toSi: 1000 },
  { code: 'mil', quantity: 'length', toSi: 0.0254 / 1000, also: ['thou'] },
  { code: 'in', quantity: 'length', toSi: 0.0254, also: ['"', 'inch'] },
  { code: 'yd', quantity: 'length', toSi: 0.9144, also: ['yard'] },
  { code: 'ft', quantity: 'length', toSi: 0.3048, also: ["'", 'foot', 'feet'] },
  { code: 'mg', quantity: 'mass', toSi: 1e-6 },
  { code: 'g', quantity: 'mass', toSi: 1e-3 },
  { code: 'kg', quantity: 'mass', toSi: 1 },
  { code: 't', quantity: 'mass', toSi: 1000, also: ['Mg'] },
  { code: 'lb', quantity: 'mass', toSi: 0.45359237, also: ['lbs'] },
  { code: 'oz', quantity: 'mass', toSi: 0.45359237 / 16 },
  { code: '°', quantity: 'angle', toSi: Math.PI / 180, also: ['deg'] },
  { code: 'rad', quantity: 'angle', toSi: 1 },
  { code: 's', quantity: 'time', toSi: 1 },
  { code: 'min', quantity: 'time', toSi: 60 },
  { code: 'h', quantity: 'time', toSi: 3600 },
  { code: 'mm²', quantity: 'area', toSi: 1e-6, also: ['mm2', 'mm^2'] },
  { code: 'cm²', quantity: 'area', toSi: 1e-4, also: ['cm2', 'cm^2'] },
  { code: 'm²', quantity: 'area', toSi: 1, also: ['m2', 'm^2'] },
  { code: 'in²', quantity: 'area', toSi: 0.0254 ** 2, also: ['in2', 'in^2', 'sq in'] },
  { code: 'ft²', quantity: 'area', toSi: 0.3048 ** 2, also: ['ft2', 'ft^2', 'sq ft'] },
  { code: 'mm³', quantity: 'volume', toSi: 1e-9, also: ['mm3', 'mm^3'] },
  { code: 'cm³', quantity: 'volume', toSi: 1e-6, also: ['cm3', 'cm^3'] },
  { code: 'm³', quantity: 'volume', toSi: 1, also: ['m3', 'm^3'] },
  { code: 'in³', quantity: 'volume', toSi: 0.0254 ** 3, also: ['in3', 'in^3', 'cu in'] },
  { code: 'kg/m³', quantity: 'density', toSi: 1, also: ['kg/m3', 'kg/m^3'] },
  { code: 'g/cm³', quantity: 'density', toSi: 1000, also: ['g/cm3', 'g/cm^3'] },
  { code: 'lb/in³', quantity: 'density', toSi: 0.45359237 / 0.0254 ** 3, also: ['lb/in3', 'lb/in^3'] },
  { code: 'N·m', quantity: 'torque', toSi: 1, also: ['Nm', 'N m'] },
  { code: 'lbf·ft', quantity: 'torque', toSi: 0.45359237 * 9.80665 * 0.3048, also: ['lbf ft', 'ft lbf'] },
  { code: 'lbf·in', quantity: 'torque', toSi: 0.45359237 * 9.80665 * 0.0254, also: ['lbf in', 'in lbf'] },
  { code: 'N', quantity: 'force', toSi: 1 },
  { code: 'kN', quantity: 'force', toSi: 1000 },
  { code: 'lbf', quantity: 'force', toSi: 0.45359237 * 9.80665 },
  { code: 'Pa', quantity: 'pressure', toSi: 1 },
  { code: 'kPa', quantity: 'pressure', toSi: 1000 },
  { code: 'MPa', quantity: 'pressure', toSi: 1e6, also: ['N/mm²', 'N/mm2'] },
  { code: 'bar', quantity: 'pressure', toSi: 1e5 },
  { code: 'psi', quantity: 'pressure', toSi: (0.45359237 * 9.80665) / 0.0254 ** 2 },
  { code: 'W', quantity: 'power', toSi: 1 },
  { code: 'kW', quantity: 'power', toSi: 1000 },
  { code: 'V', quantity: 'voltage', toSi: 1 },
  { code: 'A', quantity: 'current', toSi: 1 },
  { code: '1/min', quantity: 'rotation', toSi: 1 / 60, also: ['rpm', 'r/min'] },
];

const bySpelling = new Map<string, Unit>(UNITS.flatMap((unit) => [unit.code, ...(unit.also ?? [])].map((spelling) => [spelling, unit] as const)));

/** A unit by code or spelling; `undefined` if unknown. */
export const findUnit = (spelling: string): Unit | undefined => bySpelling.get(spelling.trim());

/** A unit by quantity and SI size; `undefined` if unknown. */
export const unitOfSize = (quantity: Quantity, toSi: number): Unit | undefined =>
  UNITS.find((unit) => unit.quantity === quantity && Math.abs(unit.toSi - toSi) <= 1e-6 * unit.toSi);

/**
 * Converts between units of one quantity.
 * @throws RangeError if a unit is unknown or quantities differ
 */
export function convert(value: number, from: string, to: string): number {
  const a = findUnit(from);
  const b = findUnit(to);
  if (!a || !b) throw new RangeError(`unknown unit ${a ? to : from}`);
  if (a.quantity !== b.quantity) throw new RangeError(`${from} measures ${a.quantity}, ${to} measures ${b.quantity}`);
  if (a.code === b.code) return value;
  // Doubles carry 15 to 17 digits: rounding to 15 removes the noise of two multiplications.
  return Number(((value * a.toSi) / b.toSi).toPrecision(15));
}
