import { Line } from '../changes';
import { LetteringAspect, letteringName, plainNumber } from '../files';
import { Fit, FitCell, FitRule, Lettering, PLAIN_FIT, agrees, fitOf, fontFor, heightText, styleName } from '../lettering';
import { CellFact, CellForm, CellPiece, Property, judge } from '../schema';
import { HeldValue, StandIns, heldText } from '../values';
import { dateText, formed, lettered } from './form';

/** A cell's content, or why it is empty. */
export type CellText =
  | { readonly state: 'value'; readonly text: string }
  | { readonly state: 'blank'; readonly placeholder: string; readonly why: string }
  | { readonly state: 'no model'; readonly placeholder: string; readonly why: string };

/** Formats a held value for a cell. Values invalid for their type are shown unchanged. */
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

/** Formats a fact for a cell. */
export function factText(text: string | null, fact: CellFact, form: CellForm): CellText {
  if (text === null || text === '') return { state: 'blank', placeholder: '', why: `the ${fact} is not known` };
  const isDate = fact === 'date made' || fact === 'date saved';
  return { state: 'value', text: lettered(isDate && form.date !== undefined ? dateText(text, form) : text, form) };
}

/**
 * Joins the pieces of a cell. Text before the first value goes with it, text after the last with that one, and text between two values
 * needs both. If any piece lacks its model, the content is unknown.
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

/** States of a bound cell. */
export const CELL_STATES = ['right', 'stale', 'does not fit', 'blank', 'would be erased', 'fixed', 'computed', 'lacking', 'no model'] as const;
export type CellState = (typeof CELL_STATES)[number];

/** Display names of the states. */
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

/** A cell as found in a drawing. */
export interface StandingCell {
  /** Its text; `null` if the drawing lacks a cell its block defines. */
  readonly stored: string | null;
  /** `constant`, or the data source by which the drawing computes the text; `null` for ordinary cells. */
  readonly fixed: string | null;
}

/** How drawing readers mark a constant cell. */
export const CONSTANT = 'constant';

/** Lettering of a cell on its sheet, if its block tells the available room. */
export interface LetteredCell extends FitCell {
  readonly rule: FitRule;
  /** Display unit of heights, and the drawing unit's length in it. */
  readonly unit: 'in' | 'mm';
  readonly perUnit: number;
  /** Height and width factor in the block definition: the defaults. */
  readonly defined: Lettering;
  /** As in the drawing, without pending changes. */
  readonly held: Lettering;
}

/** How the text fits with its current lettering. */
export interface CellFit extends Fit {
  readonly height: number;
  readonly widthFactor: number;
  readonly unit: 'in' | 'mm';
  readonly perUnit: number;
  readonly defined: Lettering;
  readonly held: Lettering;
  /** Whether widths are the drawing's own font's; otherwise an estimate. */
  readonly exact: boolean;
  /** The drawing's font. */
  readonly font: string;
}

/** Measures a cell's intended text. */
export function fitOfCell(text: string, cell: LetteredCell): CellFit {
  const { height, widthFactor, unit, perUnit, defined, held, style } = cell;
  const { ratio, needs, has, remedy } = fitOf(text, cell, cell.rule);
  // Field by field: object spread costs more than measuring.
  return { ratio, needs, has, remedy, height, widthFactor, unit, perUnit, defined, held, exact: fontFor(style).exact, font: styleName(style) };
}

/** Whether text exceeds its cell. */
export const tooLong = (fit: Pick<Fit, 'ratio'> | null): boolean => fit !== null && fit.ratio !== null && fit.ratio > 1.001;

/**
 * The state of a cell that should show something. A blank source never counts against existing text: clearing is an explicit decision.
 * Permitted shorter forms are correct.
 * @param fit of the intended text, if measurable
 */
export function cellState({ stored, fixed }: StandingCell, shown: CellText, fit: Fit | null = null, rule: FitRule = PLAIN_FIT): CellState {
  if (fixed !== null) return fixed === CONSTANT ? 'fixed' : 'computed';
  if (shown.state === 'no model') return 'no model';
  if (stored === null) return 'lacking';
  if (shown.state === 'blank') return stored.trim() === '' ? 'blank' : 'would be erased';
  if (stored === shown.text) return tooLong(fit) ? 'does not fit' : 'right';
  return agrees(stored, shown.text, rule) ? 'right' : 'stale';
}

/** A bound cell of a drawing, actual and intended. */
export interface BoundCell extends StandingCell {
  readonly drawing: number;
  readonly holder: string;
  readonly tag: string;
  readonly binding: number;
  readonly shown: CellText;
  readonly state: CellState;
  /** How the intended text fits; `null` if unknown. */
  readonly fit: CellFit | null;
  /** Its single value as held; `null` if blank, or if the cell shows several or none. */
  readonly value: HeldValue | null;
}

/** Which cells to put in order: stale, missing, too long, or, by explicit decision, those to be cleared. */
export type CellWish = 'stale' | 'lacking' | 'does not fit' | 'would be erased';

/** Data needed to put a cell in order. */
export type OrderedCell = Pick<BoundCell, 'drawing' | 'holder' | 'tag' | 'stored' | 'shown' | 'state'> & Partial<Pick<BoundCell, 'fit'>>;

/** Changes that put cells in order; none for correct cells or those no change can fix. */
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

/** Changes that make text fit: height, width factor, or a shorter form. */
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
            // The block's own definition is not a value of the sheet.
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

/** The remedy in words: `3/32" high instead of 1/8"`. */
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
