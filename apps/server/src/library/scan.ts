import { stat as statOf } from 'node:fs/promises';
import { join } from 'node:path';
import { RescanReport } from '@rule/contract';
import { JobCancelled, JobContext, UNWATCHED } from '../jobs/jobs';
import { Db, asRecordset } from '../platform/db';
import { LOCKS, SHARE_LOCK } from '../platform/locks';
import { readSettings } from '../platform/settings';
import { Known } from './differences.thread';
import { ScanInput } from './read.thread';
import { WorkPool } from '../platform/pool';
import { forgetBlocks } from './blocks';
import { READ_BY } from './readings';
import { unfinishedFiles, unfinishedPaths } from './unfinished';
import { assignClasses } from './classes';
import { matchIdentities } from './identities';
import { recountFiles, recountValues } from './counts';
import { assignWide } from './members';
import { noteArrivals } from './arrivals';
import { Found, Walk } from './walk';

/** Limits of a batch read by a worker. */
const BATCH_FILES = 100;
const BATCH_BYTES = 12 * 1024 * 1024;

/** After this many files, table statistics are outdated. */
const MANY = 1000;

/** Differences between a library and what was last read. */
interface Differences {
  readonly gone: readonly Known[];
  readonly added: readonly Found[];
  readonly changed: readonly Found[];
}

type Report = { -readonly [K in keyof RescanReport]: RescanReport[K] } & { failed: { path: string; message: string }[] };

/** A library being scanned. */
interface LibraryScan {
  readonly library: number;
  readonly root: string;
  readonly known: Map<string, Known>;
  /** Numbers of files added by this scan, by path. */
  readonly born: Map<string, number>;
  readonly waiting: Waiting;
  readonly report: Report;
  readonly context: JobContext;
}

const emptyReport = (): Report => ({ added: 0, changed: 0, moved: 0, removed: 0, unchanged: 0, passedOver: 0, failed: [] });

/** Updates table statistics; otherwise the planner would treat new tables as empty. */
async function takeStock(db: Db): Promise<void> {
  await db.transaction(async (sql) => {
    // A sample of some thousand rows is enough for now.
    await sql.run('SET LOCAL default_statistics_target = 10');
    await sql.run('ANALYZE files (id, library_id, folder, kind, removed)');
    await sql.run('ANALYZE held_values (file_id, place, name, level, kind)');
  });
}

/** Scans libraries: by size and time first, by content only where those differ. */
export class Scanner {
  constructor(
    private readonly db: Db,
    private readonly pool: WorkPool,
    private readonly clock: () => Date,
  ) {}

  /** Scans all libraries, or one. */
  async rescan(context: JobContext = UNWATCHED, only: number | null = null): Promise<RescanReport> {
    return this.db.exclusive(LOCKS.survey, async () => {
      const report = emptyReport();
      const before = this.db.facts.read;
      try {
        for (const { id, root, known, confirmed } of await this.db.all<{ id: number; root: string; known: boolean; confirmed: boolean }>(
          'SELECT id, root, confirmed, surveyed_at IS NOT NULL AS known FROM libraries WHERE $1::int IS NULL OR id = $1 ORDER BY id',
          [only],
        ))
          if (!confirmed) report.failed.push({ path: root, message: 'The library was restored. Confirm its folder in Settings.' });
          else await this.rescanOne(id, root, known, report, context);
      } finally {
        // Threads have written what was read.
        if (this.db.facts.read !== before) this.db.facts.written++;
        // Also after a cancelled scan, for what was read.
        if (report.added + report.changed + report.moved + report.removed > 0) {
          if (report.added + report.changed >= MANY) await takeStock(this.db);
          if (report.changed > 0) await forgetBlocks(this.db);
          await this.settle(context);
          // VACUUM updates the visibility map, which index-only scans need.
          if (report.added + report.changed + report.moved >= MANY) await this.db.run('VACUUM (SKIP_LOCKED) files, held_values');
        }
      }
      for (const { path, message } of report.failed) context.error(path, message);
      return report;
    });
  }

  /** Recomputes what depends on files: classes, matches, counts. */
  async settle(context: JobContext = UNWATCHED): Promise<void> {
    const { modelProperty } = await readSettings(this.db);
    const sort = async () => {
      context.progress('assigning classes', 0, 0);
      await this.db.transaction(async (sql) => {
        await sql.all(SHARE_LOCK, [LOCKS.readings]);
        await assignClasses(sql, null);
        await assignWide(sql, null);
      });
      context.progress('counting names', 0, 0);
      await allDone([recountFiles(this.db, null), matching()]);
    };
    const matching = () =>
      this.db.transaction(async (sql) => {
        await sql.all(SHARE_LOCK, [LOCKS.readings]);
        await matchIdentities(sql, modelProperty);
      });
    await allDone([sort(), recountValues(this.db, null)]);
  }

  private async rescanOne(library: number, root: string, wasRead: boolean, report: Report, context: JobContext): Promise<void> {
    if (!(await statOf(root).catch(() => undefined))?.isDirectory()) {
      report.failed.push({ path: root, message: 'The folder does not exist; its last reading is kept.' });
      return;
    }
    context.progress('listing files', 0, 0);
    const scan: LibraryScan = { library, root, known: new Map(), born: new Map(), waiting: new Waiting(), report, context };
    // In an empty library all files are new, so reading starts while listing continues.
    const isKnown = await this.db.one('SELECT 1 FROM files WHERE library_id = $1 LIMIT 1', [library]);
    const { gone, added, changed } = isKnown ? await this.readChanged(scan) : await this.readWhileListing(scan);
    const missing = await stillMissing(root, gone);
    await this.db.transaction(async (sql) => {
      await sql.all(SHARE_LOCK, [LOCKS.readings]);
      // Files being written by a change set are not missing, and renamed ones are no longer as listed.
      const unfinished = await unfinishedFiles(sql);
      const ids = (
        await sql.all<{ id: number }>(
          'SELECT f.id FROM jsonb_to_recordset($1::jsonb) AS n(id int, path text) JOIN files f ON f.id = n.id AND f.path = n.path ORDER BY f.id',
          [asRecordset(missing.map(({ id, path }) => ({ id, path })))],
        )
      ).flatMap(({ id }) => (unfinished.has(id) ? [] : [id]));
      report.removed += ids.length;
      if (ids.length) {
        await sql.run('UPDATE files SET removed = true, model_file_id = NULL WHERE id = ANY($1::int[])', [ids]);
        await sql.run('DELETE FROM holders WHERE file_id = ANY($1::int[])', [ids]);
        await sql.run('DELETE FROM held_values WHERE file_id = ANY($1::int[])', [ids]);
      }
      // The first scan of a library sends no notifications.
      if (wasRead) {
        const idsOf = (files: readonly Found[]) => files.map(({ path }) => scan.born.get(path) ?? scan.known.get(path)!.id);
        await noteArrivals(sql, idsOf(added), 'new', this.clock());
        await noteArrivals(sql, idsOf(changed), 'changed', this.clock());
      }
      await sql.run('UPDATE libraries SET surveyed_at = $2 WHERE id = $1', [library, this.clock()]);
    });
  }

  private async readWhileListing(scan: LibraryScan): Promise<Differences> {
    const { root, waiting, report, context } = scan;
    const added: Found[] = [];
    const list = async () => {
      try {
        const busy = await unfinishedPaths(this.db);
        const take = (file: Found) => {
          if (busy.has(join(root, file.path))) return;
          added.push(file);
          waiting.push(file);
        };
        const walk = await new Walk(root, take, () => context.check()).go();
        report.passedOver += walk.passedOver;
        report.failed.push(...walk.failed);
      } finally {
        waiting.close();
      }
    };
    await allDone([list(), this.read(scan)]);
    return { gone: [], added, changed: [] };
  }

  /** Whether files were read by an older reader version. */
  async hasOldReadings(): Promise<boolean> {
    return (await this.db.one('SELECT 1 FROM files WHERE read_by <> $1 AND NOT removed LIMIT 1', [READ_BY])) !== undefined;
  }

  private async readChanged(scan: LibraryScan): Promise<Differences> {
    const { library, root, known, waiting, report, context } = scan;
    const { cancelled, givenUp } = cancelFlag(context);
    const differences = await Promise.race([this.pool.run('findDifferences', { library, root, cancelled }), givenUp]);
    if (differences === null) throw new JobCancelled();
    const { stale, before, gone } = differences;
    for (const row of before) known.set(row.path, row);
    report.unchanged += differences.unchanged;
    report.passedOver += differences.passedOver;
    report.failed.push(...differences.failed);
    const moved = await this.findMoves(
      root,
      stale.filter((file) => !known.has(file.path)),
      gone,
    );
    await this.move(moved);
    report.moved += moved.size;
    for (const [file, before] of moved) known.set(file.path, { ...before, path: file.path });
    const movedIds = new Set([...moved.values()].map((file) => file.id));
    const left = stale.filter((file) => !moved.has(file));
    const isNew = newTo(known);
    for (const file of left) waiting.push(file);
    waiting.close();
    await this.read(scan);
    return { gone: gone.filter((file) => !movedIds.has(file.id)), added: left.filter(isNew), changed: left.filter((file) => !isNew(file)) };
  }

  /** Reads and stores waiting files, batch by batch. */
  private async read({ library, root, known, born, waiting, report, context }: LibraryScan): Promise<void> {
    const { standIns } = await readSettings(this.db);
    const isNew = newTo(known);
    const { cancelled, givenUp } = cancelFlag(context);
    let done = 0;
    const work = async () => {
      for (let batch = await waiting.batch(); batch; batch = await waiting.batch()) {
        context.check();
        for (const [path, id] of await this.reserve(batch.filter((file) => !known.has(file.path)))) born.set(path, id);
        const files = batch.map(({ path, size, mtimeMs }): ScanInput['files'][number] => {
          const listed = { size, mtimeMs };
          const full = join(root, path);
          const id = born.get(path);
          if (id !== undefined) return { id, path, full, listed, hash: '', known: '', born: { library, path, ...placeOf(path) } };
          const before = known.get(path)!;
          return { id: before.id, path, full, listed, hash: before.removed || before.readBy !== READ_BY ? '' : before.hash, known: before.hash, born: null };
        });
        const outcome = await Promise.race([this.pool.run('scanFiles', { files, standIns, cancelled }), givenUp]).finally(() => void this.db.facts.read++);
        report.failed.push(...outcome.failed);
        const added = batch.filter(isNew).length;
        report.added += added;
        report.changed += batch.length - added - outcome.touched;
        report.unchanged += outcome.touched;
        done += batch.length;
        context.progress('reading files', done, waiting.total);
      }
    };
    const guarded = () =>
      work().catch((error: unknown) => {
        // No new batch starts after a failure or cancellation.
        waiting.drop();
        throw error;
      });
    // Two batches per thread: one is read while the other is stored.
    await allDone([guarded(), guarded(), guarded(), guarded()]);
  }

  /** Files that moved: same bytes at another path. Ambiguous cases count as new. */
  private async findMoves(root: string, fresh: readonly Found[], gone: readonly Known[]): Promise<Map<Found, Known>> {
    const moves = new Map<Found, Known>();
    const sizes = new Set(gone.filter((file) => file.hash !== '').map((file) => file.size));
    const candidates = fresh.filter((file) => sizes.has(file.size));
    if (candidates.length === 0) return moves;
    const hashes = await this.pool.run('hashFiles', { paths: candidates.map((file) => join(root, file.path)) });
    const byHash = new Map<string, Known[]>();
    for (const file of gone) if (file.hash) byHash.set(file.hash, [...(byHash.get(file.hash) ?? []), file]);
    const came = new Map<string, Found[]>();
    for (const file of candidates) {
      const hash = hashes[join(root, file.path)];
      if (hash !== undefined) came.set(hash, [...(came.get(hash) ?? []), file]);
    }
    for (const [hash, files] of came) if (files.length === 1 && byHash.get(hash)?.length === 1) moves.set(files[0]!, byHash.get(hash)![0]!);
    return moves;
  }

  private async move(moves: ReadonlyMap<Found, Known>): Promise<void> {
    if (moves.size === 0) return;
    const list = [...moves].map(([file, before]) => ({ id: before.id, path: file.path, ...placeOf(file.path), mtime: file.mtimeMs }));
    await this.db.run(
      `UPDATE files f SET path = n.path, folder = n.folder, name = n.name, mtime_ms = n.mtime
        FROM jsonb_to_recordset($1::jsonb) AS n(id int, path text, folder text, name text, mtime double precision)
        WHERE f.id = n.id`,
      [asRecordset(list)],
    );
  }

  /** Reserved numbers for new files, by path. */
  private async reserve(fresh: readonly Found[]): Promise<Map<string, number>> {
    if (fresh.length === 0) return new Map();
    const ids = await this.db.all<{ id: number }>(`SELECT nextval('files_id_seq') AS id FROM generate_series(1, $1::int)`, [fresh.length]);
    return new Map(fresh.map(({ path }, i) => [path, ids[i]!.id]));
  }
}

/** A flag for threads, set when the job is cancelled: they cannot be interrupted and look at it between files. */
function cancelFlag({ signal }: JobContext): { cancelled: Int32Array; givenUp: Promise<never> } {
  const cancelled = new Int32Array(new SharedArrayBuffer(4));
  const givenUp = new Promise<never>((_done, fail) => {
    const giveUp = () => {
      Atomics.store(cancelled, 0, 1);
      fail(new JobCancelled());
    };
    if (signal.aborted) giveUp();
    else signal.addEventListener('abort', giveUp);
  });
  givenUp.catch(() => undefined);
  return { cancelled, givenUp };
}

/** Files neither listed nor present now. */
async function stillMissing(root: string, files: readonly Known[]): Promise<Known[]> {
  const missing: Known[] = [];
  for (const file of files) if (!(await statOf(join(root, file.path)).catch(() => undefined))?.isFile()) missing.push(file);
  return missing;
}

const placeOf = (path: string) => {
  const slash = path.lastIndexOf('/');
  return { folder: slash < 0 ? '' : path.slice(0, slash), name: path.slice(slash + 1) };
};

/** Determines which files are new: unknown, or never read successfully. */
const newTo =
  (known: LibraryScan['known']) =>
  ({ path }: Found): boolean => {
    const before = known.get(path);
    return !before || before.size === -1 || before.removed;
  };

/** Waits for all work even if part of it fails, then throws the first failure. */
async function allDone(work: readonly Promise<void>[]): Promise<void> {
  for (const outcome of await Promise.allSettled(work)) if (outcome.status === 'rejected') throw outcome.reason;
}

/** Files to read, handed out in batches while listing continues. */
class Waiting {
  private files: Found[] = [];
  private bytes = 0;
  private closed = false;
  private sleepers: (() => void)[] = [];
  /** Files received so far. */
  total = 0;

  push(file: Found): void {
    this.files.push(file);
    this.bytes += file.size;
    this.total++;
    if (this.files.length >= BATCH_FILES || this.bytes >= BATCH_BYTES) this.wake();
  }

  /** No more files will come. */
  close(): void {
    this.closed = true;
    this.wake();
  }

  /** Nothing more is handed out. */
  drop(): void {
    this.files = [];
    this.bytes = 0;
    this.close();
  }

  private wake(): void {
    for (const sleeper of this.sleepers.splice(0)) sleeper();
  }

  /** The next batch; `undefined` at the end. */
  async batch(): Promise<Found[] | undefined> {
    while (!this.closed && this.files.length < BATCH_FILES && this.bytes < BATCH_BYTES) await new Promise<void>((wake) => this.sleepers.push(wake));
    let count = 0;
    let bytes = 0;
    while (count < this.files.length && count < BATCH_FILES && (count === 0 || bytes + this.files[count]!.size <= BATCH_BYTES))
      bytes += this.files[count++]!.size;
    this.bytes -= bytes;
    // Sorted by path within a batch.
    return count === 0 ? undefined : this.files.splice(0, count).sort((a, b) => (a.path < b.path ? -1 : 1));
  }
}
