/** That an assembly places a part, how often. */
export interface PlacedIn {
  readonly assembly: number;
  readonly part: number;
  readonly times: number;
}

/** One way from a part up to an assembly that nothing places. */
export interface UsedWay {
  /** Assemblies from the one that places the part to the top. */
  readonly assemblies: readonly number[];
  /** How often each of them places what stands before it. */
  readonly times: readonly number[];
  /** Pieces of the part in one of the top. */
  readonly total: number;
  /** The last assembly places one that stands before it: the way goes round and is not followed. */
  readonly loop: boolean;
}

/** Ways that are told; a fastener may be in thousands. */
export const MOST_WAYS = 2000;

/** Every way from a part to the top, and whether there are more than are told. */
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
