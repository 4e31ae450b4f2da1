import { createServer } from 'node:http';
import { dirname } from 'node:path';
import { fileURLToPath } from 'node:url';
import { pino } from 'pino';
import { buildApp } from './app';
import { readAnswers } from './routes/openapi';
import { kernelPath, readConfig, workerPath } from './config';
import { loadDemo } from './demo';
import { KernelPool } from './geometry/geometry';
import { Db } from './platform/db';
import { migrate } from './platform/migrations';
import { DiskStore } from './platform/store';
import { buildServices, storeFolder } from './services';
import { addUser } from './users/users';
import { HttpVault } from './vault/port';
import { WorkPool } from './platform/pool';

// Until the server can shut down cleanly, it ends with its parent.
const leave = () => process.exit(1);
process.on('disconnect', leave);

const config = readConfig();
const log = pino({ level: config.logLevel });
const db = new Db(config.databaseUrl, config.connections, null);
await migrate(db.sequelize);
const pool = new WorkPool(
  workerPath(dirname(fileURLToPath(import.meta.url))),
  { databaseUrl: config.databaseUrl, storeRoot: storeFolder(config.dataFolder) },
  config.workers,
  (problem) => log.warn({ reason: problem instanceof Error ? problem.message : String(problem) }, 'a worker thread ended'),
);
const kernel = new KernelPool(kernelPath(dirname(fileURLToPath(import.meta.url))), { databaseUrl: config.databaseUrl });
const services = buildServices({
  db,
  databaseUrl: config.databaseUrl,
  warn: (problem) => log.warn({ reason: problem instanceof Error ? problem.message : String(problem) }, 'long work'),
  pool,
  kernel,
  vaultPort: new HttpVault(config.vaultUrl, config.vaultToken),
  dataFolder: config.dataFolder,
});

// An unhandled rejection is a bug but must not stop the server.
process.on('unhandledRejection', (problem) => log.error({ reason: problem instanceof Error ? problem.stack : String(problem) }, 'nobody waited for this'));

for (const { changeSet, outcome, problem } of await services.applying.recover())
  log.warn({ changeSet, outcome, problem }, 'a change set was interrupted by a crash');
await new DiskStore(storeFolder(config.dataFolder)).sweep(new Date());
if (config.demo) await loadDemo(services, config.demo);
else if (!(await db.one('SELECT 1 FROM users LIMIT 1'))) {
  const password = process.env['RULE_ADMIN_PASSWORD'];
  if (!password) throw new Error('RULE_ADMIN_PASSWORD is not set, and there is no administrator yet.');
  await addUser(db, 'admin', 'Administrator', 'administrator', password);
}

/** Interval for checking sources of choice lists, in seconds. */
const LOOK_EVERY = 3600;
/** Interval for deliveries, watched folders and interrupted sets, in seconds. */
const DELIVER_EVERY = 15;
/** Interval for refreshing from the vault, in seconds. */
const VAULT_EVERY = 300;
const inQuiet = (what: string, work: Promise<unknown>) =>
  work.catch((problem: unknown) => log.warn({ reason: problem instanceof Error ? problem.message : String(problem) }, what));
services.jobs.every('sources', LOOK_EVERY, () =>
  inQuiet('sources of choice lists', services.lists.lookAtSources(new Date(Date.now() - (LOOK_EVERY - 60) * 1000))),
);
services.jobs.every('deliveries', DELIVER_EVERY, () => inQuiet('deliveries', services.deliveries.tick()));
services.jobs.every('recovery', DELIVER_EVERY, () => Promise.resolve(services.applying.recovery.soon()));
services.jobs.every('vault', VAULT_EVERY, () => inQuiet('the vault', services.vault.refresh()));
await services.jobs.open();
// Files read by older readers are read again in the background.
if (await services.scanner.hasOldReadings()) await services.jobs.start(null, 'survey', 'Read files again: this version sees more in them', { library: null });
await services.geometries.startIfNeeded();

const { app, close } = buildApp({
  services,
  databaseUrl: config.databaseUrl,
  sessionSecret: config.sessionSecret,
  webFolder: config.webFolder,
  log,
  answers: readAnswers(fileURLToPath(new URL('answers.json', import.meta.url))),
  reach: config.reach,
});
const server = createServer(app);
server.on('error', (error: NodeJS.ErrnoException) => {
  log.fatal({ reason: error.code }, error.code === 'EADDRINUSE' ? `port ${config.port} is taken` : 'the server cannot listen');
  process.exit(1);
});
server.listen(config.port, config.host, () => {
  log.info({ port: config.port }, 'Rule is up');
  process.send?.('up');
});

let stopping = false;
const stop = async () => {
  if (stopping) return;
  stopping = true;
  void services.applying.recovery.close();
  server.close();
  server.closeIdleConnections();
  await close();
  await services.jobs.close();
  // What the last jobs have left to clear.
  await services.applying.recovery.close();
  await kernel.close();
  await pool.close();
  await db.close();
  process.exit(0);
};
// The parent process is gone.
process.off('disconnect', leave);
process.on('disconnect', () => void stop());
process.on('SIGTERM', () => void stop());
process.on('SIGINT', () => void stop());
