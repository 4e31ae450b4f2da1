import { Line } from '../changes';
import { LetteringAspect, letteringName, plainNumber } from '../files';
import { Fit, FitCell, FitRule, Lettering, PLAIN_FIT, agrees, fitOf, fontFor, heightText, styleName } from '../lettering';
import { CellFact, CellForm, CellPiece, Property, judge } from '../schema';
import { HeldValue, StandIns, heldText } from '../values';
import { dateText, formed, lettered } from './form';

/** What a cell shows, or why it shows nothing. */
export type CellText =
  | { readonly state: 'value'; readonly text: string }
  | { readonly state: 'blank'; readonly placeholder: string; readonly why: string }
  | { readonly state: 'no model'; readonly placeholder: string; readonly why: string };

/** Writes a held value as a cell shows it. Values that are none of their type are shown as they stand. */
export function cellText(held: HeldValue | null, property: Property, form: CellForm, standIns: StandIns): CellText {
  const cell = judge(held, property, standIns);
  switch (cell.state) {
    case 'blank':
      return { state: 'blank', placeholder: property.placeholder, why: `${property.caption} is blank` };
    case 'stand-in':
      return { state: 'blank', placeholder: property.placeholder, why: `${JSON.stringify(cell.text)} is only a stand-in of ${property.caption}` };
    case 'unreadable':
      return { state: 'value', text: lettered(cell.text, form) };
    case 'value':
      return { state: 'value', text: formed(cell.value, property, form) };
  }
}

/** Writes a fact as a cell shows it. */
export function factText(text: string | null, fact: CellFact, form: CellForm): CellText {
  if (text === null || text === '') return { state: 'blank', placeholder: '', why: `the ${fact} is not known` };
  const isDate = fact === 'date made' || fact === 'date saved';
  return { state: 'value', text: lettered(isDate && form.date !== undefined ? dateText(text, form) : text, form) };
}

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
export const CELL_STATES = ['right', 'stale', 'does not fit', 'blank', 'would be erased', 'fixed', 'computed', 'lacking', 'no model'] as const;
export type CellState = (typeof CELL_STATES)[number];

/** Words for the state of a cell, as people read them. */
export const CELL_STATE_WORDS: Readonly<Record<CellState, string>> = {
  right: 'shows what it should',
  stale: 'stale',
  'does not fit': 'too long',
  blank: 'blank',
  'would be erased': 'would be erased',
  fixed: 'fixed in the block',
  computed: 'computed by the drawing',
  lacking: 'lacking in the drawing',
  'no model': 'no model',
};

/** How a cell of a drawing is there. */
export interface StandingCell {
  /** Its text; `null` when the drawing lacks the cell that its block defines. */
  readonly stored: string | null;
  /** `constant`, or the request by which the drawing computes the text; `null` for an ordinary cell. */
  readonly fixed: string | null;
}

/** The word that readers of drawings use for a constant cell. */
export const CONSTANT = 'constant';

/** How a cell is lettered on its sheet, where the block says what room it has. */
export interface LetteredCell extends FitCell {
  readonly rule: FitRule;
  /** The unit that its heights are told in, and the length of a drawing unit in it. */
  readonly unit: 'in' | 'mm';
  readonly perUnit: number;
  /** Its height and width factor as the block defines them: what is there without a value of its own. */
  readonly defined: Lettering;
  /** Those that the drawing holds, without what waits in a tray. */
  readonly held: Lettering;
}

/** How the text of a cell fits, with the lettering as it stands. */
export interface CellFit extends Fit {
  readonly height: number;
  readonly widthFactor: number;
  readonly unit: 'in' | 'mm';
  readonly perUnit: number;
  readonly defined: Lettering;
  readonly held: Lettering;
  /** Whether the widths are those of the drawing's own font; otherwise the measure is an estimate. */
  readonly exact: boolean;
  /** The font that the drawing names. */
  readonly font: string;
}

/** Measures the text that a cell would show. */
export function fitOfCell(text: string, cell: LetteredCell): CellFit {
  const { height, widthFactor, unit, perUnit, defined, held, style } = cell;
  const { ratio, needs, has, remedy } = fitOf(text, cell, cell.rule);
  // Written out: copying what is measured costs more than measuring it.
  return { ratio, needs, has, remedy, height, widthFactor, unit, perUnit, defined, held, exact: fontFor(style).exact, font: styleName(style) };
}

/** Whether a text is wider than its cell. */
export const tooLong = (fit: Pick<Fit, 'ratio'> | null): boolean => fit !== null && fit.ratio !== null && fit.ratio > 1.001;

/**
 * What is the matter with a cell that should show something. A blank that should be shown never counts against a text that is there:
 * emptying it is a decision of its own. An agreed shorter form of the text is what it should be.
 *
 * @param fit of the text that the cell would show, where that can be measured
 */
export function cellState({ stored, fixed }: StandingCell, shown: CellText, fit: Fit | null = null, rule: FitRule = PLAIN_FIT): CellState {
  if (fixed !== null) return fixed === CONSTANT ? 'fixed' : 'computed';
  if (shown.state === 'no model') return 'no model';
  if (stored === null) return 'lacking';
  if (shown.state === 'blank') return stored.trim() === '' ? 'blank' : 'would be erased';
  if (stored === shown.text) return tooLong(fit) ? 'does not fit' : 'right';
  return agrees(stored, shown.text, rule) ? 'right' : 'stale';
}

/** One bound cell of one drawing as it stands and as its binding would have it. */
export interface BoundCell extends StandingCell {
  readonly drawing: number;
  readonly holder: string;
  readonly tag: string;
  readonly binding: number;
  readonly shown: CellText;
  readonly state: CellState;
  /** How the text that it would show fits; `null` where nothing can be said. */
  readonly fit: CellFit | null;
  /** The one value that it shows, as it is kept; `null` where it is blank, or the cell shows several or none. */
  readonly value: HeldValue | null;
}

/** Which cells someone wants put in order: stale ones, those that the drawing lacks, those whose text is too long, or, by a decision of its own, those that would be erased. */
export type CellWish = 'stale' | 'lacking' | 'does not fit' | 'would be erased';

/** What of a cell has to be known to put it in order. */
export type OrderedCell = Pick<BoundCell, 'drawing' | 'holder' | 'tag' | 'stored' | 'shown' | 'state'> & Partial<Pick<BoundCell, 'fit'>>;

/** The lines that put cells in order. Cells that already show what they should, and all that no line can change, give none. */
export const cellLines = (cells: readonly OrderedCell[], wishes: readonly CellWish[], reason: string, follows: boolean): Line[] =>
  cells.flatMap((cell): Line[] => {
    const { state, shown } = cell;
    const text =
      (wishes as readonly string[]).includes(state) && state !== 'does not fit' && (state !== 'lacking' || shown.state === 'value')
        ? [textLine(cell, shown.state === 'value' ? shown.text : '', reason, follows)]
        : [];
    if (!wishes.includes('does not fit') || (state !== 'does not fit' && state !== 'stale')) return text;
    return [...text, ...fitLines(cell, reason, follows)];
  });

const textLine = ({ drawing, holder, tag, stored }: OrderedCell, text: string, reason: string, follows: boolean): Line => ({
  address: { file: drawing, holder, place: 'cell', name: tag },
  base: stored === null ? null : heldText(stored),
  proposed: heldText(text),
  reason,
  follows,
});

/** The lines that make the text of a cell fit: its height, its width factor, or a shorter form of it. */
function fitLines(cell: OrderedCell, reason: string, follows: boolean): Line[] {
  const { fit, drawing, holder, tag, shown } = cell;
  if (!fit?.remedy || shown.state !== 'value') return [];
  const { remedy, defined, held } = fit;
  const line = (aspect: LetteringAspect, now: number, to: number, stored: number, usual: number): Line[] =>
    now === to
      ? []
      : [
          {
            address: { file: drawing, holder, place: 'lettering', name: letteringName(tag, aspect) },
            // What is as the block defines it is not a value of the sheet.
            base: same(stored, usual) ? null : heldText(plainNumber(stored)),
            proposed: same(to, usual) ? null : heldText(plainNumber(to)),
            reason,
            follows,
          },
        ];
  return [
    ...line('height', fit.height, remedy.height, held.height, defined.height),
    ...line('width factor', fit.widthFactor, remedy.widthFactor, held.widthFactor, defined.widthFactor),
    ...(remedy.text === shown.text ? [] : [textLine(cell, remedy.text, reason, follows)]),
  ];
}

const same = (a: number, b: number): boolean => Math.abs(a - b) <= 1e-4 * Math.abs(b);

/** What makes a text fit, in words: `3/32" high instead of 1/8"`. */
export function remedyWords({ remedy, height, unit, perUnit, widthFactor }: Pick<CellFit, 'remedy' | 'height' | 'unit' | 'perUnit' | 'widthFactor'>): string {
  if (!remedy) return '';
  const tell = (n: number) => heightText(n * perUnit, unit);
  return remedy.by
    .map((step) => {
      switch (step) {
        case 'lower height':
          return `${tell(remedy.height)} high instead of ${tell(height)}`;
        case 'narrower letters':
          return `letters ${Number(remedy.widthFactor.toFixed(2))} wide instead of ${Number(widthFactor.toFixed(2))}`;
        case 'second line':
          return `in ${remedy.text.split('\n').length} lines`;
        case 'abbreviations':
          return `as “${remedy.text}”`;
      }
    })
    .join(', ');
}
