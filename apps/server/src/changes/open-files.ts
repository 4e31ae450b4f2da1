import { readFile, readdir, readlink, stat } from 'node:fs/promises';
import { basename, dirname, join } from 'node:path';

/**
 * Files held open by another program, with the reason. Checks for lock files of office programs (`.~lock.NAME#`, `~$NAME`; common practice)
 * and, where the system tells, for processes with the file open for writing.
 */
export async function heldOpen(paths: readonly string[]): Promise<Map<string, string>> {
  const held = new Map<string, string>();
  await Promise.all(
    paths.map(async (path) => {
      const name = basename(path);
      // Office programs drop the first two letters of longer names.
      for (const lock of [`.~lock.${name}#`, `~$${name}`, `~$${name.slice(2)}`])
        if (await stat(join(dirname(path), lock)).catch(() => undefined)) held.set(path, 'is open in another program');
    }),
  );
  const wanted = new Set(paths);
  for (const [path, program] of await openForWriting(wanted)) held.set(path, `is held open by ${program}`);
  return held;
}

/** Files that other processes have open for writing, as far as /proc tells. */
async function openForWriting(wanted: ReadonlySet<string>): Promise<Map<string, string>> {
  const open = new Map<string, string>();
  const processes = (await readdir('/proc').catch(() => [])).filter((name) => /^\d+$/.test(name) && Number(name) !== process.pid);
  await Promise.all(
    processes.map(async (pid) => {
      for (const fd of await readdir(`/proc/${pid}/fd`).catch(() => [])) {
        const path = await readlink(`/proc/${pid}/fd/${fd}`).catch(() => '');
        if (!wanted.has(path)) continue;
        const info = await readFile(`/proc/${pid}/fdinfo/${fd}`, 'utf8').catch(() => '');
        // The last digit of the flags is the access mode: 0 reads only.
        if (/flags:\s*0?\d*[12]$/m.test(info)) open.set(path, (await readFile(`/proc/${pid}/comm`, 'utf8').catch(() => 'another program')).trim());
      }
    }),
  );
  return open;
}
