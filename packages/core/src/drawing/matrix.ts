import { Point } from '../files';

/** An affine transformation: (x, y) becomes (a·x + c·y + e, b·x + d·y + f). */
export type Matrix = readonly [a: number, b: number, c: number, d: number, e: number, f: number];

export const IDENTITY: Matrix = [1, 0, 0, 1, 0, 0];
/** Transformation for an extrusion pointing away, by the DXF reference's arbitrary axis rule. */
export const FLIPPED: Matrix = [-1, 0, 0, 1, 0, 0];

/** Composition: `inner` first, then `outer`. */
export const times = (outer: Matrix, inner: Matrix): Matrix => [
  outer[0] * inner[0] + outer[2] * inner[1],
  outer[1] * inner[0] + outer[3] * inner[1],
  outer[0] * inner[2] + outer[2] * inner[3],
  outer[1] * inner[2] + outer[3] * inner[3],
  outer[0] * inner[4] + outer[2] * inner[5] + outer[4],
  outer[1] * inner[4] + outer[3] * inner[5] + outer[5],
];

export const shift = (x: number, y: number): Matrix => [1, 0, 0, 1, x, y];
export const stretch = (x: number, y: number): Matrix => [x, 0, 0, y, 0, 0];
/**
 * A counter-clockwise rotation.
 * @param angle in radians
 */
export const turn = (angle: number): Matrix => [Math.cos(angle), Math.sin(angle), -Math.sin(angle), Math.cos(angle), 0, 0];

export const apply = (m: Matrix, { x, y }: Point): Point => ({ x: m[0] * x + m[2] * y + m[4], y: m[1] * x + m[3] * y + m[5] });

/** Length scale: the root of the area scale. */
export const growth = (m: Matrix): number => Math.sqrt(Math.abs(m[0] * m[3] - m[1] * m[2]));

export const radians = (degrees: number): number => (degrees * Math.PI) / 180;
