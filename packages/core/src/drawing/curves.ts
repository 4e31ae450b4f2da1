import { Point } from '../files';
import { STRAIGHT, Vertex } from '../files/dxf';

/** Segments of a full circle. */
const PIECES = 48;

/** Points of an elliptic arc between two parameters. `major` and `minor` are half axes. Angles in radians. */
export function ellipseArc(centre: Point, major: Point, minor: Point, from: number, to: number, leastPieces = 2): Point[] {
  const count = Math.max(leastPieces, Math.ceil((Math.abs(to - from) / (2 * Math.PI)) * PIECES));
  const points = new Array<Point>(count + 1);
  for (let i = 0; i <= count; i++) {
    const t = from + ((to - from) * i) / count;
    const [cos, sin] = [Math.cos(t), Math.sin(t)];
    points[i] = { x: centre.x + major.x * cos + minor.x * sin, y: centre.y + major.y * cos + minor.y * sin };
  }
  return points;
}

/** Unit circle points, cached as most circles are complete. */
const CIRCLE = ellipseArc({ x: 0, y: 0 }, { x: 1, y: 0 }, { x: 0, y: 1 }, 0, 2 * Math.PI);

/** Points of a circle. */
export function wholeCircle({ x, y }: Point, radius: number): Point[] {
  const points = new Array<Point>(CIRCLE.length);
  for (let i = 0; i < CIRCLE.length; i++) points[i] = { x: x + CIRCLE[i]!.x * radius, y: y + CIRCLE[i]!.y * radius };
  return points;
}

/** Points of a circular arc, counter-clockwise, in radians. */
export const circleArc = (centre: Point, radius: number, from: number, to: number): Point[] => {
  const end = to <= from + 1e-12 ? to + 2 * Math.PI : to;
  return ellipseArc(centre, { x: radius, y: 0 }, { x: 0, y: radius }, from, end);
};

/** Maximum deviation of arc segments, relative to the chord. Counting by angle alone would show corners in flat arcs. */
const STRAY = 1 / 700;

/** Points of a polyline with bulges: the tangent of a quarter of the arc's angle, positive counter-clockwise. */
export function bentLine(corners: readonly Vertex[], closed: boolean): Point[] {
  const points: Point[] = [];
  const last = closed ? corners.length : corners.length - 1;
  for (let i = 0; i < last; i++) {
    const [a, b] = [corners[i]!, corners[(i + 1) % corners.length]!];
    points.push(a);
    const chord = Math.hypot(b.x - a.x, b.y - a.y);
    if (Math.abs(a.bulge) <= STRAIGHT || chord === 0) continue;
    const angle = 4 * Math.atan(a.bulge);
    const radius = chord / (2 * Math.sin(angle / 2));
    // For a left bend, the centre lies left of the chord, at the apothem.
    const apothem = radius * Math.cos(angle / 2);
    const centre = {
      x: (a.x + b.x) / 2 - ((b.y - a.y) / chord) * apothem,
      y: (a.y + b.y) / 2 + ((b.x - a.x) / chord) * apothem,
    };
    const start = Math.atan2(a.y - centre.y, a.x - centre.x);
    // The sagitta is half the bulge times the chord and shrinks with the square of the segments.
    const pieces = Math.max(2, Math.ceil(Math.sqrt(Math.abs(a.bulge) / (2 * STRAY))));
    const size = Math.abs(radius);
    points.push(...ellipseArc(centre, { x: size, y: 0 }, { x: 0, y: size }, start, start + angle, pieces).slice(1, -1));
  }
  if (corners.length) points.push(closed ? corners[0]! : corners.at(-1)!);
  return points;
}

/** A spline: degree, knots, control points and weights (all 1 if absent). */
export interface SplineCurve {
  readonly degree: number;
  readonly knots: readonly number[];
  readonly controls: readonly Point[];
  readonly weights: readonly number[];
}

/** Points per span. */
const SPAN_POINTS = 10;
/** Maximum points of a spline. */
const MOST_SPLINE_POINTS = 5000;

/**
 * A point of a rational spline, by de Boor's algorithm.
 * @param k index of the knot at or before `t`
 */
function splinePoint({ degree, knots, controls, weights }: SplineCurve, k: number, t: number): Point {
  const d = Array.from({ length: degree + 1 }, (_, j) => {
    const i = Math.min(Math.max(j + k - degree, 0), controls.length - 1);
    const w = weights[i] ?? 1;
    return { x: controls[i]!.x * w, y: controls[i]!.y * w, w };
  });
  for (let r = 1; r <= degree; r++)
    for (let j = degree; j >= r; j--) {
      const [low, high] = [knots[j + k - degree]!, knots[j + 1 + k - r]!];
      const alpha = high === low ? 0 : (t - low) / (high - low);
      const [p, q] = [d[j - 1]!, d[j]!];
      d[j] = { x: (1 - alpha) * p.x + alpha * q.x, y: (1 - alpha) * p.y + alpha * q.y, w: (1 - alpha) * p.w + alpha * q.w };
    }
  const end = d[degree]!;
  return { x: end.x / (end.w || 1), y: end.y / (end.w || 1) };
}

/** Points of a spline; none if its data is inconsistent. */
export function splinePoints(curve: SplineCurve): Point[] {
  const { degree, knots, controls } = curve;
  if (degree < 1 || controls.length <= degree || knots.length < controls.length + degree + 1) return [...controls];
  const spans: number[] = [];
  for (let k = degree; k < controls.length; k++) if (knots[k + 1]! > knots[k]!) spans.push(k);
  const each = Math.max(2, Math.min(SPAN_POINTS, Math.floor(MOST_SPLINE_POINTS / Math.max(1, spans.length))));
  const points: Point[] = [];
  for (const k of spans)
    for (let i = points.length ? 1 : 0; i <= each; i++) {
      const t = knots[k]! + ((knots[k + 1]! - knots[k]!) * i) / each;
      points.push(splinePoint(curve, k, t));
    }
  return points;
}

/** Points per span of a curve through points. */
const THROUGH_POINTS = 16;

/**
 * The cubic curve without a break in its second derivative that passes through points, over the length of the chords (from 0 to 1), as
 * programs draw splines that state fit points alone (ezdxf, `fit_points_to_cad_cv`). Without stated directions it ends uncurved.
 * @param start direction at the first point; its length does not matter
 * @param end the same at the last
 */
export function curveThrough(given: readonly Point[], start: Point | null = null, end: Point | null = null): Point[] {
  const points = given.filter((point, i) => i === 0 || point.x !== given[i - 1]!.x || point.y !== given[i - 1]!.y);
  const last = points.length - 1;
  if (last < 1 || (last === 1 && !start && !end)) return [...points];
  const chords = points.slice(1).map((point, i) => Math.hypot(point.x - points[i]!.x, point.y - points[i]!.y));
  const whole = chords.reduce((sum, chord) => sum + chord, 0);
  const h = chords.map((chord) => chord / whole);
  const along = (direction: Point, axis: 'x' | 'y') => (direction[axis] * whole) / (Math.hypot(direction.x, direction.y) || 1);
  /** Derivatives at the points, from a system with three diagonals. */
  const slopes = (axis: 'x' | 'y'): number[] => {
    const p = points.map((point) => point[axis]);
    const rise = h.map((step, i) => (p[i + 1]! - p[i]!) / step);
    const rows = points.map((_, i): [before: number, at: number, behind: number, right: number] => {
      if (i === 0) return start ? [0, 1, 0, along(start, axis)] : [0, 2, 1, 3 * rise[0]!];
      if (i === last) return end ? [0, 1, 0, along(end, axis)] : [1, 2, 0, 3 * rise[last - 1]!];
      const [a, b] = [1 / h[i - 1]!, 1 / h[i]!];
      return [a, 2 * (a + b), b, 3 * (rise[i - 1]! * a + rise[i]! * b)];
    });
    for (let i = 1; i <= last; i++) {
      const factor = rows[i]![0] / rows[i - 1]![1];
      rows[i]![1] -= factor * rows[i - 1]![2];
      rows[i]![3] -= factor * rows[i - 1]![3];
    }
    const found = new Array<number>(points.length);
    for (let i = last; i >= 0; i--) found[i] = (rows[i]![3] - (i === last ? 0 : rows[i]![2] * found[i + 1]!)) / rows[i]![1];
    return found;
  };
  const slope = { x: slopes('x'), y: slopes('y') };
  const curve: Point[] = [points[0]!];
  for (let i = 0; i < last; i++)
    for (let k = 1; k <= THROUGH_POINTS; k++) {
      const t = k / THROUGH_POINTS;
      const [a, b, c, d] = [2 * t ** 3 - 3 * t * t + 1, t ** 3 - 2 * t * t + t, 3 * t * t - 2 * t ** 3, t ** 3 - t * t];
      const at = (axis: 'x' | 'y') => a * points[i]![axis] + c * points[i + 1]![axis] + h[i]! * (b * slope[axis][i]! + d * slope[axis][i + 1]!);
      curve.push({ x: at('x'), y: at('y') });
    }
  return curve;
}
