import {
  BomCell,
  BomContent,
  BomDifference,
  BomTotal,
  DrawnDifference,
  ListedRow,
  ListedRows,
  MarkState,
  PackedList,
  Renumbered,
  ViewEdge,
} from '@rule/core/bom';
import { Point } from '@rule/core/files';
import { FileRow } from './files';

/** An assembly with a possible bill of materials. */
export interface BomAssembly {
  readonly id: number;
  readonly path: string;
  /** Parts without a known file. */
  readonly unmatched: number;
  /** Root products, if there are several. */
  readonly roots: readonly { readonly product: string; readonly label: string }[];
}

/** A named set-up of a bill of materials. */
export interface BomLayoutDraft {
  readonly name: string;
  readonly purpose: string;
  /** Whether it is shared. */
  readonly shared: boolean;
  readonly content: BomContent;
}

/** A saved layout. */
export interface BomLayout extends BomLayoutDraft {
  readonly id: number;
  /** Version number, for detecting concurrent saves. */
  readonly version: number;
  readonly by: string;
  readonly mine: boolean;
}

/** A requested list: assembly and set-up. */
export interface BomRequest {
  readonly content: BomContent;
  /** The saved layout that keeps numbers; `null` for none. */
  readonly layout: number | null;
  /** Root product; the first by default. */
  readonly root?: string;
}

/** A cell's content and problems. */
export interface BomValue extends BomCell {
  readonly state?: 'missing' | 'blank' | 'wrong' | 'unknown';
  readonly note?: string;
  /** The assembly's own copy, where it differs. */
  readonly copy?: string;
}

/** A displayed row. */
export type BomTableRow = ListedRow<BomValue>;

/** The bill of materials of an assembly. */
export interface BomTable extends ListedRows<BomValue> {
  readonly assembly: FileRow;
  readonly root: string;
  readonly headers: readonly string[];
  readonly totals: readonly (BomTotal | null)[];
  readonly pieces: number;
  /** Pieces of excluded classes. */
  readonly leftOut: number;
  /** Layout properties no longer in the schema. */
  readonly gone: readonly number[];
  /** Names reaching the list from two places with different values. */
  readonly twice: readonly { readonly caption: string; readonly rows: number }[];
}

/** The same for transfer, with equal texts and cells told once: long lists are ten times shorter. */
export interface PackedBomTable extends Omit<BomTable, 'rows' | 'groups'>, PackedList<BomValue> {}

/** A list in parts: the first rows of a long one without totals, then the whole list. */
export interface BomPart {
  readonly whole: boolean;
  /** Rows of the whole list. */
  readonly rows: number;
  readonly table: PackedBomTable;
}

/** Members of a row. */
export interface BomMember {
  readonly assembly: number;
  readonly path: string;
  readonly occurrence: string;
  readonly label: string;
  readonly times: number;
  readonly cells: readonly BomValue[];
}

/** A value typed in a row, for its owner. */
export interface BomTyped extends BomRequest {
  /** `null` for all rows with a value. */
  readonly row: string | null;
  readonly property: number;
  readonly text: string;
  /** One occurrence of a merged row, as `assembly/occurrence`; absent for all. */
  readonly member?: string;
}

/** A requested row. */
export interface BomRowRequest extends BomRequest {
  readonly row: string;
}

/** A typed item number. */
export interface BomNumber extends BomRequest {
  readonly row: string;
  readonly number: number;
}

/** Renumbering in display order. */
export interface BomRenumber extends BomRequest {
  /** Whether to write or preview. */
  readonly write: boolean;
}

/** Changed numbers. */
export interface BomRenumbered {
  readonly changes: readonly (Renumbered & { readonly label: string })[];
  readonly written: boolean;
}

/** A kept list. */
export interface KeptBom {
  readonly id: number;
  readonly title: string;
  readonly assembly: number | null;
  readonly path: string;
  readonly layout: string;
  readonly edition: number | null;
  readonly at: string;
  readonly by: string;
  readonly rows: number;
}

/** A line of a kept list, as text. */
export interface KeptLine {
  readonly key: string;
  readonly level: number;
  readonly item: string;
  readonly label: string;
  readonly quantity: string;
  readonly cells: readonly string[];
  readonly path: string | null;
  readonly hash: string | null;
}

/** A kept list with content. */
export interface KeptBomView extends KeptBom {
  readonly headers: readonly string[];
  readonly lines: readonly KeptLine[];
  readonly totals: readonly string[];
}

/** A list to keep. */
export interface KeepBom extends BomRequest {
  readonly title: string;
}

/** A side of a comparison: a kept list, or an assembly now. */
export type BomSide = { readonly kept: number } | ({ readonly assembly: number } & BomRequest);

/** Lists to compare. */
export interface CompareBoms {
  readonly before: BomSide;
  readonly after: BomSide;
}

/** Differences between two lists. */
export interface BomComparison {
  readonly before: string;
  readonly after: string;
  readonly differences: readonly BomDifference[];
}

/** Export formats. */
export const BOM_FORMATS = ['csv', 'xlsx'] as const;

/** A list to export. */
export interface SendBom extends BomRequest {
  readonly format: (typeof BOM_FORMATS)[number];
}

/** A path from a part to the top. */
export interface UsedIn {
  readonly assemblies: readonly { readonly id: number; readonly path: string; readonly times: number }[];
  readonly total: number;
  readonly loop: boolean;
}

/** Where-used of a part. */
export interface WhereUsed {
  readonly ways: readonly UsedIn[];
  readonly more: boolean;
}

/** A block with cells. */
export interface DrawnBlock {
  readonly name: string;
  readonly tags: readonly string[];
}

/** A sheet showing the assembly, with list and marks compared. */
export interface DrawnSheet {
  readonly file: number;
  readonly path: string;
  readonly layout: string;
  /** Why the drawing is locked; `null` if it is not. */
  readonly lock: string | null;
  /** Whether the user's tray has changes of this drawing's blocks. */
  readonly pending: boolean;
  /** Whether the drawing defines the row and mark blocks. */
  readonly defined: boolean;
  readonly marksDefined: boolean;
  /** Drawings providing missing blocks; `null` if none is available. */
  readonly lent: { readonly list: string | null; readonly marks: string | null };
  /** Number of views for placing marks. */
  readonly views: number;
  /** Drawn rows. */
  readonly rows: number;
  readonly differences: readonly DrawnDifference[];
  /** Texts kept although the list is blank. */
  readonly erased: number;
  readonly marks: readonly {
    readonly holder: string;
    readonly number: string;
    readonly state: MarkState['state'];
    readonly row: string | null;
    readonly should: string | null;
    readonly label: string;
  }[];
  readonly without: readonly { readonly row: string; readonly item: string; readonly label: string }[];
}

/** Parts lists on drawings of an assembly. */
export interface DrawnBom {
  /** Contents of row block cells, by tag. */
  readonly heads: Readonly<Record<string, string>>;
  readonly sheets: readonly DrawnSheet[];
}

/** Possible starts of a new list. */
export const LIST_CORNERS = ['title block', 'top left', 'top right', 'bottom left', 'bottom right'] as const;

/** Start of a new list: a corner, or a point in drawing units. */
export type ListCorner = (typeof LIST_CORNERS)[number] | Point;

/** Parts lists to correct. */
export interface PutDrawn extends BomRequest {
  /** `null` for all drawings with a list. */
  readonly drawing: number | null;
  readonly sheet: string | null;
  /** For sheets without a list. */
  readonly corner: ListCorner | null;
  /** Whether to clear texts where the list is blank. */
  readonly erase: boolean;
}

/** Item marks to correct. */
export interface SetMark extends BomRequest {
  readonly drawing: number;
  readonly sheet: string;
  /** `null` for all marks with a known row. */
  readonly holder: string | null;
  /** The mark's row; `null` for the known one. */
  readonly row: string | null;
}

/** Marks to place for rows without one. */
export interface PlaceMarks extends BomRequest {
  readonly drawing: number;
  readonly sheet: string;
  readonly edge: ViewEdge;
  /** Index of the view on the sheet. */
  readonly view: number;
}
