import { basename } from 'node:path';
import { stat } from 'node:fs/promises';
import { LineRow } from '@rule/contract';
import { FileReading } from '@rule/core/files';
import { StandIns, compileStandIns } from '@rule/core/values';
import { assignClasses } from '../library/classes';
import { recount } from '../library/counts';
import { matchIdentities } from '../library/identities';
import { ReadFile, storeReadings, takeBesideLines } from '../library/readings';
import { Db, Sql, asRecordset } from '../platform/db';
import { LOCKS, TAKE_LOCK } from '../platform/locks';
import { assignWide } from '../library/members';
import { markUsed } from './drawn-numbers';
import { readSettings } from '../platform/settings';
import { User } from '../users/user';
import { close } from './journal';
import { Trays } from './tray';

/** Keys of holders that a change renamed: old key and new key. */
export type MovedHolders = readonly (readonly [from: string, to: string])[];

/** A written file as it is now. */
export interface Written {
  readonly file: number;
  /** Full path; `null` if the values are only in the database. */
  readonly stands: string | null;
  /** Whether the path changed. */
  readonly renamed: boolean;
  readonly hash: string;
  readonly reading: FileReading;
  readonly moved: MovedHolders;
}

/** Why lines were not applied. */
export interface Failure {
  readonly lines: readonly LineRow[];
  readonly message: string;
  /** The failing lines; all if empty. */
  readonly conflicts: readonly number[];
}

/** Records a change set in the database: values, names, lines and history. */
export class Recorder {
  constructor(
    private readonly db: Db,
    private readonly trays: Trays,
  ) {}

  /**
   * Records in one transaction: current values, lines, the set and its journal. *
   * @param elsewhere files that are not changed but got another name because theirs was taken
   */
  async record(changeSet: number, done: readonly Written[], partly: boolean, elsewhere: readonly { file: number; stands: string }[] = []): Promise<void> {
    const inFiles = done.filter((one): one is Written & { stands: string } => one.stands !== null);
    const read = await Promise.all(
      inFiles.map(async ({ file, stands, hash, reading }): Promise<ReadFile> => {
        const { size, mtimeMs } = await stat(stands);
        return { id: file, size, mtimeMs, hash, reading, problem: null };
      }),
    );
    const ids = done.map(({ file }) => file);
    const beside = done.filter(({ stands }) => stands === null).map(({ file }) => file);
    const standIns = compileStandIns((await readSettings(this.db)).standIns);
    const renamed = [...inFiles.filter((one) => one.renamed), ...elsewhere].map(({ file, stands }) => ({ id: file, name: basename(stands) }));
    await this.db.transaction(async (sql) => {
      await sql.all(TAKE_LOCK, [LOCKS.readings]);
      await renameFiles(sql, renamed);
      await storeReadings(sql, read, standIns);
      await moveLines(sql, done);
      if (beside.length) await recordBeside(sql, changeSet, beside, standIns);
      await sql.run(`UPDATE change_lines SET state = 'applied' WHERE change_set_id = $1 AND file_id = ANY($2::int[])`, [changeSet, ids]);
      await close(sql, changeSet, ids);
      await sql.run('UPDATE change_sets SET state = $2, recovery_problem = NULL WHERE id = $1', [
        changeSet,
        done.length === 0 ? 'put back' : partly ? 'partly applied' : 'applied',
      ]);
      await sql.run(`UPDATE change_sets o SET reverted_by = s.id FROM change_sets s WHERE s.id = $1 AND s.state = 'applied' AND o.id = s.revert_of`, [
        changeSet,
      ]);
      const { modelProperty } = await readSettings(sql);
      // Only these values decide which file a copy or drawing belongs to.
      const telling = await sql.one(`SELECT 1 FROM change_lines WHERE change_set_id = $1 AND (place = 'field' OR name = $2) LIMIT 1`, [
        changeSet,
        modelProperty,
      ]);
      if (telling) await matchIdentities(sql, modelProperty);
      await assignClasses(sql, ids);
      await assignWide(sql, ids);
      await markUsed(sql, changeSet);
    });
    const names = await this.db.all<{ name: string }>(`SELECT DISTINCT name FROM change_lines WHERE change_set_id = $1 AND place = 'property'`, [changeSet]);
    await recount(
      this.db,
      names.map((row) => row.name),
    );
  }

  /** Returns lines that were not applied to their tray, with the reason. */
  async returnFailed(owner: Pick<User, 'id'>, changeSet: number, failures: readonly Failure[], message: string | null = null): Promise<void> {
    await this.db.transaction(async (sql) => {
      const left = await sql.all<{ id: number }>(
        `SELECT l.id FROM change_lines l JOIN change_sets s ON s.id = l.change_set_id WHERE s.id = $1 AND s.from_tray AND l.state <> 'applied'`,
        [changeSet],
      );
      const ids = left.map((line) => line.id);
      await this.toTray(sql, owner, ids);
      if (message !== null) await sql.run('UPDATE change_lines SET message = $2 WHERE id = ANY($1::int[])', [ids, message]);
    });
    await this.markFailures(failures);
  }

  private async toTray(sql: Sql, user: Pick<User, 'id'>, ids: readonly number[]): Promise<void> {
    if (ids.length === 0) return;
    const tray = await this.trays.pendingSet(sql, user);
    // If the user has typed the line again, the new one stays.
    await sql.run(
      `UPDATE change_lines l SET change_set_id = $1, state = 'pending' WHERE l.id = ANY($2::int[])
         AND NOT EXISTS (SELECT 1 FROM change_lines o
             WHERE o.change_set_id = $1 AND o.file_id = l.file_id AND o.holder = l.holder AND o.place = l.place AND o.name = l.name)`,
      [tray, ids],
    );
  }

  /** Stores why lines were not applied. */
  async markFailures(failures: readonly Failure[]): Promise<void> {
    const marks = failures.flatMap(({ lines, message, conflicts }) =>
      lines.filter((line) => conflicts.length === 0 || conflicts.includes(line.id)).map((line) => ({ id: line.id, message })),
    );
    await this.db.run('UPDATE change_lines l SET message = n.message FROM jsonb_to_recordset($1::jsonb) AS n(id int, message text) WHERE l.id = n.id', [
      asRecordset(marks),
    ]);
  }
}

/** Lines for values kept beside files whose base has changed. */
export async function besideConflicts(sql: Sql, lines: readonly LineRow[]): Promise<Set<number>> {
  if (lines.length === 0) return new Set();
  const found = await sql.all<{ id: number }>(
    `SELECT l.id FROM change_lines l LEFT JOIN beside_values b ON b.file_id = l.file_id AND b.name = l.name WHERE l.id = ANY($1::int[])
       AND coalesce(b.text, '') <> coalesce(l.base->>'text', '') AND coalesce(b.text, '') <> coalesce(l.proposed->>'text', '')`,
    [lines.map((line) => line.id)],
  );
  return new Set(found.map((row) => row.id));
}

/** Writes values kept beside files, in the transaction that records the change set. */
async function recordBeside(sql: Sql, changeSet: number, files: readonly number[], standIns: StandIns): Promise<void> {
  await sql.run(
    `DELETE FROM beside_values b USING change_lines l
      WHERE l.change_set_id = $1 AND l.file_id = ANY($2::int[]) AND l.place = 'property' AND b.file_id = l.file_id AND b.name = l.name`,
    [changeSet, files],
  );
  await sql.run(
    `INSERT INTO beside_values SELECT file_id, name, proposed->>'text', proposed->>'form', proposed->>'unit' FROM change_lines
     WHERE change_set_id = $1 AND file_id = ANY($2::int[]) AND place = 'property' AND proposed IS NOT NULL`,
    [changeSet, files],
  );
  await takeBesideLines(
    sql,
    changeSet,
    files.filter((id) => id > 0),
    standIns,
  );
}

/** Lines of all change sets follow holders whose key changed. */
async function moveLines(sql: Sql, files: readonly Pick<Written, 'file' | 'moved'>[]): Promise<void> {
  const moves = files.flatMap(({ file, moved }) => moved.map(([from, to]) => ({ file, from, to })));
  if (moves.length === 0) return;
  // Keys may be swapped, and no two lines of a set may share an address in between. Lines about removed holders stay as they are.
  const bind = [asRecordset(moves)];
  const found = await sql.all<{ id: number; to: string }>(
    `SELECT l.id, n."to" FROM jsonb_to_recordset($1::jsonb) AS n(file int, "from" text, "to" text)
     JOIN change_lines l ON l.file_id = n.file AND l.holder = n."from"
     WHERE NOT EXISTS (SELECT 1 FROM change_lines o
         WHERE (o.change_set_id, o.file_id, o.holder, o.place, o.name) = (l.change_set_id, l.file_id, n."to", l.place, l.name)
       AND NOT EXISTS (SELECT 1 FROM jsonb_to_recordset($1::jsonb) AS m(file int, "from" text) WHERE m.file = o.file_id AND m."from" = o.holder))`,
    bind,
  );
  await sql.run(`UPDATE change_lines SET holder = chr(1) || id WHERE id = ANY($1::int[])`, [found.map((row) => row.id)]);
  await sql.run('UPDATE change_lines l SET holder = n."to" FROM jsonb_to_recordset($1::jsonb) AS n(id int, "to" text) WHERE l.id = n.id', [asRecordset(found)]);
}

/** Writes new file names, which may be swaps. */
async function renameFiles(sql: Sql, files: readonly { readonly id: number; readonly name: string }[]): Promise<void> {
  if (files.length === 0) return;
  const list = asRecordset(files);
  const wanted = `SELECT f.id, f.library_id, CASE WHEN f.folder = '' THEN n.name ELSE f.folder || '/' || n.name END AS path, n.name
    FROM jsonb_to_recordset($1::jsonb) AS n(id int, name text) JOIN files f ON f.id = n.id`;
  // A removed file may still hold the name.
  const gone = await sql.all<{ id: number }>(
    `UPDATE files f SET path = f.path || ' (gone, ' || f.id || ')', removed = true, model_file_id = NULL FROM (${wanted}) w
     WHERE f.library_id = w.library_id AND f.path = w.path AND NOT EXISTS (SELECT 1 FROM jsonb_to_recordset($1::jsonb) AS n(id int) WHERE n.id = f.id)
     RETURNING f.id`,
    [list],
  );
  for (const table of ['holders', 'held_values'])
    if (gone.length) await sql.run(`DELETE FROM ${table} WHERE file_id = ANY($1::int[])`, [gone.map((row) => row.id)]);
  const paths = await sql.all<{ id: number; path: string; name: string }>(wanted, [list]);
  await sql.run(`UPDATE files SET path = path || chr(1) || id WHERE id = ANY($1::int[])`, [paths.map((row) => row.id)]);
  await sql.run('UPDATE files f SET path = n.path, name = n.name FROM jsonb_to_recordset($1::jsonb) AS n(id int, path text, name text) WHERE f.id = n.id', [
    asRecordset(paths),
  ]);
}
