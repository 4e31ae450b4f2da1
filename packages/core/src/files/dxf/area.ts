import { Point } from '../contract';

/** A corner of an outline; `bulge` bends the line to the next one: the tangent of a quarter of the arc's angle, positive when counter-clockwise. */
export interface Vertex extends Point {
  readonly bulge: number;
}

/** Bulges below this are no bend: their radius would be beyond all numbers. */
export const STRAIGHT = 1e-9;

/**
 * The exact area of a closed outline of straight lines and arcs: the polygon by the surveyor's formula, and
 * for each arc the circular segment r²·(θ − sin θ)/2 with θ = 4·atan(bulge) and r = chord / (2·sin(θ/2)).
 */
export function outlineArea(vertices: readonly Vertex[]): number {
  let twice = 0;
  let segments = 0;
  for (const [i, a] of vertices.entries()) {
    const b = vertices[(i + 1) % vertices.length]!;
    twice += a.x * b.y - b.x * a.y;
    if (Math.abs(a.bulge) > STRAIGHT) {
      const angle = 4 * Math.atan(a.bulge);
      const radius = Math.hypot(b.x - a.x, b.y - a.y) / (2 * Math.sin(angle / 2));
      segments += (radius * radius * (angle - Math.sin(angle))) / 2;
    }
  }
  return Math.abs(twice / 2 + segments);
}
