import { FileReading } from '@rule/core/files';
import { Db, Held } from '../platform/db';
import { LOCKS } from '../platform/locks';
import { WorkPool } from '../platform/pool';
import { JournalRow, OpenSet, journalOf, noteStaged, openSets, unclearedSets } from './journal';
import { MovedHolders, Recorder, Written } from './record';
import { Swap } from './swap';

/** The outcome of recovering an interrupted change set. */
export interface Recovered {
  readonly changeSet: number;
  /** `cleared`: recorded, only leftovers were removed. `not yet`: retried later. */
  readonly outcome: 'finished' | 'put back' | 'partly finished' | 'cleared' | 'not yet';
  /** Why it is not finished yet. */
  readonly problem?: string;
}

/** Reading of a file whose values are kept beside it. */
export const BESIDE: FileReading = {
  format: 'other',
  version: '',
  kind: 'other',
  holders: [],
  structure: null,
  blocks: [],
  inserts: [],
  sheets: [],
  problems: [],
};

/** Waits between attempts, in milliseconds; the last one repeats. */
const WAITS = [250, 500, 1000, 2000, 5000, 10_000];

const INTERRUPTED = 'Applying was interrupted, and another program changed the file.';

/**
 * Finishes or rolls back what a crash, a lost database or a full disk left between the steps of applying. Sets are independent: one that
 * cannot be finished is shown with the reason, retried, and blocks only its own files.
 */
export class Recovery {
  private again: NodeJS.Timeout | undefined;
  private attempts = 0;
  private closed = false;

  constructor(
    private readonly db: Db,
    private readonly swap: Swap,
    private readonly pool: WorkPool,
    private readonly recorder: Recorder,
    private readonly warn: (problem: unknown) => void,
  ) {}

  /**
   * Recovers all sets that need it.
   * @returns what was done, for the log
   */
  recover(): Promise<Recovered[]> {
    return this.db.exclusive(LOCKS.files, (held) => this.finishInterrupted(held));
  }

  /** Recovers as soon as the database answers, until nothing is left. */
  soon(): void {
    if (this.again || this.closed) return;
    const wait = WAITS[Math.min(this.attempts++, WAITS.length - 1)]!;
    this.again = setTimeout(() => {
      this.again = undefined;
      this.look().then(
        (left) => (left ? this.soon() : (this.attempts = 0)),
        (problem: unknown) => {
          this.warn(problem);
          this.soon();
        },
      );
    }, wait);
    this.again.unref();
  }

  /**
   * Recovers sets nobody else is working on.
   * @returns whether any are left
   */
  async look(): Promise<boolean> {
    const left = async () => (await openSets(this.db)).length + (await unclearedSets(this.db)).length > 0;
    if (!(await left())) return false;
    await this.db.exclusiveIfFree(LOCKS.files, async (held) => void (await this.finishInterrupted(held)));
    return left();
  }

  /** Stops further attempts. Resolves when nothing is being cleared any more. */
  async close(): Promise<void> {
    this.closed = true;
    clearTimeout(this.again);
    await Promise.all(this.clearing);
  }

  /** Under the file lock nobody else applies, so a set still *applying* was interrupted. */
  async finishInterrupted(held: Held): Promise<Recovered[]> {
    const outcomes: Recovered[] = [];
    for (const set of await openSets(this.db)) {
      try {
        outcomes.push({ changeSet: set.id, outcome: await this.recoverOne(set, held) });
      } catch (error) {
        held.check();
        const problem = error instanceof Error ? error.message : String(error);
        await this.db.run('UPDATE change_sets SET recovery_problem = $2 WHERE id = $1', [set.id, problem]);
        outcomes.push({ changeSet: set.id, outcome: 'not yet', problem });
        this.soon();
      }
    }
    for (const { id, user } of await unclearedSets(this.db)) {
      await this.recorder.returnFailed({ id: user }, id, []);
      await this.clear(id, await journalOf(this.db, id));
      outcomes.push({ changeSet: id, outcome: 'cleared' });
    }
    return outcomes;
  }

  /** Removes leftovers beside the files of a recorded set. */
  async clear(changeSet: number, moves: Parameters<Swap['clear']>[0]): Promise<void> {
    await this.swap.clear(moves);
    await this.db.run('UPDATE change_sets SET cleared = true WHERE id = $1', [changeSet]);
  }

  private readonly clearing = new Set<Promise<void>>();

  /** Does it while others go on. What is left by a failure or a crash is cleared before the next change or at the next start. */
  clearAside(changeSet: number, moves: Parameters<Swap['clear']>[0]): void {
    const work = this.clear(changeSet, moves)
      .catch((problem: unknown) => {
        this.warn(problem);
        this.soon();
      })
      .finally(() => this.clearing.delete(work));
    this.clearing.add(work);
  }

  private async recoverOne({ id, mode, user }: OpenSet, held: Held): Promise<Recovered['outcome']> {
    const journal = await journalOf(this.db, id);
    const { arrived, failed, elsewhere } = await this.swap.forward(journal, mode === 'whole', {
      staged: (moves) => noteStaged(this.db, id, moves),
      check: () => held.check(),
      cancelled: () => false,
      at: () => Promise.resolve(),
      progress: () => undefined,
    });
    const back = failed.size > 0 && mode === 'whole';
    const done = journal.filter((row) => arrived.includes(row));
    const beside = back ? [] : await this.besideOf(id);
    await this.recorder.record(
      id,
      [...(await this.readAgain(id, done)), ...beside],
      failed.size > 0,
      [...elsewhere].map(([{ file }, stands]) => ({ file, stands })),
    );
    await this.recorder.returnFailed({ id: user }, id, [], INTERRUPTED);
    await this.clear(id, journal);
    return done.length + beside.length === 0 ? 'put back' : failed.size > 0 ? 'partly finished' : 'finished';
  }

  /** Reads the files again: another program may have changed them since. */
  private async readAgain(changeSet: number, done: readonly JournalRow[]): Promise<Written[]> {
    if (done.length === 0) return [];
    const outcomes = await this.pool.run('readFiles', { paths: done.map(({ final, format }) => ({ path: final, full: final, format })) });
    const moved = await this.movedOf(changeSet, done);
    return done.map(({ file, target, final, newHash }, i) => ({
      file,
      stands: final,
      renamed: final !== target,
      hash: outcomes[i]!.hash || newHash,
      reading: outcomes[i]!.reading ?? BESIDE,
      moved: moved.get(file) ?? [],
    }));
  }

  /** Holders renamed by an interrupted set, by file; only fields rename holders. */
  private async movedOf(changeSet: number, done: readonly JournalRow[]): Promise<Map<number, MovedHolders>> {
    const fields = await this.db.all<{ file: number }>(`SELECT DISTINCT file_id AS file FROM change_lines WHERE change_set_id = $1 AND place = 'field'`, [
      changeSet,
    ]);
    const touched = new Set(fields.map((row) => row.file));
    const moved = new Map<number, MovedHolders>();
    for (const { file, format, oldHash, newHash } of done)
      if (touched.has(file)) moved.set(file, await this.pool.run('movedIn', { format, from: oldHash, to: newHash }));
    return moved;
  }

  /** Values beside files have no journal; they are recorded with the set or not at all. */
  private async besideOf(changeSet: number): Promise<Written[]> {
    const files = await this.db.all<{ id: number }>(
      `SELECT DISTINCT f.id FROM change_lines l JOIN targets f ON f.id = l.file_id AND f.format IN ('other', 'above') WHERE l.change_set_id = $1 AND l.accepted`,
      [changeSet],
    );
    return files.map(({ id }) => ({ file: id, stands: null, renamed: false, hash: '', reading: BESIDE, moved: [] }));
  }
}
