import { execFile } from 'node:child_process';
import { open, stat, statfs } from 'node:fs/promises';
import { dirname } from 'node:path';

/** From this number of files on, one call for a whole file system is faster than one for each file. */
const MANY = 64;

/** Files that are waited for at once. */
const AT_ONCE = 32;

/** File systems of local disks, on which `syncfs` keeps what `fsync` promises: ext2 to ext4, XFS, Btrfs, F2FS, tmpfs; numbers of statfs(2). */
const LOCAL: ReadonlySet<number> = new Set([0xef53, 0x58465342, 0x9123683e, 0xf2f52010, 0x01021994]);

/** Syncs a file or folder to disk. */
export async function sync(path: string): Promise<void> {
  const handle = await open(path, 'r');
  try {
    await handle.sync();
  } finally {
    await handle.close();
  }
}

/** Whether everything written to the file system of a folder was synced. Node.js lacks the call, so `sync` of coreutils makes it. */
async function syncedWhole(folder: string): Promise<boolean> {
  if (process.platform !== 'linux' || !LOCAL.has((await statfs(folder)).type)) return false;
  return new Promise((done) => execFile('sync', ['-f', '--', folder], (error) => done(error === null)));
}

/**
 * Syncs files or folders to disk: many of one file system by one call, few or others one by one.
 * @throws the error of the first that cannot be synced
 */
export async function syncAll(paths: readonly string[]): Promise<void> {
  const byDevice = new Map<number, { readonly folder: string; readonly paths: string[] }>();
  const folders = new Map<string, number>();
  for (const path of paths) {
    const folder = dirname(path);
    let device = folders.get(folder);
    if (device === undefined) folders.set(folder, (device = (await stat(folder)).dev));
    const group = byDevice.get(device);
    if (group) group.paths.push(path);
    else byDevice.set(device, { folder, paths: [path] });
  }
  for (const { folder, paths: own } of byDevice.values()) {
    if (own.length >= MANY && (await syncedWhole(folder))) continue;
    for (let from = 0; from < own.length; from += AT_ONCE) await Promise.all(own.slice(from, from + AT_ONCE).map(sync));
  }
}
