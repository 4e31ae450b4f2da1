import { Dirent } from 'node:fs';
import { readdir, stat } from 'node:fs/promises';
import { join } from 'node:path';
import { RescanReport } from '@rule/contract';
import { formatOf } from '@rule/core/files';
import { JobContext, UNWATCHED } from '../jobs/jobs';
import { Db, rows } from '../platform/db';
import { readSettings } from '../schema/settings';
import { ScanInput } from '../threads/read';
import { WorkPool } from '../threads/pool';
import { assignClasses } from './classes';
import { matchIdentities } from './identities';
import { recount } from './counts';
import { assignWide } from '../projects/members';
import { noteArrivals } from '../values/to-dos';

/** The lock under which a library's files are read or written: one scan or apply at a time in all processes. */
export const FILES_LOCK = 7301;

/** A batch that a worker reads in one go holds at most so many files and bytes. */
const BATCH_FILES = 100;
const BATCH_BYTES = 12 * 1024 * 1024;

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
}

type Report = { -readonly [K in keyof RescanReport]: RescanReport[K] } & { failed: { path: string; message: string }[] };

const emptyReport = (): Report => ({ added: 0, changed: 0, moved: 0, removed: 0, unchanged: 0, passedOver: 0, failed: [] });

/** Reads what is new or changed in libraries: by size and time first, by content only where those differ. */
export class Scanner {
  constructor(
    private readonly db: Db,
    private readonly pool: WorkPool,
    private readonly clock: () => Date,
  ) {}

  /** Reads all libraries, or one of them. */
  async rescan(context: JobContext = UNWATCHED, only: number | null = null): Promise<RescanReport> {
    return this.db.exclusive(FILES_LOCK, async () => {
      const report = emptyReport();
      try {
        for (const { id, root, known } of await this.db.all<{ id: number; root: string; known: boolean }>(
          'SELECT id, root, surveyed_at IS NOT NULL AS known FROM libraries WHERE $1::int IS NULL OR id = $1 ORDER BY id',
          [only],
        ))
          await this.rescanOne(id, root, known, report, context);
      } finally {
        // Also after a cancelled scan: what was read is put in its place.
        if (report.added + report.changed + report.moved + report.removed > 0) await this.settle(context);
      }
      for (const { path, message } of report.failed) context.error(path, message);
      return report;
    });
  }

  /** Works out anew what follows from the files: classes, what stands for what, counts. */
  async settle(context: JobContext = UNWATCHED): Promise<void> {
    const { modelProperty } = await readSettings(this.db);
    context.progress('sorting into classes', 0, 0);
    await this.db.transaction(async (sql) => {
      await assignClasses(sql, null);
      await assignWide(sql, null);
      await matchIdentities(sql, modelProperty);
    });
    context.progress('counting names', 0, 0);
    await recount(this.db, null);
  }

  private async rescanOne(library: number, root: string, wasRead: boolean, report: Report, context: JobContext): Promise<void> {
    if (!(await stat(root).catch(() => undefined))?.isDirectory()) {
      report.failed.push({ path: root, message: 'The folder is not there; what was last read from it is kept.' });
      return;
    }
    context.progress('listing files', 0, 0);
    const found: Found[] = [];
    // The database is asked while the disk is.
    const [rowsKnown, walk] = await Promise.all([
      this.db.all<Known>('SELECT id, path, size, mtime_ms AS mtime, removed, hash FROM files WHERE library_id = $1', [library]),
      new Walk(root, found, context).go(),
    ]);
    const known = new Map(rowsKnown.map((row) => [row.path, row]));
    report.passedOver += walk.passedOver;
    report.failed.push(...walk.failed);
    const present = new Set(found.map((file) => file.path));
    const stale = found.filter((file) => {
      const before = known.get(file.path);
      return !before || before.removed || before.size !== file.size || before.mtime !== file.mtimeMs;
    });
    report.unchanged += found.length - stale.length;
    // Below a folder that could not be read nothing is known to be gone.
    const gone = [...known.values()].filter((file) => !file.removed && !present.has(file.path) && !walk.closed.some((folder) => file.path.startsWith(folder)));
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
    await this.insert(
      library,
      left.filter((file) => !known.has(file.path)),
      known,
    );
    const isNew = ({ path }: Found) => known.get(path)!.size === -1 || known.get(path)!.removed;
    const added = left.filter(isNew);
    report.added += added.length;
    report.changed += left.length - added.length;

    const { standIns } = await readSettings(this.db);
    const batches = batchesOf(left);
    let done = 0;
    const work = async () => {
      for (let batch = batches.shift(); batch; batch = batches.shift()) {
        context.check();
        const files = batch.map(({ path }): ScanInput['files'][number] => {
          const { id, hash, removed } = known.get(path)!;
          return { id, path, full: join(root, path), hash: removed ? '' : hash };
        });
        const outcome = await this.pool.run('scanFiles', { files, standIns });
        report.failed.push(...outcome.failed);
        report.changed -= outcome.touched;
        report.unchanged += outcome.touched;
        done += batch.length;
        context.progress('reading files', done, left.length);
      }
    };
    // Two batches a thread: one is stored while the other is read.
    await Promise.all([work(), work(), work(), work()]);
    const ids = gone.filter((file) => !movedIds.has(file.id)).map((file) => file.id);
    report.removed += ids.length;
    await this.db.transaction(async (sql) => {
      if (ids.length) {
        await sql.run('UPDATE files SET removed = true, model_file_id = NULL WHERE id = ANY($1::int[])', [ids]);
        await sql.run('DELETE FROM holders WHERE file_id = ANY($1::int[])', [ids]);
        await sql.run('DELETE FROM held_values WHERE file_id = ANY($1::int[])', [ids]);
      }
      // A library that is read for the first time is no news, file by file.
      if (wasRead) {
        const idsOf = (files: readonly Found[]) => files.map(({ path }) => known.get(path)!.id);
        await noteArrivals(sql, idsOf(added), 'new', this.clock());
        await noteArrivals(sql, idsOf(left.filter((file) => !isNew(file))), 'changed', this.clock());
      }
      await sql.run('UPDATE libraries SET surveyed_at = $2 WHERE id = $1', [library, this.clock()]);
    });
  }

  /** Files that went away and came up elsewhere with the same bytes. Where two could be meant, none is. */
  private async findMoves(root: string, fresh: readonly Found[], gone: readonly Known[]): Promise<Map<Found, Known>> {
    const moves = new Map<Found, Known>();
    const sizes = new Set(gone.map((file) => file.size));
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
      [rows(list)],
    );
  }

  private async insert(library: number, fresh: readonly Found[], known: Map<string, Known>): Promise<void> {
    for (let from = 0; from < fresh.length; from += 5000) {
      const news = fresh.slice(from, from + 5000).map(({ path }) => {
        const format = formatOf(path)?.id ?? 'other';
        return { path, ...placeOf(path), kind: format === 'dxf' ? 'drawing' : format === 'step' ? 'part' : 'other', format };
      });
      const added = await this.db.all<{ id: number; path: string }>(
        `INSERT INTO files (library_id, path, folder, name, kind, format, size, mtime_ms, hash, problem)
         SELECT $1, path, folder, name, kind, format, -1, -1, '', 'The file was not read yet. Read the library again.'
         FROM jsonb_to_recordset($2::jsonb) AS n(path text, folder text, name text, kind text, format text) RETURNING id, path`,
        [library, rows(news)],
      );
      for (const { id, path } of added) known.set(path, { id, path, size: -1, mtime: -1, removed: false, hash: '' });
    }
  }
}

const placeOf = (path: string) => {
  const slash = path.lastIndexOf('/');
  return { folder: slash < 0 ? '' : path.slice(0, slash), name: path.slice(slash + 1) };
};

function batchesOf(files: readonly Found[]): Found[][] {
  const batches: Found[][] = [];
  let bytes = 0;
  for (const file of files) {
    const last = batches.at(-1);
    if (!last || last.length >= BATCH_FILES || bytes + file.size > BATCH_BYTES) {
      batches.push([file]);
      bytes = file.size;
    } else {
      last.push(file);
      bytes += file.size;
    }
  }
  return batches;
}

/** Finds the files below a folder. Links are not followed; a folder that cannot be entered is reported. */
class Walk {
  private passedOver = 0;
  private readonly failed: { path: string; message: string }[] = [];
  /** Folders, with their slash, of which nothing is known. */
  private readonly closed: string[] = [];

  constructor(
    private readonly root: string,
    private readonly into: Found[],
    private readonly context: JobContext,
  ) {}

  async go(): Promise<{ passedOver: number; failed: { path: string; message: string }[]; closed: string[] }> {
    await this.enter('', 0);
    return { passedOver: this.passedOver, failed: this.failed, closed: this.closed };
  }

  private fail(path: string, message: string): void {
    this.failed.push({ path, message });
  }

  /** @param below path of a folder below the root, `''` for the root itself */
  private async enter(below: string, depth: number): Promise<void> {
    if (depth > DEEPEST) {
      this.fail(below, `Folders are nested more than ${DEEPEST} deep; this one is not read.`);
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
        code === 'ENOENT' ? 'The folder went away while the library was read.' : `The folder cannot be read (${code}); what was last read from it is kept.`,
      );
      return;
    }
    let waiting: Promise<void>[] = [];
    for (const entry of entries) {
      const path = below ? `${below}/${entry.name}` : entry.name;
      if (isPassedOver(entry.name)) this.passedOver++;
      else if (entry.isDirectory()) await this.enter(path, depth + 1);
      else if (!entry.isFile()) this.passedOver++;
      else {
        waiting.push(this.take(path));
        if (waiting.length >= 64) {
          await Promise.all(waiting);
          waiting = [];
        }
      }
    }
    await Promise.all(waiting);
  }

  private async take(path: string): Promise<void> {
    const info = await stat(join(this.root, path)).catch(() => undefined);
    if (!info) this.fail(path, 'The file went away, or its name is not valid UTF-8.');
    else this.into.push({ path, size: info.size, mtimeMs: info.mtimeMs });
  }
}
