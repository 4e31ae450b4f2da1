import { spawn, spawnSync } from 'node:child_process';
import { existsSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { fileURLToPath } from 'node:url';

/** The project's folder. */
export const ROOT = resolve(fileURLToPath(new URL('../..', import.meta.url)));

export const isRoot = () => process.getuid?.() === 0;

/** Says what is being done. */
export const say = (text) => console.log(`· ${text}`);

/** An error whose message is all that a person needs to see. */
export class Stop extends Error {}

/** Commands that are under way. */
const working = new Set();

/** Ends commands that are under way: whoever asked for them is about to stop. */
export function endCommands() {
  for (const child of working) child.kill('SIGTERM');
}

/** Runs a command and shows its output; throws when it fails. */
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

/** Runs a command and returns what it printed, or null when it failed. */
export function read(command, args, options = {}) {
  const result = spawnSync(command, args, { encoding: 'utf8', maxBuffer: 1 << 26, ...options });
  return result.status === 0 ? result.stdout.trim() : null;
}

/** Installs the Debian packages of which `missing` says that something is not there. */
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

/** Ends with a message instead of a stack where the message says it all. */
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
