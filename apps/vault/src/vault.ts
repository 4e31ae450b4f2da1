import { createHash, timingSafeEqual } from 'node:crypto';
import express, { Express, NextFunction, Request, Response } from 'express';
import Joi from 'joi';
import { QueryTypes, Sequelize, Transaction } from 'sequelize';
import { SequelizeStorage, Umzug } from 'umzug';

/** The stand-in's own tables, in a database schema of their own. It knows nothing of Rule. */
const FIRST = `
CREATE SCHEMA IF NOT EXISTS vault;
CREATE TABLE vault.files (
  id serial PRIMARY KEY,
  path text NOT NULL UNIQUE,
  state text NOT NULL DEFAULT 'open' CHECK (state IN ('open','in check','released')),
  checked_out_by text,
  record jsonb NOT NULL DEFAULT '{}'
);
CREATE TABLE vault.versions (
  file_id int NOT NULL REFERENCES vault.files,
  version int NOT NULL,
  content bytea NOT NULL,
  hash text NOT NULL,
  comment text NOT NULL,
  by text NOT NULL,
  at timestamptz NOT NULL DEFAULT now(),
  PRIMARY KEY (file_id, version)
);
CREATE TABLE vault.fields (name text PRIMARY KEY, position serial);
CREATE TABLE vault.link_table (field text NOT NULL, kind text NOT NULL, name text NOT NULL, PRIMARY KEY (field, kind));
`;

/** Largest file that the stand-in takes. */
const LARGEST = '512mb';

/** How the stand-in misbehaves, for tests: answer late, fail or drop the connection a number of times. */
interface Faults {
  delayMs: number;
  failNext: number;
  dropNext: number;
}

/** A refusal that has a status and a sentence. */
class Refusal extends Error {
  constructor(
    readonly status: number,
    message: string,
  ) {
    super(message);
  }
}

/** Entries with the number and the hash (SHA-256 of the bytes) of their newest version. */
const ENTRY = `SELECT f.id, f.path, f.state, f.checked_out_by AS "checkedOutBy", f.record, v.version, v.hash
  FROM vault.files f CROSS JOIN LATERAL (SELECT version, hash FROM vault.versions v WHERE v.file_id = f.id ORDER BY version DESC LIMIT 1) v`;

const by = Joi.object({ by: Joi.string().max(100).required() }).required();
const checkIn = Joi.object({
  by: Joi.string().max(100).required(),
  comment: Joi.string().max(1000).allow('').required(),
  record: Joi.object().pattern(Joi.string().max(100), Joi.string().max(10_000).allow(null)).required(),
}).required();
const record = Joi.object({ record: Joi.object().pattern(Joi.string().max(100), Joi.string().max(10_000).allow(null)).required() }).required();
const state = Joi.object({ state: Joi.valid('open', 'in check', 'released').required() }).required();
const faultsSchema = Joi.object({
  delayMs: Joi.number().integer().min(0).max(60_000).default(0),
  failNext: Joi.number().integer().min(0).default(0),
  dropNext: Joi.number().integer().min(0).default(0),
}).required();

/** What the vault holds when it is new. */
export interface VaultContent {
  readonly fields: readonly string[];
  readonly table: readonly { readonly field: string; readonly kind: string; readonly name: string }[];
  readonly files: readonly { readonly path: string; readonly content: Uint8Array; readonly state: string; readonly record: Readonly<Record<string, string>> }[];
}

function checked<T>(schema: Joi.Schema, input: unknown): T {
  const result = schema.validate(input ?? {});
  if (result.error) throw new Refusal(400, result.error.message);
  return result.value as T;
}

/** The document vault that stands in for an outside one: folders, versions, check-out and check-in, states, records. */
export class VaultStandIn {
  private readonly faults: Faults = { delayMs: 0, failNext: 0, dropNext: 0 };

  constructor(
    private readonly sequelize: Sequelize,
    private readonly token: string,
  ) {}

  async migrate(): Promise<void> {
    await this.sequelize.query('CREATE SCHEMA IF NOT EXISTS vault');
    const storage = new SequelizeStorage({ sequelize: this.sequelize, modelName: 'vaultMigration', tableName: 'migrations', schema: 'vault' });
    // Where the note is missing although the tables are there, a start broke off in between.
    const first = async () => {
      const [row] = await this.select<{ made: unknown }>(`SELECT to_regclass('vault.link_table') AS made`);
      if (!row?.made) await this.sequelize.query(FIRST);
    };
    await new Umzug({ migrations: [{ name: '0001-first', up: first }], storage, logger: undefined }).up();
  }

  /** Fills an empty vault. */
  async fill(content: VaultContent): Promise<void> {
    if ((await this.select('SELECT 1 FROM vault.fields LIMIT 1')).length) return;
    await this.sequelize.transaction(async (transaction) => {
      for (const field of content.fields) await this.run('INSERT INTO vault.fields (name) VALUES ($1)', [field], transaction);
      for (const { field, kind, name } of content.table) await this.run('INSERT INTO vault.link_table VALUES ($1, $2, $3)', [field, kind, name], transaction);
      for (const file of content.files) {
        const [row] = await this.select<{ id: number }>(
          'INSERT INTO vault.files (path, state, record) VALUES ($1, $2, $3::jsonb) RETURNING id',
          [file.path, file.state, JSON.stringify(file.record)],
          transaction,
        );
        await this.addVersion(row!.id, file.content, 'brought in', 'vault', transaction);
      }
    });
  }

  private select<T extends object>(sql: string, bind: unknown[] = [], transaction: Transaction | null = null): Promise<T[]> {
    return this.sequelize.query<T>(sql, { bind, type: QueryTypes.SELECT, transaction });
  }

  private async run(sql: string, bind: unknown[], transaction: Transaction | null = null): Promise<void> {
    await this.sequelize.query(sql, { bind, transaction });
  }

  private async addVersion(file: number, content: Uint8Array, comment: string, person: string, transaction: Transaction): Promise<void> {
    const hash = createHash('sha256').update(content).digest('hex');
    await this.run(
      'INSERT INTO vault.versions (file_id, version, content, hash, comment, by) SELECT $1, coalesce(max(version), 0) + 1, $2, $3, $4, $5 FROM vault.versions WHERE file_id = $1',
      [file, Buffer.from(content), hash, comment, person],
      transaction,
    );
  }

  /** Runs work on one file that nobody else changes meanwhile. */
  private onFile<T>(
    id: number,
    work: (file: { state: string; checkedOutBy: string | null; record: Record<string, string> }, transaction: Transaction) => Promise<T>,
  ): Promise<T> {
    return this.sequelize.transaction(async (transaction) => {
      const [file] = await this.select<{ state: string; checkedOutBy: string | null; record: Record<string, string> }>(
        'SELECT state, checked_out_by AS "checkedOutBy", record FROM vault.files WHERE id = $1 FOR UPDATE',
        [id],
        transaction,
      );
      if (!file) throw new Refusal(404, `there is no file ${id}`);
      return work(file, transaction);
    });
  }

  private async entry(id: number): Promise<object> {
    return (await this.select(`${ENTRY} WHERE f.id = $1`, [id]))[0]!;
  }

  private async changedRecord(before: Record<string, string>, changes: Readonly<Record<string, string | null>>): Promise<Record<string, string>> {
    const known = new Set((await this.select<{ name: string }>('SELECT name FROM vault.fields')).map((field) => field.name));
    const after = { ...before };
    for (const [field, value] of Object.entries(changes)) {
      if (!known.has(field)) throw new Refusal(400, `records have no field ${field}`);
      if (value === null) delete after[field];
      else after[field] = value;
    }
    return after;
  }

  app(): Express {
    const app = express();
    app.disable('x-powered-by');
    app.use((request: Request, _response: Response, next: NextFunction) => {
      const given = Buffer.from(request.get('authorization') ?? '');
      const wanted = Buffer.from(`Bearer ${this.token}`);
      if (given.length !== wanted.length || !timingSafeEqual(given, wanted)) throw new Refusal(401, 'the token is wrong');
      next();
    });
    app.post('/api/faults', express.json(), (request, response) => {
      Object.assign(this.faults, checked<Faults>(faultsSchema, request.body));
      response.json(this.faults);
    });
    app.use(async (request: Request, _response: Response, next: NextFunction) => {
      if (this.faults.delayMs) await new Promise((resolve) => setTimeout(resolve, this.faults.delayMs));
      if (this.faults.dropNext > 0) {
        this.faults.dropNext--;
        request.socket.destroy();
        return;
      }
      if (this.faults.failNext > 0) {
        this.faults.failNext--;
        throw new Refusal(500, 'the vault has an inner fault');
      }
      next();
    });
    const json = express.json({ limit: '16mb' });
    const idOf = (request: Request) => {
      const id = Number(request.params['id']);
      if (!Number.isInteger(id) || id < 1) throw new Refusal(400, 'a file has a number');
      return id;
    };

    app.get(
      '/api/fields',
      async (_request, response) =>
        void response.json((await this.select<{ name: string }>('SELECT name FROM vault.fields ORDER BY position')).map((field) => field.name)),
    );
    app.get(
      '/api/link-table',
      async (_request, response) => void response.json(await this.select('SELECT field, kind, name FROM vault.link_table ORDER BY field, kind')),
    );
    app.post('/api/files/query', json, async (request, response) => {
      const { paths } = checked<{ paths: string[] | null }>(Joi.object({ paths: Joi.array().items(Joi.string()).allow(null).required() }), request.body);
      const found = await this.select(`${ENTRY} WHERE $1::text[] IS NULL OR f.path = ANY($1::text[]) ORDER BY f.path`, [paths]);
      // Whoever asks can tell a whole answer from a part of one.
      response.set('x-total-count', String(found.length)).json(found);
    });
    app.get('/api/files/:id/versions', async (request, response) => {
      response.json(
        await this.select('SELECT version, hash, comment, by, at, length(content) AS size FROM vault.versions WHERE file_id = $1 ORDER BY version', [
          idOf(request),
        ]),
      );
    });
    app.get('/api/files/:id/content', async (request, response) => {
      const [row] = await this.select<{ content: Buffer }>('SELECT content FROM vault.versions WHERE file_id = $1 ORDER BY version DESC LIMIT 1', [
        idOf(request),
      ]);
      if (!row) throw new Refusal(404, 'there is no such file');
      response.type('application/octet-stream').send(row.content);
    });
    app.post('/api/files/:id/check-out', json, async (request, response) => {
      const { by: person } = checked<{ by: string }>(by, request.body);
      await this.onFile(idOf(request), async (file, transaction) => {
        if (file.state === 'released') throw new Refusal(409, 'the file is released');
        if (file.checkedOutBy !== null && file.checkedOutBy !== person) throw new Refusal(409, `the file is checked out by ${file.checkedOutBy}`);
        await this.run('UPDATE vault.files SET checked_out_by = $2 WHERE id = $1', [idOf(request), person], transaction);
      });
      response.json(await this.entry(idOf(request)));
    });
    app.post('/api/files/:id/undo-check-out', json, async (request, response) => {
      const { by: person } = checked<{ by: string }>(by, request.body);
      await this.onFile(idOf(request), async (file, transaction) => {
        if (file.checkedOutBy !== person) throw new Refusal(409, `the file is not checked out by ${person}`);
        await this.run('UPDATE vault.files SET checked_out_by = NULL WHERE id = $1', [idOf(request)], transaction);
      });
      response.json(await this.entry(idOf(request)));
    });
    app.post('/api/files/:id/check-in', express.raw({ type: () => true, limit: LARGEST }), async (request, response) => {
      const meta = checked<{ by: string; comment: string; record: Record<string, string | null> }>(checkIn, parseMeta(request.get('x-check-in')));
      const content: unknown = request.body;
      if (!(content instanceof Uint8Array) || content.length === 0) throw new Refusal(400, 'the file is empty');
      await this.onFile(idOf(request), async (file, transaction) => {
        if (file.checkedOutBy !== meta.by) throw new Refusal(409, `the file is not checked out by ${meta.by}`);
        const after = await this.changedRecord(file.record, meta.record);
        await this.addVersion(idOf(request), content, meta.comment, meta.by, transaction);
        await this.run('UPDATE vault.files SET checked_out_by = NULL, record = $2::jsonb WHERE id = $1', [idOf(request), JSON.stringify(after)], transaction);
      });
      response.json(await this.entry(idOf(request)));
    });
    app.put('/api/files/:id/record', json, async (request, response) => {
      const changes = checked<{ record: Record<string, string | null> }>(record, request.body).record;
      await this.onFile(idOf(request), async (file, transaction) => {
        await this.run(
          'UPDATE vault.files SET record = $2::jsonb WHERE id = $1',
          [idOf(request), JSON.stringify(await this.changedRecord(file.record, changes))],
          transaction,
        );
      });
      response.json(await this.entry(idOf(request)));
    });
    app.put('/api/files/:id/state', json, async (request, response) => {
      const { state: wanted } = checked<{ state: string }>(state, request.body);
      await this.onFile(idOf(request), (_file, transaction) =>
        this.run('UPDATE vault.files SET state = $2 WHERE id = $1', [idOf(request), wanted], transaction),
      );
      response.json(await this.entry(idOf(request)));
    });
    app.use((error: unknown, _request: Request, response: Response, next: NextFunction) => {
      if (response.headersSent) {
        next(error);
        return;
      }
      if (!(error instanceof Refusal)) console.error(error);
      response
        .status(error instanceof Refusal ? error.status : 500)
        .json({ message: error instanceof Refusal ? error.message : 'the vault has an inner fault' });
    });
    return app;
  }
}

function parseMeta(header: string | undefined): unknown {
  try {
    return JSON.parse(Buffer.from(header ?? '', 'base64url').toString('utf8'));
  } catch {
    throw new Refusal(400, 'the header x-check-in cannot be read');
  }
}
