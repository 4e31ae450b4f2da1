import { execFileSync } from 'node:child_process';
import { describe, expect, it } from '@jest/globals';
import { curveThrough } from '../src/drawing/curves';
import { Point } from '../src/files';

/** ezdxf interpolates the same points with the same directions at the ends, and tells many points of its curve. */
const DRAW = String.raw`
import sys, json
from ezdxf.math import fit_points_to_cad_cv, Vec3
points, tangents = json.loads(sys.argv[1])
curve = fit_points_to_cad_cv([Vec3(p) for p in points], [Vec3(t) for t in tangents] if tangents else None)
print(json.dumps([[p.x, p.y] for p in curve.approximate(4000)]))
`;
type Pair = readonly [x: number, y: number];
const ezdxf = (points: readonly Pair[], tangents: readonly Pair[] | null): Pair[] =>
  JSON.parse(execFileSync('/usr/bin/python3', ['-c', DRAW, JSON.stringify([points, tangents])], { encoding: 'utf8' })) as Pair[];
const asPoint = ([x, y]: Pair): Point => ({ x, y });
/** Greatest distance of points from the nearest of a dense curve. */
const away = (points: readonly Point[], curve: readonly Pair[]): number =>
  Math.max(...points.map(({ x, y }) => Math.min(...curve.map(([a, b]) => Math.hypot(a - x, b - y)))));

const SETS: readonly (readonly Pair[])[] = [
  [
    [0, 0],
    [10, 20],
    [30, -5],
    [50, 10],
  ],
  [
    [0, 0],
    [1, 1],
    [40, 2],
  ],
  [
    [5, 5],
    [5, 25],
    [25, 25],
    [25, 5],
    [6, 4],
    [60, -30],
  ],
];
const ENDS: readonly [Pair, Pair] = [
  [3, 4],
  [1, -1],
];

describe('a curve through points', () => {
  it.each(SETS.map((points) => [points.length, points] as const))('%s of them, is the one that ezdxf draws with the same ends', (_n, points) => {
    const curve = ezdxf(points, ENDS);
    expect(away(curveThrough(points.map(asPoint), asPoint(ENDS[0]), asPoint(ENDS[1])), curve)).toBeLessThan(0.03);
  });
  it('without stated ends is near the one for which ezdxf estimates them, and passes through every point', () => {
    for (const points of SETS) {
      const own = curveThrough(points.map(asPoint));
      const size = Math.max(...points.map(([x]) => x)) - Math.min(...points.map(([x]) => x));
      expect(away(own, ezdxf(points, null))).toBeLessThan(size * 0.12);
      for (const [x, y] of points) expect(Math.min(...own.map((p) => Math.hypot(p.x - x, p.y - y)))).toBeLessThan(1e-9);
    }
  });
  it('has no break: it bends as little at a point as beside it', () => {
    const own = curveThrough(SETS[0]!.map(asPoint));
    const turns = own.slice(2).map((c, i) => {
      const [a, b] = [own[i]!, own[i + 1]!];
      const turn = Math.atan2(c.y - b.y, c.x - b.x) - Math.atan2(b.y - a.y, b.x - a.x);
      return Math.abs(Math.atan2(Math.sin(turn), Math.cos(turn)));
    });
    expect(Math.max(...turns)).toBeLessThan(0.5);
  });
  it('of two points is a line, of one a point, and equal neighbours count once', () => {
    const [a, b] = [
      { x: 0, y: 0 },
      { x: 3, y: 4 },
    ];
    expect(curveThrough([a, b])).toEqual([a, b]);
    expect(curveThrough([a, a])).toEqual([a]);
    expect(curveThrough([])).toEqual([]);
    expect(curveThrough([a, a, b, b])).toEqual([a, b]);
  });
});
