import { distance } from 'fastest-levenshtein';
import { likenessKey } from '../schema';
import { Abbreviation, dictionaryOf, fullWords, wordsOf } from './words';

/** Why two names probably mean the same, from certain to likely. */
export type TwinReason = 'case or blanks' | 'same words' | 'abbreviation' | 'letters left out' | 'spelling';

/** Names that probably mean the same. Always a suggestion: nothing is merged by itself. */
export interface TwinGroup {
  readonly names: readonly string[];
  /** Reasons of the pairs that hold the group together, each once, the most certain first. */
  readonly reasons: readonly TwinReason[];
}

const REASONS: readonly TwinReason[] = ['case or blanks', 'same words', 'abbreviation', 'letters left out', 'spelling'];

/** Similarity by edit distance: 1 for the same text. */
export const similarity = (a: string, b: string): number => 1 - distance(a, b) / Math.max(a.length, b.length, 1);

/** Letters that an abbreviation saves at least, unless it leaves out all vowels: *Party* is no long form of *Part*, nor *Drawing* of *Drawn*. */
const SAVED = 3;

/**
 * Whether the letters of `short` are in `long` in their order, the first one first: three letters or more, and so few that they are no word
 * of their own.
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

/** Word by word: the same, or one an abbreviation of the other. A word that the dictionary knows means what it says there. */
function lettersLeftOut(a: Entry, b: Entry, dictionary: ReadonlyMap<string, readonly string[]>, meanings: ReadonlySet<string>): boolean {
  if (a.words.length !== b.words.length) return false;
  return a.words.every((word, i) => {
    const other = b.words[i]!;
    if (word === other) return true;
    const [short, long] = word.length < other.length ? [word, other] : [other, word];
    return !dictionary.has(short) && !meanings.has(short) && isAbbreviation(short, long);
  });
}

/** Alike in spelling: 0.88 over all on six letters or more, and every word that differs alike by itself, so that Max and Min stay apart. */
function alikeInSpelling(a: Entry, b: Entry): boolean {
  const [x, y] = [a.fullList.join(''), b.fullList.join('')];
  if (Math.min(x.length, y.length) < 6 || Math.abs(x.length - y.length) > 0.12 * Math.max(x.length, y.length)) return false;
  if (a.fullList.filter(isNumber).join() !== b.fullList.filter(isNumber).join()) return false;
  if (similarity(x, y) < 0.88) return false;
  // Words written as one, and else nothing.
  if (a.fullList.length !== b.fullList.length) return x === y;
  return a.fullList.every((word, i) => word === b.fullList[i] || similarity(word, b.fullList[i]!) >= 0.75);
}

/**
 * Finds names that probably mean the same. Names are compared by their words with abbreviations spelled out,
 * then by letters left out, then by spelling; plain edit distance alone would confuse Inner and Outer.
 */
export function findTwins(names: readonly string[], abbreviations: readonly Abbreviation[]): TwinGroup[] {
  const dictionary = dictionaryOf(abbreviations);
  // What abbreviations stand for is a word of its own, and short for nothing.
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
