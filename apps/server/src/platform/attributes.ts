import { spawn } from 'node:child_process';
import { stat } from 'node:fs/promises';
import { basename, dirname } from 'node:path';

/** A file that takes over attributes of another. */
export interface Heir {
  readonly from: string;
  readonly to: string;
}

/**
 * Copies owner, group, mode, ACLs and extended attributes between files. Node.js lacks the last two, so one `cp` process of coreutils
 * handles any number of files. *
 * @returns files that did not get everything; these should be written in place
 */
export async function copyAttributes(heirs: readonly Heir[]): Promise<Set<Heir>> {
  if (heirs.length === 0) return new Set();
  if (process.platform !== 'linux') return new Set(heirs);
  const lacking = new Set<Heir>();
  for (const group of sameFolder(heirs)) if (!(await copyAll(group))) for (const heir of group) if (!(await copyAll([heir]))) lacking.add(heir);
  const compare = async (heir: Heir): Promise<void> => {
    const [is, should] = await Promise.all([stat(heir.to), stat(heir.from)]);
    if (is.uid !== should.uid || is.gid !== should.gid || is.mode !== should.mode) lacking.add(heir);
  };
  for (let from = 0; from < heirs.length; from += COMPARED_AT_ONCE) await Promise.all(heirs.slice(from, from + COMPARED_AT_ONCE).map(compare));
  return lacking;
}

/** Heirs whose new files stand in one folder under the names of the old ones, together; others alone. */
function sameFolder(heirs: readonly Heir[]): (readonly Heir[])[] {
  const groups = new Map<string, Heir[]>();
  const alone: Heir[][] = [];
  for (const heir of heirs) {
    const folder = dirname(heir.to);
    const group = groups.get(folder);
    if (basename(heir.from) !== basename(heir.to)) alone.push([heir]);
    else if (group) group.push(heir);
    else groups.set(folder, [heir]);
  }
  return [...groups.values(), ...alone];
}

/** Files whose attributes are compared at once. */
const COMPARED_AT_ONCE = 32;

const OPTIONS = ['--attributes-only', '--preserve=mode,ownership,xattr'];

/** Whether `cp` reported success. Several heirs stand in one folder under the names of the old files. */
function copyAll(heirs: readonly Heir[]): Promise<boolean> {
  return new Promise((done) => {
    const [{ from, to }] = heirs as [Heir];
    const pair = basename(from) !== basename(to);
    // `xargs` makes argument lists that fit, however many files there are.
    const child = pair
      ? spawn('cp', [...OPTIONS, '--', from, to], { stdio: ['pipe', 'ignore', 'ignore'] })
      : spawn('xargs', ['-0', 'cp', ...OPTIONS, '-t', dirname(to), '--'], { stdio: ['pipe', 'ignore', 'ignore'] });
    child.on('error', () => done(false));
    child.on('close', (code) => done(code === 0));
    child.stdin.on('error', () => undefined);
    child.stdin.end(pair ? '' : heirs.map((heir) => `${heir.from}\0`).join(''));
  });
}
