import { Point } from '../files';
import { TextStyle, Box } from '../lettering';
import { Matrix } from './matrix';
import { SetLine } from './texts';

/** Polylines with one pen: vertices (x, y) in sequence, and the start of each line. */
export interface PenLines {
  /** Width in millimetres. */
  readonly weight: number;
  /** Dashes and gaps in drawing units; empty for solid. */
  readonly dashes: readonly number[];
  readonly points: Float32Array;
  /** Index of each line's first vertex. */
  readonly starts: Uint32Array;
}

/** Filled areas with one or more outlines (even-odd). */
export interface Fill {
  readonly tone: 'ink' | 'light' | 'paper';
  readonly points: Float32Array;
  readonly starts: Uint32Array;
}

/** A line of text. */
export interface PictureText extends SetLine {
  readonly style: TextStyle;
  /** Its attribute, if it is one: holder key and tag. */
  readonly cell: { readonly handle: string; readonly tag: string } | null;
  /** Handle of the text; `''` if none or inside a block. */
  readonly handle: string;
}

/** Items drawn together. Coordinates are relative to the picture's origin. */
export interface Layer {
  readonly lines: readonly PenLines[];
  readonly fills: readonly Fill[];
  readonly texts: readonly PictureText[];
}

/** A viewport: transformation of model coordinates, and clipping rectangle. */
export interface View {
  readonly matrix: Matrix;
  readonly clip: Box;
}

/** A sheet ready to draw. */
export interface SheetPicture {
  /** Origin of all coordinates, as drawings may be far from zero. */
  readonly origin: Point;
  /** Contents relative to the origin. */
  readonly extent: Box;
  /** Millimetres per drawing unit on paper, for line widths. */
  readonly millimetres: number;
  readonly sheet: Layer;
  /** The model, if there are viewports, with its own origin. */
  readonly model: Layer | null;
  readonly views: readonly View[];
  /** Items not drawn, counted by type. */
  readonly left: Readonly<Record<string, number>>;
  /** Whether the picture is incomplete. */
  readonly cut: boolean;
}
