import { Dirent, stat } from 'node:fs';
import { readdir, stat as statOf } from 'node:fs/promises';
import { join, sep } from 'node:path';
import { RescanReport } from '@rule/contract';
import { JobCancelled, JobContext, UNWATCHED } from '../jobs/jobs';
import { Db, asRecordset } from '../platform/db';
import { LOCKS, SHARE_LOCK } from '../platform/locks';
import { readSettings } from '../platform/settings';
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

/** A batch that a worker reads in one step holds at most so many files and bytes. */
const BATCH_FILES = 100;
const BATCH_BYTES = 12 * 1024 * 1024;

/** So many files bring the database's own figures about its tables out of date at once. */
const MANY = 1000;

/** Deepest folder that a scan enters. */
const DEEPEST = 40;

/** Files that programs leave beside those that they hold open, and folders of archives that belong to a desktop. */
const BELONGS_TO_PROGRAMS = /^(\.|~\$|Thumbs\.db$|desktop\.ini$|__MACOSX$)/i;

/** Whether a name belongs to a program or desktop and is no one's file. */
export const isPassedOver = (name: string): boolean => BELONGS_TO_PROGRAMS.test(name);

interface Found {
  readonly path: string;
  readonly size: number;
  readonly mtimeMs: number;
}

interface Known {
  readonly id: number;
  readonly path: string;
  readonly size: number;
  readonly mtime: number;
  readonly removed: boolean;
  readonly hash: string;
  readonly readBy: number;
}

/** How a library differs from what was last read of it. */
interface Differences {
  readonly gone: readonly Known[];
  readonly added: readonly Found[];
  readonly changed: readonly Found[];
}

type Report = { -readonly [K in keyof RescanReport]: RescanReport[K] } & { failed: { path: string; message: string }[] };

/** One library on its way through a scan. */
interface LibraryScan {
  readonly library: number;
  readonly root: string;
  readonly known: Map<string, Known>;
  /** Numbers of the files that came into the database with this scan, by path. */
  readonly born: Map<string, number>;
  readonly waiting: Waiting;
  readonly report: Report;
  readonly context: JobContext;
}

const emptyReport = (): Report => ({ added: 0, changed: 0, moved: 0, removed: 0, unchanged: 0, passedOver: 0, failed: [] });

/**
 * Lets the database count what its plans depend on. It does so by itself sooner or later; until then it would take
 * the tables for empty, and sort and loop where it should hash.
 */
async function takeStock(db: Db): Promise<void> {
  await db.transaction(async (sql) => {
    // Some thousand rows tell enough until the database looks at more of them by itself.
    await sql.run('SET LOCAL default_statistics_target = 10');
    await sql.run('ANALYZE files (id, library_id, folder, kind, removed)');
    await sql.run('ANALYZE held_values (file_id, place, name, level, kind)');
  });
}

/** Reads what is new or changed in libraries: by size and time first, by content only where those differ. */
export class Scanner {
  constructor(
    private readonly db: Db,
    private readonly pool: WorkPool,
    private readonly clock: () => Date,
  ) {}

  /** Reads all libraries, or one of them. */
  async rescan(context: JobContext = UNWATCHED, only: number | null = null): Promise<RescanReport> {
    return this.db.exclusive(LOCKS.survey, async () => {
      const report = emptyReport();
      try {
        for (const { id, root, known, confirmed } of await this.db.all<{ id: number; root: string; known: boolean; confirmed: boolean }>(
          'SELECT id, root, confirmed, surveyed_at IS NOT NULL AS known FROM libraries WHERE $1::int IS NULL OR id = $1 ORDER BY id',
          [only],
        ))
          if (!confirmed) report.failed.push({ path: root, message: 'The library was restored. Confirm its folder in Settings.' });
          else await this.rescanOne(id, root, known, report, context);
      } finally {
        // Also after a cancelled scan: what was read is put in its place.
        if (report.added + report.changed + report.moved + report.removed > 0) {
          if (report.added + report.changed >= MANY) await takeStock(this.db);
          if (report.changed > 0) await forgetBlocks(this.db);
          await this.settle(context);
          // PostgreSQL would do it by itself a minute later: pages of files in order are found without looking at every file before them.
          if (report.added + report.changed + report.moved >= MANY) await this.db.run('VACUUM (SKIP_LOCKED) files, held_values');
        }
      }
      for (const { path, message } of report.failed) context.error(path, message);
      return report;
    });
  }

  /** Works out again what follows from the files: classes, what stands for what, counts. */
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
    // Where nothing is known, every file is new, and is read while others are looked for.
    const isKnown = await this.db.one('SELECT 1 FROM files WHERE library_id = $1 LIMIT 1', [library]);
    const { gone, added, changed } = isKnown ? await this.readChanged(scan) : await this.readWhileListing(scan);
    const missing = await stillMissing(root, gone);
    await this.db.transaction(async (sql) => {
      await sql.all(SHARE_LOCK, [LOCKS.readings]);
      // What a change set has under way is not gone, and what it has renamed is no longer what was listed.
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
      // A library that is read for the first time is no news, file by file.
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
        const walk = await new Walk(root, take, context).go();
        report.passedOver += walk.passedOver;
        report.failed.push(...walk.failed);
      } finally {
        waiting.close();
      }
    };
    await allDone([list(), this.read(scan)]);
    return { gone: [], added, changed: [] };
  }

  /** Whether files were read by readers of an earlier version, which saw less. */
  async hasOldReadings(): Promise<boolean> {
    return (await this.db.one('SELECT 1 FROM files WHERE read_by <> $1 AND NOT removed LIMIT 1', [READ_BY])) !== undefined;
  }

  private async readChanged(scan: LibraryScan): Promise<Differences> {
    const { library, root, known, waiting, report, context } = scan;
    const found: Found[] = [];
    // The database is asked while the disk is.
    const busy = await unfinishedPaths(this.db);
    const [rowsKnown, walk] = await Promise.all([
      this.db.all<Known>('SELECT id, path, size, mtime_ms AS mtime, removed, hash, read_by AS "readBy" FROM files WHERE library_id = $1', [library]),
      new Walk(root, (file) => void (busy.has(join(root, file.path)) || found.push(file)), context).go(),
    ]);
    for (const row of rowsKnown) known.set(row.path, row);
    report.passedOver += walk.passedOver;
    report.failed.push(...walk.failed);
    const present = new Set(found.map((file) => file.path));
    const stale = found.filter((file) => {
      const before = known.get(file.path);
      return !before || before.removed || before.size !== file.size || before.mtime !== file.mtimeMs || before.readBy !== READ_BY;
    });
    report.unchanged += found.length - stale.length;
    // Below a folder that could not be read nothing is known to be gone.
    const gone = [...known.values()].filter(
      (file) => !file.removed && !present.has(file.path) && !busy.has(join(root, file.path)) && !walk.closed.some((folder) => file.path.startsWith(folder)),
    );
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

  /** Reads and stores what is waiting, batch by batch, until there is no more. */
  private async read({ library, root, known, born, waiting, report, context }: LibraryScan): Promise<void> {
    const { standIns } = await readSettings(this.db);
    const isNew = newTo(known);
    // A thread that is in the middle of a file cannot be told; it sees this before it begins with the next, or stores anything.
    const cancelled = new Int32Array(new SharedArrayBuffer(4));
    const givenUp = new Promise<never>((_done, fail) =>
      context.signal.addEventListener('abort', () => {
        Atomics.store(cancelled, 0, 1);
        fail(new JobCancelled());
      }),
    );
    givenUp.catch(() => undefined);
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
        const outcome = await Promise.race([this.pool.run('scanFiles', { files, standIns, cancelled }), givenUp]);
        this.db.facts.read++;
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
        // Nobody begins another batch after one has failed or the scan was cancelled.
        waiting.drop();
        throw error;
      });
    // Two batches a thread: one is stored while the other is read.
    await allDone([guarded(), guarded(), guarded(), guarded()]);
  }

  /** Files that went away and came up elsewhere with the same bytes. Where two could be meant, none is. */
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
      `UPDATE files f SET path = n.path, folder = n.folder, name = n.name, mtime_ms = n.mtime FROM jsonb_to_recordset($1::jsonb) AS n(id int, path text, folder text, name text, mtime double precision) WHERE f.id = n.id`,
      [asRecordset(list)],
    );
  }

  /** Numbers for files that the database does not know yet, by their paths; they come into it as they are read. */
  private async reserve(fresh: readonly Found[]): Promise<Map<string, number>> {
    if (fresh.length === 0) return new Map();
    const ids = await this.db.all<{ id: number }>(`SELECT nextval('files_id_seq') AS id FROM generate_series(1, $1::int)`, [fresh.length]);
    return new Map(fresh.map(({ path }, i) => [path, ids[i]!.id]));
  }
}

/** Files that were not listed and are not there now either. */
async function stillMissing(root: string, files: readonly Known[]): Promise<Known[]> {
  const missing: Known[] = [];
  for (const file of files) if (!(await statOf(join(root, file.path)).catch(() => undefined))?.isFile()) missing.push(file);
  return missing;
}

const placeOf = (path: string) => {
  const slash = path.lastIndexOf('/');
  return { folder: slash < 0 ? '' : path.slice(0, slash), name: path.slice(slash + 1) };
};

/** Says which files are new: those not known, and those of which nothing could be read so far. */
const newTo =
  (known: LibraryScan['known']) =>
  ({ path }: Found): boolean => {
    const before = known.get(path);
    return !before || before.size === -1 || before.removed;
  };

/** Waits for all of some work, also where part of it fails, and fails with the first failure. */
async function allDone(work: readonly Promise<void>[]): Promise<void> {
  for (const outcome of await Promise.allSettled(work)) if (outcome.status === 'rejected') throw outcome.reason;
}

/** Files that are to be read, handed out in batches while others may still be found. */
class Waiting {
  private files: Found[] = [];
  private bytes = 0;
  private closed = false;
  private sleepers: (() => void)[] = [];
  /** Files that have come in so far. */
  total = 0;

  push(file: Found): void {
    this.files.push(file);
    this.bytes += file.size;
    this.total++;
    if (this.files.length >= BATCH_FILES || this.bytes >= BATCH_BYTES) this.wake();
  }

  /** No more files come. */
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

  /** The next batch; `undefined` when there is none any more. */
  async batch(): Promise<Found[] | undefined> {
    while (!this.closed && this.files.length < BATCH_FILES && this.bytes < BATCH_BYTES) await new Promise<void>((wake) => this.sleepers.push(wake));
    let count = 0;
    let bytes = 0;
    while (count < this.files.length && count < BATCH_FILES && (count === 0 || bytes + this.files[count]!.size <= BATCH_BYTES))
      bytes += this.files[count++]!.size;
    this.bytes -= bytes;
    // Within a batch in the order of their paths, however the disk listed them.
    return count === 0 ? undefined : this.files.splice(0, count).sort((a, b) => (a.path < b.path ? -1 : 1));
  }
}

/** Folders that are looked at at the same time, and files in each of them: a disk far away answers late, but answers many. */
const AT_ONCE = 4;
const FILES_AT_ONCE = 64;

interface Folder {
  /** Path below the root, `''` for the root itself. */
  readonly below: string;
  readonly depth: number;
}

/** Finds the files below a folder. Links are not followed; a folder that cannot be entered is reported. */
class Walk {
  private passedOver = 0;
  private readonly failed: { path: string; message: string }[] = [];
  /** Folders, with their slash, of which nothing is known. */
  private readonly closed: string[] = [];

  constructor(
    private readonly root: string,
    private readonly onFound: (file: Found) => void,
    private readonly context: JobContext,
  ) {}

  async go(): Promise<{ passedOver: number; failed: { path: string; message: string }[]; closed: string[] }> {
    const folders: Folder[] = [{ below: '', depth: 0 }];
    let inside = 0;
    await new Promise<void>((done, fail) => {
      const next = () => {
        for (; inside < AT_ONCE && folders.length > 0; inside++)
          this.enter(folders.pop()!, folders).then(() => {
            inside--;
            next();
          }, fail);
        if (inside === 0) done();
      };
      next();
    });
    return { passedOver: this.passedOver, failed: this.failed, closed: this.closed };
  }

  private fail(path: string, message: string): void {
    this.failed.push({ path, message });
  }

  /** Looks at what is in one folder; folders in it are added to those that are still to be entered. */
  private async enter({ below, depth }: Folder, folders: Folder[]): Promise<void> {
    if (depth > DEEPEST) {
      this.fail(below, `Folders are nested more than ${DEEPEST} levels deep; this one was skipped.`);
      this.closed.push(`${below}/`);
      return;
    }
    this.context.check();
    let entries: Dirent[];
    try {
      entries = await readdir(join(this.root, below), { withFileTypes: true });
    } catch (error) {
      const code = (error as NodeJS.ErrnoException).code;
      if (code === undefined) throw error;
      // A folder that went away took its files along; one that may not be read still has them.
      if (code !== 'ENOENT') this.closed.push(below === '' ? '' : `${below}/`);
      this.fail(
        below,
        code === 'ENOENT' ? 'The folder disappeared while the library was read.' : `The folder cannot be read (${code}); its last reading is kept.`,
      );
      return;
    }
    const files: string[] = [];
    for (const entry of entries) {
      const path = below ? `${below}/${entry.name}` : entry.name;
      if (isPassedOver(entry.name)) this.passedOver++;
      else if (entry.isDirectory()) folders.push({ below: path, depth: depth + 1 });
      else if (!entry.isFile()) this.passedOver++;
      else files.push(path);
    }
    if (files.length > 0) await this.take(files);
  }

  /** Asks for size and time of files, some at the same time. With callbacks: a promise for each costs as much as the question. */
  private take(paths: readonly string[]): Promise<void> {
    let [asked, open] = [0, 0];
    return new Promise((done) => {
      const ask = () => {
        for (; open < FILES_AT_ONCE && asked < paths.length; open++) {
          const path = paths[asked++]!;
          stat(`${this.root}${sep}${path}`, (error, info) => {
            if (error) this.fail(path, 'The file disappeared, or its name is not valid UTF-8.');
            else this.onFound({ path, size: info.size, mtimeMs: info.mtimeMs });
            open--;
            ask();
          });
        }
        if (open === 0) done();
      };
      ask();
    });
  }
}
