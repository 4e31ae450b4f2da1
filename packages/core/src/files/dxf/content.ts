import { BlockReading, FileProblem, InsertReading, OwnLettering, Point, SheetReading } from '../contract';
import { DxfIndex } from './scan';
import { DxfText } from './text';

/** A DXF file with the positions of the groups that writing needs. */
export interface DxfContent {
  readonly index: DxfIndex;
  readonly version: string;
  readonly text: DxfText;
  /** Document properties: positions of the pairs `9 $CUSTOMPROPERTYTAG`, `1 name`, `9 $CUSTOMPROPERTY`, `1 value`. */
  readonly properties: readonly { readonly name: string; readonly value: string; readonly first: number; readonly valueAt: number }[];
  /** Position of the `ENDSEC` that closes the header; -1 when the file has no header. */
  readonly headerEnd: number;
  readonly fields: readonly { readonly name: string; readonly value: string; readonly valueAt: number }[];
  readonly blocks: readonly BlockContent[];
  readonly inserts: readonly InsertContent[];
  readonly sheets: readonly SheetReading[];
  /** Position of the value of `$HANDSEED`, the next free handle; -1 when the file has none. */
  readonly handleSeedAt: number;
  /** That value; empty when the file has none. */
  readonly nextHandle: string;
  readonly problems: readonly FileProblem[];
}

/** A block with what is needed to give an insert an attribute that it lacks. */
export interface BlockContent extends BlockReading {
  readonly base: Point;
  /** Raw values of the attribute definitions, in the order of `cells`. */
  readonly definitions: readonly {
    /** As the block has it: two may have the same. */
    readonly tag: string;
    /** Its handle, where the drawing has handles. */
    readonly handle: string | undefined;
    readonly layer: string;
    /** Number of its colour; `undefined` where it takes that of its layer. */
    readonly colour: string | undefined;
    readonly trueColour: string | undefined;
    readonly lineType: string | undefined;
    /** How far its letters lean, in degrees. */
    readonly oblique: number;
    readonly style: string;
    readonly flags: string;
    readonly align: string;
    readonly valign: string;
    /** Height and width factor as they are written; no width factor where the definition says none. */
    readonly height: string | undefined;
    readonly widthFactor: string | undefined;
    readonly first: Point;
    readonly second: Point;
  }[];
}

/** A cell of an insert. `valueAt` is -1 for a constant one. */
export interface CellContent {
  readonly tag: string;
  readonly text: string;
  readonly valueAt: number;
  /** Positions of the text groups of a multi-line attribute's inner MTEXT. */
  readonly inner: readonly number[];
  readonly fixed?: string;
  /** Positions of the groups of its height and width factor; -1 for one that is not there. */
  readonly heightAt: number;
  readonly widthAt: number;
  /** Position of the height inside a text of several lines. */
  readonly innerHeightAt: number;
  readonly lettering: { readonly height: number; readonly widthFactor: number; readonly at: Point } | null;
  /** Handle of the text itself, and whether it is one of several lines, where it is a plain text of the sheet. */
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
  /** Position of the first group of the insert, of its `2` (block name), and of the group before which a new attribute goes. */
  readonly from: number;
  readonly nameAt: number;
  readonly attributesEnd: number;
  /** Position of the first group behind all of it. */
  readonly end: number;
  readonly hasAttributes: boolean;
}
