import { AsyncLocalStorage } from 'node:async_hooks';
import { Readable } from 'node:stream';
import { pipeline } from 'node:stream/promises';
import pg from 'pg';
import { from as copyFrom } from 'pg-copy-streams';
import { QueryTypes, Sequelize, Transaction } from 'sequelize';
import { TAKE_LOCK, TRY_LOCK } from './locks';

/** Runs SQL with numbered parameters, inside a transaction or outside of one. */
export interface Sql {
  all<T extends object>(text: string, bind?: readonly unknown[]): Promise<T[]>;
  one<T extends object>(text: string, bind?: readonly unknown[]): Promise<T | undefined>;
  /** Number of rows touched. */
  run(text: string, bind?: readonly unknown[]): Promise<number>;
  /** Adds rows by COPY, the fastest way in. Only inside a transaction. @param table name with its columns in brackets */
  copy(table: string, rows: CopySource): Promise<void>;
}

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
export const rows = (list: readonly object[]): string => JSON.stringify(list);

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
      logging: false,
      pool: { max: connections, idle: 10_000, acquire: 20_000 },
      // Compiling a statement takes longer here than running it.
      dialectOptions: { application_name: 'rule', options: '-c jit=off' },
    });
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
      inTurn(() => this.sequelize.query<T>(text, { bind: [...bind], type: QueryTypes.SELECT, transaction, raw: true }));
    return {
      all,
      one: async <T extends object>(text: string, bind: readonly unknown[] = []): Promise<T | undefined> => (await all<T>(text, bind))[0],
      run: (text, bind = []) =>
        inTurn(async () => {
          const [, result] = await this.sequelize.query(text, { bind: [...bind], transaction, raw: true });
          return (result as { rowCount?: number }).rowCount ?? 0;
        }),
      copy: (table, list) => {
        if (!transaction) throw new Error('COPY runs inside a transaction.');
        const { connection } = transaction as unknown as { connection: pg.Client };
        return inTurn(() =>
          pipeline(Readable.from(list instanceof CopyRows ? list.sent : copyText(list)), connection.query(copyFrom(`COPY ${table} FROM STDIN`))),
        );
      },
    };
  }

  private readonly outside = this.within(null);
  all<T extends object>(text: string, bind?: readonly unknown[]): Promise<T[]> {
    return this.outside.all<T>(text, bind);
  }
  one<T extends object>(text: string, bind?: readonly unknown[]): Promise<T | undefined> {
    return this.outside.one<T>(text, bind);
  }
  run(text: string, bind?: readonly unknown[]): Promise<number> {
    return this.outside.run(text, bind);
  }

  copy(table: string, list: CopySource): Promise<void> {
    return this.transaction((sql) => sql.copy(table, list));
  }

  transaction<T>(work: (sql: Sql) => Promise<T>): Promise<T> {
    this.refuseSecond();
    return this.sequelize.transaction((transaction) => this.inside.run(true, () => work(this.within(transaction))));
  }

  /** Set while the work of a transaction runs. */
  private readonly inside = new AsyncLocalStorage<true>();

  private refuseSecond(): void {
    if (this.inside.getStore()) this.onSecond(new Error('Work inside a transaction asks the pool for a second connection; it must use its own.'));
  }

  private turn: Promise<unknown> = Promise.resolve();

  /**
   * Runs work while nobody else of this database runs work under the same lock. Within the process one
   * waits for the other here, so that those who wait hold no connection that the working one needs.
   */
  exclusive<T>(lock: number, work: () => Promise<T>): Promise<T> {
    const mine = this.turn
      .catch(() => undefined)
      .then(() =>
        this.transaction(async (sql) => {
          await sql.all(TAKE_LOCK, [lock]);
          // One connection holds the lock and does nothing else; the work takes its own from the pool.
          return this.inside.exit(work);
        }),
      );
    this.turn = mine;
    return mine;
  }

  /** Runs work unless somebody else of this database runs work under the same lock: then nothing is done. A crash lets go of it. */
  async unlessTaken(lock: number, of: number, work: () => Promise<void>): Promise<void> {
    await this.transaction(async (sql) => {
      const { got } = (await sql.one<{ got: boolean }>(TRY_LOCK, [lock, of]))!;
      if (got) await this.inside.exit(work);
    });
  }

  close(): Promise<void> {
    return this.sequelize.close();
  }
}

/**
 * Whether an error says that the database cannot be reached: from the pool, from the driver, or by
 * PostgreSQL's own codes (classes 08 connection exception and 57P operator intervention).
 */
export function isConnectionError(error: unknown): boolean {
  const { name = '', message = '', code = '' } = error as { name?: string; message?: string; code?: unknown };
  return (
    /^Sequelize(Connection|HostNot|AccessDenied)/.test(name) ||
    /^(08|57P|ECONNREFUSED|ECONNRESET|EPIPE)/.test(String(code)) ||
    /terminating connection|Connection terminated|ECONNREFUSED|ECONNRESET|not currently accepting connections|the database system is/.test(message)
  );
}
