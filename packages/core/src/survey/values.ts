import { HeldForm, findUnit, isIsoDate } from '../values';
import { similarity } from './twins';
import { plainLetters } from './words';

/** A distinct value of a name and its number of files. */
export interface ValueCount {
  readonly text: string;
  readonly form: HeldForm;
  readonly unit: string | null;
  readonly files: number;
  readonly standIn: boolean;
}

/** Why values are clustered, most certain first. */
export const CLUSTER_REASONS = ['case, blanks or punctuation', 'word order', 'synonyms', 'spelling'] as const;
export type ClusterReason = (typeof CLUSTER_REASONS)[number];

/** Values that probably mean the same; `to` is the most frequent. */
export interface ValueCluster {
  readonly values: readonly string[];
  readonly to: string;
  readonly files: number;
  readonly reason: ClusterReason;
  /** Digits differ: check before merging. */
  readonly careful: boolean;
}

/** Possible types of a text. */
export type Guess = 'number' | 'date' | 'yes/no' | 'text';

/** Profile of a name's values. Counts by type sum to the files with a value. */
export interface ValuePicture {
  readonly byType: Readonly<Record<Guess, number>>;
  /** Units with file counts; `''` for numbers without. */
  readonly units: readonly { readonly unit: string; readonly files: number }[];
  readonly clusters: readonly ValueCluster[];
  /** Values of rare form where most share another. */
  readonly outliers: readonly { readonly text: string; readonly files: number; readonly pattern: string }[];
  /** Values that are not numbers or dates where nearly all others are. */
  readonly unreadable: readonly { readonly text: string; readonly files: number; readonly wanted: 'number' | 'date' }[];
  readonly patterns: readonly { readonly pattern: string; readonly files: number }[];
}

/** A number with optional unit: `12.5`, `12,5 kg`, `1.5E-7 m`; otherwise `null`. */
export function readQuantity(text: string): { readonly number: string; readonly unit: string | null } | null {
  const m = /^([+-]?(?:\d+(?:[.,]\d+)?|[.,]\d+)(?:[eE][+-]?\d+)?)\s*(\D*)$/.exec(text.trim());
  if (!m) return null;
  const unit = m[2] ? findUnit(m[2]) : null;
  return unit === undefined ? null : { number: m[1]!.replace(',', '.'), unit: unit?.code ?? null };
}

const MONTHS = ['jan', 'feb', 'mar', 'apr', 'may', 'jun', 'jul', 'aug', 'sep', 'oct', 'nov', 'dec'];

/** A date in a common format as ISO 8601; `null` if invalid or ambiguous (`03/04/2026`). */
export function readLooseDate(text: string): string | null {
  const t = text.trim();
  if (isIsoDate(t)) return t;
  const iso = (y: string, m: string, d: string) => {
    const year = y.length === 2 ? `20${y}` : y;
    const made = `${year}-${m.padStart(2, '0')}-${d.padStart(2, '0')}`;
    return isIsoDate(made) ? made : null;
  };
  const dotted = /^(\d{1,2})\.(\d{1,2})\.(\d{4}|\d{2})$/.exec(t);
  if (dotted) return iso(dotted[3]!, dotted[2]!, dotted[1]!);
  const big = /^(\d{4})[/.](\d{1,2})[/.](\d{1,2})$/.exec(t);
  if (big) return iso(big[1]!, big[2]!, big[3]!);
  const slashed = /^(\d{1,2})[/-](\d{1,2})[/-](\d{4}|\d{2})$/.exec(t);
  if (slashed) {
    const [a, b] = [Number(slashed[1]), Number(slashed[2])];
    if (a > 12 && b <= 12) return iso(slashed[3]!, slashed[2]!, slashed[1]!);
    return b > 12 && a <= 12 ? iso(slashed[3]!, slashed[1]!, slashed[2]!) : a === b ? iso(slashed[3]!, slashed[1]!, slashed[2]!) : null;
  }
  const named = /^(\d{1,2})[ .-]+([A-Za-z]{3})[a-z]*\.?[ ,-]+(\d{4}|\d{2})$/.exec(t);
  const month = named ? MONTHS.indexOf(named[2]!.toLowerCase()) : -1;
  return named && month >= 0 ? iso(named[3]!, String(month + 1), named[1]!) : null;
}

const DATE_LIKE = /^\d{1,4}[./-]\d{1,2}[./-]\d{1,4}$/;

/** Possible types of a value, by its held form or its text. */
export function guessOf({ text, form }: Pick<ValueCount, 'text' | 'form'>): Guess {
  if (form === 'integer' || form === 'real' || form === 'measure') return 'number';
  if (form === 'boolean' || /^(yes|no|true|false|y|n)$/i.test(text.trim())) return 'yes/no';
  if (readLooseDate(text) !== null || DATE_LIKE.test(text.trim())) return 'date';
  return readQuantity(text) ? 'number' : 'text';
}

/** Pattern of a text: runs of capitals, lower case and digits become `A`, `a`, `9`; other characters stay. */
export const patternOf = (text: string): string =>
  text
    .replace(/\p{Lu}+/gu, 'A')
    .replace(/[\p{Ll}\p{Lo}]+/gu, 'a')
    .replace(/\d+/g, '9');

const tokensOf = (text: string): string[] =>
  plainLetters(text)
    .replace(/(\d),(\d)/g, '$1.$2')
    .split(/[^\p{L}\p{N}.]+|\.(?!\d)|(?<!\d)\./u)
    .filter((token) => token !== '');

/** Clusters values that probably mean the same: by words, company synonyms and spelling. */
export function clusterValues(values: readonly ValueCount[], synonyms: readonly (readonly string[])[]): ValueCluster[] {
  const meaning = new Map<string, string>();
  for (const group of synonyms) for (const word of group) meaning.set(tokensOf(word).join(' '), tokensOf(group[0]!).join(' '));
  const longest = Math.max(1, ...[...meaning.keys()].map((key) => key.split(' ').length));
  /** Tokens with synonyms applied, longest phrase first. */
  const meant = (tokens: readonly string[]): string[] => {
    const out: string[] = [];
    for (let i = 0; i < tokens.length;) {
      let n = Math.min(longest, tokens.length - i);
      while (n > 0 && !meaning.has(tokens.slice(i, i + n).join(' '))) n--;
      out.push(n ? meaning.get(tokens.slice(i, i + n).join(' '))! : tokens[i]!);
      i += Math.max(1, n);
    }
    return out;
  };
  const entries = values
    .filter((value) => value.text !== '' && !value.standIn)
    .map((value) => {
      const tokens = tokensOf(value.text);
      return { ...value, squeezed: tokens.join(''), sorted: [...tokens].sort().join(' '), meant: meant(tokens).sort().join(' ') };
    });
  const parent = entries.map((_, i) => i);
  const root = (i: number): number => (parent[i] === i ? i : (parent[i] = root(parent[i]!)));
  // The weakest reason in a cluster is reported.
  const reasons = new Map<number, number>();
  const join = (i: number, j: number, reason: number) => {
    const [a, b] = [root(i), root(j)];
    if (a === b) return;
    parent[b] = a;
    reasons.set(a, Math.max(reasons.get(a) ?? 0, reasons.get(b) ?? 0, reason));
  };
  const byKey = (key: (entry: (typeof entries)[number]) => string, reason: number) => {
    const first = new Map<string, number>();
    for (const [i, entry] of entries.entries()) {
      const k = key(entry);
      if (k === '') continue;
      const before = first.get(k);
      if (before === undefined) first.set(k, i);
      else join(before, i, reason);
    }
  };
  byKey((entry) => entry.squeezed, 0);
  byKey((entry) => entry.sorted, 1);
  byKey((entry) => entry.meant, 2);
  // Spelling: unclustered texts of six or more letters with equal digits, compared with neighbours in length.
  const alone = new Map<number, number>();
  for (const i of entries.keys()) alone.set(root(i), (alone.get(root(i)) ?? 0) + 1);
  const open = entries.map((entry, i) => ({ ...entry, i })).filter(({ i, squeezed }) => squeezed.length >= 6 && alone.get(root(i)) === 1);
  if (open.length <= MOST_FOR_SPELLING)
    for (const [k, entry] of open.entries()) {
      const digits = entry.squeezed.replace(/\D/g, '');
      for (const other of open.slice(k + 1))
        if (
          Math.abs(other.squeezed.length - entry.squeezed.length) <= 2 &&
          other.squeezed.replace(/\D/g, '') === digits &&
          similarity(entry.squeezed, other.squeezed) >= 0.88
        )
          join(entry.i, other.i, 3);
    }
  const groups = new Map<number, (typeof entries)[number][]>();
  for (const [i, entry] of entries.entries()) groups.set(root(i), [...(groups.get(root(i)) ?? []), entry]);
  return [...groups]
    .map(([at, members]): ValueCluster => {
      const list = members.sort((a, b) => b.files - a.files || a.text.localeCompare(b.text));
      return {
        values: [...new Set(list.map((entry) => entry.text))],
        to: list[0]!.text,
        files: list.reduce((sum, entry) => sum + entry.files, 0),
        reason: CLUSTER_REASONS[reasons.get(at) ?? 0]!,
        careful: list.some((entry) => /\d/.test(entry.text)),
      };
    })
    .filter((cluster) => cluster.values.length > 1)
    .sort((a, b) => b.files - a.files || a.to.localeCompare(b.to));
}

/** Above this many distinct values, typing errors are unlikely and comparing all pairs takes too long. */
const MOST_FOR_SPELLING = 3000;

/** Profiles all distinct values of a name. */
export function pictureOf(values: readonly ValueCount[], synonyms: readonly (readonly string[])[]): ValuePicture {
  const real = values.filter((value) => value.text !== '' && !value.standIn);
  const byType: Record<Guess, number> = { number: 0, date: 0, 'yes/no': 0, text: 0 };
  const units = new Map<string, number>();
  const patterns = new Map<string, number>();
  let files = 0;
  for (const value of real) {
    const guess = guessOf(value);
    byType[guess] += value.files;
    files += value.files;
    if (guess === 'number') {
      const unit = value.unit ?? readQuantity(value.text)?.unit ?? '';
      units.set(unit, (units.get(unit) ?? 0) + value.files);
    }
    const pattern = patternOf(value.text);
    patterns.set(pattern, (patterns.get(pattern) ?? 0) + value.files);
  }
  const ranked = [...patterns].map(([pattern, count]) => ({ pattern, files: count })).sort((a, b) => b.files - a.files);
  const top = ranked[0];
  const rare = new Set(top && top.files >= 0.6 * files ? ranked.filter((entry) => entry.files <= 0.05 * files).map((entry) => entry.pattern) : []);
  const wanted = byType.number >= 0.8 * files ? 'number' : byType.date >= 0.8 * files ? 'date' : null;
  return {
    byType,
    units: [...units].map(([unit, count]) => ({ unit, files: count })).sort((a, b) => b.files - a.files),
    clusters: clusterValues(values, synonyms),
    outliers: real.filter((value) => rare.has(patternOf(value.text))).map(({ text, files: count }) => ({ text, files: count, pattern: patternOf(text) })),
    unreadable:
      wanted === null
        ? []
        : real
            .filter((value) => guessOf(value) !== wanted || (wanted === 'date' && readLooseDate(value.text) === null))
            .map(({ text, files: count }) => ({ text, files: count, wanted })),
    patterns: ranked.slice(0, 12),
  };
}
