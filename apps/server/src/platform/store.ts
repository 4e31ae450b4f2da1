import { createHash, randomUUID } from 'node:crypto';
import { copyFile, link, mkdir, open, readFile, readdir, rename, rm, stat } from 'node:fs/promises';
import { dirname, extname, join, sep } from 'node:path';

/** SHA-256 of bytes, in hex. */
export const hashOf = (bytes: Uint8Array): string => createHash('sha256').update(bytes).digest('hex');

/** Keeps versions of files by their hash. */
export interface FileStore {
  put(bytes: Uint8Array): Promise<string>;
  get(hash: string): Promise<Uint8Array>;
  /** Writes a kept version to a path and makes it durable. */
  copyTo(hash: string, path: string): Promise<void>;
}

/** Makes a file or folder durable on disk. */
export async function sync(path: string): Promise<void> {
  const handle = await open(path, 'r');
  try {
    await handle.sync();
  } finally {
    await handle.close();
  }
}

/** A version that is older than this many milliseconds and not finished will never be. */
const UNDER_WAY = 3_600_000;

/** A content-addressed store in a folder. A version is written once and never changed. */
export class DiskStore implements FileStore {
  constructor(private readonly root: string) {}

  private path(hash: string): string {
    return join(this.root, hash.slice(0, 2), hash.slice(2));
  }

  async put(bytes: Uint8Array): Promise<string> {
    const hash = hashOf(bytes);
    const target = this.path(hash);
    if (await exists(target)) return hash;
    await mkdir(dirname(target), { recursive: true });
    const temp = `${target}.${randomUUID()}`;
    const handle = await open(temp, 'wx');
    try {
      await handle.writeFile(bytes);
      await handle.sync();
      await handle.close();
      await rename(temp, target);
      await sync(dirname(target));
    } catch (error) {
      await handle.close().catch(() => undefined);
      await rm(temp, { force: true });
      throw error;
    }
    return hash;
  }

  async get(hash: string): Promise<Uint8Array> {
    const bytes = await readFile(this.path(hash));
    if (hashOf(bytes) !== hash) throw new Error(`The kept version ${hash.slice(0, 12)} is damaged.`);
    return bytes;
  }

  /** Removes what a crash left half written: names that are no versions. Those that may still be under way are left. @returns how many */
  async sweep(now: Date): Promise<number> {
    let swept = 0;
    for (const part of await readdir(this.root).catch(() => []))
      for (const name of await readdir(join(this.root, part)).catch(() => [])) {
        const path = join(this.root, part, name);
        if (/^[0-9a-f]{62}$/.test(name) || now.getTime() - ((await stat(path).catch(() => null))?.mtimeMs ?? now.getTime()) < UNDER_WAY) continue;
        await rm(path, { force: true });
        swept++;
      }
    return swept;
  }

  async copyTo(hash: string, path: string): Promise<void> {
    await copyFile(this.path(hash), path);
    await sync(path);
  }
}

/** Whether something is at a path. */
export const exists = (path: string): Promise<boolean> =>
  stat(path).then(
    () => true,
    () => false,
  );

/** Keeps the file at `path` under a second name, without copying where the file system can. */
export async function keepAs(path: string, kept: string): Promise<void> {
  await rm(kept, { force: true });
  await link(path, kept).catch(() => copyFile(path, kept));
}

/** Whether a path is a folder or stands below it. */
export const within = (path: string, folder: string): boolean => path === folder || path.startsWith(folder.endsWith(sep) ? folder : folder + sep);

/** A name like the given one under which nothing is in a folder. */
export async function freeName(folder: string, name: string): Promise<string> {
  const ending = extname(name);
  for (let n = 1; ; n++) {
    const candidate = n === 1 ? name : `${name.slice(0, name.length - ending.length)} (${n})${ending}`;
    if (!(await exists(join(folder, candidate)))) return candidate;
  }
}
