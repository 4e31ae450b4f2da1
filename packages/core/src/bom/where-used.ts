/** An assembly placing a part, with the count. */
export interface PlacedIn {
  readonly assembly: number;
  readonly part: number;
  readonly times: number;
}

/** A path from a part to the top. */
export interface UsedWay {
  /** Assemblies from the first to the top. */
  readonly assemblies: readonly number[];
  /** Counts at each step. */
  readonly times: readonly number[];
  /** Pieces in one top assembly. */
  readonly total: number;
  /** The path ends in a cycle. */
  readonly loop: boolean;
}

/** Maximum paths listed; fasteners may have thousands. */
export const MOST_WAYS = 2000;

/** All paths to the top, and whether there are more. */
export function whereUsed(part: number, placements: readonly PlacedIn[]): { readonly ways: readonly UsedWay[]; readonly more: boolean } {
  const above = new Map<number, PlacedIn[]>();
  for (const placement of placements) {
    const list = above.get(placement.part);
    if (list) list.push(placement);
    else above.set(placement.part, [placement]);
  }
  const ways: UsedWay[] = [];
  let more = false;
  const waiting: { at: number; assemblies: readonly number[]; times: readonly number[]; total: number }[] = [{ at: part, assemblies: [], times: [], total: 1 }];
  for (let way = waiting.pop(); way; way = waiting.pop()) {
    if (ways.length >= MOST_WAYS) {
      more = true;
      break;
    }
    const { at, assemblies, times, total } = way;
    const next = above.get(at) ?? [];
    if (next.length === 0 && assemblies.length) ways.push({ assemblies, times, total, loop: false });
    for (const { assembly, times: own } of [...next].reverse()) {
      const longer = { assemblies: [...assemblies, assembly], times: [...times, own], total: total * own };
      if (assembly === part || assemblies.includes(assembly)) ways.push({ ...longer, loop: true });
      else waiting.push({ at: assembly, ...longer });
    }
  }
  return { ways, more };
}
