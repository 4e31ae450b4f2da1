import { createHash } from 'node:crypto';
import { mkdirSync, readFileSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import { APPLY_MODES } from '@rule/contract';
import { Line } from '@rule/core/changes';
import { step } from '@rule/core/files/step';
import { heldText } from '@rule/core/values';
import { KernelPool } from '../apps/server/src/geometry/geometry';
import { Db } from '../apps/server/src/platform/db';
import { migrate } from '../apps/server/src/platform/migrations';
import { DiskStore } from '../apps/server/src/platform/store';
import { buildServices, storeFolder } from '../apps/server/src/services';
import { WorkPool } from '../apps/server/src/platform/pool';
import { addUser } from '../apps/server/src/users/users';
import { HttpVault } from '../apps/server/src/vault/port';
import { writeLargeLibrary } from './large';

/* Steps of the crash test, in processes that may be killed: setup, lines, apply and verification. */
const [command, url, data, ...rest] = process.argv.slice(2) as [string, string, string, ...string[]];
const FILES = 2000;
const PER_FILE = 25;
const names = Array.from({ length: PER_FILE }, (_, i) => `Crash ${String(i + 1).padStart(2, '0')}`);
const root = join(data, 'library');

/** Simulates a full disk after a number of writes. */
class FullDisk extends DiskStore {
  constructor(private left: number) {
    super(storeFolder(data));
  }
  override copyTo(hash: string, path: string, synced?: boolean): Promise<void> {
    if (this.left-- <= 0) return Promise.reject(Object.assign(new Error('no space left on device'), { code: 'ENOSPC' }));
    return super.copyTo(hash, path, synced);
  }
}

const db = new Db(url);
if (command === 'prepare') await migrate(db.sequelize);
const dist = join(import.meta.dirname, '../apps/server/dist');
const pool = new WorkPool(join(dist, 'worker.mjs'), { databaseUrl: url, storeRoot: storeFolder(data) }, 2);
const kernel = new KernelPool(join(dist, 'geometry.mjs'), { databaseUrl: url });
const full = command === 'apply' && rest[1] ? { store: new FullDisk(Number(rest[1])) } : {};
const services = buildServices({ db, databaseUrl: url, pool, kernel, vaultPort: new HttpVault('http://127.0.0.1:9', 'none', 100), dataFolder: data, ...full });
const user = { id: 1, name: 'crash', displayName: 'Crash', role: 'administrator' as const };

/** Values under the test's names: by path; `null` for none, `mixed` if they differ. */
function inFiles(): Map<string, string | null> {
  const found = new Map<string, string | null>();
  for (const path of readdirSync(root, { recursive: true, encoding: 'utf8' })) {
    if (!path.endsWith('.step')) continue;
    const values = step.read(new Uint8Array(readFileSync(join(root, path)))).holders.find((holder) => holder.key === '')!.values;
    const own = names.map((name) => values.find((value) => value.place === 'property' && value.name === name)?.held.text ?? null);
    found.set(path, own.every((text) => text === own[0]) ? own[0]! : 'mixed');
  }
  return found;
}

/** The same from the database. */
async function inDatabase(): Promise<Map<string, string | null>> {
  const rows = await db.all<{ path: string; texts: (string | null)[] }>(
    `SELECT f.path, array(SELECT v.text FROM held_values v WHERE v.file_id = f.id AND v.holder = '' AND v.place = 'property' AND v.name = ANY($1::text[])) AS texts
     FROM files f WHERE f.path LIKE '%.step' AND NOT f.removed`,
    [names],
  );
  return new Map(
    rows.map(({ path, texts }) => [
      path,
      texts.length === 0 ? null : texts.length === PER_FILE && texts.every((text) => text === texts[0]) ? texts[0]! : 'mixed',
    ]),
  );
}

switch (command) {
  case 'prepare': {
    mkdirSync(root, { recursive: true });
    // Four of five files are parts.
    writeLargeLibrary(root, (FILES * 5) / 4);
    await addUser(db, user.name, user.displayName, user.role, 'not a secret');
    await services.libraries.add('Large', root);
    await services.scanner.rescan();
    break;
  }
  case 'lines': {
    const [round] = rest as [string];
    const files = await db.all<{ id: number; path: string }>(`SELECT id, path FROM files WHERE path LIKE '%.step' AND NOT removed ORDER BY id LIMIT ${FILES}`);
    const now = await inDatabase();
    const lines = files.flatMap(({ id, path }) =>
      names.map((name): Line => {
        const held = now.get(path) ?? null;
        return {
          address: { file: id, holder: '', place: 'property', name },
          base: held === null ? null : heldText(held),
          proposed: heldText(`round ${round}`),
          reason: 'crash test',
          follows: false,
        };
      }),
    );
    await services.trays.drop(user, 'all');
    await services.trays.add(user, lines, 'by rule');
    break;
  }
  case 'apply': {
    const [mode] = rest as [string];
    process.stdout.write('applying\n');
    const began = performance.now();
    const report = await services.applying
      .applyTray(
        user,
        APPLY_MODES.find((candidate) => candidate === mode)!,
        'crash test',
      )
      .catch((error: unknown) => ({ state: String(error), applied: 0, failed: 0 }));
    process.stdout.write(
      `${JSON.stringify({ ms: Math.round(performance.now() - began), state: report.state, applied: report.applied, failed: report.failed })}\n`,
    );
    break;
  }
  case 'check': {
    const [round] = rest as [string];
    const outcomes = await services.applying.recover();
    const [files, rows] = [inFiles(), await inDatabase()];
    const after = `round ${round}`;
    const told = { after: 0, before: 0, mixed: 0, apart: 0, outcome: outcomes.map((outcome) => outcome.outcome).join(), set: '', tray: 0, left: 0, digest: '' };
    const digest = createHash('sha256');
    for (const [path, text] of [...files].sort()) {
      digest.update(`${path} ${text}\n`);
      if (text === 'mixed') told.mixed++;
      else if (text === after) told.after++;
      else told.before++;
      if (rows.get(path) !== text) told.apart++;
    }
    told.digest = digest.digest('hex').slice(0, 12);
    told.set = (await db.one<{ state: string }>(`SELECT state FROM change_sets WHERE state <> 'pending' ORDER BY id DESC LIMIT 1`))?.state ?? 'none';
    told.tray = (await db.one<{ n: number }>(
      `SELECT count(*)::int AS n FROM change_lines l JOIN change_sets s ON s.id = l.change_set_id AND s.state = 'pending'`,
    ))!.n;
    told.left = readdirSync(root, { recursive: true, encoding: 'utf8' }).filter((path) => /(^|\/)\.rule-/.test(path)).length;
    process.stdout.write(`${JSON.stringify(told)}\n`);
    break;
  }
}
await kernel.close();
await pool.close();
await db.close();
