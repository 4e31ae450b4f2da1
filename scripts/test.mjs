import { spawn } from 'node:child_process';
import { existsSync, mkdirSync, readFileSync, rmSync } from 'node:fs';
import { availableParallelism } from 'node:os';
import { join } from 'node:path';
import { bundle, buildServers, buildWeb } from './lib/build.mjs';
import { MOST_AT_FIRST, firstLoad } from './lib/first-load.mjs';
import { installPackages } from './lib/install.mjs';
import { OwnPostgres } from './lib/postgres.mjs';
import { VAR, freePort } from './lib/settings.mjs';
import { checkNode, main, needDebian, path, read, say } from './lib/shell.mjs';

const counts = { passed: 0, failed: 0 };

/** Runs and counts a check; output is shown on failure. */
async function check(name, command, args, options = {}) {
  const began = Date.now();
  const result = await capture(command, args, options);
  const ok = result.code === 0;
  counts[ok ? 'passed' : 'failed']++;
  console.log(`${ok ? '✓' : '✗'} ${name} (${Math.round((Date.now() - began) / 1000)} s)`);
  if (!ok) console.log(result.output);
}

function capture(command, args, options) {
  return new Promise((done) => {
    const child = spawn(command, args, { cwd: path(), ...options, stdio: ['ignore', 'pipe', 'pipe'] });
    let output = '';
    child.stdout.on('data', (chunk) => (output += chunk));
    child.stderr.on('data', (chunk) => (output += chunk));
    child.on('error', (error) => done({ code: 1, output: String(error) }));
    child.on('exit', (code) => done({ code: code ?? 1, output }));
  });
}

/** Limits for a runner after its report and overall, in milliseconds: leftovers of a failed test must not block the rest. */
const AFTER_REPORT = 60_000;
const LONGEST = 25 * 60_000;
const SIGNALS = ['SIGINT', 'SIGTERM', 'SIGHUP'];

/** Waits for a test runner. One that does not end is killed with its children and counts as a failure. */
function ended(name, child, report) {
  return new Promise((done) => {
    const began = Date.now();
    let reported = 0;
    const watch = setInterval(() => {
      if (!reported && existsSync(report)) reported = Date.now();
      const late = reported ? Date.now() - reported > AFTER_REPORT : Date.now() - began > LONGEST;
      if (!late) return;
      console.log(`✗ ${name} did not end by themselves${reported ? ' after their report' : ''}`);
      process.kill(-child.pid, 'SIGKILL');
    }, 1000);
    // In its own process group, so it can be ended as a whole when the tests are stopped.
    const stop = () => {
      process.kill(-child.pid, 'SIGKILL');
      process.exit(1);
    };
    for (const signal of SIGNALS) process.once(signal, stop);
    const end = (code) => {
      for (const signal of SIGNALS) process.off(signal, stop);
      clearInterval(watch);
      done(code);
    };
    child.on('error', () => end(1));
    child.on('exit', (status) => end(status ?? 1));
  });
}

/** Runs tests that report in JSON and adds their counts; a runner without a report counts as a failure. */
async function tests(name, command, args, report, countsOf, env = {}) {
  rmSync(report, { force: true });
  console.log(`\n— ${name}`);
  const began = Date.now();
  const code = await ended(
    name,
    spawn(command, args, { cwd: path(), stdio: ['ignore', 'inherit', 'inherit'], detached: true, env: { ...process.env, ...env } }),
    report,
  );
  let found = { passed: 0, failed: 0 };
  if (existsSync(report)) found = countsOf(JSON.parse(readFileSync(report, 'utf8')));
  if ((code !== 0 && found.failed === 0) || found.passed + found.failed === 0) found.failed++;
  counts.passed += found.passed;
  counts.failed += found.failed;
  console.log(`— ${name}: ${found.passed} passed, ${found.failed} failed (${Math.round((Date.now() - began) / 1000)} s)`);
}

await main(async () => {
  checkNode();
  mkdirSync(VAR, { recursive: true });
  const only = process.argv.slice(2).find((arg) => !arg.startsWith('-'));
  const wanted = (part) => !only || only === part;
  await installPackages();
  await needDebian([
    { name: 'chromium', there: () => existsSync('/usr/bin/chromium') },
    { name: 'python3-ezdxf', there: () => read('/usr/bin/python3', ['-c', 'import ezdxf']) !== null },
    { name: 'libreoffice-calc', there: () => existsSync('/usr/lib/libreoffice/program/scalc') || existsSync('/usr/lib/libreoffice/program/libsclo.so') },
    { name: 'unzip', there: () => read('unzip', ['-v']) !== null },
  ]);

  console.log(wanted('check') ? '\n— lint, types, builds' : '\n— builds');
  // One processor lints while the other checks types and builds; the report of each is printed as a whole.
  const lint = wanted('check') && check('lint', 'npx', ['--no-install', 'eslint', '.', '--max-warnings', '0']);
  if (wanted('check')) {
    // Projects with the same surroundings are checked together, as each would read what they share again.
    for (const [what, project] of [
      ['the core', 'packages/core'],
      ['programs', 'tsconfig.node.json'],
      ['contract, demo and end-to-end tests', 'tsconfig.page.json'],
      ['the page', 'apps/web/tsconfig.spec.json'],
    ])
      await check(`types of ${what}`, 'npx', ['--no-install', 'tsc', '-p', project]);
    await check('WebAssembly is what its source gives', process.execPath, [path('scripts/wasm.mjs'), '--check']);
    await check('widths of lettering are those of the fonts', process.execPath, [path('scripts/widths.mjs'), '--check']);
  }
  say('building');
  await buildServers();
  await bundle({ 'crash-child': path('apps/server/test/crash-child.ts') }, path('apps/server/dist-test'));
  if (wanted('check') || wanted('e2e')) {
    await buildWeb();
    counts.passed++;
    console.log('✓ web build for production');
    const { total } = firstLoad();
    const light = total <= MOST_AT_FIRST;
    counts[light ? 'passed' : 'failed']++;
    console.log(`${light ? '✓' : '✗'} the page loads ${Math.round(total / 1000)} kB at first, of ${MOST_AT_FIRST / 1000}`);
  }
  await lint;

  const jest = (project, env, more = []) => {
    const report = join(VAR, `jest-${project}.json`);
    return tests(
      `${project} tests`,
      process.execPath,
      [
        '--experimental-vm-modules',
        '--no-warnings',
        path('node_modules/jest/bin/jest.js'),
        '--selectProjects',
        project,
        '--json',
        `--outputFile=${report}`,
        ...more,
      ],
      report,
      (json) => ({ passed: json.numPassedTests, failed: json.numFailedTests + json.numRuntimeErrorTestSuites }),
      env,
    );
  };
  // Tests of core and web wait for nothing but the processor: all of them work. Those of the server and of the whole wait for PostgreSQL and
  // the disk too, and each file of them holds some twenty connections.
  const atOnce = Math.max(1, Math.min(4, availableParallelism()));
  if (wanted('core')) await jest('core', {}, ['--maxWorkers=100%']);
  if (wanted('web')) await jest('web', {}, ['--maxWorkers=100%']);

  if (wanted('server') || wanted('e2e')) {
    const port = await freePort();
    const folder = join(VAR, 'test-postgres');
    rmSync(folder, { recursive: true, force: true });
    const postgres = new OwnPostgres(folder, port, 'test-only', { connections: 40 * (atOnce + 1), lasting: false });
    try {
      await postgres.start();
      if (wanted('server')) await jest('server', { RULE_TEST_DATABASE_URL: postgres.url('postgres') }, [`--maxWorkers=${atOnce}`]);
      if (wanted('e2e')) {
        const report = join(VAR, 'e2e.json');
        const env = {
          RULE_E2E_POSTGRES_URL: postgres.url('postgres'),
          PLAYWRIGHT_JSON_OUTPUT_NAME: report,
        };
        await tests(
          'end-to-end tests',
          'npx',
          ['--no-install', 'playwright', 'test', '--config', 'e2e/playwright.config.ts', '--reporter', 'list,json', '--workers', `${atOnce}`],
          report,
          (json) => ({ passed: json.stats.expected, failed: json.stats.unexpected + json.stats.flaky + json.stats.skipped }),
          env,
        );
      }
    } finally {
      postgres.stop();
      rmSync(folder, { recursive: true, force: true });
    }
  }
  console.log(`\n${counts.passed} passed, ${counts.failed} failed`);
  process.exitCode = counts.failed === 0 ? 0 : 1;
});
