import { spawn, spawnSync } from 'node:child_process';
import { existsSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { fileURLToPath } from 'node:url';

/** The project folder. */
export const ROOT = resolve(fileURLToPath(new URL('../..', import.meta.url)));

export const isRoot = () => process.getuid?.() === 0;

/** Prints the current step. */
export const say = (text) => console.log(`· ${text}`);

/** An error shown by its message only. */
export class Stop extends Error {}

/** Running commands. */
const working = new Set();

/** Ends running commands before the caller stops. */
export function endCommands() {
  for (const child of working) child.kill('SIGTERM');
}

/** Runs a command with visible output; throws if it fails. */
export function run(command, args, options = {}) {
  return new Promise((done, fail) => {
    const child = spawn(command, args, { cwd: ROOT, stdio: 'inherit', ...options });
    working.add(child);
    child.on('error', fail);
    child.on('exit', (code, signal) => {
      working.delete(child);
      if (code === 0) done();
      else fail(new Stop(`${command} ${args.join(' ')} ended with ${signal ?? code}.`));
    });
  });
}

/** Runs a command and returns its output, or null if it failed. */
export function read(command, args, options = {}) {
  const result = spawnSync(command, args, { encoding: 'utf8', maxBuffer: 1 << 26, ...options });
  return result.status === 0 ? result.stdout.trim() : null;
}

/** Installs the Debian packages that `missing` reports. */
export async function needDebian(packages) {
  const missing = packages.filter(({ there }) => !there());
  if (missing.length === 0) return;
  const names = missing.map(({ name }) => name);
  if (!existsSync('/usr/bin/apt-get')) throw new Stop(`These programs are missing, and this is not a Debian machine: ${names.join(', ')}.`);
  const sudo = isRoot() ? [] : read('sudo', ['-n', 'true']) === null ? null : ['sudo', '-n'];
  if (sudo === null) throw new Stop(`Install these Debian packages first (sudo apt-get install ${names.join(' ')}), or run this as root.`);
  say(`installing ${names.join(', ')} from Debian`);
  const install = () => {
    const [command, ...args] = [...sudo, 'apt-get', 'install', '-y', '--no-install-recommends', '-o', 'DPkg::Lock::Timeout=500', ...names];
    return run(command, args, { stdio: ['ignore', 'ignore', 'inherit'], env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive' } });
  };
  try {
    await install();
  } catch {
    const [command, ...args] = [...sudo, 'apt-get', 'update', '-qq'];
    await run(command, args);
    await install();
  }
}

/** Checks the Node version. */
export function checkNode() {
  const [major, minor] = process.versions.node.split('.').map(Number);
  if (major < 20 || (major === 20 && minor < 19)) throw new Stop(`Rule needs Node.js 20.19 or newer; this is ${process.versions.node}.`);
}

/** Prints just the message where it suffices. */
export async function main(work) {
  try {
    await work();
  } catch (error) {
    console.error(error instanceof Stop ? `\n${error.message}` : error);
    process.exitCode = 1;
    process.exit();
  }
}

export const path = (...parts) => join(ROOT, ...parts);
