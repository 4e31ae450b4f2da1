import { BlockReading, FileProblem, InsertReading, OwnLettering, Point, SheetReading } from '../contract';
import { DrawingText } from './anchors';
import { SheetText } from './plain-cells';
import { DxfIndex } from './scan';
import { DxfText } from './text';

/** A DXF file with group indexes for writing. */
export interface DxfContent {
  readonly index: DxfIndex;
  readonly version: string;
  readonly text: DxfText;
  /** Document properties: indexes of the groups `9 $CUSTOMPROPERTYTAG`, `1 name`, `9 $CUSTOMPROPERTY`, `1 value`. */
  readonly properties: readonly { readonly name: string; readonly value: string; readonly first: number; readonly valueAt: number }[];
  /** Index of the header's ENDSEC; -1 if none. */
  readonly headerEnd: number;
  readonly fields: readonly { readonly name: string; readonly value: string; readonly valueAt: number }[];
  readonly blocks: readonly BlockContent[];
  readonly inserts: readonly InsertContent[];
  /** Plain texts of all layouts. */
  readonly texts: readonly DrawingText[];
  readonly sheets: readonly SheetReading[];
  /** Index of the value of `$HANDSEED`; -1 if none. */
  readonly handleSeedAt: number;
  /** Its value; empty if none. */
  readonly nextHandle: string;
  readonly problems: readonly FileProblem[];
}

/** A block with raw data for adding attributes. */
export interface BlockContent extends BlockReading {
  readonly base: Point;
  /** Raw attribute definitions, in the order of `cells`. */
  readonly definitions: readonly {
    /** Original tag; may repeat. */
    readonly tag: string;
    /** Handle, if any. */
    readonly handle: string | undefined;
    readonly layer: string;
    /** Colour number; `undefined` for by layer. */
    readonly colour: string | undefined;
    readonly trueColour: string | undefined;
    readonly lineType: string | undefined;
    /** Oblique angle in degrees. */
    readonly oblique: number;
    readonly style: string;
    readonly flags: string;
    readonly align: string;
    readonly valign: string;
    /** Height and width factor as written; width factor may be absent. */
    readonly height: string | undefined;
    readonly widthFactor: string | undefined;
    readonly first: Point;
    readonly second: Point;
  }[];
}

/** A cell of an insert. `valueAt` is -1 for constants. */
export interface CellContent {
  readonly tag: string;
  readonly text: string;
  readonly valueAt: number;
  /** Indexes of text groups in a multi-line attribute's MTEXT. */
  readonly inner: readonly number[];
  readonly fixed?: string;
  /** Indexes of height and width factor; -1 if absent. */
  readonly heightAt: number;
  readonly widthAt: number;
  /** Index of the height inside multi-line text. */
  readonly innerHeightAt: number;
  readonly lettering: { readonly height: number; readonly widthFactor: number; readonly at: Point } | null;
  /** Lettering of a label; its block says that of the first one of its name. */
  readonly place?: SheetText<unknown>['place'];
  /** Handle of a plain text, and whether it is an MTEXT. */
  readonly textHandle?: string | undefined;
  readonly paragraph?: boolean;
}

export interface InsertContent extends Omit<InsertReading, 'scale'> {
  readonly own: Readonly<Record<string, OwnLettering>>;
  readonly cells: readonly CellContent[];
  readonly handle: string | undefined;
  readonly layer: string;
  readonly at: Point;
  readonly scale: Point;
  readonly rotation: number;
  readonly inPaper: boolean;
  /** Indexes of the insert's first group, its block name, and the place for new attributes. */
  readonly from: number;
  readonly nameAt: number;
  readonly attributesEnd: number;
  /** Index after the insert. */
  readonly end: number;
  readonly hasAttributes: boolean;
}
