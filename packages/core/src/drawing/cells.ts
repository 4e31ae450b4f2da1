import { CellDefinition, Point } from '../files';
import { openDxf } from '../files/dxf';
import { Box, boxOf, lineWidth } from '../lettering';
import { Matrix, apply, radians, shift, stretch, times, turn } from './matrix';

/** A cell of a block on a sheet, with the room that it has there. */
export interface CellOnSheet {
  /** Key of the block's holder. */
  readonly holder: string;
  readonly block: string;
  readonly tag: string;
  readonly text: string;
  /** Whether the sheet lacks the attribute that the block defines. */
  readonly lacking: boolean;
  /** Handle of its text, where it is a plain text of the sheet. */
  readonly handle: string | null;
  /** Corners of its room, or of its text's surroundings where it is not boxed in; counter-clockwise, in drawing units. */
  readonly corners: readonly [Point, Point, Point, Point];
}

/** Length of the surroundings of a cell without a text, in heights. */
const EMPTY_LENGTH = 6;

/** How far the foot of the capitals lies above the point that a text is placed by, in heights. */
const FOOT: Readonly<Record<CellDefinition['valign'], number>> = { baseline: 0, bottom: 1 / 3, middle: -0.5, top: -1 };

/** Surroundings of a text in a cell that nothing boxes in. */
function aroundText(cell: CellDefinition, text: string): Box {
  const width = Math.max(lineWidth(text, cell.font ?? { file: '' }, cell.height, cell.widthFactor), cell.height * EMPTY_LENGTH);
  const air = cell.height / 4;
  const x = { left: 0, centre: -width / 2, right: -width }[cell.align];
  return { x: x - air, y: FOOT[cell.valign] * cell.height - air, width: width + 2 * air, height: cell.height + 2 * air };
}

/** All cells of blocks that are on a layout of a drawing itself. @throws FileError when it is broken or binary */
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
      // A cell that was moved out of its room is where it stands now.
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
