import { Binding, bindingOf, compareNames, likenessKey } from '../schema';
import { DEFAULT_ABBREVIATIONS, dictionaryOf, fullWords, wordsOf } from '../survey';

const ABBREVIATED = dictionaryOf(DEFAULT_ABBREVIATIONS);
/** A name in full words. */
const inFull = (name: string): string => fullWords(wordsOf(name), ABBREVIATED).join('');

/** A cell of an exchanged block. */
export interface ExchangedCell {
  readonly tag: string;
  readonly prompt: string;
}

/** Source of a new cell's text, and how it was matched. */
export interface CellMatch {
  readonly tag: string;
  readonly from: string | null;
  readonly by: 'binding' | 'name' | 'caption' | null;
}

/** Key equal for names differing in case, separators or abbreviation. */
const alike = (a: string, b: string): boolean =>
  a !== '' && b !== '' && (compareNames(a, b) !== 'different' || likenessKey(a) === likenessKey(b) || (inFull(a) !== '' && inFull(a) === inFull(b)));

/** Matches new cells to old ones: by equal binding, then equal name, then equal caption. Each old cell is used once. */
export function matchCells(
  from: { readonly family: string; readonly cells: readonly ExchangedCell[] },
  to: { readonly family: string; readonly cells: readonly ExchangedCell[] },
  bindings: readonly Binding[],
): CellMatch[] {
  const shown = (family: string, tag: string): string | null => {
    const binding = bindingOf(bindings, family, tag);
    return binding
      ? JSON.stringify(binding.shows.map((piece) => ('property' in piece ? [piece.property, piece.from] : 'fact' in piece ? piece.fact : piece)))
      : null;
  };
  const taken = new Set<string>();
  const matches = new Map<string, CellMatch>();
  const ways: readonly { readonly by: NonNullable<CellMatch['by']>; readonly fits: (wanted: ExchangedCell, held: ExchangedCell) => boolean }[] = [
    { by: 'binding', fits: (wanted, held) => shown(to.family, wanted.tag) !== null && shown(to.family, wanted.tag) === shown(from.family, held.tag) },
    { by: 'name', fits: (wanted, held) => alike(wanted.tag, held.tag) },
    { by: 'caption', fits: (wanted, held) => alike(wanted.prompt, held.prompt) || alike(wanted.prompt, held.tag) || alike(wanted.tag, held.prompt) },
  ];
  for (const { by, fits } of ways)
    for (const wanted of to.cells) {
      if (matches.has(wanted.tag)) continue;
      const held = from.cells.find((cell) => !taken.has(cell.tag) && fits(wanted, cell));
      if (!held) continue;
      taken.add(held.tag);
      matches.set(wanted.tag, { tag: wanted.tag, from: held.tag, by });
    }
  return to.cells.map(({ tag }) => matches.get(tag) ?? { tag, from: null, by: null });
}
