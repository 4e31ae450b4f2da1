import { spawnSync } from 'node:child_process';
import {
  cpSync,
  copyFileSync,
  chmodSync,
  existsSync,
  fsyncSync,
  mkdirSync,
  openSync,
  closeSync,
  readFileSync,
  renameSync,
  rmSync,
  writeFileSync,
} from 'node:fs';
import { dirname, join, resolve } from 'node:path';
import { MANIFEST, filesBelow, hashOf, sizeOf, tar } from './lib/archive.mjs';
import { OwnPostgres, checkDatabase, programs } from './lib/postgres.mjs';
import { VAR, portOf, secrets } from './lib/settings.mjs';
import { Stop, main, say } from './lib/shell.mjs';

/*
 * Backs up everything Rule keeps into one file while it runs: a consistent database dump, the versions it refers to (never deleted),
 * uploads and published files. `npm run backup -- FILE`. Secrets go into a separate file.
 */
await main(async () => {
  const target = process.argv[2] && resolve(process.argv[2]);
  if (!target) throw new Stop('Say where the backup goes: npm run backup -- /somewhere/else/rule.tar');
  if (existsSync(target)) throw new Stop(`${target} is there already. A backup replaces nothing.`);
  if (!existsSync(join(VAR, 'secrets.json'))) throw new Stop(`${VAR} holds nothing of Rule. Set RULE_VAR to the folder that it was started with.`);
  mkdirSync(dirname(target), { recursive: true });
  const secret = secrets(VAR);
  const url = process.env.RULE_DATABASE_URL ?? new OwnPostgres(join(VAR, 'postgres'), portOf('RULE_DB_PORT', 4312), secret.database).url('rule');
  await checkDatabase(url);
  const staging = `${target}.staging`;
  const half = `${target}.half`;
  for (const left of [staging, half]) rmSync(left, { recursive: true, force: true });
  mkdirSync(staging, { mode: 0o700 });
  try {
    say('writing the database out');
    const { pathname } = new URL(url);
    const dump = spawnSync(
      join(programs(), 'pg_dump'),
      ['--format=custom', '--no-owner', '--exclude-table-data=public.session', '--file', join(staging, 'database.dump'), url],
      {
        encoding: 'utf8',
        env: { ...process.env, LC_ALL: 'C.UTF-8' },
      },
    );
    if (dump.status !== 0) throw new Stop(`The database ${pathname.slice(1)} could not be written out: ${dump.stderr || dump.error}`);
    say('writing files out');
    for (const name of ['uploads', 'send-outs', 'start-files'])
      if (existsSync(join(VAR, name))) cpSync(join(VAR, name), join(staging, name), { recursive: true, preserveTimestamps: true });
    const mode = existsSync(join(VAR, 'mode')) ? readFileSync(join(VAR, 'mode'), 'utf8') : 'empty';
    const files = [];
    for (const path of filesBelow(staging)) files.push({ path, size: sizeOf(join(staging, path)), sha256: await hashOf(join(staging, path)) });
    // Versions are named by hash; unfinished ones have other names and are not needed.
    const versions = filesBelow(join(VAR, 'store')).filter((path) => /^[0-9a-f]{2}\/[0-9a-f]{62}$/.test(path));
    for (const path of versions) files.push({ path: `store/${path}`, size: sizeOf(join(VAR, 'store', path)), sha256: path.replace('/', '') });
    writeFileSync(join(staging, MANIFEST), JSON.stringify({ program: 'Rule', made: new Date().toISOString(), mode, files }, null, 1));
    tar(
      ['--create', '--file', half, '--directory', staging, '--null', '--files-from', '-'],
      [MANIFEST, ...filesBelow(staging).filter((path) => path !== MANIFEST)].join('\0'),
    );
    if (versions.length)
      tar(['--append', '--file', half, '--directory', VAR, '--null', '--files-from', '-'], versions.map((path) => `store/${path}`).join('\0'));
    const handle = openSync(half, 'r+');
    fsyncSync(handle);
    closeSync(handle);
    copyFileSync(join(VAR, 'secrets.json'), `${target}.secrets.json`);
    chmodSync(`${target}.secrets.json`, 0o600);
    renameSync(half, target);
    say(`${target}: ${files.length} files, ${Math.round(sizeOf(target) / 2 ** 20)} MiB`);
    say(`${target}.secrets.json holds what signs sessions and opens the database; keep it elsewhere`);
  } finally {
    for (const left of [staging, half]) rmSync(left, { recursive: true, force: true });
  }
});
