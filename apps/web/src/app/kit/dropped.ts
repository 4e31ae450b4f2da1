/** A dropped file with its relative path. */
export interface Dropped {
  readonly path: string;
  readonly file: File;
}

const fileOf = (entry: FileSystemFileEntry): Promise<File> => new Promise((done, fail) => entry.file(done, fail));

/** All entries of a folder; browsers return them in portions. */
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

/** Dropped files, including those in folders. */
export async function droppedFiles(data: DataTransfer): Promise<Dropped[]> {
  // Entries must be read synchronously; the drop is empty afterwards.
  const entries = [...data.items].map((item) => item.webkitGetAsEntry()).filter((entry) => entry !== null);
  if (entries.length === 0) return [...data.files].map((file) => ({ path: file.name, file }));
  const found: Dropped[] = [];
  for (const entry of entries) found.push(...(await walk(entry, '')));
  return found;
}
