import { Quantity, unitOfSize } from '../../values';
import { StepModel } from './model';

/** How a unit is written: the measure type of its values and the statements that define it. */
interface UnitWriting {
  readonly measure: string;
  /** Statements in order; `$1`, `$2` … stand for the ids of earlier statements of the list. The last one is the unit. */
  readonly statements: readonly string[];
}

const si = (kind: string, prefix: string, name: string) => `(${kind}()NAMED_UNIT(*)SI_UNIT(${prefix},.${name}.))`;
const MILLIMETRE = si('LENGTH_UNIT', '.MILLI.', 'METRE');
const KILOGRAM = si('MASS_UNIT', '.KILO.', 'GRAM');
const SECOND = si('TIME_UNIT', '$', 'SECOND');
const RADIAN = si('PLANE_ANGLE_UNIT', '$', 'RADIAN');

/** A unit defined by another: ISO 10303-41 conversion_based_unit. Exponents are length, mass, time, … */
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

const LENGTH = '1.,0.,0.,0.,0.,0.,0.';
const MASS = '0.,1.,0.,0.,0.,0.,0.';
const TIME = '0.,0.,1.,0.,0.,0.,0.';
const NONE = '0.,0.,0.,0.,0.,0.,0.';

const WRITINGS: Readonly<Record<string, UnitWriting>> = {
  mm: { measure: 'LENGTH_MEASURE', statements: [MILLIMETRE] },
  cm: { measure: 'LENGTH_MEASURE', statements: [si('LENGTH_UNIT', '.CENTI.', 'METRE')] },
  m: { measure: 'LENGTH_MEASURE', statements: [si('LENGTH_UNIT', '$', 'METRE')] },
  in: based('LENGTH_UNIT', 'LENGTH_MEASURE', 'INCH', '25.4', MILLIMETRE, LENGTH),
  ft: based('LENGTH_UNIT', 'LENGTH_MEASURE', 'FOOT', '304.8', MILLIMETRE, LENGTH),
  g: { measure: 'MASS_MEASURE', statements: [si('MASS_UNIT', '$', 'GRAM')] },
  kg: { measure: 'MASS_MEASURE', statements: [KILOGRAM] },
  t: based('MASS_UNIT', 'MASS_MEASURE', 'TONNE', '1000.', KILOGRAM, MASS),
  lb: based('MASS_UNIT', 'MASS_MEASURE', 'POUND', '0.45359237', KILOGRAM, MASS),
  '°': based('PLANE_ANGLE_UNIT', 'PLANE_ANGLE_MEASURE', 'DEGREE', '0.017453292519943295', RADIAN, NONE),
  rad: { measure: 'PLANE_ANGLE_MEASURE', statements: [RADIAN] },
  s: { measure: 'TIME_MEASURE', statements: [SECOND] },
  min: based('TIME_UNIT', 'TIME_MEASURE', 'MINUTE', '60.', SECOND, TIME),
  h: based('TIME_UNIT', 'TIME_MEASURE', 'HOUR', '3600.', SECOND, TIME),
  'mm²': powered('AREA_UNIT', 'AREA_MEASURE', MILLIMETRE, 2),
  'cm²': powered('AREA_UNIT', 'AREA_MEASURE', si('LENGTH_UNIT', '.CENTI.', 'METRE'), 2),
  'm²': powered('AREA_UNIT', 'AREA_MEASURE', si('LENGTH_UNIT', '$', 'METRE'), 2),
  'mm³': powered('VOLUME_UNIT', 'VOLUME_MEASURE', MILLIMETRE, 3),
  'cm³': powered('VOLUME_UNIT', 'VOLUME_MEASURE', si('LENGTH_UNIT', '.CENTI.', 'METRE'), 3),
  'm³': powered('VOLUME_UNIT', 'VOLUME_MEASURE', si('LENGTH_UNIT', '$', 'METRE'), 3),
  'kg/m³': density(KILOGRAM, si('LENGTH_UNIT', '$', 'METRE')),
  'g/cm³': density(si('MASS_UNIT', '$', 'GRAM'), si('LENGTH_UNIT', '.CENTI.', 'METRE')),
  'N·m': {
    measure: 'NUMERIC_MEASURE',
    statements: [
      '(NAMED_UNIT(*)SI_UNIT($,.NEWTON.))',
      si('LENGTH_UNIT', '$', 'METRE'),
      'DERIVED_UNIT_ELEMENT($1,1.)',
      'DERIVED_UNIT_ELEMENT($2,1.)',
      'DERIVED_UNIT(($3,$4))',
    ],
  },
  'lbf·ft': {
    measure: 'NUMERIC_MEASURE',
    statements: [
      '(NAMED_UNIT(*)SI_UNIT($,.NEWTON.))',
      si('LENGTH_UNIT', '$', 'METRE'),
      'DERIVED_UNIT_ELEMENT($1,1.)',
      'DERIVED_UNIT_ELEMENT($2,1.)',
      'DERIVED_UNIT(($3,$4))',
      'DIMENSIONAL_EXPONENTS(2.,1.,-2.,0.,0.,0.,0.)',
      'MEASURE_WITH_UNIT(NUMERIC_MEASURE(1.3558179483314004),$5)',
      "(CONVERSION_BASED_UNIT('POUND-FORCE FOOT',$7)NAMED_UNIT($6))",
    ],
  },
};

/** How to write a unit; `undefined` when STEP files written by Rule cannot carry it. */
export const unitWriting = (code: string): UnitWriting | undefined => WRITINGS[code];

const PREFIXES: Readonly<Record<string, number>> = { '': 1, MICRO: 1e-6, MILLI: 1e-3, CENTI: 1e-2, DECI: 0.1, KILO: 1e3 };

/** Powers of length, mass, time and plane angle. */
type Dimension = readonly [length: number, mass: number, time: number, angle: number];

/** What a unit is made of and how large it is in SI units. */
interface Measured {
  readonly dimension: Dimension;
  readonly size: number;
}

/** SI units by name; a gram is a thousandth of the SI unit. */
const SI: Readonly<Record<string, Measured>> = {
  METRE: { dimension: [1, 0, 0, 0], size: 1 },
  GRAM: { dimension: [0, 1, 0, 0], size: 1e-3 },
  SECOND: { dimension: [0, 0, 1, 0], size: 1 },
  RADIAN: { dimension: [0, 0, 0, 1], size: 1 },
  NEWTON: { dimension: [1, 1, -2, 0], size: 1 },
};

const QUANTITIES: Readonly<Record<string, Quantity>> = {
  '1,0,0,0': 'length',
  '0,1,0,0': 'mass',
  '0,0,1,0': 'time',
  '0,0,0,1': 'angle',
  '2,0,0,0': 'area',
  '3,0,0,0': 'volume',
  '-3,1,0,0': 'density',
  '2,1,-2,0': 'torque',
};

/** Units are defined by units: a definition that runs in a circle ends here. */
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
    // Inside a complex instance SI_UNIT has two arguments; alone it has the dimensions before them.
    const [prefix, name] = siUnit.args.slice(-2);
    const unit = name?.is === 'enum' ? SI[name.value] : undefined;
    const factor = PREFIXES[prefix?.is === 'enum' ? prefix.value : ''];
    return unit && factor !== undefined ? { dimension: unit.dimension, size: unit.size * factor } : undefined;
  }
  const elements = records.find((record) => record.name === 'DERIVED_UNIT')?.args[0];
  if (elements?.is !== 'list') return undefined;
  const dimension: [number, number, number, number] = [0, 0, 0, 0];
  let size = 1;
  for (const item of elements.items) {
    const [unit, exponent] = item.is === 'ref' ? (model.records(item.id)[0]?.args ?? []) : [];
    const inner = unit?.is === 'ref' ? measuredUnit(model, unit.id, depth + 1) : undefined;
    if (!inner || exponent?.is !== 'number') return undefined;
    const power = Number(exponent.value);
    for (let k = 0; k < 4; k++) dimension[k]! += inner.dimension[k]! * power;
    size *= inner.size ** power;
  }
  return { dimension, size };
}

/** The code of the unit that an instance defines; `undefined` when it is none that Rule knows. */
export function readUnit(model: StepModel, id: number): string | undefined {
  const unit = measuredUnit(model, id);
  const quantity = unit && QUANTITIES[unit.dimension.join()];
  return quantity && unitOfSize(quantity, unit.size)?.code;
}

/**
 * The unit of a density. Some writers give its mass and length wrong exponents (3 and 2, or 1 and 3, where
 * 1 and -3 are meant): for a density one mass and one length can only mean mass per cubed length.
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
  const mass = parts.find((part) => part?.dimension.join() === '0,1,0,0');
  const length = parts.find((part) => part?.dimension.join() === '1,0,0,0');
  return mass && length && unitOfSize('density', mass.size / length.size ** 3)?.code;
}
