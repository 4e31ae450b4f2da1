import { closeSync, createReadStream, openSync, readFileSync, readSync, statSync } from 'node:fs';
import { createHash } from 'node:crypto';
import { FileError, FileReading, SNIFFED, formatById, formatOf, sniffFormat } from '@rule/core/files';
import { compileStandIns } from '@rule/core/values';
import { Birth, Readings } from '../library/readings';
import { Db } from '../platform/db';
import { hashOf } from '../platform/store';

/** Largest file that Rule reads for its values. Larger ones of unknown kinds are still hashed. */
export const LARGEST_FILE = 512 * 1024 * 1024;

/** One file as read, or why it could not be. */
export interface ReadOutcome {
  readonly path: string;
  readonly size: number;
  readonly mtimeMs: number;
  readonly hash: string;
  readonly reading: FileReading | null;
  readonly problem: string | null;
}

/** What the disk says of a file. */
export interface Listed {
  readonly size: number;
  readonly mtimeMs: number;
}

/** What Rule knows of a file whose values are kept beside it. */
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

async function hashOfFile(full: string): Promise<string> {
  const hash = createHash('sha256');
  for await (const chunk of createReadStream(full, { highWaterMark: 1 << 20 })) hash.update(chunk as Uint8Array);
  return hash.digest('hex');
}

function head(full: string): Uint8Array {
  const handle = openSync(full, 'r');
  try {
    const bytes = new Uint8Array(SNIFFED);
    return bytes.subarray(0, readSync(handle, bytes, 0, SNIFFED, 0));
  } finally {
    closeSync(handle);
  }
}

const CODES: Readonly<Record<string, string>> = {
  ENOENT: 'The file went away while the library was read.',
  EACCES: 'The server may not read the file.',
  EPERM: 'The server may not read the file.',
  EIO: 'The disk reports an error in the file.',
};

/** Where the bytes of small files stand while they are read, one file after the other. Readings keep none of them. */
const desk = new Uint8Array(1024 * 1024);

/** The bytes of a file; those of a small one only until the next file is read. */
function bytesOf(full: string, size: number): Uint8Array {
  if (size >= desk.length) return readFileSync(full);
  const handle = openSync(full, 'r');
  try {
    // As much as the file is said to have: whether it has grown meanwhile is asked afterwards.
    let length = 0;
    for (let n = -1; n !== 0 && length < size; length += n) n = readSync(handle, desk, length, size - length, length);
    return desk.subarray(0, length);
  } finally {
    closeSync(handle);
  }
}

/**
 * Reads one file. Blocking calls: the thread has nothing else to do, and for small files they cost a fraction of the others.
 * `format` names the format where the file's name is not to decide; `listed` is what the disk said of the file a moment ago.
 */
async function readOne(path: string, full: string, format?: string, listed?: Listed): Promise<ReadOutcome> {
  // What is known of the file when it goes away under the reader's hands.
  const seen = { size: -1 };
  try {
    for (let attempt = listed ? 0 : 1; ; attempt++) {
      const { size, mtimeMs } = listed && attempt === 0 ? listed : statSync(full);
      seen.size = size;
      const known = format && format !== 'other' ? formatById(format) : (formatOf(path) ?? sniffFormat(head(full)));
      if (!known) return { path, size, mtimeMs, hash: await hashOfFile(full), reading: OTHER, problem: null };
      if (size > LARGEST_FILE)
        return {
          path,
          size,
          mtimeMs,
          hash: '',
          reading: null,
          problem: `The file has ${Math.round(size / 2 ** 20)} MiB; Rule reads files up to ${LARGEST_FILE / 2 ** 20} MiB.`,
        };
      const bytes = bytesOf(full, size);
      const after = statSync(full);
      if (bytes.length !== size || after.mtimeMs !== mtimeMs || after.size !== size) {
        // It is no longer what was listed, or another program is writing: once more, then at the next rescan.
        if (attempt < 2) continue;
        return {
          path,
          size: -1,
          mtimeMs: -1,
          hash: '',
          reading: null,
          problem: 'Another program was writing the file while it was read. Read the library again.',
        };
      }
      const hash = hashOf(bytes);
      try {
        return { path, size, mtimeMs, hash, reading: known.read(bytes), problem: null };
      } catch (error) {
        return {
          path,
          size,
          mtimeMs,
          hash,
          reading: null,
          problem: error instanceof FileError ? describe(error) : `Rule failed on this file: ${wordsOf(error)}`,
        };
      }
    }
  } catch (error) {
    const code = (error as NodeJS.ErrnoException).code ?? '';
    if (!CODES[code]) throw error;
    return { path, size: seen.size, mtimeMs: -1, hash: '', reading: null, problem: CODES[code] };
  }
}

/** Reads files from disk. A broken file is an outcome like any other and stops nothing. */
export async function readFiles(input: {
  readonly paths: readonly { readonly path: string; readonly full: string; readonly format?: string }[];
}): Promise<ReadOutcome[]> {
  const outcomes: ReadOutcome[] = [];
  for (const { path, full, format } of input.paths) outcomes.push(await readOne(path, full, format));
  return outcomes;
}

/** SHA-256 of files by path; those that cannot be read are left out. */
export async function hashFiles(input: { readonly paths: readonly string[] }): Promise<Record<string, string>> {
  const hashes: Record<string, string> = {};
  for (const path of input.paths) {
    const hash = await hashOfFile(path).catch(() => undefined);
    if (hash !== undefined) hashes[path] = hash;
  }
  return hashes;
}

export interface ScanInput {
  readonly files: readonly {
    readonly id: number;
    readonly path: string;
    readonly full: string;
    /** Size and time by which it was listed. */
    readonly listed: Listed;
    /** Hash as last read, so that a file that was only touched is not stored anew. */
    readonly hash: string;
    /** Set for a file that the database does not know yet. */
    readonly born: Birth | null;
  }[];
  readonly standIns: readonly string[];
}

/** What became of a batch of files. */
export interface ScanOutcome {
  readonly failed: readonly { readonly path: string; readonly message: string }[];
  /** Files whose size or time had changed but not their bytes. */
  readonly touched: number;
}

const wordsOf = (error: unknown) => (error instanceof Error ? error.message : String(error));

/** Classes of SQLSTATE that say that a value cannot be kept: data exceptions, broken constraints, exceeded limits. */
const REFUSES_DATA = /^(22|23|54)/;

/** The code that the database gave with an error. */
const sqlState = (error: unknown): string => {
  const { code, parent } = (error ?? {}) as { code?: unknown; parent?: { code?: unknown } };
  return ([code, parent?.code].find((one) => typeof one === 'string') as string) ?? '';
};

/**
 * Reads files and stores what they hold, all in one transaction. Where the database refuses what one of them holds, the others go in
 * and that one is kept as a file that could not be read, with the reason; where even that is refused it is only reported.
 *
 * @param refused why what the files hold is not kept, if it is not
 */
export async function scanFiles(input: ScanInput, db: Db, refused: string | null = null): Promise<ScanOutcome> {
  try {
    return await scanTogether(input, db, refused);
  } catch (error) {
    if (!REFUSES_DATA.test(sqlState(error))) throw error;
    if (input.files.length === 1) {
      const message = `What it holds cannot be kept: ${wordsOf(error)}`;
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
  const failed: { path: string; message: string }[] = [];
  const touched: { id: number; size: number; mtimeMs: number }[] = [];
  for (const { id, path, full, listed, hash, born } of input.files) {
    const { path: _path, ...read } = await readOne(path, full, undefined, listed);
    const outcome = refused === null ? read : { ...read, reading: null, problem: refused };
    if (outcome.problem !== null) failed.push({ path, message: outcome.problem });
    if (outcome.hash !== '' && outcome.hash === hash) touched.push({ id, size: outcome.size, mtimeMs: outcome.mtimeMs });
    else readings.add({ id, born, ...outcome });
  }
  await db.transaction(async (sql) => {
    // What was read can be read again: no batch waits for the disk. The transactions that follow see to it that all of it is kept.
    await sql.run('SET LOCAL synchronous_commit = off');
    await readings.store(sql);
    if (touched.length)
      await sql.run(
        'UPDATE files f SET size = n.size, mtime_ms = n."mtimeMs", removed = false FROM jsonb_to_recordset($1::jsonb) AS n(id int, size bigint, "mtimeMs" double precision) WHERE f.id = n.id',
        [JSON.stringify(touched)],
      );
  });
  return { failed, touched: touched.length };
}

/** A file error with the byte at which it was noticed. */
export const describe = (error: FileError): string => (error.offset === undefined ? error.message : `${error.message} (byte ${error.offset})`);
