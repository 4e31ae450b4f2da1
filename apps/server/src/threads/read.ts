import { readFile, stat } from 'node:fs/promises';
import { FileError, FileReading, requireFormat } from '@rule/core/files';
import { hashOf } from '../platform/store';

/** Largest file that Rule reads. */
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

/** Reads files from disk. A broken file is an outcome like any other and stops nothing. */
export async function readFiles(input: { readonly paths: readonly { readonly path: string; readonly full: string }[] }): Promise<ReadOutcome[]> {
  const outcomes: ReadOutcome[] = [];
  for (const { path, full } of input.paths) {
    const { size, mtimeMs } = await stat(full);
    if (size > LARGEST_FILE) {
      outcomes.push({
        path,
        size,
        mtimeMs,
        hash: '',
        reading: null,
        problem: `The file has ${Math.round(size / 2 ** 20)} MiB; Rule reads files up to ${LARGEST_FILE / 2 ** 20} MiB.`,
      });
      continue;
    }
    const bytes = await readFile(full);
    const hash = hashOf(bytes);
    try {
      outcomes.push({ path, size, mtimeMs, hash, reading: requireFormat(path).read(bytes), problem: null });
    } catch (error) {
      if (!(error instanceof FileError)) throw error;
      outcomes.push({ path, size, mtimeMs, hash, reading: null, problem: describe(error) });
    }
  }
  return outcomes;
}

/** A file error with the byte at which it was noticed. */
export const describe = (error: FileError): string => (error.offset === undefined ? error.message : `${error.message} (byte ${error.offset})`);
