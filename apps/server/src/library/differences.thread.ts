import { join } from 'node:path';
import { Db } from '../platform/db';
import { READ_BY } from './readings';
import { unfinishedPaths } from './unfinished';
import { Found, Walk } from './walk';

declare module '../platform/pool' {
  interface Tasks {
    readonly findDifferences: (input: DifferencesInput) => Promise<FoundDifferences | null>;
  }
}

/** A file as last read. */
export interface Known {
  readonly id: number;
  readonly path: string;
  readonly size: number;
  readonly mtime: number;
  readonly removed: boolean;
  readonly hash: string;
  readonly readBy: number;
}

export interface DifferencesInput {
  readonly library: number;
  readonly root: string;
  /** Set when the scan was cancelled. */
  readonly cancelled: Int32Array;
}

/** What differs between a folder and what was last read of it. */
export interface FoundDifferences {
  /** Number of files that are as they were read. */
  readonly unchanged: number;
  /** Files to read: new ones, and those whose size, time or reader differs. */
  readonly stale: readonly Found[];
  /** The last readings of stale files, where there are any. */
  readonly before: readonly Known[];
  /** Files that are no longer listed. */
  readonly gone: readonly Known[];
  readonly passedOver: number;
  readonly failed: readonly { readonly path: string; readonly message: string }[];
}

class Cancelled extends Error {}

/**
 * Lists a library and compares it with what was last read, by size and time. Files that a change set is writing are left out.
 * @returns `null` if cancelled
 */
export async function findDifferences({ library, root, cancelled }: DifferencesInput, db: Db): Promise<FoundDifferences | null> {
  const check = () => {
    if (Atomics.load(cancelled, 0) !== 0) throw new Cancelled();
  };
  const busy = await unfinishedPaths(db);
  const isBusy = (path: string) => busy.size > 0 && busy.has(join(root, path));
  const found: Found[] = [];
  try {
    const [rows, walk] = await Promise.all([
      db.all<Known>('SELECT id, path, size, mtime_ms AS mtime, removed, hash, read_by AS "readBy" FROM files WHERE library_id = $1', [library]),
      new Walk(root, (file) => void (isBusy(file.path) || found.push(file)), check).go(),
    ]);
    const known = new Map(rows.map((row) => [row.path, row]));
    const present = new Set(found.map((file) => file.path));
    const stale = found.filter((file) => {
      const before = known.get(file.path);
      return !before || before.removed || before.size !== file.size || before.mtime !== file.mtimeMs || before.readBy !== READ_BY;
    });
    return {
      unchanged: found.length - stale.length,
      stale,
      before: stale.flatMap((file) => known.get(file.path) ?? []),
      // Below an unreadable folder nothing counts as removed.
      gone: rows.filter(
        (file) => !file.removed && !present.has(file.path) && !isBusy(file.path) && !walk.closed.some((folder) => file.path.startsWith(folder)),
      ),
      passedOver: walk.passedOver,
      failed: walk.failed,
    };
  } catch (error) {
    if (error instanceof Cancelled) return null;
    throw error;
  }
}
