import { LabelReading, OutlineReading, Point } from '../contract';
import { Vertex, outlineArea, outlineLength } from './area';

/** A closed outline. */
export interface DrawnOutline {
  readonly layer: string;
  readonly vertices: readonly Vertex[];
}

/** A text with its position. */
export interface DrawnText {
  readonly text: string;
  readonly at: Point;
}

/** Segments per full circle for inside tests. */
const CORNERS = 64;
/** Maximum comparisons per layout. */
const MOST_COMPARISONS = 20_000_000;

interface Ring {
  readonly points: readonly Point[];
  readonly area: number;
  readonly length: number;
  readonly layer: string;
  readonly min: Point;
  readonly max: Point;
}

/** Outline with arcs as segments. */
function flatten(vertices: readonly Vertex[]): Point[] {
  const points: Point[] = [];
  for (const [i, a] of vertices.entries()) {
    const b = vertices[(i + 1) % vertices.length]!;
    points.push({ x: a.x, y: a.y });
    if (a.bulge === 0) continue;
    const angle = 4 * Math.atan(a.bulge);
    const chord = Math.hypot(b.x - a.x, b.y - a.y);
    if (chord === 0) continue;
    const radius = chord / (2 * Math.sin(angle / 2));
    // The centre lies on the chord's perpendicular, to the left for counter-clockwise arcs.
    const height = radius * Math.cos(angle / 2);
    const centre = { x: (a.x + b.x) / 2 - ((b.y - a.y) / chord) * height, y: (a.y + b.y) / 2 + ((b.x - a.x) / chord) * height };
    const start = Math.atan2(a.y - centre.y, a.x - centre.x);
    const steps = Math.max(1, Math.ceil((Math.abs(angle) / (2 * Math.PI)) * CORNERS));
    for (let k = 1; k < steps; k++) {
      const turn = start + (angle * k) / steps;
      points.push({ x: centre.x + Math.abs(radius) * Math.cos(turn), y: centre.y + Math.abs(radius) * Math.sin(turn) });
    }
  }
  return points;
}

/** Point in polygon, by ray casting. */
function isInside({ x, y }: Point, { points, min, max }: Ring): boolean {
  if (x < min.x || x > max.x || y < min.y || y > max.y) return false;
  let inside = false;
  for (let i = 0, j = points.length - 1; i < points.length; j = i++) {
    const [a, b] = [points[i]!, points[j]!];
    if (a.y > y !== b.y > y && x < ((b.x - a.x) * (y - a.y)) / (b.y - a.y) + a.x) inside = !inside;
  }
  return inside;
}

function ringOf({ layer, vertices }: DrawnOutline): Ring {
  const points = flatten(vertices);
  let [minX, minY, maxX, maxY] = [Infinity, Infinity, -Infinity, -Infinity];
  for (const { x, y } of points) {
    minX = Math.min(minX, x);
    minY = Math.min(minY, y);
    maxX = Math.max(maxX, x);
    maxY = Math.max(maxY, y);
  }
  return { points, layer, area: outlineArea(vertices), length: outlineLength(vertices), min: { x: minX, y: minY }, max: { x: maxX, y: maxY } };
}

/** Whether a smaller ring lies inside a larger one, tested at side midpoints. */
const liesIn = (small: Ring, large: Ring): boolean => {
  if (small.min.x < large.min.x || small.max.x > large.max.x || small.min.y < large.min.y || small.max.y > large.max.y) return false;
  const middle = (i: number): Point => {
    const [a, b] = [small.points[i % small.points.length]!, small.points[(i + 1) % small.points.length]!];
    return { x: (a.x + b.x) / 2, y: (a.y + b.y) / 2 };
  };
  return isInside(middle(0), large) && isInside(middle(small.points.length >> 1), large);
};

/** The closed outlines of a layout: how they nest by layer, and which of them surround a point. */
export class Outlines {
  private readonly rings: readonly Ring[];
  /** Smallest first. */
  private readonly bySize: readonly { readonly ring: Ring; readonly index: number }[];
  /** False if nothing was compared, because there is too much. */
  readonly complete: boolean;
  readonly readings: readonly OutlineReading[];

  /** @param points count of points that will be asked about */
  constructor(outlines: readonly DrawnOutline[], points: number) {
    const rings = outlines.map(ringOf);
    this.rings = rings;
    this.complete = rings.length * (rings.length + points) <= MOST_COMPARISONS;
    this.bySize = this.complete ? rings.map((ring, index) => ({ ring, index })).sort((a, b) => a.ring.area - b.ring.area) : [];
    const within = new Map<number, number>();
    for (const [place, { ring, index }] of this.bySize.entries()) {
      const around = this.bySize.slice(place + 1).find((other) => other.ring.layer === ring.layer && other.ring.area > ring.area && liesIn(ring, other.ring));
      if (around) within.set(index, around.index);
    }
    this.readings = rings.map(({ layer, area, length }, index) => ({ layer, area, length, within: within.get(index) ?? null }));
  }

  /** Indices of the outlines around a point, smallest first. */
  around(point: Point): number[] {
    return this.bySize.filter(({ ring }) => isInside(point, ring)).map(({ index }) => index);
  }

  /** Indices of the outlines whose points all pass a test. */
  whole(test: (point: Point) => boolean): number[] {
    return this.complete ? this.rings.flatMap(({ points }, index) => (points.length > 0 && points.every(test) ? [index] : [])) : [];
  }

  /** Texts that lie in outlines. */
  labels(texts: readonly DrawnText[]): LabelReading[] {
    return texts.flatMap(({ text, at }): LabelReading[] => {
      const around = this.around(at);
      return around.length && text.trim() ? [{ text: text.trim(), outlines: around }] : [];
    });
  }
}
