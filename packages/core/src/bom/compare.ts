/** A list as it was kept or as it is now, ready to be compared: what is in it, in texts. */
export interface ComparedBom {
  readonly columns: readonly string[];
  readonly rows: readonly ComparedRow[];
}

/** A row of a list to be compared. */
export interface ComparedRow {
  /** What makes it the same row in another list: its part's path, or its name where there is none, below what it is in. */
  readonly key: string;
  readonly label: string;
  readonly item: string;
  readonly level: number;
  readonly quantity: string;
  readonly cells: readonly string[];
  /** Hash of the part file's bytes. */
  readonly hash: string | null;
}

/** What differs between two lists in one row. */
export interface BomDifference {
  readonly what: 'added' | 'removed' | 'quantity' | 'item' | 'value' | 'file';
  readonly label: string;
  readonly item: string;
  /** The column, for a value. */
  readonly column: string | null;
  readonly before: string;
  readonly after: string;
}

/** Rows of two lists by key; where several have the same, in their order. */
function byKey(rows: readonly ComparedRow[]): Map<string, ComparedRow> {
  const found = new Map<string, ComparedRow>();
  for (const row of rows) {
    let key = row.key;
    for (let n = 2; found.has(key); n++) key = `${row.key}\n${n}`;
    found.set(key, row);
  }
  return found;
}

/** What differs between two lists, row by row: removed ones first, then the rows of the second in their order. Columns are matched by their headings. */
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
    // A file whose values say so itself has changed; that its bytes differ besides is worth a word only where nothing else tells.
    if (found.length === values && was.hash !== null && row.hash !== null && was.hash !== row.hash)
      found.push({ what: 'file', label: row.label, item: row.item, column: null, before: 'another version', after: 'this version' });
  }
  return found;
}
