import { join } from 'node:path';
import { heldOpen } from './open-files';

/** What is needed to know whether a file may be written. */
export interface WritableFile {
  readonly file: number;
  readonly path: string;
  readonly root: string;
  readonly format: string;
  readonly lock: string | null;
}

/** Files that cannot be written now, with the reason: locked in the vault, or open in another program. */
export async function barredFiles(files: Iterable<WritableFile>): Promise<Map<number, string>> {
  const byFile = new Map([...files].map((file) => [file.file, file]));
  // Values beside a file are not written into it.
  const open = await heldOpen([...byFile.values()].filter((file) => file.format !== 'other').map((file) => join(file.root, file.path)));
  const barred = new Map<number, string>();
  for (const file of byFile.values()) {
    const reason = file.lock ?? open.get(join(file.root, file.path));
    if (reason !== undefined) barred.set(file.file, `The file ${reason}.`);
  }
  return barred;
}
