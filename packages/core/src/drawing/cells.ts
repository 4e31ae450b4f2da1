import { Anchor, CellDefinition, Point, anchorName } from '../files';
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
    return block.cells.flatMap((defined): CellOnSheet[] => {
      const found = insert.cells.find((candidate) => candidate.tag === defined.tag);
      const cell: CellDefinition = found?.place ? { ...defined, ...found.place } : defined;
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

/** A plain text of a layout with its area. */
export interface TextOnSheet {
  /** The name of its anchor, if it had one. */
  readonly name: string;
  readonly text: string;
  readonly anchor: Anchor | null;
  /** Whether it cannot be anchored: it has formatting of its own, or another text stands at the same point. */
  readonly closed: 'formatted' | 'several' | null;
  readonly corners: readonly [Point, Point, Point, Point];
}

/** Distance of the lines of a paragraph, in letter heights (5/3, the usual one of MTEXT). */
const LINE_STEP = 5 / 3;

/**
 * All plain texts of a layout that are not blank.
 * @throws FileError if the drawing is broken or binary
 */
export function textsOnSheet(bytes: Uint8Array, layout: string): TextOnSheet[] {
  const texts = openDxf(bytes, false).texts.filter((text) => text.layout === layout && text.text.trim() !== '');
  const count = new Map<string, number>();
  for (const text of texts) count.set(anchorName(text), (count.get(anchorName(text)) ?? 0) + 1);
  return texts.map((text): TextOnSheet => {
    const { place } = text;
    const lines = text.text.split('\n');
    const air = place.height / 4;
    const width = Math.max(...lines.map((line) => lineWidth(line, place.font ?? { file: '' }, place.height, place.widthFactor)), place.height);
    const tall = place.height * (1 + (lines.length - 1) * LINE_STEP);
    const left = { left: 0, centre: -width / 2, right: -width }[place.align];
    const low = place.valign === 'top' ? -tall : place.valign === 'middle' ? -tall / 2 : FOOT[place.valign] * place.height;
    const m = times(shift(place.at.x, place.at.y), turn(radians(place.rotation)));
    const corner = (x: number, y: number): Point => apply(m, { x, y });
    const [x0, y0, x1, y1] = [left - air, low - air, left + width + air, low + tall + air];
    return {
      name: anchorName(text),
      text: text.text,
      anchor: text.anchor,
      closed: text.formatted ? 'formatted' : count.get(anchorName(text))! > 1 && !text.anchor ? 'several' : null,
      corners: [corner(x0, y0), corner(x1, y0), corner(x1, y1), corner(x0, y1)],
    };
  });
}
