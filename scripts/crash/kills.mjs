import { spawn, spawnSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { path } from '../lib/shell.mjs';
import { random } from './random.mjs';

/**
 * Kills the server and PostgreSQL at random points while 50,000 lines are applied to 2,000 files, in both modes, and fills the disk in the
 * last rounds; after each restart every file and row must be wholly before or wholly after.
 */
export async function kills({ postgres, folder, url, seed, rounds }) {
  const data = mkdtempSync(join(tmpdir(), 'rule-crash-'));
  const next = random(seed);
  let failed = 0;
  try {
    const child = (...args) => ['--no-install', 'tsx', path('bench', 'crash-child.ts'), args[0], url, data, ...args.slice(1)];
    const run = (...args) => {
      const result = spawnSync('npx', child(...args), { cwd: path(), encoding: 'utf8', maxBuffer: 1 << 26 });
      if (result.status !== 0) throw new Error(`${args[0]} failed: ${result.stderr}`);
      const last = result.stdout.trim().split('\n').at(-1);
      return last?.startsWith('{') ? JSON.parse(last) : null;
    };
    run('prepare');
    // One complete run to measure the duration.
    run('lines', '0');
    const whole = run('apply', 'whole');
    console.log(`undisturbed: ${whole.applied} lines in ${whole.ms} ms\n`);
    console.log(
      '| round | mode | killed after, ms | what | files before | after | mixed | database differs | recovered | newest set | lines in the tray | held |',
    );
    console.log('|---:|---|---:|---|---:|---:|---:|---:|---|---|---:|---|');
    for (let round = 1; round <= rounds + 2; round++) {
      const mode = round % 2 ? 'whole' : 'file by file';
      const filled = round > rounds;
      run('lines', String(round));
      // Files are written near the end: every other pair of rounds is killed there.
      const delay = Math.round((round % 4 < 2 ? next() : 0.5 + next() / 2) * whole.ms);
      const what = filled ? 'disk full' : round % 3 === 0 ? 'PostgreSQL' : round % 3 === 1 ? 'server and PostgreSQL' : 'server';
      if (filled) run('apply', mode, '1000');
      else {
        const running = spawn('npx', child('apply', mode), { cwd: path(), detached: true, stdio: ['ignore', 'pipe', 'ignore'] });
        await new Promise((done) => running.stdout.on('data', (piece) => String(piece).includes('applying') && done()));
        const ended = new Promise((done) => running.on('exit', done));
        await new Promise((done) => setTimeout(done, delay));
        const killPostgres = () => {
          try {
            process.kill(Number(readFileSync(join(folder, 'postmaster.pid'), 'utf8').split('\n')[0]), 'SIGKILL');
          } catch {
            // It is gone already.
          }
        };
        if (what !== 'server') killPostgres();
        try {
          process.kill(-running.pid, what === 'PostgreSQL' ? 'SIGTERM' : 'SIGKILL');
        } catch {
          // It had come to its end.
        }
        await ended;
        // Processes of a killed server exit when they notice; the next start waits for it.
        await new Promise((done) => setTimeout(done, 1500));
        await postgres.start();
      }
      const told = run('check', String(round));
      const mixture = mode === 'whole' && told.before > 0 && told.after > 0;
      const held = told.mixed === 0 && told.apart === 0 && told.left === 0 && !mixture;
      if (!held) failed++;
      console.log(
        `| ${round} | ${mode} | ${filled ? '–' : delay} | ${what} | ${told.before} | ${told.after} | ${told.mixed} | ${told.apart} | ${told.outcome || 'nothing to do'} | ${told.set} | ${told.tray} | ${held ? 'yes' : `NO${told.left ? `, ${told.left} files left over` : ''}`} |`,
      );
    }
  } finally {
    rmSync(data, { recursive: true, force: true });
  }
  console.log(`\n${rounds + 2 - failed} rounds held, ${failed} did not`);
  return { held: rounds + 2 - failed, failed };
}
