/** A file that was dropped, with its path below what was dropped. */
export interface Dropped {
  readonly path: string;
  readonly file: File;
}

const fileOf = (entry: FileSystemFileEntry): Promise<File> => new Promise((done, fail) => entry.file(done, fail));

/** All entries of a folder: browsers hand them out in portions until an empty one comes. */
async function entriesOf(folder: FileSystemDirectoryEntry): Promise<FileSystemEntry[]> {
  const reader = folder.createReader();
  const all: FileSystemEntry[] = [];
  for (;;) {
    const portion = await new Promise<FileSystemEntry[]>((done, fail) => reader.readEntries(done, fail));
    if (portion.length === 0) return all;
    all.push(...portion);
  }
}

async function walk(entry: FileSystemEntry, above: string): Promise<Dropped[]> {
  const path = above + entry.name;
  if (entry.isFile) return [{ path, file: await fileOf(entry as FileSystemFileEntry) }];
  if (!entry.isDirectory) return [];
  const found: Dropped[] = [];
  for (const child of await entriesOf(entry as FileSystemDirectoryEntry)) found.push(...(await walk(child, `${path}/`)));
  return found;
}

/** The files of a drop, those inside of folders included. */
export async function droppedFiles(data: DataTransfer): Promise<Dropped[]> {
  // Entries must be taken before anything is awaited: afterwards the drop is empty.
  const entries = [...data.items].map((item) => item.webkitGetAsEntry()).filter((entry) => entry !== null);
  if (entries.length === 0) return [...data.files].map((file) => ({ path: file.name, file }));
  const found: Dropped[] = [];
  for (const entry of entries) found.push(...(await walk(entry, '')));
  return found;
}
