import { spawn } from 'node:child_process';
import { stat } from 'node:fs/promises';

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
  if (!(await copyAll(heirs))) for (const heir of heirs) if (!(await copyAll([heir]))) lacking.add(heir);
  for (const heir of heirs) {
    const [is, should] = await Promise.all([stat(heir.to), stat(heir.from)]);
    if (is.uid !== should.uid || is.gid !== should.gid || is.mode !== should.mode) lacking.add(heir);
  }
  return lacking;
}

/** Whether `cp` reported success. */
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
