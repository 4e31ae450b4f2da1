import { FileProblem, FileReading, HolderReading } from './contract';

/** Maximum length of a name. */
const LONGEST_NAME = 255;

/** Maximum length of a key in UTF-16 units, to fit a database index. */
const LONGEST_KEY = 400;

/** Shortens a long key, adding a hash (FNV-1a). */
export function shortKey(text: string): string {
  if (text.length <= LONGEST_KEY) return text;
  let hash = 0x811c9dc5;
  for (let i = 0; i < text.length; i++) hash = Math.imul(hash ^ text.charCodeAt(i), 0x01000193) >>> 0;
  return `${text.slice(0, LONGEST_KEY - 12).replace(/[\ud800-\udbff]$/, '')}… ${hash.toString(16)}`;
}

/** Makes keys unique. */
export class Keys {
  private readonly taken = new Set<string>();
  /** Next suffix to try, avoiding quadratic time. */
  private readonly next = new Map<string, number>();

  /** The key, or with the first free suffix from 2. */
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

/** Normalises a reading: searchable names and one holder per key. The rest becomes remarks. */
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
