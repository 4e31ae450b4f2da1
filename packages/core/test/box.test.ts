import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { smallestBox } from '../src/geometry';

type Vector = readonly [number, number, number];

/** The twelve triangles of a box at the origin, corners transformed by a function. */
function boxOf([w, d, h]: Vector, move: (point: Vector) => Vector): number[] {
  const corner = (n: number) => move([n & 1 ? w : 0, n & 2 ? d : 0, n & 4 ? h : 0]);
  const faces = [
    [0, 1, 3, 2],
    [4, 5, 7, 6],
    [0, 1, 5, 4],
    [2, 3, 7, 6],
    [0, 2, 6, 4],
    [1, 3, 7, 5],
  ] as const;
  return faces.flatMap(([a, b, c, d]) => [a, b, c, a, c, d].flatMap((n) => corner(n)));
}

/** Rotated about the axes in turn, and translated. */
const turned =
  (a: number, b: number, c: number) =>
  ([x, y, z]: Vector): Vector => {
    const [x1, y1] = [x * Math.cos(a) - y * Math.sin(a), x * Math.sin(a) + y * Math.cos(a)];
    const [y2, z1] = [y1 * Math.cos(b) - z * Math.sin(b), y1 * Math.sin(b) + z * Math.cos(b)];
    const [x2, z2] = [x1 * Math.cos(c) + z1 * Math.sin(c), z1 * Math.cos(c) - x1 * Math.sin(c)];
    return [x2 + 17, y2 - 4, z2 + 250];
  };

describe('the smallest box around a solid', () => {
  it('is the solid itself where that is a box, however it is turned', () => {
    const side = fc.double({ min: 1, max: 900, noNaN: true });
    const angle = fc.double({ min: 0, max: 2 * Math.PI, noNaN: true });
    fc.assert(
      fc.property(side, side, side, angle, angle, angle, (w, d, h, a, b, c) => {
        const found = smallestBox(boxOf([w, d, h], turned(a, b, c)));
        const wanted = [w, d, h].sort((p, q) => q - p);
        for (const [i, length] of found.entries()) expect(Math.abs(length - wanted[i]!)).toBeLessThan(1e-4 * wanted[0]!);
      }),
    );
  });

  it('of a prism with slanting ends is as long as its longest edge', () => {
    // A 40 × 20 bar with a 45-degree cut: 300 on one side, 260 on the other.
    const slanted = ([x, y, z]: Vector): Vector => (z > 0 ? [x, y, z - x] : [x, y, z]);
    const found = smallestBox(boxOf([40, 20, 300], (point) => turned(0.3, 1.1, 2)(slanted(point))));
    expect(found.map((n) => Math.round(n * 1000) / 1000)).toEqual([300, 40, 20]);
  });

  it('of nothing is nothing', () => expect(smallestBox([])).toEqual([0, 0, 0]));
});
