import { existsSync, mkdirSync, readFileSync, readdirSync, utimesSync, writeFileSync } from 'node:fs';
import { basename, join } from 'node:path';
import { APPLY_MODES } from '@rule/contract';
import { Line } from '@rule/core/changes';
import { step } from '@rule/core/files/step';
import { newDraft } from '@rule/core/schema';
import { heldText } from '@rule/core/values';
import { KernelPool } from '../apps/server/src/geometry/geometry';
import { Db, isConnectionError } from '../apps/server/src/platform/db';
import { migrate } from '../apps/server/src/platform/migrations';
import { buildServices, storeFolder } from '../apps/server/src/services';
import { WorkPool } from '../apps/server/src/platform/pool';
import { addUser } from '../apps/server/src/users/users';
import { HttpVault } from '../apps/server/src/vault/port';
import { writeLargeLibrary } from './large';

/* Steps of `npm run crash`, in processes that may be killed: renames, lost databases, watched folders. */
const [command, url, data, dist, ...rest] = process.argv.slice(2) as [string, string, string, string, ...string[]];
const FILES = 40;
const root = join(data, 'library');
const inbox = join(data, 'inbox');
const planFile = join(data, 'plan.json');

const db = new Db(url, 10, () => undefined);
if (command === 'prepare') await migrate(db.sequelize);
const pool = new WorkPool(join(dist, 'worker.mjs'), { databaseUrl: url, storeRoot: storeFolder(data) }, 1);
const kernel = new KernelPool(join(dist, 'geometry.mjs'), { databaseUrl: url });
const services = buildServices({
  db,
  databaseUrl: url,
  pool,
  kernel,
  vaultPort: new HttpVault('http://127.0.0.1:9', 'none', 100),
  dataFolder: data,
  // Signals that files are being written.
  at: (reached) => {
    if (reached === 'planned') process.stdout.write('applying\n');
    return Promise.resolve();
  },
});
const user = { id: 1, name: 'crash', displayName: 'Crash', role: 'administrator' as const };
const say = (what: object) => process.stdout.write(`${JSON.stringify(what)}\n`);

/** Random numbers (mulberry32, public domain). */
function random(seed: number): () => number {
  let state = seed | 0;
  return () => {
    state = (state + 0x6d2b79f5) | 0;
    let t = Math.imul(state ^ (state >>> 15), 1 | state);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  };
}

interface Planned {
  readonly number: string;
  readonly before: string;
  readonly after: string;
  readonly text: string;
}

/** A file's constant number and its last written value. */
function inFile(path: string): { number: string; text: string | null } {
  const values = step.read(new Uint8Array(readFileSync(join(root, path)))).holders[0]!.values;
  const text = (name: string) => values.find((value) => value.place === 'property' && value.name === name)?.held.text ?? null;
  return { number: text('Part number')!, text: text('Crash') };
}

/** Random renames: cycles, chains and unchanged files. */
async function planRound(seed: number): Promise<void> {
  const next = random(seed);
  const files = await db.all<{ id: number; path: string; number: string; crash: string | null }>(
    `SELECT f.id, f.path, n.text AS number, c.text AS crash FROM files f JOIN held_values n ON n.file_id = f.id AND n.holder = '' AND n.name = 'Part number'
     LEFT JOIN held_values c ON c.file_id = f.id AND c.holder = '' AND c.name = 'Crash' WHERE NOT f.removed AND f.kind = 'part' ORDER BY f.id`,
  );
  const moving = files.filter(() => next() < 0.8);
  const names = moving.map((file) => basename(file.path));
  const spare = next() < 0.5 ? [`free ${seed}.step`] : [];
  // Rotations by a random step; a spare name turns a cycle into a chain.
  const shift = 1 + Math.floor(next() * Math.max(1, names.length - 1));
  const plan: Planned[] = [];
  const lines: Line[] = [];
  for (const file of files) {
    const at = moving.indexOf(file);
    const before = basename(file.path);
    const after = at < 0 ? before : at === 0 && spare.length ? spare[0]! : names[(at + shift) % names.length]!;
    // The first file's target name stays free.
    plan.push({ number: file.number, before, after, text: `round ${seed}` });
    const line = (place: 'property' | 'field', name: string, base: string | null, text: string): Line => ({
      address: { file: file.id, holder: '', place, name },
      base: base === null ? null : heldText(base),
      proposed: heldText(text),
      reason: 'crash trial',
      follows: false,
    });
    lines.push(line('property', 'Crash', file.crash, `round ${seed}`));
    if (after !== before) lines.push(line('field', 'file name', before, after));
  }
  writeFileSync(planFile, JSON.stringify(plan));
  await services.trays.drop(user, 'all');
  await services.trays.add(user, lines, 'by rule');
}

/** Verifies disk and database against the plan. */
async function held(mode: string): Promise<{ wrong: string[]; before: number; after: number }> {
  const plan = JSON.parse(readFileSync(planFile, 'utf8')) as Planned[];
  const wrong: string[] = [];
  const all = readdirSync(root, { recursive: true, encoding: 'utf8' });
  const left = all.filter((path) => basename(path).startsWith('.rule-'));
  if (left.length) wrong.push(`${left.length} left over`);
  const found = new Map(
    all.filter((path) => path.endsWith('.step') && !basename(path).startsWith('.')).map((path) => [inFile(path).number, { path, ...inFile(path) }]),
  );
  const rows = new Map(
    (
      await db.all<{ number: string; path: string; text: string | null }>(
        `SELECT n.text AS number, f.path, c.text FROM files f JOIN held_values n ON n.file_id = f.id AND n.holder = '' AND n.name = 'Part number'
         LEFT JOIN held_values c ON c.file_id = f.id AND c.holder = '' AND c.name = 'Crash' WHERE NOT f.removed`,
      )
    ).map((row) => [row.number, row]),
  );
  let [before, after] = [0, 0];
  for (const { number, before: old, after: fresh, text } of plan) {
    const file = found.get(number);
    const row = rows.get(number);
    if (!file) wrong.push(`${number} is missing from the folder`);
    else if (!row) wrong.push(`${number} is missing from the database`);
    else if (row.path !== file.path || row.text !== file.text) wrong.push(`${number}: folder and database differ (${file.path}, ${row.path})`);
    else if (file.text === text && basename(file.path) === fresh) after++;
    else if (file.text !== text && basename(file.path) === old) before++;
    else wrong.push(`${number} is half done: ${file.path}, ${file.text}`);
  }
  if (mode === 'whole' && before > 0 && after > 0) wrong.push('a set that is whole is half done');
  const open = (await db.one<{ n: number }>(`SELECT count(*)::int AS n FROM change_sets WHERE state = 'applying' OR NOT cleared`))!.n;
  if (open) wrong.push(`${open} sets are not finished`);
  return { wrong, before, after };
}

const settled = async () => {
  for (;;) {
    const open = await db.one<{ n: number }>(`SELECT count(*)::int AS n FROM change_sets WHERE state = 'applying' OR NOT cleared`).catch(() => ({ n: 1 }));
    if (open!.n === 0) return;
    await new Promise((done) => setTimeout(done, 50));
  }
};

switch (command) {
  case 'prepare': {
    mkdirSync(root, { recursive: true });
    mkdirSync(inbox, { recursive: true });
    // Four of five files are parts.
    writeLargeLibrary(root, (FILES * 5) / 4);
    await addUser(db, user.name, user.displayName, user.role, 'not a secret');
    await services.editions.decree(null, 'for the trial', [{ ...newDraft('Crash'), kinds: ['part'] }]);
    await services.libraries.add('Small', root);
    await services.scanner.rescan();
    await services.deliveries.saveFolder(user, null, { folder: inbox, apply: true, active: true });
    say({ done: true });
    break;
  }
  case 'apply': {
    const [seed, mode] = rest as [string, string];
    // Retries until the database answers.
    const plan = (): Promise<void> => planRound(Number(seed)).catch((error: unknown) => (isConnectionError(error) ? plan() : Promise.reject(error as Error)));
    await plan();
    const report = await services.applying
      .applyTray(
        user,
        APPLY_MODES.find((candidate) => candidate === mode)!,
        'crash trial',
      )
      .catch((error: unknown) => ({ state: String((error as { code?: string }).code ?? error) }));
    if (rest[2] === 'live') {
      // The process survives and recovers by itself.
      await settled();
      // Ready for the database to be stopped.
      const look = (): ReturnType<typeof held> => held(mode).catch((error: unknown) => (isConnectionError(error) ? look() : Promise.reject(error as Error)));
      const { wrong, before, after } = await look();
      const untrue = (report.state === 'applied' && before > 0) || (report.state === 'database-unreachable' && after > 0);
      say({ wrong: untrue ? [...wrong, `was told: ${report.state}`] : wrong, before, after, told: report.state });
    } else say(report);
    break;
  }
  case 'check': {
    const outcomes = await services.applying.recover();
    say({ ...(await held(rest[0]!)), told: outcomes.map((outcome) => outcome.outcome).join() || 'nothing to do' });
    break;
  }
  case 'table': {
    const [seed] = rest as [string];
    const [file] = await db.all<{ path: string }>(`SELECT path FROM files WHERE kind = 'part' AND NOT removed ORDER BY id LIMIT 1`);
    writeFileSync(join(inbox, `table ${seed}.csv`), `File,Crash\n${file!.path},table ${seed}\n`);
    utimesSync(join(inbox, `table ${seed}.csv`), new Date(), new Date(Date.now() - 60_000));
    process.stdout.write('taking\n');
    await services.deliveries.tick();
    say({ done: true });
    break;
  }
  case 'check table': {
    const [seed] = rest as [string];
    await services.applying.recover();
    await services.deliveries.tick();
    const taken = existsSync(join(inbox, 'taken'))
      ? readdirSync(join(inbox, 'taken')).filter((name) => name.includes(`table ${seed}`) && name.endsWith('.csv'))
      : [];
    const still = readdirSync(inbox).filter((name) => name.includes(`table ${seed}`));
    const [file] = await db.all<{ path: string }>(`SELECT path FROM files WHERE kind = 'part' AND NOT removed ORDER BY id LIMIT 1`);
    const { text } = inFile(file!.path);
    const wrong = [
      ...(taken.length === 1 ? [] : [`${taken.length} taken`]),
      ...(still.length ? ['still in the folder'] : []),
      ...(text === `table ${seed}` ? [] : [`the file holds ${text}`]),
    ];
    say({ wrong, told: 'taken', before: 0, after: 1 });
    break;
  }
}
await services.applying.recovery.close();
await kernel.close();
await pool.close();
await db.close();
process.exit(0);
