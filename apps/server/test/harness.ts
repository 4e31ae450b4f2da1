import { createHash } from 'node:crypto';
import { jest } from '@jest/globals';
import { ApplyReport, ApplyStarted, JobRow } from '@rule/contract';
import { cpSync, mkdtempSync, readFileSync, readdirSync, rmSync } from 'node:fs';
import { Server } from 'node:http';
import { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { Binding, PropertyDraft, draftOf } from '@rule/core/schema';
import { DEMO_FIELDS, DEMO_PASSWORD, DEMO_RECORDS, DEMO_STATES, DEMO_STEP_SETS, DEMO_VAULT_TABLE, demoEntryKind } from '@rule/demo';
import { Express } from 'express';
import pg from 'pg';
import { pino } from 'pino';
import { Sequelize } from 'sequelize';
import request, { Test } from 'supertest';
import { vaultApp } from '../../vault/src/api';
import { newField } from '../../vault/src/definition';
import { VaultStore } from '../../vault/src/vault';
import { buildApp } from '../src/app';
import { Step } from '../src/changes/apply';
import { loadDemo } from '../src/demo';
import { KernelPool } from '../src/geometry/geometry';
import { Db } from '../src/platform/db';
import { readAnswers } from '../src/routes/openapi';
import { migrate } from '../src/platform/migrations';
import { FileStore } from '../src/platform/store';
import { Services, buildServices, storeFolder } from '../src/services';
import { HttpVault } from '../src/vault/port';
import { WorkPool } from '../src/platform/pool';

// Jobs wait for their turn, and machines are slow at times.
jest.setTimeout(60_000);

/** What the routes answer with, as the build has described it. */
export const ANSWERS = readAnswers(join(import.meta.dirname, '../dist/answers.json'));
const TOKEN = 'test-token';
const worker = join(import.meta.dirname, '../dist/worker.mjs');
const kernelWorker = join(import.meta.dirname, '../dist/geometry.mjs');
export const DEMO_LIBRARY = join(import.meta.dirname, '../../../packages/demo/library');

const serverUrl = (): string => {
  const url = process.env['RULE_TEST_DATABASE_URL'];
  if (!url) throw new Error('RULE_TEST_DATABASE_URL is not set: run the tests with npm test.');
  return url;
};

async function admin(sql: string): Promise<void> {
  const client = new pg.Client({ connectionString: serverUrl() });
  await client.connect();
  await client.query(sql).finally(() => client.end());
}

/** A person who is signed in, with the API at hand. */
export interface Person {
  get(path: string): Test;
  post(path: string, body?: object): Test;
  put(path: string, body: object): Test;
  delete(path: string): Test;
  upload(path: string, name: string, bytes: Uint8Array): Test;
  /** Waits for the job that an answer names. */
  job(answer: { body: { job: number } }): Promise<JobRow>;
  /** Applies the tray to its end. @returns the report, or the problem where there is none */
  apply(mode?: 'whole' | 'file by file', title?: string): Promise<ApplyReport>;
  /** The same for what is decided of a table that came back. */
  applyTable(takeBack: number, mode?: 'whole' | 'file by file'): Promise<ApplyReport>;
  /** The same for the revert of a change set. */
  revert(set: number): Promise<ApplyReport>;
}

/** Rule with the demo company, on a database, a library and a vault of its own. */
export interface Rule {
  readonly url: string;
  readonly databaseUrl: string;
  readonly db: Db;
  readonly services: Services;
  readonly library: string;
  readonly data: string;
  readonly vaultUrl: string;
  /** What the server logged, at level info. */
  readonly logged: string[];
  /** Asks the vault stand-in directly, as someone who does not use Rule. */
  vault<T>(method: string, path: string, body?: object): Promise<T>;
  signIn(name: string): Promise<Person>;
  file(pathEnd: string): Promise<number>;
  property(writtenName: string): Promise<number>;
  /** Defines properties and brings them into force. */
  define(...drafts: PropertyDraft[]): Promise<number[]>;
  /** Says what cells show, and brings that into force. */
  bind(...cells: Omit<Binding, 'id'>[]): Promise<void>;
  /** Changes a property and brings the change into force. */
  amend(writtenName: string, change: Partial<PropertyDraft> & { retired?: boolean }): Promise<void>;
  bytes(pathEnd: string): Buffer;
  /** A second server on the same database, library and vault. */
  another(): { readonly services: Services; close(): Promise<void> };
  stop(): Promise<void>;
}

export interface Options {
  readonly at?: (step: Step) => Promise<void>;
  readonly store?: (dataFolder: string) => FileStore;
  /** Milliseconds that the geometry kernel may take for a shape. */
  readonly kernelLimit?: number;
  /** Whether the server takes long work. */
  readonly jobs?: boolean;
  readonly prepareLibrary?: (folder: string) => void;
}

const listening = (app: Express): Promise<Server> =>
  new Promise((done) => {
    const server = app.listen(0, '127.0.0.1', () => done(server));
  });

const random = () => `rule_test_${process.pid}_${Math.random().toString(36).slice(2, 8)}`;
const urlOf = (name: string) => serverUrl().replace(/\/[^/]*$/, `/${name}`);

/** Builds an empty database of its own; drops it with the returned function. */
export async function freshDatabase(from = 'template0'): Promise<{ url: string; drop: () => Promise<void> }> {
  const name = random();
  await admin(`CREATE DATABASE ${name} TEMPLATE ${from}`);
  return { url: urlOf(name), drop: () => admin(`DROP DATABASE ${name} WITH (FORCE)`) };
}

/** The demo company is loaded once into a database that the others are copied from. */
async function demoTemplate(): Promise<string> {
  const hash = createHash('sha256').update(readFileSync(worker));
  hash.update(readFileSync(join(import.meta.dirname, '../dist/main.mjs')));
  const name = `rule_template_${hash.digest('hex').slice(0, 12)}`;
  const client = new pg.Client({ connectionString: serverUrl() });
  await client.connect();
  try {
    // Test files run side by side: the first one makes the template, the others wait for it.
    await client.query('SELECT pg_advisory_lock(4310)');
    if ((await client.query('SELECT 1 FROM pg_database WHERE datname = $1', [name])).rowCount) return name;
    await client.query(`DROP DATABASE IF EXISTS ${name}_half WITH (FORCE)`);
    await client.query(`CREATE DATABASE ${name}_half`);
    const url = urlOf(`${name}_half`);
    const db = new Db(url);
    await migrate(db.sequelize);
    const data = mkdtempSync(join(tmpdir(), 'rule-template-'));
    const pool = new WorkPool(worker, { databaseUrl: url, storeRoot: storeFolder(data) }, 1);
    const vault = new VaultStore(db.sequelize);
    await vault.migrate();
    const paths = readdirSync(DEMO_LIBRARY, { recursive: true, encoding: 'utf8' }).filter((path) => /\.(step|dxf)$/.test(path));
    await vault.fill({
      fields: DEMO_FIELDS.map(({ name, ...rest }) => newField(name, rest)),
      table: DEMO_VAULT_TABLE,
      sets: DEMO_STEP_SETS,
      files: paths.map((path) => ({
        path,
        content: readFileSync(join(DEMO_LIBRARY, path)),
        kind: demoEntryKind(path),
        state: DEMO_STATES[path]?.state ?? 'open',
        stateBy: DEMO_STATES[path]?.by ?? 'vault',
        record: DEMO_RECORDS[path] ?? {},
      })),
    });
    const server = await listening(vaultApp(vault, TOKEN));
    await loadDemo(
      buildServices({
        db,
        databaseUrl: url,
        pool,
        kernel: new KernelPool(kernelWorker, { databaseUrl: url }),
        vaultPort: new HttpVault(`http://127.0.0.1:${(server.address() as AddressInfo).port}`, TOKEN),
        dataFolder: data,
      }),
      { workshop: DEMO_LIBRARY, inherited: null },
    );
    server.closeAllConnections();
    server.close();
    await pool.close();
    await db.close();
    rmSync(data, { recursive: true, force: true });
    await client.query(`ALTER DATABASE ${name}_half RENAME TO ${name}`);
    return name;
  } finally {
    await client.end();
  }
}

export async function startRule(options: Options = {}): Promise<Rule> {
  const database = await freshDatabase(await demoTemplate());
  const data = mkdtempSync(join(tmpdir(), 'rule-test-'));
  const library = join(data, 'library');
  cpSync(DEMO_LIBRARY, library, { recursive: true, preserveTimestamps: true });
  options.prepareLibrary?.(library);

  const vaultDb = new Sequelize(database.url, { dialect: 'postgres', logging: false, pool: { max: 2 } });
  const vault = new VaultStore(vaultDb);
  const vaultServer = await listening(vaultApp(vault, TOKEN));
  const vaultUrl = `http://127.0.0.1:${(vaultServer.address() as AddressInfo).port}`;

  const db = new Db(database.url);
  await db.run('UPDATE libraries SET root = $1', [library]);
  const pool = new WorkPool(worker, { databaseUrl: database.url, storeRoot: storeFolder(data) }, 1);
  const kernel = new KernelPool(kernelWorker, { databaseUrl: database.url }, options.kernelLimit);
  const services = buildServices({
    db,
    databaseUrl: database.url,
    pool,
    kernel,
    // Machines are busy at times, and the stand-in runs in this very process.
    vaultPort: new HttpVault(vaultUrl, TOKEN, 30_000),
    dataFolder: data,
    ...(options.at ? { at: options.at } : {}),
    ...(options.store ? { store: options.store(data) } : {}),
  });
  if (options.prepareLibrary) await services.scanner.rescan();
  if (options.jobs) await services.jobs.open();
  const logged: string[] = [];
  const { app, close } = buildApp({
    services,
    databaseUrl: database.url,
    sessionSecret: 'test',
    webFolder: null,
    answers: ANSWERS,
    log: pino({ level: 'info' }, { write: (line: string) => void logged.push(line) }),
  });
  const server = await listening(app);
  const url = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  const others = new Set<() => Promise<void>>();

  return {
    url,
    databaseUrl: database.url,
    db,
    services,
    library,
    data,
    vaultUrl,
    logged,
    vault: async (method, path, body) => {
      const response = await fetch(`${vaultUrl}${path}`, {
        method,
        headers: { authorization: `Bearer ${TOKEN}`, 'content-type': 'application/json' },
        ...(body ? { body: JSON.stringify(body) } : {}),
      });
      return (await response.json()) as never;
    },
    signIn: async (name) => {
      const agent = request.agent(url);
      let csrf = ((await agent.get('/api/session')).body as { csrf: string }).csrf;
      const answer = await agent.post('/api/session').set('x-rule-csrf', csrf).send({ name, password: DEMO_PASSWORD });
      if (answer.status !== 200) throw new Error(`sign-in of ${name}: ${answer.text}`);
      csrf = (answer.body as { csrf: string }).csrf;
      const toItsEnd = async (answer: Test): Promise<ApplyReport> => {
        const { status, body } = (await answer) as { status: number; body: ApplyStarted };
        if (status !== 200) return body as unknown as ApplyReport;
        return body.report ?? ((await services.jobs.ended(body.job)).result as ApplyReport);
      };
      return {
        apply: (mode = 'whole', title = '') => toItsEnd(agent.post('/api/tray/apply').set('x-rule-csrf', csrf).send({ mode, title })),
        applyTable: (takeBack, mode = 'whole') => toItsEnd(agent.post(`/api/exchange/take-backs/${takeBack}/apply`).set('x-rule-csrf', csrf).send({ mode })),
        revert: (set) => toItsEnd(agent.post(`/api/history/${set}/revert`).set('x-rule-csrf', csrf).send({})),
        get: (path) => agent.get(`/api${path}`),
        post: (path, body = {}) => agent.post(`/api${path}`).set('x-rule-csrf', csrf).send(body),
        put: (path, body) => agent.put(`/api${path}`).set('x-rule-csrf', csrf).send(body),
        delete: (path) => agent.delete(`/api${path}`).set('x-rule-csrf', csrf),
        upload: (path, fileName, bytes) =>
          agent
            .post(`/api${path}`)
            .set('x-rule-csrf', csrf)
            .set('x-file-name', encodeURIComponent(fileName))
            .type('application/octet-stream')
            .send(Buffer.from(bytes)),
        job: (answer) => services.jobs.ended(answer.body.job),
      };
    },
    file: async (pathEnd) => (await db.one<{ id: number }>('SELECT id FROM files WHERE path LIKE $1 ORDER BY id', [`%${pathEnd}`]))!.id,
    property: async (name) => (await db.one<{ id: number }>('SELECT id FROM properties WHERE "writtenName" = $1', [name]))!.id,
    define: (...drafts) => services.editions.decree(null, 'for a test', drafts),
    bind: async (...cells) => {
      await services.editions.bind(null, cells);
      await services.editions.bringIntoForce(null, 'for a test', null);
    },
    amend: async (name, { retired, ...change }) => {
      const { schema } = await services.editions.draft();
      const property = schema.properties.find((candidate) => candidate.writtenName === name)!;
      await services.editions.edit(null, [{ id: property.id, base: null, draft: { ...draftOf(property), ...change }, retired: retired ?? property.retired }]);
      await services.editions.bringIntoForce(null, 'for a test', null);
    },
    another: () => {
      const own = new Db(database.url, 6);
      const threads = new WorkPool(worker, { databaseUrl: database.url, storeRoot: storeFolder(data) }, 1);
      const kernels = new KernelPool(kernelWorker, { databaseUrl: database.url });
      const second = buildServices({
        db: own,
        databaseUrl: database.url,
        pool: threads,
        kernel: kernels,
        vaultPort: new HttpVault(vaultUrl, TOKEN, 30_000),
        dataFolder: data,
      });
      const close = async () => {
        if (!others.delete(close)) return;
        await second.jobs.close();
        await kernels.close();
        await threads.close();
        await own.close();
      };
      others.add(close);
      return { services: second, close };
    },
    bytes: (pathEnd) =>
      readFileSync(
        join(
          library,
          readdirSync(library, { recursive: true, encoding: 'utf8' }).find((path) => path.endsWith(pathEnd))!,
        ),
      ),
    stop: async () => {
      // A test that failed has not closed its own.
      for (const close of [...others]) await close();
      server.closeAllConnections();
      server.close();
      vaultServer.closeAllConnections();
      vaultServer.close();
      await close();
      await services.jobs.close();
      await kernel.close();
      await pool.close();
      await db.close();
      await vaultDb.close();
      await database.drop();
      rmSync(data, { recursive: true, force: true });
    },
  };
}
