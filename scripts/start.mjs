import { fork } from 'node:child_process';
import { cpSync, existsSync, mkdirSync, readFileSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { buildServers, buildWeb } from './lib/build.mjs';
import { installPackages } from './lib/install.mjs';
import { OwnPostgres, checkDatabase, isTaken } from './lib/postgres.mjs';
import { VAR, claim, portOf, secrets } from './lib/settings.mjs';
import { Stop, checkNode, endCommands, main, path, say } from './lib/shell.mjs';

const children = [];
let postgres = null;
let stopping = false;
let watching;
let letGo;

async function stop(code) {
  if (stopping) return;
  stopping = true;
  say('stopping');
  clearInterval(watching);
  endCommands();
  await Promise.all(
    children.map(
      (child) =>
        new Promise((done) => {
          if (child.exitCode !== null || child.signalCode !== null) return done();
          const hard = setTimeout(() => child.kill('SIGKILL'), 8000);
          child.once('exit', () => (clearTimeout(hard), done()));
          child.kill('SIGTERM');
        }),
    ),
  );
  postgres?.stop();
  letGo?.();
  process.exit(code);
}

/** Starts a process of ours and waits until it reports ready. */
function launch(name, file, env) {
  return new Promise((done, fail) => {
    const child = fork(file, [], { cwd: path(), env: { ...process.env, ...env }, stdio: ['ignore', 'inherit', 'inherit', 'ipc'], detached: true });
    children.push(child);
    child.once('message', () => done(child));
    child.once('exit', (code) => {
      if (stopping) return;
      fail(new Stop(`${name} ended with code ${code} while starting; its message stands above.`));
      console.error(`\n${name} has stopped.`);
      void stop(1);
    });
  });
}

/** How long a port may stay in use, in milliseconds: a killed start's processes exit by themselves. */
const PATIENCE = 8000;

/** Whether a port is free or soon will be. */
async function becomesFree(port) {
  for (const until = Date.now() + PATIENCE; Date.now() < until; await new Promise((done) => setTimeout(done, 250))) if (!(await isTaken(port))) return true;
  return false;
}

/** Interval of PostgreSQL checks, in milliseconds. */
const WATCH_EVERY = 2000;

/** Restarts our PostgreSQL whenever it is gone. */
function watchPostgres() {
  let at = Promise.resolve();
  let busy = false;
  watching = setInterval(() => {
    if (busy || stopping) return;
    busy = true;
    at = at
      .then(async () => {
        if (stopping || (await isTaken(postgres.port))) return;
        say('PostgreSQL has gone; starting it again');
        await postgres.start();
      })
      .catch((error) => console.error(error instanceof Stop ? error.message : error))
      .finally(() => (busy = false));
  }, WATCH_EVERY);
}

/** Thrown at the next step during shutdown. */
const theEnd = () => new Promise(() => undefined);

async function start() {
  checkNode();
  const empty = process.argv.includes('--empty');
  letGo = claim(VAR);
  process.on('exit', letGo);
  process.on('SIGINT', () => void stop(0));
  process.on('SIGTERM', () => void stop(0));
  const port = portOf('RULE_PORT', 4310);
  const vaultPort = portOf('RULE_VAULT_PORT', 4311);
  const dbPort = portOf('RULE_DB_PORT', 4312);
  for (const [name, number] of [
    ['RULE_PORT', port],
    ['RULE_VAULT_PORT', vaultPort],
  ])
    if (!(await becomesFree(number))) throw new Stop(`Port ${number} is taken by another program. Set ${name} to a free one.`);
  await installPackages();
  const secret = secrets(VAR);

  // A data folder created with the demo keeps it, and vice versa.
  const modeFile = join(VAR, 'mode');
  const mode = empty ? 'empty' : 'demo';
  if (existsSync(modeFile) && readFileSync(modeFile, 'utf8') !== mode)
    throw new Stop(
      mode === 'empty'
        ? 'This folder was started with the demo. Run npm run reset first, then npm start -- --empty.'
        : 'This folder was started empty. Start it with npm start -- --empty, or run npm run reset first.',
    );

  writeFileSync(modeFile, mode);
  let databaseUrl = process.env.RULE_DATABASE_URL;
  if (databaseUrl) {
    say('using the database of RULE_DATABASE_URL');
    await checkDatabase(databaseUrl);
  } else {
    postgres = new OwnPostgres(join(VAR, 'postgres'), dbPort, secret.database);
    await postgres.start();
    await postgres.ensureDatabase('rule');
    databaseUrl = postgres.url('rule');
  }
  const library = join(VAR, 'library');
  try {
    say('building');
    await buildServers();
    await buildWeb();
    for (const name of empty ? [] : ['library', 'inherited']) {
      if (existsSync(join(VAR, name))) continue;
      // Copied under another name first, so a partial copy is not mistaken for a library.
      const half = join(VAR, `${name}.half`);
      rmSync(half, { recursive: true, force: true });
      mkdirSync(VAR, { recursive: true });
      cpSync(path('packages/demo', name), half, { recursive: true });
      renameSync(half, join(VAR, name));
    }
    await launch('The vault stand-in', path('apps/vault/dist/main.mjs'), {
      VAULT_PORT: String(vaultPort),
      VAULT_TOKEN: secret.vault,
      VAULT_DATABASE_URL: databaseUrl,
      ...(empty ? {} : { VAULT_DEMO_LIBRARY: path('packages/demo/library') }),
    });
    await launch('The server', path('apps/server/dist/main.mjs'), {
      NODE_ENV: 'production',
      RULE_PORT: String(port),
      RULE_DATABASE_URL: databaseUrl,
      RULE_DATA: VAR,
      RULE_WEB: path('apps/web/dist/browser'),
      RULE_VAULT_URL: `http://127.0.0.1:${vaultPort}`,
      RULE_VAULT_TOKEN: secret.vault,
      RULE_SESSION_SECRET: secret.session,
      RULE_ADMIN_PASSWORD: secret.admin,
      RULE_LOG: process.env.RULE_LOG ?? 'warn',
      ...(empty ? {} : { RULE_DEMO_LIBRARY: library, RULE_DEMO_INHERITED: join(VAR, 'inherited') }),
    });
  } catch (error) {
    if (stopping) await theEnd();
    console.error(error instanceof Stop ? `\n${error.message}` : error);
    await stop(1);
  }
  if (stopping) await theEnd();
  if (postgres) watchPostgres();
  console.log(`\nRule is up:  http://127.0.0.1:${port}\n`);
  if (empty) console.log(`Sign in as   admin   password   ${secret.admin}\n`);
  else {
    console.log('Sign in as   varga (administrator), okafor or lindqvist (editors), haas (checker), guest (viewer)');
    console.log('Password     drum-roaster-15   for all of them\n');
    console.log(`The demo's files stand in ${library}`);
  }
  console.log('Ctrl+C stops everything.');
}

await main(() =>
  start().catch((error) => {
    if (stopping) return theEnd();
    throw error;
  }),
);
