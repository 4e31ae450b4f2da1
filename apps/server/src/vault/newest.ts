import { randomUUID } from 'node:crypto';
import { open, rename, rm, stat } from 'node:fs/promises';
import { basename, dirname, join } from 'node:path';
import { barredFiles } from '../changes/barred';
import { copyAttributes } from '../platform/attributes';
import { LOCKS } from '../platform/locks';
import { Db } from '../platform/db';
import { readPlain } from '../platform/plain-file';
import { refused } from '../platform/problem';
import { FileStore, hashOf, sync } from '../platform/store';

/** A file of the library, as Rule read it last. */
export interface Replaced {
  readonly file: number;
  readonly path: string;
  readonly root: string;
  readonly format: string;
  readonly hash: string;
}

/**
 * Puts the vault's newest bytes in the place of a file that is as Rule read it. What the file was to others stays: its owner, its mode, its
 * attributes, its other names. The old bytes are kept in the store too, so that nothing depends on the vault alone.
 * @throws AppError where the file was changed meanwhile, or is open in another program
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
      // Another file in its place would not be the same to others.
      const itself = await open(full, 'r+');
      try {
        await itself.truncate(0);
        await itself.write(bytes, 0, bytes.length, 0);
        await itself.sync();
      } finally {
        await itself.close();
      }
    } finally {
      await rm(beside, { force: true });
    }
  });
}
