import { BlockCell, BlockRow, BlockView, OwnedValue } from '@rule/contract';
import { sameDefinition } from '@rule/core/schema';
import { BoundCell, CELL_STATE_WORDS, CellFit, CellState, remedyWords, tooLong } from '@rule/core/titleblocks';
import { ShownText } from './painter';
import { CellMark } from './sheet-view';

/** States by relevance. */
export const SHOWN_STATES: readonly CellState[] = ['stale', 'does not fit', 'would be erased', 'lacking', 'no model', 'blank', 'computed', 'fixed', 'right'];

/** States in short. */
export const SHORT: Readonly<Partial<Record<CellState, string>>> = { right: 'right', 'does not fit': 'too long', 'would be erased': 'to empty' };

/** A cell of the family with its data on the displayed sheet. */
export interface CellRow extends BlockCell {
  readonly stored: string | null;
  readonly fixed: string | null;
  readonly bound: BoundCell | null;
  readonly owner: OwnedValue | null;
  /** Its target text; empty if none. */
  readonly would: string;
  readonly why: string;
  readonly tooLong: boolean;
  readonly fitWords: string;
  readonly remedy: string;
  /** Its binding in words. */
  readonly words: string;
  readonly inDraft: boolean;
  /** Its first property. */
  readonly property: number | null;
  /** Its states on all sheets, in words. */
  readonly counts: string;
}

/**
 * Cells of a family with their data on a sheet.
 * @param wordsOf describes what a cell shows
 */
export function cellRows(block: BlockRow | null, view: BlockView | null, wordsOf: (cell: BlockCell) => string): CellRow[] {
  return (block?.cells ?? []).map((cell) => {
    const shown = view?.cells.find((candidate) => candidate.tag === cell.tag);
    const bound = shown?.bound ?? null;
    const piece = (cell.drafted ?? cell.binding)?.shows.find((candidate) => 'property' in candidate);
    return {
      ...cell,
      stored: shown?.stored ?? null,
      fixed: shown?.fixed ?? null,
      bound,
      owner: shown?.owner ?? null,
      would: bound?.shown.state === 'value' ? bound.shown.text : '',
      why: bound && bound.shown.state !== 'value' ? bound.shown.why : '',
      tooLong: tooLong(bound?.fit ?? null),
      fitWords: bound?.fit ? fitWords(bound.fit) : '',
      remedy: bound?.fit ? remedyWords(bound.fit) : '',
      words: wordsOf(cell),
      inDraft: !sameDefinition(cell.binding, cell.drafted),
      property: piece && 'property' in piece ? piece.property : null,
      counts: SHOWN_STATES.flatMap((state) => (cell.states[state] ? [`${cell.states[state]} ${SHORT[state] ?? state}`] : [])).join(' · '),
    };
  });
}

/** Fit of a text in words. */
function fitWords({ ratio, needs, has, perUnit, unit, exact, font }: CellFit): string {
  if (ratio === null || has === null) return '';
  const tell = (n: number) => (unit === 'in' ? `${Number((n * perUnit).toPrecision(3))}"` : `${Number((n * perUnit).toPrecision(3))} mm`);
  return `${ratio > 1.001 ? 'Too long: it' : 'It'} takes ${tell(needs)} of ${tell(has)}${exact ? '' : `, measured with a font near to ${font}`}.`;
}

/** A cell's drawn text where it differs from the stored one. */
export function shownText(holder: string, { tag, stored, bound }: BlockView['cells'][number]): ShownText[] {
  if (bound?.fixed !== null || stored === null) return [];
  const { fit } = bound;
  const lettering = fit ? { higher: fit.height / fit.held.height, wider: fit.widthFactor / fit.held.widthFactor } : { higher: 1, wider: 1 };
  if (bound.shown.state !== 'value')
    return stored.trim() === '' && bound.shown.placeholder ? [{ holder, tag, text: `‹${bound.shown.placeholder}›`, tone: 'placeholder', ...lettering }] : [];
  const text = bound.state === 'right' ? stored : bound.shown.text;
  return [{ holder, tag, text, tone: tooLong(fit) ? 'too long' : bound.state === 'stale' ? 'changed' : 'kept', ...lettering }];
}

/** A cell's mark on the sheet. */
export const markOf = (row: CellRow): CellMark => ({ tag: row.tag, label: labelOf(row), tone: toneOf(row.bound) });

function toneOf(bound: BoundCell | null): CellMark['tone'] {
  if (!bound) return '';
  if (tooLong(bound.fit)) return 'too-long';
  return bound.state === 'stale' ? 'stale' : bound.state === 'lacking' ? 'lacking' : bound.state === 'no model' ? 'bad' : '';
}

/** A cell's accessible description: text and problem. */
function labelOf({ tag, would, stored, bound }: CellRow): string {
  const text = would || stored || '';
  const placeholder = text === '' && bound && bound.shown.state !== 'value' ? bound.shown.placeholder : '';
  const matter = bound && bound.state !== 'right' && bound.state !== 'blank' ? CELL_STATE_WORDS[bound.state] : '';
  return [`Cell ${tag}: ${text || 'blank'}`, placeholder ? `placeholder ${placeholder}` : '', matter].filter(Boolean).join(', ');
}
