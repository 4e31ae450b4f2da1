import { spawn } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { freePort } from '../lib/settings.mjs';
import { path } from '../lib/shell.mjs';
import { random } from './random.mjs';

/** Time before a first start is killed, at most, in milliseconds. */
const LONGEST = 14_000;

/** Limit for the last start, which may include building the web application, in milliseconds. */
const LONGEST_START = 400_000;

/** First starts killed at random times by signal or Ctrl+C; the next start must continue. */
export async function starts({ seed, rounds }) {
  const next = random(seed);
  const outcome = { held: 0, failed: 0 };
  for (let round = 1; round <= rounds; round++) {
    const place = mkdtempSync(join(tmpdir(), 'rule-starts-'));
    const env = {
      ...process.env,
      RULE_VAR: place,
      RULE_PORT: String(await freePort()),
      RULE_VAULT_PORT: String(await freePort()),
      RULE_DB_PORT: String(await freePort()),
    };
    delete env.RULE_DATABASE_URL;
    const begin = () => {
      const child = spawn(process.execPath, [path('scripts/start.mjs')], { cwd: path(), env });
      let said = '';
      for (const stream of [child.stdout, child.stderr]) stream.on('data', (piece) => (said += piece));
      return { child, said: () => said, ended: new Promise((done) => child.once('exit', done)) };
    };
    const delays = [];
    for (let kill = 0; kill < 3; kill++) {
      const { child, ended } = begin();
      const delay = Math.round(next() * LONGEST);
      const signal = next() < 0.5 ? 'SIGKILL' : 'SIGINT';
      delays.push(`${signal} after ${delay} ms`);
      await Promise.race([ended, new Promise((done) => setTimeout(done, delay))]);
      child.kill(signal);
      await ended;
    }
    const { child, said, ended } = begin();
    for (const until = Date.now() + LONGEST_START; Date.now() < until && child.exitCode === null && !said().includes('Ctrl+C stops everything');)
      await new Promise((done) => setTimeout(done, 200));
    const company = await fetch(`http://127.0.0.1:${env.RULE_PORT}/api/session`).then(
      (answer) => answer.json(),
      () => null,
    );
    const ok = company?.company === 'Marrowby Roaster Works';
    outcome[ok ? 'held' : 'failed']++;
    console.log(`round ${round}: ${delays.join(', ')}: ${ok ? 'the next start went on' : `NOT STARTED\n${said()}`}`);
    child.kill('SIGINT');
    await ended;
    rmSync(place, { recursive: true, force: true });
  }
  return outcome;
}
