import { Quantity, unitOfSize } from '../../values';
import { StepModel } from './model';

/** How a unit is written: measure type and defining statements. */
interface UnitWriting {
  readonly measure: string;
  /** Statements in order; `$1`, `$2` … refer to ids of earlier ones. The last is the unit. */
  readonly statements: readonly string[];
}

const si = (kind: string, prefix: string, name: string) => `(${kind}()NAMED_UNIT(*)SI_UNIT(${prefix},.${name}.))`;
const MILLIMETRE = si('LENGTH_UNIT', '.MILLI.', 'METRE');
const KILOGRAM = si('MASS_UNIT', '.KILO.', 'GRAM');
const SECOND = si('TIME_UNIT', '$', 'SECOND');
const RADIAN = si('PLANE_ANGLE_UNIT', '$', 'RADIAN');

/** A unit defined by another: ISO 10303-41 conversion_based_unit. Exponents: length, mass, time, … */
const based = (kind: string, measure: string, name: string, factor: string, base: string, exponents: string): UnitWriting => ({
  measure,
  statements: [
    `DIMENSIONAL_EXPONENTS(${exponents})`,
    base,
    `${measure}_WITH_UNIT(${measure}(${factor}),$2)`,
    `(CONVERSION_BASED_UNIT('${name}',$3)${kind}()NAMED_UNIT($1))`,
  ],
});

/** A power of a length: ISO 10303-41 derived_unit. */
const powered = (kind: string, measure: string, length: string, power: number): UnitWriting => ({
  measure,
  statements: [length, `DERIVED_UNIT_ELEMENT($1,${power}.)`, `(${kind}()DERIVED_UNIT(($2)))`],
});
const density = (mass: string, length: string): UnitWriting => ({
  measure: 'NUMERIC_MEASURE',
  statements: [mass, length, 'DERIVED_UNIT_ELEMENT($1,1.)', 'DERIVED_UNIT_ELEMENT($2,-3.)', 'DERIVED_UNIT(($3,$4))'],
});

/** Exponents of length, mass, time and current, as in DIMENSIONAL_EXPONENTS with temperature, substance and light. */
const exponents = (length: number, mass = 0, time = 0, current = 0) => [length, mass, time, current, 0, 0, 0].map((n) => `${n}.`).join(',');
const LENGTH = exponents(1);
const MASS = exponents(0, 1);
const TIME = exponents(0, 0, 1);
const NONE = exponents(0);
const METRE = si('LENGTH_UNIT', '$', 'METRE');
const CENTIMETRE = si('LENGTH_UNIT', '.CENTI.', 'METRE');

/** A named SI unit without an entity in older schemas. */
const named = (prefix: string, name: string) => `(NAMED_UNIT(*)SI_UNIT(${prefix},.${name}.))`;
const plainly = (prefix: string, name: string): UnitWriting => ({ measure: 'NUMERIC_MEASURE', statements: [named(prefix, name)] });

/** A multiple of a named SI unit. */
const multiple = (name: string, factor: number, base: string, dimension: string): UnitWriting => ({
  measure: 'NUMERIC_MEASURE',
  statements: [
    `DIMENSIONAL_EXPONENTS(${dimension})`,
    base,
    `MEASURE_WITH_UNIT(NUMERIC_MEASURE(${factor}${Number.isInteger(factor) ? '.' : ''}),$2)`,
    `(CONVERSION_BASED_UNIT('${name}',$3)NAMED_UNIT($1))`,
  ],
});

/** Product of powers of units: the statements of each, then the derived unit. */
const derived = (measure: string, kind: string | null, ...parts: readonly (readonly [unit: UnitWriting, power: number])[]): UnitWriting => {
  const statements: string[] = [];
  const elements: string[] = [];
  for (const [unit, power] of parts) {
    const before = statements.length;
    statements.push(...unit.statements.map((statement) => statement.replace(/\$(\d+)/g, (_, k: string) => `$${Number(k) + before}`)));
    statements.push(`DERIVED_UNIT_ELEMENT($${statements.length},${power}.)`);
    elements.push(`$${statements.length}`);
  }
  const list = `(${elements.join(',')})`;
  return { measure, statements: [...statements, kind === null ? `DERIVED_UNIT(${list})` : `(${kind}()DERIVED_UNIT(${list}))`] };
};

// Factors from NIST SP 811, appendix B, as for values.
const POUND = 0.45359237;
const POUND_FORCE = POUND * 9.80665;
const INCH = based('LENGTH_UNIT', 'LENGTH_MEASURE', 'INCH', '25.4', MILLIMETRE, LENGTH);
const FOOT = based('LENGTH_UNIT', 'LENGTH_MEASURE', 'FOOT', '304.8', MILLIMETRE, LENGTH);
const POUNDS = based('MASS_UNIT', 'MASS_MEASURE', 'POUND', '0.45359237', KILOGRAM, MASS);
const MINUTE = based('TIME_UNIT', 'TIME_MEASURE', 'MINUTE', '60.', SECOND, TIME);
const LBF = multiple('POUND-FORCE', POUND_FORCE, named('$', 'NEWTON'), exponents(1, 1, -2));

const WRITINGS: Readonly<Record<string, UnitWriting>> = {
  µm: { measure: 'LENGTH_MEASURE', statements: [si('LENGTH_UNIT', '.MICRO.', 'METRE')] },
  mm: { measure: 'LENGTH_MEASURE', statements: [MILLIMETRE] },
  cm: { measure: 'LENGTH_MEASURE', statements: [CENTIMETRE] },
  dm: { measure: 'LENGTH_MEASURE', statements: [si('LENGTH_UNIT', '.DECI.', 'METRE')] },
  m: { measure: 'LENGTH_MEASURE', statements: [METRE] },
  km: { measure: 'LENGTH_MEASURE', statements: [si('LENGTH_UNIT', '.KILO.', 'METRE')] },
  mil: based('LENGTH_UNIT', 'LENGTH_MEASURE', 'MIL', '0.0254', MILLIMETRE, LENGTH),
  in: INCH,
  ft: FOOT,
  yd: based('LENGTH_UNIT', 'LENGTH_MEASURE', 'YARD', '914.4', MILLIMETRE, LENGTH),
  mg: { measure: 'MASS_MEASURE', statements: [si('MASS_UNIT', '.MILLI.', 'GRAM')] },
  g: { measure: 'MASS_MEASURE', statements: [si('MASS_UNIT', '$', 'GRAM')] },
  kg: { measure: 'MASS_MEASURE', statements: [KILOGRAM] },
  t: based('MASS_UNIT', 'MASS_MEASURE', 'TONNE', '1000.', KILOGRAM, MASS),
  lb: POUNDS,
  oz: based('MASS_UNIT', 'MASS_MEASURE', 'OUNCE', String(POUND / 16), KILOGRAM, MASS),
  '°': based('PLANE_ANGLE_UNIT', 'PLANE_ANGLE_MEASURE', 'DEGREE', '0.017453292519943295', RADIAN, NONE),
  rad: { measure: 'PLANE_ANGLE_MEASURE', statements: [RADIAN] },
  s: { measure: 'TIME_MEASURE', statements: [SECOND] },
  min: MINUTE,
  h: based('TIME_UNIT', 'TIME_MEASURE', 'HOUR', '3600.', SECOND, TIME),
  'mm²': powered('AREA_UNIT', 'AREA_MEASURE', MILLIMETRE, 2),
  'cm²': powered('AREA_UNIT', 'AREA_MEASURE', CENTIMETRE, 2),
  'm²': powered('AREA_UNIT', 'AREA_MEASURE', METRE, 2),
  'in²': derived('AREA_MEASURE', 'AREA_UNIT', [INCH, 2]),
  'ft²': derived('AREA_MEASURE', 'AREA_UNIT', [FOOT, 2]),
  'mm³': powered('VOLUME_UNIT', 'VOLUME_MEASURE', MILLIMETRE, 3),
  'cm³': powered('VOLUME_UNIT', 'VOLUME_MEASURE', CENTIMETRE, 3),
  'm³': powered('VOLUME_UNIT', 'VOLUME_MEASURE', METRE, 3),
  'in³': derived('VOLUME_MEASURE', 'VOLUME_UNIT', [INCH, 3]),
  'kg/m³': density(KILOGRAM, METRE),
  'g/cm³': density(si('MASS_UNIT', '$', 'GRAM'), CENTIMETRE),
  'lb/in³': derived('NUMERIC_MEASURE', null, [POUNDS, 1], [INCH, -3]),
  'N·m': derived('NUMERIC_MEASURE', null, [plainly('$', 'NEWTON'), 1], [{ measure: '', statements: [METRE] }, 1]),
  'lbf·ft': derived('NUMERIC_MEASURE', null, [LBF, 1], [FOOT, 1]),
  'lbf·in': derived('NUMERIC_MEASURE', null, [LBF, 1], [INCH, 1]),
  N: plainly('$', 'NEWTON'),
  kN: plainly('.KILO.', 'NEWTON'),
  lbf: LBF,
  Pa: plainly('$', 'PASCAL'),
  kPa: plainly('.KILO.', 'PASCAL'),
  MPa: plainly('.MEGA.', 'PASCAL'),
  bar: multiple('BAR', 100_000, named('$', 'PASCAL'), exponents(-1, 1, -2)),
  psi: multiple('POUND-FORCE PER SQUARE INCH', POUND_FORCE / 0.0254 ** 2, named('$', 'PASCAL'), exponents(-1, 1, -2)),
  W: plainly('$', 'WATT'),
  kW: plainly('.KILO.', 'WATT'),
  V: plainly('$', 'VOLT'),
  A: { measure: 'ELECTRIC_CURRENT_MEASURE', statements: [si('ELECTRIC_CURRENT_UNIT', '$', 'AMPERE')] },
  '1/min': derived('NUMERIC_MEASURE', null, [MINUTE, -1]),
};

/** How to write a unit; `undefined` if STEP cannot hold it. */
export const unitWriting = (code: string): UnitWriting | undefined => WRITINGS[code];

/** SI_UNIT prefixes (ISO 10303-41, si_prefix). */
const PREFIXES: Readonly<Record<string, number>> = {
  '': 1, EXA: 1e18, PETA: 1e15, TERA: 1e12, GIGA: 1e9, MEGA: 1e6, KILO: 1e3, HECTO: 100, DECA: 10, DECI: 0.1, CENTI: 1e-2, MILLI: 1e-3,
  MICRO: 1e-6, NANO: 1e-9, PICO: 1e-12, FEMTO: 1e-15, ATTO: 1e-18,
}; // prettier-ignore

/** Exponents of length, mass, time, plane angle and current. */
type Dimension = readonly [length: number, mass: number, time: number, angle: number, current: number];

/** Dimensions of a unit and its size in SI units. */
interface Measured {
  readonly dimension: Dimension;
  readonly size: number;
}

/** SI units by name; a gram is a thousandth of the base unit. */
const SI: Readonly<Record<string, Measured>> = {
  METRE: { dimension: [1, 0, 0, 0, 0], size: 1 },
  GRAM: { dimension: [0, 1, 0, 0, 0], size: 1e-3 },
  SECOND: { dimension: [0, 0, 1, 0, 0], size: 1 },
  RADIAN: { dimension: [0, 0, 0, 1, 0], size: 1 },
  AMPERE: { dimension: [0, 0, 0, 0, 1], size: 1 },
  NEWTON: { dimension: [1, 1, -2, 0, 0], size: 1 },
  PASCAL: { dimension: [-1, 1, -2, 0, 0], size: 1 },
  WATT: { dimension: [2, 1, -3, 0, 0], size: 1 },
  VOLT: { dimension: [2, 1, -3, 0, -1], size: 1 },
};

const QUANTITIES: Readonly<Record<string, Quantity>> = {
  '1,0,0,0,0': 'length',
  '0,1,0,0,0': 'mass',
  '0,0,1,0,0': 'time',
  '0,0,0,1,0': 'angle',
  '0,0,0,0,1': 'current',
  '2,0,0,0,0': 'area',
  '3,0,0,0,0': 'volume',
  '-3,1,0,0,0': 'density',
  '1,1,-2,0,0': 'force',
  '2,1,-2,0,0': 'torque',
  '-1,1,-2,0,0': 'pressure',
  '2,1,-3,0,0': 'power',
  '2,1,-3,0,-1': 'voltage',
  '0,0,-1,0,0': 'rotation',
};

/** Stops at cyclic unit definitions. */
const DEEPEST = 8;

function measuredUnit(model: StepModel, id: number, depth = 0): Measured | undefined {
  if (depth > DEEPEST) return undefined;
  const records = model.records(id);
  const conversion = records.find((record) => record.name === 'CONVERSION_BASED_UNIT');
  if (conversion) {
    const factor = conversion.args[1]?.is === 'ref' ? model.records(conversion.args[1].id) : [];
    const [value, base] = factor.find((record) => record.name.endsWith('MEASURE_WITH_UNIT'))?.args ?? [];
    const inner = value?.is === 'typed' ? value.items[0] : value;
    const unit = base?.is === 'ref' ? measuredUnit(model, base.id, depth + 1) : undefined;
    return unit && inner?.is === 'number' ? { dimension: unit.dimension, size: unit.size * Number(inner.value) } : undefined;
  }
  const siUnit = records.find((record) => record.name === 'SI_UNIT');
  if (siUnit) {
    // SI_UNIT has two arguments in a complex instance; alone, dimensions precede them.
    const [prefix, name] = siUnit.args.slice(-2);
    const unit = name?.is === 'enum' ? SI[name.value] : undefined;
    const factor = PREFIXES[prefix?.is === 'enum' ? prefix.value : ''];
    return unit && factor !== undefined ? { dimension: unit.dimension, size: unit.size * factor } : undefined;
  }
  const elements = records.find((record) => record.name === 'DERIVED_UNIT')?.args[0];
  if (elements?.is !== 'list') return undefined;
  const dimension: [number, number, number, number, number] = [0, 0, 0, 0, 0];
  let size = 1;
  for (const item of elements.items) {
    const [unit, exponent] = item.is === 'ref' ? (model.records(item.id)[0]?.args ?? []) : [];
    const inner = unit?.is === 'ref' ? measuredUnit(model, unit.id, depth + 1) : undefined;
    if (!inner || exponent?.is !== 'number') return undefined;
    const power = Number(exponent.value);
    for (let k = 0; k < 5; k++) dimension[k]! += inner.dimension[k]! * power;
    size *= inner.size ** power;
  }
  return { dimension, size };
}

/** Unit code of an instance; `undefined` if unknown. */
export function readUnit(model: StepModel, id: number): string | undefined {
  const unit = measuredUnit(model, id);
  const quantity = unit && QUANTITIES[unit.dimension.join()];
  return quantity && unitOfSize(quantity, unit.size)?.code;
}

/** Display name of an unknown unit: its conversion name, or SI prefix and name. */
export function unitName(model: StepModel, id: number): string {
  const records = model.records(id);
  const conversion = records.find((record) => record.name === 'CONVERSION_BASED_UNIT' || record.name === 'CONTEXT_DEPENDENT_UNIT')?.args[0];
  if (conversion?.is === 'text' && conversion.value.trim()) return conversion.value.trim();
  const si = records.find((record) => record.name === 'SI_UNIT')?.args.slice(-2) ?? [];
  const words = si.flatMap((argument) => (argument.is === 'enum' ? [argument.value] : []));
  return words.length ? words.join(' ').toLowerCase() : 'a unit without a name';
}

/**
 * Unit of a density. Some writers give wrong exponents (3 and 2, or 1 and 3, instead of 1 and -3); one mass and one length can only mean
 * mass per cubic length.
 */
export function readDensityUnit(model: StepModel, id: number): string | undefined {
  const known = readUnit(model, id);
  if (known) return known;
  const elements = model.records(id).find((record) => record.name === 'DERIVED_UNIT')?.args[0];
  if (elements?.is !== 'list' || elements.items.length !== 2) return undefined;
  const parts = elements.items.map((item) => {
    const unit = item.is === 'ref' ? model.records(item.id)[0]?.args[0] : undefined;
    return unit?.is === 'ref' ? measuredUnit(model, unit.id) : undefined;
  });
  const mass = parts.find((part) => part?.dimension.join() === '0,1,0,0,0');
  const length = parts.find((part) => part?.dimension.join() === '1,0,0,0,0');
  return mass && length && unitOfSize('density', mass.size / length.size ** 3)?.code;
}
