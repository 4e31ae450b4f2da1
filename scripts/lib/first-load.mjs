import { readFileSync, existsSync } from 'node:fs';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { path } from './shell.mjs';

/** Maximum compressed weight before first paint, in bytes. */
export const MOST_AT_FIRST = 300_000;

/** Files loaded before first paint, with compressed sizes in bytes: those index.html names and their static imports. */
export function firstLoad() {
  const folder = path('apps/web/dist/browser');
  const waiting = [...readFileSync(join(folder, 'index.html'), 'utf8').matchAll(/(?:src|href)="([^"]+\.(?:js|css))"/g)].map(([, name]) => name);
  const sizes = new Map();
  for (let name = waiting.pop(); name !== undefined; name = waiting.pop()) {
    if (sizes.has(name) || !existsSync(join(folder, name))) continue;
    const content = readFileSync(join(folder, name));
    sizes.set(name, gzipSync(content).length);
    if (name.endsWith('.js')) for (const [, other] of content.toString('utf8').matchAll(/(?:from|import)\s*"\.\/([^"]+\.js)"/g)) waiting.push(other);
  }
  return { sizes, total: [...sizes.values()].reduce((sum, size) => sum + size, 0) };
}
