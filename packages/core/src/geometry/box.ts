import type { Triangles } from './picture';

type Vector = readonly [number, number, number];
type Point2 = readonly [number, number];

/** Face directions tried for a box. */
const MOST_DIRECTIONS = 16;

const dot = (a: Vector, b: Vector) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
const cross = (a: Vector, b: Vector): Vector => [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]];
const scaled = (a: Vector, by: number): Vector => [a[0] * by, a[1] * by, a[2] * by];

/** Face directions by descending area; opposite ones are merged. */
function facing(triangles: Triangles): Vector[] {
  const areas = new Map<string, { direction: Vector; area: number }>();
  for (let i = 0; i + 8 < triangles.length; i += 9) {
    const at = (k: number): Vector => [triangles[i + k]!, triangles[i + k + 1]!, triangles[i + k + 2]!];
    const [a, b, c] = [at(0), at(3), at(6)];
    const normal = cross([b[0] - a[0], b[1] - a[1], b[2] - a[2]], [c[0] - a[0], c[1] - a[1], c[2] - a[2]]);
    const area = Math.sqrt(dot(normal, normal));
    if (area < 1e-12) continue;
    const first = normal.find((n) => Math.abs(n) > 1e-6 * area) ?? 1;
    const direction = scaled(normal, Math.sign(first) / area);
    const key = direction.map((n) => Math.round(n * 1000) || 0).join();
    const known = areas.get(key);
    if (known) known.area += area;
    else areas.set(key, { direction, area });
  }
  return [...areas.values()]
    .sort((a, b) => b.area - a.area)
    .slice(0, MOST_DIRECTIONS)
    .map((entry) => entry.direction);
}

/** Convex hull of points in a plane, counter-clockwise (Andrew's monotone chain). */
function hull(points: readonly Point2[]): Point2[] {
  const sorted = [...points].sort((a, b) => a[0] - b[0] || a[1] - b[1]);
  const turn = (o: Point2, a: Point2, b: Point2) => (a[0] - o[0]) * (b[1] - o[1]) - (a[1] - o[1]) * (b[0] - o[0]);
  const half = (list: readonly Point2[]) => {
    const chain: Point2[] = [];
    for (const point of list) {
      while (chain.length >= 2 && turn(chain.at(-2)!, chain.at(-1)!, point) <= 1e-12) chain.pop();
      chain.push(point);
    }
    chain.pop();
    return chain;
  };
  return [...half(sorted), ...half(sorted.reverse())];
}

/** The smallest enclosing rectangle; one side lies on the convex hull. */
function leastRectangle(points: readonly Point2[]): readonly [number, number] {
  const corners = hull(points);
  let best: readonly [number, number] = [Infinity, Infinity];
  for (let i = 0; i < corners.length; i++) {
    const [a, b] = [corners[i]!, corners[(i + 1) % corners.length]!];
    const length = Math.hypot(b[0] - a[0], b[1] - a[1]);
    if (length < 1e-9) continue;
    const [x, y] = [(b[0] - a[0]) / length, (b[1] - a[1]) / length];
    let [left, right, low, high] = [Infinity, -Infinity, Infinity, -Infinity];
    for (const [px, py] of corners) {
      const [along, across] = [px * x + py * y, py * x - px * y];
      [left, right] = [Math.min(left, along), Math.max(right, along)];
      [low, high] = [Math.min(low, across), Math.max(high, across)];
    }
    if ((right - left) * (high - low) < best[0] * best[1]) best = [right - left, high - low];
  }
  return Number.isFinite(best[0]) ? best : [0, 0];
}

/**
 * Sides of the smallest face-aligned box around a solid, longest first: length, width and height of a cut piece in any orientation. Exact
 * for straight edges, otherwise as exact as the mesh.
 * @param triangles nine numbers each, three corners
 */
export function smallestBox(triangles: Triangles): readonly [number, number, number] {
  const corners = new Map<string, Vector>();
  for (let i = 0; i + 2 < triangles.length; i += 3) {
    const corner: Vector = [triangles[i]!, triangles[i + 1]!, triangles[i + 2]!];
    corners.set(corner.map((n) => n.toFixed(6)).join(), corner);
  }
  const points = [...corners.values()];
  let best: [number, number, number] = [0, 0, 0];
  let least = Infinity;
  for (const direction of facing(triangles)) {
    const aside: Vector = Math.abs(direction[0]) < 0.6 ? [1, 0, 0] : [0, 1, 0];
    const raw = cross(direction, aside);
    const u = scaled(raw, 1 / Math.sqrt(dot(raw, raw)));
    const v = cross(direction, u);
    let [low, high] = [Infinity, -Infinity];
    for (const point of points) {
      const along = dot(point, direction);
      [low, high] = [Math.min(low, along), Math.max(high, along)];
    }
    const [width, height] = leastRectangle(points.map((point): Point2 => [dot(point, u), dot(point, v)]));
    const volume = width * height * (high - low);
    if (volume < least) {
      least = volume;
      best = [width, height, high - low];
    }
  }
  return best.sort((a, b) => b - a);
}
