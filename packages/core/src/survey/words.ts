/** An abbreviation and what it stands for; the long form may have several words. */
export interface Abbreviation {
  readonly short: string;
  readonly long: string;
}

/** Abbreviations of the trade (common practice); a company edits its own list. */
export const DEFAULT_ABBREVIATIONS: readonly Abbreviation[] = (
  [
    ['appd', 'approved'],
    ['appr', 'approved'],
    ['apprv', 'approved'],
    ['assy', 'assembly'],
    ['asm', 'assembly'],
    ['chkd', 'checked'],
    ['chk', 'checked'],
    ['ck', 'checked'],
    ['coat', 'coating'],
    ['cust', 'customer'],
    ['dept', 'department'],
    ['des', 'designed'],
    ['desc', 'description'],
    ['descr', 'description'],
    ['dia', 'diameter'],
    ['diam', 'diameter'],
    ['dim', 'dimension'],
    ['drg', 'drawing'],
    ['drwg', 'drawing'],
    ['drw', 'drawing'],
    ['dwg', 'drawing'],
    ['drwn', 'drawn'],
    ['dt', 'date'],
    ['eng', 'engineer'],
    ['engr', 'engineer'],
    ['fin', 'finish'],
    ['ht', 'heat'],
    ['id', 'number'],
    ['lbl', 'label'],
    ['len', 'length'],
    ['lg', 'length'],
    ['mat', 'material'],
    ['matl', 'material'],
    ['mtl', 'material'],
    ['mtrl', 'material'],
    ['mfg', 'manufacturer'],
    ['mfr', 'manufacturer'],
    ['mod', 'modified'],
    ['nbr', 'number'],
    ['no', 'number'],
    ['nr', 'number'],
    ['num', 'number'],
    ['pn', 'part number'],
    ['pno', 'part number'],
    ['prj', 'project'],
    ['proj', 'project'],
    ['pt', 'part'],
    ['qty', 'quantity'],
    ['ref', 'reference'],
    ['rel', 'released'],
    ['rev', 'revision'],
    ['sht', 'sheet'],
    ['spec', 'specification'],
    ['std', 'standard'],
    ['supp', 'supplier'],
    ['surf', 'surface'],
    ['temp', 'temperature'],
    ['thk', 'thickness'],
    ['tol', 'tolerance'],
    ['treat', 'treatment'],
    ['vend', 'vendor'],
    ['vol', 'volume'],
    ['wt', 'weight'],
  ] as const
).map(([short, long]) => ({ short, long }));

/** Values that mean the same (common practice); a company edits its own list. */
export const DEFAULT_SYNONYMS: readonly (readonly string[])[] = [
  ['stainless steel', 'stainless', 'ss', 'inox'],
  ['aluminium', 'aluminum', 'alu'],
  ['galvanised', 'galvanized', 'zinc plated'],
  ['grey', 'gray'],
  ['yes', 'y', 'true'],
  ['no', 'n', 'false'],
];

/** Words that say nothing in a name. */
const EMPTY = new Set(['of', 'the', 'a', 'an', 'and']);

/** A text without accents, in lower case; `ß`, `ø` and `æ` as people type them without. */
export const plainLetters = (text: string): string =>
  text.normalize('NFKD').replace(/\p{M}/gu, '').toLowerCase().replace(/ß/g, 'ss').replace(/ø/g, 'o').replace(/æ/g, 'ae').replace(/ł/g, 'l');

/** The words of a written name: split at blanks, punctuation, case changes (`PartNo`, `HTMLText`) and between letters and digits. */
export function wordsOf(name: string): string[] {
  const split = name
    .normalize('NFC')
    .replace(/(\p{Ll}|\d)(\p{Lu})/gu, '$1 $2')
    .replace(/(\p{Lu})(\p{Lu}\p{Ll})/gu, '$1 $2')
    .replace(/(\p{L})(\d)/gu, '$1 $2')
    .replace(/(\d)(\p{L})/gu, '$1 $2');
  return plainLetters(split)
    .split(/[^\p{L}\p{N}]+/u)
    .filter((word) => word !== '');
}

/** The words of a name with abbreviations spelled out and words that say nothing left out. */
export const fullWords = (words: readonly string[], dictionary: ReadonlyMap<string, readonly string[]>): string[] =>
  words.flatMap((word) => dictionary.get(word) ?? [word]).filter((word) => !EMPTY.has(word));

/** The dictionary as a map from the short form to its words. */
export const dictionaryOf = (abbreviations: readonly Abbreviation[]): Map<string, readonly string[]> =>
  new Map(abbreviations.map(({ short, long }) => [plainLetters(short), wordsOf(long)]));
