import { distance } from 'fastest-levenshtein';
import { likenessKey } from '../schema';
import { Abbreviation, dictionaryOf, fullWords, wordsOf } from './words';

/** Why two names probably mean the same, most certain first. */
export type TwinReason = 'case or blanks' | 'same words' | 'abbreviation' | 'letters left out' | 'spelling';

/** Names that probably mean the same. A suggestion: nothing is merged automatically. */
export interface TwinGroup {
  readonly names: readonly string[];
  /** Distinct reasons, most certain first. */
  readonly reasons: readonly TwinReason[];
}

const REASONS: readonly TwinReason[] = ['case or blanks', 'same words', 'abbreviation', 'letters left out', 'spelling'];

/** Similarity by edit distance; 1 if equal. */
export const similarity = (a: string, b: string): number => 1 - distance(a, b) / Math.max(a.length, b.length, 1);

/** Letters an abbreviation must save, unless it drops all vowels: *Party* does not abbreviate to *Part*, nor *Drawing* to *Drawn*. */
const SAVED = 3;

/**
 * Whether `short` is an abbreviation of `long` by omitted letters: same first letter, same order, at least three letters, too few to be a
 * word.
 */
export function isAbbreviation(short: string, long: string): boolean {
  if (short.length < 3 || short.length >= long.length || !long.startsWith(short[0]!)) return false;
  if (long.length - short.length < SAVED && /[aeiou]/.test(short.slice(1))) return false;
  let at = 0;
  for (const letter of short) {
    at = long.indexOf(letter, at) + 1;
    if (at === 0) return false;
  }
  return true;
}

interface Entry {
  readonly name: string;
  readonly like: string;
  readonly words: readonly string[];
  readonly plain: string;
  readonly full: string;
  readonly fullList: readonly string[];
}

const isNumber = (word: string) => /^\d+$/.test(word);

/** Word by word: equal or abbreviated. Dictionary words have their dictionary meaning. */
function lettersLeftOut(a: Entry, b: Entry, dictionary: ReadonlyMap<string, readonly string[]>, meanings: ReadonlySet<string>): boolean {
  if (a.words.length !== b.words.length) return false;
  return a.words.every((word, i) => {
    const other = b.words[i]!;
    if (word === other) return true;
    const [short, long] = word.length < other.length ? [word, other] : [other, word];
    return !dictionary.has(short) && !meanings.has(short) && isAbbreviation(short, long);
  });
}

/** Similar spelling: at least 0.88 overall on six or more letters, and each differing word similar too, so Max and Min stay apart. */
function alikeInSpelling(a: Entry, b: Entry): boolean {
  const [x, y] = [a.fullList.join(''), b.fullList.join('')];
  if (Math.min(x.length, y.length) < 6 || Math.abs(x.length - y.length) > 0.12 * Math.max(x.length, y.length)) return false;
  if (a.fullList.filter(isNumber).join() !== b.fullList.filter(isNumber).join()) return false;
  if (similarity(x, y) < 0.88) return false;
  // Equal but for word breaks.
  if (a.fullList.length !== b.fullList.length) return x === y;
  return a.fullList.every((word, i) => word === b.fullList[i] || similarity(word, b.fullList[i]!) >= 0.75);
}

/**
 * Finds names that probably mean the same: by words with abbreviations expanded, then by omitted letters, then by spelling. Edit distance
 * alone would confuse Inner and Outer.
 */
export function findTwins(names: readonly string[], abbreviations: readonly Abbreviation[]): TwinGroup[] {
  const dictionary = dictionaryOf(abbreviations);
  // Expansions in the dictionary are words, not abbreviations.
  const meanings = new Set([...dictionary.values()].flat());
  const entries = [...new Set(names)].map((name): Entry => {
    const words = wordsOf(name);
    const fullList = fullWords(words, dictionary);
    return { name, like: likenessKey(name), words, plain: [...words].sort().join(' '), full: [...fullList].sort().join(' '), fullList };
  });
  const parent = entries.map((_, i) => i);
  const root = (i: number): number => (parent[i] === i ? i : (parent[i] = root(parent[i]!)));
  const reasons = new Map<number, Set<TwinReason>>();
  const join = (i: number, j: number, reason: TwinReason) => {
    const [a, b] = [root(i), root(j)];
    const all = new Set([...(reasons.get(a) ?? []), ...(reasons.get(b) ?? []), reason]);
    parent[b] = a;
    reasons.set(a, all);
  };
  const byKey = (key: (entry: Entry) => string, reason: TwinReason) => {
    const first = new Map<string, number>();
    for (const [i, entry] of entries.entries()) {
      const k = key(entry);
      if (k === '') continue;
      const before = first.get(k);
      if (before === undefined) first.set(k, i);
      else if (root(before) !== root(i)) join(before, i, reason);
    }
  };
  byKey((entry) => entry.like, 'case or blanks');
  byKey((entry) => entry.plain, 'same words');
  byKey((entry) => entry.full, 'abbreviation');
  for (let i = 0; i < entries.length; i++)
    for (let j = i + 1; j < entries.length; j++) {
      if (root(i) === root(j)) continue;
      const [a, b] = [entries[i]!, entries[j]!];
      if (lettersLeftOut(a, b, dictionary, meanings)) join(i, j, 'letters left out');
      else if (alikeInSpelling(a, b)) join(i, j, 'spelling');
    }
  const groups = new Map<number, string[]>();
  for (const [i, entry] of entries.entries()) groups.set(root(i), [...(groups.get(root(i)) ?? []), entry.name]);
  return [...groups]
    .filter(([, list]) => list.length > 1)
    .map(([at, list]) => ({ names: list, reasons: REASONS.filter((reason) => reasons.get(at)?.has(reason)) }));
}
