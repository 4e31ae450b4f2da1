import { ChildProcess, fork } from 'node:child_process';
import { cpSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';

const root = join(import.meta.dirname, '..');

function launch(file: string, env: Record<string, string>): Promise<ChildProcess> {
  return new Promise((done, fail) => {
    const child = fork(join(root, file), [], { cwd: root, env: { ...process.env, ...env } });
    child.once('message', () => done(child));
    child.once('exit', (code) => fail(new Error(`${file} ended with ${code} while starting`)));
  });
}

const needed = (name: string): string => {
  const value = process.env[name];
  if (!value) throw new Error(`${name} is not set: run the tests with npm test.`);
  return value;
};

/** Starts server and vault stand-in with the demo, on a database of their own, and stops them afterwards. */
export default async function start(): Promise<() => Promise<void>> {
  const [database, port, vaultPort] = [needed('RULE_E2E_DATABASE_URL'), needed('RULE_E2E_PORT'), needed('RULE_E2E_VAULT_PORT')];
  const data = mkdtempSync(join(tmpdir(), 'rule-e2e-'));
  const library = join(data, 'library');
  cpSync(join(root, 'packages/demo/library'), library, { recursive: true });
  process.env['RULE_E2E_LIBRARY'] = library;
  const demo = join(root, 'packages/demo/library');
  const vault = await launch('apps/vault/dist/main.mjs', { VAULT_PORT: vaultPort, VAULT_TOKEN: 'e2e', VAULT_DATABASE_URL: database, VAULT_DEMO_LIBRARY: demo });
  const server = await launch('apps/server/dist/main.mjs', {
    RULE_PORT: port,
    RULE_DATABASE_URL: database,
    RULE_DATA: data,
    RULE_WEB: join(root, 'apps/web/dist/browser'),
    RULE_VAULT_URL: `http://127.0.0.1:${vaultPort}`,
    RULE_VAULT_TOKEN: 'e2e',
    RULE_SESSION_SECRET: 'e2e',
    RULE_LOG: 'warn',
    RULE_DEMO_LIBRARY: library,
  });
  return async () => {
    for (const child of [server, vault]) {
      const gone = new Promise((done) => child.once('exit', done));
      child.kill('SIGTERM');
      await gone;
    }
    rmSync(data, { recursive: true, force: true });
  };
}
