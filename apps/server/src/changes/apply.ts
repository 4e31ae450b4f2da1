import { chmod, readFile, rename, rm, stat } from 'node:fs/promises';
import { basename, dirname, join } from 'node:path';
import { ApplyMode, ApplyReport, ChangeSetRow, LineRow, HistoryQuery } from '@rule/contract';
import { invertLines } from '@rule/core/changes';
import { FileReading } from '@rule/core/files';
import { compileStandIns } from '@rule/core/values';
import { assignClasses } from '../library/classes';
import { recount } from '../library/counts';
import { matchIdentities } from '../library/identities';
import { assignWide } from '../projects/members';
import { ReadFile, storeReadings, takeBesideLines } from '../library/readings';
import { Db, Sql, rows } from '../platform/db';
import { LOCKS } from '../platform/locks';
import { notFound, refused } from '../platform/problem';
import { FileStore, exists, hashOf, keepAs, sync } from '../platform/store';
import { markUsed } from '../schema/series';
import { readSettings } from '../schema/settings';
import { User } from '../users/user';
import { Prepared } from '../threads/prepare';
import { WorkPool } from '../threads/pool';
import { JobContext, UNWATCHED } from '../jobs/jobs';
import { insertLines, linesOf, toLine } from './lines';
import { heldOpen } from './open-files';
import { Trays } from './tray';

/** Points between the steps of applying, in their order. Tests stop the server at each. */
export const STEPS = ['prepared', 'planned', 'staged', 'swapping', 'swapped one', 'swapped', 'recorded'] as const;
export type Step = (typeof STEPS)[number];

interface TargetFile {
  readonly id: number;
  readonly path: string;
  readonly full: string;
  readonly format: string;
  readonly lock: string | null;
  readonly removed: boolean;
}

/** Work that stands in the database alone: values kept beside files whose format Rule cannot write, and those of holders above files. */
const isBeside = (file: Pick<TargetFile, 'format'>) => file.format === 'other' || file.format === 'above';

/** Whether a line gives its file another name. */
const isName = (line: Pick<LineRow, 'place' | 'name'>) => line.place === 'field' && line.name === 'file name';

/** The full path that lines ask of a file; `null` where it keeps its name. */
function newPath(file: TargetFile, lines: readonly LineRow[]): string | null {
  const name = lines.find(isName)?.proposed?.text;
  return name === undefined || name === '' || name === basename(file.full) ? null : join(dirname(file.full), basename(name));
}

interface ReadyFile {
  readonly file: TargetFile;
  /** The full path that the file ends under, where it gets another name. */
  readonly movedTo: string | null;
  readonly lines: readonly LineRow[];
  readonly oldHash: string;
  readonly newHash: string;
  readonly reading: FileReading;
  /** Holders that have another key from now on, old key and new key. */
  readonly moved: readonly (readonly [from: string, to: string])[];
}

interface Failure {
  readonly file: TargetFile;
  readonly lines: readonly LineRow[];
  readonly message: string;
  /** Lines that the failure is about; all lines of the file when empty. */
  readonly conflicts: readonly number[];
  readonly current: Prepared | null;
}

interface JournalRow {
  readonly file: number;
  readonly target: string;
  readonly movedTo: string | null;
  readonly oldHash: string;
  readonly newHash: string;
  readonly format: string;
}

/** What became of a change set that was interrupted. */
export interface Recovered {
  readonly changeSet: number;
  /** `cleared`: all was recorded, and only what was kept for the way back still stood beside the files. */
  readonly outcome: 'finished' | 'put back' | 'partly finished' | 'cleared';
}

/** The new version waits under this name beside its target … */
const stagedName = (target: string, changeSet: number) => join(dirname(target), `.rule-${changeSet}-new-${hashOf(Buffer.from(target)).slice(0, 12)}`);
/** … and the old version is kept under this one until the change set is recorded. */
const keptName = (target: string, changeSet: number) => join(dirname(target), `.rule-${changeSet}-old-${hashOf(Buffer.from(target)).slice(0, 12)}`);

const reasonOf = (error: unknown): string => {
  const code = (error as NodeJS.ErrnoException).code;
  if (code === 'ENOSPC') return 'The disk is full.';
  if (code === 'EACCES' || code === 'EPERM' || code === 'EROFS') return 'The file may not be written.';
  if (code === 'EBUSY' || code === 'ETXTBSY') return 'Another program holds the file open.';
  if (code === 'ENOENT') return 'The file is no longer there.';
  return error instanceof Error ? error.message : String(error);
};

const CHANGE_SET = `SELECT s.id, s.title, u.display_name AS "by", s.at, s.mode, s.state, s.revert_of AS "revertOf", s.reverted_by AS "revertedBy",
    count(l.id)::int AS lines, count(DISTINCT l.file_id)::int AS files
  FROM change_sets s JOIN users u ON u.id = s.user_id LEFT JOIN change_lines l ON l.change_set_id = s.id`;
const ENDED = `s.state IN ('applied', 'partly applied', 'put back')`;

class NameTaken extends Error {
  constructor() {
    super('A file of the new name stands there already.');
  }
}

class ChangedMeanwhile extends Error {
  constructor() {
    super('The file was changed by another program in the meantime.');
  }
}

/**
 * Applies change sets: the one way in which values come into files.
 *
 * Old and new bytes of every file are in the store, and the journal says so, before any file is touched.
 * New versions are then written under temporary names beside their targets, all of them, and only when
 * that has succeeded do they take their targets' places by renaming. A failure puts renamed files back; a
 * crash is finished or put back at the next start from the journal.
 */
export class Applying {
  constructor(
    private readonly db: Db,
    private readonly store: FileStore,
    private readonly pool: WorkPool,
    private readonly trays: Trays,
    private readonly clock: () => Date,
    /** Called before files are checked, to learn anew which files are locked. */
    private readonly refreshLocks: () => Promise<void>,
    private readonly at: (step: Step) => Promise<void> = () => Promise.resolve(),
  ) {}

  /** Applies the accepted lines of a person's tray. */
  async applyTray(user: User, mode: ApplyMode, title: string, context: JobContext = UNWATCHED): Promise<ApplyReport> {
    context.progress('waiting for the files', 0, 0);
    await this.refreshLocks();
    return this.db.exclusive(LOCKS.files, async () => {
      await this.finishInterrupted();
      const set = await this.db.transaction((sql) => this.trays.pendingSet(sql, user));
      const lines = (await linesOf(this.db, set)).filter((line) => line.accepted);
      if (lines.length === 0) throw refused('tray-empty', 'No accepted line waits in your tray.');
      return this.apply(user, mode, title || lines.find((line) => !line.follows)?.reason || 'change', lines, null, null, context);
    });
  }

  /** Applies lines that are in no tray, such as those of a vault's check-in, as a change set of their own. */
  async applyLines(user: User, title: string, lines: Parameters<typeof insertLines>[2], revertOf: number | null = null): Promise<ApplyReport> {
    return this.db.exclusive(LOCKS.files, async () => {
      await this.finishInterrupted();
      const rowsOfSet = await this.db.transaction(async (sql) => {
        const row = await sql.one<{ id: number }>(
          `INSERT INTO change_sets (title, user_id, state, at, mode, revert_of) VALUES ($1, $2, 'put back', $3, 'whole', $4) RETURNING id`,
          [title, user.id, this.clock(), revertOf],
        );
        await insertLines(sql, row!.id, lines);
        return { id: row!.id, lines: await linesOf(sql, row!.id) };
      });
      return this.apply(user, 'whole', title, rowsOfSet.lines, rowsOfSet.id, revertOf);
    });
  }

  /** Applies a change set that is in no tray and was made ready elsewhere. */
  async applySet(user: User, set: number, mode: ApplyMode, title: string, context: JobContext = UNWATCHED): Promise<ApplyReport> {
    context.progress('waiting for the files', 0, 0);
    await this.refreshLocks();
    return this.db.exclusive(LOCKS.files, async () => {
      await this.finishInterrupted();
      await this.db.run('UPDATE change_sets SET mode = $2 WHERE id = $1', [set, mode]);
      return this.apply(user, mode, title, await linesOf(this.db, set), set, null, context);
    });
  }

  /** Undoes a change set by its inverse. Files that nothing else has touched get their old bytes back exactly. */
  async revert(user: User, id: number): Promise<ApplyReport> {
    const set = await this.changeSet(id);
    if (set.state === 'put back') throw refused('nothing-applied', `Change set ${id} was put back; there is nothing to revert.`);
    if (set.revertedBy !== null) throw refused('reverted-already', `Change set ${id} was reverted by change set ${set.revertedBy}.`);
    await this.refreshLocks();
    const applied = (await linesOf(this.db, id)).filter((line) => line.state === 'applied');
    return this.applyLines(user, `revert of ${set.title}`, invertLines(applied.map(toLine), `reverts change set ${id}`), id);
  }

  /** Change sets that were applied or put back, the newest first: those older than `before`, or the newest of all. */
  history({ before, limit }: HistoryQuery): Promise<ChangeSetRow[]> {
    return this.db.all<ChangeSetRow>(
      `${CHANGE_SET} WHERE s.id IN (SELECT s.id FROM change_sets s WHERE ${ENDED} AND ($1::int IS NULL OR s.id < $1) ORDER BY s.id DESC LIMIT $2)
       GROUP BY s.id, u.display_name ORDER BY s.id DESC`,
      [before ?? null, limit],
    );
  }

  /** One of them, by its number. @throws AppError when there is none */
  async changeSet(id: number): Promise<ChangeSetRow> {
    const set = await this.db.one<ChangeSetRow>(`${CHANGE_SET} WHERE s.id = $1 AND ${ENDED} GROUP BY s.id, u.display_name`, [id]);
    if (!set) throw notFound(`Change set ${id}`);
    return set;
  }

  /** The lines of a change set that is no one's tray. */
  async lines(id: number): Promise<LineRow[]> {
    if (!(await this.db.one(`SELECT 1 FROM change_sets WHERE id = $1 AND state <> 'pending'`, [id]))) throw notFound(`Change set ${id}`);
    return linesOf(this.db, id);
  }

  private async targets(ids: readonly number[]): Promise<Map<number, TargetFile>> {
    const found = await this.db.all<{ id: number; path: string; root: string | null; format: string; lock: string | null; removed: boolean }>(
      'SELECT f.id, f.path, f.format, l.root, f.lock_reason AS lock, f.removed FROM targets f LEFT JOIN libraries l ON l.id = f.library_id WHERE f.id = ANY($1::int[])',
      [ids],
    );
    return new Map(found.map(({ root, ...file }) => [file.id, { ...file, full: root === null ? '' : join(root, file.path) }]));
  }

  /** Applies lines. Those of a tray move into a set of their own; `ownSet` names the set of lines that have one. Runs under the files' lock. */
  private async apply(
    user: User,
    mode: ApplyMode,
    title: string,
    lines: readonly LineRow[],
    ownSet: number | null,
    revertOf: number | null = null,
    context: JobContext = UNWATCHED,
  ): Promise<ApplyReport> {
    const byFile = new Map<number, LineRow[]>();
    for (const line of lines) byFile.set(line.file, [...(byFile.get(line.file) ?? []), line]);
    const targets = await this.targets([...byFile.keys()]);
    const exact = new Map(
      revertOf === null
        ? []
        : (
            await this.db.all<{ file: number; from: string; to: string }>(
              `SELECT file_id AS file, new_hash AS "from", old_hash AS "to" FROM journal WHERE change_set_id = $1 AND state = 'done'`,
              [revertOf],
            )
          ).map((row) => [row.file, row] as const),
    );

    const ready: ReadyFile[] = [];
    const failures: Failure[] = [];
    const open = await heldOpen([...targets.values()].filter((file) => !isBeside(file)).map((file) => file.full));
    let prepared = 0;
    const clashing = await this.besideConflicts(lines.filter((line) => isBeside(targets.get(line.file)!)));
    await Promise.all(
      [...byFile].map(async ([id, fileLines]) => {
        const file = targets.get(id)!;
        const lock = file.lock ?? open.get(file.full) ?? null;
        if (file.removed || lock !== null) {
          failures.push({
            file,
            lines: fileLines,
            message: file.removed ? 'It is no longer in the library.' : `The file ${lock}.`,
            conflicts: [],
            current: null,
          });
          return;
        }
        if (context.signal.aborted) return;
        if (isBeside(file)) {
          const conflicts = fileLines.filter((line) => clashing.has(line.id)).map((line) => line.id);
          if (conflicts.length) failures.push({ file, lines: fileLines, message: 'The value was changed by someone else.', conflicts, current: null });
          else ready.push({ file, lines: fileLines, oldHash: '', newHash: '', reading: BESIDE, moved: [], movedTo: null });
        } else {
          const movedTo = newPath(file, fileLines);
          const made = await this.pool.run('prepareFile', { full: file.full, format: file.format, lines: fileLines, exact: exact.get(id) ?? null });
          if (made.ok) ready.push({ file, lines: fileLines, oldHash: made.oldHash, newHash: made.newHash, reading: made.reading, moved: made.moved, movedTo });
          else failures.push({ file, lines: fileLines, message: made.message, conflicts: made.conflicts, current: made });
        }
        context.progress('preparing files', ++prepared, byFile.size);
      }),
    );
    // The last point at which giving up leaves no trace.
    context.check();
    await this.at('prepared');
    await this.refreshReadings(failures);
    await this.refuseTaken(ready, failures);
    if (ready.length === 0 || (failures.length > 0 && mode === 'whole')) return this.nothingDone(lines, ownSet, failures);

    const changeSet = await this.db.transaction(async (sql) => {
      let id = ownSet;
      if (id === null) {
        id = (await sql.one<{ id: number }>(
          `INSERT INTO change_sets (title, user_id, state, mode, at, from_tray, cleared) VALUES ($1, $2, 'applying', $3, $4, true, false) RETURNING id`,
          [title, user.id, mode, this.clock()],
        ))!.id;
        // What was undone before an apply cannot be brought back by it.
        await sql.run(`DELETE FROM tray_steps t USING change_sets s WHERE s.id = t.change_set_id AND s.user_id = $1 AND s.state = 'pending'`, [user.id]);
        await sql.run('UPDATE change_lines SET change_set_id = $1, message = NULL WHERE id = ANY($2::int[])', [
          id,
          ready.flatMap((file) => file.lines.map((line) => line.id)),
        ]);
      } else await sql.run(`UPDATE change_sets SET state = 'applying', cleared = false WHERE id = $1`, [id]);
      const journal = ready
        .filter(({ file }) => !isBeside(file))
        .map(({ file, oldHash, newHash, movedTo }) => ({ file: file.id, target: file.full, old: oldHash, new: newHash, moved: movedTo }));
      await sql.run(
        `INSERT INTO journal (change_set_id, file_id, target, old_hash, new_hash, state, moved_to)
         SELECT $1, file, target, old, new, 'planned', moved FROM jsonb_to_recordset($2::jsonb) AS n(file int, target text, old text, new text, moved text)`,
        [id, rows(journal)],
      );
      return id;
    });
    await this.at('planned');
    const done = await this.write(changeSet, ready, mode, failures, context);
    await this.record(changeSet, done, failures.length > 0);
    await this.at('recorded');
    await this.returnFailed(user, changeSet, failures);
    await this.cleanUp(
      changeSet,
      ready.filter(({ file }) => !isBeside(file)).map(({ file }) => file.full),
    );
    return this.report(changeSet, done, failures);
  }

  /** Writes the new versions. Returns the files that stand; adds to `failures` those that do not. */
  private async write(changeSet: number, all: readonly ReadyFile[], mode: ApplyMode, failures: Failure[], context: JobContext): Promise<ReadyFile[]> {
    const ready = all.filter(({ file }) => !isBeside(file));
    const beside = all.filter(({ file }) => isBeside(file));
    const fail = (entry: ReadyFile, error: unknown) =>
      failures.push({ file: entry.file, lines: entry.lines, message: reasonOf(error), conflicts: [], current: null });
    let staged: ReadyFile[] = [];
    for (const entry of ready) {
      try {
        await this.stage(changeSet, entry);
        staged.push(entry);
      } catch (error) {
        fail(entry, error);
        if (mode === 'whole') {
          staged = [];
          break;
        }
      }
    }
    await this.journalState(
      changeSet,
      staged.map(({ file }) => file.id),
      'staged',
    );
    await this.at('staged');
    const swapped: ReadyFile[] = [];
    // Files that change places with one another all give their names up before any of them takes its new one.
    const renamed = staged.filter(({ movedTo }) => movedTo !== null);
    await this.journalState(
      changeSet,
      renamed.map(({ file }) => file.id),
      'swapping',
    );
    const free: ReadyFile[] = [];
    for (const entry of renamed) {
      try {
        await this.setAside(changeSet, entry.file.full, entry.oldHash);
        free.push(entry);
      } catch (error) {
        fail(entry, error);
        if (mode === 'file by file') continue;
        for (const done of free) await this.putBack(changeSet, done.file.full, done.oldHash, done.newHash, done.movedTo);
        return [];
      }
    }
    for (const entry of staged.filter(({ movedTo }) => movedTo === null || free.some((other) => other.movedTo === movedTo))) {
      try {
        await this.journalState(changeSet, [entry.file.id], 'swapping');
        await this.at('swapping');
        if (entry.movedTo === null) await this.swap(changeSet, entry.file.full, entry.oldHash);
        else await this.takeName(changeSet, entry.file.full, entry.movedTo);
        swapped.push(entry);
        context.progress('writing files', swapped.length, staged.length);
        await this.journalState(changeSet, [entry.file.id], 'swapped');
        await this.at('swapped one');
      } catch (error) {
        fail(entry, error);
        if (mode === 'file by file') {
          if (entry.movedTo !== null) await this.putBack(changeSet, entry.file.full, entry.oldHash, entry.newHash, entry.movedTo);
          continue;
        }
        for (const done of new Set([...swapped, ...free])) await this.putBack(changeSet, done.file.full, done.oldHash, done.newHash, done.movedTo);
        return [];
      }
    }
    await this.at('swapped');
    return mode === 'whole' && failures.length > 0 ? [] : [...swapped, ...beside];
  }

  private async stage(changeSet: number, { file, newHash }: ReadyFile): Promise<void> {
    const temp = stagedName(file.full, changeSet);
    const { mode } = await stat(file.full);
    await this.store.copyTo(newHash, temp);
    await chmod(temp, mode);
  }

  private async swap(changeSet: number, target: string, oldHash: string): Promise<void> {
    if (hashOf(await readFile(target)) !== oldHash) throw new ChangedMeanwhile();
    await keepAs(target, keptName(target, changeSet));
    await rename(stagedName(target, changeSet), target);
    await sync(dirname(target));
  }

  /** Gives a file's name up: its old version waits under the name that it is kept under. */
  private async setAside(changeSet: number, target: string, oldHash: string): Promise<void> {
    if (hashOf(await readFile(target)) !== oldHash) throw new ChangedMeanwhile();
    await rename(target, keptName(target, changeSet));
    await sync(dirname(target));
  }

  /** Puts a new version under its new name, where nothing may stand. */
  private async takeName(changeSet: number, target: string, movedTo: string): Promise<void> {
    if (await exists(movedTo)) throw new NameTaken();
    await rename(stagedName(target, changeSet), movedTo);
    await sync(dirname(movedTo));
  }

  /** Puts a file's old version back, from the name it was kept under or else from the store. Leaves files alone that hold neither version. */
  private async putBack(changeSet: number, target: string, oldHash: string, newHash: string, movedTo: string | null): Promise<void> {
    if (movedTo !== null) {
      const came = (await exists(movedTo)) && hashOf(await readFile(movedTo)) === newHash && (await exists(keptName(target, changeSet)));
      if (came) await rm(movedTo);
      if (await exists(keptName(target, changeSet))) await rename(keptName(target, changeSet), target);
      await sync(dirname(target));
      return;
    }
    if (!(await exists(target)) || hashOf(await readFile(target)) !== newHash) return;
    const kept = keptName(target, changeSet);
    if (!(await exists(kept))) await this.store.copyTo(oldHash, kept);
    await rename(kept, target);
    await sync(dirname(target));
  }

  private async journalState(changeSet: number, files: readonly number[], state: string): Promise<void> {
    await this.db.run('UPDATE journal SET state = $3 WHERE change_set_id = $1 AND file_id = ANY($2::int[])', [changeSet, files, state]);
  }

  /** Records what happened, in one transaction: values as they now are, lines, the set, the journal. */
  private async record(
    changeSet: number,
    done: readonly {
      readonly file: Pick<TargetFile, 'id' | 'full' | 'format'>;
      readonly newHash: string;
      readonly reading: FileReading;
      readonly moved: ReadyFile['moved'];
      readonly movedTo: string | null;
    }[],
    partly: boolean,
  ): Promise<void> {
    const read = await Promise.all(
      done
        .filter(({ file }) => !isBeside(file))
        .map(async ({ file, newHash, reading, movedTo }): Promise<ReadFile> => {
          const { size, mtimeMs } = await stat(movedTo ?? file.full);
          return { id: file.id, size, mtimeMs, hash: newHash, reading, problem: null };
        }),
    );
    const ids = done.map(({ file }) => file.id);
    const beside = done.filter(({ file }) => isBeside(file)).map(({ file }) => file.id);
    const standIns = compileStandIns((await readSettings(this.db)).standIns);
    await this.db.transaction(async (sql) => {
      await renameFiles(
        sql,
        done.flatMap(({ file, movedTo }) => (movedTo === null ? [] : [{ id: file.id, name: basename(movedTo) }])),
      );
      await storeReadings(sql, read, standIns);
      await moveLines(
        sql,
        done.map(({ file, moved }) => ({ file: file.id, moved })),
      );
      if (beside.length) await this.recordBeside(sql, changeSet, beside, standIns);
      await sql.run(`UPDATE change_lines SET state = 'applied' WHERE change_set_id = $1 AND file_id = ANY($2::int[])`, [changeSet, ids]);
      await sql.run(`UPDATE journal SET state = CASE WHEN file_id = ANY($2::int[]) THEN 'done' ELSE 'put back' END WHERE change_set_id = $1`, [changeSet, ids]);
      await sql.run('UPDATE change_sets SET state = $2 WHERE id = $1', [changeSet, done.length === 0 ? 'put back' : partly ? 'partly applied' : 'applied']);
      await sql.run(`UPDATE change_sets o SET reverted_by = s.id FROM change_sets s WHERE s.id = $1 AND s.state = 'applied' AND o.id = s.revert_of`, [
        changeSet,
      ]);
      const { modelProperty } = await readSettings(sql);
      // Only these values say which file stands for what.
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

  /** Files whose new name is taken by one that keeps it are not written. */
  private async refuseTaken(ready: ReadyFile[], failures: Failure[]): Promise<void> {
    const leaving = new Set(ready.filter(({ movedTo }) => movedTo !== null).map(({ file }) => file.full));
    const taken = new Map<string, number>();
    for (const { movedTo } of ready) if (movedTo !== null) taken.set(movedTo, (taken.get(movedTo) ?? 0) + 1);
    for (const entry of [...ready]) {
      if (entry.movedTo === null) continue;
      const stands = !leaving.has(entry.movedTo) && (await exists(entry.movedTo));
      if (!stands && taken.get(entry.movedTo) === 1) continue;
      ready.splice(ready.indexOf(entry), 1);
      failures.push({ file: entry.file, lines: entry.lines, message: new NameTaken().message, conflicts: [], current: null });
    }
  }

  /** Lines to values kept beside files whose base is no longer what stands there. */
  private async besideConflicts(lines: readonly LineRow[]): Promise<Set<number>> {
    if (lines.length === 0) return new Set();
    const found = await this.db.all<{ id: number }>(
      `SELECT l.id FROM change_lines l LEFT JOIN beside_values b ON b.file_id = l.file_id AND b.name = l.name WHERE l.id = ANY($1::int[])
         AND coalesce(b.text, '') <> coalesce(l.base->>'text', '') AND coalesce(b.text, '') <> coalesce(l.proposed->>'text', '')`,
      [lines.map((line) => line.id)],
    );
    return new Set(found.map((row) => row.id));
  }

  /** Writes values that are kept beside files, in the transaction that records the change set. */
  private async recordBeside(sql: Sql, changeSet: number, files: readonly number[], standIns: Parameters<typeof takeBesideLines>[3]): Promise<void> {
    await sql.run(
      `DELETE FROM beside_values b USING change_lines l WHERE l.change_set_id = $1 AND l.file_id = ANY($2::int[]) AND l.place = 'property' AND b.file_id = l.file_id AND b.name = l.name`,
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

  /** Puts lines that were not applied back into the tray they came from, with the reason. */
  private async returnFailed(owner: Pick<User, 'id'>, changeSet: number, failures: readonly Failure[], message: string | null = null): Promise<void> {
    await this.db.transaction(async (sql) => {
      const left = await sql.all<{ id: number }>(
        `SELECT l.id FROM change_lines l JOIN change_sets s ON s.id = l.change_set_id WHERE s.id = $1 AND s.from_tray AND l.state <> 'applied'`,
        [changeSet],
      );
      await this.toTray(
        sql,
        owner,
        left.map((line) => line.id),
      );
      if (message !== null) await sql.run('UPDATE change_lines SET message = $2 WHERE id = ANY($1::int[])', [left.map((line) => line.id), message]);
    });
    await this.markFailures(failures);
  }

  private async toTray(sql: Sql, user: Pick<User, 'id'>, ids: readonly number[]): Promise<void> {
    if (ids.length === 0) return;
    const tray = await this.trays.pendingSet(sql, user);
    // A line that the person has typed anew in the meantime stays; the returning one gives way to it.
    await sql.run(
      `UPDATE change_lines l SET change_set_id = $1, state = 'pending' WHERE l.id = ANY($2::int[])
         AND NOT EXISTS (SELECT 1 FROM change_lines o WHERE o.change_set_id = $1 AND o.file_id = l.file_id AND o.holder = l.holder AND o.place = l.place AND o.name = l.name)`,
      [tray, ids],
    );
  }

  private async markFailures(failures: readonly Failure[]): Promise<void> {
    const marks = failures.flatMap(({ lines, message, conflicts }) =>
      lines.filter((line) => conflicts.length === 0 || conflicts.includes(line.id)).map((line) => ({ id: line.id, message })),
    );
    await this.db.run('UPDATE change_lines l SET message = n.message FROM jsonb_to_recordset($1::jsonb) AS n(id int, message text) WHERE l.id = n.id', [
      rows(marks),
    ]);
  }

  /** Files that turned out to hold something else than was last read are stored as they are. */
  private async refreshReadings(failures: readonly Failure[]): Promise<void> {
    const read: ReadFile[] = [];
    for (const { file, current } of failures) {
      if (!current || current.ok || !current.current || current.oldHash === null) continue;
      const { size, mtimeMs } = await stat(file.full);
      read.push({ id: file.id, size, mtimeMs, hash: current.oldHash, reading: current.current, problem: null });
    }
    const standIns = compileStandIns((await readSettings(this.db)).standIns);
    await this.db.transaction((sql) => storeReadings(sql, read, standIns));
  }

  private async nothingDone(lines: readonly LineRow[], ownSet: number | null, failures: readonly Failure[]): Promise<ApplyReport> {
    await this.markFailures(failures);
    return { changeSet: ownSet ?? 0, state: 'put back', applied: 0, failed: lines.length, files: 0, failures: describeFailures(failures) };
  }

  private report(changeSet: number, done: readonly ReadyFile[], failures: readonly Failure[]): ApplyReport {
    const count = (list: readonly { readonly lines: readonly LineRow[] }[]) => list.reduce((sum, entry) => sum + entry.lines.length, 0);
    return {
      changeSet,
      state: done.length === 0 ? 'put back' : failures.length ? 'partly applied' : 'applied',
      applied: count(done),
      failed: count(failures),
      files: done.length,
      failures: describeFailures(failures),
    };
  }

  private async cleanUp(changeSet: number, targets: readonly string[]): Promise<void> {
    for (const target of targets) {
      await rm(stagedName(target, changeSet), { force: true });
      await rm(keptName(target, changeSet), { force: true });
    }
    await this.db.run('UPDATE change_sets SET cleared = true WHERE id = $1', [changeSet]);
  }

  /**
   * Finishes or puts back every change set that a crash left between its steps. Run before the server
   * answers. Returns what was done, for the log.
   */
  async recover(): Promise<Recovered[]> {
    return this.db.exclusive(LOCKS.files, () => this.finishInterrupted());
  }

  /** Under the files' lock nobody else is applying: a set that still is *applying* was interrupted. */
  private async finishInterrupted(): Promise<Recovered[]> {
    const sets = await this.db.all<{ id: number; mode: ApplyMode; user: number }>(
      `SELECT id, mode, user_id AS "user" FROM change_sets WHERE state = 'applying' ORDER BY id`,
    );
    const outcomes: Recovered[] = [];
    for (const set of sets) outcomes.push({ changeSet: set.id, outcome: await this.recoverOne(set.id, set.mode, set.user) });
    const recorded = await this.db.all<{ id: number; user: number }>('SELECT id, user_id AS "user" FROM change_sets WHERE NOT cleared ORDER BY id');
    for (const { id, user } of recorded) {
      await this.returnFailed({ id: user }, id, []);
      const targets = await this.db.all<{ target: string }>('SELECT target FROM journal WHERE change_set_id = $1', [id]);
      await this.cleanUp(
        id,
        targets.map((row) => row.target),
      );
      outcomes.push({ changeSet: id, outcome: 'cleared' });
    }
    return outcomes;
  }

  private async recoverOne(changeSet: number, mode: ApplyMode, userId: number): Promise<Recovered['outcome']> {
    const journal = await this.db.all<JournalRow>(
      'SELECT j.file_id AS file, j.target, j.moved_to AS "movedTo", j.old_hash AS "oldHash", j.new_hash AS "newHash", f.format FROM journal j JOIN files f ON f.id = j.file_id WHERE j.change_set_id = $1',
      [changeSet],
    );
    const stands = new Map<number, boolean>();
    for (const row of journal) stands.set(row.file, await this.finish(changeSet, row));
    const broken = [...stands.values()].some((stood) => !stood);
    for (const row of journal)
      if (broken && (mode === 'whole' || (row.movedTo !== null && !stands.get(row.file))))
        await this.putBack(changeSet, row.target, row.oldHash, row.newHash, row.movedTo);
    const done = broken && mode === 'whole' ? [] : journal.filter((row) => stands.get(row.file));
    const beside = broken && mode === 'whole' ? [] : await this.besideOf(changeSet);
    const outcomes = done.length
      ? await this.pool.run('readFiles', { paths: done.map((row) => ({ path: row.target, full: row.movedTo ?? row.target, format: row.format })) })
      : [];
    const moved = await this.movedOf(changeSet, done);
    await this.record(
      changeSet,
      [
        ...done.map((row, i) => ({
          file: { id: row.file, full: row.target, format: row.format },
          newHash: row.newHash,
          reading: outcomes[i]!.reading ?? BESIDE,
          moved: moved.get(row.file) ?? [],
          movedTo: row.movedTo,
        })),
        // Values beside files have no journal: they are recorded with the set or not at all.
        ...beside,
      ],
      broken,
    );
    await this.returnFailed({ id: userId }, changeSet, [], 'The server stopped while this was applied, and the file was changed by another program.');
    await this.cleanUp(
      changeSet,
      journal.map((row) => row.target),
    );
    return done.length + beside.length === 0 ? 'put back' : broken ? 'partly finished' : 'finished';
  }

  /** Holders that an interrupted set moved, by file: only fields can. */
  private async movedOf(changeSet: number, done: readonly JournalRow[]): Promise<Map<number, ReadyFile['moved']>> {
    const fields = await this.db.all<{ file: number }>(`SELECT DISTINCT file_id AS file FROM change_lines WHERE change_set_id = $1 AND place = 'field'`, [
      changeSet,
    ]);
    const touched = new Set(fields.map((row) => row.file));
    const moved = new Map<number, ReadyFile['moved']>();
    for (const { file, format, oldHash, newHash } of done)
      if (touched.has(file)) moved.set(file, await this.pool.run('movedIn', { format, from: oldHash, to: newHash }));
    return moved;
  }

  private async besideOf(
    changeSet: number,
  ): Promise<{ file: Pick<TargetFile, 'id' | 'full' | 'format'>; newHash: string; reading: FileReading; moved: []; movedTo: null }[]> {
    const files = await this.db.all<{ id: number }>(
      `SELECT DISTINCT f.id FROM change_lines l JOIN targets f ON f.id = l.file_id AND f.format IN ('other', 'above') WHERE l.change_set_id = $1 AND l.accepted`,
      [changeSet],
    );
    return files.map(({ id }) => ({ file: { id, full: '', format: 'other' }, newHash: '', reading: BESIDE, moved: [], movedTo: null }));
  }

  /** Brings one file that gets another name to its new version under that name. */
  private async finishRename(changeSet: number, target: string, movedTo: string, oldHash: string, newHash: string): Promise<boolean> {
    const kept = keptName(target, changeSet);
    if ((await exists(movedTo)) && hashOf(await readFile(movedTo)) === newHash && !(await exists(stagedName(target, changeSet)))) return true;
    if (!(await exists(kept))) await this.setAside(changeSet, target, oldHash);
    await this.store.copyTo(newHash, stagedName(target, changeSet));
    await chmod(stagedName(target, changeSet), (await stat(kept)).mode);
    await this.takeName(changeSet, target, movedTo);
    return true;
  }

  /** Brings one file of an interrupted set to its new version. False when it holds neither version or cannot be written. */
  private async finish(changeSet: number, { target, movedTo, oldHash, newHash }: JournalRow): Promise<boolean> {
    try {
      if (movedTo !== null) return await this.finishRename(changeSet, target, movedTo, oldHash, newHash);
      const hash = hashOf(await readFile(target));
      if (hash === newHash) return true;
      if (hash !== oldHash) return false;
      await this.store.copyTo(newHash, stagedName(target, changeSet));
      await chmod(stagedName(target, changeSet), (await stat(target)).mode);
      await this.swap(changeSet, target, oldHash);
      return true;
    } catch {
      return false;
    }
  }
}

/** Lines of all change sets follow holders that got another key: they are about the same copy, body or occurrence as before. */
async function moveLines(sql: Sql, files: readonly { readonly file: number; readonly moved: ReadyFile['moved'] }[]): Promise<void> {
  const moves = files.flatMap(({ file, moved }) => moved.map(([from, to]) => ({ file, from, to })));
  if (moves.length === 0) return;
  // Keys may have changed places, and no two lines of a set may be about one value in between. A line about a holder that is gone stays where it is.
  const bind = [rows(moves)];
  const found = await sql.all<{ id: number; to: string }>(
    `SELECT l.id, n."to" FROM jsonb_to_recordset($1::jsonb) AS n(file int, "from" text, "to" text) JOIN change_lines l ON l.file_id = n.file AND l.holder = n."from"
     WHERE NOT EXISTS (SELECT 1 FROM change_lines o WHERE (o.change_set_id, o.file_id, o.holder, o.place, o.name) = (l.change_set_id, l.file_id, n."to", l.place, l.name)
       AND NOT EXISTS (SELECT 1 FROM jsonb_to_recordset($1::jsonb) AS m(file int, "from" text) WHERE m.file = o.file_id AND m."from" = o.holder))`,
    bind,
  );
  await sql.run(`UPDATE change_lines SET holder = chr(1) || id WHERE id = ANY($1::int[])`, [found.map((row) => row.id)]);
  await sql.run('UPDATE change_lines l SET holder = n."to" FROM jsonb_to_recordset($1::jsonb) AS n(id int, "to" text) WHERE l.id = n.id', [rows(found)]);
}

/** Writes the new names of files, which may have changed places with one another. */
async function renameFiles(sql: Sql, files: readonly { readonly id: number; readonly name: string }[]): Promise<void> {
  if (files.length === 0) return;
  const list = rows(files);
  const wanted = `SELECT f.id, f.library_id, CASE WHEN f.folder = '' THEN n.name ELSE f.folder || '/' || n.name END AS path, n.name
    FROM jsonb_to_recordset($1::jsonb) AS n(id int, name text) JOIN files f ON f.id = n.id`;
  // A file that is gone may still be known under the name.
  await sql.run(
    `UPDATE files f SET path = f.path || ' (gone, ' || f.id || ')' FROM (${wanted}) w WHERE f.library_id = w.library_id AND f.path = w.path AND f.removed`,
    [list],
  );
  const paths = await sql.all<{ id: number; path: string; name: string }>(wanted, [list]);
  await sql.run(`UPDATE files SET path = path || chr(1) || id WHERE id = ANY($1::int[])`, [paths.map((row) => row.id)]);
  await sql.run('UPDATE files f SET path = n.path, name = n.name FROM jsonb_to_recordset($1::jsonb) AS n(id int, path text, name text) WHERE f.id = n.id', [
    rows(paths),
  ]);
}

/** Stands for the reading of a file whose values are kept beside it. */
const BESIDE: FileReading = { format: 'other', version: '', kind: 'other', holders: [], structure: null, blocks: [], inserts: [], sheets: [], problems: [] };

const describeFailures = (failures: readonly Failure[]) => failures.map(({ file, message }) => ({ path: file.path, message }));
