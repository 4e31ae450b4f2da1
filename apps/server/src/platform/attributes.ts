import { spawn } from 'node:child_process';
import { stat } from 'node:fs/promises';

/** One file that takes over from another what it is to others. */
export interface Heir {
  readonly from: string;
  readonly to: string;
}

/**
 * Gives files the owner, group, mode, access lists and extended attributes of others. Node.js knows nothing of the last two; coreutils'
 * `cp` does, and one process does it for any number of files.
 *
 * @returns those that did not get all of it: whoever wants it kept writes in place
 */
export async function copyAttributes(heirs: readonly Heir[]): Promise<Set<Heir>> {
  if (heirs.length === 0) return new Set();
  if (process.platform !== 'linux') return new Set(heirs);
  const lacking = new Set<Heir>();
  if (!(await copyAll(heirs))) for (const heir of heirs) if (!(await copyAll([heir]))) lacking.add(heir);
  for (const heir of heirs) {
    const [is, should] = await Promise.all([stat(heir.to), stat(heir.from)]);
    if (is.uid !== should.uid || is.gid !== should.gid || is.mode !== should.mode) lacking.add(heir);
  }
  return lacking;
}

/** Whether `cp` says that all went well. */
function copyAll(heirs: readonly Heir[]): Promise<boolean> {
  return new Promise((done) => {
    const child = spawn('xargs', ['-0', '-n', '2', 'cp', '--attributes-only', '--preserve=mode,ownership,xattr', '--'], {
      stdio: ['pipe', 'ignore', 'ignore'],
    });
    child.on('error', () => done(false));
    child.on('close', (code) => done(code === 0));
    child.stdin.on('error', () => undefined);
    child.stdin.end(heirs.map(({ from, to }) => `${from}\0${to}\0`).join(''));
  });
}
