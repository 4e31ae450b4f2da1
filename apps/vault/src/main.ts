import { readFileSync, readdirSync } from 'node:fs';
import { join, relative, sep } from 'node:path';
import { DEMO_FIELDS, DEMO_NEWER, DEMO_RECORDS, DEMO_SCANS, DEMO_STATES, DEMO_STEP_SETS, DEMO_VAULT_TABLE, demoEntryKind, scannedPage } from '@rule/demo';
import { Sequelize } from 'sequelize';
import { vaultApp } from './api';
import { newField } from './definition';
import { VaultContent, VaultStore } from './vault';

const env = (name: string): string => {
  const value = process.env[name];
  if (!value) throw new Error(`${name} is not set. Start the vault stand-in with npm start.`);
  return value;
};

/** The demo's files as first versions. */
function demoContent(folder: string): VaultContent {
  const paths = readdirSync(folder, { recursive: true, withFileTypes: true }).flatMap((entry) =>
    entry.isFile() ? [relative(folder, join(entry.parentPath, entry.name)).split(sep).join('/')] : [],
  );
  return {
    fields: DEMO_FIELDS.map(({ name, ...rest }) => newField(name, rest)),
    table: DEMO_VAULT_TABLE,
    sets: DEMO_STEP_SETS,
    files: [
      ...DEMO_SCANS.map(({ path, text, record }) => ({
        path,
        content: Buffer.from(scannedPage(text)),
        kind: demoEntryKind(path),
        state: 'open' as const,
        stateBy: 'vault',
        record,
      })),
      ...paths.sort().map((path) => ({
        path,
        content: readFileSync(join(folder, path)),
        ...(path === DEMO_NEWER.path
          ? {
              newer: {
                content: Buffer.concat([readFileSync(join(folder, path)), Buffer.from(DEMO_NEWER.end)]),
                by: DEMO_NEWER.by,
                comment: DEMO_NEWER.comment,
              },
            }
          : {}),
        kind: demoEntryKind(path),
        state: DEMO_STATES[path]?.state ?? 'open',
        stateBy: DEMO_STATES[path]?.by ?? 'vault',
        record: DEMO_RECORDS[path] ?? {},
      })),
    ],
  };
}

// The parent process is gone.
const leave = () => process.exit(1);
process.on('disconnect', leave);

const sequelize = new Sequelize(env('VAULT_DATABASE_URL'), { dialect: 'postgres', logging: false, pool: { max: 4 } });
const vault = new VaultStore(sequelize, process.env['VAULT_DEFINITIONS'] !== 'fixed');
await vault.migrate();
const demo = process.env['VAULT_DEMO_LIBRARY'];
if (demo) await vault.fill(demoContent(demo));
const port = Number(process.env['VAULT_PORT'] ?? 4311);
const server = vaultApp(vault, env('VAULT_TOKEN')).listen(port, '127.0.0.1', () => {
  console.log(JSON.stringify({ msg: 'vault stand-in is up', port }));
  process.send?.('up');
});
server.on('error', (error: NodeJS.ErrnoException) => {
  console.error(error.code === 'EADDRINUSE' ? `port ${port} is taken` : error.message);
  process.exit(1);
});
process.on('unhandledRejection', (problem) => console.error(problem));
let stopping = false;
const stop = async () => {
  if (stopping) return;
  stopping = true;
  server.close();
  server.closeAllConnections();
  await sequelize.close();
  process.exit(0);
};
process.off('disconnect', leave);
process.on('disconnect', () => void stop());
process.on('SIGTERM', () => void stop());
process.on('SIGINT', () => void stop());
