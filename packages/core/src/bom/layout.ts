import type { DrawnList } from './drawn';

/** How far a bill of materials goes into its assembly. */
export const BOM_STRUCTURES = ['single-level', 'indented', 'summed'] as const;
export type BomStructure = (typeof BOM_STRUCTURES)[number];

/** Columns that show something of the row itself, with what they are headed by. */
export const BOM_FACTS = {
  item: 'Item',
  quantity: 'Quantity',
  total: 'Total quantity',
  unit: 'Unit',
  part: 'Part file',
  folder: 'Folder',
  name: 'Name in the assembly',
  class: 'Class',
  picture: 'Picture',
  mass: 'Mass by geometry',
  length: 'Length by geometry',
  section: 'Cross-section by geometry',
  changed: 'Last change',
} as const;
export type BomFact = keyof typeof BOM_FACTS;

/** A column: a fact of the row or a property, headed by its own words where it has some. */
export interface BomColumn {
  readonly of: { readonly fact: BomFact } | { readonly property: number };
  /** Empty for the caption of what it shows. */
  readonly header: string;
  /** In pixels; `null` for as wide as suits it. */
  readonly width: number | null;
  /** Whether a total is under it: each value times its quantity. */
  readonly sum: boolean;
}

/** What becomes of rows whose part is of a class. */
export const CLASS_RULES = ['leave out', 'dissolve', 'as one', 'count by'] as const;

/**
 * `leave out` drops the row with all below it, `dissolve` puts its parts in its place, `as one` shows it without what is in it, and
 * `count by` gives as quantity the sum of a property (a length, an area) instead of pieces.
 */
export interface ClassRule {
  readonly class: number;
  readonly rule: (typeof CLASS_RULES)[number];
  /** For `count by`. */
  readonly property: number | null;
}

/** How rows are numbered. A number is kept once it is given. */
export interface NumberRule {
  readonly start: number;
  readonly step: number;
  /** Whether a number that belonged to a row that is gone is given again. */
  readonly reuse: boolean;
}

export interface BomSort {
  /** What it goes by, as a column shows it. */
  readonly of: BomColumn['of'];
  readonly descending: boolean;
}

/** The set-up of a bill of materials. */
export interface BomContent {
  readonly structure: BomStructure;
  /** Properties whose values make occurrences one row; none for the part file. */
  readonly key: readonly number[];
  readonly columns: readonly BomColumn[];
  /** By the item number where it is empty. */
  readonly sort: readonly BomSort[];
  /** Rows with equal values stand together, with a total of their own. */
  readonly group: BomColumn['of'] | null;
  readonly classes: readonly ClassRule[];
  /** Whether bodies of a part that has several are rows below it. */
  readonly bodies: boolean;
  /** Whether a summed list shows sub-assemblies beside the parts in them. */
  readonly assemblies: boolean;
  readonly numbers: NumberRule;
  /** How it is drawn on sheets; absent or `null` where it is not. */
  readonly drawn?: DrawnList | null;
}

export const factColumn = (fact: BomFact): BomColumn => ({ of: { fact }, header: '', width: null, sum: false });
export const propertyColumn = (property: number): BomColumn => ({ of: { property }, header: '', width: null, sum: false });

/** A single-level list of parts with the columns that ISO 7573 asks for first (item, quantity, part; from memory) and some properties. */
export const plainContent = (properties: readonly number[]): BomContent => ({
  structure: 'single-level',
  key: [],
  columns: [factColumn('item'), factColumn('quantity'), factColumn('part'), ...properties.map(propertyColumn)],
  sort: [],
  group: null,
  classes: [],
  bodies: false,
  assemblies: false,
  numbers: { start: 1, step: 1, reuse: false },
});

/** Properties that a layout looks at, in columns, key, sorting, grouping and counting. */
export function propertiesOf({ columns, key, sort, group, classes, drawn }: BomContent): number[] {
  const of = (what: BomColumn['of'] | null) => (what && 'property' in what ? [what.property] : []);
  return [
    ...new Set([
      ...key,
      ...columns.flatMap((column) => of(column.of)),
      ...sort.flatMap((entry) => of(entry.of)),
      ...of(group),
      ...(drawn?.cells ?? []).flatMap((cell) => of(cell.of)),
      ...classes.flatMap((rule) => (rule.property === null ? [] : [rule.property])),
    ]),
  ];
}

/** Whether two columns show the same. */
export const sameColumn = (a: BomColumn['of'], b: BomColumn['of']): boolean =>
  'fact' in a ? 'fact' in b && a.fact === b.fact : 'property' in b && a.property === b.property;

/** Whether two set-ups make the same rows, in whatever order and with whatever columns. */
export const sameRows = (a: BomContent, b: BomContent): boolean =>
  JSON.stringify([a.structure, a.key, a.classes, a.bodies, a.assemblies]) === JSON.stringify([b.structure, b.key, b.classes, b.bodies, b.assemblies]);
