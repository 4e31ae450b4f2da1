import { createHash, randomUUID } from 'node:crypto';
import { closeSync, existsSync, fsyncSync, mkdirSync, openSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { copyFile, link, mkdir, open, readFile, readdir, rename, rm, stat } from 'node:fs/promises';
import { dirname, extname, join, sep } from 'node:path';

/** SHA-256 of bytes, in hex. */
export const hashOf = (bytes: Uint8Array): string => createHash('sha256').update(bytes).digest('hex');

/** Stores versions of files by hash. */
export interface FileStore {
  put(bytes: Uint8Array): Promise<string>;
  get(hash: string): Promise<Uint8Array>;
  /** Writes a stored version to a path and syncs it. */
  copyTo(hash: string, path: string): Promise<void>;
}

/** Syncs a file or folder to disk. */
export async function sync(path: string): Promise<void> {
  const handle = await open(path, 'r');
  try {
    await handle.sync();
  } finally {
    await handle.close();
  }
}

/** Unfinished versions older than this, in milliseconds, are abandoned. */
const UNDER_WAY = 3_600_000;

/** A content-addressed store in a folder. Versions are immutable. */
export class DiskStore implements FileStore {
  constructor(private readonly root: string) {}

  protected path(hash: string): string {
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

  /**
   * Removes leftovers of crashes, except recent ones.
   * @returns how many
   */
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

/** The same store for threads, which may wait for the disk: without promises it takes less time. */
export class ThreadStore extends DiskStore {
  override put(bytes: Uint8Array): Promise<string> {
    const hash = hashOf(bytes);
    const target = this.path(hash);
    if (existsSync(target)) return Promise.resolve(hash);
    mkdirSync(dirname(target), { recursive: true });
    const temp = `${target}.${randomUUID()}`;
    try {
      const file = openSync(temp, 'wx');
      try {
        writeFileSync(file, bytes);
        fsyncSync(file);
      } finally {
        closeSync(file);
      }
      renameSync(temp, target);
      const folder = openSync(dirname(target), 'r');
      try {
        fsyncSync(folder);
      } finally {
        closeSync(folder);
      }
    } catch (error) {
      rmSync(temp, { force: true });
      throw error;
    }
    return Promise.resolve(hash);
  }
}

/** Whether a path exists. */
export const exists = (path: string): Promise<boolean> =>
  stat(path).then(
    () => true,
    () => false,
  );

/** Keeps a second name of a file, as a hard link where possible. */
export async function keepAs(path: string, kept: string): Promise<void> {
  await link(path, kept).catch(async () => {
    await rm(kept, { force: true });
    await link(path, kept).catch(() => copyFile(path, kept));
  });
}

/** Whether a path is a folder or inside it. */
export const within = (path: string, folder: string): boolean => path === folder || path.startsWith(folder.endsWith(sep) ? folder : folder + sep);

/** An unused name in a folder, similar to the given one. */
export async function freeName(folder: string, name: string): Promise<string> {
  const ending = extname(name);
  for (let n = 1; ; n++) {
    const candidate = n === 1 ? name : `${name.slice(0, name.length - ending.length)} (${n})${ending}`;
    if (!(await exists(join(folder, candidate)))) return candidate;
  }
}
