import { createHash } from 'node:crypto';
import { copyFileSync, existsSync, mkdirSync, readFileSync, readdirSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { basename, join } from 'node:path';
import { path, run, say } from './shell.mjs';

/**
 * Bundles a TypeScript entry for Node; npm packages stay external. Files that would be the same are left alone, and others take their places
 * whole: servers and tests that run meanwhile start their threads from them.
 */
export async function bundle(entries, outdir) {
  const { build } = await import('esbuild');
  const inside = /^@rule\//;
  const { outputFiles } = await build({
    entryPoints: entries,
    outdir,
    write: false,
    bundle: true,
    platform: 'node',
    format: 'esm',
    target: 'node20',
    outExtension: { '.js': '.mjs' },
    sourcemap: 'linked',
    logLevel: 'warning',
    plugins: [
      {
        name: 'outside',
        setup: (b) => b.onResolve({ filter: /^[^./]/ }, (args) => (inside.test(args.path) || args.kind === 'entry-point' ? undefined : { external: true })),
      },
    ],
  });
  mkdirSync(outdir, { recursive: true });
  for (const { path: file, contents } of outputFiles) {
    if (existsSync(file) && readFileSync(file).equals(contents)) continue;
    const whole = `${file}.${process.pid}`;
    writeFileSync(whole, contents);
    renameSync(whole, file);
  }
}

/** Bundles server, worker, vault stand-in and command line. */
export async function buildServers() {
  await bundle(
    { main: path('apps/server/src/main.ts'), worker: path('apps/server/src/worker.ts'), geometry: path('apps/server/src/geometry/measure.thread.ts') },
    path('apps/server/dist'),
  );
  await describeAnswers();
  await bundle({ main: path('apps/vault/src/main.ts') }, path('apps/vault/dist'));
  await buildCli();
}

/** Generates the answer schemas unless their types are unchanged. */
async function describeAnswers() {
  const hash = createHash('sha256').update(readFileSync(path('scripts/lib/answers.mjs')));
  for (const folder of ['packages/core/src', 'packages/contract/src']) hashTree(path(folder), hash);
  const digest = hash.digest('hex');
  const file = path('apps/server/dist/answers.json');
  if (existsSync(file) && JSON.parse(readFileSync(file, 'utf8')).of === digest) return;
  const { answerSchemas } = await import('./answers.mjs');
  writeFileSync(file, JSON.stringify({ of: digest, ...(await answerSchemas()) }));
}

/** Bundles the command line. */
export const buildCli = () => bundle({ main: path('apps/cli/src/main.ts') }, path('apps/cli/dist'));

function hashTree(folder, hash) {
  for (const entry of readdirSync(folder, { withFileTypes: true }).sort((a, b) => a.name.localeCompare(b.name))) {
    if (['node_modules', 'dist', '.angular', 'test'].includes(entry.name)) continue;
    const full = join(folder, entry.name);
    if (entry.isDirectory()) hashTree(full, hash);
    else if (!/\.spec\.ts$/.test(entry.name)) hash.update(full).update(readFileSync(full));
  }
}

/** Builds the web application unless nothing changed. */
export async function buildWeb() {
  const hash = createHash('sha256').update(readFileSync(path('package-lock.json')));
  for (const folder of ['apps/web', 'packages/core/src', 'packages/contract/src']) hashTree(path(folder), hash);
  const mark = path('apps/web/dist/.sources');
  const digest = hash.digest('hex');
  if (existsSync(mark) && readFileSync(mark, 'utf8') === digest) return;
  // An interrupted build leaves no mark and is repeated.
  rmSync(mark, { force: true });
  say('building the web application (about a minute)');
  await run('npx', ['--no-install', 'ng', 'build', '--configuration', 'production'], {
    cwd: path('apps/web'),
    env: { ...process.env, NG_CLI_ANALYTICS: 'false' },
  });
  shipLettering();
  writeFileSync(mark, digest);
}

/** Lettering fonts, fetched on demand by the worker that draws sheets. */
const LETTERING = [
  ...['arimo', 'tinos', 'cousine'].flatMap((font) =>
    ['latin', 'latin-ext', 'greek', 'cyrillic'].map((part) => `${font}/files/${font}-${part}-400-normal.woff2`),
  ),
  ...['latin', 'latin-ext'].flatMap((part) => [
    `barlow/files/barlow-${part}-400-normal.woff2`,
    `barlow-semi-condensed/files/barlow-semi-condensed-${part}-500-normal.woff2`,
  ]),
];

function shipLettering() {
  const folder = path('apps/web/dist/browser/lettering');
  mkdirSync(folder, { recursive: true });
  for (const file of LETTERING) copyFileSync(path('node_modules/@fontsource', file), join(folder, basename(file)));
}
