import { HeldValue } from '../values';
import { TextStyle } from '../lettering/fonts';
import { Edit } from './edits';

/** Levels holding values. `copy` is an assembly's copy of a part. */
export type Level = 'document' | 'variant' | 'copy' | 'body' | 'occurrence' | 'sheet';

/**
 * Places of named values: property, file field, title block cell, lettering override (see {@link letteringName}), block placement (named
 * {@link PLACED}; `null` removes it), block definition, anchor of a plain text (named {@link anchorName}), and read-only model facts
 * (material, density, validation volume).
 */
export type Place = 'property' | 'field' | 'cell' | 'lettering' | 'placed' | 'block' | 'anchor' | 'fact';

/** Name of a sheet holder's placement value. */
export const PLACED = 'block';

/** A placed block: name, position, scale and layout. Lengths in drawing units. */
export interface PlacedBlock {
  readonly block: string;
  readonly at: Point;
  readonly scale: number;
  readonly layout: string;
}

/** A placement as readable text; inverse of {@link placedOf}. */
export const placedText = ({ block, at, scale, layout }: PlacedBlock): string =>
  `${block} at ${plainNumber(at.x)} ${plainNumber(at.y)}${scale === 1 ? '' : ` scale ${plainNumber(scale)}`} on ${layout}`;

const NUMBER = String.raw`-?\d+(?:\.\d+)?(?:e[+-]?\d+)?`;
const PLACED_TEXT = new RegExp(`^(.+) at (${NUMBER}) (${NUMBER})(?: scale (${NUMBER}))? on (.+)$`, 's');

/** Parses a placement; `null` if invalid. */
export function placedOf(text: string): PlacedBlock | null {
  const found = PLACED_TEXT.exec(text);
  return found && { block: found[1]!, at: { x: Number(found[2]), y: Number(found[3]) }, scale: Number(found[4] ?? 1), layout: found[5]! };
}

/** A plain text that somebody made a cell: of its sheet's block, or a label that stands alone. */
export interface Anchor {
  readonly kind: 'cell' | 'label';
  readonly name: string;
}

/** Where an anchored text stands, in drawing units. */
export interface AnchorPlace {
  readonly layout: string;
  readonly at: Point;
}

/** Longest name of an anchored text: extended data holds 255 bytes. */
export const LONGEST_ANCHOR = 60;

/** An anchor as readable text; inverse of {@link anchorOf}. */
export const anchorText = ({ kind, name }: Anchor): string => `${kind} ${name}`;

/** Parses an anchor; `null` if invalid. */
export function anchorOf(text: string): Anchor | null {
  const found = /^(cell|label) (\S(?:.*\S)?)$/.exec(text);
  return found && found[2]!.length <= LONGEST_ANCHOR ? { kind: found[1] as Anchor['kind'], name: found[2]! } : null;
}

/** The name of an anchor value: where its text stands. */
export const anchorName = ({ layout, at }: AnchorPlace): string => `${plainNumber(at.x)} ${plainNumber(at.y)} on ${layout}`;

/** Lettering aspects: capital height in drawing units, and width factor. */
export const LETTERING = ['height', 'width factor'] as const;
export type LetteringAspect = (typeof LETTERING)[number];

/** Name of a lettering value. */
export const letteringName = (tag: string, aspect: LetteringAspect): string => `${tag} ${aspect}`;

/** A number as stored text. */
export const plainNumber = (n: number): string => String(Number(n.toPrecision(12)));

/** Parses a lettering name; `null` if invalid. */
export function letteringOf(name: string): { readonly tag: string; readonly aspect: LetteringAspect } | null {
  const aspect = LETTERING.find((candidate) => name.endsWith(` ${candidate}`));
  return aspect === undefined ? null : { tag: name.slice(0, -aspect.length - 1), aspect };
}

/** A read value with place and exact name. */
export interface ReadValue {
  readonly place: Place;
  readonly name: string;
  readonly held: HeldValue;
  /** Why it is read-only: a constant cell, or the expression of a computed text. */
  readonly fixed?: string;
}

/** A value holder. `key` is `''` for the document; unique and stable within the file. */
export interface HolderReading {
  readonly level: Level;
  readonly key: string;
  readonly label: string;
  readonly values: readonly ReadValue[];
}

/** An assembly's copy of a part or sub-assembly. */
export interface ProductReading {
  /** Unique in the file. */
  readonly key: string;
  readonly id: string;
  readonly name: string;
  /** External reference, if any. */
  readonly externalFile: string | null;
}

/** A placed instance. `key` is its holder key. */
export interface OccurrenceReading {
  readonly key: string;
  readonly label: string;
  readonly parent: string;
  readonly child: string;
}

/** Product structure of a STEP file. */
export interface StructureReading {
  readonly products: readonly ProductReading[];
  readonly occurrences: readonly OccurrenceReading[];
  readonly roots: readonly string[];
}

export interface Point {
  readonly x: number;
  readonly y: number;
}

/** Free space around a cell's insertion point, in block units; `null` for unlimited. */
export interface CellRoom {
  readonly left: number | null;
  readonly right: number | null;
  readonly below: number | null;
  readonly above: number | null;
}

/** An attribute definition. Lengths in drawing units, angle in degrees. */
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
  /** Constant cells show their preset everywhere and hold nothing. */
  readonly constant: boolean;
  readonly multiline: boolean;
  /** Text style. Like the following, absent in older readings. */
  readonly font?: TextStyle;
  readonly room?: CellRoom;
  /** Whether it is a plain captioned text, not an attribute. */
  readonly plain?: true;
  /** Distance of its two points, for aligned and fitted text. */
  readonly between?: number;
}

/** Shapes of a block, in block coordinates. */
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

/** A block with attribute definitions. */
export interface BlockReading {
  readonly name: string;
  readonly cells: readonly CellDefinition[];
  readonly shapes: readonly BlockShape[];
}

/** A placed block with attributes. `holder` is its holder key. */
export interface InsertReading {
  readonly block: string;
  /** The original of an anonymous variant, or itself; absent in older readings. */
  readonly madeFrom?: string;
  readonly holder: string;
  readonly layout: string;
  /** Defined tags without an attribute. */
  readonly missing: readonly string[];
  /** Read-only cells by tag: `constant`, or the computing expression. Absent in older readings. */
  readonly fixed?: Readonly<Record<string, string>>;
  /** Scale; 1 if absent. */
  readonly scale?: number;
  /** Cells with lettering or position overrides, by tag. */
  readonly own?: Readonly<Record<string, OwnLettering>>;
  /** The containing block, if nested; all its instances share the texts. */
  readonly inside?: string;
  /** Outlines of its layout around its point, smallest first; absent if none, and in older readings. */
  readonly around?: readonly number[];
  /** The view of its sheet that it stands in, or nearest to; with the model's outlines around the point that the view shows there. */
  readonly view?: { readonly index: number; readonly around: readonly number[] };
}

/** Lettering and position overrides of an attribute. */
export interface OwnLettering {
  /** In drawing units. */
  readonly height: number;
  readonly widthFactor: number;
  /** Insertion point in block units. */
  readonly at: Point;
}

/** A closed outline; area in square drawing units. */
export interface OutlineReading {
  readonly layer: string;
  readonly area: number;
  /** In drawing units; absent in older readings. */
  readonly length?: number;
  /** Index of the enclosing outline on its layer; `null` for none, absent in older readings. */
  readonly within?: number | null;
}

/** A text with its enclosing outlines, smallest first. */
export interface LabelReading {
  readonly text: string;
  readonly outlines: readonly number[];
}

/** Contents of a layout: viewport scales (paper ÷ model), closed outlines and texts in them. */
export interface SheetReading {
  readonly layout: string;
  readonly scales: readonly number[];
  /** Scale of the largest viewport; absent if none, and in older readings. */
  readonly largest?: number;
  readonly outlines: readonly OutlineReading[];
  /** Absent in older readings. */
  readonly labels?: readonly LabelReading[];
  /** Paper size in millimetres; absent in older readings. */
  readonly paper?: { readonly width: number; readonly height: number } | null;
  /** Drawing unit, if stated; absent in older readings. */
  readonly unit?: string | null;
  /** Tab order, if stated. */
  readonly order?: number;
  /** Viewport frames on paper, in drawing units and in the order of `scales`; absent if none, and in older readings. */
  readonly views?: readonly ViewBox[];
}

/** A viewport frame, in drawing units. */
export interface ViewBox {
  /** Outlines of the model that are wholly inside; absent if none, and in older readings. */
  readonly shows?: readonly number[];
  readonly left: number;
  readonly bottom: number;
  readonly width: number;
  readonly height: number;
}

/** A remark about a file that was still read. */
export interface FileProblem {
  readonly code: string;
  readonly message: string;
}

/** Everything read from a file, as plain data. */
export interface FileReading {
  readonly format: 'step' | 'dxf' | 'opc' | 'other';
  readonly version: string;
  readonly kind: 'part' | 'assembly' | 'drawing' | 'other';
  readonly holders: readonly HolderReading[];
  readonly structure: StructureReading | null;
  readonly blocks: readonly BlockReading[];
  readonly inserts: readonly InsertReading[];
  readonly sheets: readonly SheetReading[];
  /** Next free handle, if stated. */
  readonly nextHandle?: string;
  readonly problems: readonly FileProblem[];
}

/** A value to write; `null` removes it. */
export interface FileChange {
  readonly holder: string;
  readonly place: Place;
  readonly name: string;
  readonly value: HeldValue | null;
  /** The block's definition, for `block` changes. */
  readonly definition?: CarriedBlock;
}

/** A portable block definition: groups without handles and owners. */
export interface CarriedBlock {
  readonly name: string;
  readonly base: Point;
  /** `$INSUNITS`; `null` if not stated. */
  readonly units: string | null;
  readonly entities: readonly { readonly type: string; readonly groups: readonly (readonly [code: number, value: string])[] }[];
  readonly layers: readonly CarriedRecord[];
  readonly styles: readonly CarriedRecord[];
  readonly lineTypes: readonly CarriedRecord[];
  /** Set if only the drawing's own cells change by these steps; nothing is brought along, and everything else in its definition stays. */
  readonly steps?: readonly CellStep[];
}

/** A change of a block's cells: a copy of a neighbour, a plain text made a cell, another name or caption, another place, or none. */
export type CellStep =
  | { readonly do: 'add'; readonly tag: string; readonly prompt: string; readonly like: string; readonly by: Point }
  | { readonly do: 'make'; readonly tag: string; readonly prompt: string; readonly text: string; readonly at: Point }
  | { readonly do: 'name'; readonly tag: string; readonly to: string; readonly prompt: string }
  | { readonly do: 'move'; readonly tag: string; readonly by: Point }
  | { readonly do: 'remove'; readonly tag: string };

/** A layer, text style or line type used by the block. */
export interface CarriedRecord {
  readonly name: string;
  readonly groups: readonly (readonly [code: number, value: string])[];
}

/** A file format. Formats know nothing of the schema. */
export interface FileFormat {
  readonly id: FileReading['format'];
  /** File extensions in lower case, with dot. */
  readonly endings: readonly string[];
  /** @throws FileError if the bytes are invalid */
  read(bytes: Uint8Array): FileReading;
  /** The same without contents of sheets, where that is quicker: holders and blocks are as `read` gives them. */
  peek?(bytes: Uint8Array): Pick<FileReading, 'holders' | 'blocks'>;
  /**
   * Edits that write the values.
   * @throws FileError if any cannot be written
   */
  modify(bytes: Uint8Array, changes: readonly FileChange[]): Edit[];
  /** Holders whose keys change, old to new; absent if keys are stable. */
  movedHolders?(before: Uint8Array, after: Uint8Array): ReadonlyMap<string, string>;
}

/** A file cannot be read or written. `offset` is the byte concerned. */
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
