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

const SI_PREFIXED: Readonly<Record<string, string>> = {
  'MILLI METRE': 'mm',
  'CENTI METRE': 'cm',
  ' METRE': 'm',
  ' GRAM': 'g',
  'KILO GRAM': 'kg',
  ' SECOND': 's',
  ' RADIAN': 'rad',
};

const CONVERSION_NAMES: Readonly<Record<string, string>> = {
  INCH: 'in',
  FOOT: 'ft',
  POUND: 'lb',
  TONNE: 't',
  DEGREE: '°',
  MINUTE: 'min',
  HOUR: 'h',
  'POUND-FORCE FOOT': 'lbf·ft',
};

/** The code of the unit that an instance defines; `undefined` when it is none that Rule knows. */
export function readUnit(model: StepModel, id: number): string | undefined {
  const records = model.records(id);
  const named = records.find((record) => record.name === 'CONVERSION_BASED_UNIT');
  if (named) {
    const name = named.args[0];
    return name?.is === 'text' ? CONVERSION_NAMES[name.value.trim().toUpperCase()] : undefined;
  }
  const siUnit = records.find((record) => record.name === 'SI_UNIT');
  if (siUnit) {
    const [prefix, name] = siUnit.args;
    return name?.is === 'enum' ? SI_PREFIXED[`${prefix?.is === 'enum' ? prefix.value : ''} ${name.value}`] : undefined;
  }
  const derived = records.find((record) => record.name === 'DERIVED_UNIT');
  const elements = derived?.args[0];
  if (elements?.is !== 'list') return undefined;
  const symbols = elements.items.map((item) => {
    if (item.is !== 'ref') return '';
    const [unit, exponent] = model.records(item.id)[0]?.args ?? [];
    if (unit?.is !== 'ref' || exponent?.is !== 'number' || Number(exponent.value) !== 1) return '';
    const inner = model.records(unit.id).find((record) => record.name === 'SI_UNIT')?.args;
    return inner?.[0]?.is === 'none' && inner[1]?.is === 'enum' ? inner[1].value : '';
  });
  return symbols.sort().join(' ') === 'METRE NEWTON' ? 'N·m' : undefined;
}
