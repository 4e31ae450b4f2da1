import { existsSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { OwnPostgres, isTaken } from './lib/postgres.mjs';
import { VAR, claim, portOf, secrets } from './lib/settings.mjs';
import { Stop, main, say } from './lib/shell.mjs';

await main(async () => {
  if (await isTaken(portOf('RULE_PORT', 4310))) throw new Stop('Rule still runs. Stop it with Ctrl+C first.');
  if (existsSync(join(VAR, 'postgres', 'postmaster.pid'))) {
    const postgres = new OwnPostgres(join(VAR, 'postgres'), portOf('RULE_DB_PORT', 4312), secrets(VAR).database);
    await postgres.start();
    postgres.stop();
  }
  claim(VAR);
  rmSync(VAR, { recursive: true, force: true });
  say('database, kept versions and the demo library are gone; npm start begins afresh');
});
