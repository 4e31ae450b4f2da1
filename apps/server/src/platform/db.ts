import { AsyncLocalStorage } from 'node:async_hooks';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import pg from 'pg';
import { from as copyFrom } from 'pg-copy-streams';
import { QueryTypes, Sequelize, Transaction } from 'sequelize';
import { preparingDriver } from './prepared-client';
import { TAKE_LOCK, TRY_LOCK, TRY_LOCK_ALONE } from './locks';

/** Runs SQL with numbered parameters, inside or outside a transaction. */
export interface Sql {
  all<T extends object>(text: string, bind?: readonly unknown[]): Promise<T[]>;
  one<T extends object>(text: string, bind?: readonly unknown[]): Promise<T | undefined>;
  /** Number of affected rows. */
  run(text: string, bind?: readonly unknown[]): Promise<number>;
  /**
   * Adds rows by COPY. Only inside a transaction.
   * @param table name with columns in parentheses
   */
  copy(table: string, rows: CopySource): Promise<void>;
  /**
   * Caches what `read` returns until one of the {@link STAMP} tables changes, on any server. Costs one small query. The result is shared
   * and must not be modified.
   */
  kept<T>(key: string, read: (sql: Sql) => Promise<T>): Promise<T>;
}

/** Changes whenever the edition, lists or settings change. */
const STAMP = `SELECT string_agg(name || n, ' ' ORDER BY name) AS stamp FROM law_stamps`;

export type CopyValue = string | number | boolean | null;

/** Rows as objects, or already encoded. */
export type CopySource = Iterable<readonly CopyValue[]> | CopyRows;

/** Characters per piece of a COPY stream. */
const COPY_PIECE = 256 * 1024;

const ESCAPES: Readonly<Record<string, string>> = { '\\': '\\\\', '\t': '\\t', '\n': '\\n', '\r': '\\r', '\0': '\ufffd' };

/** NULL in PostgreSQL's text format for COPY. */
export const COPY_NULL = '\\N';

/** A text in PostgreSQL's COPY format, without U+0000. Most texts need no escaping. */
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

/** Rows for COPY as bytes, so their source objects can be released. */
export class CopyRows {
  private readonly pieces: Uint8Array[] = [];

  add(list: Iterable<readonly CopyValue[]>): void {
    let piece = '';
    for (const row of list) piece += copyLine(row);
    this.addLines(piece);
  }

  /** Adds rows already in COPY text format, with line ends. */
  addLines(lines: string): void {
    if (lines) this.pieces.push(Buffer.from(lines));
  }

  /** All rows, in as few pieces as possible. */
  get sent(): Iterable<Uint8Array> {
    return this.pieces.length ? [Buffer.concat(this.pieces)] : [];
  }
}

/** Rows as one parameter for `jsonb_to_recordset`. */
export const asRecordset = (list: readonly object[]): string => JSON.stringify(list);

/** Error names for missing connections. */
const CANNOT_CONNECT = /^Sequelize(Connection|HostNot|AccessDenied)/;

/** Writing statements that return rows. */
const WRITES = /^\s*(INSERT|UPDATE|DELETE|WITH[^]*\b(INSERT|UPDATE|DELETE)\b)/;

/** Statements that change data about files, schema or mappings; not trays, jobs, sessions, or only the time of a scan. */
const FACTS =
  /\b(INSERT INTO|UPDATE|DELETE FROM) (?!libraries SET surveyed_at)"?(files|holders|held_values|settled_parts|copies|properties|bom_layouts|classes|beside_values|name_counts|name_facts|libraries|settings|send_outs|editions|choice_lists|arrivals|wide_holders|wide_members|block_definitions|findings|exchange_layouts|foreign_mappings|surveys|file_shapes|sheets|placed_blocks|sheet_models|cell_states|vault_records|vault_said)\b/;

/** Waiting statements, after which a transaction may see other transactions' changes. */
const WAITS = /\bFOR UPDATE\b|advisory/;

/** Thrown if work continues after its lock may have been lost. */
export class LockLost extends Error {
  constructor() {
    super('The connection that held the lock is gone.');
  }
}

/** A lock held as long as its connection lives. */
export class Held {
  private lost = false;

  private readonly lose = () => {
    this.lost = true;
  };

  constructor(private readonly connection: pg.Client) {
    connection.once('error', this.lose);
    connection.once('end', this.lose);
  }

  /** Returns the connection to its pool. */
  release(): void {
    this.connection.off('error', this.lose);
    this.connection.off('end', this.lose);
  }

  /**
   * Called before exclusive steps.
   * @throws LockLost
   */
  check(): void {
    if (this.lost) throw new LockLost();
  }
}

// bigint counts fit a double; otherwise they would arrive as strings.
pg.types.setTypeParser(20, Number);

/** The database, using Sequelize's connection pool. */
export class Db implements Sql {
  readonly sequelize: Sequelize;

  /**
   * @param onSecond called when work inside a transaction requests a second connection, which can deadlock the pool. Throws by default, for
   *   tests. With `null` nobody watches: following every asynchronous step costs a busy server a fifth of its time.
   */
  constructor(
    url: string,
    connections = 10,
    private readonly onSecond: ((error: Error) => void) | null = (error) => {
      throw error;
    },
  ) {
    this.inside = onSecond ? new AsyncLocalStorage<true>() : null;
    const open = (max: number, plans: string) =>
      new Sequelize(url, {
        dialect: 'postgres',
        dialectModule: preparingDriver,
        logging: false,
        pool: { max, idle: 10_000, acquire: 20_000 },
        // JIT compilation takes longer than these statements.
        dialectOptions: { application_name: 'rule', options: `-c jit=off ${plans}` },
      });
    // Cached plans for small trays do not fit large ones.
    this.sequelize = open(connections, '-c plan_cache_mode=force_custom_plan');
    // These plans are made anew when autovacuum has looked at a table that grew.
    this.planned = open(Math.max(2, connections >> 1), '-c plan_cache_mode=force_generic_plan');
    this.outside = this.within(null);
    this.often = this.within(null, this.planned);
  }

  private readonly planned: Sequelize;
  private readonly outside: Sql;

  /**
   * For short reads that every user asks all the time: planned once per connection, as planning takes longer than running them. Only for
   * statements whose best plan does not depend on their parameters, and never inside a transaction.
   */
  readonly often: Sql;

  /** Counts relevant writes: immediate ones, and per batch during a scan. */
  readonly facts = { written: 0, read: 0 };
  /** Transactions with relevant writes. */
  private readonly writing = new WeakSet<Transaction>();

  /** Notes a relevant write, effective when the statement or transaction ends. */
  private noteFacts<T>(text: string, transaction: Transaction | null, work: () => Promise<T>): Promise<T> {
    const writes = FACTS.test(text);
    if (transaction) {
      if (writes) this.writing.add(transaction);
      return writes || WAITS.test(text) ? work().finally(() => this.stamps.delete(transaction)) : work();
    }
    if (!writes) return work();
    return work().then(
      (result) => {
        // A number is that of the affected rows.
        if (result !== 0) this.facts.written++;
        return result;
      },
      (error: unknown) => {
        this.facts.written++;
        throw error;
      },
    );
  }

  /** Cached answers with their stamps. */
  private readonly keptAnswers = new Map<string, { readonly stamp: string; readonly answer: Promise<unknown> }>();

  private readonly stamps = new WeakMap<Transaction, Promise<string>>();
  /** The running stamp query, and the next one for callers that arrived meanwhile. */
  private asking: { readonly now: Promise<string>; next: Promise<string> | null } | null = null;

  /** The stamp as of this call; one query serves all callers waiting for it. */
  private stamp(): Promise<string> {
    const ask = async (): Promise<string> => {
      const now = this.often.one<{ stamp: string }>(STAMP).then((row) => row!.stamp);
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

  /** The stamp seen by a transaction; reloaded after statements that may change it or wait. */
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
    // A transaction may have uncommitted changes, so its reads are not shared.
    if (transaction) return read(sql);
    // Concurrent callers share the answer once it is known to be consistent.
    const answer = read(sql).then(async (result) => {
      if ((await this.stamp()) === stamp) return result;
      // It changed while being read and may be inconsistent.
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

  private within(transaction: Transaction | null, sequelize = this.sequelize): Sql {
    // A transaction has one connection, which runs one statement at a time.
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
      this.noteFacts(text, transaction, () => inTurn(() => sequelize.query<T>(text, { bind: [...bind], type: QueryTypes.SELECT, transaction, raw: true })));
    const sql: Sql = {
      all,
      kept: (key, read) => this.keep(key, read, sql, transaction),
      one: async <T extends object>(text: string, bind: readonly unknown[] = []): Promise<T | undefined> => (await all<T>(text, bind))[0],
      run: (text, bind = []) =>
        this.noteFacts(text, transaction, () =>
          inTurn(async () => {
            const [, result] = await sequelize.query(text, { bind: [...bind], transaction, raw: true });
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

  /** The state of edition, lists and settings; the same text as long as none of them changes. */
  law(): Promise<string> {
    return this.stamp();
  }

  /**
   * @param law the state of edition, lists and settings by which the work was checked and is done, if it was asked before; saves asking again
   */
  transaction<T>(work: (sql: Sql) => Promise<T>, law?: string): Promise<T> {
    this.refuseSecond();
    let atEnd = false;
    let own: Transaction | undefined;
    const whole = this.sequelize
      .transaction((transaction) =>
        this.marked(async () => {
          own = transaction;
          if (law !== undefined) this.stamps.set(transaction, Promise.resolve(law));
          const result = await work(this.within(transaction));
          atEnd = true;
          return result;
        }),
      )
      .finally(() => {
        if (own && this.writing.has(own)) this.facts.written++;
      });
    // A failed transaction has written nothing.
    return this.written(() =>
      whole.catch((error: unknown) => {
        throw atEnd || !isConnectionError(error) ? error : Object.assign(error as Error, { name: 'SequelizeConnectionError' });
      }),
    );
  }

  /** Set inside a transaction, if anybody watches. */
  private readonly inside: AsyncLocalStorage<true> | null;

  private marked<T>(work: () => T): T {
    return this.inside ? this.inside.run(true, work) : work();
  }

  private refuseSecond(): void {
    if (this.inside?.getStore()) this.onSecond?.(new Error('Work inside a transaction asks the pool for a second connection; it must use its own.'));
  }

  private readonly turns = new Map<number, Promise<unknown>>();

  /** Runs work under an exclusive lock. Within the process, callers queue here, so that waiting ones hold no connection. */
  exclusive<T>(lock: number, work: (held: Held) => Promise<T>): Promise<T> {
    const before = this.turns.get(lock) ?? Promise.resolve();
    const mine = before.catch(() => undefined).then(() => this.holding(TAKE_LOCK, [lock], work));
    this.turns.set(lock, mine);
    return mine as Promise<T>;
  }

  /** Runs work unless the lock is taken. A crash releases the lock. */
  async unlessTaken(lock: number, of: number, work: () => Promise<void>): Promise<void> {
    await this.holding(TRY_LOCK, [lock, of], work);
  }

  /** The same for a lock taken by {@link exclusive}. */
  async exclusiveIfFree(lock: number, work: (held: Held) => Promise<void>): Promise<void> {
    await this.holding(TRY_LOCK_ALONE, [lock], work);
  }

  /**
   * Runs work under a lock acquired by `take`; does nothing if it is taken. One connection holds the lock for the duration; the work uses
   * others.
   */
  private async holding<T>(take: string, bind: readonly unknown[], work: (held: Held) => Promise<T>): Promise<T | undefined> {
    let done: { readonly value: T } | undefined;
    try {
      await this.sequelize.transaction(async (transaction) => {
        const sql = this.within(transaction);
        // Disables lock timeouts: waiting is intended.
        await sql.run('SET LOCAL idle_in_transaction_session_timeout = 0');
        const [taken] = await sql.all<{ got?: boolean }>(take, bind);
        if (taken?.got === false) return;
        const held = new Held((transaction as unknown as { connection: pg.Client }).connection);
        try {
          done = { value: await (this.inside ? this.inside.exit(() => work(held)) : work(held)) };
        } finally {
          held.release();
        }
      });
    } catch (error) {
      // The work is done even if the lock's connection was lost.
      if (done === undefined) throw error;
    }
    return done?.value;
  }

  /** Statements and transactions that have written, or may have: their connection was lost before the answer. */
  private possible = 0;

  /** Number of possible writes so far. What failed while it stayed the same has written nothing. */
  get possibleWrites(): number {
    return this.possible;
  }

  /** Counts a possible write. */
  private async written<T>(work: () => Promise<T>): Promise<T> {
    try {
      const result = await work();
      this.possible++;
      return result;
    } catch (error) {
      // Without a connection, nothing was written.
      if (isConnectionError(error) && !CANNOT_CONNECT.test((error as Error).name)) this.possible++;
      throw error;
    }
  }

  async close(): Promise<void> {
    await Promise.all([this.sequelize.close(), this.planned.close()]);
  }
}

/** Whether a statement failed because of a deadlock and can be retried. */
export function isDeadlock(error: unknown): boolean {
  return (error as { code?: unknown } | null)?.code === '40P01';
}

/**
 * Whether an error means the database cannot be reached: from the pool, the driver, or PostgreSQL's classes 08 (connection exception), 57P
 * (operator intervention) and 53300 (too many connections).
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
