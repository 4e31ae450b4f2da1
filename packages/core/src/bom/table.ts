import { BomColumn, BomContent, BomSort, sameColumn } from './layout';
import { BomRow } from './rows';

/** A cell. `number` is set if it can be summed and sorted numerically. */
export interface BomCell {
  readonly text: string;
  readonly number?: number;
  /** Distinct values of members with piece counts, most frequent first. */
  readonly differs?: readonly { readonly text: string; readonly pieces: number }[];
  /** Sum of value times pieces, and pieces without a value. */
  readonly sum?: { readonly value: number | null; readonly without: number };
}

/** A row with cells in column order. */
export interface BomTableRow extends BomRow {
  readonly item: string;
  readonly cells: readonly BomCell[];
}

/** A group of rows; untitled if ungrouped. */
export interface BomGroup {
  readonly title: string | null;
  readonly rows: readonly string[];
  readonly totals: readonly (BomTotal | null)[];
}

/** A column total. */
export interface BomTotal {
  readonly value: number | null;
  /** Pieces without a value, not included. */
  readonly without: number;
}

export const BLANK_CELL: BomCell = { text: '' };

const compareTexts = new Intl.Collator('en', { numeric: true }).compare;

/** Cell order: blanks last, numbers by size, texts in natural order. */
function compareCells(a: BomCell, b: BomCell): number {
  if (a.text === '' || b.text === '') return Number(a.text === '') - Number(b.text === '');
  if (a.number !== undefined && b.number !== undefined) return a.number - b.number;
  return compareTexts(a.text, b.text);
}

/** Sort criteria. */
export interface OrderFacts {
  readonly numbers: ReadonlyMap<string, number>;
  readonly cell: (row: BomRow, of: BomColumn['of']) => BomCell;
}

/** Sorts siblings with their descendants; bodies keep their order. */
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

/** Totals of first-level rows, as a parent's mass includes its parts. */
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

/** Groups rows with totals. Indented lists are not grouped. */
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

/** Index of a column; -1 if missing. */
export const columnAt = (columns: readonly BomColumn[], of: BomColumn['of']): number => columns.findIndex((column) => sameColumn(column.of, of));
