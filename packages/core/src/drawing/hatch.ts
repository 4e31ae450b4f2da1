import { Point } from '../files';

/** A hatch line family: direction in radians, a base point, the offset, and dashes (none for solid). */
export interface HatchLine {
  readonly angle: number;
  readonly base: Point;
  readonly offset: Point;
  readonly dashes: readonly number[];
}

/** Maximum lines of a hatch; denser ones are drawn as a grey area. */
export const MOST_HATCH_LINES = 4000;

/** Hatch lines inside the outlines (even-odd); `null` if too many. */
export function hatchLines(outlines: readonly (readonly Point[])[], families: readonly HatchLine[]): [Point, Point][] | null {
  const edges = outlines.flatMap((outline) => outline.map((from, i) => ({ from, to: outline[(i + 1) % outline.length]! })));
  const found: [Point, Point][] = [];
  for (const { angle, base, offset, dashes } of families) {
    const [cos, sin] = [Math.cos(angle), Math.sin(angle)];
    // Along the lines (u) and across (v).
    const u = ({ x, y }: Point) => x * cos + y * sin;
    const v = ({ x, y }: Point) => y * cos - x * sin;
    const step = Math.abs(v(offset));
    if (step < 1e-9 || edges.length === 0) continue;
    const along = u(offset) * Math.sign(v(offset));
    const start = v(base);
    let [low, high] = [Infinity, -Infinity];
    for (const { from } of edges) {
      low = Math.min(low, v(from));
      high = Math.max(high, v(from));
    }
    const [first, last] = [Math.ceil((low - start) / step), Math.floor((high - start) / step)];
    if (!Number.isFinite(first) || last - first + found.length > MOST_HATCH_LINES) return null;
    for (let n = first; n <= last; n++) {
      const level = start + n * step;
      const cuts: number[] = [];
      for (const { from, to } of edges) {
        const [a, b] = [v(from), v(to)];
        if (a <= level === b <= level) continue;
        cuts.push(u(from) + ((level - a) / (b - a)) * (u(to) - u(from)));
      }
      cuts.sort((a, b) => a - b);
      const at = (t: number): Point => ({ x: t * cos - level * sin, y: t * sin + level * cos });
      for (let i = 0; i + 1 < cuts.length; i += 2)
        for (const [from, to] of dashed(cuts[i]!, cuts[i + 1]!, u(base) + n * along, dashes)) {
          if (found.length >= MOST_HATCH_LINES) return null;
          found.push([at(from), at(to)]);
        }
    }
  }
  return found;
}

/** Visible parts of a line with dashes (positive drawn, negative skipped), phased from a point. */
function* dashed(from: number, to: number, origin: number, dashes: readonly number[]): Generator<[number, number]> {
  const period = dashes.reduce((sum, dash) => sum + Math.abs(dash), 0);
  if (dashes.length === 0 || period < 1e-9 || (to - from) / period > MOST_HATCH_LINES) {
    yield [from, to];
    return;
  }
  for (let at = origin + Math.floor((from - origin) / period) * period; at < to;)
    for (const dash of dashes) {
      const next = at + Math.abs(dash);
      if (dash >= 0 && next >= from && at <= to) yield [Math.max(at, from), Math.min(next, to)];
      at = next;
    }
}
