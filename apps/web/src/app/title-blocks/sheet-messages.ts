import { CellOnSheet, TextOnSheet } from '@rule/core/drawing';
import { Point } from '@rule/core/files';
import { Box } from '@rule/core/lettering';
import { Inks, Look, ShownText, Size } from './painter';

/** A cell on the sheet, in drawing units. */
export interface SheetCell extends Omit<CellOnSheet, 'corners'> {
  readonly corners: readonly Point[];
}

/** A plain text on the sheet, in drawing units. */
export interface SheetText extends Omit<TextOnSheet, 'corners'> {
  readonly corners: readonly Point[];
}

/** Messages to the drawing worker. */
export type ToSheet =
  | { readonly do: 'canvas'; readonly canvas: OffscreenCanvas }
  /** `n` counts what was asked for, so that late answers are known. */
  | { readonly do: 'open'; readonly n: number; readonly file: number; readonly layout: string; readonly holder: string }
  | { readonly do: 'look'; readonly look: Look; readonly size: Size; readonly inks: Inks }
  | { readonly do: 'texts'; readonly texts: readonly ShownText[] };

/** Messages from it. */
export type FromSheet =
  | {
      readonly is: 'opened';
      readonly n: number;
      readonly extent: Box;
      /** The block's area; `null` if nested. */
      readonly focus: Box | null;
      readonly cells: readonly SheetCell[];
      readonly texts: readonly SheetText[];
      readonly left: Readonly<Record<string, number>>;
      readonly cut: boolean;
    }
  | { readonly is: 'failed'; readonly n: number; readonly message: string }
  | { readonly is: 'painted'; readonly milliseconds: number };
