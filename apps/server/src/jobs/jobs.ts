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

/** What long work needs while it runs. */
export interface JobContext {
  /** The job's number; `null` for work that nobody watches. */
  readonly job: number | null;
  /** Aborted when someone cancels the job. */
  readonly signal: AbortSignal;
  /** Says how far the work is. Cheap to call often. */
  progress(step: string, done: number, total: number): void;
  /** Keeps an error about one file; the work goes on. */
  error(path: string, message: string): void;
  /** @throws JobCancelled when someone cancelled the job. */
  check(): void;
}

/** Thrown by work that stops because it was cancelled. */
export class JobCancelled extends Error {
  constructor() {
    super('Cancelled.');
  }
}

/** For work that nobody watches. */
export const UNWATCHED: JobContext = {
  job: null,
  signal: new AbortController().signal,
  progress: () => undefined,
  error: () => undefined,
  check: () => undefined,
};

type Runner = (context: JobContext, input: never) => Promise<unknown>;

/** Queues: geometry has its own, so that it never keeps other work waiting. */
const QUEUES = ['rule-work', 'rule-geometry'] as const;
const queueOf = (kind: JobKind): (typeof QUEUES)[number] => (kind === 'geometry' ? 'rule-geometry' : 'rule-work');

/** Jobs whose threads write what is known of files; others write tables of their own. */
const THREADS_WRITE: ReadonlySet<JobKind> = new Set(['survey', 'upload', 'geometry']);

/** Jobs that began within a request and are not begun again after a restart, with what their rows say then. */
const NOT_BEGUN_AGAIN: Readonly<Partial<Record<JobKind, string>>> = {
  // It is finished or put back from its journal.
  apply: 'The server stopped while this was applied; the journal says in History how it ended.',
  records: 'The server stopped while records were written. What was written is among the changes of records.',
};

/** Work that is done again and again. */
interface Regular {
  readonly queue: string;
  readonly seconds: number;
  readonly work: () => Promise<unknown>;
}

const CHANNEL = 'rule_jobs';
/** Longest wait between two questions to a database that does not answer. */
const LONGEST_WAIT = 5000;
/** Progress is written this often at most. */
const WRITE_EVERY = 300;

const JOB_ROW = `j.id, j.kind, j.title, coalesce(u.display_name, '') AS "by", j.state, j.step, j.done, j.total, j.started_at AS "startedAt", j.ended_at AS "endedAt", j.message, j.result,
  (SELECT count(*)::int FROM job_errors e WHERE e.job_id = j.id) AS errors,
  CASE WHEN j.state = 'running' AND j.done > 0 AND j.total > j.done THEN round(extract(epoch FROM now() - j.started_at) / j.done * (j.total - j.done))::int END AS "secondsLeft"`;

/**
 * Long work. The queue delivers a job's number to whichever server process is free; what is known about the
 * job is in one row, which every process reads and which outlives all of them. A job whose process died
 * is begun again at the next start: all work here can be begun again.
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
  /** Emits the number of every job that changed, in any process. */
  readonly changed = new EventEmitter().setMaxListeners(0);

  constructor(
    private readonly db: Db,
    private readonly url: string,
    private readonly clock: () => Date,
    private readonly warn: (problem: unknown) => void,
  ) {}

  /** Says how a kind of job is done. */
  define<Input>(kind: JobKind, run: (context: JobContext, input: Input) => Promise<unknown>): void {
    this.runners.set(kind, run);
  }

  /**
   * Says what is done again and again, by whichever server is free. Two may be at it at once, where one takes longer than the time between:
   * the work itself sees to it that nothing is done twice.
   * @param seconds between one beginning and the next
   */
  every(name: string, seconds: number, work: () => Promise<unknown>): void {
    this.regular.push({ queue: `rule-every-${name}`, seconds, work });
  }

  /** Does regular work once, after seeing to it that it will be done again. */
  private async beat({ queue, seconds, work }: Regular): Promise<void> {
    void this.patiently(() => this.boss!.send(queue, {}, { startAfter: seconds }));
    try {
      await work();
    } catch (error) {
      if (!isConnectionError(error)) this.warn(error);
    }
  }

  /** Opens the queue, takes up what dead processes left, and begins to work. */
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
      // Of those that wait, one is kept: every server that opens asks for a first one.
      await this.boss.send(regular.queue, {});
    }
    await this.takeUp();
  }

  /**
   * Makes the queues that are not there yet. Each is a table that is hung under the one that all servers work in, so two servers
   * that make one at once, or make one while another works, may wait for each other: one at a time, and again where the database gave up.
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
    // A connection that never stood is tried again by whoever wanted it; one that stood and is lost, from here, once.
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
      // The server may still hold it for the connection that was lost: then this waits, and listens already.
      await client.query(HOLD_ALIVE, [LOCKS.alive, this.runner]);
    } catch (error) {
      void client.end().catch(() => undefined);
      throw error;
    }
    standing = true;
    this.listener = client;
  }

  /** Listens again as soon as the database answers, however long that takes, and tells what may have happened meanwhile. */
  private async listenAgain(): Promise<void> {
    await this.patiently(() => this.listen());
    // A step of its own: a connection of the pool that is found dead must not make a second listener.
    await this.patiently(async () => {
      for (const job of await this.list()) this.changed.emit('job', job.id);
    });
  }

  /** Does some work again and again until the database answers. Other errors are told and end it. */
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

  /** Jobs of processes that are no longer there go back to the queue. */
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

  /** Whether jobs are run here: a server that is only asked once takes none. */
  get takesWork(): boolean {
    return this.boss !== undefined;
  }

  /** Puts a job in the queue. @returns its number */
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

  /** Runs work at once, within a request, under a job that others can watch and cancel. */
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
   * Begins work at once, under a job that others can watch and cancel, and waits a while for its end.
   * @returns the job, and its result where it came in time. @throws what the work threw in that time
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
      `UPDATE jobs SET state = 'running', runner = $2, started_at = $3, done = 0, total = 0, step = '' WHERE id = $1 AND state = 'waiting' AND NOT cancel RETURNING kind, input`,
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

  /** Puts a job that lost its database back in the queue. */
  private async putBack(id: number, kind: JobKind): Promise<void> {
    const back = await this.db.run(
      `UPDATE jobs SET state = 'waiting', runner = NULL, step = '' WHERE id = $1 AND state IN ('running', 'waiting') AND NOT cancel`,
      [id],
    );
    // Sent twice where the first answer was lost: only one of them finds it waiting.
    if (back > 0) await this.boss!.send(queueOf(kind), { job: id }, { retryLimit: 0, expireInHours: 23 });
    else await this.db.run(`UPDATE jobs SET state = 'cancelled', ended_at = $2 WHERE id = $1 AND state = 'running'`, [id, this.clock()]);
    await this.tell(id);
  }

  /** @param whenLost puts work that can be begun again back, where the database was lost under it */
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
      // Work that stopped because the server does is begun again by the next start.
      if (whenLost && this.closing && controller.signal.aborted) return result;
      // What is done is done: where the database has gone meanwhile, the row says so later.
      await this.end(id, 'done', null, result).catch((error: unknown) => {
        if (!isConnectionError(error)) throw error;
        void this.patiently(() => this.end(id, 'done', null, result));
      });
      return result;
    } catch (error) {
      write(...now);
      await pending;
      // A server that stops leaves its jobs as they are: the next start takes them up.
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
      `UPDATE jobs SET state = $2, message = $3, result = $4::jsonb, ended_at = $5, done = CASE WHEN $2 = 'done' THEN greatest(done, total) ELSE done END WHERE id = $1 RETURNING kind`,
      [id, state, message, JSON.stringify(result ?? null), this.clock()],
    );
    // What its threads have written is news for everybody.
    if (row && THREADS_WRITE.has(row.kind)) this.db.facts.written++;
    await this.tell(id);
  }

  private tell(id: number): Promise<number> {
    return this.db.run('SELECT pg_notify($1, $2)', [CHANNEL, String(id)]);
  }

  /** Cancels a job: at once while it waits, at its next step while it runs. */
  async cancel(user: Pick<User, 'id' | 'role'>, id: number): Promise<JobRow> {
    const row = await this.db.one<{ owner: number | null }>('SELECT user_id AS owner FROM jobs WHERE id = $1', [id]);
    if (!row) throw notFound(`Job ${id}`);
    if (!mayDecide(user, row.owner)) throw refused('not-yours', 'Only the person who started this or an administrator can cancel it.');
    await this.db.run(
      `UPDATE jobs SET cancel = true, state = CASE WHEN state = 'waiting' THEN 'cancelled' ELSE state END, ended_at = CASE WHEN state = 'waiting' THEN $2 ELSE ended_at END
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

  /** Jobs that wait or run, and the last ones that ended. */
  list(): Promise<JobRow[]> {
    return this.db.all<JobRow>(
      `SELECT ${JOB_ROW} FROM jobs j LEFT JOIN users u ON u.id = j.user_id WHERE j.id IN (SELECT id FROM jobs ORDER BY (state IN ('waiting', 'running')) DESC, id DESC LIMIT 30) ORDER BY j.id DESC`,
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
