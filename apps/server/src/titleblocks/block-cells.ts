import { BlockCellChange, BlockCellPlan, LockedOut } from '@rule/contract';
import { Line } from '@rule/core/changes';
import { CellStep, PLACED, Place, placedOf, placedText } from '@rule/core/files';
import { definitionText } from '@rule/core/files/dxf';
import { bindingOf, familyOf } from '@rule/core/schema';
import { heldText } from '@rule/core/values';
import { CarriedBlocks, Lent } from '../library/carried';
import { FreeHandles } from '../library/handles';
import { Db } from '../platform/db';
import { invalid, notFound } from '../platform/problem';
import { Editions } from '../schema/editions';
import { MOST_SHEETS, PLACES, PlaceRow, leftOut, lostTexts, whyNotReplaced } from './exchanges';

/** Maximum different definitions of one block. */
const MOST_DEFINITIONS = 50;

/** A block's sheets with their definitions after the change, or the reason against it. */
interface Read {
  readonly rows: readonly PlaceRow[];
  readonly good: readonly PlaceRow[];
  readonly after: ReadonlyMap<string, Lent>;
  readonly left: readonly LockedOut[];
}

const definitionOf = (row: PlaceRow): string => definitionText(row.before!);

/** Names of cells before and after the steps: where each text goes, `null` for cells that are removed. */
function names(steps: readonly CellStep[], tags: readonly string[]): Map<string, string | null> {
  const now = new Map(tags.map((tag) => [tag, tag as string | null]));
  const is = (tag: string, other: string) => tag.toLowerCase() === other.toLowerCase();
  for (const step of steps)
    for (const [tag, own] of now) {
      if (own === null) continue;
      if (step.do === 'name' && is(own, step.tag)) now.set(tag, step.to);
      if (step.do === 'remove' && is(own, step.tag)) now.set(tag, null);
    }
  return now;
}

/** Changes the cells of a title block in the drawings that define it. */
export class BlockCells {
  constructor(
    private readonly db: Db,
    private readonly editions: Editions,
    private readonly carried: CarriedBlocks,
  ) {}

  private async read({ block, steps, drawings }: BlockCellChange): Promise<Read> {
    const family = familyOf(block);
    const rows = await this.db.all<PlaceRow>(PLACES, [family, family, drawings, MOST_SHEETS + 1]);
    if (rows.length === 0) throw notFound(`A sheet with the block ${block}`);
    if (rows.length > MOST_SHEETS) throw invalid('too-many', `The block ${block} is on more than ${MOST_SHEETS} sheets. Choose fewer drawings.`);
    const why = (row: PlaceRow): string | null =>
      whyNotReplaced(row) ?? (familyOf(row.block) === family ? null : `It shows ${block} as ${row.block}, a variant that its program made.`);
    // A drawing has one definition for all its sheets, so it is changed as a whole or not at all.
    const barred = new Map(leftOut(rows, why).map((entry) => [entry.file, entry.reason]));
    const kinds = new Map<string, PlaceRow>();
    for (const row of rows) if (!barred.has(row.file) && !kinds.has(definitionOf(row))) kinds.set(definitionOf(row), row);
    if (kinds.size > MOST_DEFINITIONS)
      throw invalid('too-many', `The block ${block} has more than ${MOST_DEFINITIONS} different definitions. Choose fewer drawings.`);
    const after = new Map<string, Lent>();
    const refused = new Map<string, string>();
    for (const [text, row] of kinds) {
      const changed = await this.carried.changed(row, row.block, text, steps);
      if (typeof changed === 'string') refused.set(text, changed);
      else after.set(text, changed);
    }
    if (kinds.size > 0 && after.size === 0) throw invalid('not-possible', [...refused.values()][0]!);
    const reason = (row: PlaceRow) => barred.get(row.file) ?? refused.get(definitionOf(row)) ?? null;
    return { rows, good: rows.filter((row) => reason(row) === null), after, left: leftOut(rows, reason) };
  }

  /** Whether placed blocks must be placed anew: their attributes keep name and place of when they were placed. */
  private anew = (steps: readonly CellStep[]): boolean => steps.some((step) => step.do === 'name' || step.do === 'move' || step.do === 'remove');

  /** Previews a change. */
  async plan(change: BlockCellChange): Promise<BlockCellPlan> {
    const [{ good, after, left }, { schema }] = await Promise.all([this.read(change), this.editions.inForce(this.db)]);
    const family = familyOf(change.block);
    const tags = [...new Set(good.flatMap((row) => row.before!.cells.map((cell) => cell.tag)))];
    const moved = names(change.steps, tags);
    const first = after.values().next().value;
    return {
      drawings: new Set(good.map((row) => row.file)).size,
      sheets: good.length,
      definitions: after.size,
      cells: (first?.block.cells ?? []).map(({ tag, prompt }) => ({ tag, prompt })),
      anew: this.anew(change.steps),
      lost: lostTexts(good, (tag) => moved.get(tag) === null),
      bound: tags.filter((tag) => moved.get(tag) !== tag && bindingOf(schema.bindings, family, tag) !== undefined),
      left,
    };
  }

  /** Lines of a change, and drawings that are left out. */
  async lines(change: BlockCellChange): Promise<{ lines: Line[]; left: readonly LockedOut[] }> {
    const { good, after, left } = await this.read(change);
    const { steps } = change;
    const anew = this.anew(steps);
    const made = steps.flatMap((step) => (step.do === 'make' ? [step] : []));
    const lines: Line[] = [];
    const defined = new Set<number>();
    const handles = new Map<number, FreeHandles>();
    for (const row of good) {
      const line = (holder: string, place: Place, name: string, base: string | null, proposed: string | null): void => {
        lines.push({
          address: { file: row.file, holder, place, name },
          base: base === null ? null : heldText(base),
          proposed: proposed === null ? null : heldText(proposed),
          reason: `cells of the block ${change.block} changed`,
          follows: false,
        });
      };
      const { text, block } = after.get(definitionOf(row))!;
      if (!defined.has(row.file)) {
        defined.add(row.file);
        if (text !== definitionOf(row)) line('', 'block', row.block, definitionOf(row), text);
      }
      // What was a text of the block stays to be seen on every sheet.
      const texts = new Map(made.map((step) => [step.tag, step.text]));
      if (!anew) {
        for (const [tag, own] of texts) line(row.holder, 'cell', tag, null, own);
        continue;
      }
      const before = row.before!.cells;
      const moved = names(
        steps,
        before.map((cell) => cell.tag),
      );
      for (const [tag, own] of Object.entries(row.texts)) {
        const now = moved.get(tag);
        if (now && own !== '') texts.set(now, own);
      }
      const free = handles.get(row.file) ?? new FreeHandles(row.next);
      handles.set(row.file, free);
      const old = placedOf(row.placed!)!;
      const holder = free.next(row.path, block.cells.length);
      line(holder, 'placed', PLACED, null, placedText({ ...old, block: block.name, layout: row.layout }));
      for (const { tag, constant } of block.cells) {
        const own = texts.get([...texts.keys()].find((key) => key.toLowerCase() === tag.toLowerCase()) ?? '');
        if (!constant && own) line(holder, 'cell', tag, null, own);
      }
      line(row.holder, 'placed', PLACED, row.placed, null);
      for (const [tag, own] of Object.entries(row.texts))
        if (own !== '' && before.some((cell) => cell.tag === tag && !cell.constant)) line(row.holder, 'cell', tag, own, null);
    }
    return { lines, left };
  }
}
