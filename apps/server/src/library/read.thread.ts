import { statSync } from 'node:fs';
import { FileError, FileReading, SNIFFED, formatById, formatOf, sniffFormat } from '@rule/core/files';
import { compileStandIns } from '@rule/core/values';
import { Birth, Readings } from './readings';
import { Db, Sql } from '../platform/db';
import { LOCKS, SHARE_LOCK } from '../platform/locks';
import { NotAFile, OpenFile, fillFrom, hashPlain, withPlainFile } from '../platform/plain-file';
import { hashOf } from '../platform/store';

declare module '../platform/pool' {
  interface Tasks {
    readonly readFiles: (input: Parameters<typeof readFiles>[0]) => ReturnType<typeof readFiles>;
    readonly hashFiles: (input: Parameters<typeof hashFiles>[0]) => ReturnType<typeof hashFiles>;
    readonly scanFiles: (input: ScanInput) => Promise<ScanOutcome>;
  }
}

/** Largest file read for its values. */
export const LARGEST_FILE = 512 * 1024 * 1024;

/** Largest file of unknown format that is hashed. */
const LARGEST_TOLD_APART = 64 * 1024 * 1024;

/** A file as read, or why it could not be. */
export interface ReadOutcome {
  readonly path: string;
  readonly size: number;
  readonly mtimeMs: number;
  readonly hash: string;
  readonly reading: FileReading | null;
  readonly problem: string | null;
}

/** File metadata from the disk. */
export interface Listed {
  readonly size: number;
  readonly mtimeMs: number;
}

/** Reading of a file whose values are kept beside it. */
const OTHER: FileReading = {
  format: 'other',
  version: '',
  kind: 'other',
  holders: [{ level: 'document', key: '', label: '', values: [] }],
  structure: null,
  blocks: [],
  inserts: [],
  sheets: [],
  problems: [],
};

const head = ({ fd, size }: OpenFile): Uint8Array => {
  const bytes = new Uint8Array(Math.min(SNIFFED, size));
  return bytes.subarray(0, fillFrom(fd, bytes));
};

const CODES: Readonly<Record<string, string>> = {
  ENOENT: 'The file disappeared while the library was read.',
  EACCES: 'The server has no permission to read the file.',
  EPERM: 'The server has no permission to read the file.',
  EIO: 'The disk reports an error in the file.',
};

/** Shared buffer for small files; readings keep no reference to it. */
const desk = new Uint8Array(1024 * 1024);

/** The bytes of a file; for small files valid only until the next read. */
function bytesOf({ fd, size }: OpenFile): Uint8Array {
  const bytes = size < desk.length ? desk.subarray(0, size) : new Uint8Array(size);
  return bytes.subarray(0, fillFrom(fd, bytes));
}

/** Called between pieces of work to check for cancellation. */
export type GoOn = () => boolean;

/** Thrown in the thread on cancellation. Nothing was stored. */
class GivenUp extends Error {}

const WRITING = 'Another program was writing the file. Read the library again.';

/**
 * Reads one file synchronously: the thread has nothing else to do, and it is faster for small files. `format` overrides the file name's
 * format; `listed` is recent metadata.
 */
async function readOne(path: string, full: string, format?: string, listed?: Listed, goOn: GoOn = () => true): Promise<ReadOutcome> {
  // The file disappeared while being read.
  const seen = { size: -1 };
  const unread = (size: number, mtimeMs: number, problem: string, hash = ''): ReadOutcome => ({ path, size, mtimeMs, hash, reading: null, problem });
  try {
    for (let attempt = listed ? 0 : 1; ; attempt++) {
      const read = withPlainFile(full, (file) => {
        const { size, mtimeMs } = file;
        seen.size = size;
        const known = format && format !== 'other' ? formatById(format) : (formatOf(path) ?? sniffFormat(head(file)));
        if (!known || size > LARGEST_FILE) return { size, mtimeMs, known, bytes: null };
        return { size, mtimeMs, known, bytes: bytesOf(file) };
      });
      const { size, mtimeMs, known, bytes } = read;
      // Files of unknown format are hashed only up to a size limit.
      if (!known) {
        const hash = size > LARGEST_TOLD_APART ? '' : await hashPlain(full, goOn);
        if (hash === null) throw new GivenUp();
        return { path, size, mtimeMs, hash, reading: OTHER, problem: null };
      }
      if (!bytes) return unread(size, mtimeMs, `The file is ${Math.round(size / 2 ** 20)} MiB; the limit is ${LARGEST_FILE / 2 ** 20} MiB.`);
      const after = statSync(full);
      const still = bytes.length === size && after.mtimeMs === mtimeMs && after.size === size;
      if (!still || (attempt === 0 && (listed!.mtimeMs !== mtimeMs || listed!.size !== size))) {
        // The file changed while being read: retried once, then left to the next scan.
        if (attempt < 2) continue;
        return unread(-1, -1, WRITING);
      }
      const hash = hashOf(bytes);
      try {
        return { path, size, mtimeMs, hash, reading: known.read(bytes), problem: null };
      } catch (error) {
        return unread(size, mtimeMs, error instanceof FileError ? describe(error) : `Rule failed on this file: ${wordsOf(error)}`, hash);
      }
    }
  } catch (error) {
    if (error instanceof NotAFile) return unread(seen.size, -1, error.message);
    const code = (error as NodeJS.ErrnoException).code;
    if (code === undefined) throw error;
    return unread(seen.size, -1, CODES[code] ?? `The file cannot be read (${code}).`);
  }
}

/** Reads files from disk. A broken file is reported and stops nothing. */
export async function readFiles(input: {
  readonly paths: readonly { readonly path: string; readonly full: string; readonly format?: string }[];
}): Promise<ReadOutcome[]> {
  const outcomes: ReadOutcome[] = [];
  for (const { path, full, format } of input.paths) outcomes.push(await readOne(path, full, format));
  return outcomes;
}

/** SHA-256 of files by path; unreadable ones are omitted. */
export async function hashFiles(input: { readonly paths: readonly string[] }): Promise<Record<string, string>> {
  const hashes: Record<string, string> = {};
  for (const path of input.paths) {
    const hash = await hashPlain(path).catch(() => null);
    if (hash !== null) hashes[path] = hash;
  }
  return hashes;
}

export interface ScanInput {
  readonly files: readonly {
    readonly id: number;
    readonly path: string;
    readonly full: string;
    /** Listed size and time. */
    readonly listed: Listed;
    /** Last known hash, so touched but unchanged files are not stored again; `''` to store in any case. */
    readonly hash: string;
    /** Hash in the database. */
    readonly known: string;
    /** Set for a new file. */
    readonly born: Birth | null;
  }[];
  readonly standIns: readonly string[];
  /** Non-zero once the work is cancelled. */
  readonly cancelled: Int32Array;
}

/** Outcome of a batch of files. */
export interface ScanOutcome {
  readonly failed: readonly { readonly path: string; readonly message: string }[];
  /** Files whose size or time changed but not their bytes. */
  readonly touched: number;
}

const NOTHING: ScanOutcome = { failed: [], touched: 0 };

/** Thrown if Rule wrote files of the batch after they were listed. */
class Overtaken extends Error {
  constructor(readonly files: ReadonlySet<number>) {
    super('Files were written while they were read.');
  }
}

/** Files of a batch that a change set is writing or has written since, and new ones whose path is taken meanwhile. */
async function writtenMeanwhile(sql: Sql, { files }: ScanInput): Promise<Set<number>> {
  const known = files.filter(({ born }) => born === null).map(({ id, known: hash }) => ({ id, hash }));
  const born = files.flatMap(({ id, born: birth }) => (birth === null ? [] : [{ id, library: birth.library, path: birth.path }]));
  const found = await sql.all<{ id: number }>(
    `SELECT f.id FROM jsonb_to_recordset($1::jsonb) AS n(id int, hash text) JOIN files f ON f.id = n.id WHERE f.hash <> n.hash
     UNION SELECT n.id FROM jsonb_to_recordset($1::jsonb) AS n(id int) JOIN journal j ON j.file_id = n.id
       JOIN change_sets s ON s.id = j.change_set_id WHERE s.state = 'applying'
     UNION SELECT n.id FROM jsonb_to_recordset($2::jsonb) AS n(id int, library int, path text) JOIN files f ON f.library_id = n.library AND f.path = n.path`,
    [JSON.stringify(known), JSON.stringify(born)],
  );
  return new Set(found.map((row) => row.id));
}

const wordsOf = (error: unknown) => (error instanceof Error ? error.message : String(error));

/** SQLSTATE classes for values that cannot be stored: data exceptions, broken constraints, exceeded limits. */
const REFUSES_DATA = /^(22|23|54)/;

/** SQLSTATE of an error. */
const sqlState = (error: unknown): string => {
  const { code, parent } = (error ?? {}) as { code?: unknown; parent?: { code?: unknown } };
  return ([code, parent?.code].find((one) => typeof one === 'string') as string) ?? '';
};

/**
 * Reads and stores files in one transaction. If the database rejects one file's content, it is stored as unreadable with the reason, and
 * the others go in; if even that fails, it is only reported. *
 * @param refused why the content is not stored, if so
 */
export async function scanFiles(input: ScanInput, db: Db, refused: string | null = null): Promise<ScanOutcome> {
  if (input.files.length === 0) return NOTHING;
  try {
    return await scanTogether(input, db, refused);
  } catch (error) {
    if (error instanceof GivenUp) return NOTHING;
    if (error instanceof Overtaken) return scanFiles({ ...input, files: input.files.filter(({ id }) => !error.files.has(id)) }, db, refused);
    if (!REFUSES_DATA.test(sqlState(error))) throw error;
    if (input.files.length === 1) {
      const message = `Its content cannot be stored: ${wordsOf(error)}`;
      return refused === null ? scanFiles(input, db, message) : { failed: [{ path: input.files[0]!.path, message }], touched: 0 };
    }
    const middle = input.files.length >> 1;
    const halves = [input.files.slice(0, middle), input.files.slice(middle)];
    const outcomes: ScanOutcome[] = [];
    for (const files of halves) outcomes.push(await scanFiles({ ...input, files }, db));
    return { failed: outcomes.flatMap((outcome) => outcome.failed), touched: outcomes.reduce((sum, outcome) => sum + outcome.touched, 0) };
  }
}

async function scanTogether(input: ScanInput, db: Db, refused: string | null): Promise<ScanOutcome> {
  const readings = new Readings(compileStandIns(input.standIns));
  const goOn = () => Atomics.load(input.cancelled, 0) === 0;
  const failed: { path: string; message: string }[] = [];
  const touched: { id: number; size: number; mtimeMs: number }[] = [];
  for (const { id, path, full, listed, hash, born } of input.files) {
    if (!goOn()) return NOTHING;
    const { path: _path, ...read } = await readOne(path, full, undefined, listed, goOn);
    const outcome = refused === null ? read : { ...read, reading: null, problem: refused };
    if (outcome.problem !== null) failed.push({ path, message: outcome.problem });
    if (outcome.hash !== '' && outcome.hash === hash) touched.push({ id, size: outcome.size, mtimeMs: outcome.mtimeMs });
    else readings.add({ id, born, ...outcome });
  }
  await db.transaction(async (sql) => {
    // Readings can be repeated, so batches do not wait for the disk; later transactions do.
    await sql.run('SET LOCAL synchronous_commit = off');
    await sql.all(SHARE_LOCK, [LOCKS.readings]);
    if (!goOn()) throw new GivenUp();
    const overtaken = await writtenMeanwhile(sql, input);
    if (overtaken.size > 0) throw new Overtaken(overtaken);
    await readings.store(sql);
    if (touched.length)
      await sql.run(
        `UPDATE files f SET size = n.size, mtime_ms = n."mtimeMs", removed = false
          FROM jsonb_to_recordset($1::jsonb) AS n(id int, size bigint, "mtimeMs" double precision)
          WHERE f.id = n.id`,
        [JSON.stringify(touched)],
      );
  });
  return { failed, touched: touched.length };
}

/** A file error with its byte offset. */
export const describe = (error: FileError): string => (error.offset === undefined ? error.message : `${error.message} (byte ${error.offset})`);
