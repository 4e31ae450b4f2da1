import { randomUUID } from 'node:crypto';
import { open, rename, rm, stat } from 'node:fs/promises';
import { basename, dirname, join } from 'node:path';
import { barredFiles } from '../changes/barred';
import { isTorn } from '../changes/swap';
import { copyAttributes } from '../platform/attributes';
import { LOCKS } from '../platform/locks';
import { Db } from '../platform/db';
import { readPlain } from '../platform/plain-file';
import { refused } from '../platform/problem';
import { sync } from '../platform/durable';
import { FileStore, hashOf } from '../platform/store';

async function writeInPlace(path: string, bytes: Uint8Array): Promise<void> {
  const handle = await open(path, 'r+');
  try {
    await handle.truncate(0);
    await handle.writeFile(bytes);
    await handle.sync();
  } finally {
    await handle.close();
  }
}

/** Completes interrupted in-place writes. Files changed since then are left alone. */
export async function settleNewest(db: Db, store: FileStore): Promise<void> {
  const begun = await db.all<{ file: number; path: string; old: string; fresh: string }>(
    'SELECT file_id AS file, path, old_hash AS old, new_hash AS fresh FROM newest_begun ORDER BY file_id',
  );
  for (const { file, path, old, fresh } of begun)
    await db.exclusive(LOCKS.files, async () => {
      const now = await readPlain(path).catch(() => null);
      const whole = await store.get(fresh);
      if (now !== null && ![old, fresh].includes(hashOf(now)) && isTorn(now, await store.get(old), whole)) await writeInPlace(path, whole);
      await db.run('DELETE FROM newest_begun WHERE file_id = $1', [file]);
    });
}

/** A library file as last read. */
export interface Replaced {
  readonly file: number;
  readonly path: string;
  readonly root: string;
  readonly format: string;
  readonly hash: string;
}

/**
 * Replaces an unchanged file with the vault's newest bytes, keeping owner, mode, attributes and hard links. The old bytes are stored too.
 * @throws AppError if the file was changed or is open in another program
 */
export async function putNewest(db: Db, store: FileStore, { file, path, root, format, hash }: Replaced, bytes: Uint8Array): Promise<void> {
  const full = join(root, path);
  await db.exclusive(LOCKS.files, async () => {
    const barred = await barredFiles([{ file, path, root, format, lock: null }]);
    if (barred.size) throw refused('barred', `${path}: ${barred.get(file)!}`);
    const old = await readPlain(full);
    if (hashOf(old) !== hash) throw refused('changed-on-disk', `${path} was changed on disk after Rule read it. Read the library again.`);
    await store.put(old);
    const beside = join(dirname(full), `.${basename(full)}.${randomUUID()}`);
    try {
      const handle = await open(beside, 'wx');
      try {
        await handle.writeFile(bytes);
        await handle.sync();
      } finally {
        await handle.close();
      }
      const { nlink } = await stat(full);
      const lacking = await copyAttributes([{ from: full, to: beside }]);
      if (nlink === 1 && lacking.size === 0) {
        await rename(beside, full);
        await sync(dirname(full));
        return;
      }
      // A replacement would lose links or attributes, so it is written in place, after recording what to complete after a crash.
      await store.put(bytes);
      await db.run(
        `INSERT INTO newest_begun (file_id, path, old_hash, new_hash) VALUES ($1, $2, $3, $4)
         ON CONFLICT (file_id) DO UPDATE SET path = excluded.path, old_hash = excluded.old_hash, new_hash = excluded.new_hash`,
        [file, full, hash, hashOf(bytes)],
      );
      await writeInPlace(full, bytes);
      await db.run('DELETE FROM newest_begun WHERE file_id = $1', [file]);
    } finally {
      await rm(beside, { force: true });
    }
  });
}
