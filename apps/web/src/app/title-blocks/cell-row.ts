import { BlockCell, BlockRow, BlockView, OwnedValue } from '@rule/contract';
import { sameDefinition } from '@rule/core/schema';
import { BoundCell, CELL_STATE_WORDS, CellFit, CellState, remedyWords, tooLong } from '@rule/core/titleblocks';
import { ShownText } from './painter';
import { CellMark } from './sheet-view';

/** States in the order in which someone wants to know of them. */
export const SHOWN_STATES: readonly CellState[] = ['stale', 'does not fit', 'would be erased', 'lacking', 'no model', 'blank', 'computed', 'fixed', 'right'];

/** States in a word, for narrow places. */
export const SHORT: Readonly<Partial<Record<CellState, string>>> = { right: 'right', 'does not fit': 'too long', 'would be erased': 'to empty' };

/** A cell of the family that is worked on, with what it is on the sheet that is shown. */
export interface CellRow extends BlockCell {
  readonly stored: string | null;
  readonly fixed: string | null;
  readonly bound: BoundCell | null;
  readonly owner: OwnedValue | null;
  /** What it would show; empty where nothing. */
  readonly would: string;
  readonly why: string;
  readonly tooLong: boolean;
  readonly fitWords: string;
  readonly remedy: string;
  /** What its binding says, in words. */
  readonly words: string;
  readonly inDraft: boolean;
  /** The first property that it shows. */
  readonly property: number | null;
  /** How it is on all sheets, in words. */
  readonly counts: string;
}

/** The cells of a family, with what each is on a sheet. @param wordsOf what a cell shows, in words */
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

/** How a text fits, in words. */
function fitWords({ ratio, needs, has, perUnit, unit, exact, font }: CellFit): string {
  if (ratio === null || has === null) return '';
  const tell = (n: number) => (unit === 'in' ? `${Number((n * perUnit).toPrecision(3))}"` : `${Number((n * perUnit).toPrecision(3))} mm`);
  return `${ratio > 1.001 ? 'Too long: it' : 'It'} takes ${tell(needs)} of ${tell(has)}${exact ? '' : `, measured with a font near to ${font}`}.`;
}

/** How a cell is drawn where that is not what it holds. */
export function shownText(holder: string, { tag, stored, bound }: BlockView['cells'][number]): ShownText[] {
  if (bound?.fixed !== null || stored === null) return [];
  const { fit } = bound;
  const lettering = fit ? { higher: fit.height / fit.held.height, wider: fit.widthFactor / fit.held.widthFactor } : { higher: 1, wider: 1 };
  if (bound.shown.state !== 'value')
    return stored.trim() === '' && bound.shown.placeholder ? [{ holder, tag, text: `‹${bound.shown.placeholder}›`, tone: 'placeholder', ...lettering }] : [];
  const text = bound.state === 'right' ? stored : bound.shown.text;
  return [{ holder, tag, text, tone: tooLong(fit) ? 'too long' : bound.state === 'stale' ? 'changed' : 'kept', ...lettering }];
}

/** How a cell is marked on the sheet. */
export const markOf = (row: CellRow): CellMark => ({ tag: row.tag, label: labelOf(row), tone: toneOf(row.bound) });

function toneOf(bound: BoundCell | null): CellMark['tone'] {
  if (!bound) return '';
  if (tooLong(bound.fit)) return 'too-long';
  return bound.state === 'stale' ? 'stale' : bound.state === 'lacking' ? 'lacking' : bound.state === 'no model' ? 'bad' : '';
}

/** What is read out of a cell: its text, and what is the matter with it. */
function labelOf({ tag, would, stored, bound }: CellRow): string {
  const text = would || stored || '';
  const placeholder = text === '' && bound && bound.shown.state !== 'value' ? bound.shown.placeholder : '';
  const matter = bound && bound.state !== 'right' && bound.state !== 'blank' ? CELL_STATE_WORDS[bound.state] : '';
  return [`Cell ${tag}: ${text || 'blank'}`, placeholder ? `placeholder ${placeholder}` : '', matter].filter(Boolean).join(', ');
}
