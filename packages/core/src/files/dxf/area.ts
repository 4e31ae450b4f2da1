import { Point } from '../contract';

/** A vertex; `bulge` bends the segment to the next: the tangent of a quarter of the arc's angle, positive counter-clockwise. */
export interface Vertex extends Point {
  readonly bulge: number;
}

/** Smaller bulges count as straight. */
export const STRAIGHT = 1e-9;

/**
 * Exact area of an outline of lines and arcs: shoelace formula plus circular segments r²·(θ − sin θ)/2 with θ = 4·atan(bulge) and r = chord
 * / (2·sin(θ/2)).
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

/** Length of an outline of lines and arcs: chords, and |radius · angle| where the outline is bent. */
export function outlineLength(vertices: readonly Vertex[]): number {
  let length = 0;
  for (const [i, a] of vertices.entries()) {
    const b = vertices[(i + 1) % vertices.length]!;
    const chord = Math.hypot(b.x - a.x, b.y - a.y);
    const angle = 4 * Math.atan(a.bulge);
    length += Math.abs(a.bulge) > STRAIGHT ? Math.abs((chord / (2 * Math.sin(angle / 2))) * angle) : chord;
  }
  return length;
}
