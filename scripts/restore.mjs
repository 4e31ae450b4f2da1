import { spawnSync } from 'node:child_process';
import { copyFileSync, existsSync, mkdirSync, readFileSync, readdirSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { MANIFEST, hashOf, sizeOf, tar } from './lib/archive.mjs';
import { installPackages } from './lib/install.mjs';
import { OwnPostgres, programs } from './lib/postgres.mjs';
import { VAR, claim, portOf, secrets } from './lib/settings.mjs';
import { Stop, main, say } from './lib/shell.mjs';

/*
 * Restores a backup to a new place: `RULE_VAR=/new/place npm run restore -- FILE`. Every file is verified before anything is created. A
 * restored copy touches none of the original's folders until an administrator confirms its libraries.
 */

/** The original's folders, untouched until confirmed. */
const UNCONFIRMED = `
UPDATE libraries SET confirmed = false WHERE kind = 'folder';
UPDATE libraries SET root = $1 || '/' || id WHERE kind = 'upload';
UPDATE deliveries SET content = jsonb_set(content, '{active}', 'false'), next_at = NULL;
UPDATE watched_folders SET content = jsonb_set(content, '{active}', 'false');
UPDATE settings SET value = jsonb_set(value, '{folder}', 'null') WHERE key = 'startFiles' AND value ? 'folder';
DELETE FROM session;
`;

await main(async () => {
  const source = process.argv[2] && resolve(process.argv[2]);
  if (!source || !existsSync(source)) throw new Stop('Say which backup: RULE_VAR=/new/place npm run restore -- /somewhere/rule.tar');
  if (process.env.RULE_DATABASE_URL) throw new Stop('A backup is restored into a database of its own. Unset RULE_DATABASE_URL.');
  if (existsSync(VAR) && readdirSync(VAR).some((name) => name !== 'started.lock')) throw new Stop(`${VAR} is not empty. Set RULE_VAR to a new folder.`);
  await installPackages();
  process.on('exit', claim(VAR));
  const half = join(VAR, 'restore.half');
  mkdirSync(half, { recursive: true, mode: 0o700 });
  let postgres;
  try {
    say('unpacking and comparing');
    tar(['--extract', '--file', source, '--directory', half, '--no-same-owner']);
    if (!existsSync(join(half, MANIFEST))) throw new Stop(`${source} is no backup of Rule.`);
    const manifest = JSON.parse(readFileSync(join(half, MANIFEST), 'utf8'));
    if (manifest.program !== 'Rule') throw new Stop(`${source} is no backup of Rule.`);
    for (const { path, size, sha256 } of manifest.files) {
      const file = join(half, path);
      if (!existsSync(file)) throw new Stop(`The backup lacks ${path}.`);
      if (sizeOf(file) !== size || (await hashOf(file)) !== sha256) throw new Stop(`${path} is not what it was when the backup was made.`);
    }
    if (existsSync(`${source}.secrets.json`)) copyFileSync(`${source}.secrets.json`, join(VAR, 'secrets.json'));
    else say('the secrets of the original are not beside the backup; new ones are made');
    const secret = secrets(VAR);
    postgres = new OwnPostgres(join(VAR, 'postgres'), portOf('RULE_DB_PORT', 4312), secret.database);
    await postgres.start();
    await postgres.ensureDatabase('rule');
    say('reading the database in');
    const url = postgres.url('rule');
    const read = spawnSync(
      join(programs(), 'pg_restore'),
      ['--no-owner', '--exit-on-error', '--single-transaction', '--dbname', url, join(half, 'database.dump')],
      { encoding: 'utf8' },
    );
    if (read.status !== 0) throw new Stop(`The database could not be read in: ${read.stderr || read.error}`);
    const { default: pg } = await import('pg');
    const client = new pg.Client({ connectionString: url });
    await client.connect();
    try {
      // Databases from before libraries needed confirmation.
      await client.query('ALTER TABLE libraries ADD COLUMN IF NOT EXISTS confirmed boolean NOT NULL DEFAULT true');
      for (const statement of UNCONFIRMED.split(';\n')
        .map((text) => text.trim())
        .filter(Boolean))
        await client.query(statement, statement.includes('$1') ? [join(VAR, 'uploads')] : []);
    } finally {
      await client.end();
    }
    for (const name of ['store', 'uploads', 'send-outs', 'start-files']) if (existsSync(join(half, name))) renameSync(join(half, name), join(VAR, name));
    writeFileSync(join(VAR, 'mode'), manifest.mode);
    say(`restored what was backed up on ${manifest.made} into ${VAR}`);
    say('start it with npm start; in Settings an administrator says where the libraries stand before anything of them is read or written');
  } catch (error) {
    postgres?.stop();
    postgres = undefined;
    // A partial copy is discarded; the next attempt starts with an empty folder.
    for (const name of readdirSync(VAR)) if (name !== 'started.lock') rmSync(join(VAR, name), { recursive: true, force: true });
    throw error;
  } finally {
    postgres?.stop();
    rmSync(half, { recursive: true, force: true });
  }
});
