import { findUnit } from '../values';

/** An abbreviation and its expansion, which may have several words. */
export interface Abbreviation {
  readonly short: string;
  readonly long: string;
}

/** Trade abbreviations (common practice); editable by the company. */
export const DEFAULT_ABBREVIATIONS: readonly Abbreviation[] = (
  [
    ['alum', 'aluminium'],
    ['aluminum', 'aluminium'],
    ['appd', 'approved'],
    ['approval', 'approved'],
    ['appr', 'approved'],
    ['apprv', 'approved'],
    ['assy', 'assembly'],
    ['asm', 'assembly'],
    ['chkd', 'checked'],
    ['chk', 'checked'],
    ['ck', 'checked'],
    ['coat', 'coating'],
    ['color', 'colour'],
    ['creation', 'created'],
    ['cust', 'customer'],
    ['dept', 'department'],
    ['des', 'designed'],
    ['desd', 'designed'],
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
    ['fin', 'surface finish'],
    ['finish', 'surface finish'],
    ['gray', 'grey'],
    ['ht', 'heat'],
    ['id', 'number'],
    ['insp', 'inspected'],
    ['inspection', 'inspected'],
    ['lbl', 'label'],
    ['len', 'length'],
    ['lg', 'length'],
    ['mat', 'material'],
    ['matl', 'material'],
    ['mtl', 'material'],
    ['mtrl', 'material'],
    ['mfg', 'manufacturer'],
    ['mfr', 'manufacturer'],
    ['max', 'maximum'],
    ['min', 'minimum'],
    ['mod', 'modified'],
    ['mpn', 'manufacturer part number'],
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
    ['release', 'released'],
    ['rev', 'revision'],
    ['sht', 'sheet'],
    ['sn', 'serial number'],
    ['spec', 'specification'],
    ['std', 'standard'],
    ['supp', 'supplier'],
    ['surf', 'surface'],
    ['temp', 'temperature'],
    ['thk', 'thickness'],
    ['tol', 'tolerance'],
    ['treat', 'treatment'],
    ['uom', 'unit measure'],
    ['vend', 'vendor'],
    ['vol', 'volume'],
    ['wt', 'weight'],
  ] as const
).map(([short, long]) => ({ short, long }));

/** Synonymous values (common practice); editable by the company. */
export const DEFAULT_SYNONYMS: readonly (readonly string[])[] = [
  ['stainless steel', 'stainless', 'ss', 'inox'],
  ['aluminium', 'aluminum', 'alu'],
  ['galvanised', 'galvanized', 'zinc plated'],
  ['grey', 'gray'],
  ['yes', 'y', 'true'],
  ['no', 'n', 'false'],
];

/** Filler words in names. Single letters count: revision A is not revision B. */
const EMPTY = new Set(['of', 'the', 'and']);

/** Names implied by their first word: *Vendor Name* equals *Vendor*, but *File Name* is not *File*. */
const NAMED = new Set(['client', 'company', 'customer', 'department', 'manufacturer', 'project', 'supplier', 'vendor']);

/** Lower case without accents; `ß`, `ø` and `æ` as typed without them. */
export const plainLetters = (text: string): string =>
  text.normalize('NFKD').replace(/\p{M}/gu, '').toLowerCase().replace(/ß/g, 'ss').replace(/ø/g, 'o').replace(/æ/g, 'ae').replace(/ł/g, 'l');

/** A unit at the end of a name, in brackets or as last word: `Weight (kg)`, `length_mm`. */
const BRACKETS = /\s*[([]([^()[\]]{1,12})[)\]]\s*$/u;
const LAST_WORD = /[\s_-]+(kg|mm|cm|lb|lbs|Nm|MPa)$/u;

/** A name without its unit; unchanged if nothing would remain. */
function withoutUnit(name: string): string {
  const bracket = BRACKETS.exec(name);
  const cut = bracket ? (findUnit(bracket[1]!.trim()) ? bracket.index : name.length) : (LAST_WORD.exec(name)?.index ?? name.length);
  return cut === 0 ? name : name.slice(0, cut);
}

/**
 * Words of a written name, split at blanks, punctuation, case changes (`PartNo`, `HTMLText`) and between letters and digits. `#` means
 * number; letters around an apostrophe (`App'd`) or single ones around a slash (`P/N`) are one word.
 */
export function wordsOf(name: string): string[] {
  const split = withoutUnit(name)
    .normalize('NFC')
    .replace(/(\p{L})['’](?=\p{L})/gu, '$1')
    .replace(/(?<![\p{L}\p{N}])(\p{L})\/(\p{L})(?![\p{L}\p{N}])/gu, '$1$2')
    .replaceAll('#', ' number ')
    .replace(/(\p{Ll}|\d)(\p{Lu})/gu, '$1 $2')
    .replace(/(\p{Lu})(\p{Lu}\p{Ll})/gu, '$1 $2')
    .replace(/(\p{L})(\d)/gu, '$1 $2')
    .replace(/(\d)(\p{L})/gu, '$1 $2');
  return plainLetters(split)
    .split(/[^\p{L}\p{N}]+/u)
    .filter((word) => word !== '');
}

/** Words of a name with abbreviations expanded and fillers removed. */
export function fullWords(words: readonly string[], dictionary: ReadonlyMap<string, readonly string[]>): string[] {
  const full: string[] = [];
  for (const [i, word] of words.entries()) {
    // "Number of" differs from "number".
    const spelled = dictionary.get(word) ?? [word];
    const meant = words[i + 1] === 'of' && spelled.join() === 'number' ? ['count'] : spelled;
    for (const one of meant) if (!EMPTY.has(one) && full.at(-1) !== one && !(one === 'surface' && full.includes(one))) full.push(singular(one));
  }
  return full.length === 2 && full[1] === 'name' && NAMED.has(full[0]!) ? [full[0]!] : full;
}

/** Singular by ending: English plurals of names. */
const singular = (word: string): string => (/[^aius]s$/.test(word) && word.length > 4 ? word.slice(0, -1) : word);

/** The dictionary as a map from abbreviation to words. */
export const dictionaryOf = (abbreviations: readonly Abbreviation[]): Map<string, readonly string[]> =>
  new Map(abbreviations.map(({ short, long }) => [plainLetters(short), wordsOf(long)]));
