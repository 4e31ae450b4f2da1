import { heldText } from '../../values';
import { CellDefinition, LetteringAspect, OwnLettering, Point, ReadValue, letteringName, plainNumber } from '../contract';
import { BlockContent, CellContent, InsertContent } from './content';

/** Placement of a block. */
interface Placing {
  readonly at: Point;
  readonly scale: Point;
  readonly rotation: number;
}

/** Length tolerance. */
const NEAR = 1e-4;

/** Cells with lettering or position overrides. */
export function ownLettering(block: BlockContent, { at, scale, rotation }: Placing, cells: readonly CellContent[]): Record<string, OwnLettering> {
  const own: Record<string, OwnLettering> = {};
  const angle = (-rotation * Math.PI) / 180;
  for (const { tag, lettering } of cells) {
    const defined = block.cells.find((cell) => cell.tag === tag);
    if (!defined || !lettering) continue;
    const [dx, dy] = [lettering.at.x - at.x, lettering.at.y - at.y];
    const placed = {
      x: (dx * Math.cos(angle) - dy * Math.sin(angle)) / (scale.x || 1),
      y: (dx * Math.sin(angle) + dy * Math.cos(angle)) / (scale.y || 1),
    };
    const { height, widthFactor } = asPlaced(defined, scale);
    const same =
      Math.abs(lettering.height - height) <= NEAR * height &&
      Math.abs(lettering.widthFactor - widthFactor) <= NEAR &&
      Math.hypot(placed.x - defined.at.x, placed.y - defined.at.y) <= defined.height / 100;
    if (!same) own[tag] = { height: lettering.height, widthFactor: lettering.widthFactor, at: placed };
  }
  return own;
}

/** A cell's defined lettering, scaled by the insert. */
export const asPlaced = ({ height, widthFactor }: Pick<CellDefinition, 'height' | 'widthFactor'>, scale: Point): { height: number; widthFactor: number } => ({
  height: height * Math.abs(scale.y || 1),
  widthFactor: widthFactor * Math.abs((scale.x || 1) / (scale.y || 1)),
});

/** Lettering values that differ from the block. */
export function letteringValues({ own, scale }: Pick<InsertContent, 'own' | 'scale'>, block: BlockContent | undefined): ReadValue[] {
  return Object.entries(own).flatMap(([tag, { height, widthFactor }]): ReadValue[] => {
    const defined = block?.cells.find((cell) => cell.tag === tag);
    if (!defined) return [];
    const said = asPlaced(defined, scale);
    const value = (aspect: LetteringAspect, n: number, otherwise: number): ReadValue[] =>
      Math.abs(n - otherwise) <= NEAR * otherwise ? [] : [{ place: 'lettering', name: letteringName(tag, aspect), held: heldText(plainNumber(n)) }];
    return [...value('height', height, said.height), ...value('width factor', widthFactor, said.widthFactor)];
  });
}
