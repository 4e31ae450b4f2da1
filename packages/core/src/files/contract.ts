import { HeldValue } from '../values';
import { TextStyle } from '../lettering/fonts';
import { Edit } from './edits';

/** Levels at which a file holds values. `copy` is the copy of a part that an assembly file carries. */
export type Level = 'document' | 'variant' | 'copy' | 'body' | 'occurrence' | 'sheet';

/**
 * Places in a file that hold named values: a property, the file's own field, a title block cell, the lettering of a cell where it is not
 * what its block says (named by {@link letteringName}), the block itself that is placed on a sheet (named {@link PLACED}: a value places
 * it, none takes it away), the definition of a block in a drawing, and facts that the file states about its model (material, density, validation volume), which nobody writes.
 */
export type Place = 'property' | 'field' | 'cell' | 'lettering' | 'placed' | 'block' | 'fact';

/** The name under which a sheet holder says which block it is and where it is placed. */
export const PLACED = 'block';

/** A block on a sheet: which one, where, how large and on which layout. Lengths in drawing units. */
export interface PlacedBlock {
  readonly block: string;
  readonly at: Point;
  readonly scale: number;
  readonly layout: string;
}

/** A placed block as a value that people can read; {@link placedOf} is its reverse. */
export const placedText = ({ block, at, scale, layout }: PlacedBlock): string =>
  `${block} at ${plainNumber(at.x)} ${plainNumber(at.y)}${scale === 1 ? '' : ` scale ${plainNumber(scale)}`} on ${layout}`;

const NUMBER = String.raw`-?\d+(?:\.\d+)?(?:e[+-]?\d+)?`;
const PLACED_TEXT = new RegExp(`^(.+) at (${NUMBER}) (${NUMBER})(?: scale (${NUMBER}))? on (.+)$`, 's');

/** What such a value says; `null` for any other text. */
export function placedOf(text: string): PlacedBlock | null {
  const found = PLACED_TEXT.exec(text);
  return found && { block: found[1]!, at: { x: Number(found[2]), y: Number(found[3]) }, scale: Number(found[4] ?? 1), layout: found[5]! };
}

/** What of a cell's lettering can be changed on a sheet: the height of its capitals in drawing units, and its width factor. */
export const LETTERING = ['height', 'width factor'] as const;
export type LetteringAspect = (typeof LETTERING)[number];

/** The name of an aspect of a cell's lettering among the values of its sheet. */
export const letteringName = (tag: string, aspect: LetteringAspect): string => `${tag} ${aspect}`;

/** A length or a factor as it is kept as a value. */
export const plainNumber = (n: number): string => String(Number(n.toPrecision(12)));

/** The cell and the aspect that such a name says; `null` for any other. */
export function letteringOf(name: string): { readonly tag: string; readonly aspect: LetteringAspect } | null {
  const aspect = LETTERING.find((candidate) => name.endsWith(` ${candidate}`));
  return aspect === undefined ? null : { tag: name.slice(0, -aspect.length - 1), aspect };
}

/** A value as read, with its place and exact name. */
export interface ReadValue {
  readonly place: Place;
  readonly name: string;
  readonly held: HeldValue;
  /** Why nothing can be written here, if so: a constant cell, or the request of a text that the drawing computes itself. */
  readonly fixed?: string;
}

/** One thing in a file that holds values. `key` is `''` for the document and unique and stable within the file. */
export interface HolderReading {
  readonly level: Level;
  readonly key: string;
  readonly label: string;
  readonly values: readonly ReadValue[];
}

/** A product that an assembly file carries: its own copy of a part or sub-assembly. */
export interface ProductReading {
  /** Unique in the file. */
  readonly key: string;
  readonly id: string;
  readonly name: string;
  /** File named by an external reference, if there is one. */
  readonly externalFile: string | null;
}

/** One placed instance of a product in another. `key` is the holder key of the occurrence. */
export interface OccurrenceReading {
  readonly key: string;
  readonly label: string;
  readonly parent: string;
  readonly child: string;
}

/** Product structure of a STEP file: products by key, occurrences, and the products that nothing contains. */
export interface StructureReading {
  readonly products: readonly ProductReading[];
  readonly occurrences: readonly OccurrenceReading[];
  readonly roots: readonly string[];
}

export interface Point {
  readonly x: number;
  readonly y: number;
}

/** How far the nearest things are from the point that a cell's text is placed by, along the text and across it, in block units; `null` where nothing stands. */
export interface CellRoom {
  readonly left: number | null;
  readonly right: number | null;
  readonly below: number | null;
  readonly above: number | null;
}

/** A cell that a block defines: an attribute definition. Lengths in drawing units, angle in degrees. */
export interface CellDefinition {
  readonly tag: string;
  readonly prompt: string;
  readonly preset: string;
  readonly at: Point;
  readonly height: number;
  readonly widthFactor: number;
  readonly rotation: number;
  readonly align: 'left' | 'centre' | 'right';
  readonly valign: 'baseline' | 'bottom' | 'middle' | 'top';
  /** A constant cell shows its preset in every insert and holds nothing there. */
  readonly constant: boolean;
  readonly multiline: boolean;
  /** Its text style. Absent, like all that follows, in readings of older versions of Rule. */
  readonly font?: TextStyle;
  readonly room?: CellRoom;
  /** Whether it is a plain text of the sheet, with a caption near it, and no attribute. */
  readonly plain?: true;
  /** Distance of the two points that its text fills, where it is set between two. */
  readonly between?: number;
}

/** What a block is drawn of, in block coordinates. */
export type BlockShape =
  | { readonly shape: 'line'; readonly points: readonly Point[]; readonly closed: boolean }
  | { readonly shape: 'circle'; readonly at: Point; readonly radius: number }
  | {
      readonly shape: 'text';
      readonly at: Point;
      readonly text: string;
      readonly height: number;
      readonly rotation: number;
      readonly align: CellDefinition['align'];
      readonly font?: TextStyle;
    };

/** A block with attribute definitions, as one drawing file defines it. */
export interface BlockReading {
  readonly name: string;
  readonly cells: readonly CellDefinition[];
  readonly shapes: readonly BlockShape[];
}

/** A placed block with attributes. `holder` is the key of the sheet holder whose cells hold the texts. */
export interface InsertReading {
  readonly block: string;
  /** The block that an anonymous variant was made from, or the block itself; absent in readings of older versions of Rule. */
  readonly madeFrom?: string;
  readonly holder: string;
  readonly layout: string;
  /** Tags that the block defines and this insert has no attribute for. */
  readonly missing: readonly string[];
  /** Cells that nobody may write, by tag: `constant`, or the request by which the drawing computes the text. Absent in older readings. */
  readonly fixed?: Readonly<Record<string, string>>;
  /** How it is scaled; 1 where that is not said. */
  readonly scale?: number;
  /** Cells whose attribute is not lettered or placed as the block says, by tag. */
  readonly own?: Readonly<Record<string, OwnLettering>>;
  /** The block in whose definition it stands, where it is not placed on the sheet itself. Every place of that block shows the same texts. */
  readonly inside?: string;
}

/** How an attribute is lettered and placed where that is not what its block says. */
export interface OwnLettering {
  /** In drawing units, on the sheet. */
  readonly height: number;
  readonly widthFactor: number;
  /** The point that its text is placed by, in block units. */
  readonly at: Point;
}

/** A closed outline of a layout; its area in square drawing units. */
export interface OutlineReading {
  readonly layer: string;
  readonly area: number;
  /** Place in the list of the smallest outline of the same layer around it; `null` for none, absent in readings of older versions of Rule. */
  readonly within?: number | null;
}

/** A text that closed outlines enclose: their places in the list, the smallest first. */
export interface LabelReading {
  readonly text: string;
  readonly outlines: readonly number[];
}

/** What a drawing's layout shows: scales of its viewports (paper length ÷ model length), and closed outlines with the texts in them. */
export interface SheetReading {
  readonly layout: string;
  readonly scales: readonly number[];
  /** The scale of the view that takes most of the paper; absent where there is none, and in readings of older versions of Rule. */
  readonly largest?: number;
  readonly outlines: readonly OutlineReading[];
  /** Absent in readings of older versions of Rule. */
  readonly labels?: readonly LabelReading[];
  /** The paper that the layout is set up for, in millimetres; absent in readings of older versions of Rule. */
  readonly paper?: { readonly width: number; readonly height: number } | null;
  /** The unit that the drawing is drawn in, where it says so; absent in readings of older versions of Rule. */
  readonly unit?: string | null;
  /** Its place among the layouts, where the drawing says so. */
  readonly order?: number;
  /** Where its views are on the paper, in drawing units; absent where it has none, and in readings of older versions of Rule. */
  readonly views?: readonly ViewBox[];
}

/** The frame of a view on its sheet, in drawing units. */
export interface ViewBox {
  readonly left: number;
  readonly bottom: number;
  readonly width: number;
  readonly height: number;
}

/** Something about a file that its reader should know; reading went on. */
export interface FileProblem {
  readonly code: string;
  readonly message: string;
}

/** Everything that Rule reads of one file. Plain data, so that it can cross to a worker and into the database. */
export interface FileReading {
  readonly format: 'step' | 'dxf' | 'opc' | 'other';
  readonly version: string;
  readonly kind: 'part' | 'assembly' | 'drawing' | 'other';
  readonly holders: readonly HolderReading[];
  readonly structure: StructureReading | null;
  readonly blocks: readonly BlockReading[];
  readonly inserts: readonly InsertReading[];
  readonly sheets: readonly SheetReading[];
  /** The next handle that no object has yet, where the file says so. */
  readonly nextHandle?: string;
  readonly problems: readonly FileProblem[];
}

/** A value to write: `null` removes it. */
export interface FileChange {
  readonly holder: string;
  readonly place: Place;
  readonly name: string;
  readonly value: HeldValue | null;
  /** What the block consists of, where the change defines one. */
  readonly definition?: CarriedBlock;
}

/** A block's definition as it is carried from one drawing to another. Groups are codes and values as text, without handles and owners. */
export interface CarriedBlock {
  readonly name: string;
  readonly base: Point;
  /** What `$INSUNITS` says; `null` where the drawing does not say it. */
  readonly units: string | null;
  readonly entities: readonly { readonly type: string; readonly groups: readonly (readonly [code: number, value: string])[] }[];
  readonly layers: readonly CarriedRecord[];
  readonly styles: readonly CarriedRecord[];
  readonly lineTypes: readonly CarriedRecord[];
}

/** A layer, text style or line type that a carried block uses. */
export interface CarriedRecord {
  readonly name: string;
  readonly groups: readonly (readonly [code: number, value: string])[];
}

/** One open format. Formats know nothing of schema. */
export interface FileFormat {
  readonly id: FileReading['format'];
  /** File name endings in lower case, with the dot. */
  readonly endings: readonly string[];
  /** @throws FileError when the bytes are not of this format or broken. */
  read(bytes: Uint8Array): FileReading;
  /** The edits that make the file hold the given values. @throws FileError when one of them cannot be written; nothing is written then. */
  modify(bytes: Uint8Array, changes: readonly FileChange[]): Edit[];
  /**
   * Holders that have another key after a change, old key to new: where keys are made of names that the change gave again. Absent where
   * keys never change.
   */
  movedHolders?(before: Uint8Array, after: Uint8Array): ReadonlyMap<string, string>;
}

/** A file cannot be read or written. `offset` is the byte at which it was noticed. */
export class FileError extends Error {
  constructor(
    readonly code: string,
    message: string,
    readonly offset?: number,
  ) {
    super(message);
    this.name = 'FileError';
  }
}
