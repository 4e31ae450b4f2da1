import { JobError, JobKind, JobRow } from '@rule/contract';
import { randomInt } from 'node:crypto';
import { EventEmitter } from 'node:events';
import pg from 'pg';
import PgBoss from 'pg-boss';
import { Db, isConnectionError, isDeadlock, asRecordset } from '../platform/db';
import { HOLD_ALIVE, LOCKS } from '../platform/locks';
import { notFound, refused } from '../platform/problem';
import { User, mayDecide } from '../users/user';
import { QueueDb } from './queue-db';

/** Context of a job. */
export interface JobContext {
  /** The job's number; `null` for untracked work. */
  readonly job: number | null;
  /** Aborted when the job is cancelled. */
  readonly signal: AbortSignal;
  /** Reports progress. Cheap to call often. */
  progress(step: string, done: number, total: number): void;
  /** Records an error about one file; the job continues. */
  error(path: string, message: string): void;
  /** @throws JobCancelled when someone cancelled the job. */
  check(): void;
}

/** Thrown when a job was cancelled. */
export class JobCancelled extends Error {
  constructor() {
    super('Cancelled.');
  }
}

/** For untracked work. */
export const UNWATCHED: JobContext = {
  job: null,
  signal: new AbortController().signal,
  progress: () => undefined,
  error: () => undefined,
  check: () => undefined,
};

type Runner = (context: JobContext, input: never) => Promise<unknown>;

/** Queues; geometry has its own so it never delays other work. */
const QUEUES = ['rule-work', 'rule-geometry'] as const;
const queueOf = (kind: JobKind): (typeof QUEUES)[number] => (kind === 'geometry' ? 'rule-geometry' : 'rule-work');

/** Job kinds whose threads change data about files. */
const THREADS_WRITE: ReadonlySet<JobKind> = new Set(['upload', 'geometry']);

/** Kinds of jobs that start within a request and are not restarted, with the message their row gets. */
const NOT_BEGUN_AGAIN: Readonly<Partial<Record<JobKind, string>>> = {
  // Finished or rolled back from the journal instead.
  apply: 'The server stopped while this was applied; the journal says in History how it ended.',
  records: 'The server stopped while records were written. What was written is among the changes of records.',
};

/** Recurring work. */
interface Regular {
  readonly queue: string;
  readonly seconds: number;
  readonly work: () => Promise<unknown>;
}

const CHANNEL = 'rule_jobs';
/** Longest wait between attempts to reach the database. */
const LONGEST_WAIT = 5000;
/** Minimum interval between progress updates. */
const WRITE_EVERY = 300;

const JOB_ROW = `j.id, j.kind, j.title, coalesce(u.display_name, '') AS "by", j.state, j.step, j.done, j.total, j.started_at AS "startedAt",
  j.ended_at AS "endedAt", j.message, j.result,
  (SELECT count(*)::int FROM job_errors e WHERE e.job_id = j.id) AS errors,
  CASE WHEN j.state = 'running' AND j.done > 0
    AND j.total > j.done THEN round(extract(epoch FROM now() - j.started_at) / j.done * (j.total - j.done))::int END AS "secondsLeft"`;

/**
 * Long-running work. The queue delivers a job's number to any free server process; its state is one row that all processes read. A job
 * whose process died is restarted, so all jobs must be restartable.
 */
export class Jobs {
  private readonly runners = new Map<JobKind, Runner>();
  private readonly regular: Regular[] = [];
  private readonly running = new Map<number, AbortController>();
  private readonly runner = randomInt(1, 2 ** 31 - 1);
  private boss: PgBoss | undefined;
  private queueDb: QueueDb | undefined;
  private listener: pg.Client | undefined;
  private closing = false;
  /** Emits the number of every changed job, in any process. */
  readonly changed = new EventEmitter().setMaxListeners(0);

  constructor(
    private readonly db: Db,
    private readonly url: string,
    private readonly clock: () => Date,
    private readonly warn: (problem: unknown) => void,
  ) {}

  /** Defines the runner of a kind of job. */
  define<Input>(kind: JobKind, run: (context: JobContext, input: Input) => Promise<unknown>): void {
    this.runners.set(kind, run);
  }

  /**
   * Defines recurring work, run by any free server. Two runs may overlap if one takes longer than the interval; the work itself must
   * prevent duplicates.
   * @param seconds between starts
   */
  every(name: string, seconds: number, work: () => Promise<unknown>): void {
    this.regular.push({ queue: `rule-every-${name}`, seconds, work });
  }

  /** Runs recurring work once, after scheduling the next run. */
  private async beat({ queue, seconds, work }: Regular): Promise<void> {
    void this.patiently(() => this.boss!.send(queue, {}, { startAfter: seconds }));
    try {
      await work();
    } catch (error) {
      if (!isConnectionError(error)) this.warn(error);
    }
  }

  /** Opens the queue, takes over jobs of dead processes and starts working. */
  async open(): Promise<void> {
    this.closing = false;
    await this.listen();
    const db = new QueueDb(this.url, this.warn);
    this.queueDb = db;
    this.boss = new PgBoss({ db, schema: 'jobs', schedule: false, archiveCompletedAfterSeconds: 3600, deleteAfterDays: 1 });
    this.boss.on('error', this.warn);
    await this.boss.start();
    await this.makeQueues();
    for (const queue of QUEUES) {
      await this.boss.work<{ job: number }>(queue, { batchSize: 1, pollingIntervalSeconds: 0.5 }, ([delivered]) => db.counted(this.run(delivered!.data.job)));
    }
    for (const regular of this.regular) {
      await this.boss.work(regular.queue, { batchSize: 1, pollingIntervalSeconds: 1 }, () => db.counted(this.beat(regular)));
      // Every server requests a first run; only one is kept.
      await this.boss.send(regular.queue, {});
    }
    await this.takeUp();
  }

  /**
   * Creates missing queues. Each is a partition of one table that all servers use, so concurrent creation may deadlock: one at a time, with
   * retries.
   */
  private async makeQueues(): Promise<void> {
    const boss = this.boss!;
    const queues = [...QUEUES.map((name) => ({ name })), ...this.regular.map(({ queue }) => ({ name: queue, policy: 'short' as const, retryLimit: 0 }))];
    await this.db.exclusive(LOCKS.queues, async () => {
      const there = new Set((await boss.getQueues()).map(({ name }) => name));
      for (const queue of queues) {
        if (there.has(queue.name)) continue;
        for (let left = 5; ; left--) {
          try {
            await boss.createQueue(queue.name, queue);
            break;
          } catch (error) {
            if (left === 0 || !isDeadlock(error)) throw error;
          }
        }
      }
    });
  }

  async close(): Promise<void> {
    this.closing = true;
    for (const controller of this.running.values()) controller.abort();
    await this.queueDb?.close(async () => this.boss?.stop({ graceful: false, wait: true }));
    this.queueDb = undefined;
    await this.listener?.end().catch(() => undefined);
  }

  private async listen(): Promise<void> {
    const client = new pg.Client({ connectionString: this.url, application_name: 'rule jobs', keepAlive: true });
    // Failed first connections are retried by the caller; lost ones from here, once.
    let standing = false;
    const again = (problem?: unknown) => {
      if (!standing || this.closing) return;
      standing = false;
      if (problem) this.warn(problem);
      void client.end().catch(() => undefined);
      void this.listenAgain();
    };
    client.on('notification', ({ payload }) => this.changed.emit('job', Number(payload)));
    client.on('error', again);
    client.on('end', () => again());
    try {
      await client.connect();
      await client.query(`LISTEN ${CHANNEL}`);
      // The server may still hold the lock for the lost connection; then this waits while already listening.
      await client.query(HOLD_ALIVE, [LOCKS.alive, this.runner]);
    } catch (error) {
      void client.end().catch(() => undefined);
      throw error;
    }
    standing = true;
    this.listener = client;
  }

  /** Reconnects as soon as the database answers and reports all jobs as changed. */
  private async listenAgain(): Promise<void> {
    await this.patiently(() => this.listen());
    // Separate step: a dead pool connection must not create a second listener.
    await this.patiently(async () => {
      for (const job of await this.list()) this.changed.emit('job', job.id);
    });
  }

  /** Retries work until the database answers. Other errors are reported and end it. */
  private async patiently(work: () => Promise<unknown>): Promise<void> {
    for (let wait = 250; !this.closing; wait = Math.min(wait * 2, LONGEST_WAIT)) {
      try {
        await work();
        return;
      } catch (error) {
        if (!isConnectionError(error)) {
          this.warn(error);
          return;
        }
        await new Promise((resolve) => setTimeout(resolve, wait).unref());
      }
    }
  }

  /** Requeues jobs of dead processes. */
  private async takeUp(): Promise<void> {
    const left = await this.db.all<{ id: number; kind: JobKind }>(
      `UPDATE jobs SET state = 'waiting', runner = NULL WHERE kind <> ALL($2::text[]) AND state IN ('waiting', 'running') AND (runner IS NULL OR NOT EXISTS (
         SELECT 1 FROM pg_locks l WHERE l.locktype = 'advisory' AND l.classid = $1 AND l.objid = runner AND l.granted)) RETURNING id, kind`,
      [LOCKS.alive, Object.keys(NOT_BEGUN_AGAIN)],
    );
    for (const { id, kind } of left) await this.boss!.send(queueOf(kind), { job: id }, { retryLimit: 0, expireInHours: 23 });
    await this.db.run(
      `UPDATE jobs SET state = 'failed', ended_at = $2, message = $3::jsonb->>kind WHERE $3::jsonb ? kind AND state = 'running'
         AND NOT EXISTS (SELECT 1 FROM pg_locks l WHERE l.locktype = 'advisory' AND l.classid = $1 AND l.objid = runner AND l.granted)`,
      [LOCKS.alive, this.clock(), JSON.stringify(NOT_BEGUN_AGAIN)],
    );
  }

  /** Whether this server runs jobs. */
  get takesWork(): boolean {
    return this.boss !== undefined;
  }

  /**
   * Queues a job.
   * @returns its number
   */
  async start(user: Pick<User, 'id'> | null, kind: JobKind, title: string, input: object): Promise<number> {
    if (!this.boss) throw refused('no-queue', 'This server does not run jobs.');
    const row = await this.db.one<{ id: number }>(
      `INSERT INTO jobs (kind, title, user_id, input, state) VALUES ($1, $2, $3, $4::jsonb, 'waiting') RETURNING id`,
      [kind, title, user?.id ?? null, JSON.stringify(input)],
    );
    await this.boss.send(queueOf(kind), { job: row!.id }, { retryLimit: 0, expireInHours: 23 });
    await this.tell(row!.id);
    return row!.id;
  }

  /** Runs work within the request, as a job others can watch and cancel. */
  async within<T>(user: Pick<User, 'id'>, kind: JobKind, title: string, work: (context: JobContext) => Promise<T>): Promise<T> {
    return this.watch(await this.opened(user, kind, title), work);
  }

  private async opened(user: Pick<User, 'id'>, kind: JobKind, title: string): Promise<number> {
    const row = await this.db.one<{ id: number }>(
      `INSERT INTO jobs (kind, title, user_id, input, state, started_at, runner) VALUES ($1, $2, $3, '{}', 'running', $4, $5) RETURNING id`,
      [kind, title, user.id, this.clock(), this.runner],
    );
    return row!.id;
  }

  /**
   * Starts work as a visible job and waits briefly for it.
   * @returns the job, and its result if it finished in time.
   * @throws what the work threw in that time
   */
  async begin<T>(
    user: Pick<User, 'id'>,
    kind: JobKind,
    title: string,
    work: (context: JobContext) => Promise<T>,
    wait: number,
  ): Promise<{ job: number; result: T | null }> {
    const job = await this.opened(user, kind, title);
    await this.tell(job);
    const ended = this.watch(job, work);
    ended.catch((error: unknown) => {
      if (!(error instanceof JobCancelled)) this.warn(error);
    });
    let timer: NodeJS.Timeout | undefined;
    const later = new Promise<null>((done) => {
      timer = setTimeout(() => done(null), wait);
    });
    try {
      return { job, result: await Promise.race([ended, later]) };
    } finally {
      clearTimeout(timer);
    }
  }

  private async run(id: number): Promise<void> {
    const claimed = await this.db.one<{ kind: JobKind; input: never }>(
      `UPDATE jobs SET state = 'running', runner = $2, started_at = $3, done = 0, total = 0, step = ''
        WHERE id = $1 AND state = 'waiting' AND NOT cancel RETURNING kind, input`,
      [id, this.runner, this.clock()],
    );
    if (!claimed) return;
    await this.db.run('DELETE FROM job_errors WHERE job_id = $1', [id]);
    await this.watch(
      id,
      (context) => this.runners.get(claimed.kind)!(context, claimed.input),
      () => this.putBack(id, claimed.kind),
    ).catch((error: unknown) => {
      if (!(error instanceof JobCancelled)) this.warn(error);
    });
  }

  /** Requeues a job that lost its database. */
  private async putBack(id: number, kind: JobKind): Promise<void> {
    const back = await this.db.run(
      `UPDATE jobs SET state = 'waiting', runner = NULL, step = '' WHERE id = $1 AND state IN ('running', 'waiting') AND NOT cancel`,
      [id],
    );
    // May be sent twice; only one delivery finds it waiting.
    if (back > 0) await this.boss!.send(queueOf(kind), { job: id }, { retryLimit: 0, expireInHours: 23 });
    else await this.db.run(`UPDATE jobs SET state = 'cancelled', ended_at = $2 WHERE id = $1 AND state = 'running'`, [id, this.clock()]);
    await this.tell(id);
  }

  /** @param whenLost requeues restartable work if the database was lost */
  private async watch<T>(id: number, work: (context: JobContext) => Promise<T>, whenLost?: () => Promise<void>): Promise<T> {
    const controller = new AbortController();
    this.running.set(id, controller);
    let last = 0;
    let pending: Promise<unknown> = Promise.resolve();
    const errors: JobError[] = [];
    const write = (step: string, done: number, total: number) => {
      const kept = errors.splice(0);
      pending = pending
        .then(async () => {
          if (kept.length)
            await this.db.run(
              'INSERT INTO job_errors (job_id, path, message) SELECT $1, path, message FROM jsonb_to_recordset($2::jsonb) AS n(path text, message text)',
              [id, asRecordset(kept).replaceAll('\\u0000', '\\ufffd')],
            );
          const row = await this.db.one<{ cancel: boolean }>('UPDATE jobs SET step = $2, done = $3, total = $4 WHERE id = $1 RETURNING cancel', [
            id,
            step,
            done,
            total,
          ]);
          if (row?.cancel) controller.abort();
          await this.tell(id);
        })
        .catch(this.warn);
    };
    let now: [string, number, number] = ['', 0, 0];
    const context: JobContext = {
      job: id,
      signal: controller.signal,
      progress: (step, done, total) => {
        now = [step, done, total];
        if (performance.now() - last < WRITE_EVERY) return;
        last = performance.now();
        write(...now);
      },
      error: (path, message) => void errors.push({ path, message }),
      check: () => {
        if (controller.signal.aborted) throw new JobCancelled();
      },
    };
    try {
      const result = await work(context);
      write(...now);
      await pending;
      // Work stopped by a server shutdown is restarted at the next start.
      if (whenLost && this.closing && controller.signal.aborted) return result;
      // The work is done; if the database is gone, the row is updated later.
      await this.end(id, 'done', null, result).catch((error: unknown) => {
        if (!isConnectionError(error)) throw error;
        void this.patiently(() => this.end(id, 'done', null, result));
      });
      return result;
    } catch (error) {
      write(...now);
      await pending;
      // A server that shuts down leaves its jobs for the next start.
      if (!(this.closing && controller.signal.aborted)) {
        const cancelled = error instanceof JobCancelled || controller.signal.aborted;
        const message = cancelled ? null : error instanceof Error ? error.message : String(error);
        const end = () => this.end(id, cancelled ? 'cancelled' : 'failed', message, null);
        const last = whenLost && isConnectionError(error) && !cancelled ? whenLost : end;
        await last().catch((failed: unknown) => {
          if (!isConnectionError(failed)) this.warn(failed);
          else void this.patiently(last);
        });
      }
      throw error;
    } finally {
      this.running.delete(id);
    }
  }

  private async end(id: number, state: JobRow['state'], message: string | null, result: unknown): Promise<void> {
    const row = await this.db.one<{ kind: JobKind }>(
      `UPDATE jobs
        SET state = $2, message = $3, result = $4::jsonb, ended_at = $5, done = CASE WHEN $2 = 'done' THEN greatest(done, total) ELSE done END
        WHERE id = $1 RETURNING kind`,
      [id, state, message, JSON.stringify(result ?? null), this.clock()],
    );
    // Invalidates caches: its threads changed data.
    if (row && THREADS_WRITE.has(row.kind)) this.db.facts.written++;
    await this.tell(id);
  }

  private tell(id: number): Promise<number> {
    return this.db.run('SELECT pg_notify($1, $2)', [CHANNEL, String(id)]);
  }

  /** Cancels a job: immediately while waiting, at its next step while running. */
  async cancel(user: Pick<User, 'id' | 'role'>, id: number): Promise<JobRow> {
    const row = await this.db.one<{ owner: number | null }>('SELECT user_id AS owner FROM jobs WHERE id = $1', [id]);
    if (!row) throw notFound(`Job ${id}`);
    if (!mayDecide(user, row.owner)) throw refused('not-yours', 'Only the person who started this or an administrator can cancel it.');
    await this.db.run(
      `UPDATE jobs
       SET cancel = true, state = CASE WHEN state = 'waiting' THEN 'cancelled' ELSE state END, ended_at = CASE WHEN state = 'waiting' THEN $2 ELSE ended_at END
       WHERE id = $1 AND state IN ('waiting', 'running')`,
      [id, this.clock()],
    );
    this.running.get(id)?.abort();
    await this.tell(id);
    return this.get(id);
  }

  async get(id: number): Promise<JobRow> {
    const row = await this.db.one<JobRow>(`SELECT ${JOB_ROW} FROM jobs j LEFT JOIN users u ON u.id = j.user_id WHERE j.id = $1`, [id]);
    if (!row) throw notFound(`Job ${id}`);
    return row;
  }

  /** Waiting and running jobs, and the most recent ones. */
  list(): Promise<JobRow[]> {
    return this.db.all<JobRow>(
      `SELECT ${JOB_ROW} FROM jobs j LEFT JOIN users u ON u.id = j.user_id
        WHERE j.id IN (SELECT id FROM jobs ORDER BY (state IN ('waiting', 'running')) DESC, id DESC LIMIT 30)
        ORDER BY j.id DESC`,
    );
  }

  async errors(id: number): Promise<JobError[]> {
    return this.db.all<JobError>('SELECT path, message FROM job_errors WHERE job_id = $1 ORDER BY id LIMIT 10000', [id]);
  }

  /** Waits until a job has ended. */
  async ended(id: number): Promise<JobRow> {
    for (;;) {
      const job = await this.get(id);
      if (job.state !== 'waiting' && job.state !== 'running') return job;
      await new Promise((resolve) => setTimeout(resolve, 60));
    }
  }
}
