import { FileChoice, FillData, MOST_FILLED, ValueSetDraft, ValueSetRow } from '@rule/contract';
import { FillFile, FillWide, PreparedForm, formFor, packFill } from '@rule/core/forms';
import { INNER_LEVELS, WideLevel } from '@rule/core/schema';
import { HeldValue } from '@rule/core/values';
import { HELD } from '../library/readings';
import { Db } from '../platform/db';
import { invalid, notFound, refused } from '../platform/problem';
import { Editions } from '../schema/editions';
import { loadFacts, surroundingsOf } from '../schema/facts';
import { choiceListsOf } from '../schema/choices';
import { preparedInForce } from '../schema/prepared';
import { readSettings } from '../platform/settings';
import { User } from '../users/user';
import { filterSql } from '../library/filter';

interface ChosenFile {
  readonly id: number;
  readonly path: string;
  readonly lock: string | null;
  readonly class: string | null;
  readonly project: number | null;
  readonly set: number | null;
}

/** Maximum assembly depth. */
const DEEPEST = 50;

/** Data for filling in forms: files with context, saved value sets and favourites. */
export class Fill {
  constructor(
    private readonly db: Db,
    private readonly editions: Editions,
    private readonly clock: () => Date,
  ) {}

  /** Selected files by path, and those excluded by class. */
  private async choose({ files, filter, assembly, without = [] }: FileChoice): Promise<{ chosen: ChosenFile[]; leftOut: FillData['leftOut'] }> {
    const columns = `f.id, f.path, f.lock_reason AS lock, (SELECT c.name FROM classes c WHERE c.id = f.class_id) AS "class", f.project_id AS project, f.set_id AS "set"`;
    let found: ChosenFile[];
    if (filter) {
      const { sql, bind } = filterSql(filter);
      found = await this.db.all<ChosenFile>(
        `SELECT ${columns} FROM files f WHERE ${sql} AND f.problem IS NULL ORDER BY f.path, f.id LIMIT ${MOST_FILLED * 2}`,
        bind,
      );
    } else {
      const ids = assembly ? await this.partsOf(assembly.file, assembly.deep) : [...(files ?? [])];
      found = await this.db.all<ChosenFile>(
        `SELECT ${columns} FROM files f WHERE f.id = ANY($1::int[]) AND NOT f.removed AND f.problem IS NULL ORDER BY f.path, f.id`,
        [ids],
      );
    }
    const out = new Set(without);
    const counts = new Map<string, number>();
    const chosen = found.filter((file) => {
      const own = file.class ?? '';
      if (!out.has(own)) return true;
      counts.set(own, (counts.get(own) ?? 0) + 1);
      return false;
    });
    if (chosen.length > MOST_FILLED) throw refused('too-many', `A form can fill in at most ${MOST_FILLED} files at once.`);
    if (chosen.length === 0) throw notFound('A readable file of this choice');
    return { chosen, leftOut: [...counts].map(([of, n]) => ({ class: of, files: n })) };
  }

  /** Part files of an assembly; with `deep` at all levels. */
  private async partsOf(file: number, deep: boolean): Promise<number[]> {
    // An assembly file contains copies of all levels; its own parts are children of its root.
    const found = deep
      ? await this.db.all<{ part: number }>(
          `WITH RECURSIVE inside(part, depth) AS (
             SELECT part_id, 1 FROM copies WHERE assembly_id = $1 AND part_id IS NOT NULL
             UNION SELECT c.part_id, i.depth + 1 FROM inside i JOIN copies c ON c.assembly_id = i.part WHERE c.part_id IS NOT NULL AND i.depth < ${DEEPEST})
           SELECT DISTINCT part FROM inside`,
          [file],
        )
      : await this.db.all<{ part: number }>(
          `SELECT DISTINCT c.part_id AS part FROM files f JOIN copies c ON c.assembly_id = f.id AND c.part_id IS NOT NULL
             AND EXISTS (SELECT 1 FROM jsonb_array_elements(f.reading->'structure'->'occurrences') o
                 WHERE o->>'child' = c.product AND f.reading->'structure'->'roots' ? (o->>'parent'))
           WHERE f.id = $1`,
          [file],
        );
    if (found.length === 0) throw invalid('no-parts', 'This assembly has no parts with known files.');
    return found.map((row) => row.part);
  }

  /** Everything the page needs to fill in files. */
  async open(user: User, choice: FileChoice): Promise<FillData> {
    const { chosen, leftOut } = await this.choose(choice);
    const [{ number, schema }, { workflowStates }, lists, prepared, atHand] = await Promise.all([
      this.editions.inForce(this.db),
      readSettings(this.db),
      choiceListsOf(this.db),
      preparedInForce(this.db, this.clock()),
      this.db.all<FillData['atHand'][number]>('SELECT property_id AS property, text FROM favourite_values WHERE user_id = $1 ORDER BY text', [user.id]),
    ]);
    // Form conditions may depend on more than definitions do.
    for (const form of schema.forms) new PreparedForm(form, prepared);
    const around = { ...surroundingsOf([prepared]), wide: true };
    const ids = chosen.map((file) => file.id);
    const facts = await loadFacts(this.db, ids, around);
    const files = chosen.flatMap((file): FillFile[] => {
      const own = facts.get(file.id);
      if (!own) return [];
      const { standing: _, holders, ...bare } = own;
      void _;
      const form = formFor(schema.forms, own.kind, own.className);
      const levels = new Set<string>(form ? form.panels.flatMap((panel) => panel.inputs.map((input) => input.level)) : INNER_LEVELS);
      return [
        {
          ...bare,
          path: file.path,
          lock: file.lock,
          holders: holders.filter((holder) => levels.has(holder.level)).map(({ standing, ...holder }) => (void standing, holder)),
          wide: { ...(file.project === null ? {} : { project: file.project }), ...(file.set === null ? {} : { 'drawing set': file.set }) },
        },
      ];
    });
    const wides = await this.wides([...new Set(files.flatMap((file) => Object.values(file.wide)))]);
    const company = wides.find((wide) => wide.level === 'company');
    return {
      edition: number,
      schema: prepared.schema,
      lists,
      states: workflowStates,
      packed: packFill(company ? files.map((file) => ({ ...file, wide: { ...file.wide, company: company.id } })) : files, wides),
      leftOut,
      atHand,
    };
  }

  /** The company, projects and sets by number. */
  private async wides(ids: readonly number[]): Promise<FillWide[]> {
    const found = await this.db.all<{ id: number; level: WideLevel; name: string; held: { name: string; held: HeldValue }[] | null }>(
      `SELECT w.id, w.level, w.name, (SELECT jsonb_agg(jsonb_build_object('name', v.name, 'held', ${HELD})) FROM target_values v WHERE v.file_id = -w.id) AS held
       FROM wide_holders w WHERE NOT w.removed AND (w.level = 'company' OR w.id = ANY($1::int[]))`,
      [ids],
    );
    return found.map(({ held, ...wide }) => ({ ...wide, held: new Map((held ?? []).map((value) => [value.name, value.held])) }));
  }

  valueSets(user: User): Promise<ValueSetRow[]> {
    return this.db.all<ValueSetRow>(
      `SELECT s.id, s.name, s.shared, s.content AS values, u.display_name AS "by", s.user_id = $1 AS mine FROM value_sets s JOIN users u ON u.id = s.user_id
       WHERE s.shared OR s.user_id = $1 ORDER BY s.name`,
      [user.id],
    );
  }

  /** Saves a set of values; replaces one with the same name and owner. */
  async saveValueSet(user: User, { name, shared, values }: ValueSetDraft): Promise<ValueSetRow[]> {
    await this.db.run(
      `INSERT INTO value_sets (name, user_id, shared, content) VALUES ($1, $2, $3, $4::jsonb)
        ON CONFLICT (user_id, name) DO UPDATE SET shared = excluded.shared, content = excluded.content`,
      [name, user.id, shared, JSON.stringify(values)],
    );
    return this.valueSets(user);
  }

  async removeValueSet(user: User, id: number): Promise<void> {
    if ((await this.db.run('DELETE FROM value_sets WHERE id = $1 AND (user_id = $2 OR (shared AND $3))', [id, user.id, user.role === 'administrator'])) === 0)
      throw notFound(`Your set of values ${id}`);
  }

  async keepAtHand(user: User, { property, text, on }: { property: number; text: string; on: boolean }): Promise<void> {
    if (!(await this.db.one('SELECT 1 FROM properties WHERE id = $1', [property]))) throw notFound(`Property ${property}`);
    if (on) await this.db.run('INSERT INTO favourite_values VALUES ($1, $2, $3) ON CONFLICT DO NOTHING', [user.id, property, text]);
    else await this.db.run('DELETE FROM favourite_values WHERE user_id = $1 AND property_id = $2 AND text = $3', [user.id, property, text]);
  }
}
