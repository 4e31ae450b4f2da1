/** How two written names relate: equal, similar but different to exact comparison, or different. */
export type NameLikeness = 'same' | 'case' | 'blanks' | 'case and blanks' | 'different';

const squeeze = (name: string) => name.replace(/[\s\u00a0\u200b]+/gu, ' ').trim();

/**
 * Compares written names exactly as files do, and explains invisible differences. Different Unicode normalisation counts as a difference in
 * blanks.
 */
export function compareNames(a: string, b: string): NameLikeness {
  if (a === b) return 'same';
  const [x, y] = [squeeze(a.normalize('NFC')), squeeze(b.normalize('NFC'))];
  if (x === y) return 'blanks';
  if (x.toLowerCase() !== y.toLowerCase()) return 'different';
  return a.toLowerCase() === b.toLowerCase() ? 'case' : 'case and blanks';
}

/** Key equal for names differing only in case or blanks. */
export const likenessKey = (name: string): string => squeeze(name.normalize('NFC')).toLowerCase();

/** Whether two values differ only in case and blanks, even if just one has a blank (`S235 JR`). */
export const sameWording = (a: string, b: string): boolean => likenessKey(a).replace(/ /g, '') === likenessKey(b).replace(/ /g, '');

/** Describes oddities of a written name (outer or double blanks, control characters); `null` if none. */
export function nameOddity(name: string): string | null {
  if (/^\s/u.test(name)) return 'a space at the start';
  if (/\s$/u.test(name)) return 'a space at the end';
  if (/\s{2}/u.test(name)) return 'two spaces in a row';

  if (/[\u0000-\u001f\u007f\u00a0\u200b-\u200f\u2028\u2029\ufeff]/u.test(name)) return 'an invisible character';
  return null;
}

/** Look-alike letters of other alphabets (a selection after Unicode Technical Standard 39, from memory). */
const LOOKS_LIKE: Readonly<Record<string, string>> = Object.fromEntries(
  [
    ['АаΑ', 'AaA'],
    ['ВЕКМНОРСТХ', 'BEKMHOPCTX'],
    ['еорсухі', 'eopcyxi'],
    ['ΒΕΖΗΙΚΜΝΟΡΤΥΧ', 'BEZHIKMNOPTYX'],
    ['ο', 'o'],
    ['‐‑‒–—−', '------'],
    ['’‘′', "'''"],
    ['“”″', '"""'],
    ['⌀', 'Ø'],
  ].flatMap(([from, to]) => [...from!].map((c, i) => [c, [...to!][i]!] as const)),
);
const plainLooks = (name: string): string => [...name.normalize('NFKC')].map((c) => LOOKS_LIKE[c] ?? c).join('');

/** Whether two names look alike but use different letters, such as Cyrillic “а”. */
export const lookAlike = (a: string, b: string): boolean => a !== b && squeeze(plainLooks(a)).toLowerCase() === squeeze(plainLooks(b)).toLowerCase();

/** Look-alike letters in a name, with code points. */
export const oddLetters = (name: string): { readonly letter: string; readonly looksLike: string; readonly code: string }[] =>
  [...name].flatMap((letter) =>
    LOOKS_LIKE[letter] === undefined
      ? []
      : [{ letter, looksLike: LOOKS_LIKE[letter], code: `U+${letter.codePointAt(0)!.toString(16).toUpperCase().padStart(4, '0')}` }],
  );
