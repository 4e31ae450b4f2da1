import { stat } from 'node:fs/promises';
import { basename, dirname, join } from 'node:path';
import { ApplyMode, ApplyReport, ChangeSetRow, HistoryQuery, LineRow } from '@rule/contract';
import { Line, addressKey, invertLines } from '@rule/core/changes';
import { CarriedBlock } from '@rule/core/files';
import { compileStandIns } from '@rule/core/values';
import { Locks } from './locks';
import { JobContext, UNWATCHED } from '../jobs/jobs';
import { definitionKey } from '../library/carried';
import { ReadFile, storeReadings } from '../library/readings';
import { unfinishedFiles } from '../library/unfinished';
import { Db, Held, LockLost, isConnectionError } from '../platform/db';
import { LOCKS, TAKE_LOCK } from '../platform/locks';
import { AppError, notFound, refused } from '../platform/problem';
import { FileStore, Waiting, exists } from '../platform/store';
import { readSettings } from '../platform/settings';
import { WorkPool } from '../platform/pool';
import { Prepared, PreparedLine } from './prepare.thread';
import { User } from '../users/user';
import { noteStaged, plan, versionsOf } from './journal';
import { asAccepted, insertLines, linesOf, toLine, typedLines } from './lines';
import { heldOpen } from './open-files';
import { Failure, Recorder, Written, besideConflicts } from './record';
import { BESIDE, Recovered, Recovery } from './recover';
import { Move, NameTaken, Swap, SwapHooks } from './swap';
import { Trays } from './tray';

/** Points between the steps of applying, in order. Tests stop the server at each. */
export const STEPS = ['prepared', 'planned', 'staged', 'set aside one', 'swapping', 'swapped one', 'swapped', 'recorded'] as const;
export type Step = (typeof STEPS)[number];

interface TargetFile {
  readonly id: number;
  readonly path: string;
  readonly full: string;
  readonly format: string;
  readonly lock: string | null;
  readonly removed: boolean;
}

/** Targets stored in the database only: values kept beside files that Rule cannot write, and holders above files. */
const isBeside = (file: Pick<TargetFile, 'format'>) => file.format === 'other' || file.format === 'above';

/** Whether a line renames its file. */
const isName = (line: Pick<LineRow, 'place' | 'name'>) => line.place === 'field' && line.name === 'file name';

/** The full path of a file after its lines are applied. */
function finalPath(file: TargetFile, lines: readonly LineRow[]): string {
  const name = lines.find(isName)?.proposed?.text;
  return name === undefined || name === '' ? file.full : join(dirname(file.full), basename(name));
}

/** A file whose new version is in the store. */
interface ReadyFile extends Omit<Written, 'stands' | 'renamed' | 'hash'> {
  readonly target: TargetFile;
  readonly lines: readonly LineRow[];
  /** The move on disk; `null` if its values are only in the database. */
  readonly move: Omit<Move, 'changeSet'> | null;
}

interface FileFailure extends Failure {
  readonly file: TargetFile;
  readonly current: Prepared | null;
}

/** From this number of files on, their versions are synced to disk together. */
const MANY_FILES = 64;

/** Reason why files of a restored copy are not written, after "The file …". */
const UNCONFIRMED = 'is in a restored library; an administrator must confirm its folder in Settings first';

const reasonOf = (error: unknown): string => {
  const code = (error as NodeJS.ErrnoException).code;
  if (code === 'ENOSPC') return 'The disk is full.';
  if (code === 'EACCES' || code === 'EPERM' || code === 'EROFS') return 'No permission to write the file.';
  if (code === 'EBUSY' || code === 'ETXTBSY') return 'Another program holds the file open.';
  if (code === 'ENOENT') return 'The file no longer exists.';
  return error instanceof Error ? error.message : String(error);
};

const CHANGE_SET = `SELECT s.id, s.title, u.display_name AS "by", s.at, s.mode, s.state, s.revert_of AS "revertOf", s.reverted_by AS "revertedBy",
    s.recovery_problem AS problem, count(l.id)::int AS lines, count(DISTINCT l.file_id)::int AS files
  FROM change_sets s JOIN users u ON u.id = s.user_id LEFT JOIN change_lines l ON l.change_set_id = s.id`;
const SHOWN = `s.state IN ('applying', 'applied', 'partly applied', 'put back')`;

/**
 * Applies change sets: the one way in which values come into files.
 *
 * Old and new bytes of every file are in the store, and the journal says so, before any file is touched.
 * New versions are then written under temporary names beside their targets, all of them, and only when
 * that has succeeded do they take their targets' places ({@link Swap}). A failure puts swapped files back; what a
 * crash or a lost database leaves is finished or put back from the journal ({@link Recovery}).
 */
export class Applying {
  private readonly swap: Swap;
  private readonly recorder: Recorder;
  readonly recovery: Recovery;

  constructor(
    private readonly db: Db,
    private readonly store: FileStore,
    private readonly pool: WorkPool,
    private readonly trays: Trays,
    private readonly clock: () => Date,
    private readonly locks: Locks,
    private readonly at: (step: Step) => Promise<void> = () => Promise.resolve(),
    private readonly warn: (problem: unknown) => void = () => undefined,
  ) {
    this.swap = new Swap(store);
    this.recorder = new Recorder(db, trays);
    this.recovery = new Recovery(db, this.swap, pool, this.recorder, warn);
  }

  /** Runs work that writes files, exclusively; interrupted sets are finished first. */
  private underLock<T>(work: (held: Held) => Promise<T>): Promise<T> {
    return this.db.exclusive(LOCKS.files, async (held) => {
      await this.recovery.finishInterrupted(held);
      return work(held);
    });
  }

  /** Applies the accepted lines of a person's tray. */
  async applyTray(user: User, mode: ApplyMode, title: string, context: JobContext = UNWATCHED): Promise<ApplyReport> {
    context.progress('waiting for the files', 0, 0);
    await this.locks.refresh();
    return this.underLock(async (held) => {
      const set = await this.db.transaction((sql) => this.trays.pendingSet(sql, user));
      const lines = (await linesOf(this.db, set)).filter((line) => line.accepted);
      if (lines.length === 0) throw trayEmpty();
      return this.apply(
        held,
        user,
        mode,
        title || lines.find((line) => !line.follows)?.reason || 'change',
        lines,
        null,
        null,
        await this.closed(user, set),
        context,
      );
    });
  }

  /**
   * Lines of a set that the user may not write any more: what was allowed when a line was made is judged again by the schema in force.
   * @returns reasons by the number of the line
   */
  private async closed(user: User, set: number): Promise<ReadonlyMap<number, string>> {
    const lines = await typedLines(this.db, set);
    if (lines.length === 0) return new Map();
    const refusals = await this.trays.refusals(user, lines.map(toLine));
    return new Map(
      lines.flatMap((line) => {
        const refusal = refusals.get(addressKey(toLine(line).address));
        return refusal ? [[line.id, refusal.reason] as const] : [];
      }),
    );
  }

  /** @throws AppError if the user's tray has no accepted line */
  async checkTray(user: User): Promise<void> {
    const waits = await this.db.one(
      `SELECT 1 FROM change_lines l JOIN change_sets s ON s.id = l.change_set_id WHERE s.user_id = $1 AND s.state = 'pending' AND l.accepted LIMIT 1`,
      [user.id],
    );
    if (!waits) throw trayEmpty();
  }

  /** Applies lines outside any tray, such as those of a check-in, as a change set of their own. */
  async applyLines(user: User, title: string, lines: readonly Line[], revertOf: number | null = null, context: JobContext = UNWATCHED): Promise<ApplyReport> {
    return this.underLock(async (held) => {
      const set = await this.db.transaction(async (sql) => {
        const row = await sql.one<{ id: number }>(
          `INSERT INTO change_sets (title, user_id, state, at, mode, revert_of) VALUES ($1, $2, 'put back', $3, 'whole', $4) RETURNING id`,
          [title, user.id, this.clock(), revertOf],
        );
        await insertLines(sql, row!.id, lines.map(asAccepted));
        return { id: row!.id, lines: await linesOf(sql, row!.id) };
      });
      return this.apply(held, user, 'whole', title, set.lines, set.id, revertOf, new Map(), context);
    });
  }

  /** Applies a change set that was prepared outside the tray. */
  async applySet(user: User, set: number, mode: ApplyMode, title: string, context: JobContext = UNWATCHED): Promise<ApplyReport> {
    context.progress('waiting for the files', 0, 0);
    await this.locks.refresh();
    return this.underLock(async (held) => {
      await this.db.run('UPDATE change_sets SET mode = $2 WHERE id = $1', [set, mode]);
      return this.apply(held, user, mode, title, await linesOf(this.db, set), set, null, await this.closed(user, set), context);
    });
  }

  /** @throws AppError with the reason if a change set cannot be reverted */
  async checkRevert(id: number): Promise<ChangeSetRow> {
    const set = await this.changeSet(id);
    if (set.state === 'applying') throw refused('still-applying', `Change set ${id} is not finished yet.`);
    if (set.state === 'put back') throw refused('nothing-applied', `Change set ${id} was rolled back; there is nothing to revert.`);
    if (set.revertedBy !== null) throw refused('reverted-already', `Change set ${id} was reverted by change set ${set.revertedBy}.`);
    return set;
  }

  /** Reverts a change set. Files untouched since then get their old bytes back exactly. */
  async revert(user: User, id: number, context: JobContext = UNWATCHED): Promise<ApplyReport> {
    const set = await this.checkRevert(id);
    context.progress('waiting for the files', 0, 0);
    await this.locks.refresh();
    const applied = (await linesOf(this.db, id)).filter((line) => line.state === 'applied');
    return this.applyLines(user, `revert of ${set.title}`, invertLines(applied.map(toLine), `reverts change set ${id}`), id, context);
  }

  /** Change sets being applied, applied or rolled back, newest first; those older than `before` if given. */
  history({ before, limit }: HistoryQuery): Promise<ChangeSetRow[]> {
    return this.db.all<ChangeSetRow>(
      `${CHANGE_SET} WHERE s.id IN (SELECT s.id FROM change_sets s WHERE ${SHOWN} AND ($1::int IS NULL OR s.id < $1) ORDER BY s.id DESC LIMIT $2)
       GROUP BY s.id, u.display_name ORDER BY s.id DESC`,
      [before ?? null, limit],
    );
  }

  /** One of them, by its number. @throws AppError when there is none */
  async changeSet(id: number): Promise<ChangeSetRow> {
    const set = await this.db.one<ChangeSetRow>(`${CHANGE_SET} WHERE s.id = $1 AND ${SHOWN} GROUP BY s.id, u.display_name`, [id]);
    if (!set) throw notFound(`Change set ${id}`);
    return set;
  }

  /** The lines of a change set outside any tray. */
  async lines(id: number): Promise<LineRow[]> {
    if (!(await this.db.one(`SELECT 1 FROM change_sets WHERE id = $1 AND state <> 'pending'`, [id]))) throw notFound(`Change set ${id}`);
    return linesOf(this.db, id);
  }

  /**
   * Finishes or rolls back interrupted sets. Runs before the server answers.
   * @returns what was done, for the log
   */
  recover(): Promise<Recovered[]> {
    return this.recovery.recover();
  }

  private async targets(ids: readonly number[]): Promise<Map<number, TargetFile>> {
    const found = await this.db.all<{ id: number; path: string; root: string | null; format: string; lock: string | null; removed: boolean }>(
      `SELECT f.id, f.path, f.format, l.root, CASE WHEN l.confirmed = false THEN '${UNCONFIRMED}' ELSE f.lock_reason END AS lock, f.removed
        FROM targets f LEFT JOIN libraries l ON l.id = f.library_id WHERE f.id = ANY($1::int[])`,
      [ids],
    );
    return new Map(found.map(({ root, ...file }) => [file.id, { ...file, full: root === null ? '' : join(root, file.path) }]));
  }

  /** Applies lines. Lines of a tray move into a new set; `ownSet` is the set of other lines. Runs under the file lock. */
  private async apply(
    held: Held,
    user: User,
    mode: ApplyMode,
    title: string,
    lines: readonly LineRow[],
    ownSet: number | null,
    revertOf: number | null,
    closed: ReadonlyMap<number, string>,
    context: JobContext,
  ): Promise<ApplyReport> {
    const { ready, failures, waiting } = await this.prepare(lines, revertOf, closed, context);
    let goesOn: boolean;
    try {
      // The last point where aborting leaves no trace.
      context.check();
      await this.at('prepared');
      await this.refreshReadings(failures);
      await refuseTaken(ready, failures);
      goesOn = ready.length > 0 && (failures.length === 0 || mode !== 'whole');
      if (goesOn) await this.store.keep(waiting);
    } catch (error) {
      await this.store.forget(waiting);
      throw error;
    }
    if (!goesOn) {
      await this.store.forget(waiting);
      return this.nothingDone(lines, ownSet, failures);
    }
    try {
      const changeSet = await this.begin(user, mode, title, ready, ownSet);
      await this.at('planned');
      return await this.carryOut(held, user, changeSet, mode, ready, failures, context);
    } catch (error) {
      // From here on, files may have changed. Interrupted work is finished or rolled back from the journal.
      this.recovery.soon();
      if (!(error instanceof LockLost) && !isConnectionError(error)) throw error;
      this.warn(error);
      throw new AppError(
        503,
        'outcome-unknown',
        'The database connection was lost while the changes were applied. The outcome is not known yet: when the database is back, Rule completes the change set or rolls it back. See History for the result.',
      );
    }
  }

  /** Adds block definitions to the lines that define blocks. */
  private async definitions(lines: readonly LineRow[]): Promise<(line: LineRow) => PreparedLine> {
    const texts = [...new Set(lines.flatMap(({ place, proposed }) => (place === 'block' && proposed ? [proposed.text] : [])))];
    if (texts.length === 0) return (line) => line;
    const kept = await this.db.all<{ text: string; name: string; definition: CarriedBlock }>(
      'SELECT text, name, definition FROM carried_blocks WHERE text = ANY($1::text[])',
      [texts],
    );
    const known = new Map(kept.map(({ text, name, definition }) => [`${text}/${name}`, definition]));
    return (line) =>
      line.place === 'block' && line.proposed
        ? { ...line, definition: known.get(`${line.proposed.text}/${definitionKey(line.name, line.base?.text ?? null)}`) }
        : line;
  }

  /** Compares every line with its file and stores old and new bytes. Touches no file. */
  private async prepare(
    lines: readonly LineRow[],
    revertOf: number | null,
    closed: ReadonlyMap<number, string>,
    context: JobContext,
  ): Promise<{ ready: ReadyFile[]; failures: FileFailure[]; waiting: Waiting[] }> {
    const byFile = groupByFile(lines);
    const targets = await this.targets([...byFile.keys()]);
    const written = revertOf === null ? null : await versionsOf(this.db, revertOf);
    const open = await heldOpen([...targets.values()].filter((file) => !isBeside(file)).map((file) => file.full));
    const unfinished = await unfinishedFiles(this.db);
    const clashing = await besideConflicts(
      this.db,
      lines.filter((line) => isBeside(targets.get(line.file)!)),
    );
    const definitions = await this.definitions(lines);
    const ready: ReadyFile[] = [];
    const failures: FileFailure[] = [];
    const waiting: Waiting[] = [];
    const aside = byFile.size >= MANY_FILES;
    let done = 0;
    await Promise.all(
      [...byFile].map(async ([id, fileLines]) => {
        if (context.signal.aborted) return;
        const target = targets.get(id)!;
        const fail = (message: string, conflicts: readonly number[] = [], current: Prepared | null = null) =>
          failures.push({ file: target, lines: fileLines, message, conflicts, current });
        const lock = target.lock ?? open.get(target.full) ?? null;
        const shut = fileLines.filter((line) => closed.has(line.id));
        if (target.removed) fail('It is no longer in the library.');
        else if (lock !== null) fail(`The file ${lock}.`);
        else if (unfinished.has(id)) fail(`The file belongs to change set ${unfinished.get(id)}, which was interrupted and is not finished yet.`);
        else if (shut.length)
          fail(
            closed.get(shut[0]!.id)!,
            shut.map((line) => line.id),
          );
        else if (isBeside(target)) {
          const conflicts = fileLines.filter((line) => clashing.has(line.id)).map((line) => line.id);
          if (conflicts.length) fail('Someone else changed the value.', conflicts);
          else ready.push({ target, file: id, lines: fileLines, reading: BESIDE, moved: [], move: null });
        } else {
          const versions = written?.get(id);
          const exact = versions ? { from: versions.fresh, to: versions.old } : null;
          const made = await this.pool.run('prepareFile', { full: target.full, format: target.format, lines: fileLines.map(definitions), exact, aside });
          if (made.ok) {
            const { reading, moved, oldHash, newHash } = made;
            waiting.push(...made.waiting);
            const move = { file: id, target: target.full, final: finalPath(target, fileLines), oldHash, newHash, inPlace: false };
            ready.push({ target, file: id, lines: fileLines, reading, moved, move });
          } else fail(made.message, made.conflicts, made);
        }
        context.progress('preparing files', ++done, byFile.size);
      }),
    );
    return { ready, failures, waiting };
  }

  /** Writes the set and its journal. From here on, a crash is recovered. */
  private begin(user: User, mode: ApplyMode, title: string, ready: readonly ReadyFile[], ownSet: number | null): Promise<number> {
    return this.db.transaction(async (sql) => {
      let id = ownSet;
      if (id === null) {
        id = (await sql.one<{ id: number }>(
          `INSERT INTO change_sets (title, user_id, state, mode, at, from_tray, cleared) VALUES ($1, $2, 'applying', $3, $4, true, false) RETURNING id`,
          [title, user.id, mode, this.clock()],
        ))!.id;
        // An apply ends the undo history.
        await sql.run(`DELETE FROM tray_steps t USING change_sets s WHERE s.id = t.change_set_id AND s.user_id = $1 AND s.state = 'pending'`, [user.id]);
        await sql.run('UPDATE change_lines SET change_set_id = $1, message = NULL WHERE id = ANY($2::int[])', [
          id,
          ready.flatMap((file) => file.lines.map((line) => line.id)),
        ]);
      } else await sql.run(`UPDATE change_sets SET state = 'applying', cleared = false WHERE id = $1`, [id]);
      await plan(sql, id, movesOf(id, ready));
      return id;
    });
  }

  /** Writes the files and records the result. */
  private async carryOut(
    held: Held,
    user: User,
    changeSet: number,
    mode: ApplyMode,
    ready: readonly ReadyFile[],
    failures: FileFailure[],
    context: JobContext,
  ): Promise<ApplyReport> {
    const moves = movesOf(changeSet, ready);
    const byFile = new Map(ready.map((entry) => [entry.file, entry]));
    const hooks: SwapHooks = {
      staged: (staged) => noteStaged(this.db, changeSet, staged),
      check: () => held.check(),
      cancelled: () => context.signal.aborted,
      at: this.at,
      progress: (count, total) => context.progress('writing files', count, total),
    };
    const { arrived, failed, elsewhere } = await this.swap.forward(moves, mode === 'whole', hooks, false);
    for (const [move, error] of failed) {
      const { target, lines } = byFile.get(move.file)!;
      failures.push({ file: target, lines, message: reasonOf(error), conflicts: [], current: null });
    }
    const stands = new Map(arrived.map((move) => [move.file, move]));
    const put = mode === 'whole' && failures.length > 0 ? [] : ready.filter(({ file, move }) => move === null || stands.has(file));
    const done = put.map(({ file, move, reading, moved }): Written => {
      if (move === null) return { file, stands: null, renamed: false, hash: '', reading, moved };
      return { file, stands: move.final, renamed: move.final !== move.target, hash: move.newHash, reading, moved };
    });
    await this.recorder.record(
      changeSet,
      done,
      failures.length > 0,
      [...elsewhere].map(([{ file }, path]) => ({ file, stands: path })),
    );
    await this.at('recorded');
    await this.recorder.returnFailed(user, changeSet, failures);
    // The files are what they should be; to remove thousands of old ones takes some disks seconds, for which nobody waits.
    if (moves.length < MANY_FILES) await this.recovery.clear(changeSet, moves);
    else this.recovery.clearAside(changeSet, moves);
    const state = done.length === 0 ? 'put back' : failures.length ? 'partly applied' : 'applied';
    if (done.length === 0) context.check();
    return { changeSet, state, applied: linesIn(put), failed: linesIn(failures), files: done.length, failures: describeFailures(failures) };
  }

  /** Stores readings of files that differ from what was last read. */
  private async refreshReadings(failures: readonly FileFailure[]): Promise<void> {
    const read: ReadFile[] = [];
    for (const { file, current } of failures) {
      if (!current || current.ok || !current.current || current.oldHash === null) continue;
      const { size, mtimeMs } = await stat(file.full);
      read.push({ id: file.id, size, mtimeMs, hash: current.oldHash, reading: current.current, problem: null });
    }
    const standIns = compileStandIns((await readSettings(this.db)).standIns);
    await this.db.transaction(async (sql) => {
      await sql.all(TAKE_LOCK, [LOCKS.readings]);
      await storeReadings(sql, read, standIns);
    });
  }

  private async nothingDone(lines: readonly LineRow[], ownSet: number | null, failures: readonly FileFailure[]): Promise<ApplyReport> {
    await this.recorder.markFailures(failures);
    return { changeSet: ownSet ?? 0, state: 'put back', applied: 0, failed: lines.length, files: 0, failures: describeFailures(failures) };
  }
}

const trayEmpty = () => refused('tray-empty', 'Your tray has no accepted lines.');

function groupByFile(lines: readonly LineRow[]): Map<number, LineRow[]> {
  const byFile = new Map<number, LineRow[]>();
  for (const line of lines) {
    const known = byFile.get(line.file);
    if (known) known.push(line);
    else byFile.set(line.file, [line]);
  }
  return byFile;
}

/** Moves of files on disk, in writing order. */
const movesOf = (changeSet: number, ready: readonly ReadyFile[]): Move[] =>
  ready.flatMap(({ move }) => (move === null ? [] : [{ ...move, changeSet }])).sort((a, b) => a.file - b.file);

/** Skips files whose new name is taken by a file that keeps it. */
async function refuseTaken(ready: ReadyFile[], failures: FileFailure[]): Promise<void> {
  const renamed = ready.filter(({ move }) => move !== null && move.final !== move.target);
  const leaving = new Set(renamed.map(({ move }) => move!.target));
  const asked = new Map<string, number>();
  for (const { move } of renamed) asked.set(move!.final, (asked.get(move!.final) ?? 0) + 1);
  for (const entry of renamed) {
    const { final } = entry.move!;
    const stands = !leaving.has(final) && (await exists(final));
    if (!stands && asked.get(final) === 1) continue;
    ready.splice(ready.indexOf(entry), 1);
    failures.push({ file: entry.target, lines: entry.lines, message: new NameTaken().message, conflicts: [], current: null });
  }
}

const linesIn = (list: readonly { readonly lines: readonly LineRow[] }[]) => list.reduce((sum, entry) => sum + entry.lines.length, 0);

const describeFailures = (failures: readonly FileFailure[]) => failures.map(({ file, message }) => ({ path: file.path, message }));
