import { BomColumn, BomContent, BomSort, sameColumn } from './layout';
import { BomRow } from './rows';

/** What a cell of a list shows. Texts are as people read them; `number` is there for what can be summed and sorted as a number. */
export interface BomCell {
  readonly text: string;
  readonly number?: number;
  /** Where the members of a row do not agree: each value with the pieces that have it, the most frequent first. */
  readonly differs?: readonly { readonly text: string; readonly pieces: number }[];
  /** Sum of value times pieces over the whole assembly, and the pieces without a value. */
  readonly sum?: { readonly value: number | null; readonly without: number };
}

/** A row with its cells, in the order of the layout's columns. */
export interface BomTableRow extends BomRow {
  readonly item: string;
  readonly cells: readonly BomCell[];
}

/** Rows under one heading; without one where the layout does not group. */
export interface BomGroup {
  readonly title: string | null;
  readonly rows: readonly string[];
  readonly totals: readonly (BomTotal | null)[];
}

/** What is under a column. */
export interface BomTotal {
  readonly value: number | null;
  /** Pieces without a value: the total does not count them. */
  readonly without: number;
}

export const BLANK_CELL: BomCell = { text: '' };

const compareTexts = new Intl.Collator('en', { numeric: true }).compare;

/** The order of two cells: blanks last, numbers by size, texts as people order them. */
function compareCells(a: BomCell, b: BomCell): number {
  if (a.text === '' || b.text === '') return Number(a.text === '') - Number(b.text === '');
  if (a.number !== undefined && b.number !== undefined) return a.number - b.number;
  return compareTexts(a.text, b.text);
}

/** What rows are put in order with. */
export interface OrderFacts {
  readonly numbers: ReadonlyMap<string, number>;
  readonly cell: (row: BomRow, of: BomColumn['of']) => BomCell;
}

/** Rows in the layout's order: siblings sorted, what is below a row behind it. Bodies stay as they are in their part. */
export function inBomOrder(rows: readonly BomRow[], sort: readonly BomSort[], { numbers, cell }: OrderFacts): BomRow[] {
  const children = new Map<string | null, BomRow[]>();
  for (const row of rows) {
    const list = children.get(row.parent);
    if (list) list.push(row);
    else children.set(row.parent, [row]);
  }
  const order = (a: BomRow, b: BomRow): number => {
    if (a.bodies || b.bodies) return 0;
    for (const { of, descending } of sort) {
      const by = compareCells(cell(a, of), cell(b, of)) * (descending ? -1 : 1);
      if (by !== 0) return by;
    }
    return (numbers.get(a.id) ?? Infinity) - (numbers.get(b.id) ?? Infinity);
  };
  const sorted: BomRow[] = [];
  const put = (parent: string | null) => {
    for (const row of (children.get(parent) ?? []).sort(order)) {
      sorted.push(row);
      if (children.has(row.id)) put(row.id);
    }
  };
  put(null);
  return sorted;
}

/** Totals under columns: of the rows that stand directly in the list, as an assembly's mass holds that of its parts. */
function totalsOf(rows: readonly BomTableRow[], columns: readonly BomColumn[]): (BomTotal | null)[] {
  return columns.map((column, i) => {
    if (!column.sum) return null;
    let value: number | null = null;
    let without = 0;
    for (const row of rows) {
      if (!row.counts) continue;
      const sum = row.cells[i]!.sum;
      if (sum?.value != null) value = (value ?? 0) + sum.value;
      without += sum ? sum.without : row.total;
    }
    return { value, without };
  });
}

/** Rows in groups, with totals for each group and for all. Lists with levels are not grouped: their order is their structure. */
export function groupRows(
  rows: readonly BomTableRow[],
  content: Pick<BomContent, 'columns' | 'group' | 'structure'>,
  cell: (row: BomRow, of: BomColumn['of']) => BomCell,
): { readonly groups: readonly BomGroup[]; readonly totals: readonly (BomTotal | null)[] } {
  const totals = totalsOf(rows, content.columns);
  const { group: by } = content;
  if (by === null || content.structure === 'indented') return { groups: [{ title: null, rows: rows.map((row) => row.id), totals }], totals };
  const groups = new Map<string, { first: BomCell; rows: BomTableRow[] }>();
  let title = '';
  for (const row of rows) {
    const own = row.level === 1 ? cell(row, by) : null;
    if (own) title = own.text;
    const group = groups.get(title);
    if (group) group.rows.push(row);
    else groups.set(title, { first: own ?? BLANK_CELL, rows: [row] });
  }
  return {
    totals,
    groups: [...groups]
      .sort(([, a], [, b]) => compareCells(a.first, b.first))
      .map(([text, group]) => ({ title: text, rows: group.rows.map((row) => row.id), totals: totalsOf(group.rows, content.columns) })),
  };
}

/** Where a column is in a layout; -1 where it has none. */
export const columnAt = (columns: readonly BomColumn[], of: BomColumn['of']): number => columns.findIndex((column) => sameColumn(column.of, of));
