import { Kind, PropertyDraft, newDraft } from '../schema';

/** Source of a figure. The standards were not at hand; all figures are from memory. */
export interface Source {
  readonly standard: string;
  readonly fromMemory: true;
}

const source = (standard: string): Source => ({ standard, fromMemory: true });

export const ISO_7200 = source('ISO 7200:2004');
export const ISO_7573 = source('ISO 7573:2008');
export const Y14_34 = source('ASME Y14.34');
export const Y14_1 = source('ASME Y14.1');
export const Y14_2 = source('ASME Y14.2');
export const ISO_5457 = source('ISO 5457:1999');
export const ISO_5455 = source('ISO 5455:1979');
export const ISO_3098 = source('ISO 3098-1');

/** A field of title blocks or parts lists in a standard. */
export interface StandardField {
  readonly name: string;
  readonly obligatory: boolean;
  /** Recommended number of characters; `null` if not specified. */
  readonly length: number | null;
  /** Synonyms used by companies (common practice). */
  readonly also: readonly string[];
  readonly source: Source;
}

const field = (of: Source, name: string, obligatory: boolean, length: number | null, ...also: string[]): StandardField => ({
  name,
  obligatory,
  length,
  also,
  source: of,
});

/** Title block data fields of ISO 7200: identifying, descriptive and administrative. */
export const TITLE_BLOCK_FIELDS: readonly StandardField[] = [
  field(ISO_7200, 'Legal owner', true, null, 'Owner', 'Company'),
  field(ISO_7200, 'Identification number', true, 16, 'Part number', 'Drawing number', 'Document number'),
  field(ISO_7200, 'Revision index', false, 2, 'Revision', 'Revision level'),
  field(ISO_7200, 'Date of issue', true, 10, 'Issue date', 'Date issued', 'Release date'),
  field(ISO_7200, 'Sheet number', true, 4, 'Segment number', 'Sheet'),
  field(ISO_7200, 'Number of sheets', false, 4, 'Sheets', 'Sheet count', 'Number of segments'),
  field(ISO_7200, 'Language code', false, 4, 'Language'),
  field(ISO_7200, 'Title', true, 25, 'Description', 'Part name', 'Designation'),
  field(ISO_7200, 'Supplementary title', false, 25, 'Subtitle', 'Description 2'),
  field(ISO_7200, 'Responsible department', false, 10, 'Department'),
  field(ISO_7200, 'Technical reference', false, 20, 'Contact'),
  field(ISO_7200, 'Approval person', true, 20, 'Approved by', 'Approver'),
  field(ISO_7200, 'Creator', true, 20, 'Drawn by', 'Created by', 'Author'),
  field(ISO_7200, 'Document type', true, 30, 'Type of document'),
  field(ISO_7200, 'Classification', false, null, 'Key words', 'Keywords'),
  field(ISO_7200, 'Document status', false, 20, 'Status'),
  field(ISO_7200, 'Paper size', false, 4, 'Sheet size', 'Format'),
];

/** Parts list fields of ISO 7573. */
export const PARTS_LIST_FIELDS: readonly StandardField[] = [
  field(ISO_7573, 'Reference number', true, null, 'Identification number', 'Part number'),
  field(ISO_7573, 'Designation', true, null, 'Description', 'Title'),
  field(ISO_7573, 'Unit', false, null, 'Unit of measure'),
  field(ISO_7573, 'Material', false, null, 'Materials'),
  field(ISO_7573, 'Technical data', false, null, 'Dimensions', 'Size'),
  field(ISO_7573, 'Mass', false, null, 'Weight'),
  field(ISO_7573, 'Supplier', false, null, 'Vendor', 'Manufacturer'),
  field(ISO_7573, 'Note', false, null, 'Remark', 'Remarks', 'Notes'),
];

/** Parts list and title block fields in inch practice. */
export const ASME_FIELDS: readonly StandardField[] = [
  field(Y14_1, 'Design activity', true, null, 'Company', 'Legal owner', 'Owner'),
  field(Y14_1, 'Drawing title', true, null, 'Title', 'Description'),
  field(Y14_1, 'Drawing number', true, null, 'Part number', 'Identification number'),
  field(Y14_1, 'Revision', true, 2, 'Revision index', 'Revision level'),
  field(Y14_1, 'CAGE code', false, 5, 'Cage'),
  field(Y14_1, 'Drawn by', true, null, 'Creator', 'Drafter'),
  field(Y14_1, 'Approved by', true, null, 'Approval person'),
  field(Y14_1, 'Issue date', true, 10, 'Date of issue', 'Date'),
  field(Y14_1, 'Sheet', true, null, 'Sheet number'),
  field(Y14_1, 'Drawing size', false, 2, 'Sheet size', 'Paper size'),
  field(Y14_1, 'Weight', false, null, 'Mass'),
  field(Y14_34, 'Part or identifying number', true, null, 'Part number', 'Identification number'),
  field(Y14_34, 'Nomenclature or description', true, null, 'Nomenclature', 'Description', 'Title'),
  field(Y14_34, 'Material', false, null, 'Material specification'),
];

/** Sheet sizes in millimetres, short side first. */
export const SHEETS: readonly {
  readonly name: string;
  readonly short: number;
  readonly long: number;
  readonly practice: 'iso' | 'asme';
  readonly source: Source;
}[] = [
  ...(
    [
      ['A0', 841, 1189],
      ['A1', 594, 841],
      ['A2', 420, 594],
      ['A3', 297, 420],
      ['A4', 210, 297],
    ] as const
  ).map(([name, short, long]) => ({ name, short, long, practice: 'iso' as const, source: ISO_5457 })),
  ...(
    [
      ['A', 8.5, 11],
      ['B', 11, 17],
      ['C', 17, 22],
      ['D', 22, 34],
      ['E', 34, 44],
      ['F', 28, 40],
    ] as const
  ).map(([name, short, long]) => ({ name, short: short * 25.4, long: long * 25.4, practice: 'asme' as const, source: Y14_1 })),
];

/** Name of a paper's sheet size in either practice; `null` if not standard. In millimetres. */
export function sheetName({ width, height }: { readonly width: number; readonly height: number }): string | null {
  const [short, long] = [Math.min(width, height), Math.max(width, height)];
  return SHEETS.find((size) => Math.abs(size.short - short) < 1.5 && Math.abs(size.long - long) < 1.5)?.name ?? null;
}

/** ISO 5455 scale ratios: 1, 2 and 5 times powers of ten. */
export function isIsoScale(ratio: number): boolean {
  const size = ratio < 1 ? 1 / ratio : ratio;
  const power = 10 ** Math.floor(Math.log10(size) + 1e-9);
  return [1, 2, 5].some((n) => Math.abs(size / (n * power) - 1) < 1e-6);
}

/** Scales in inch practice: ratios (1:2, 1:4, 1:8, 2:1, 4:1, decimal) and inches to the foot. */
export function isInchScale(ratio: number): boolean {
  const toTheFoot = [1 / 32, 1 / 16, 3 / 32, 1 / 8, 3 / 16, 1 / 4, 3 / 8, 1 / 2, 3 / 4, 1, 1.5, 3, 6, 12];
  const size = ratio < 1 ? 1 / ratio : ratio;
  return (
    toTheFoot.some((inches) => Math.abs((ratio * 12) / inches - 1) < 1e-6) ||
    [1, 2, 4, 8, 10, 20, 30, 40, 50, 60, 100].some((n) => Math.abs(size / n - 1) < 1e-6)
  );
}

/** Nominal lettering heights in millimetres, in steps of √2. */
export const LETTERING_MM: readonly number[] = [1.8, 2.5, 3.5, 5, 7, 10, 14, 20];
/** Minimum lettering height in inch practice, in inches. */
export const LEAST_LETTERING_INCH = 0.12;

/** A starter schema. */
export interface Starter {
  readonly id: 'iso-title-block' | 'iso-parts-list' | 'machine-building-metric' | 'machine-building-inch';
  readonly title: string;
  readonly about: string;
  readonly properties: readonly PropertyDraft[];
}

const ALL: readonly Kind[] = ['part', 'assembly', 'drawing'];
const property = (writtenName: string, more: Partial<PropertyDraft> = {}): PropertyDraft => ({ ...newDraft(writtenName), ...more });
const model: readonly Kind[] = ['part', 'assembly'];

/** A property for a standard's field, with length and obligation. */
const fromField = ({ name, obligatory, length, source: of }: StandardField, kinds: readonly Kind[]): PropertyDraft =>
  property(name, {
    kinds,
    required: obligatory,
    maxLength: length,
    group: of.standard,
    help: `${of.standard}: ${obligatory ? 'obligatory' : 'optional'}${length === null ? '' : `, ${length} characters`} (from memory).`,
    ...(/^Date of issue$/.test(name) ? { type: 'date' as const, maxLength: null } : {}),
    ...(/^(Creator|Approval person)$/.test(name) ? { type: 'person' as const } : {}),
  });

const general = (metric: boolean): readonly PropertyDraft[] => [
  property('Part number', {
    kinds: ALL,
    required: true,
    maxLength: metric ? 16 : 20,
    group: 'Identity',
    unique: 'no',
    help: 'Identifies the part, the assembly or the drawing.',
  }),
  property('Description', {
    kinds: ALL,
    required: true,
    maxLength: metric ? 25 : 40,
    group: 'Identity',
    form: { ...newDraft('').form, letters: metric ? 'as stored' : 'upper' },
  }),
  property('Revision', { kinds: ALL, required: true, maxLength: 2, group: 'Identity', letterCase: 'upper' }),
  property('Material', { kinds: ['part'], required: true, maxLength: 40, group: 'Making' }),
  property('Finish', { kinds: ['part'], maxLength: 40, group: 'Making' }),
  property('Mass', {
    kinds: model,
    type: 'number',
    unit: metric ? 'kg' : 'lb',
    decimals: metric ? 3 : 2,
    min: 0,
    feed: 'model',
    modelFact: 'mass',
    group: 'Making',
    help: 'Taken from the geometry and the density of the material.',
  }),
  property('Make or buy', { kinds: model, type: 'choice', choices: ['make', 'buy'], required: true, group: 'Buying' }),
  property('Supplier', { kinds: ['part'], maxLength: 40, group: 'Buying', requiredWhen: 'Make or buy = "buy"' }),
  property('Order number', { kinds: ['part'], maxLength: 30, group: 'Buying', requiredWhen: 'Make or buy = "buy"' }),
  property('Drawn by', { kinds: ['drawing'], type: 'person', required: true, maxLength: 20, group: 'Drawing' }),
  property('Approved by', { kinds: ['drawing'], type: 'person', maxLength: 20, requiredFrom: 'released', group: 'Drawing' }),
  property('Date of issue', {
    kinds: ['drawing'],
    type: 'date',
    requiredFrom: 'released',
    group: 'Drawing',
    form: { ...newDraft('').form, date: metric ? 'YYYY-MM-DD' : 'MM/DD/YYYY' },
  }),
  property('Document type', { kinds: ['drawing'], maxLength: 30, default: 'Part drawing', group: 'Drawing' }),
  property('Scale', { kinds: ['drawing'], level: 'sheet', feed: 'sheet', sheetFact: 'scale', group: 'Sheet' }),
];

/** Starter schemas, shipped as data. */
export const STARTERS: readonly Starter[] = [
  {
    id: 'iso-title-block',
    title: 'Title block after ISO 7200',
    about: 'The data fields of ISO 7200 with their lengths, obligatory ones required (from memory).',
    properties: TITLE_BLOCK_FIELDS.map((entry) => fromField(entry, ['drawing'])),
  },
  {
    id: 'iso-parts-list',
    title: 'Parts list after ISO 7573',
    about: 'The fields of a parts list after ISO 7573, kept with parts and assemblies (from memory).',
    properties: PARTS_LIST_FIELDS.map((entry) => fromField(entry, model)),
  },
  {
    id: 'machine-building-metric',
    title: 'Machine building, metric',
    about: 'A general set for parts, assemblies and drawings in kilograms and millimetres (common practice).',
    properties: general(true),
  },
  {
    id: 'machine-building-inch',
    title: 'Machine building, inch',
    about: 'The same in pounds and inches, with dates and capitals as is usual for inch drawings (common practice).',
    properties: general(false),
  },
];
