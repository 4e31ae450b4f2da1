import { BlockShape, CellDefinition, CellRoom, Point } from '../files';
import { TextStyle, lineWidth } from './fonts';

/** A straight line of a block. */
export interface Edge {
  readonly from: Point;
  readonly to: Point;
}

/** The straight lines of some shapes. */
export const straightEdges = (shapes: readonly BlockShape[]): Edge[] =>
  shapes.flatMap((shape) =>
    shape.shape === 'line' ? (shape.closed ? [...shape.points, shape.points[0]!] : shape.points).slice(1).map((to, i) => ({ from: shape.points[i]!, to })) : [],
  );

/** A point seen from another, in axes turned by an angle in degrees. */
function seenFrom(origin: Point, degrees: number): (p: Point) => Point {
  const angle = (degrees * Math.PI) / 180;
  const [cos, sin] = [Math.cos(angle), Math.sin(angle)];
  return ({ x, y }) => {
    const [dx, dy] = [x - origin.x, y - origin.y];
    return { x: dx * cos + dy * sin, y: dy * cos - dx * sin };
  };
}

/** How far the middle of the capitals lies above the point that a text is placed by, in heights. */
const MIDDLE: Readonly<Record<CellDefinition['valign'], number>> = { baseline: 0.5, bottom: 0.7, middle: 0, top: -0.5 };

/** A text that stands in a block beside its cells. */
export type Caption = Pick<Extract<BlockShape, { shape: 'text' }>, 'at' | 'text' | 'height' | 'rotation' | 'align' | 'font'>;

const NO_STYLE: TextStyle = { file: '' };

/**
 * The room of every cell of a block: how far the nearest lines, captions and cells are from the point that its text is placed by, along
 * the text and across it. A side where nothing stands is `null`.
 */
export function roomsIn(cells: readonly CellDefinition[], shapes: readonly BlockShape[]): CellRoom[] {
  const edges = straightEdges(shapes);
  const captions = shapes.filter((shape): shape is Extract<BlockShape, { shape: 'text' }> => shape.shape === 'text');
  return cells.map((cell) => roomOf(cell, edges, captions, cells));
}

/** The room of one cell between lines alone. */
export const roomIn = (cell: CellDefinition, edges: readonly Edge[]): CellRoom => roomOf(cell, edges, [], []);

function roomOf(cell: CellDefinition, edges: readonly Edge[], captions: readonly Caption[], cells: readonly CellDefinition[]): CellRoom {
  const local = seenFrom(cell.at, cell.rotation);
  const level = MIDDLE[cell.valign] * cell.height;
  // Lines that are drawn by hand are not quite straight.
  const slack = cell.height / 100;
  let [left, right, below, above] = [-Infinity, Infinity, -Infinity, Infinity];
  for (const edge of edges) {
    const [a, b] = [local(edge.from), local(edge.to)];
    if (Math.abs(a.x - b.x) <= slack && Math.min(a.y, b.y) <= level && level <= Math.max(a.y, b.y)) {
      if (a.x <= slack) left = Math.max(left, a.x);
      else right = Math.min(right, a.x);
    } else if (Math.abs(a.y - b.y) <= slack && Math.min(a.x, b.x) <= slack && -slack <= Math.max(a.x, b.x)) {
      if (a.y <= level) below = Math.max(below, a.y);
      else above = Math.min(above, a.y);
    }
  }
  /** What stands at the height of the text, from `from` to `to` along it. */
  const beside = (from: number, to: number, foot: number, top: number) => {
    if (top <= level - cell.height / 2 || foot >= level + cell.height / 2) return;
    if (from > 0) right = Math.min(right, from);
    else if (to < 0) left = Math.max(left, to);
  };
  for (const caption of captions) {
    if (Math.abs(caption.rotation - cell.rotation) > 0.5 || caption.text.trim() === '') continue;
    const at = local(caption.at);
    const width = lineWidth(caption.text, caption.font ?? NO_STYLE, caption.height);
    const from = at.x - { left: 0, centre: width / 2, right: width }[caption.align];
    beside(from, from + width, at.y, at.y + caption.height);
  }
  for (const other of cells) {
    if (other === cell || Math.abs(other.rotation - cell.rotation) > 0.5) continue;
    const at = local(other.at);
    // How wide another cell's text is depends on the sheet: only where it begins is sure.
    const foot = at.y + (MIDDLE[other.valign] - 0.5) * other.height;
    if (Math.abs(at.x) > slack) beside(at.x, at.x, foot, foot + other.height);
  }
  const side = (n: number) => (Number.isFinite(n) ? Number(Math.abs(n).toPrecision(9)) : null);
  return { left: side(left), right: side(right), below: side(below), above: side(above) };
}

/** A rectangle. */
export interface Box {
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
}

/** The room of a cell as a rectangle around the point it is placed by, in axes along its text; `null` where a side is open. */
export function boxOf({ left, right, below, above }: CellRoom): Box | null {
  return left === null || right === null || below === null || above === null ? null : { x: -left, y: -below, width: left + right, height: below + above };
}
