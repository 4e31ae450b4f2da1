import { mkdir, open, rename, rm, stat, unlink } from 'node:fs/promises';
import { basename, dirname, join } from 'node:path';
import { Heir, copyAttributes } from '../platform/attributes';
import { readPlain } from '../platform/plain-file';
import { sync, syncAll } from '../platform/durable';
import { FileStore, exists, freeName, hashOf, keepAs, severalAtOnce } from '../platform/store';

/** A file being moved from its old version to its new one, possibly under another name. */
export interface Move {
  readonly changeSet: number;
  readonly file: number;
  /** Current path. */
  readonly target: string;
  /** Path afterwards; the same, or the new name. */
  readonly final: string;
  readonly oldHash: string;
  readonly newHash: string;
  /** Whether the bytes are replaced in place, because a new file would lose something (such as hard links). */
  inPlace: boolean;
}

/** Progress of one file. */
type Position = 'before' | 'between' | 'arrived';

/** Outcome of a swap. */
export interface Swapped {
  readonly arrived: readonly Move[];
  readonly failed: ReadonlyMap<Move, unknown>;
  /** Files left under a third name because both others were taken. */
  readonly elsewhere: ReadonlyMap<Move, string>;
}

/** Callbacks during a swap. */
export interface SwapHooks {
  /** New versions are ready; `inPlace` is decided. */
  staged(moves: readonly Move[]): Promise<void>;
  /** Called before each visible step. Throws to stop at once. */
  check(): void;
  /** Whether to skip the remaining files. */
  cancelled(): boolean;
  at(step: 'staged' | 'set aside one' | 'swapping' | 'swapped one' | 'swapped'): Promise<void>;
  progress(done: number, total: number): void;
}

/** Another program changed the file after its values were compared. */
export class ChangedMeanwhile extends Error {
  constructor() {
    super('Another program changed the file in the meantime.');
  }
}

/** The new name is taken by a file outside the change. */
export class NameTaken extends Error {
  constructor() {
    super('A file with the new name already exists.');
  }
}

/** The file that has the name keeps it. */
class NameKept extends Error {
  constructor() {
    super('The file that now has the new name could not be renamed.');
  }
}

/** The work was cancelled before this file. */
class Stopped extends Error {
  constructor() {
    super('Cancelled before this file was written.');
  }
}

const privateName = ({ target, changeSet }: Move, what: 'new' | 'old') =>
  join(dirname(target), `.rule-${changeSet}-${what}-${hashOf(Buffer.from(target)).slice(0, 12)}`);

/** Temporary name of the new version; for a file written in place, the file itself between two names. */
const stagedName = (move: Move) => privateName(move, 'new');

/** Folder in which new versions get the attributes of their files, under the same names: so one process serves many files. */
const copiesFolder = ({ target, changeSet }: Move) => join(dirname(target), `.rule-${changeSet}-copies`);

/** Name of the old version until the change set is recorded; for a file written in place, a mark that it is done. */
const keptName = (move: Move) => privateName(move, 'old');

const isRenamed = (move: Move) => move.final !== move.target;

/** From this number of files on, those that keep their names take their places several at once. */
const MANY = 64;
/** How many. */
const TOGETHER = 32;

/** Moves in their order: those that keep their names and are not written in place in groups, if they are many; others alone. */
function inGroups(moves: readonly Move[]): Move[][] {
  const groups: Move[][] = [];
  let open: Move[] | null = null;
  for (const move of moves) {
    const plain = moves.length >= MANY && !isRenamed(move) && !move.inPlace;
    if (plain && open && open.length < TOGETHER) open.push(move);
    else groups.push((open = [move]));
    if (!plain) open = null;
  }
  return groups;
}

/** Unit of a disk write: written completely or not at all. */
const SECTOR = 512;

/** Whether every sector comes from the old or the new version, as after a crash during an in-place write. */
export function isTorn(now: Uint8Array, old: Uint8Array, fresh: Uint8Array): boolean {
  if (now.length !== old.length && now.length !== fresh.length && now.length > Math.max(old.length, fresh.length)) return false;
  for (let at = 0; at < now.length; at += SECTOR) {
    const piece = now.subarray(at, at + SECTOR);
    const matches = (version: Uint8Array) => Buffer.compare(piece, version.subarray(at, at + piece.length)) === 0;
    if (!matches(old) && !matches(fresh) && !piece.every((byte) => byte === 0)) return false;
  }
  return true;
}

/**
 * Moves files to their new versions and names, and back. All progress is visible on disk, so a crash between any two steps can be
 * continued.
 *
 * A new version replaces its file by renaming, so nobody sees a partial file. Renamed files first give up their old names, all of them, and
 * then take the new ones; any cycle or chain of names works.
 */
export class Swap {
  constructor(private readonly store: FileStore) {}

  /**
   * Moves files to their new versions, from any intermediate state. With `whole`, one failure rolls back all; otherwise only files that
   * depend on the failed one's name.
   * @param again whether an earlier attempt may have moved some of them; otherwise the disk need not be asked
   */
  async forward(moves: readonly Move[], whole: boolean, hooks: SwapHooks, again = true): Promise<Swapped> {
    const failed = new Map<Move, unknown>();
    const elsewhere = new Map<Move, string>();
    const at = new Map<Move, Position>();
    if (again) await severalAtOnce(moves, async (move) => at.set(move, await this.positionOf(move)));
    else for (const move of moves) at.set(move, 'before');
    const back = async (group: readonly Move[], reason: unknown) => {
      for (const move of group) if (!failed.has(move)) failed.set(move, reason);
      for (const [move, path] of await this.retreat(group)) elsewhere.set(move, path);
    };
    const outcome = async (): Promise<Swapped> => {
      const all = whole && failed.size > 0;
      if (all) for (const [move, path] of await this.retreat(moves)) elsewhere.set(move, path);
      return { arrived: all ? [] : alive(), failed, elsewhere };
    };
    const alive = () => moves.filter((move) => !failed.has(move));

    await this.stage(
      moves.filter((move) => at.get(move) !== 'arrived'),
      at,
      whole,
      failed,
      hooks,
    );
    if (whole && failed.size > 0) return outcome();
    await hooks.staged(alive());
    await hooks.at('staged');

    for (const move of alive().filter(isRenamed)) {
      if (at.get(move) !== 'before') continue;
      hooks.check();
      try {
        if (hooks.cancelled()) throw new Stopped();
        await this.giveUp(move);
      } catch (error) {
        failed.set(move, error);
        if (whole) return outcome();
        continue;
      }
      at.set(move, 'between');
      await hooks.at('set aside one');
    }
    // All old names are free; whatever holds one now keeps it.
    for (const move of alive().filter(isRenamed)) if (at.get(move) === 'between' && (await exists(move.final))) failed.set(move, new NameTaken());
    if (whole && failed.size > 0) return outcome();
    const left = dependents([...failed.keys()], moves);
    await back(
      [...left].filter((move) => isRenamed(move)),
      new NameKept(),
    );

    let done = 0;
    for (const group of inGroups(moves)) {
      const waiting = group.filter((move) => !failed.has(move) && at.get(move) !== 'arrived');
      done += group.filter((move) => at.get(move) === 'arrived').length;
      if (waiting.length === 0) continue;
      hooks.check();
      for (const _ of waiting) await hooks.at('swapping');
      const stopped = hooks.cancelled();
      const outcomes = await Promise.allSettled(waiting.map((move) => (stopped ? Promise.reject(new Stopped()) : this.arrive(move))));
      for (const [i, move] of waiting.entries()) {
        const result = outcomes[i]!;
        if (result.status === 'rejected') {
          failed.set(move, result.reason);
          continue;
        }
        at.set(move, 'arrived');
        hooks.progress(++done, moves.length);
        await hooks.at('swapped one');
      }
      const lost = waiting.filter((move) => failed.has(move));
      if (lost.length === 0) continue;
      if (whole) return outcome();
      await back([...dependents(lost, [...alive(), ...lost])], new NameKept());
    }
    // A name that is lost with the power before this is found as not arrived, and is taken again.
    const replaced = alive().filter((move) => !move.inPlace && !isRenamed(move));
    for (const folder of new Set(replaced.map((move) => dirname(move.final)))) await sync(folder);
    await hooks.at('swapped');
    return outcome();
  }

  /** Progress of a file. Unknown states count as not started; the next step finds out. */
  private async positionOf(move: Move): Promise<Position> {
    const [staged, kept] = [await exists(stagedName(move)), await exists(keptName(move))];
    if (isRenamed(move)) {
      if (move.inPlace) return staged ? 'between' : kept ? 'arrived' : 'before';
      if (!kept) return 'before';
      return !staged && (await exists(move.final)) ? 'arrived' : 'between';
    }
    return move.newHash !== move.oldHash && (await this.holds(move.target, move.newHash)) ? 'arrived' : 'before';
  }

  private async holds(path: string, hash: string): Promise<boolean> {
    const bytes = await readPlain(path).catch(() => null);
    return bytes !== null && hashOf(bytes) === hash;
  }

  /** Prepares new versions beside their files and decides which are written in place. */
  private async stage(moves: readonly Move[], at: ReadonlyMap<Move, Position>, whole: boolean, failed: Map<Move, unknown>, hooks: SwapHooks): Promise<void> {
    const heirs = new Map<Heir, Move>();
    const folders = new Map<string, Promise<unknown>>();
    const one = async (move: Move): Promise<void> => {
      try {
        if (hooks.cancelled()) throw new Stopped();
        if (at.get(move) === 'before' && (await stat(move.target)).nlink > 1 && !(await exists(keptName(move)))) {
          move.inPlace = true;
          return;
        }
        const folder = copiesFolder(move);
        if (!folders.has(folder)) folders.set(folder, mkdir(folder, { recursive: true }));
        await folders.get(folder);
        const from = at.get(move) === 'between' ? keptName(move) : move.target;
        const to = join(folder, basename(from));
        await this.store.copyTo(move.newHash, to, false);
        heirs.set({ from, to }, move);
      } catch (error) {
        // The file may be writable although its folder is not.
        if (CLOSED.has((error as NodeJS.ErrnoException).code ?? '') && !isRenamed(move)) move.inPlace = true;
        else failed.set(move, error);
      }
    };
    const waiting = moves.filter((move) => !move.inPlace);
    await severalAtOnce(waiting, one, () => {
      hooks.check();
      return !(whole && failed.size > 0);
    });
    if (whole && failed.size > 0) return;
    // Before a new version takes the place of a file, its content is on the disk.
    await syncAll([...heirs.keys()].map(({ to }) => to));
    const lacking = await copyAttributes([...heirs.keys()]);
    await severalAtOnce([...heirs], async ([heir, move]) => {
      if (lacking.has(heir) && at.get(move) === 'before') move.inPlace = true;
      else await rename(heir.to, stagedName(move));
    });
    for (const folder of folders.keys()) await rm(folder, { recursive: true, force: true });
  }

  /** Frees a file's name; the old version waits under a private name. */
  private async giveUp(move: Move): Promise<void> {
    if (!(await this.holds(move.target, move.oldHash))) throw new ChangedMeanwhile();
    await rename(move.target, move.inPlace ? stagedName(move) : keptName(move));
    await sync(dirname(move.target));
  }

  /** Moves a new version to its final name. */
  private async arrive(move: Move): Promise<void> {
    if (isRenamed(move)) {
      if (await exists(move.final)) throw new NameTaken();
      if (move.inPlace) {
        await this.writeInto(stagedName(move), move);
        await (await open(keptName(move), 'w')).close();
      }
      await rename(stagedName(move), move.final);
      await sync(dirname(move.final));
      return;
    }
    if (move.inPlace) return this.writeInto(move.target, move);
    if (!(await this.holds(move.target, move.oldHash))) throw new ChangedMeanwhile();
    await keepAs(move.target, keptName(move));
    await rename(stagedName(move), move.target);
  }

  /** Replaces the bytes of a file in place. Both versions are stored, so a torn file can be recognised. */
  private async writeInto(path: string, move: Move, back = false): Promise<void> {
    const [old, fresh] = [await this.store.get(move.oldHash), await this.store.get(move.newHash)];
    const now = new Uint8Array(await readPlain(path));
    const wanted = back ? old : fresh;
    if (Buffer.compare(now, wanted) === 0) return;
    if (!isTorn(now, old, fresh)) throw new ChangedMeanwhile();
    const handle = await open(path, 'r+');
    try {
      await handle.writeFile(wanted);
      await handle.truncate(wanted.length);
      await handle.sync();
    } finally {
      await handle.close();
    }
  }

  /**
   * Restores old versions and names, except files another program has changed. If a name is taken, a similar one is used. *
   * @returns files that did not get their old names, with their paths
   */
  async retreat(moves: readonly Move[]): Promise<Map<Move, string>> {
    const elsewhere = new Map<Move, string>();
    // First all free their new names, then all take their old ones.
    for (const move of moves) {
      if (!isRenamed(move) || (await this.positionOf(move)) !== 'arrived') continue;
      await rename(move.final, stagedName(move));
      if (move.inPlace) await rm(keptName(move), { force: true });
      await sync(dirname(move.final));
    }
    for (const move of moves) {
      if (!isRenamed(move)) await this.restore(move);
      else if ((await this.positionOf(move)) === 'between') {
        if (move.inPlace) await this.writeInto(stagedName(move), move, true);
        const name = (await exists(move.target)) ? join(dirname(move.target), await freeName(dirname(move.target), basename(move.target))) : move.target;
        if (name !== move.target) elsewhere.set(move, name);
        await rename(move.inPlace ? stagedName(move) : keptName(move), name);
        await sync(dirname(name));
      }
      if (!move.inPlace) await rm(stagedName(move), { force: true });
    }
    return elsewhere;
  }

  /** Restores the old version of a file that kept its name. */
  private async restore(move: Move): Promise<void> {
    if (move.inPlace) {
      if (await exists(move.target)) await this.writeInto(move.target, move, true).catch(ignore(ChangedMeanwhile));
      return;
    }
    if (move.newHash === move.oldHash || !(await this.holds(move.target, move.newHash))) return;
    const kept = keptName(move);
    if (!(await exists(kept))) {
      await this.store.copyTo(move.oldHash, kept);
      await copyAttributes([{ from: move.target, to: kept }]);
    }
    await rename(kept, move.target);
    await sync(dirname(move.target));
  }

  /** Removes temporary and backup files. */
  async clear(moves: readonly Move[]): Promise<void> {
    const names = moves.flatMap((move) => [stagedName(move), keptName(move)]);
    await severalAtOnce(names, (name) => unlink(name).catch(ignoreMissing));
    for (const folder of new Set(moves.map(copiesFolder))) await rm(folder, { recursive: true, force: true });
  }
}

/** Errors meaning that nothing can be created in a folder. */
const CLOSED = new Set(['EACCES', 'EPERM', 'EROFS']);

const ignoreMissing = (error: NodeJS.ErrnoException): void => {
  if (error.code !== 'ENOENT') throw error;
};

const ignore =
  (kind: new () => Error) =>
  (error: unknown): void => {
    if (!(error instanceof kind)) throw error;
  };

/** The given files and all whose new name is kept by one of them. */
function dependents(failed: readonly Move[], moves: readonly Move[]): Set<Move> {
  const all = new Set(failed);
  const byFinal = new Map(moves.filter(isRenamed).map((move) => [move.final, move]));
  const queue = failed.filter(isRenamed);
  for (let move = queue.pop(); move; move = queue.pop()) {
    const next = byFinal.get(move.target);
    if (next && !all.has(next)) {
      all.add(next);
      queue.push(next);
    }
  }
  return all;
}
