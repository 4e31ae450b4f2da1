import { createServer } from 'node:net';
import { randomBytes } from 'node:crypto';
import { closeSync, existsSync, mkdirSync, openSync, readFileSync, renameSync, rmSync, writeFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { Stop, path } from './shell.mjs';

/** Folder for all run-time data. */
export const VAR = process.env.RULE_VAR ? resolve(process.env.RULE_VAR) : path('var');

/** Reads a port from the environment. */
export function portOf(name, otherwise) {
  const text = process.env[name];
  if (!text) return otherwise;
  const port = Number(text);
  if (!Number.isInteger(port) || port < 1 || port > 65535) throw new Stop(`${name} is ${text}, which is not a port.`);
  return port;
}

/** Secrets created at the first start, readable only by the owner. */
export function secrets(folder) {
  mkdirSync(folder, { recursive: true });
  const file = join(folder, 'secrets.json');
  if (!existsSync(file)) {
    const secret = () => randomBytes(24).toString('base64url');
    // Written under another name first: a partial file would lock everyone out.
    writeFileSync(`${file}.half`, JSON.stringify({ database: secret(), session: secret(), vault: secret(), admin: randomBytes(9).toString('base64url') }), {
      mode: 0o600,
    });
    renameSync(`${file}.half`, file);
  }
  return JSON.parse(readFileSync(file, 'utf8'));
}

/** A free loopback port. */
export const freePort = () =>
  new Promise((done) => {
    const server = createServer().listen(0, '127.0.0.1', () => {
      const { port } = server.address();
      server.close(() => done(port));
    });
  });

/** Start time of a process in clock ticks; null if there is none. Process ids are reused, start times are not. */
function beginningOf(pid) {
  try {
    return readFileSync(`/proc/${pid}/stat`, 'utf8').split(') ')[1].split(' ')[19];
  } catch {
    try {
      process.kill(pid, 0);
      return 'unknown';
    } catch {
      return null;
    }
  }
}

/**
 * Ensures exclusive use of a folder by one process.
 * @returns a release function
 */
export function claim(folder) {
  mkdirSync(folder, { recursive: true });
  const file = join(folder, 'started.lock');
  for (;;) {
    try {
      const handle = openSync(file, 'wx');
      writeFileSync(handle, JSON.stringify({ pid: process.pid, began: beginningOf(process.pid) }));
      closeSync(handle);
      return () => rmSync(file, { force: true });
    } catch (error) {
      if (error.code !== 'EEXIST') throw error;
    }
    let other = {};
    try {
      other = JSON.parse(readFileSync(file, 'utf8'));
    } catch {
      // Half written, or gone again: its process is dead or about to say who it is.
    }
    if (other.pid && beginningOf(other.pid) === other.began)
      throw new Stop(`Rule runs already from ${folder} (process ${other.pid}). Stop that one first, or set RULE_VAR to another folder.`);
    rmSync(file, { force: true });
  }
}
