import { Point } from '../files';
import { DxfGroups, Entity } from '../files/dxf';
import { bentLine, ellipseArc, splinePoints } from './curves';
import { HatchLine } from './hatch';
import { radians } from './matrix';

/** Outlines and pattern of a HATCH, parsed sequentially. */
export function hatchParts(groups: DxfGroups, entity: Entity): { outlines: Point[][]; families: HatchLine[]; solid: boolean } {
  const { codes } = groups.index;
  let k = groups.find(entity, 91);
  const solid = groups.number(entity, 70, 0) === 1;
  if (k < 0) return { outlines: [], families: [], solid };
  const value = () => Number(groups.raw(k));
  /** Advances to the next group with a code and returns its value. */
  const next = (code: number, otherwise = 0): number => {
    let at = k + 1;
    while (at < entity.to && codes[at] !== code) at++;
    if (at >= entity.to) return otherwise;
    k = at;
    return value();
  };
  const nextPoint = (code: number): Point => ({ x: next(code), y: next(code + 10) });
  const outlines: Point[][] = [];
  const count = Math.min(value(), 10_000);
  for (let path = 0; path < count && k < entity.to; path++) {
    const flags = next(92);
    if (flags & 2) {
      const bent = next(72) === 1;
      const closed = next(73, 1) === 1;
      const corners = Array.from({ length: Math.min(next(93), 100_000) }, () => {
        const p = nextPoint(10);
        // A bulge of zero may be omitted.
        return { ...p, bulge: bent && codes[k + 1] === 42 ? next(42) : 0 };
      });
      outlines.push(bentLine(corners, closed));
      continue;
    }
    const line: Point[] = [];
    const edges = Math.min(next(93), 100_000);
    for (let i = 0; i < edges && k < entity.to; i++) {
      switch (next(72)) {
        case 1:
          line.push(nextPoint(10), nextPoint(11));
          break;
        case 2: {
          const [centre, radius, from, to, ccw] = [nextPoint(10), next(40), next(50), next(51), next(73, 1)];
          const side = ccw === 0 ? -1 : 1;
          const end = to <= from ? to + 360 : to;
          line.push(...ellipseArc(centre, { x: radius, y: 0 }, { x: 0, y: radius * side }, radians(from), radians(end)));
          break;
        }
        case 3: {
          const [centre, major, ratio, from, to, ccw] = [nextPoint(10), nextPoint(11), next(40), next(50), next(51), next(73, 1)];
          const side = ccw === 0 ? -ratio : ratio;
          const end = to <= from ? to + 360 : to;
          line.push(...ellipseArc(centre, major, { x: -major.y * side, y: major.x * side }, radians(from), radians(end)));
          break;
        }
        case 4: {
          const degree = next(94);
          const rational = next(73) === 1;
          next(74);
          const [nKnots, nControls] = [Math.min(next(95), 100_000), Math.min(next(96), 100_000)];
          const knots = Array.from({ length: nKnots }, () => next(40));
          const weights: number[] = [];
          const controls = Array.from({ length: nControls }, () => {
            const p = nextPoint(10);
            if (rational) weights.push(next(42, 1));
            return p;
          });
          line.push(...splinePoints({ degree, knots, controls, weights }));
          break;
        }
      }
    }
    outlines.push(line);
  }
  const families: HatchLine[] = [];
  const lines = solid ? 0 : Math.min(next(78), 100);
  for (let i = 0; i < lines && k < entity.to; i++) {
    const [angle, x, y, ox, oy, dashes] = [next(53), next(43), next(44), next(45), next(46), Math.min(next(79), 100)];
    families.push({ angle: radians(angle), base: { x, y }, offset: { x: ox, y: oy }, dashes: Array.from({ length: dashes }, () => next(49)) });
  }
  return { outlines, families, solid };
}
