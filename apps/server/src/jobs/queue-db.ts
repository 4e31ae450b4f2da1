import pg from 'pg';
import { isConnectionError } from '../platform/db';

/** Polling interval of pg-boss while stopping. */
const LOOK = 1000;

/** Statements that mark jobs of a queue as ended. pg-boss does not wait for them, so nobody would handle their errors. */
const ENDS_JOBS = 'id IN (SELECT UNNEST($2::uuid[]))';
/** Pause before such a statement is repeated, in milliseconds. */
const AGAIN = 250;

type Rows = Pick<pg.QueryResult, 'rows'>;
/** What such a statement answers if it ended no job. */
const NONE_ENDED: Rows = { rows: [{ count: 0 }] };

/** Connections used by pg-boss. Work is counted, because `stop` returns while workers are still running and keeps polling them. */
export class QueueDb {
  private readonly pool: pg.Pool;
  private readonly busy = new Set<Promise<unknown>>();
  private closing = false;

  constructor(
    connectionString: string,
    private readonly warn: (problem: unknown) => void,
  ) {
    this.pool = new pg.Pool({ connectionString, application_name: 'pgboss', max: 3 });
    this.pool.on('error', warn);
  }

  executeSql = (text: string, values: unknown[]): Promise<Rows> =>
    this.counted(text.includes(ENDS_JOBS) ? this.patiently(text, values) : this.pool.query(text, values));

  /** Repeats a statement until the database answers. Other errors are reported; the queue then ends the job by its time limit. */
  private async patiently(text: string, values: unknown[]): Promise<Rows> {
    while (!this.closing) {
      try {
        return await this.pool.query(text, values);
      } catch (error) {
        if (!isConnectionError(error)) {
          this.warn(error);
          return NONE_ENDED;
        }
        await new Promise((resolve) => setTimeout(resolve, AGAIN));
      }
    }
    return NONE_ENDED;
  }

  /** Counts work until it ends. */
  counted<T>(work: Promise<T>): Promise<T> {
    const ended = work.catch(() => undefined).finally(() => this.busy.delete(ended));
    this.busy.add(ended);
    return work;
  }

  /** Stops a queue and waits until it is idle. */
  async close(stop: () => Promise<void>): Promise<void> {
    const wasBusy = this.busy.size > 0;
    await stop();
    this.closing = true;
    while (this.busy.size) await Promise.allSettled(this.busy);
    if (wasBusy) await new Promise((resolve) => setTimeout(resolve, LOOK + 100));
    await this.pool.end();
  }
}
