import { spawn } from 'node:child_process';
import { randomUUID } from 'node:crypto';
import { createWriteStream } from 'node:fs';
import { mkdir, readFile, readdir, rename, rm, stat, statfs } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { Readable, Transform } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import { UploadOutcome } from '@rule/contract';
import { checkPath, decodeAs, nameKey } from '@rule/core/files';
import yauzl, { Entry, ZipFile } from 'yauzl';
import { JobContext } from '../jobs/jobs';
import { Db } from '../platform/db';
import { LOCKS } from '../platform/locks';
import { hashPlain } from '../platform/plain-file';
import { invalid, notFound } from '../platform/problem';
import { sync } from '../platform/durable';
import { FileStore } from '../platform/store';
import { LARGEST_FILE } from './read.thread';
import { isPassedOver } from './walk';

/** Limits of an archive: size, entries and unpacked bytes. */
export const LARGEST_ARCHIVE = 4 * 1024 ** 3;
const MOST_ENTRIES = 250_000;
const MOST_UNPACKED = 32 * 1024 ** 3;
/** Maximum unpacking ratio of a large entry; more is treated as an attack. */
const STEEPEST = 300;
const LARGE = 8 * 1024 ** 2;
/** The same for a whole archive: engineering files are text and compress to a tenth or twentieth. */
const STEEPEST_ARCHIVE = 100;
const LARGE_ARCHIVE = 1024 ** 3;
/** Free disk space that is always kept. */
const SPARE = 256 * 1024 ** 2;

/** @throws AppError if a disk lacks room for the given bytes */
async function checkRoom(folder: string, bytes: number): Promise<void> {
  const { bavail, bsize } = await statfs(folder);
  if (bavail * bsize < bytes + SPARE)
    throw invalid(
      'no-room',
      `The disk has ${Math.round((bavail * bsize) / 2 ** 20)} MiB left, and ${Math.round(bytes / 2 ** 20)} MiB are needed to unpack the archive.`,
    );
}

/** Syncs the file system of a folder once for any number of files. */
async function syncBelow(folder: string): Promise<void> {
  const done = await new Promise<boolean>((end) => {
    const child = spawn('sync', ['-f', folder], { stdio: 'ignore' });
    child.on('error', () => end(false));
    child.on('close', (code) => end(code === 0));
  });
  if (!done) await sync(folder);
}

const reasonOf = (error: unknown): string => {
  const code = (error as NodeJS.ErrnoException).code;
  if (code === 'ENOSPC' || code === 'EDQUOT') return 'The disk is full.';
  if (code === 'EACCES' || code === 'EPERM' || code === 'EROFS') return 'The server has no permission to write to the library.';
  if (code === 'ENOTDIR' || code === 'EISDIR' || code === 'EEXIST') return 'A folder in the path is a file, or a file is a folder.';
  return error instanceof Error ? error.message : String(error);
};

/** Rejects more than the given number of bytes. */
function atMost(limit: number, message: string): Transform {
  let seen = 0;
  return new Transform({
    transform(chunk: Buffer, _encoding, done) {
      seen += chunk.length;
      done(seen > limit ? new Error(message) : null, chunk);
    },
  });
}

interface UploadLibrary {
  readonly id: number;
  readonly root: string;
}

/** Adds files to a library, all or none; replaced files are kept. */
class Placing {
  /** Lower-case names in a folder, read once. */
  private readonly folders = new Map<string, Map<string, string>>();

  constructor(
    private readonly library: UploadLibrary,
    private readonly store: FileStore,
    private readonly locks: ReadonlyMap<string, string>,
    /** Whether the caller syncs all files at the end. */
    private readonly later: boolean,
  ) {}

  private async namesIn(folder: string): Promise<Map<string, string>> {
    let names = this.folders.get(folder);
    if (!names) {
      names = new Map((await readdir(join(this.library.root, folder)).catch(() => [])).map((name) => [nameKey(name), name]));
      this.folders.set(folder, names);
    }
    return names;
  }

  /** Moves a finished temporary file into place. */
  async place(path: string, temp: string): Promise<UploadOutcome> {
    const said = (outcome: UploadOutcome['outcome'], message: string | null = null): UploadOutcome => ({ path, outcome, message });
    const parts = path.split('/');
    for (let n = 0; n < parts.length; n++) {
      const folder = parts.slice(0, n).join('/');
      const there = (await this.namesIn(folder)).get(nameKey(parts[n]!));
      if (there !== undefined && there !== parts[n])
        return said(
          'refused',
          `The library has ${[folder, there].filter(Boolean).join('/')}, which differs only in ${there.toLowerCase() === parts[n]!.toLowerCase() ? 'case' : 'how its letters are written (Unicode form)'}.`,
        );
    }
    const lock = this.locks.get(path);
    if (lock !== undefined) return said('refused', `The file ${lock}.`);
    const target = join(this.library.root, path);
    const before = await stat(target).catch(() => undefined);
    if (before?.isDirectory()) return said('refused', 'A folder has this name.');
    if (before) {
      if ((await hashPlain(target)) === (await hashPlain(temp))) return said('same');
      if (before.size <= LARGEST_FILE) await this.store.put(await readFile(target));
    }
    await mkdir(dirname(target), { recursive: true });
    if (!this.later) await sync(temp);
    await rename(temp, target);
    if (!this.later) await sync(dirname(target));
    for (let n = 0; n < parts.length; n++) (await this.namesIn(parts.slice(0, n).join('/'))).set(nameKey(parts[n]!), parts[n]!);
    return said(before ? 'replaced' : 'added');
  }
}

/** Handles uploads, single files or archives. */
export class Uploads {
  constructor(
    private readonly db: Db,
    private readonly store: FileStore,
    private readonly temp: string,
  ) {}

  private async library(id: number): Promise<UploadLibrary> {
    const row = await this.db.one<UploadLibrary & { kind: string }>('SELECT id, root, kind FROM libraries WHERE id = $1', [id]);
    if (!row) throw notFound(`Library ${id}`);
    if (row.kind !== 'upload') throw invalid('not-an-upload', 'Files can only be uploaded to an upload library; add files to a server folder directly.');
    return row;
  }

  private async placing(library: UploadLibrary, later = false): Promise<Placing> {
    const locked = await this.db.all<{ path: string; lock: string }>(
      'SELECT path, lock_reason AS lock FROM files WHERE library_id = $1 AND lock_reason IS NOT NULL',
      [library.id],
    );
    return new Placing(library, this.store, new Map(locked.map(({ path, lock }) => [path, lock])), later);
  }

  private async tempPath(): Promise<string> {
    await mkdir(this.temp, { recursive: true });
    return join(this.temp, randomUUID());
  }

  /** Receives one file of a request. A refused file is reported, not thrown. */
  async take(libraryId: number, name: string, body: Readable): Promise<UploadOutcome> {
    const library = await this.library(libraryId);
    const checked = checkPath(name);
    const path = checked.ok ? checked.path : name;
    if (!checked.ok) return drained(body, { path, outcome: 'refused', message: checked.message });
    if (path.split('/').some(isPassedOver)) return drained(body, { path, outcome: 'passed over', message: 'Hidden files and lock files are skipped.' });
    const temp = await this.tempPath();
    try {
      await pipeline(body, atMost(LARGEST_FILE, `The file is larger than ${LARGEST_FILE / 2 ** 20} MiB.`), createWriteStream(temp));
      return await this.db.exclusive(LOCKS.files, async () => (await this.placing(library)).place(path, temp));
    } catch (error) {
      return { path, outcome: 'refused', message: reasonOf(error) };
    } finally {
      await rm(temp, { force: true });
    }
  }

  /** Stores an archive until a job unpacks it. */
  async keepArchive(libraryId: number, body: Readable): Promise<string> {
    await this.library(libraryId);
    const temp = await this.tempPath();
    await checkRoom(this.temp, 0);
    try {
      await pipeline(body, atMost(LARGEST_ARCHIVE, `The archive is larger than ${LARGEST_ARCHIVE / 2 ** 30} GiB.`), createWriteStream(temp));
      return temp;
    } catch (error) {
      await rm(temp, { force: true });
      throw invalid('bad-archive', reasonOf(error));
    }
  }

  /** Unpacks an archive into a library, entry by entry. A malicious archive is not unpacked at all. */
  async unpack(libraryId: number, archive: string, context: JobContext): Promise<UploadOutcome[]> {
    const library = await this.library(libraryId);
    try {
      const zip = await openZip(archive);
      try {
        const entries = await listEntries(zip, (await stat(archive)).size, context);
        return await this.unpackAll(library, zip, entries, context);
      } finally {
        zip.close();
      }
    } finally {
      await rm(archive, { force: true });
    }
  }

  private async unpackAll(library: UploadLibrary, zip: ZipFile, entries: readonly Entry[], context: JobContext): Promise<UploadOutcome[]> {
    const placing = await this.placing(library, true);
    const outcomes: UploadOutcome[] = [];
    const unpacked = entries.reduce((sum, entry) => sum + entry.uncompressedSize, 0);
    await checkRoom(library.root, unpacked);
    for (const [i, entry] of entries.entries()) {
      context.check();
      const name = entryName(entry);
      if (!/[/\\]$/.test(name)) outcomes.push(await this.unpackOne(placing, zip, entry, name));
      const last = outcomes.at(-1);
      if (last?.outcome === 'refused') context.error(last.path, last.message!);
      context.progress('unpacking', i + 1, entries.length);
    }
    context.progress('saving to disk', entries.length, entries.length);
    await syncBelow(library.root);
    return outcomes;
  }

  private async unpackOne(placing: Placing, zip: ZipFile, entry: Entry, name: string): Promise<UploadOutcome> {
    const refuse = (message: string): UploadOutcome => ({ path: name, outcome: 'refused', message });
    const checked = checkPath(name);
    if (!checked.ok) return refuse(checked.message);
    if (checked.path.split('/').some(isPassedOver)) return { path: checked.path, outcome: 'passed over', message: 'Hidden files and lock files are skipped.' };
    if (entry.isEncrypted()) return refuse('The entry is protected by a password.');
    if (((entry.externalFileAttributes >>> 16) & 0o170000) === 0o120000) return refuse('The entry is a link.');
    if (entry.uncompressedSize > LARGEST_FILE) return refuse(`The file is larger than ${LARGEST_FILE / 2 ** 20} MiB.`);
    if (entry.uncompressedSize > LARGE && entry.uncompressedSize > STEEPEST * entry.compressedSize)
      return refuse('The compression ratio of the entry is not plausible.');
    const temp = await this.tempPath();
    try {
      const stream = await new Promise<Readable>((done, fail) => zip.openReadStream(entry, (error, opened) => (error ? fail(error) : done(opened))));
      await pipeline(stream, atMost(entry.uncompressedSize, 'The entry is larger than it declares.'), createWriteStream(temp));
      // One entry at a time, so an apply waits for one file at most.
      return await this.db.exclusive(LOCKS.files, () => placing.place(checked.path, temp));
    } catch (error) {
      return refuse(reasonOf(error));
    } finally {
      await rm(temp, { force: true });
    }
  }
}

async function drained(body: Readable, outcome: UploadOutcome): Promise<UploadOutcome> {
  // Drains the rest of the request to keep the connection usable.
  for await (const _chunk of body);
  return outcome;
}

const openZip = (path: string): Promise<ZipFile> =>
  new Promise((done, fail) =>
    yauzl.open(path, { lazyEntries: true, autoClose: false, decodeStrings: false, validateEntrySizes: true }, (error, zip) =>
      error ? fail(invalid('bad-archive', `This zip archive cannot be read: ${error.message}.`)) : done(zip),
    ),
  );

/** Name of an entry: UTF-8 if flagged or valid, otherwise code page 437 (PKWARE's APPNOTE). */
function entryName(entry: Entry): string {
  const raw = entry.fileName as unknown as Buffer;
  try {
    return new TextDecoder('utf-8', { fatal: true }).decode(raw);
  } catch {
    return decodeAs(raw, 'cp437');
  }
}

/** Reads the table of contents. A malicious archive is refused before unpacking. */
function listEntries(zip: ZipFile, archiveSize: number, context: JobContext): Promise<Entry[]> {
  if (zip.entryCount > MOST_ENTRIES)
    return Promise.reject(invalid('bad-archive', `The archive has ${zip.entryCount} entries; Rule takes up to ${MOST_ENTRIES}.`));
  return new Promise((done, fail) => {
    const entries: Entry[] = [];
    let packed = 0;
    let unpacked = 0;
    const refuse = (message: string) => fail(invalid('bad-archive', message));
    zip.on('error', (error: Error) => refuse(`The archive is broken: ${error.message}.`));
    zip.on('end', () => done(entries));
    zip.on('entry', (entry: Entry) => {
      entries.push(entry);
      packed += entry.compressedSize;
      unpacked += entry.uncompressedSize;
      if (packed > archiveSize) return refuse('The entries of the archive overlap.');
      if (unpacked > LARGE_ARCHIVE && unpacked > STEEPEST_ARCHIVE * archiveSize) return refuse('The compression ratio of the archive is not plausible.');
      if (unpacked > MOST_UNPACKED) return refuse(`The archive unpacks to more than ${MOST_UNPACKED / 2 ** 30} GiB.`);
      context.progress('reading the directory of the archive', entries.length, zip.entryCount);
      zip.readEntry();
    });
    zip.readEntry();
  });
}
