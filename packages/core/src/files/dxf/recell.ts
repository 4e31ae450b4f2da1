import { CarriedBlock, CellStep, FileError, Point } from '../contract';
import { DxfGroups, Entity, Group, entityGroups } from './groups';
import { drawnText } from './text';

/** Tags longer than this cannot be read by every program. */
const LONGEST_TAG = 255;
/** Places closer than this are one. */
const SAME_PLACE = 1e-6;

/** Attribute definitions after a change, and the entities of the definition that they replace: all cells, and texts that became cells. */
export interface ChangedCells {
  readonly cells: readonly (readonly Group[])[];
  readonly gone: readonly Entity[];
}

/** A cell's definition as groups, with its tag. */
interface Cell {
  readonly tag: string;
  readonly groups: readonly Group[];
}

const same = (a: string, b: string): boolean => a.toLowerCase() === b.toLowerCase();

/** The first group with a code replaced, or added behind the first of another code. */
function withGroup(groups: readonly Group[], code: number, value: string, behind: number): Group[] {
  const at = groups.findIndex(([own]) => own === code);
  if (at >= 0) return groups.map((group, i): Group => (i === at ? [code, value] : group));
  const after = groups.findIndex(([own]) => own === behind);
  return [...groups.slice(0, after + 1), [code, value], ...groups.slice(after + 1)];
}

/** Text, place and following places of an attribute moved by a distance. */
function movedBy(cell: Cell, { x, y }: Point): Cell {
  // The text inside an attribute of several lines has places and directions of its own.
  if (cell.groups.some(([code]) => code === 101)) throw new FileError('several-lines', `The cell ${cell.tag} has several lines; it cannot be moved or copied.`);
  const by: Readonly<Record<number, number>> = { 10: x, 11: x, 20: y, 21: y };
  return { ...cell, groups: cell.groups.map(([code, value]): Group => (by[code] === undefined ? [code, value] : [code, String(Number(value) + by[code])])) };
}

/** An attribute definition made of a text, with its style and place. */
function cellOfText(groups: readonly Group[], tag: string, prompt: string): Cell {
  const marker = (n: number): number => {
    let seen = 0;
    return groups.findIndex(([code, value]) => code === 100 && value === 'AcDbText' && ++seen === n);
  };
  const [first, second] = [marker(1), marker(2)];
  const own = groups.filter(([code], i) => i !== second && code !== 73 && i > first);
  const vertical = groups.find(([code]) => code === 73)?.[1] ?? '0';
  return {
    tag,
    groups: [...groups.slice(0, first + 1), ...own, [100, 'AcDbAttributeDefinition'], [3, prompt], [2, tag], [70, '0'], [74, vertical]],
  };
}

class Definition extends DxfGroups {
  private readonly entitiesInside: readonly Entity[];
  private readonly base: Point;
  private readonly name: string;

  constructor(bytes: Uint8Array, block: string) {
    super(bytes);
    if (this.version < 'AC1015') throw new FileError('version', `The drawing is of version ${this.version}; cells can be changed in AC1015 and later.`);
    const section = this.sections.get('BLOCKS');
    const entities = section ? this.entities(section.from, section.to) : [];
    const at = entities.findIndex((entity) => entity.type === 'BLOCK' && same(this.get(entity, 2) ?? '', block));
    if (at < 0) throw new FileError('no-block', `The drawing does not define the block ${block}.`);
    this.entitiesInside = entities.slice(
      at + 1,
      entities.findIndex((entity, i) => i > at && entity.type === 'ENDBLK'),
    );
    this.base = this.point(entities[at]!, 10);
    this.name = this.get(entities[at]!, 2) ?? block;
  }

  /** A text of the block by content and place below the base point. */
  private textOf(step: Extract<CellStep, { readonly do: 'make' }>): Entity {
    const found = this.entitiesInside.find((entity) => {
      if (entity.type !== 'TEXT' || drawnText(this.get(entity, 1) ?? '') !== step.text) return false;
      const place = this.point(entity, this.number(entity, 72, 0) === 0 ? 10 : 11);
      return Math.hypot(place.x - this.base.x - step.at.x, place.y - this.base.y - step.at.y) < SAME_PLACE * (1 + Math.abs(step.at.x) + Math.abs(step.at.y));
    });
    if (!found) throw new FileError('no-text', `The block ${this.name} has no plain text ${JSON.stringify(step.text)} there.`);
    return found;
  }

  changed(steps: readonly CellStep[]): ChangedCells {
    let cells = this.entitiesInside
      .filter((entity) => entity.type === 'ATTDEF')
      .map((entity): Cell => ({ tag: this.get(entity, 2) ?? '', groups: entityGroups(this, entity) }));
    const gone = this.entitiesInside.filter((entity) => entity.type === 'ATTDEF');
    const cellAt = (tag: string): Cell => {
      const cell = cells.find((candidate) => same(candidate.tag, tag));
      if (!cell) throw new FileError('no-cell', `The block ${this.name} has no cell ${tag}.`);
      return cell;
    };
    const free = (tag: string, but: Cell | null = null): string => {
      if (!/^\S+$/.test(tag) || tag.length > LONGEST_TAG) throw new FileError('bad-tag', `${JSON.stringify(tag)} cannot name a cell: a name has no spaces.`);
      if (cells.some((cell) => cell !== but && same(cell.tag, tag))) throw new FileError('cell-twice', `The block ${this.name} already has a cell ${tag}.`);
      return tag;
    };
    const named = ({ groups }: Cell, tag: string, prompt: string): Cell => ({ tag, groups: withGroup(withGroup(groups, 2, tag, 3), 3, prompt, 100) });
    for (const step of steps)
      switch (step.do) {
        case 'add': {
          const like = cellAt(step.like);
          const copy = named(movedBy(like, step.by), free(step.tag), step.prompt);
          // The preset text and the flags constant and preset belong to the neighbour alone.
          const own = { ...copy, groups: withGroup(withGroup(copy.groups, 1, '', 40), 70, '0', 2) };
          cells = cells.flatMap((cell) => (cell === like ? [cell, own] : [cell]));
          break;
        }
        case 'make': {
          const entity = this.textOf(step);
          cells = [...cells, cellOfText(entityGroups(this, entity), free(step.tag), step.prompt)];
          gone.push(entity);
          break;
        }
        case 'name': {
          const cell = cellAt(step.tag);
          const after = named(cell, free(step.to, cell), step.prompt);
          cells = cells.map((candidate) => (candidate === cell ? after : candidate));
          break;
        }
        case 'move': {
          const cell = cellAt(step.tag);
          const after = movedBy(cell, step.by);
          cells = cells.map((candidate) => (candidate === cell ? after : candidate));
          break;
        }
        case 'remove': {
          const cell = cellAt(step.tag);
          cells = cells.filter((candidate) => candidate !== cell);
          break;
        }
      }
    return { cells: cells.map(({ groups }) => groups), gone };
  }
}

/**
 * The cells of a block after some changes.
 * @throws FileError if there is no such block or a step is not possible
 */
export const changedCells = (bytes: Uint8Array, block: string, steps: readonly CellStep[]): ChangedCells => new Definition(bytes, block).changed(steps);

/** Steps for the cells of a block, as a definition that a drawing can take: each works them out from its own cells. */
export const cellSteps = (name: string, steps: readonly CellStep[]): CarriedBlock => ({
  name,
  base: { x: 0, y: 0 },
  units: null,
  entities: [],
  layers: [],
  styles: [],
  lineTypes: [],
  steps,
});
