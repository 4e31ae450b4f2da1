import { Line } from '../changes';
import { Property, judge } from '../schema';
import { HeldValue, StandIns, heldText, showValue } from '../values';

/** Where the value that a cell shows comes from: the drawing itself, or the model that it shows. */
export type CellSource = 'drawing' | 'model';

/** How a cell writes its value. */
export type CellFormat = 'plain' | 'with unit' | 'upper case';

/** What one cell of a title block shows. */
export interface Binding {
  readonly block: string;
  readonly tag: string;
  readonly propertyId: number;
  readonly source: CellSource;
  readonly format: CellFormat;
}

/** What a cell shows, or why it shows nothing. */
export type CellText =
  | { readonly state: 'value'; readonly text: string }
  | { readonly state: 'blank'; readonly placeholder: string; readonly why: string }
  | { readonly state: 'no-model'; readonly placeholder: string; readonly why: string };

/** Writes a held value as a cell shows it. Values that are none of their type are shown as they stand. */
export function cellText(held: HeldValue | null, property: Property, format: CellFormat, standIns: StandIns): CellText {
  const cell = judge(held, property, standIns);
  switch (cell.state) {
    case 'blank':
      return { state: 'blank', placeholder: property.placeholder, why: `no value under ${JSON.stringify(property.writtenName)}` };
    case 'stand-in':
      return { state: 'blank', placeholder: property.placeholder, why: `${JSON.stringify(cell.text)} only stands in for a value` };
    case 'unreadable':
      return { state: 'value', text: cell.text };
    case 'value': {
      const text = showValue(cell.value, property, format === 'with unit');
      return { state: 'value', text: format === 'upper case' ? text.toUpperCase() : text };
    }
  }
}

/** One cell of one drawing as it stands and as its binding would have it. */
export interface BoundCell {
  readonly drawing: number;
  readonly holder: string;
  readonly tag: string;
  /** The text in the file; `null` when the drawing's block lacks the cell. */
  readonly stored: string | null;
  readonly shown: CellText;
}

/** Whether a stored text differs from what the binding shows. A blank asks for an empty cell; a missing model asks for nothing. */
export const isStale = ({ stored, shown }: BoundCell): boolean =>
  stored !== null && shown.state !== 'no-model' && stored !== (shown.state === 'value' ? shown.text : '');

/** The lines that bring stale cells up to date. */
export const cellLines = (cells: readonly BoundCell[], reason: string, follows: boolean): Line[] =>
  cells.filter(isStale).map(({ drawing, holder, tag, stored, shown }) => ({
    address: { file: drawing, holder, place: 'cell', name: tag },
    base: heldText(stored!),
    proposed: heldText(shown.state === 'value' ? shown.text : ''),
    reason,
    follows,
  }));
