import { closeSync, constants, createReadStream, fstatSync, openSync, readSync } from 'node:fs';
import { FileHandle, open } from 'node:fs/promises';
import { createHash } from 'node:crypto';

/** The path is not a regular file but a folder, link, pipe, socket or device. */
export class NotAFile extends Error {
  constructor(what: string) {
    super(`This path is ${what}, not a file.`);
  }
}

/** Never blocks on a pipe and never follows a link. */
const CAREFULLY = constants.O_RDONLY | constants.O_NONBLOCK | constants.O_NOFOLLOW;

interface Info {
  isFile(): boolean;
  isDirectory(): boolean;
  isFIFO(): boolean;
  isSocket(): boolean;
}

function checkPlain(info: Info): void {
  if (info.isFile()) return;
  throw new NotAFile(info.isDirectory() ? 'a folder' : info.isFIFO() ? 'a pipe' : info.isSocket() ? 'a socket' : 'a device');
}

/** Open errors that identify what is there. */
function named(error: unknown): unknown {
  const code = (error as NodeJS.ErrnoException).code;
  if (code === 'ELOOP') return new NotAFile('a link');
  return code === 'ENXIO' ? new NotAFile('a socket or device') : error;
}

/** Size and time of an open file. */
export interface OpenFile {
  readonly fd: number;
  readonly size: number;
  readonly mtimeMs: number;
}

/**
 * Opens a regular file and passes it to a function.
 * @throws NotAFile, or the system's error
 */
export function withPlainFile<T>(path: string, work: (file: OpenFile) => T): T {
  let fd: number;
  try {
    fd = openSync(path, CAREFULLY);
  } catch (error) {
    throw named(error);
  }
  try {
    const info = fstatSync(fd);
    checkPlain(info);
    return work({ fd, size: info.size, mtimeMs: info.mtimeMs });
  } finally {
    closeSync(fd);
  }
}

/**
 * Fills `into` from the start of an open file.
 * @returns bytes read
 */
export function fillFrom(fd: number, into: Uint8Array): number {
  let length = 0;
  for (let n = -1; n !== 0 && length < into.length; length += n) n = readSync(fd, into, length, into.length - length, length);
  return length;
}

/**
 * Opens a regular file for reading; the caller closes it.
 * @throws NotAFile, or the system's error
 */
export async function openPlain(path: string): Promise<FileHandle> {
  const handle = await open(path, CAREFULLY).catch((error: unknown) => {
    throw named(error);
  });
  try {
    checkPlain(await handle.stat());
    return handle;
  } catch (error) {
    await handle.close();
    throw error;
  }
}

/**
 * The bytes of a regular file.
 * @throws NotAFile, or the system's error
 */
export async function readPlain(path: string): Promise<Buffer> {
  const handle = await openPlain(path);
  try {
    return await handle.readFile();
  } finally {
    await handle.close();
  }
}

/**
 * SHA-256 of a regular file in hex.
 * @param goOn called between pieces; returns `null` once it returns false
 */
export async function hashPlain(path: string, goOn: () => boolean = () => true): Promise<string | null> {
  withPlainFile(path, () => undefined);
  const hash = createHash('sha256');
  for await (const chunk of createReadStream(path, { highWaterMark: 1 << 20, flags: CAREFULLY as unknown as string })) {
    if (!goOn()) return null;
    hash.update(chunk as Uint8Array);
  }
  return hash.digest('hex');
}
