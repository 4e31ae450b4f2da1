import { FileChange, Place } from '../files';
import { HeldValue, sameHeld } from '../values';

/** Address of a value: file, holder, place and exact name. */
export interface Address {
  readonly file: number;
  readonly holder: string;
  readonly place: Place;
  readonly name: string;
}

/** A proposed change of one value. `base` is the value it was based on; `null` for none. */
export interface Line {
  readonly address: Address;
  readonly base: HeldValue | null;
  readonly proposed: HeldValue | null;
  readonly reason: string;
  /** Whether it follows from another line. */
  readonly follows: boolean;
}

/** Unique key of an address. */
export const addressKey = ({ file, holder, place, name }: Address): string => JSON.stringify([file, holder, place, name]);

/** Result of a three-way comparison: applicable, already done, or conflicting. */
export type Verdict = 'apply' | 'already' | 'conflict';

/** Compares base, current and proposed value. */
export function compareThree(base: HeldValue | null, current: HeldValue | null, proposed: HeldValue | null): Verdict {
  if (sameHeld(current, proposed)) return 'already';
  return sameHeld(current, base) ? 'apply' : 'conflict';
}

/** An existing but empty value counts as none. */
export const orNull = (held: HeldValue | null): HeldValue | null => (held?.text === '' ? null : held);

/** Whether a line only adds a name without a value. */
export const placesName = ({ address, proposed }: Pick<Line, 'address' | 'proposed'>, current: HeldValue | null): boolean =>
  address.place === 'property' && proposed?.text === '' && current === null;

/** Compares a line with the current value; none equals empty, except for {@link placesName} lines. */
export const judgeLine = (line: Pick<Line, 'address' | 'base' | 'proposed'>, current: HeldValue | null): Verdict =>
  placesName(line, current) && orNull(line.base) === null ? 'apply' : compareThree(orNull(line.base), orNull(current), orNull(line.proposed));

/** The inverse line. */
export const invertLine = (line: Line, reason: string): Line => ({ ...line, base: line.proposed, proposed: line.base, reason });

/** The inverse lines, in reverse order. */
export const invertLines = (lines: readonly Line[], reason: string): Line[] => lines.map((line) => invertLine(line, reason)).reverse();

/** Merges new lines into pending ones: a later line replaces an earlier one but keeps its base; lines back to their base are dropped. */
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

/** Groups lines by file, in order of first appearance. */
export function changesByFile(lines: readonly Line[]): Map<number, FileChange[]> {
  const files = new Map<number, FileChange[]>();
  for (const { address, proposed } of lines) {
    const list = files.get(address.file) ?? [];
    list.push({ holder: address.holder, place: address.place, name: address.name, value: proposed });
    files.set(address.file, list);
  }
  return files;
}
