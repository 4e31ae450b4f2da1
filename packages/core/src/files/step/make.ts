import { encodeString } from './strings';

/** Content of a new STEP file. */
export interface EmptyModel {
  readonly kind: 'part' | 'assembly';
  /** Product id and name. */
  readonly id: string;
  readonly name: string;
  readonly organisation: string;
  /** Creation time, ISO 8601. */
  readonly at: string;
  readonly unit: 'mm' | 'in';
}

/** Product category of an empty assembly (ISO 10303-44). */
export const ASSEMBLY_CATEGORY = 'assembly';

/** Makes an AP214 STEP file with one product, an origin and no geometry. */
export function makeEmptyStep({ kind, id, name, organisation, at, unit }: EmptyModel): Uint8Array {
  const text = encodeString;
  const millimetre = '(LENGTH_UNIT()NAMED_UNIT(*)SI_UNIT(.MILLI.,.METRE.))';
  const units =
    unit === 'mm'
      ? [`#20=${millimetre};`]
      : [
          `#24=${millimetre};`,
          '#25=DIMENSIONAL_EXPONENTS(1.,0.,0.,0.,0.,0.,0.);',
          // Exactly 25.4 mm (NIST SP 811, appendix B).
          '#26=LENGTH_MEASURE_WITH_UNIT(LENGTH_MEASURE(25.4),#24);',
          "#20=(CONVERSION_BASED_UNIT('INCH',#26)LENGTH_UNIT()NAMED_UNIT(#25));",
        ];
  const lines = [
    'ISO-10303-21;',
    'HEADER;',
    "FILE_DESCRIPTION(('start file'),'2;1');",
    `FILE_NAME(${text(id)},${text(at)},(''),(${text(organisation)}),'Rule','Rule','');`,
    "FILE_SCHEMA(('AUTOMOTIVE_DESIGN { 1 0 10303 214 1 1 1 1 }'));",
    'ENDSEC;',
    'DATA;',
    "#1=APPLICATION_CONTEXT('core data for automotive mechanical design processes');",
    "#2=APPLICATION_PROTOCOL_DEFINITION('international standard','automotive_design',2000,#1);",
    "#3=PRODUCT_CONTEXT('',#1,'mechanical');",
    `#4=PRODUCT(${text(id)},${text(name)},'',(#3));`,
    "#5=PRODUCT_DEFINITION_FORMATION('','',#4);",
    "#6=PRODUCT_DEFINITION_CONTEXT('part definition',#1,'design');",
    "#7=PRODUCT_DEFINITION('design','',#5,#6);",
    "#8=PRODUCT_DEFINITION_SHAPE('','',#7);",
    "#9=PRODUCT_RELATED_PRODUCT_CATEGORY('part','',(#4));",
    ...(kind === 'assembly' ? [`#10=PRODUCT_RELATED_PRODUCT_CATEGORY('${ASSEMBLY_CATEGORY}','',(#4));`] : []),
    "#11=CARTESIAN_POINT('',(0.,0.,0.));",
    "#12=DIRECTION('',(0.,0.,1.));",
    "#13=DIRECTION('',(1.,0.,0.));",
    "#14=AXIS2_PLACEMENT_3D('',#11,#12,#13);",
    "#15=SHAPE_REPRESENTATION('',(#14),#16);",
    "#16=(GEOMETRIC_REPRESENTATION_CONTEXT(3)GLOBAL_UNCERTAINTY_ASSIGNED_CONTEXT((#17))GLOBAL_UNIT_ASSIGNED_CONTEXT((#20,#21,#22))REPRESENTATION_CONTEXT('',''));",
    "#17=UNCERTAINTY_MEASURE_WITH_UNIT(LENGTH_MEASURE(1.E-5),#20,'distance_accuracy_value','');",
    '#18=SHAPE_DEFINITION_REPRESENTATION(#8,#15);',
    ...units,
    '#21=(NAMED_UNIT(*)PLANE_ANGLE_UNIT()SI_UNIT($,.RADIAN.));',
    '#22=(NAMED_UNIT(*)SI_UNIT($,.STERADIAN.)SOLID_ANGLE_UNIT());',
    'ENDSEC;',
    'END-ISO-10303-21;',
    '',
  ];
  return new TextEncoder().encode(lines.join('\n'));
}
