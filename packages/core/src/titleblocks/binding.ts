import { Line } from '../changes';
import { CellForm, CellPiece, Property, judge } from '../schema';
import { HeldValue, StandIns, heldText, showValue } from '../values';

/** What a cell shows, or why it shows nothing. */
export type CellText =
  | { readonly state: 'value'; readonly text: string }
  | { readonly state: 'blank'; readonly placeholder: string; readonly why: string }
  | { readonly state: 'no model'; readonly placeholder: string; readonly why: string };

const lettered = (text: string, { letters }: CellForm): string =>
  letters === 'capitals' ? text.toUpperCase() : letters === 'small letters' ? text.toLowerCase() : text;

/** Writes a held value as a cell shows it. Values that are none of their type are shown as they stand. */
export function cellText(held: HeldValue | null, property: Property, form: CellForm, standIns: StandIns): CellText {
  const cell = judge(held, property, standIns);
  switch (cell.state) {
    case 'blank':
      return { state: 'blank', placeholder: property.placeholder, why: `${property.caption} is blank` };
    case 'stand-in':
      return { state: 'blank', placeholder: property.placeholder, why: `${JSON.stringify(cell.text)} only stands in for a value of ${property.caption}` };
    case 'unreadable':
      return { state: 'value', text: lettered(cell.text, form) };
    case 'value':
      return { state: 'value', text: lettered(showValue(cell.value, property, form.unit), form) };
  }
}

/** Writes a fact as a cell shows it. */
export const factText = (text: string | null, fact: string, form: CellForm): CellText =>
  text === null || text === '' ? { state: 'blank', placeholder: '', why: `nothing says the ${fact}` } : { state: 'value', text: lettered(text, form) };

/**
 * Joins the pieces of a composed text. Words before the first value belong to it, those behind the last one to that, and words between two
 * values stand only where both are there. Where any piece has no model to come from, nothing can be said of the whole.
 */
export function composed(pieces: readonly CellPiece[], textOf: (piece: Exclude<CellPiece, { readonly words: string }>) => CellText): CellText {
  const texts = pieces.map((piece) => ('words' in piece ? piece.words : textOf(piece)));
  const values = texts.filter((text): text is CellText => typeof text !== 'string');
  const lost = values.find((text) => text.state === 'no model');
  if (lost) return lost;
  if (values.length > 0 && values.every((text) => text.state !== 'value')) return values[0]!;
  const has = (text: CellText | string | undefined): boolean => text === undefined || typeof text === 'string' || text.state === 'value';
  let whole = '';
  for (const [i, text] of texts.entries()) {
    if (typeof text !== 'string') whole += text.state === 'value' ? text.text : '';
    else if (has(texts.slice(0, i).findLast((other) => typeof other !== 'string')) && has(texts.slice(i + 1).find((other) => typeof other !== 'string')))
      whole += text;
  }
  return { state: 'value', text: whole };
}

/** What can be the matter with a bound cell. */
export const CELL_STATES = ['right', 'stale', 'blank', 'would be erased', 'fixed', 'computed', 'lacking', 'no model'] as const;
export type CellState = (typeof CELL_STATES)[number];

/** Words for the state of a cell, as people read them. */
export const CELL_STATE_WORDS: Readonly<Record<CellState, string>> = {
  right: 'shows what it should',
  stale: 'stale',
  blank: 'blank',
  'would be erased': 'would be erased',
  fixed: 'fixed in the block',
  computed: 'computed by the drawing',
  lacking: 'lacking in the drawing',
  'no model': 'no model',
};

/** How a cell of a drawing stands there. */
export interface StandingCell {
  /** Its text; `null` when the drawing lacks the cell that its block defines. */
  readonly stored: string | null;
  /** `constant`, or the request by which the drawing computes the text; `null` for an ordinary cell. */
  readonly fixed: string | null;
}

/** The word that readers of drawings use for a constant cell. */
export const CONSTANT = 'constant';

/** What is the matter with a cell that should show something. A blank that should be shown never counts against a text that stands there: emptying it is a decision of its own. */
export function cellState({ stored, fixed }: StandingCell, shown: CellText): CellState {
  if (fixed !== null) return fixed === CONSTANT ? 'fixed' : 'computed';
  if (shown.state === 'no model') return 'no model';
  if (stored === null) return 'lacking';
  if (shown.state === 'blank') return stored.trim() === '' ? 'blank' : 'would be erased';
  return stored === shown.text ? 'right' : 'stale';
}

/** One bound cell of one drawing as it stands and as its binding would have it. */
export interface BoundCell extends StandingCell {
  readonly drawing: number;
  readonly holder: string;
  readonly tag: string;
  readonly binding: number;
  readonly shown: CellText;
  readonly state: CellState;
}

/** Which cells somebody wants put in order: stale ones, those that the drawing lacks, or, by a decision of its own, those that would be erased. */
export type CellWish = 'stale' | 'lacking' | 'would be erased';

/** The lines that put cells in order. Cells that already show what they should, and all that no line can change, give none. */
export const cellLines = (
  cells: readonly Pick<BoundCell, 'drawing' | 'holder' | 'tag' | 'stored' | 'shown' | 'state'>[],
  wishes: readonly CellWish[],
  reason: string,
  follows: boolean,
): Line[] =>
  cells
    .filter(({ state, shown }) => (wishes as readonly string[]).includes(state) && (state !== 'lacking' || shown.state === 'value'))
    .map(({ drawing, holder, tag, stored, shown }) => ({
      address: { file: drawing, holder, place: 'cell', name: tag },
      base: stored === null ? null : heldText(stored),
      proposed: heldText(shown.state === 'value' ? shown.text : ''),
      reason,
      follows,
    }));
