import { closeSync, constants, openSync, statSync } from 'node:fs';
import { judgeLine, orNull } from '@rule/core/changes';
import { CarriedBlock, FileError, FileReading, Place, applyEdits, formatById } from '@rule/core/files';
import { definitionText } from '@rule/core/files/dxf';
import { familyOf } from '@rule/core/schema';
import { HeldValue, heldText } from '@rule/core/values';
import { NotAFile, fillFrom, withPlainFile } from '../platform/plain-file';
import { FileStore, ThreadStore, Waiting, hashOf } from '../platform/store';
import { describe } from '../library/read.thread';

declare module '../platform/pool' {
  interface Tasks {
    readonly prepareFile: (input: PrepareInput) => Promise<Prepared>;
    readonly movedIn: (input: Parameters<typeof movedIn>[0]) => ReturnType<typeof movedIn>;
  }
}

/** A line of a change set, reduced to what its file needs. */
export interface PreparedLine {
  readonly id: number;
  readonly holder: string;
  readonly place: Place;
  readonly name: string;
  readonly base: HeldValue | null;
  readonly proposed: HeldValue | null;
  /** The definition of a block, for lines that define one. */
  readonly definition?: CarriedBlock | undefined;
}

export interface PrepareInput {
  readonly full: string;
  readonly format: string;
  readonly lines: readonly PreparedLine[];
  /** If the file still matches `from`, it is replaced by the stored version `to`: an exact undo. */
  readonly exact?: { readonly from: string; readonly to: string } | null;
  /** Whether both versions are written aside, for changes of many files: they are kept and synced together. */
  readonly aside?: boolean;
}

/** A prepared file: old and new bytes are stored, nothing is written yet; or the reason why not. */
export type Prepared =
  | {
      readonly ok: true;
      readonly oldHash: string;
      readonly newHash: string;
      readonly reading: FileReading;
      /** Holders whose keys change: old key and new key. */
      readonly moved: readonly (readonly [from: string, to: string])[];
      /** Versions that are yet to be kept. */
      readonly waiting: readonly Waiting[];
    }
  | {
      readonly ok: false;
      readonly message: string;
      readonly conflicts: readonly number[];
      readonly oldHash: string | null;
      readonly current: FileReading | null;
    };

/** Finds values of a reading by holder, place and name. */
function finder(reading: Pick<FileReading, 'holders' | 'blocks'>): (holder: string, place: Place, name: string) => HeldValue | null {
  const values = new Map<string, HeldValue>();
  for (const { key, values: held } of reading.holders)
    for (const value of held) {
      const at = `${key}\n${value.place}\n${value.name}`;
      if (!values.has(at)) values.set(at, value.held);
    }
  return (holder, place, name) => {
    if (place !== 'block') return values.get(`${holder}\n${place}\n${name}`) ?? null;
    const block = reading.blocks.find((candidate) => familyOf(candidate.name) === familyOf(name));
    return block ? heldText(definitionText(block)) : null;
  };
}

/** Holders whose keys changed between two stored versions. */
export async function movedIn(input: { readonly format: string; readonly from: string; readonly to: string }, store: FileStore): Promise<[string, string][]> {
  const format = formatById(input.format);
  return format.movedHolders ? [...format.movedHolders(await store.get(input.from), await store.get(input.to))] : [];
}

/** A line in the core's terms; the file does not matter here. */
const asLine = ({ holder, place, name, base, proposed }: PreparedLine) => ({ address: { file: 0, holder, place, name }, base, proposed });

/** Write permission of a file's owner. */
const OWNER_WRITES = 0o200;

/** Why a readable file cannot be written: its mode (also for root) or the system. */
function protectionOf(path: string): string | null {
  if ((statSync(path).mode & OWNER_WRITES) === 0) return 'The file is read-only.';
  try {
    // Opening for writing checks everything: permissions, read-only disks, and attributes that stop even root.
    closeSync(openSync(path, constants.O_WRONLY | constants.O_NONBLOCK | constants.O_NOFOLLOW));
    return null;
  } catch (error) {
    const code = (error as NodeJS.ErrnoException).code;
    if (code === 'EACCES') return 'The server has no permission to write the file.';
    if (code === 'EPERM') return 'The file is write-protected by an attribute.';
    if (code === 'EROFS') return 'The file is on a disk that is mounted read-only.';
    if (code === 'ETXTBSY' || code === 'EBUSY') return 'Another program holds the file open.';
    if (code === 'EISDIR' || code === 'ELOOP' || code === 'ENXIO') return null;
    throw error;
  }
}

/** The bytes of a file. Threads wait for the disk anyway, so they do without promises. */
const bytesOf = (path: string): Uint8Array =>
  withPlainFile(path, ({ fd, size }) => {
    const bytes = new Uint8Array(size);
    const length = fillFrom(fd, bytes);
    return length === size ? bytes : bytes.slice(0, length);
  });

/** Compares every line's base with the file, builds the new bytes and verifies that they hold the new values. */
export async function prepareFile(input: PrepareInput, store: ThreadStore): Promise<Prepared> {
  let oldHash: string | null = null;
  let current: (() => FileReading) | null = null;
  const put = async (bytes: Uint8Array): Promise<{ readonly hash: string; readonly waiting: readonly Waiting[] }> =>
    input.aside ? store.putAside(bytes) : { hash: await store.put(bytes), waiting: [] };
  const left = (message: string, conflicts: readonly number[] = []): Prepared => {
    let stands: FileReading | null = null;
    try {
      stands = current?.() ?? null;
    } catch (error) {
      if (!(error instanceof FileError)) throw error;
    }
    return { ok: false, message, conflicts, oldHash, current: stands };
  };
  try {
    const protection = protectionOf(input.full);
    if (protection !== null) return left(protection);
    const bytes = bytesOf(input.full);
    oldHash = hashOf(bytes);
    // The name is not part of the content; renaming happens when applying.
    const lines = input.lines.filter(({ place, name }) => place !== 'field' || name !== 'file name');
    if (lines.length < input.lines.length && lines.length === 0) {
      const { waiting } = await put(bytes);
      return { ok: true, oldHash, newHash: oldHash, reading: formatById(input.format).read(bytes), moved: [], waiting };
    }
    const format = formatById(input.format);
    const seen = format.peek?.(bytes) ?? format.read(bytes);
    // What is left as it is is stored as it stands, in full.
    current = () => format.read(bytes);
    const stands = finder(seen);
    const judged = (line: PreparedLine) => judgeLine(asLine(line), stands(line.holder, line.place, line.name));
    const conflicts = lines.filter((line) => judged(line) === 'conflict');
    if (conflicts.length)
      return left(
        'Someone else changed the value.',
        conflicts.map((line) => line.id),
      );
    const changes = lines
      .filter((line) => judged(line) === 'apply')
      .map(({ holder, place, name, proposed, definition }) => ({
        holder,
        place,
        name,
        value: proposed,
        ...(definition ? { definition } : {}),
      }));
    const after = input.exact?.from === oldHash ? await store.get(input.exact.to) : applyEdits(bytes, format.modify(bytes, changes));
    const reading = format.read(after);
    // A new product id renames its holders; other values of the set still belong to them.
    const moved = lines.some((line) => line.place === 'field') && format.movedHolders ? format.movedHolders(bytes, after) : new Map<string, string>();
    const standsNow = finder(reading);
    const wrong = lines.find((line) => orNull(standsNow(moved.get(line.holder) ?? line.holder, line.place, line.name))?.text !== orNull(line.proposed)?.text);
    if (wrong) return left(`${JSON.stringify(wrong.name)} would read back differently.`);
    const [before, fresh] = [await put(bytes), await put(after)];
    return { ok: true, oldHash, newHash: fresh.hash, reading, moved: [...moved], waiting: [...before.waiting, ...fresh.waiting] };
  } catch (error) {
    const code = (error as NodeJS.ErrnoException).code;
    if (error instanceof NotAFile) return left(error.message);
    if (error instanceof FileError) return left(describe(error));
    if (code === 'ENOENT') return left('The file no longer exists.');
    if (code === 'ENOSPC' || code === 'EACCES' || code === 'EPERM' || code === 'EIO') return left(`The file cannot be read or stored (${code}).`);
    throw error;
  }
}
