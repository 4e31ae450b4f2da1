import { Point } from '../contract';
import { DxfGroups, Entity } from './groups';

/** A viewport of a sheet: its frame on paper and what of the model it shows. Lengths in drawing units, angle in degrees. */
export interface Viewport {
  /** Centre of the frame on paper. */
  readonly at: Point;
  readonly width: number;
  readonly height: number;
  /** Height of what is shown, in the model. */
  readonly seen: number;
  /** Centre of what is shown, from the target, in the turned view. */
  readonly centre: Point;
  readonly target: Point;
  readonly twist: number;
  /** Whether the model is seen from above; other views are not plans. */
  readonly fromAbove: boolean;
}

/**
 * Extended data of AC1009 viewports: behind `MVIEW`, a brace and a version come two points (target, direction) and numbers in this order:
 * twist, height, centre x, centre y (DXF reference of release 12, by way of ezdxf).
 */
function releaseTwelve(groups: DxfGroups, entity: Entity): { readonly points: Point3[]; readonly numbers: number[] } | null {
  const { codes } = groups.index;
  let k = entity.from + 1;
  while (k < entity.to && !(codes[k] === 1000 && groups.raw(k) === 'MVIEW')) k++;
  if (k >= entity.to) return null;
  const points: Point3[] = [];
  const numbers: number[] = [];
  for (; k < entity.to && codes[k] !== 1001; k++) {
    if (codes[k] === 1010) points.push([k, k + 1, k + 2].map((at) => Number(groups.raw(at))) as unknown as Point3);
    else if (codes[k] === 1040) numbers.push(Number(groups.raw(k)));
  }
  return points.length >= 2 && numbers.length >= 4 && [...points.flat(), ...numbers].every(Number.isFinite) ? { points, numbers } : null;
}

type Point3 = readonly [x: number, y: number, z: number];

/** Directions closer to the vertical than this look from above. */
const STRAIGHT_DOWN = 1e-9;
const isDown = ([x, y, z]: Point3): boolean => Math.abs(x) <= STRAIGHT_DOWN && Math.abs(y) <= STRAIGHT_DOWN && z > 0;

/** A viewport entity; `null` for others, for the sheet itself, and for viewports that are switched off or show nothing. */
export function viewportOf(groups: DxfGroups, entity: Entity): Viewport | null {
  // Viewport 1 is the sheet itself.
  if (entity.type !== 'VIEWPORT' || groups.number(entity, 69, 0) === 1 || groups.number(entity, 68, 1) === 0) return null;
  const [width, height] = [groups.number(entity, 40, 0), groups.number(entity, 41, 0)];
  const at = groups.point(entity, 10);
  const old = groups.find(entity, 45) < 0 ? releaseTwelve(groups, entity) : null;
  const view: Viewport = old
    ? {
        at,
        width,
        height,
        seen: old.numbers[1]!,
        centre: { x: old.numbers[2]!, y: old.numbers[3]! },
        target: { x: old.points[0]![0], y: old.points[0]![1] },
        twist: old.numbers[0]!,
        fromAbove: isDown(old.points[1]!),
      }
    : {
        at,
        width,
        height,
        seen: groups.number(entity, 45, 0),
        centre: groups.point(entity, 12),
        target: groups.point(entity, 17),
        twist: groups.number(entity, 51, 0),
        fromAbove: isDown([groups.number(entity, 16, 0), groups.number(entity, 26, 0), groups.number(entity, 36, 1)]),
      };
  return width > 0 && height > 0 && view.seen > 0 ? view : null;
}

/** Scale of a view: length on paper ÷ length in the model. */
export const scaleOf = ({ height, seen }: Viewport): number => height / seen;

/** The point of the model that a view shows at a point of the paper. */
export function inModel(view: Viewport, { x, y }: Point): Point {
  const [along, across] = [view.centre.x + (x - view.at.x) / scaleOf(view), view.centre.y + (y - view.at.y) / scaleOf(view)];
  const angle = (-view.twist * Math.PI) / 180;
  return {
    x: view.target.x + along * Math.cos(angle) - across * Math.sin(angle),
    y: view.target.y + along * Math.sin(angle) + across * Math.cos(angle),
  };
}

/** The point of the paper at which a view shows a point of the model; it may lie outside the frame. */
export function onPaper(view: Viewport, { x, y }: Point): Point {
  const [dx, dy] = [x - view.target.x, y - view.target.y];
  const angle = (view.twist * Math.PI) / 180;
  return {
    x: view.at.x + (dx * Math.cos(angle) - dy * Math.sin(angle) - view.centre.x) * scaleOf(view),
    y: view.at.y + (dx * Math.sin(angle) + dy * Math.cos(angle) - view.centre.y) * scaleOf(view),
  };
}

/** Distance of a point from a view's frame; 0 inside. */
export function distanceTo({ at, width, height }: Viewport, { x, y }: Point): number {
  return Math.hypot(Math.max(0, Math.abs(x - at.x) - width / 2), Math.max(0, Math.abs(y - at.y) - height / 2));
}
