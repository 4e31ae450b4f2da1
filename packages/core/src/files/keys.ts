import { FileProblem, FileReading, HolderReading } from './contract';

/** Longest name of a value: as long as the name of a property may be. */
const LONGEST_NAME = 255;

/** Longest key of a holder or product, in UTF-16 units: every key can be in an index of the database. */
const LONGEST_KEY = 400;

/** A text that is longer than a key may be, cut; a number made of the whole (FNV-1a) tells it from others that begin alike. */
export function shortKey(text: string): string {
  if (text.length <= LONGEST_KEY) return text;
  let hash = 0x811c9dc5;
  for (let i = 0; i < text.length; i++) hash = Math.imul(hash ^ text.charCodeAt(i), 0x01000193) >>> 0;
  return `${text.slice(0, LONGEST_KEY - 12).replace(/[\ud800-\udbff]$/, '')}… ${hash.toString(16)}`;
}

/** Hands out keys of which no two are alike. */
export class Keys {
  private readonly taken = new Set<string>();
  /** The number to try next behind a key, so that ten thousand alike cost no more than ten thousand others. */
  private readonly next = new Map<string, number>();

  /** The key, where it is free; else with the first free number from 2 on behind it. */
  free(wanted: string): string {
    const key = shortKey(wanted);
    let free = key;
    let n = this.next.get(key) ?? 2;
    while (this.taken.has(free)) free = `${key}~${n++}`;
    this.next.set(key, n);
    this.taken.add(free);
    return free;
  }
}

const LABEL = 60;
const begin = (text: string) => JSON.stringify(text.length > LABEL ? `${text.slice(0, LABEL)}…` : text);

/**
 * A reading as the rest of Rule may rely on it: names that can be looked up, and one holder for each key. What a file has beyond that
 * is a remark about the file and not read.
 */
export function sound(reading: FileReading): FileReading {
  const problems: FileProblem[] = [];
  const seen = new Set<string>();
  let changed = false;
  const holders: HolderReading[] = [];
  for (const holder of reading.holders) {
    if (seen.has(holder.key)) {
      problems.push({ code: 'holder-twice', message: `${begin(holder.label || holder.key)} is in the file twice; the values of the first one count.` });
      continue;
    }
    seen.add(holder.key);
    let { values } = holder;
    if (values.some((value) => value.name.length > LONGEST_NAME)) {
      for (const { name } of values)
        if (name.length > LONGEST_NAME)
          problems.push({ code: 'name-long', message: `A name with ${name.length} characters, ${begin(name)}, is skipped; the limit is ${LONGEST_NAME}.` });
      values = values.filter((value) => value.name.length <= LONGEST_NAME);
    }
    const label = shortKey(holder.label);
    changed ||= values !== holder.values || label !== holder.label;
    holders.push(values !== holder.values || label !== holder.label ? { ...holder, label, values } : holder);
  }
  return changed || problems.length > 0 ? { ...reading, holders, problems: [...reading.problems, ...problems] } : reading;
}
