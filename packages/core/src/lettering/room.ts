import { BlockShape, CellDefinition, CellRoom, Point } from '../files';
import { TextStyle, lineWidth } from './fonts';

/** A straight line of a block. */
export interface Edge {
  readonly from: Point;
  readonly to: Point;
}

/** Straight lines of shapes. */
export function straightEdges(shapes: readonly BlockShape[]): Edge[] {
  const edges: Edge[] = [];
  for (const shape of shapes) {
    if (shape.shape !== 'line') continue;
    const { points, closed } = shape;
    for (let i = 1; i < points.length; i++) edges.push({ from: points[i - 1]!, to: points[i]! });
    if (closed && points.length > 1) edges.push({ from: points.at(-1)!, to: points[0]! });
  }
  return edges;
}

/** Distances are rounded to a millionth of a drawing unit. */
const PARTS = 1e6;

/** A point in rotated axes. */
function turned({ x, y }: Point, degrees: number): Point {
  if (degrees === 0) return { x, y };
  const angle = (degrees * Math.PI) / 180;
  const [cos, sin] = [Math.cos(angle), Math.sin(angle)];
  return { x: x * cos + y * sin, y: y * cos - x * sin };
}

/** Height of the middle of capitals above the insertion point, in cap heights. */
const MIDDLE: Readonly<Record<CellDefinition['valign'], number>> = { baseline: 0.5, bottom: 0.7, middle: 0, top: -0.5 };

/** Directions closer than this, in degrees, are equal. */
const SAME_DIRECTION = 0.5;

const NO_STYLE: TextStyle = { file: '' };

/** An obstacle along a direction, with its extent across. */
interface Span {
  readonly at: number;
  readonly from: number;
  readonly to: number;
}

/** A caption or cell beside others, with its direction. */
interface Beside {
  readonly from: number;
  readonly to: number;
  readonly foot: number;
  readonly top: number;
}

/** A block's contents along one direction. */
interface Seen {
  readonly upright: readonly Span[];
  readonly level: readonly Span[];
  readonly captions: readonly Beside[];
}

/** Slope still counted as straight; hand-drawn lines are slightly off. */
const SLANT = 0.01;

/** What limits cells: lines, captions and other cells. Computed once per direction. */
export class Rooms {
  private readonly seen = new Map<number, Seen>();

  constructor(
    private readonly edges: readonly Edge[],
    private readonly captions: readonly Extract<BlockShape, { shape: 'text' }>[] = [],
    private readonly cells: readonly CellDefinition[] = [],
  ) {}

  private along(degrees: number): Seen {
    const known = this.seen.get(degrees);
    if (known) return known;
    const [upright, level]: [Span[], Span[]] = [[], []];
    for (const { from, to } of this.edges) {
      const [a, b] = [turned(from, degrees), turned(to, degrees)];
      const [dx, dy] = [Math.abs(a.x - b.x), Math.abs(a.y - b.y)];
      if (dx <= SLANT * dy) upright.push({ at: (a.x + b.x) / 2, from: Math.min(a.y, b.y), to: Math.max(a.y, b.y) });
      else if (dy <= SLANT * dx) level.push({ at: (a.y + b.y) / 2, from: Math.min(a.x, b.x), to: Math.max(a.x, b.x) });
    }
    const captions = this.captions.flatMap((caption): Beside[] => {
      if (Math.abs(caption.rotation - degrees) > SAME_DIRECTION || caption.text.trim() === '') return [];
      const at = turned(caption.at, degrees);
      const width = lineWidth(caption.text, caption.font ?? NO_STYLE, caption.height);
      const from = at.x - { left: 0, centre: width / 2, right: width }[caption.align];
      return [{ from, to: from + width, foot: at.y, top: at.y + caption.height }];
    });
    const seen = { upright, level, captions };
    this.seen.set(degrees, seen);
    return seen;
  }

  /** Distances from a cell's insertion point to the nearest obstacles. */
  of(cell: CellDefinition): CellRoom {
    const { upright, level, captions } = this.along(cell.rotation);
    const at = turned(cell.at, cell.rotation);
    const middle = at.y + MIDDLE[cell.valign] * cell.height;
    const slack = cell.height / 100;
    let [left, right, below, above] = [-Infinity, Infinity, -Infinity, Infinity];
    for (const line of upright) {
      if (line.from > middle || line.to < middle) continue;
      if (line.at - at.x <= slack) left = Math.max(left, line.at - at.x);
      else right = Math.min(right, line.at - at.x);
    }
    for (const line of level) {
      if (line.from > at.x + slack || line.to < at.x - slack) continue;
      if (line.at <= middle) below = Math.max(below, line.at - at.y);
      else above = Math.min(above, line.at - at.y);
    }
    /** Obstacles at the text's height limit its width. */
    const beside = ({ from, to, foot, top }: Beside) => {
      if (top <= middle - cell.height / 2 || foot >= middle + cell.height / 2) return;
      if (from > at.x) right = Math.min(right, from - at.x);
      else if (to < at.x) left = Math.max(left, to - at.x);
    };
    captions.forEach(beside);
    for (const other of this.cells) {
      if (other === cell || Math.abs(other.rotation - cell.rotation) > SAME_DIRECTION) continue;
      // Only the start of another cell's text is certain; its width depends on the sheet.
      const there = turned(other.at, cell.rotation);
      const foot = there.y + (MIDDLE[other.valign] - 0.5) * other.height;
      if (Math.abs(there.x - at.x) > slack) beside({ from: there.x, to: there.x, foot, top: foot + other.height });
    }
    const side = (n: number) => (Number.isFinite(n) ? Math.round(Math.abs(n) * PARTS) / PARTS : null);
    return { left: side(left), right: side(right), below: side(below), above: side(above) };
  }
}

/**
 * The room of each cell: distances from its insertion point to the nearest lines, captions and cells, along and across the text; `null` for
 * open sides.
 */
export function roomsIn(cells: readonly CellDefinition[], shapes: readonly BlockShape[]): CellRoom[] {
  const captions = shapes.filter((shape): shape is Extract<BlockShape, { shape: 'text' }> => shape.shape === 'text');
  const rooms = new Rooms(straightEdges(shapes), captions, cells);
  return cells.map((cell) => rooms.of(cell));
}

/** A rectangle. */
export interface Box {
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
}

/** A cell's room as a rectangle around its insertion point, in axes along its text; `null` if a side is open. */
export function boxOf({ left, right, below, above }: CellRoom): Box | null {
  return left === null || right === null || below === null || above === null ? null : { x: -left, y: -below, width: left + right, height: below + above };
}
