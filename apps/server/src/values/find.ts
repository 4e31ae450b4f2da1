import { ReplacementRequest, ReplacementLine, ReplacementPreview, MOST_FOUND } from '@rule/contract';
import { replaceIn } from '@rule/core/grid';
import { Property, checkProposed, forClass, reaches, slotOf, whyNotChanged } from '@rule/core/schema';
import { HeldValue, StandIns, compileStandIns } from '@rule/core/values';
import { FILE_STATE, FileState, STATE_FROM } from '../library/file-state';
import { Db, asRecordset } from '../platform/db';
import { notFound } from '../platform/problem';
import { Properties } from '../schema/properties';
import { readSettings } from '../platform/settings';
import { User } from '../users/user';
import { escapeLike, filterSql } from '../library/filter';
import { heldFor, slotRows } from './held';

/** Files searched at a time. */
const PAGE = 1000;

/**
 * An ILIKE pattern matching at least all texts that contain the search text; non-ASCII letters are wildcards, as PostgreSQL and JavaScript
 * differ in case folding.
 */
const nearPattern = (find: string): string => `%${escapeLike(find).replace(/[^\x20-\x7e]/gu, '%')}%`;

/** Find and replace; only searches, never writes. */
export class Finder {
  constructor(
    private readonly db: Db,
    private readonly properties: Properties,
  ) {}

  /** Values the replacement would change, with the user's pending lines applied. */
  async find(user: User, request: ReplacementRequest): Promise<ReplacementPreview> {
    const active = await this.properties.ofFiles(this.db);
    const properties = request.properties.map((id) => {
      const property = active.get(id);
      if (!property) throw notFound(`Property ${id}`);
      return property;
    });
    const standIns = compileStandIns((await readSettings(this.db)).standIns);
    const values: ReplacementLine[] = [];
    for (let after = 0; ;) {
      const files = await this.page(user, request, properties, after);
      if (files.length === 0) break;
      after = files.at(-1)!.id;
      const ids = files.map((file) => file.id);
      const [held, waiting] = await Promise.all([heldFor(this.db, ids, properties), this.waiting(user, ids)]);
      for (const file of files)
        for (const property of properties) {
          const slot = slotOf(property, file.kind);
          const line = waiting.get(`${file.id}/${slot.place}/${slot.name}`);
          const before = (line === undefined ? held.get(file.id)?.[property.id] : line)?.text ?? '';
          const found = this.look(user, request, standIns, file, property, before);
          if (!found) continue;
          if (values.length === MOST_FOUND) return { values: byPath(values), more: true };
          values.push(found);
        }
    }
    return { values: byPath(values), more: false };
  }

  private look(user: User, request: ReplacementRequest, standIns: StandIns, file: FileState, property: Property, before: string): ReplacementLine | null {
    const { id, path, kind, className, state, lock } = file;
    if (!reaches(property, kind, className)) return null;
    const after = replaceIn(before, request);
    if (after === null || after === before) return null;
    const own = forClass(property, className);
    const closed = whyNotChanged(own, { role: user.role, kind, className, state }) ?? (lock === null ? null : `the file ${lock}`);
    const check = closed === null ? checkProposed(after, own, standIns) : null;
    const problem = closed ?? (check!.ok ? null : check!.violations.map((violation) => violation.message).join('; '));
    return { file: id, path, property: property.id, before, after, problem };
  }

  /** Next files by number that may match, or have pending values. */
  private page(user: User, { filter, find }: ReplacementRequest, properties: readonly Property[], after: number): Promise<FileState[]> {
    const { sql, bind } = filterSql(filter);
    const next = (n: number) => `$${bind.length + n}`;
    const near = `(f.id IN (SELECT v.file_id FROM jsonb_to_recordset(${next(2)}::jsonb) AS s(place text, name text)
         JOIN held_values v ON v.holder = '' AND v.place = s.place AND v.name = s.name AND v.text ILIKE ${next(3)})
       OR f.id IN (SELECT l.file_id FROM change_lines l JOIN change_sets s ON s.id = l.change_set_id AND s.state = 'pending' AND s.user_id = ${next(4)}))`;
    return this.db.all<FileState>(
      `SELECT ${FILE_STATE} FROM ${STATE_FROM}
       WHERE ${sql} AND f.id > ${next(1)} AND ${find === '' ? 'true' : near} ORDER BY f.id LIMIT ${PAGE}`,
      [...bind, after, ...(find === '' ? [] : [asRecordset(slotRows(properties)), nearPattern(find), user.id])],
    );
  }

  /** Pending values of files, by file and slot; `null` if removed. */
  private async waiting(user: User, files: readonly number[]): Promise<Map<string, HeldValue | null>> {
    const found = await this.db.all<{ key: string; proposed: HeldValue | null }>(
      `SELECT l.file_id || '/' || l.place || '/' || l.name AS key, l.proposed FROM change_lines l
       JOIN change_sets s ON s.id = l.change_set_id AND s.state = 'pending' AND s.user_id = $1 WHERE l.holder = '' AND l.file_id = ANY($2::int[])`,
      [user.id, files],
    );
    return new Map(found.map(({ key, proposed }) => [key, proposed]));
  }
}

const byPath = (values: ReplacementLine[]): ReplacementLine[] => values.sort((a, b) => (a.path < b.path ? -1 : a.path > b.path ? 1 : 0));
