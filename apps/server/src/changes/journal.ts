import { ApplyMode } from '@rule/contract';
import { Db, Sql, asRecordset } from '../platform/db';
import { Move } from './swap';

/** A file of an interrupted set: its move, and its format for reading it again. */
export interface JournalRow extends Move {
  readonly format: string;
}

/** A set being applied, or interrupted. */
export interface OpenSet {
  readonly id: number;
  readonly mode: ApplyMode;
  readonly user: number;
}

/** Records the planned moves of all files, in order, before any file is touched. */
export async function plan(sql: Sql, changeSet: number, moves: readonly Move[]): Promise<void> {
  const list = moves.map(({ file, target, final, oldHash, newHash }, seq) => ({ file, target, oldHash, newHash, seq, moved: final === target ? null : final }));
  await sql.run(
    `INSERT INTO journal (change_set_id, file_id, target, old_hash, new_hash, state, moved_to, seq)
     SELECT $1, file, target, "oldHash", "newHash", 'planned', moved, seq
     FROM jsonb_to_recordset($2::jsonb) AS n(file int, target text, "oldHash" text, "newHash" text, moved text, seq int)`,
    [changeSet, asRecordset(list)],
  );
}

/** Records that new versions are ready, and which files are written in place. */
export async function noteStaged(db: Db, changeSet: number, moves: readonly Move[]): Promise<void> {
  await db.run(
    `UPDATE journal j SET state = 'staged', in_place = n."inPlace" FROM jsonb_to_recordset($2::jsonb) AS n(file int, "inPlace" boolean)
     WHERE j.change_set_id = $1 AND j.file_id = n.file`,
    [changeSet, asRecordset(moves.map(({ file, inPlace }) => ({ file, inPlace })))],
  );
}

/** Records the end, in the transaction that records the set. */
export async function close(sql: Sql, changeSet: number, done: readonly number[]): Promise<void> {
  await sql.run(`UPDATE journal SET state = CASE WHEN file_id = ANY($2::int[]) THEN 'done' ELSE 'put back' END WHERE change_set_id = $1`, [changeSet, done]);
}

/** The journal of a set, in its order. */
export const journalOf = (sql: Sql, changeSet: number): Promise<JournalRow[]> =>
  sql.all<JournalRow>(
    `SELECT j.change_set_id AS "changeSet", j.file_id AS file, j.target, coalesce(j.moved_to, j.target) AS final, j.old_hash AS "oldHash",
       j.new_hash AS "newHash",
       j.in_place AS "inPlace", f.format
     FROM journal j JOIN files f ON f.id = j.file_id WHERE j.change_set_id = $1 ORDER BY j.seq, j.file_id`,
    [changeSet],
  );

/** Old and new versions of the files that a set has written, by file. */
export async function versionsOf(sql: Sql, changeSet: number): Promise<Map<number, { readonly old: string; readonly fresh: string }>> {
  const found = await sql.all<{ file: number; old: string; fresh: string }>(
    `SELECT file_id AS file, old_hash AS old, new_hash AS fresh FROM journal WHERE change_set_id = $1 AND state = 'done'`,
    [changeSet],
  );
  return new Map(found.map(({ file, ...versions }) => [file, versions]));
}

/** Sets being applied. Under the file lock, these are interrupted ones. */
export const openSets = (sql: Sql): Promise<OpenSet[]> =>
  sql.all<OpenSet>(`SELECT id, mode, user_id AS "user" FROM change_sets WHERE state = 'applying' ORDER BY id`);

/** Recorded sets that may still have files to clean up. */
export const unclearedSets = (sql: Sql): Promise<OpenSet[]> =>
  sql.all<OpenSet>(`SELECT id, mode, user_id AS "user" FROM change_sets WHERE state <> 'applying' AND NOT cleared ORDER BY id`);
