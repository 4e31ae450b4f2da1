import type { DrawnList } from './drawn';

/** Depth of a list. */
export const BOM_STRUCTURES = ['single-level', 'indented', 'summed'] as const;
export type BomStructure = (typeof BOM_STRUCTURES)[number];

/** Facts with default headings. */
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

/** A column: a fact or property, with optional heading. */
export interface BomColumn {
  readonly of: { readonly fact: BomFact } | { readonly property: number };
  /** Empty for the default. */
  readonly header: string;
  /** In pixels; `null` for automatic. */
  readonly width: number | null;
  /** Whether to show a total of value times quantity. */
  readonly sum: boolean;
}

/** Rules for rows by class. */
export const CLASS_RULES = ['leave out', 'dissolve', 'as one', 'count by'] as const;

/**
 * `leave out` drops the row and everything below, `dissolve` replaces it by its parts, `as one` hides its contents, and `count by` sums a
 * property (such as length or area) instead of counting pieces.
 */
export interface ClassRule {
  readonly class: number;
  readonly rule: (typeof CLASS_RULES)[number];
  /** For `count by`. */
  readonly property: number | null;
}

/** Numbering of rows; numbers are permanent. */
export interface NumberRule {
  readonly start: number;
  readonly step: number;
  /** Whether numbers of removed rows are reused. */
  readonly reuse: boolean;
}

export interface BomSort {
  /** Sort key, as a column shows it. */
  readonly of: BomColumn['of'];
  readonly descending: boolean;
}

/** The set-up of a bill of materials. */
export interface BomContent {
  readonly structure: BomStructure;
  /** Properties that merge occurrences; none for the part file. */
  readonly key: readonly number[];
  readonly columns: readonly BomColumn[];
  /** By item number if empty. */
  readonly sort: readonly BomSort[];
  /** Groups rows with equal values, with subtotals. */
  readonly group: BomColumn['of'] | null;
  readonly classes: readonly ClassRule[];
  /** Whether bodies of multi-body parts are rows. */
  readonly bodies: boolean;
  /** Whether summed lists include sub-assemblies. */
  readonly assemblies: boolean;
  readonly numbers: NumberRule;
  /** Drawn list; absent or `null` for none. */
  readonly drawn?: DrawnList | null;
}

export const factColumn = (fact: BomFact): BomColumn => ({ of: { fact }, header: '', width: null, sum: false });
export const propertyColumn = (property: number): BomColumn => ({ of: { property }, header: '', width: null, sum: false });

/** A single-level list with the columns ISO 7573 puts first (item, quantity, part; from memory) and some properties. */
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

/** All properties a layout uses. */
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

/** Facts of a part's geometry, which are read like values. */
const MEASURED: ReadonlySet<BomFact> = new Set(['mass', 'length', 'section']);

/** Whether the rows or their order depend on values, so that structure and numbers alone do not tell which come first. */
export function restsOnValues({ key, classes, bodies, sort, group, structure }: BomContent): boolean {
  return (
    key.length > 0 ||
    bodies ||
    classes.some(({ rule }) => rule === 'count by') ||
    sort.some(({ of }) => 'property' in of || MEASURED.has(of.fact)) ||
    (group !== null && structure !== 'indented')
  );
}

/** Whether two columns show the same. */
export const sameColumn = (a: BomColumn['of'], b: BomColumn['of']): boolean =>
  'fact' in a ? 'fact' in b && a.fact === b.fact : 'property' in b && a.property === b.property;

/** Whether two layouts produce the same rows, regardless of order and columns. */
export const sameRows = (a: BomContent, b: BomContent): boolean =>
  JSON.stringify([a.structure, a.key, a.classes, a.bodies, a.assemblies]) === JSON.stringify([b.structure, b.key, b.classes, b.bodies, b.assemblies]);
