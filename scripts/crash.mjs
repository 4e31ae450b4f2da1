import { rmSync } from 'node:fs';
import { join } from 'node:path';
import { bundle, buildServers } from './lib/build.mjs';
import { installPackages } from './lib/install.mjs';
import { OwnPostgres } from './lib/postgres.mjs';
import { VAR, freePort } from './lib/settings.mjs';
import { Stop, checkNode, main, path } from './lib/shell.mjs';
import { kills } from './crash/kills.mjs';
import { starts } from './crash/starts.mjs';
import { database, folders, swaps } from './crash/trials.mjs';

/*
 * Crash trials: what machines, databases and people do to Rule while it works. `npm run crash -- TRIAL SEED ROUNDS`:
 *   swaps     kills while files swap names, in cycles and chains
 *   database  the database disappears while files are written: one connection, all, the server, or by timeout
 *   folders   kills while tables are imported from a watched folder
 *   starts    kills during the first start
 *   kills     kills of server and database while 50,000 lines are applied to 2,000 files; the last rounds fill the disk
 * Without a name, all trials. After each round every file and row must be wholly before or wholly after.
 */
const TRIALS = { swaps, database, folders, starts, kills };
const USUAL = { swaps: 200, database: 60, folders: 20, starts: 4, kills: 16 };

await main(async () => {
  checkNode();
  const [name, seed = '1', rounds] = process.argv.slice(2);
  if (name !== undefined && !TRIALS[name]) throw new Stop(`There is no trial ${name}; there are ${Object.keys(TRIALS).join(', ')}.`);
  await installPackages();
  await buildServers();
  await bundle({ 'trial-child': path('bench/trial-child.ts') }, path('dist'));
  const folder = join(VAR, 'crash-postgres');
  rmSync(folder, { recursive: true, force: true });
  const postgres = new OwnPostgres(folder, await freePort(), 'crash-only');
  let failed = 0;
  let held = 0;
  try {
    await postgres.start();
    for (const [trial, run] of Object.entries(TRIALS)) {
      if (name !== undefined && name !== trial) continue;
      console.log(`\n## ${trial}, seed ${seed}\n`);
      await postgres.ensureDatabase(`crash_${trial}`);
      const wrong = await run({ postgres, folder, url: postgres.url(`crash_${trial}`), seed: Number(seed), rounds: Number(rounds ?? USUAL[trial]) });
      failed += wrong.failed;
      held += wrong.held;
    }
    console.log(`\n${held} rounds held, ${failed} did not`);
    if (failed) process.exitCode = 1;
  } finally {
    postgres.stop();
    rmSync(folder, { recursive: true, force: true });
  }
});
