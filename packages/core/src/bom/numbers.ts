import { NumberRule } from './layout';

/** A row for numbering. Numbers are unique among siblings. */
export interface NumberedRow {
  readonly id: string;
  readonly parent: string | null;
}

/** A stored number; `gone` if its row no longer exists. */
export interface KeptNumber {
  readonly row: string;
  readonly parent: string | null;
  readonly number: number;
}

const parentKey = (parent: string | null) => parent ?? '';

/**
 * Numbers of rows: stored ones stay, others get the next. Numbers of removed rows count as used unless reuse is allowed.
 * @returns numbers by row, and new ones
 */
export function numberRows(
  rows: readonly NumberedRow[],
  kept: readonly KeptNumber[],
  { start, step, reuse }: NumberRule,
): { readonly numbers: ReadonlyMap<string, number>; readonly given: readonly KeptNumber[] } {
  const numbers = new Map<string, number>();
  const there = new Set(rows.map((row) => row.id));
  const taken = new Map<string, Set<number>>();
  const of = (parent: string | null) => {
    let set = taken.get(parentKey(parent));
    if (!set) taken.set(parentKey(parent), (set = new Set()));
    return set;
  };
  const known = new Map(kept.map((entry) => [entry.row, entry.number]));
  for (const { row, parent, number } of kept) if (there.has(row) || !reuse) of(parent).add(number);
  const given: KeptNumber[] = [];
  const next = new Map<string, number>();
  for (const { id, parent } of rows) {
    const own = known.get(id);
    if (own !== undefined) {
      numbers.set(id, own);
      continue;
    }
    const set = of(parent);
    let number = next.get(parentKey(parent)) ?? (reuse ? start : set.size ? Math.max(start, afterLast(set, start, step)) : start);
    while (set.has(number)) number += step;
    set.add(number);
    next.set(parentKey(parent), number + step);
    numbers.set(id, number);
    given.push({ row: id, parent, number });
  }
  return { numbers, given };
}

/** First free number of the series. */
function afterLast(taken: ReadonlySet<number>, start: number, step: number): number {
  let last = start - step;
  for (const number of taken) if (number > last) last = number;
  return start + Math.ceil((last + 1 - start) / step) * step;
}

/** A row whose number would change. */
export interface Renumbered {
  readonly row: string;
  readonly parent: string | null;
  readonly before: number | null;
  readonly after: number;
}

/** Renumbers in row order; returns the changes. */
export function renumber(rows: readonly NumberedRow[], numbers: ReadonlyMap<string, number>, { start, step }: NumberRule): Renumbered[] {
  const next = new Map<string, number>();
  return rows.flatMap(({ id, parent }): Renumbered[] => {
    const after = next.get(parentKey(parent)) ?? start;
    next.set(parentKey(parent), after + step);
    const before = numbers.get(id) ?? null;
    return before === after ? [] : [{ row: id, parent, before, after }];
  });
}

/** Displayed item numbers, such as 2.1.3. */
export function itemTexts(rows: readonly NumberedRow[], numbers: ReadonlyMap<string, number>): ReadonlyMap<string, string> {
  const texts = new Map<string, string>();
  for (const { id, parent } of rows) {
    const own = String(numbers.get(id) ?? '');
    const above = parent === null ? undefined : texts.get(parent);
    texts.set(id, above ? `${above}.${own}` : own);
  }
  return texts;
}
