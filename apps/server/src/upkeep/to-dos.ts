import { ToDo } from '@rule/contract';
import { Line } from '@rule/core/changes';
import { Property, slotKey, slotOf } from '@rule/core/schema';
import { startProperties } from '@rule/core/start';
import { heldText, holdValue, parseText } from '@rule/core/values';
import { Trays } from '../changes/tray';
import { Db } from '../platform/db';
import { refused } from '../platform/problem';
import { Derived } from '../schema/derive';
import { LoadedFacts, loadFacts, surroundingsOf } from '../schema/facts';
import { User } from '../users/user';

/** Maximum arrivals checked, newest first. */
const MOST = 2000;

interface Arrival {
  readonly file: number;
  readonly path: string;
  readonly class: string | null;
  readonly how: ToDo['how'];
  readonly at: string;
  readonly owner: string | null;
  readonly ownerId: number | null;
  readonly lock: string | null;
}

/** Missing names and values of new files, until complete. */
export class ToDos {
  constructor(
    private readonly db: Db,
    private readonly derived: Derived,
    private readonly trays: Trays,
  ) {}

  /** New or changed files that lack names or required values; the user's own first. */
  async list(user: User): Promise<ToDo[]> {
    const found = await this.lacking(null);
    return found
      .map(({ arrival: { ownerId, lock, ...arrival }, lacks, missing }): ToDo => ({
        ...arrival,
        mine: ownerId === user.id,
        lacks: lacks.map((property) => property.caption),
        missing: missing.map((property) => property.caption),
        reason: lock === null ? null : `The file ${lock}.`,
      }))
      .sort((a, b) => Number(b.mine) - Number(a.mine) || a.path.localeCompare(b.path));
  }

  async count(): Promise<number> {
    return (await this.lacking(null)).length;
  }

  private async lacking(only: readonly number[] | null): Promise<{ arrival: Arrival; facts: LoadedFacts; lacks: Property[]; missing: Property[] }[]> {
    const arrivals = await this.db.all<Arrival>(
      `SELECT a.file_id AS file, f.path, c.name AS "class", a.how, a.at, u.display_name AS owner, a.owner_id AS "ownerId", f.lock_reason AS lock
       FROM arrivals a JOIN files f ON f.id = a.file_id AND NOT f.removed LEFT JOIN classes c ON c.id = f.class_id LEFT JOIN users u ON u.id = a.owner_id
       WHERE $1::int[] IS NULL OR a.file_id = ANY($1::int[]) ORDER BY a.at DESC, f.path LIMIT ${MOST}`,
      [only],
    );
    if (arrivals.length === 0) return [];
    const prepared = await this.derived.prepared(this.db);
    const facts = await loadFacts(
      this.db,
      arrivals.map((arrival) => arrival.file),
      surroundingsOf([prepared]),
    );
    return arrivals.flatMap((arrival) => {
      const file = facts.get(arrival.file);
      if (!file) return [];
      const lacks =
        arrival.how === 'new'
          ? startProperties(prepared.schema.properties, file.kind, file.className).filter((property) => {
              const { place, name } = slotOf(property, file.kind);
              return !file.held.has(slotKey(place, name));
            })
          : [];
      const missing = [...prepared.judge(file).values.values()]
        .filter(({ cell }) => cell.violations.some((violation) => violation.code === 'required'))
        .map(({ property }) => property);
      return lacks.length || missing.length ? [{ arrival, facts: file, lacks, missing }] : [];
    });
  }

  /** Adds missing names to the tray, with defaults for new files. */
  async toTray(user: User, files: readonly number[]): Promise<{ lines: number }> {
    const found = await this.lacking(files);
    const lines = found
      .filter(({ arrival }) => arrival.lock === null)
      .flatMap(({ facts, lacks }) =>
        lacks.map((property): Line => {
          const text = property.overrides.find((entry) => entry.class === facts.className)?.default ?? property.default;
          const parsed = text === '' ? null : parseText(text, property);
          return {
            address: { file: facts.id, holder: '', ...slotOf(property, facts.kind) },
            base: null,
            proposed: parsed?.ok ? holdValue(parsed.value, property) : heldText(''),
            reason: 'new file without this name',
            follows: false,
          };
        }),
      );
    if (lines.length === 0) throw refused('nothing-to-do', 'None of these files lacks a name that can be added now.');
    await this.trays.add(user, lines, 'by rule');
    return { lines: lines.length };
  }

  /** Dismisses files from the list. */
  async dismiss(files: readonly number[]): Promise<void> {
    await this.db.run('DELETE FROM arrivals WHERE file_id = ANY($1::int[])', [files]);
  }
}
