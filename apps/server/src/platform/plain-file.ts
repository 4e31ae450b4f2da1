import { closeSync, constants, createReadStream, fstatSync, openSync, readSync } from 'node:fs';
import { FileHandle, open } from 'node:fs/promises';
import { createHash } from 'node:crypto';

/** What is under a path is no plain file: a folder, a link, a pipe, a socket, a device. */
export class NotAFile extends Error {
  constructor(what: string) {
    super(`This path is ${what}, not a file.`);
  }
}

/** Opening never waits, as it would for a pipe that nobody writes to, and never leads elsewhere by a link. */
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

/** Errors of opening that say what is there. */
function named(error: unknown): unknown {
  const code = (error as NodeJS.ErrnoException).code;
  if (code === 'ELOOP') return new NotAFile('a link');
  return code === 'ENXIO' ? new NotAFile('a socket or device') : error;
}

/** Size and time of a file that is open. */
export interface OpenFile {
  readonly fd: number;
  readonly size: number;
  readonly mtimeMs: number;
}

/** Opens a plain file and hands it to some work. @throws NotAFile, or the system's error */
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

/** Fills `into` from the beginning of an open file. @returns how many bytes there were */
export function fillFrom(fd: number, into: Uint8Array): number {
  let length = 0;
  for (let n = -1; n !== 0 && length < into.length; length += n) n = readSync(fd, into, length, into.length - length, length);
  return length;
}

/** A plain file, open for reading; whoever opens it closes it. @throws NotAFile, or the system's error */
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

/** The bytes of a plain file. @throws NotAFile, or the system's error */
export async function readPlain(path: string): Promise<Buffer> {
  const handle = await openPlain(path);
  try {
    return await handle.readFile();
  } finally {
    await handle.close();
  }
}

/** SHA-256 of a plain file in hex, piece by piece. @param goOn asked between pieces; where it says no, the answer is `null` */
export async function hashPlain(path: string, goOn: () => boolean = () => true): Promise<string | null> {
  withPlainFile(path, () => undefined);
  const hash = createHash('sha256');
  for await (const chunk of createReadStream(path, { highWaterMark: 1 << 20, flags: CAREFULLY as unknown as string })) {
    if (!goOn()) return null;
    hash.update(chunk as Uint8Array);
  }
  return hash.digest('hex');
}
