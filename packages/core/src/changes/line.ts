import { FileChange, Place } from '../files';
import { HeldValue, sameHeld } from '../values';

/** Where a value is kept: a file, a holder in it, a place and the exact name there. */
export interface Address {
  readonly file: number;
  readonly holder: string;
  readonly place: Place;
  readonly name: string;
}

/** One proposed change of one value. `base` is what was there when the change was made up; `null` means nothing. */
export interface Line {
  readonly address: Address;
  readonly base: HeldValue | null;
  readonly proposed: HeldValue | null;
  readonly reason: string;
  /** Whether the line follows from another one of the set, such as a title block text from a property. */
  readonly follows: boolean;
}

/** A key under which lines to the same address fall together. */
export const addressKey = ({ file, holder, place, name }: Address): string => JSON.stringify([file, holder, place, name]);

/** What three-way comparison says of a line: it can be applied, what it proposes is there already, or someone else changed the value. */
export type Verdict = 'apply' | 'already' | 'conflict';

/** Compares base, current and proposed value. */
export function compareThree(base: HeldValue | null, current: HeldValue | null, proposed: HeldValue | null): Verdict {
  if (sameHeld(current, proposed)) return 'already';
  return sameHeld(current, base) ? 'apply' : 'conflict';
}

/** A cell or property that is there but empty reads as an empty text; for comparison that is nothing. */
export const orNull = (held: HeldValue | null): HeldValue | null => (held?.text === '' ? null : held);

/** Whether a line only puts a property's name into its holder, with no value yet, where it is not there at all. */
export const placesName = ({ address, proposed }: Pick<Line, 'address' | 'proposed'>, current: HeldValue | null): boolean =>
  address.place === 'property' && proposed?.text === '' && current === null;

/** Compares a line with what is at its address now; nothing and an empty text are the same, except to a line that {@link placesName}. */
export const judgeLine = (line: Pick<Line, 'address' | 'base' | 'proposed'>, current: HeldValue | null): Verdict =>
  placesName(line, current) && orNull(line.base) === null ? 'apply' : compareThree(orNull(line.base), orNull(current), orNull(line.proposed));

/** The line that undoes a line. */
export const invertLine = (line: Line, reason: string): Line => ({ ...line, base: line.proposed, proposed: line.base, reason });

/** The lines that undo lines, in reverse order. */
export const invertLines = (lines: readonly Line[], reason: string): Line[] => lines.map((line) => invertLine(line, reason)).reverse();

/**
 * Puts new lines on top of pending ones. A later line to the same address takes the place of the earlier
 * one but keeps its base; a line that leads back to its base falls away.
 */
export function stackLines(pending: readonly Line[], added: readonly Line[]): Line[] {
  const stack = new Map(pending.map((line) => [addressKey(line.address), line]));
  for (const line of added) {
    const key = addressKey(line.address);
    const before = stack.get(key);
    const base = before ? before.base : line.base;
    if (sameHeld(base, line.proposed)) stack.delete(key);
    else stack.set(key, { ...line, base });
  }
  return [...stack.values()];
}

/** What lines ask of each file, in the order in which the files first appear. */
export function changesByFile(lines: readonly Line[]): Map<number, FileChange[]> {
  const files = new Map<number, FileChange[]>();
  for (const { address, proposed } of lines) {
    const list = files.get(address.file) ?? [];
    list.push({ holder: address.holder, place: address.place, name: address.name, value: proposed });
    files.set(address.file, list);
  }
  return files;
}
