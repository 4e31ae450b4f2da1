import { spawn, spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { path } from '../lib/shell.mjs';
import { random } from './random.mjs';

const wait = (ms) => new Promise((done) => setTimeout(done, ms));
const child = (url, data, command, ...rest) => [path('dist/trial-child.mjs'), command, url, data, path('apps/server/dist'), ...rest.map(String)];

/**
 * Runs a step.
 * @returns its last output
 */
function run(...args) {
  const result = spawnSync(process.execPath, child(...args), { cwd: path(), encoding: 'utf8', maxBuffer: 1 << 26, timeout: 120_000 });
  if (result.status !== 0) throw new Error(`${args[2]} failed: ${result.stderr}`);
  return JSON.parse(result.stdout.trim().split('\n').at(-1));
}

/**
 * Starts a step.
 * @returns the process and its output once it is working
 */
async function begin(...args) {
  const running = spawn(process.execPath, child(...args), { cwd: path(), stdio: ['ignore', 'pipe', 'ignore'] });
  let said = '';
  await new Promise((done) => {
    running.stdout.on('data', (piece) => {
      said += piece;
      if (said.includes('applying\n') || said.includes('taking\n')) done();
    });
    running.once('exit', done);
  });
  return {
    running,
    ended: new Promise((done) => (running.exitCode !== null || running.signalCode !== null ? done() : running.once('exit', done))),
    said: () => said,
  };
}

/** Rounds of a trial on its own library; each returns what is wrong afterwards. */
async function rounds({ url, seed, rounds: count }, columns, round) {
  const data = mkdtempSync(join(tmpdir(), 'rule-trial-'));
  const next = random(seed);
  const outcome = { held: 0, failed: 0 };
  const seen = new Map();
  try {
    run(url, data, 'prepare');
    for (let n = 1; n <= count; n++) {
      const { what, told } = await round({ data, next, n, seed: seed * 100_000 + n });
      const key = `${what}; ${told.told}`;
      seen.set(key, (seen.get(key) ?? 0) + 1);
      if (told.wrong.length) {
        outcome.failed++;
        console.log(`round ${n}, ${what}: ${told.wrong.slice(0, 4).join('; ')}`);
      } else outcome.held++;
    }
  } finally {
    rmSync(data, { recursive: true, force: true });
  }
  console.log(`| ${columns} | rounds |\n|---|---:|`);
  for (const [key, times] of [...seen].sort()) console.log(`| ${key} | ${times} |`);
  console.log(`\n${outcome.held} rounds held, ${outcome.failed} did not`);
  return outcome;
}

const modeOf = (n) => (n % 2 ? 'whole' : 'file by file');

/** Kills while files swap names. The next start must finish or revert, at first attempt. */
export function swaps(trial) {
  const { url } = trial;
  // Undisturbed duration, learned from completed rounds.
  let whole = 600;
  return rounds(trial, 'mode; what the next start did', async ({ data, next, n, seed }) => {
    const mode = modeOf(n);
    const { running, ended } = await begin(url, data, 'apply', seed, mode);
    const began = Date.now();
    await Promise.race([wait(next() * whole), ended]);
    if (running.exitCode !== null) whole = Math.max(80, Math.min(600, Date.now() - began));
    running.kill('SIGKILL');
    await ended;
    return { what: mode, told: run(url, data, 'check', mode) };
  });
}

/** The database disappears while files are written, then returns. The server survives and finishes by itself. */
export function database(trial) {
  const { url, postgres, folder } = trial;
  const WAYS = ['all connections', 'the connection of the lock', 'the whole server', 'a timeout of its own'];
  return rounds(trial, 'what went away; what was told', async ({ data, next, n, seed }) => {
    const { default: pg } = await import('pg');
    const way = WAYS[n % WAYS.length];
    const name = new URL(url).pathname.slice(1);
    const asked = async (sql) => {
      const client = new pg.Client({ connectionString: postgres.url('postgres') });
      await client.connect();
      await client.query(sql).finally(() => client.end());
    };
    if (way === 'a timeout of its own') await asked(`ALTER DATABASE ${name} SET idle_in_transaction_session_timeout = 40`);
    const { ended, said } = await begin(url, data, 'apply', seed, modeOf(n >> 2), 'live');
    await wait(next() * 500);
    const end = (which) => asked(`SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = '${name}' AND ${which}`);
    if (way === 'all connections') await end('true');
    else if (way === 'the connection of the lock') await end(`pid IN (SELECT pid FROM pg_locks WHERE locktype = 'advisory' AND objid = 7301 AND granted)`);
    else if (way === 'the whole server') {
      process.kill(Number(readFileSync(join(folder, 'postmaster.pid'), 'utf8').split('\n')[0]), 'SIGKILL');
      // Processes of a killed server exit when they notice; the next start waits for it.
      await wait(700);
      for (let tries = 0; ; tries++) {
        try {
          await postgres.start();
          break;
        } catch (error) {
          if (tries > 20) throw error;
          await wait(500);
        }
      }
    }
    await Promise.race([ended, wait(90_000)]);
    if (way === 'a timeout of its own') await asked(`ALTER DATABASE ${name} RESET idle_in_transaction_session_timeout`);
    const last = said().trim().split('\n').at(-1);
    return { what: way, told: last.startsWith('{') ? JSON.parse(last) : { wrong: [`said ${last}`], told: 'nothing' } };
  });
}

/** Kills while a table is imported from a watched folder: it must be imported exactly once and never lost. */
export function folders(trial) {
  const { url } = trial;
  return rounds(trial, 'what; what became of the table', async ({ data, next, seed }) => {
    const { running, ended } = await begin(url, data, 'table', seed);
    await Promise.race([wait(next() * 1200), ended]);
    running.kill('SIGKILL');
    await ended;
    return { what: 'a kill', told: run(url, data, 'check table', seed) };
  });
}
