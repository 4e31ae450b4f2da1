import { fork } from 'node:child_process';
import { mkdirSync, readFileSync, readdirSync, rmSync } from 'node:fs';
import { createServer } from 'node:net';
import { cpus } from 'node:os';
import { join } from 'node:path';
import { newDraft } from '@rule/core/schema';
import { addUser } from '../apps/server/src/users/users';
import { writeLargeLibrary } from './large';
import { openServices } from './services';

/*
 * Load test: users each send two requests per second on a library while a scan and a take-back run against a separate server process. Set
 * `RULE_LOAD_PEOPLE` and `RULE_LOAD_SECONDS` to change it. The first half minute is not measured: a server that has just started still
 * compiles its code.
 */
const FILES = 12_000;
const PEOPLE = Number(process.env['RULE_LOAD_PEOPLE'] ?? 50);
const SECONDS = Number(process.env['RULE_LOAD_SECONDS'] ?? 30);
const WARM_UP = 30;
/** Request interval per user, in milliseconds. */
const EVERY = 500;

const freePort = (): Promise<number> =>
  new Promise((done) => {
    const server = createServer().listen(0, '127.0.0.1', () => {
      const { port } = server.address() as { port: number };
      server.close(() => done(port));
    });
  });

const { services, db, data, url, close } = await openServices();
const library = join(data, 'library');
mkdirSync(library);
writeLargeLibrary(library, FILES);
await services.editions.decree(
  null,
  'the schema in force',
  ['Part number', 'Description', 'Material', 'Finish', 'Supplier', 'Note'].map((name) => ({
    ...newDraft(name),
    kinds: ['part', 'drawing'] as const,
    required: name !== 'Note',
  })),
);
await services.libraries.add('Large', library);
await services.scanner.rescan();
// Shapes count as measured.
await db.run('UPDATE files SET shaped_hash = hash');
await services.judgements.settle();
for (let i = 0; i < PEOPLE; i++) await addUser(db, `person-${i}`, `Person ${i}`, 'editor', 'not a secret');
const people = await db.all<{ id: number; name: string; displayName: string }>('SELECT id, name, display_name AS "displayName" FROM users ORDER BY id');
const tokens: string[] = [];
for (const person of people) tokens.push((await services.tokens.make({ ...person, role: 'editor' }, { name: 'load', scope: 'work', days: 1 })).token);
const files = (await db.all<{ id: number; path: string }>(`SELECT id, path FROM files WHERE kind = 'part' ORDER BY id`)).map((row) => row);
const property = (await services.properties.list(db)).find((one) => one.writtenName === 'Note')!.id;
// As autovacuum would.
await db.run('VACUUM ANALYZE');

const port = await freePort();
const base = `http://127.0.0.1:${port}`;
const server = fork(join(import.meta.dirname, '../apps/server/dist/main.mjs'), [], {
  env: {
    ...process.env,
    NODE_ENV: 'production',
    RULE_PORT: String(port),
    RULE_DATABASE_URL: url,
    RULE_DATA: data,
    RULE_VAULT_URL: 'http://127.0.0.1:9',
    RULE_VAULT_TOKEN: 'none',
    RULE_SESSION_SECRET: 'none',
    RULE_ADMIN_PASSWORD: 'not a secret',
    RULE_LOG: 'error',
  },
});
await new Promise((done) => server.once('message', done));

const times = new Map<string, number[]>();
let errors = 0;
async function ask(person: number, what: string, method: string, path: string, body?: object | string): Promise<Response> {
  const began = performance.now();
  const response = await fetch(`${base}/api${path}`, {
    method,
    headers: {
      authorization: `Bearer ${tokens[person]!}`,
      ...(typeof body === 'string' ? { 'content-type': 'application/octet-stream', 'x-file-name': 'load.csv' } : { 'content-type': 'application/json' }),
    },
    ...(body === undefined ? {} : { body: typeof body === 'string' ? body : JSON.stringify(body) }),
  });
  const text = await response.text();
  if (response.status !== 200) {
    errors++;
    if (errors < 4) console.error(what, response.status, text.slice(0, 300));
  }
  times.set(what, [...(times.get(what) ?? []), performance.now() - began]);
  return new Response(text);
}

let turn = 0;
/** Requests with their shares. */
const QUESTIONS: readonly [share: number, ask: (person: number, at: number) => Promise<unknown>][] = [
  [40, (person, at) => ask(person, 'grid page', 'GET', `/values?offset=${(at * 100) % FILES}&limit=100`)],
  [15, (person) => ask(person, 'survey', 'GET', '/survey')],
  [
    15,
    (person, at) =>
      ask(person, 'put one value', 'POST', '/tray', { values: [{ file: files[(at * 7) % files.length]!.id, property, text: `note ${at}` }], reason: 'grid' }),
  ],
  [20, (person) => ask(person, 'tray', 'GET', '/tray')],
  [10, (person) => ask(person, 'overview', 'GET', '/overview')],
];

/** The next request, keeping the shares. */
function question(person: number): Promise<unknown> {
  const at = turn++;
  let share = (at * 37) % 100;
  for (const [size, put] of QUESTIONS) {
    if (share < size) return put(person, at);
    share -= size;
  }
  return Promise.resolve();
}

let until = 0;
async function work(person: number): Promise<void> {
  let next = performance.now() + (person / PEOPLE) * EVERY;
  while (performance.now() < until) {
    await new Promise((done) => setTimeout(done, Math.max(0, next - performance.now())));
    next += EVERY;
    await question(person);
  }
}
/** Background work: scans and take-backs in sequence. */
async function surveys(): Promise<void> {
  while (performance.now() < until) {
    const { job } = (await (await ask(0, 'begin a survey', 'POST', '/libraries/rescan', {})).json()) as { job: number };
    while (performance.now() < until) {
      const { state } = (await (await ask(0, 'look at a job', 'GET', `/jobs/${job}`)).json()) as { state: string };
      if (state !== 'running' && state !== 'waiting') break;
      await new Promise((done) => setTimeout(done, 500));
    }
  }
}
async function tables(): Promise<void> {
  const rows = files.slice(0, 2000).map(({ path }, n) => `${path},note ${n}`);
  while (performance.now() < until) {
    await ask(1, 'take a table back (2000 rows)', 'POST', '/exchange/take-backs', `File,Note\n${rows.join('\n')}\n`);
    await new Promise((done) => setTimeout(done, 1000));
  }
}

/** Processor time so far, in seconds, of the users (this process), the server and the database. */
function spent(): Record<string, number> {
  const ticks = (pid: string): number => {
    try {
      const fields = readFileSync(`/proc/${pid}/stat`, 'utf8').split(') ')[1]!.split(' ');
      return (Number(fields[11]) + Number(fields[12])) / 100;
    } catch {
      return 0;
    }
  };
  const database = readdirSync('/proc').filter((pid) => /^\d+$/.test(pid) && isPostgres(pid));
  const { user, system } = process.cpuUsage();
  return {
    people: (user + system) / 1e6,
    server: ticks(`${server.pid}`),
    'its main thread': ticks(`${server.pid}/task/${server.pid}`),
    database: database.reduce((sum, pid) => sum + ticks(pid), 0),
  };
}
function isPostgres(pid: string): boolean {
  try {
    return readFileSync(`/proc/${pid}/comm`, 'utf8').trim() === 'postgres';
  } catch {
    return false;
  }
}

/** Everybody and everything at work for a while. */
async function run(seconds: number): Promise<void> {
  until = performance.now() + seconds * 1000;
  await Promise.all([...tokens.map((_token, person) => work(person)), surveys(), tables()]);
}

await run(WARM_UP);
// As autovacuum does every minute.
await db.run('VACUUM ANALYZE');
times.clear();
const before = spent();
await run(SECONDS);
const after = spent();
const total = [...times.values()].reduce((sum, list) => sum + list.length, 0);
console.log(`### ${PEOPLE} people, each asking every ${EVERY} ms, on ${FILES} files, while a survey and a take-back run\n`);
console.log('| | answers | half within, ms | 95 of 100 within, ms | longest, ms |');
console.log('|---|---:|---:|---:|---:|');
for (const [what, list] of [...times].sort()) {
  list.sort((a, b) => a - b);
  const at = (share: number) => list[Math.min(list.length - 1, Math.floor(list.length * share))]!.toFixed(0);
  console.log(`| ${what} | ${list.length} | ${at(0.5)} | ${at(0.95)} | ${at(1)} |`);
}
console.log(`\n${(total / SECONDS).toFixed(1)} answers a second, ${errors} errors\n`);
const shares = Object.entries(after).map(([who, time]) => `${who} ${(time - before[who]!).toFixed(1)} s`);
console.log(`Processor time in ${SECONDS} s on ${cpus().length} processors: ${shares.join(', ')}\n`);
const ended = new Promise((done) => server.once('exit', done));
server.kill('SIGTERM');
await ended;
await close();
rmSync(data, { recursive: true, force: true });
if (errors > 0) process.exitCode = 1;
