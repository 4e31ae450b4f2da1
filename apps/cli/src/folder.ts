import { open, readFile, readdir, stat } from 'node:fs/promises';
import { join } from 'node:path';
import { FileError, FileReading, SNIFFED, formatOf, sniffFormat } from '@rule/core/files';

/** One file of a folder, read or not. */
export interface FolderFile {
  readonly path: string;
  readonly reading: FileReading | null;
  readonly problem: string | null;
}

/** Largest file that is read for its values. */
const LARGEST = 512 * 1024 * 1024;
const DEEPEST = 64;

/** Hidden files and other programs' lock files do not belong to a library. */
const PASSED_OVER = /^(\.|~\$)/;

/** Paths of all files below a folder, sorted. Links are not followed, as they may form cycles. */
async function* pathsBelow(root: string, below = '', depth = 0): AsyncGenerator<string> {
  if (depth > DEEPEST) return;
  const entries = await readdir(join(root, below), { withFileTypes: true });
  for (const entry of entries.sort((a, b) => (a.name < b.name ? -1 : 1))) {
    if (PASSED_OVER.test(entry.name)) continue;
    const path = below ? `${below}/${entry.name}` : entry.name;
    if (entry.isDirectory()) yield* pathsBelow(root, path, depth + 1);
    else if (entry.isFile()) yield path;
  }
}

async function headOf(full: string): Promise<Uint8Array> {
  const handle = await open(full);
  try {
    const bytes = new Uint8Array(SNIFFED);
    const { bytesRead } = await handle.read(bytes, 0, SNIFFED, 0);
    return bytes.subarray(0, bytesRead);
  } finally {
    await handle.close();
  }
}

async function readOne(root: string, path: string): Promise<FolderFile> {
  const full = join(root, path);
  try {
    const format = formatOf(path) ?? sniffFormat(await headOf(full));
    if (!format) return { path, reading: null, problem: null };
    const { size } = await stat(full);
    if (size > LARGEST) return { path, reading: null, problem: `The file is ${Math.round(size / 2 ** 20)} MiB; the limit is ${LARGEST / 2 ** 20} MiB.` };
    return { path, reading: format.read(await readFile(full)), problem: null };
  } catch (error) {
    if (error instanceof FileError) return { path, reading: null, problem: error.message };
    const code = (error as NodeJS.ErrnoException).code;
    if (code === undefined) throw error;
    return { path, reading: null, problem: code === 'EACCES' ? 'No permission to read the file.' : `The file cannot be read (${code}).` };
  }
}

/** Reads every file below a folder, one at a time. A broken file is reported, not thrown. */
export async function* readFolder(root: string): AsyncGenerator<FolderFile> {
  for await (const path of pathsBelow(root)) yield await readOne(root, path);
}
