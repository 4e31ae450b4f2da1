import { Db } from './db';

/** How often progress is written at most, in milliseconds. */
const EVERY = 300;

/** Says from within a worker thread how far a job is, and stops the work when someone has cancelled it. */
export class Progress {
  private last = 0;

  /** @param job number of the job; `null` for work that nobody watches */
  constructor(
    private readonly db: Db,
    private readonly job: number | null,
  ) {}

  /** Cheap to call often. @throws Error when the job was cancelled */
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
