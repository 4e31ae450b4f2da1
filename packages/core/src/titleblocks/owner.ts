import { Binding, CellPiece, isWide } from '../schema';

/** A block's place and the holders its cells can draw from. */
export interface BlockPlace {
  readonly file: number;
  readonly holder: string;
  readonly model: number | null;
  readonly set: number | null;
  readonly project: number | null;
  readonly company: number | null;
}

/** Where a cell's single value is kept: file (negative id for levels above), inner holder, property. */
export interface CellOwner {
  readonly file: number;
  readonly holder: string;
  readonly property: number;
  /** Fixed text around the value. */
  readonly before: string;
  readonly behind: string;
}

/** The owner of a cell's content; `null` for several values, a fact, or no owner. */
export function ownerOf({ shows }: Pick<Binding, 'shows'>, place: BlockPlace): CellOwner | null {
  const values = shows.filter((piece): piece is Extract<CellPiece, { readonly property: number }> => 'property' in piece);
  const [value] = values;
  if (values.length !== 1 || !value || shows.some((piece) => 'fact' in piece)) return null;
  const at = shows.indexOf(value);
  const words = (pieces: readonly CellPiece[]) => pieces.map((piece) => ('words' in piece ? piece.words : '')).join('');
  const wide = isWide(value.from) ? { 'drawing set': place.set, project: place.project, company: place.company }[value.from] : null;
  const file = isWide(value.from) ? (wide === null ? null : -wide) : value.from === 'model' ? place.model : place.file;
  if (file === null) return null;
  return {
    file,
    holder: value.from === 'sheet' ? place.holder : '',
    property: value.property,
    before: words(shows.slice(0, at)),
    behind: words(shows.slice(at + 1)),
  };
}

/** The value in a cell's text, without fixed text; `null` if the fixed text is missing. */
export function valueInside(text: string, { before, behind }: Pick<CellOwner, 'before' | 'behind'>): string | null {
  if (text.length < before.length + behind.length || !text.startsWith(before) || !text.endsWith(behind)) return null;
  return text.slice(before.length, text.length - behind.length);
}

/** A cell text whose owner is blank. */
export interface LooseText {
  readonly drawing: number;
  readonly holder: string;
  readonly tag: string;
  readonly text: string;
  readonly owner: CellOwner;
}

/** Values to adopt from texts, and refused texts with reasons. */
export interface TakenUp {
  readonly values: readonly { readonly file: number; readonly holder: string; readonly property: number; readonly text: string }[];
  readonly conflicts: readonly (LooseText & { readonly why: string })[];
}

/**
 * Values for owners from texts found only in title blocks. Texts of one owner must agree; contradictions are refused.
 * @param refuse why a text is invalid for its property; `null` if valid
 */
export function takeUp(texts: readonly LooseText[], refuse: (text: string, property: number, file: number) => string | null): TakenUp {
  const conflicts: (LooseText & { readonly why: string })[] = [];
  const byOwner = new Map<string, { readonly loose: LooseText; readonly value: string }[]>();
  for (const loose of texts) {
    const { owner } = loose;
    const inside = valueInside(loose.text, owner);
    const value = inside?.trim() ?? '';
    if (value === '') {
      conflicts.push({ ...loose, why: `It is not between the words “${owner.before}…${owner.behind}”.` });
      continue;
    }
    const why = refuse(value, owner.property, owner.file);
    if (why !== null) {
      conflicts.push({ ...loose, why });
      continue;
    }
    const key = JSON.stringify([owner.file, owner.holder, owner.property]);
    byOwner.set(key, [...(byOwner.get(key) ?? []), { loose, value }]);
  }
  const values: TakenUp['values'][number][] = [];
  for (const group of byOwner.values()) {
    const said = [...new Set(group.map(({ value }) => value))];
    const [{ loose, value }] = group as [(typeof group)[number]];
    if (said.length === 1) values.push({ file: loose.owner.file, holder: loose.owner.holder, property: loose.owner.property, text: value });
    else
      for (const { loose: one } of group)
        conflicts.push({ ...one, why: `Sheets show different texts for the same value: ${said.map((text) => `“${text}”`).join(', ')}.` });
  }
  return { values, conflicts };
}
