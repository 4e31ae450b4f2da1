import pg from 'pg';

/** Pauses of pg-boss between two looks at workers that have not ended when it stops. */
const LOOK = 1000;

/**
 * The connections that pg-boss works through. They are counted, with the work that it was given, because `stop` of pg-boss returns
 * while its workers still end, and goes on looking after them each second.
 */
export class QueueDb {
  private readonly pool: pg.Pool;
  private readonly busy = new Set<Promise<unknown>>();

  constructor(connectionString: string, warn: (problem: unknown) => void) {
    this.pool = new pg.Pool({ connectionString, application_name: 'pgboss', max: 3 });
    this.pool.on('error', warn);
  }

  executeSql = (text: string, values: unknown[]): Promise<pg.QueryResult> => this.counted(this.pool.query(text, values));

  /** Counts work until it ends. */
  counted<T>(work: Promise<T>): Promise<T> {
    const ended = work.catch(() => undefined).finally(() => this.busy.delete(ended));
    this.busy.add(ended);
    return work;
  }

  /** Stops a queue, and waits until nothing of it goes on. */
  async close(stop: () => Promise<void>): Promise<void> {
    const wasBusy = this.busy.size > 0;
    await stop();
    while (this.busy.size) await Promise.allSettled(this.busy);
    if (wasBusy) await new Promise((resolve) => setTimeout(resolve, LOOK + 100));
    await this.pool.end();
  }
}
