import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { path, run, say } from './shell.mjs';

/** Installs npm packages if missing or the lock file changed. */
export async function installPackages() {
  const lock = createHash('sha256')
    .update(readFileSync(path('package-lock.json')))
    .digest('hex');
  const mark = path('node_modules', '.rule-lock');
  if (existsSync(mark) && readFileSync(mark, 'utf8') === lock) return;
  say('installing npm packages');
  await run('npm', ['ci', '--ignore-scripts', '--no-audit', '--no-fund', '--loglevel=error']);
  mkdirSync(path('node_modules'), { recursive: true });
  writeFileSync(mark, lock);
}
