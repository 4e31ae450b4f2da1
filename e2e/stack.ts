import { ChildProcess, fork } from 'node:child_process';
import { cpSync, mkdtempSync, rmSync } from 'node:fs';
import { AddressInfo, createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { test as base } from '@playwright/test';
import pg from 'pg';

const root = join(import.meta.dirname, '..');

function launch(file: string, env: Record<string, string>): Promise<ChildProcess> {
  return new Promise((done, fail) => {
    const child = fork(join(root, file), [], { cwd: root, env: { ...process.env, ...env } });
    child.once('message', () => done(child));
    child.once('exit', (code) => fail(new Error(`${file} ended with ${code} while starting`)));
  });
}

const freePort = () =>
  new Promise<number>((done) => {
    const server = createServer().listen(0, '127.0.0.1', () => {
      const { port } = server.address() as AddressInfo;
      server.close(() => done(port));
    });
  });

async function admin(url: string, sql: string): Promise<void> {
  const client = new pg.Client({ connectionString: url });
  await client.connect();
  await client.query(sql).finally(() => client.end());
}

/** A complete demo stack: server, vault stand-in, database and files. */
export interface Stack {
  readonly url: string;
  readonly library: string;
  readonly database: string;
  readonly vaultUrl: string;
}

async function start(name: string): Promise<{ stack: Stack; stop: () => Promise<void> }> {
  const postgres = process.env['RULE_E2E_POSTGRES_URL'];
  if (!postgres) throw new Error('RULE_E2E_POSTGRES_URL is not set: run the tests with npm test.');
  const own = `rule_e2e_${name}_${process.pid}`;
  await admin(postgres, `CREATE DATABASE ${own}`);
  const database = postgres.replace(/\/[^/]*$/, `/${own}`);
  const [port, vaultPort] = [String(await freePort()), String(await freePort())];
  const data = mkdtempSync(join(tmpdir(), 'rule-e2e-'));
  const library = join(data, 'library');
  const demo = join(root, 'packages/demo/library');
  cpSync(demo, library, { recursive: true });
  const vaultUrl = `http://127.0.0.1:${vaultPort}`;
  const vault = await launch('apps/vault/dist/main.mjs', { VAULT_PORT: vaultPort, VAULT_TOKEN: 'e2e', VAULT_DATABASE_URL: database, VAULT_DEMO_LIBRARY: demo });
  const server = await launch('apps/server/dist/main.mjs', {
    RULE_PORT: port,
    RULE_DATABASE_URL: database,
    RULE_DATA: data,
    RULE_WEB: join(root, 'apps/web/dist/browser'),
    RULE_VAULT_URL: vaultUrl,
    RULE_VAULT_TOKEN: 'e2e',
    RULE_SESSION_SECRET: 'e2e',
    RULE_LOG: 'warn',
    RULE_DEMO_LIBRARY: library,
  });
  return {
    stack: { url: `http://127.0.0.1:${port}`, library, database, vaultUrl },
    stop: async () => {
      for (const child of [server, vault]) {
        const gone = new Promise((done) => child.once('exit', done));
        child.kill('SIGTERM');
        await gone;
      }
      await admin(postgres, `DROP DATABASE ${own} WITH (FORCE)`);
      rmSync(data, { recursive: true, force: true });
    },
  };
}

let standing: Stack | undefined;

/** The stack of this process. */
export function here(): Stack {
  if (!standing) throw new Error('The stack is not started yet.');
  return standing;
}

/** Each project has its own stack, so projects run alone and in any order. */
export const test = base.extend<object, { own: string; stack: Stack }>({
  own: ['', { option: true, scope: 'worker' }],
  stack: [
    async ({ own }, use) => {
      const { stack, stop } = await start(own);
      standing = stack;
      await use(stack);
      await stop();
    },
    { scope: 'worker', auto: true, timeout: 180_000 },
  ],
  baseURL: ({ stack }, use) => use(stack.url),
});
