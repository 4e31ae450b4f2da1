import { readFile } from 'node:fs/promises';
import { judgeLine, orNull } from '@rule/core/changes';
import { FileError, FileReading, Place, applyEdits, formatById } from '@rule/core/files';
import { HeldValue } from '@rule/core/values';
import { FileStore, hashOf } from '../platform/store';
import { describe } from './read';

/** A line of a change set as far as its file is concerned. */
export interface PreparedLine {
  readonly id: number;
  readonly holder: string;
  readonly place: Place;
  readonly name: string;
  readonly base: HeldValue | null;
  readonly proposed: HeldValue | null;
}

export interface PrepareInput {
  readonly full: string;
  readonly format: string;
  readonly lines: readonly PreparedLine[];
  /** When the file still is what `from` names, the kept version `to` takes its place byte by byte: an exact undo. */
  readonly exact?: { readonly from: string; readonly to: string } | null;
}

/** A file made ready: its old and new bytes are in the store, nothing is written yet. Or why that cannot be. */
export type Prepared =
  | { readonly ok: true; readonly oldHash: string; readonly newHash: string; readonly reading: FileReading }
  | {
      readonly ok: false;
      readonly message: string;
      readonly conflicts: readonly number[];
      readonly oldHash: string | null;
      readonly current: FileReading | null;
    };

const find = (reading: FileReading, line: PreparedLine): HeldValue | null =>
  reading.holders.find((holder) => holder.key === line.holder)?.values.find((value) => value.place === line.place && value.name === line.name)?.held ?? null;

/** A line as the core knows lines; which file it is in does not matter here. */
const asLine = ({ holder, place, name, base, proposed }: PreparedLine) => ({ address: { file: 0, holder, place, name }, base, proposed });

/** Compares every line's base with the file as it is now, makes the new bytes, and proves that they hold what they should. */
export async function prepareFile(input: PrepareInput, store: FileStore): Promise<Prepared> {
  let oldHash: string | null = null;
  let current: FileReading | null = null;
  try {
    const bytes = await readFile(input.full);
    oldHash = hashOf(bytes);
    // The name is no part of the content: whoever applies gives it to the file.
    const lines = input.lines.filter(({ place, name }) => place !== 'field' || name !== 'file name');
    if (lines.length < input.lines.length && lines.length === 0) {
      await store.put(bytes);
      return { ok: true, oldHash, newHash: oldHash, reading: formatById(input.format).read(bytes) };
    }
    const format = formatById(input.format);
    current = format.read(bytes);
    const conflicts = lines.filter((line) => judgeLine(asLine(line), find(current!, line)) === 'conflict');
    if (conflicts.length)
      return { ok: false, message: 'The value was changed by someone else.', conflicts: conflicts.map((line) => line.id), oldHash, current };
    const changes = lines
      .filter((line) => judgeLine(asLine(line), find(current!, line)) === 'apply')
      .map(({ holder, place, name, proposed }) => ({ holder, place, name, value: proposed }));
    const after = input.exact?.from === oldHash ? await store.get(input.exact.to) : applyEdits(bytes, format.modify(bytes, changes));
    const reading = format.read(after);
    const wrong = lines.find((line) => orNull(find(reading, line))?.text !== orNull(line.proposed)?.text);
    if (wrong) return { ok: false, message: `${JSON.stringify(wrong.name)} would not read back as written.`, conflicts: [], oldHash, current };
    await store.put(bytes);
    return { ok: true, oldHash, newHash: await store.put(after), reading };
  } catch (error) {
    const code = (error as NodeJS.ErrnoException).code;
    if (error instanceof FileError) return { ok: false, message: describe(error), conflicts: [], oldHash, current };
    if (code === 'ENOENT') return { ok: false, message: 'The file is no longer there.', conflicts: [], oldHash, current };
    if (code === 'ENOSPC' || code === 'EACCES' || code === 'EPERM' || code === 'EIO')
      return { ok: false, message: `The file cannot be read or kept (${code}).`, conflicts: [], oldHash, current };
    throw error;
  }
}
