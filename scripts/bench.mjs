import { readdirSync, rmSync } from 'node:fs';
import { cpus } from 'node:os';
import { join } from 'node:path';
import { buildServers, buildWeb } from './lib/build.mjs';
import { installPackages } from './lib/install.mjs';
import { OwnPostgres } from './lib/postgres.mjs';
import { VAR, freePort } from './lib/settings.mjs';
import { checkNode, main, path, run } from './lib/shell.mjs';

await main(async () => {
  checkNode();
  await installPackages();
  await buildServers();
  await buildWeb();
  const only = process.argv[2];
  const files = readdirSync(path('bench')).filter((name) => name.endsWith('.bench.ts') && (!only || name.startsWith(only)));
  const folder = join(VAR, 'bench-postgres');
  rmSync(folder, { recursive: true, force: true });
  const postgres = new OwnPostgres(folder, await freePort(), 'bench-only');
  try {
    await postgres.start();
    console.log(`Measured ${new Date().toISOString().slice(0, 10)}, Node ${process.versions.node}, ${cpus().length} × ${cpus()[0].model.trim()}\n`);
    const env = { ...process.env, RULE_BENCH_DATABASE_URL: postgres.url('postgres') };
    for (const file of files) await run('npx', ['--no-install', 'tsx', path('bench', file)], { env });
  } finally {
    postgres.stop();
    rmSync(folder, { recursive: true, force: true });
  }
});
