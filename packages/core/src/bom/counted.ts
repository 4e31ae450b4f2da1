import { StructureReading } from '../files';
import { Match } from '../identity';

/** Counted part placed directly in an assembly. */
export interface CountedPart {
  readonly item: number;
  /** Copies counted in the row; several may share a part file. */
  readonly products: readonly string[];
  readonly label: string;
  readonly match: Match;
  readonly quantity: number;
  /** Occurrences counted. */
  readonly occurrences: readonly string[];
}

/**
 * Single-level BOM: children of the root, counted by part file and variant, or by copy if unknown. Rows are in order of first placement, numbered from
 * 1 (ISO 7573 asks for item numbers that agree with the drawing; from memory).
 * @param partOf part file match by product key
 */
export function countParts(structure: StructureReading, partOf: (productKey: string) => Match): CountedPart[] {
  const root = structure.roots[0];
  const labels = new Map(structure.products.map((product) => [product.key, product.name || product.id]));
  const rows = new Map<string, { products: Set<string>; label: string; match: Match; occurrences: string[] }>();
  for (const occurrence of structure.occurrences) {
    if (occurrence.parent !== root) continue;
    const match = partOf(occurrence.child);
    const key = match.state === 'matched' ? `file ${match.file} ${match.variant ?? ''}` : `copy ${occurrence.child}`;
    const row = rows.get(key) ?? { products: new Set<string>(), label: labels.get(occurrence.child) ?? occurrence.child, match, occurrences: [] };
    row.products.add(occurrence.child);
    row.occurrences.push(occurrence.key);
    rows.set(key, row);
  }
  return [...rows.values()].map(({ products, label, match, occurrences }, i) => ({
    item: i + 1,
    products: [...products],
    label,
    match,
    quantity: occurrences.length,
    occurrences,
  }));
}
