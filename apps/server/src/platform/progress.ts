import { Db } from './db';

/** Minimum interval between progress updates, in milliseconds. */
const EVERY = 300;

/** Reports job progress from a worker thread and stops cancelled work. */
export class Progress {
  private last = 0;

  /** @param job the job's number; `null` if untracked */
  constructor(
    private readonly db: Db,
    private readonly job: number | null,
  ) {}

  /**
   * Cheap to call often.
   * @throws Error if the job was cancelled
   */
  async at(step: string, done: number, total: number): Promise<void> {
    if (this.job === null || performance.now() - this.last < EVERY) return;
    this.last = performance.now();
    const row = await this.db.one<{ cancel: boolean }>(
      `UPDATE jobs SET step = $2, done = $3, total = $4 WHERE id = $1 RETURNING cancel, pg_notify('rule_jobs', id::text)`,
      [this.job, step, done, total],
    );
    if (row?.cancel) throw new Error('Cancelled.');
  }
}
