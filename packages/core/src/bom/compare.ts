/** A list prepared for comparison. */
export interface ComparedBom {
  readonly columns: readonly string[];
  readonly rows: readonly ComparedRow[];
}

/** A row of a list to be compared. */
export interface ComparedRow {
  /** Row identity across lists: part path or name, below its parent. */
  readonly key: string;
  readonly label: string;
  readonly item: string;
  readonly level: number;
  readonly quantity: string;
  readonly cells: readonly string[];
  /** Hash of the part file. */
  readonly hash: string | null;
}

/** Difference in one row. */
export interface BomDifference {
  readonly what: 'added' | 'removed' | 'quantity' | 'item' | 'value' | 'file';
  readonly label: string;
  readonly item: string;
  /** Column of a changed value. */
  readonly column: string | null;
  readonly before: string;
  readonly after: string;
}

/** Pairs rows by key; equal keys in order. */
function byKey(rows: readonly ComparedRow[]): Map<string, ComparedRow> {
  const found = new Map<string, ComparedRow>();
  for (const row of rows) {
    let key = row.key;
    for (let n = 2; found.has(key); n++) key = `${row.key}\n${n}`;
    found.set(key, row);
  }
  return found;
}

/** Differences between lists: removed rows first, then rows of the second list in order. Columns match by header. */
export function compareBoms(before: ComparedBom, after: ComparedBom): BomDifference[] {
  const [old, now] = [byKey(before.rows), byKey(after.rows)];
  const found: BomDifference[] = [];
  const shared = after.columns.flatMap((column, i) => {
    const at = before.columns.indexOf(column);
    return at < 0 ? [] : [{ column, at, i }];
  });
  for (const [key, row] of old)
    if (!now.has(key)) found.push({ what: 'removed', label: row.label, item: row.item, column: null, before: row.quantity, after: '' });
  for (const [key, row] of now) {
    const was = old.get(key);
    const differs = (what: BomDifference['what'], a: string, b: string, column: string | null = null) => {
      if (a !== b) found.push({ what, label: row.label, item: row.item, column, before: a, after: b });
    };
    if (!was) {
      found.push({ what: 'added', label: row.label, item: row.item, column: null, before: '', after: row.quantity });
      continue;
    }
    differs('quantity', was.quantity, row.quantity);
    differs('item', was.item, row.item);
    const values = found.length;
    for (const { column, at, i } of shared) differs('value', was.cells[at] ?? '', row.cells[i] ?? '', column);
    // Changed bytes are only reported if no value differs.
    if (found.length === values && was.hash !== null && row.hash !== null && was.hash !== row.hash)
      found.push({ what: 'file', label: row.label, item: row.item, column: null, before: 'another version', after: 'this version' });
  }
  return found;
}
