import { AsyncLocalStorage } from 'node:async_hooks';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import pg from 'pg';
import { from as copyFrom } from 'pg-copy-streams';
import { QueryTypes, Sequelize, Transaction } from 'sequelize';
import { preparingDriver } from './prepared-client';
import { TAKE_LOCK, TRY_LOCK, TRY_LOCK_ALONE } from './locks';

/** Runs SQL with numbered parameters, inside a transaction or outside of one. */
export interface Sql {
  all<T extends object>(text: string, bind?: readonly unknown[]): Promise<T[]>;
  one<T extends object>(text: string, bind?: readonly unknown[]): Promise<T | undefined>;
  /** Number of rows touched. */
  run(text: string, bind?: readonly unknown[]): Promise<number>;
  /** Adds rows by COPY, the fastest way in. Only inside a transaction. @param table name with its columns in brackets */
  copy(table: string, rows: CopySource): Promise<void>;
  /**
   * What `read` answers, which depends on the tables of {@link STAMP} alone: kept until one of them is written, by whichever server. It costs
   * one small statement, and is shared: not to be changed.
   */
  kept<T>(key: string, read: (sql: Sql) => Promise<T>): Promise<T>;
}

/** What becomes another one whenever what the company has laid down changes: its edition, lists and settings. */
const STAMP = `SELECT string_agg(name || n, ' ' ORDER BY name) AS stamp FROM law_stamps`;

export type CopyValue = string | number | boolean | null;

/** Rows as they come, or made ready before. */
export type CopySource = Iterable<readonly CopyValue[]> | CopyRows;

/** Characters of one piece of a COPY stream. */
const COPY_PIECE = 256 * 1024;

const ESCAPES: Readonly<Record<string, string>> = { '\\': '\\\\', '\t': '\\t', '\n': '\\n', '\r': '\\r', '\0': '\ufffd' };

/** What stands for no value in PostgreSQL's text format for COPY. */
export const COPY_NULL = '\\N';

/** A text in PostgreSQL's text format for COPY. It cannot hold the character U+0000. Most texts hold nothing that must be escaped. */
export const copiedText = (text: string): string => (/[\\\t\n\r\0]/.test(text) ? text.replace(/[\\\t\n\r\0]/g, (c) => ESCAPES[c]!) : text);

/** A row in that format. */
function copyLine(row: readonly CopyValue[]): string {
  let line = '';
  for (let i = 0; i < row.length; i++) {
    if (i) line += '\t';
    const value = row[i]!;
    if (value === null) line += COPY_NULL;
    else if (typeof value === 'string') line += copiedText(value);
    else line += value === true ? 't' : value === false ? 'f' : String(value);
  }
  return `${line}\n`;
}

function* copyText(list: Iterable<readonly CopyValue[]>): Generator<string> {
  let piece = '';
  for (const row of list) {
    piece += copyLine(row);
    if (piece.length > COPY_PIECE) {
      yield piece;
      piece = '';
    }
  }
  if (piece) yield piece;
}

/** Rows for COPY as the bytes that are sent, so that what they were made from need not be held until then. */
export class CopyRows {
  private readonly pieces: Uint8Array[] = [];

  add(list: Iterable<readonly CopyValue[]>): void {
    let piece = '';
    for (const row of list) piece += copyLine(row);
    this.addLines(piece);
  }

  /** Adds rows that are in COPY's text format already, each with its line end. */
  addLines(lines: string): void {
    if (lines) this.pieces.push(Buffer.from(lines));
  }

  /** All rows, in as few pieces as they can be sent. */
  get sent(): Iterable<Uint8Array> {
    return this.pieces.length ? [Buffer.concat(this.pieces)] : [];
  }
}

/** Rows as one parameter for `jsonb_to_recordset`: one statement for any number of rows. */
export const asRecordset = (list: readonly object[]): string => JSON.stringify(list);

/** Names of errors of the pool and driver that say that there is no connection. */
const CANNOT_CONNECT = /^Sequelize(Connection|HostNot|AccessDenied)/;

/** Statements that write and answer with rows. */
const WRITES = /^\s*(INSERT|UPDATE|DELETE|WITH[^]*\b(INSERT|UPDATE|DELETE)\b)/;

/** Statements that write what is known of files, of the schema and of what both are mapped to. Trays, jobs, sessions and the like are not among it. */
const FACTS =
  /\b(INSERT INTO|UPDATE|DELETE FROM) "?(files|holders|held_values|settled_parts|copies|properties|bom_layouts|classes|beside_values|name_counts|name_facts|libraries|settings|send_outs|editions|choice_lists|arrivals|wide_holders|wide_members|block_definitions|findings|exchange_layouts|foreign_mappings|surveys|file_shapes|sheets|placed_blocks|sheet_models|cell_states|vault_records|vault_said)\b/;

/** Statements after which a transaction may see others' work that it did not see before, because they wait for it. */
const WAITS = /\bFOR UPDATE\b|advisory/;

/** Thrown where work goes on whose lock someone else may have by now. */
export class LockLost extends Error {
  constructor() {
    super('The connection that held the lock is gone.');
  }
}

/** A lock that is held while its connection lives. */
export class Held {
  private lost = false;

  private readonly lose = () => {
    this.lost = true;
  };

  constructor(private readonly connection: pg.Client) {
    connection.once('error', this.lose);
    connection.once('end', this.lose);
  }

  /** The connection goes back to its pool. */
  release(): void {
    this.connection.off('error', this.lose);
    this.connection.off('end', this.lose);
  }

  /** Asked between steps that must not be taken by two at once. @throws LockLost */
  check(): void {
    if (this.lost) throw new LockLost();
  }
}

// bigint counts fit a double; PostgreSQL's text form would travel as a string otherwise.
pg.types.setTypeParser(20, Number);

/** The database, through Sequelize's connection pool. */
export class Db implements Sql {
  readonly sequelize: Sequelize;

  /**
   * @param onSecond called where work inside a transaction asks the pool for another connection: enough of them at once wait for each
   * other until the pool gives up. It throws unless something else is wanted.
   */
  constructor(
    url: string,
    connections = 10,
    private readonly onSecond: (error: Error) => void = (error) => {
      throw error;
    },
  ) {
    this.sequelize = new Sequelize(url, {
      dialect: 'postgres',
      dialectModule: preparingDriver,
      logging: false,
      pool: { max: connections, idle: 10_000, acquire: 20_000 },
      // Compiling a statement takes longer here than running it. A plan that was made for an almost empty tray is not kept for a full one.
      dialectOptions: { application_name: 'rule', options: '-c jit=off -c plan_cache_mode=force_custom_plan' },
    });
  }

  /** Counts what was written that answers may depend on: at once and for all, and batch after batch of a survey. */
  readonly facts = { written: 0, read: 0 };
  /** Transactions that have written such things. */
  private readonly writing = new WeakSet<Transaction>();

  /** Notes that a statement writes what answers may depend on: when it is done, or when its transaction is. */
  private noteFacts<T>(text: string, transaction: Transaction | null, work: () => Promise<T>): Promise<T> {
    const writes = FACTS.test(text);
    if (transaction) {
      if (writes) this.writing.add(transaction);
      return writes || WAITS.test(text) ? work().finally(() => this.stamps.delete(transaction)) : work();
    }
    if (!writes) return work();
    return work().finally(() => this.facts.written++);
  }

  /** Kept answers by their keys, each with the stamp that it holds for. */
  private readonly keptAnswers = new Map<string, { readonly stamp: string; readonly answer: Promise<unknown> }>();

  private readonly stamps = new WeakMap<Transaction, Promise<string>>();
  /** The question for the stamp that is under way, and the one that will be asked after it for all who have come meanwhile. */
  private asking: { readonly now: Promise<string>; next: Promise<string> | null } | null = null;

  /** The stamp as it is after this was called: one question serves all who ask while the one before is under way. */
  private stamp(): Promise<string> {
    const ask = async (): Promise<string> => {
      const now = this.outside.one<{ stamp: string }>(STAMP).then((row) => row!.stamp);
      const own = { now, next: null };
      this.asking = own;
      try {
        return await now;
      } finally {
        if (this.asking === own && own.next === null) this.asking = null;
      }
    };
    if (!this.asking) return ask();
    return (this.asking.next ??= this.asking.now.then(ask, ask));
  }

  /** The stamp as a transaction sees it; looked up again after what may change it or waits for others. */
  private stampIn(transaction: Transaction, sql: Sql): Promise<string> {
    const known = this.stamps.get(transaction);
    if (known) return known;
    const asked = sql.one<{ stamp: string }>(STAMP).then((row) => row!.stamp);
    this.stamps.set(transaction, asked);
    return asked;
  }

  private async keep<T>(key: string, read: (sql: Sql) => Promise<T>, sql: Sql, transaction: Transaction | null): Promise<T> {
    if (!transaction) this.refuseSecond();
    const stamp = await (transaction ? this.stampIn(transaction, sql) : this.stamp());
    const known = this.keptAnswers.get(key);
    if (known?.stamp === stamp) return known.answer as Promise<T>;
    // A transaction may have written what others do not see yet, or never will: what it reads is for itself.
    if (transaction) return read(sql);
    // Whoever comes meanwhile waits for the same answer, and gets it when it is known to be of one piece.
    const answer = read(sql).then(async (result) => {
      if ((await this.stamp()) === stamp) return result;
      // Written while it was read: it may be half of one and half of the other.
      forget();
      return this.keep(key, read, sql, null);
    });
    const kept = { stamp, answer };
    const forget = () => {
      if (this.keptAnswers.get(key) === kept) this.keptAnswers.delete(key);
    };
    this.keptAnswers.set(key, kept);
    answer.catch(forget);
    return answer;
  }

  private within(transaction: Transaction | null): Sql {
    // A transaction has one connection, which takes one statement at a time.
    let last: Promise<unknown> = Promise.resolve();
    const inTurn = <T>(work: () => Promise<T>): Promise<T> => {
      if (!transaction) {
        this.refuseSecond();
        return work();
      }
      const mine = last.then(work, work);
      last = mine.catch(() => undefined);
      return mine;
    };
    const all = <T extends object>(text: string, bind: readonly unknown[] = []): Promise<T[]> =>
      this.noteFacts(text, transaction, () =>
        inTurn(() => this.sequelize.query<T>(text, { bind: [...bind], type: QueryTypes.SELECT, transaction, raw: true })),
      );
    const sql: Sql = {
      all,
      kept: (key, read) => this.keep(key, read, sql, transaction),
      one: async <T extends object>(text: string, bind: readonly unknown[] = []): Promise<T | undefined> => (await all<T>(text, bind))[0],
      run: (text, bind = []) =>
        this.noteFacts(text, transaction, () =>
          inTurn(async () => {
            const [, result] = await this.sequelize.query(text, { bind: [...bind], transaction, raw: true });
            return (result as { rowCount?: number }).rowCount ?? 0;
          }),
        ),
      copy: (table, list) => {
        if (!transaction) throw new Error('COPY runs inside a transaction.');
        this.writing.add(transaction);
        const { connection } = transaction as unknown as { connection: pg.Client };
        return inTurn(() =>
          pipeline(Readable.from(list instanceof CopyRows ? list.sent : copyText(list)), connection.query(copyFrom(`COPY ${table} FROM STDIN`))),
        );
      },
    };
    return sql;
  }

  private readonly outside = this.within(null);
  all<T extends object>(text: string, bind?: readonly unknown[]): Promise<T[]> {
    return WRITES.test(text) ? this.written(() => this.outside.all<T>(text, bind)) : this.outside.all<T>(text, bind);
  }
  async one<T extends object>(text: string, bind?: readonly unknown[]): Promise<T | undefined> {
    return (await this.all<T>(text, bind))[0];
  }
  run(text: string, bind?: readonly unknown[]): Promise<number> {
    return this.written(() => this.outside.run(text, bind));
  }

  kept<T>(key: string, read: (sql: Sql) => Promise<T>): Promise<T> {
    return this.outside.kept(key, read);
  }

  copy(table: string, list: CopySource): Promise<void> {
    return this.transaction((sql) => sql.copy(table, list));
  }

  transaction<T>(work: (sql: Sql) => Promise<T>): Promise<T> {
    this.refuseSecond();
    let atEnd = false;
    let own: Transaction | undefined;
    const whole = this.sequelize
      .transaction((transaction) =>
        this.inside.run(true, async () => {
          own = transaction;
          const result = await work(this.within(transaction));
          atEnd = true;
          return result;
        }),
      )
      .finally(() => {
        if (own && this.writing.has(own)) this.facts.written++;
      });
    // Before its end, a transaction that fails has written nothing.
    return this.written(() =>
      whole.catch((error: unknown) => {
        throw atEnd || !isConnectionError(error) ? error : Object.assign(error as Error, { name: 'SequelizeConnectionError' });
      }),
    );
  }

  /** Set while the work of a transaction runs. */
  private readonly inside = new AsyncLocalStorage<true>();

  private refuseSecond(): void {
    if (this.inside.getStore()) this.onSecond(new Error('Work inside a transaction asks the pool for a second connection; it must use its own.'));
  }

  private readonly turns = new Map<number, Promise<unknown>>();

  /**
   * Runs work while nobody else of this database runs work under the same lock. Within the process one
   * waits for the other here, so that those who wait hold no connection that the working one needs.
   */
  exclusive<T>(lock: number, work: (held: Held) => Promise<T>): Promise<T> {
    const before = this.turns.get(lock) ?? Promise.resolve();
    const mine = before.catch(() => undefined).then(() => this.holding(TAKE_LOCK, [lock], work));
    this.turns.set(lock, mine);
    return mine as Promise<T>;
  }

  /** Runs work unless someone else of this database runs work under the same lock: then nothing is done. A crash lets go of it. */
  async unlessTaken(lock: number, of: number, work: () => Promise<void>): Promise<void> {
    await this.holding(TRY_LOCK, [lock, of], work);
  }

  /** The same for a lock that {@link exclusive} takes. */
  async exclusiveIfFree(lock: number, work: (held: Held) => Promise<void>): Promise<void> {
    await this.holding(TRY_LOCK_ALONE, [lock], work);
  }

  /**
   * Runs work under a lock that `take` takes; nothing where it answers that someone else has it. One connection holds the
   * lock and does nothing else, for as long as the work takes; the work takes its own from the pool.
   */
  private async holding<T>(take: string, bind: readonly unknown[], work: (held: Held) => Promise<T>): Promise<T | undefined> {
    let done: { readonly value: T } | undefined;
    try {
      await this.sequelize.transaction(async (transaction) => {
        const sql = this.within(transaction);
        // Rule waits with it on purpose, whatever the database thinks of those who wait.
        await sql.run('SET LOCAL idle_in_transaction_session_timeout = 0');
        const [taken] = await sql.all<{ got?: boolean }>(take, bind);
        if (taken?.got === false) return;
        const held = new Held((transaction as unknown as { connection: pg.Client }).connection);
        try {
          done = { value: await this.inside.exit(() => work(held)) };
        } finally {
          held.release();
        }
      });
    } catch (error) {
      // What was done is done, whatever became of the connection that held the lock.
      if (done === undefined) throw error;
    }
    return done?.value;
  }

  /** What became of the writing in the requests that {@link noting} runs. */
  private readonly notes = new AsyncLocalStorage<{ wrote: boolean }>();

  /** Runs work whose errors can be asked by {@link mayHaveWritten} afterwards. */
  noting<T>(work: () => T): T {
    return this.notes.run({ wrote: false }, work);
  }

  /** Whether the work under {@link noting} that runs here has written something, or may have: its connection was lost before the answer came. */
  get mayHaveWritten(): boolean {
    return this.notes.getStore()?.wrote ?? true;
  }

  /** Notes that something was written, or may have been. */
  private async written<T>(work: () => Promise<T>): Promise<T> {
    const note = this.notes.getStore();
    try {
      const result = await work();
      if (note) note.wrote = true;
      return result;
    } catch (error) {
      // A connection that could not even be had has written nothing.
      if (note && isConnectionError(error) && !CANNOT_CONNECT.test((error as Error).name)) note.wrote = true;
      throw error;
    }
  }

  close(): Promise<void> {
    return this.sequelize.close();
  }
}

/** Whether the database gave a statement up because it and another waited for each other: it may be tried again. */
export function isDeadlock(error: unknown): boolean {
  return (error as { code?: unknown } | null)?.code === '40P01';
}

/**
 * Whether an error says that the database cannot be reached: from the pool, from the driver, or by
 * PostgreSQL's own codes (classes 08 connection exception and 57P operator intervention, and 53300 too many connections).
 */
export function isConnectionError(error: unknown): boolean {
  const { name = '', message = '', code = '' } = error as { name?: string; message?: string; code?: unknown };
  return (
    CANNOT_CONNECT.test(name) ||
    /^(08|57P|53300|ECONNREFUSED|ECONNRESET|EPIPE)/.test(String(code)) ||
    /terminating connection|Connection terminated|has encountered a connection error|ECONNREFUSED|ECONNRESET|not currently accepting connections|the database system is/.test(
      message,
    )
  );
}
