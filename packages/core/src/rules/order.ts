/** A computed value and its dependencies, by key. */
export interface Dependent<K extends string | number> {
  readonly key: K;
  readonly needs: readonly K[];
}

/** Evaluation order, and cycles that cannot be evaluated. */
export interface Ordered<K extends string | number> {
  readonly order: readonly K[];
  /** Each cycle, starting from one of its members. */
  readonly circles: readonly (readonly K[])[];
}

/**
 * Orders computed values after their dependencies (strongly connected components, Tarjan 1972). Members of cycles, including
 * self-references, are not ordered.
 */
export function orderOf<K extends string | number>(dependents: readonly Dependent<K>[]): Ordered<K> {
  const needs = new Map(dependents.map(({ key, needs: list }) => [key, list]));
  const index = new Map<K, number>();
  const low = new Map<K, number>();
  const stack: K[] = [];
  const onStack = new Set<K>();
  const order: K[] = [];
  const circles: K[][] = [];
  // An explicit stack: chains may have thousands of members.
  for (const { key: root } of dependents) {
    if (index.has(root)) continue;
    const work: { key: K; next: number }[] = [{ key: root, next: 0 }];
    while (work.length) {
      const frame = work[work.length - 1]!;
      const { key } = frame;
      if (frame.next === 0) {
        index.set(key, index.size);
        low.set(key, index.get(key)!);
        stack.push(key);
        onStack.add(key);
      }
      const list = needs.get(key)!;
      let deeper: K | undefined;
      while (frame.next < list.length) {
        const child = list[frame.next++]!;
        if (!needs.has(child)) continue;
        if (!index.has(child)) {
          deeper = child;
          break;
        }
        if (onStack.has(child)) low.set(key, Math.min(low.get(key)!, index.get(child)!));
      }
      if (deeper !== undefined) {
        work.push({ key: deeper, next: 0 });
        continue;
      }
      if (frame.next === 0) frame.next = 1;
      work.pop();
      const parent = work[work.length - 1];
      if (parent) low.set(parent.key, Math.min(low.get(parent.key)!, low.get(key)!));
      if (low.get(key) !== index.get(key)) continue;
      const members: K[] = [];
      for (;;) {
        const member = stack.pop()!;
        onStack.delete(member);
        members.push(member);
        if (member === key) break;
      }
      if (members.length === 1 && !list.includes(key)) order.push(key);
      else circles.push(round(members, needs));
    }
  }
  return { order, circles };
}

/** A path through a cycle back to its first member. */
function round<K extends string | number>(members: readonly K[], needs: ReadonlyMap<K, readonly K[]>): K[] {
  const inside = new Set(members);
  const start = members[members.length - 1]!;
  const before = new Map<K, K>();
  const queue = [start];
  for (const key of queue) {
    for (const next of needs.get(key)!) {
      if (next === start) {
        const way = [key];
        while (way[0] !== start) way.unshift(before.get(way[0]!)!);
        return way;
      }
      if (inside.has(next) && !before.has(next) && next !== start) {
        before.set(next, key);
        queue.push(next);
      }
    }
  }
  return [...members];
}

/** Values to recompute after changes: all direct and indirect dependents. */
export function touchedBy<K extends string | number>(dependents: readonly Dependent<K>[], changed: Iterable<K>): Set<K> {
  const users = new Map<K, K[]>();
  for (const { key, needs } of dependents) for (const need of needs) users.set(need, [...(users.get(need) ?? []), key]);
  const touched = new Set<K>();
  const queue = [...changed];
  for (const key of queue)
    for (const user of users.get(key) ?? [])
      if (!touched.has(user)) {
        touched.add(user);
        queue.push(user);
      }
  return touched;
}
