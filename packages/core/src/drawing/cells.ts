import { CellDefinition, Point } from '../files';
import { openDxf } from '../files/dxf';
import { Box, boxOf, lineWidth } from '../lettering';
import { Matrix, apply, radians, shift, stretch, times, turn } from './matrix';

/** A cell on a sheet with its area. */
export interface CellOnSheet {
  /** Key of its holder. */
  readonly holder: string;
  readonly block: string;
  readonly tag: string;
  readonly text: string;
  /** Whether the insert lacks the attribute. */
  readonly lacking: boolean;
  /** Handle of its text, for plain texts. */
  readonly handle: string | null;
  /** Corners of its box, or of its text if unbounded; counter-clockwise, in drawing units. */
  readonly corners: readonly [Point, Point, Point, Point];
}

/** Default length of an empty unbounded cell, in text heights. */
const EMPTY_LENGTH = 6;

/** Baseline offset, in text heights. */
const FOOT: Readonly<Record<CellDefinition['valign'], number>> = { baseline: 0, bottom: 1 / 3, middle: -0.5, top: -1 };

/** Area of an unbounded text. */
function aroundText(cell: CellDefinition, text: string): Box {
  const width = Math.max(lineWidth(text, cell.font ?? { file: '' }, cell.height, cell.widthFactor), cell.height * EMPTY_LENGTH);
  const air = cell.height / 4;
  const x = { left: 0, centre: -width / 2, right: -width }[cell.align];
  return { x: x - air, y: FOOT[cell.valign] * cell.height - air, width: width + 2 * air, height: cell.height + 2 * air };
}

/**
 * All cells of blocks placed on a layout.
 * @throws FileError if the drawing is broken or binary
 */
export function cellsOnSheet(bytes: Uint8Array, layout: string): CellOnSheet[] {
  const { blocks, inserts } = openDxf(bytes, false);
  const byName = new Map(blocks.map((block) => [block.name.toLowerCase(), block]));
  return inserts.flatMap((insert): CellOnSheet[] => {
    const block = byName.get(insert.block.toLowerCase());
    if (!block || insert.layout !== layout || insert.inside !== undefined) return [];
    const { at, scale, rotation } = insert;
    const placed: Matrix = times(times(shift(at.x, at.y), turn(radians(rotation))), stretch(scale.x || 1, scale.y || 1));
    return block.cells.flatMap((cell): CellOnSheet[] => {
      const found = insert.cells.find((candidate) => candidate.tag === cell.tag);
      const lacking = insert.missing.includes(cell.tag);
      if (!found && !lacking) return [];
      const text = found?.text ?? '';
      const room = cell.room ? boxOf(cell.room) : null;
      // A cell moved out of its box has the area of its text.
      const own = insert.own[cell.tag]?.at;
      const moved = own !== undefined && Math.hypot(own.x - cell.at.x, own.y - cell.at.y) > cell.height;
      const box = room && !moved ? room : aroundText(cell, text);
      const m = times(placed, times(shift((moved ? own : cell.at).x, (moved ? own : cell.at).y), turn(radians(cell.rotation))));
      const corner = (x: number, y: number): Point => apply(m, { x, y });
      const [x, y] = [box.x + box.width, box.y + box.height];
      return [
        {
          holder: insert.holder,
          block: insert.block,
          tag: cell.tag,
          text,
          lacking,
          handle: found?.textHandle ?? null,
          corners: [corner(box.x, box.y), corner(x, box.y), corner(x, y), corner(box.x, y)],
        },
      ];
    });
  });
}
