import { OwnedValue, TakeUp, TakenUpAnswer } from '@rule/contract';
import { Line } from '@rule/core/changes';
import { Binding, Property, bindingOf, checkProposed, familyOf, forClass, isWide, reaches, whyNotChanged } from '@rule/core/schema';
import { BlockPlace, BoundCell, LooseText, TakenUp, ownerOf, takeUp } from '@rule/core/titleblocks';
import { compileStandIns, heldText } from '@rule/core/values';
import { FILE_STATE, TARGET_STATE_FROM, TargetState } from '../library/file-state';
import { Sql } from '../platform/db';
import { invalid, notFound, refused } from '../platform/problem';
import { readSettings } from '../platform/settings';
import { Editions } from '../schema/editions';
import { Properties } from '../schema/properties';
import { User } from '../users/user';
import { PLACED, PlacedBlock } from '../values/cells';
import { Judgements } from '../values/judgements';

/** Maximum texts taken up per request. */
const MOST_TEXTS = 50_000;
/** Maximum conflicts in an answer. */
const MOST_CONFLICTS = 500;
/** Placed blocks loaded at a time. */
const BATCH = 500;

/** Owners of values shown in cells, and typing through cells. */
export class CellOwners {
  constructor(
    private readonly db: Sql,
    private readonly properties: Properties,
    private readonly editions: Editions,
    private readonly judgements: Pick<Judgements, 'settle'>,
  ) {}

  private async placeOf({ file, holder, model, set, project }: PlacedBlock): Promise<BlockPlace> {
    return { file, holder, model, set, project, company: await this.company() };
  }

  private async company(): Promise<number | null> {
    return (await this.db.one<{ id: number }>(`SELECT id FROM wide_holders WHERE level = 'company'`))?.id ?? null;
  }

  private async targets(ids: readonly number[]): Promise<Map<number, TargetState>> {
    const found = await this.db.all<TargetState>(`SELECT ${FILE_STATE} FROM ${TARGET_STATE_FROM} WHERE f.id = ANY($1::int[]) AND NOT f.removed`, [
      [...new Set(ids)],
    ]);
    return new Map(found.map((target) => [target.id, target]));
  }

  /** The owner of each cell of a placed block, by tag. */
  async of(user: Pick<User, 'role'>, placed: PlacedBlock, cells: readonly BoundCell[], bindings: readonly Binding[]): Promise<Map<string, OwnedValue>> {
    const place = await this.placeOf(placed);
    const owned = cells.flatMap((cell) => {
      const binding = bindings.find((candidate) => candidate.id === cell.binding);
      const owner = binding && ownerOf(binding, place);
      return owner ? [{ cell, owner }] : [];
    });
    const [targets, active] = await Promise.all([this.targets(owned.map(({ owner }) => owner.file)), this.properties.active(this.db)]);
    return new Map(
      owned.flatMap(({ cell, owner }): [string, OwnedValue][] => {
        const [target, property] = [targets.get(owner.file), active.get(owner.property)];
        if (!target || !property) return [];
        return [[cell.tag, { ...owner, of: target.path, text: cell.value?.text ?? '', closed: closedTo(user, property, target) }]];
      }),
    );
  }

  /** Texts that exist only in title blocks, as values: those with a blank source. Contradictory, invalid and locked ones are reported. */
  async takenUp(user: Pick<User, 'role'>, { block, cells, drawings }: TakeUp): Promise<{ values: TakenUp['values']; conflicts: TakenUpAnswer['conflicts'] }> {
    await this.judgements.settle();
    const found = await this.db.all<{ file: number; path: string; holder: string; tag: string; text: string }>(
      `SELECT c.file_id AS file, f.path, c.holder, c.tag, c.stored AS text FROM cell_states c JOIN files f ON f.id = c.file_id AND NOT f.removed
       WHERE c.family = $1 AND c.state = 'would be erased' AND ($2::text[] IS NULL OR c.tag = ANY($2::text[]))
         AND ($3::int[] IS NULL OR c.file_id = ANY($3::int[]))
       ORDER BY f.path, c.holder, c.tag LIMIT ${MOST_TEXTS}`,
      [block, cells, drawings],
    );
    const { schema } = await this.editions.inForce(this.db);
    const places = await this.places([...new Set(found.map((row) => row.file))]);
    const conflicts: TakenUpAnswer['conflicts'][number][] = [];
    const loose = found.flatMap(({ file, path, holder, tag, text }): LooseText[] => {
      const place = places.get(`${file}/${holder}`);
      const binding = bindingOf(schema.bindings, familyOf(block), tag);
      const owner = place && binding && ownerOf(binding, place);
      if (owner) return [{ drawing: file, holder, tag, text, owner }];
      conflicts.push({ file, path, tag, text, why: 'The cell shows more than one value, or its value has no owner.' });
      return [];
    });
    const [targets, active, settings] = await Promise.all([
      this.targets(loose.map(({ owner }) => owner.file)),
      this.properties.active(this.db),
      readSettings(this.db),
    ]);
    const standIns = compileStandIns(settings.standIns);
    const paths = new Map(found.map((row) => [row.file, row.path]));
    const taken = takeUp(loose, (text, id, file) => {
      const [target, property] = [targets.get(file), active.get(id)];
      if (!target || !property) return 'Its owner no longer exists.';
      if (!isWide(target.kind) && !reaches(property, target.kind, target.className)) return `${property.caption} does not apply to ${target.path}.`;
      const closed = closedTo(user, property, target);
      if (closed !== null) return `${target.path}: ${closed}.`;
      const check = checkProposed(text, forClass(property, target.className), standIns);
      return check.ok ? null : `${property.caption} ${check.violations[0]!.message}.`;
    });
    for (const { drawing, tag, text, why } of taken.conflicts) conflicts.push({ file: drawing, path: paths.get(drawing)!, tag, text, why });
    return { values: taken.values, conflicts: conflicts.slice(0, MOST_CONFLICTS) };
  }

  private async places(files: readonly number[]): Promise<Map<string, BlockPlace>> {
    const company = await this.company();
    const places = new Map<string, BlockPlace>();
    for (let at = 0; at < files.length; at += BATCH)
      for (const { file, holder, model, set, project } of await this.db.all<PlacedBlock>(`${PLACED} WHERE b.file_id = ANY($1::int[])`, [
        files.slice(at, at + BATCH),
      ]))
        places.set(`${file}/${holder}`, { file, holder, model, set, project, company });
    return places;
  }

  /**
   * The line that writes text to an unbound cell.
   * @throws AppError if it is bound or cannot be written
   */
  async typed(file: number, { holder, tag, text }: { readonly holder: string; readonly tag: string; readonly text: string }): Promise<Line> {
    const [placed] = await this.db.all<PlacedBlock>(`${PLACED} WHERE b.file_id = $1 AND b.holder = $2`, [file, holder]);
    if (!placed || (placed.texts[tag] === undefined && !placed.missing.includes(tag))) throw notFound(`The cell ${tag}`);
    if (placed.fixed[tag] !== undefined) throw refused('cell-fixed', `${placed.path}, ${tag}: the text is fixed in the block or computed by the drawing.`);
    const { schema } = await this.editions.inForce(this.db);
    if (bindingOf(schema.bindings, placed.family, tag)) throw invalid('cell-bound', `${placed.path}, ${tag}: the cell shows a property; type its value there.`);
    const target = (await this.targets([file])).get(file);
    if (target?.lock != null) throw refused('locked', `The file ${placed.path} ${target.lock}.`);
    return {
      address: { file, holder, place: 'cell', name: tag },
      base: placed.texts[tag] === undefined ? null : heldText(placed.texts[tag]),
      proposed: heldText(text),
      reason: 'typed in the title block',
      follows: false,
    };
  }
}

/** Why a user may not change a target's value; `null` if allowed. */
function closedTo({ role }: Pick<User, 'role'>, property: Property, { kind, className, state, lock }: TargetState): string | null {
  return whyNotChanged(forClass(property, className), { role, kind, className, state }) ?? (lock === null ? null : `the file ${lock}`);
}
