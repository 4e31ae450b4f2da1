import { Dirent, stat } from 'node:fs';
import { readdir } from 'node:fs/promises';
import { join, sep } from 'node:path';

/** Maximum folder depth of a scan. */
const DEEPEST = 40;

/** Lock files of programs, and desktop metadata folders of archives. */
const BELONGS_TO_PROGRAMS = /^(\.|~\$|Thumbs\.db$|desktop\.ini$|__MACOSX$)/i;

/** Whether a name belongs to a program or desktop, not to a user. */
export const isPassedOver = (name: string): boolean => BELONGS_TO_PROGRAMS.test(name);

/** A file on the disk. */
export interface Found {
  readonly path: string;
  readonly size: number;
  readonly mtimeMs: number;
}

/** Folders and files queried in parallel: network disks answer slowly but in parallel. */
const AT_ONCE = 4;
const FILES_AT_ONCE = 64;

interface Folder {
  /** Path below the root; `''` for the root. */
  readonly below: string;
  readonly depth: number;
}

/** Finds the files below a folder. Links are not followed; unreadable folders are reported. */
export class Walk {
  private passedOver = 0;
  private readonly failed: { path: string; message: string }[] = [];
  /** Unreadable folders, with trailing slash. */
  private readonly closed: string[] = [];

  constructor(
    private readonly root: string,
    private readonly onFound: (file: Found) => void,
    /** Throws if the work was cancelled. */
    private readonly check: () => void,
  ) {}

  async go(): Promise<{ passedOver: number; failed: { path: string; message: string }[]; closed: string[] }> {
    const folders: Folder[] = [{ below: '', depth: 0 }];
    let inside = 0;
    await new Promise<void>((done, fail) => {
      const next = () => {
        for (; inside < AT_ONCE && folders.length > 0; inside++)
          this.enter(folders.pop()!, folders).then(() => {
            inside--;
            next();
          }, fail);
        if (inside === 0) done();
      };
      next();
    });
    return { passedOver: this.passedOver, failed: this.failed, closed: this.closed };
  }

  private fail(path: string, message: string): void {
    this.failed.push({ path, message });
  }

  /** Lists one folder and queues its subfolders. */
  private async enter({ below, depth }: Folder, folders: Folder[]): Promise<void> {
    if (depth > DEEPEST) {
      this.fail(below, `Folders are nested more than ${DEEPEST} levels deep; this one was skipped.`);
      this.closed.push(`${below}/`);
      return;
    }
    this.check();
    let entries: Dirent[];
    try {
      entries = await readdir(join(this.root, below), { withFileTypes: true });
    } catch (error) {
      const code = (error as NodeJS.ErrnoException).code;
      if (code === undefined) throw error;
      // A missing folder removes its files; an unreadable one does not.
      if (code !== 'ENOENT') this.closed.push(below === '' ? '' : `${below}/`);
      this.fail(
        below,
        code === 'ENOENT' ? 'The folder disappeared while the library was read.' : `The folder cannot be read (${code}); its last reading is kept.`,
      );
      return;
    }
    const files: string[] = [];
    for (const entry of entries) {
      const path = below ? `${below}/${entry.name}` : entry.name;
      if (isPassedOver(entry.name)) this.passedOver++;
      else if (entry.isDirectory()) folders.push({ below: path, depth: depth + 1 });
      else if (!entry.isFile()) this.passedOver++;
      else files.push(path);
    }
    if (files.length > 0) await this.take(files);
  }

  /** Gets size and time of files in parallel, with callbacks for speed. */
  private take(paths: readonly string[]): Promise<void> {
    let [asked, open] = [0, 0];
    return new Promise((done) => {
      const ask = () => {
        for (; open < FILES_AT_ONCE && asked < paths.length; open++) {
          const path = paths[asked++]!;
          stat(`${this.root}${sep}${path}`, (error, info) => {
            if (error) this.fail(path, 'The file disappeared, or its name is not valid UTF-8.');
            else this.onFound({ path, size: info.size, mtimeMs: info.mtimeMs });
            open--;
            ask();
          });
        }
        if (open === 0) done();
      };
      ask();
    });
  }
}
