import { createHash, randomUUID } from 'node:crypto';
import { closeSync, existsSync, fsyncSync, mkdirSync, openSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { copyFile, link, mkdir, open, readFile, readdir, rename, rm, stat } from 'node:fs/promises';
import { dirname, extname, join, sep } from 'node:path';
import { sync, syncAll } from './durable';

/** SHA-256 of bytes, in hex. */
export const hashOf = (bytes: Uint8Array): string => createHash('sha256').update(bytes).digest('hex');

/** Stores versions of files by hash. */
export interface FileStore {
  put(bytes: Uint8Array): Promise<string>;
  get(hash: string): Promise<Uint8Array>;
  /** Writes a stored version to a path. @param synced whether it is synced to disk; otherwise the caller does that for many at once */
  copyTo(hash: string, path: string, synced?: boolean): Promise<void>;
  /** Keeps versions that threads have written aside, all at once. */
  keep(waiting: readonly Waiting[]): Promise<void>;
  /** Removes versions that were written aside and are not wanted. */
  forget(waiting: readonly Waiting[]): Promise<void>;
}

/** A version that was written beside its place and is not yet synced. */
export interface Waiting {
  readonly hash: string;
  readonly aside: string;
}

/** Unfinished versions older than this, in milliseconds, are abandoned. */
const UNDER_WAY = 3_600_000;

/** Waiting versions that a thread remembers. */
const MOST_WAITING = 10_000;

/** Files worked on at once: the disk is waited for together. */
const FILES_AT_ONCE = 32;

/** Works on some files at a time. @param goOn asked before each group */
export async function severalAtOnce<T>(items: readonly T[], work: (item: T) => Promise<unknown>, goOn: () => boolean = () => true): Promise<void> {
  for (let from = 0; from < items.length && goOn(); from += FILES_AT_ONCE) await Promise.all(items.slice(from, from + FILES_AT_ONCE).map(work));
}

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

  async copyTo(hash: string, path: string, synced = true): Promise<void> {
    await copyFile(this.path(hash), path);
    if (synced) await sync(path);
  }

  async keep(waiting: readonly Waiting[]): Promise<void> {
    const asides = new Map(waiting.map(({ hash, aside }) => [aside, this.path(hash)]));
    // A version has its name only when its content is on the disk: what the power takes before that is never taken for a version.
    await syncAll([...asides.keys()]);
    await severalAtOnce([...asides], ([aside, target]) =>
      rename(aside, target).catch(async (error: NodeJS.ErrnoException) => {
        // Another change has kept the same version.
        if (error.code !== 'ENOENT' || !(await exists(target))) throw error;
      }),
    );
    await syncAll([...new Set([...asides.values()].map((target) => dirname(target)))]);
  }

  async forget(waiting: readonly Waiting[]): Promise<void> {
    await severalAtOnce(waiting, ({ aside }) => rm(aside, { force: true }));
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

  /** Versions of this thread that wait, by hash. */
  private readonly waiting = new Map<string, string>();

  /** Writes a version aside without waiting for the disk. @returns its hash, and where it waits unless it is kept already */
  putAside(bytes: Uint8Array): { readonly hash: string; readonly waiting: readonly Waiting[] } {
    const hash = hashOf(bytes);
    const target = this.path(hash);
    if (existsSync(target)) return { hash, waiting: [] };
    const before = this.waiting.get(hash);
    if (before !== undefined && existsSync(before)) return { hash, waiting: [{ hash, aside: before }] };
    if (this.waiting.size >= MOST_WAITING) this.waiting.clear();
    const aside = `${target}.${randomUUID()}`;
    mkdirSync(dirname(target), { recursive: true });
    try {
      writeFileSync(aside, bytes, { flag: 'wx' });
    } catch (error) {
      rmSync(aside, { force: true });
      throw error;
    }
    this.waiting.set(hash, aside);
    return { hash, waiting: [{ hash, aside }] };
  }
}

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
