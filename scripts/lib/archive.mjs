import { createHash } from 'node:crypto';
import { createReadStream, existsSync, lstatSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import { spawnSync } from 'node:child_process';
import { Stop } from './shell.mjs';

/** A backup's manifest. */
export const MANIFEST = 'manifest.json';

/** SHA-256 of a file in hex. */
export async function hashOf(file) {
  const hash = createHash('sha256');
  for await (const piece of createReadStream(file, { highWaterMark: 1 << 20 })) hash.update(piece);
  return hash.digest('hex');
}

/** All file paths below a folder. */
export function filesBelow(folder, below = '') {
  if (!existsSync(join(folder, below))) return [];
  return readdirSync(join(folder, below), { withFileTypes: true })
    .sort((a, b) => a.name.localeCompare(b.name))
    .flatMap((entry) => {
      const path = below ? `${below}/${entry.name}` : entry.name;
      return entry.isDirectory() ? filesBelow(folder, path) : entry.isFile() ? [path] : [];
    });
}

/** File size in bytes. */
export const sizeOf = (file) => lstatSync(file).size;

/** Runs tar. Warnings about files changing while read are ignored: hashes tell. */
export function tar(args, input) {
  const result = spawnSync('tar', args, { encoding: 'utf8', input, maxBuffer: 1 << 28 });
  if (result.status !== 0 && result.status !== 1) throw new Stop(`The archive could not be written or read: ${result.stderr || result.error}`);
  return result.stdout;
}
