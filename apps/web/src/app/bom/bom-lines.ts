import { BomTable, BomTableRow } from '@rule/contract';
import { BomColumn, BomContent, BomTotal } from '@rule/core/bom';
import { Property } from '@rule/core/schema';

/** A displayed line: row, group heading or totals. */
export type BomLine =
  | { readonly kind: 'row'; readonly key: string; readonly row: BomTableRow }
  | { readonly kind: 'group'; readonly key: string; readonly title: string; readonly rows: number }
  | { readonly kind: 'total'; readonly key: string; readonly title: string; readonly totals: readonly (BomTotal | null)[] };

/** Visible lines, without children of folded rows. */
export function linesOf(table: BomTable, content: Pick<BomContent, 'columns'>, folded: ReadonlySet<string>): BomLine[] {
  const byId = new Map(table.rows.map((row) => [row.id, row]));
  const hidden = new Set<string>();
  const sums = content.columns.some((column) => column.sum);
  const lines: BomLine[] = [];
  for (const [i, group] of table.groups.entries()) {
    if (group.title !== null) lines.push({ kind: 'group', key: `group ${i}`, title: group.title || '(blank)', rows: group.rows.length });
    for (const id of group.rows) {
      const row = byId.get(id)!;
      if (row.parent !== null && (hidden.has(row.parent) || folded.has(row.parent))) hidden.add(id);
      else lines.push({ kind: 'row', key: id, row });
    }
    if (sums && group.title !== null) lines.push({ kind: 'total', key: `total ${i}`, title: `Total ${group.title || '(blank)'}`, totals: group.totals });
  }
  if (sums) lines.push({ kind: 'total', key: 'total', title: 'Total', totals: table.totals });
  return lines;
}

/** A total for display, including what is not counted. */
export const totalText = (total: BomTotal | null): string =>
  total === null ? '' : total.value === null ? (total.without ? '–' : '') : String(Number(total.value.toPrecision(8)));

const WIDTHS: Readonly<Record<string, number>> = {
  item: 64,
  quantity: 76,
  total: 76,
  unit: 52,
  part: 180,
  folder: 150,
  name: 160,
  class: 110,
  picture: 92,
  mass: 110,
  length: 96,
  section: 130,
  changed: 100,
};

/** Default column width. */
export function widthOf(column: BomColumn, property: Property | undefined): number {
  if (column.width !== null) return column.width;
  if ('fact' in column.of) return WIDTHS[column.of.fact]!;
  if (property?.type === 'number' || property?.type === 'whole') return 90;
  return property?.type === 'longtext' ? 220 : 124;
}

/** Whether a column holds numbers. */
export function isNumeric({ of }: BomColumn, properties: ReadonlyMap<number, Property>): boolean {
  if ('fact' in of) return ['item', 'quantity', 'total', 'mass', 'length'].includes(of.fact);
  const type = properties.get(of.property)?.type;
  return type === 'number' || type === 'whole';
}

/** Key of a column. */
export const keyOf = (of: BomColumn['of']): string => ('fact' in of ? of.fact : `p${of.property}`);

/** Moves a column. */
export function moved(columns: readonly BomColumn[], from: number, to: number): BomColumn[] {
  const list = [...columns];
  list.splice(Math.max(0, Math.min(list.length - 1, to)), 0, ...list.splice(from, 1));
  return list;
}
