import { BomCell, BomContent, BomDifference, BomGroup, BomRow, BomTotal, DrawnDifference, MarkState, Renumbered, ViewEdge } from '@rule/core/bom';
import { Point } from '@rule/core/files';
import { FileRow } from './files';

/** An assembly that a bill of materials can be made of. */
export interface BomAssembly {
  readonly id: number;
  readonly path: string;
  /** Parts whose file is not known yet. */
  readonly unmatched: number;
  /** Products that nothing in the file contains, where there are several to choose from. */
  readonly roots: readonly { readonly product: string; readonly label: string }[];
}

/** A set-up of a bill of materials under a name. */
export interface BomLayoutDraft {
  readonly name: string;
  readonly purpose: string;
  /** Whether everybody sees it, or only who made it. */
  readonly shared: boolean;
  readonly content: BomContent;
}

/** A saved layout. */
export interface BomLayout extends BomLayoutDraft {
  readonly id: number;
  /** Counts the times that it was saved: whoever saves says which version was opened. */
  readonly version: number;
  readonly by: string;
  readonly mine: boolean;
}

/** Which list is asked for: an assembly with what it is shown by. */
export interface BomRequest {
  readonly content: BomContent;
  /** The saved layout under which numbers are kept; `null` for a list that is only looked at. */
  readonly layout: number | null;
  /** Where the list begins; the first product of the file where it is not said. */
  readonly root?: string;
}

/** What a cell shows, with what is the matter with it. */
export interface BomValue extends BomCell {
  readonly state?: 'missing' | 'blank' | 'wrong' | 'unknown';
  readonly note?: string;
  /** What the assembly's own copy says where that is something else. */
  readonly copy?: string;
}

/** A row as the page shows it. */
export interface BomTableRow extends Omit<BomRow, 'members'> {
  readonly item: string;
  readonly number: number | null;
  readonly path: string | null;
  readonly className: string | null;
  readonly picture: boolean;
  readonly members: number;
  readonly cells: readonly BomValue[];
  /** Files that could be the part, where more than one could. */
  readonly candidates: readonly { readonly id: number; readonly path: string }[];
  /** An assembly and one of its copies, for settling the part file. */
  readonly copyOf: { readonly assembly: number; readonly product: string } | null;
}

/** The bill of materials of an assembly. */
export interface BomTable {
  readonly assembly: FileRow;
  readonly root: string;
  readonly headers: readonly string[];
  readonly rows: readonly BomTableRow[];
  readonly groups: readonly BomGroup[];
  readonly totals: readonly (BomTotal | null)[];
  readonly pieces: number;
  /** Pieces whose class is left out. */
  readonly leftOut: number;
  /** Properties of the layout that the schema does not have any more. */
  readonly gone: readonly number[];
  /** Names under which one property reaches the list from two places with different values. */
  readonly twice: readonly { readonly caption: string; readonly rows: number }[];
}

/** The members of a row. */
export interface BomMember {
  readonly assembly: number;
  readonly path: string;
  readonly occurrence: string;
  readonly label: string;
  readonly times: number;
  readonly cells: readonly BomValue[];
}

/** A value typed in a row: it goes to whatever holds it. */
export interface BomTyped extends BomRequest {
  /** `null` for all rows that have a value. */
  readonly row: string | null;
  readonly property: number;
  readonly text: string;
  /** One occurrence of a merged row, as `assembly/occurrence`; all where none is named. */
  readonly member?: string;
}

/** A row that is asked about. */
export interface BomRowRequest extends BomRequest {
  readonly row: string;
}

/** A number typed for a row. */
export interface BomNumber extends BomRequest {
  readonly row: string;
  readonly number: number;
}

/** Rows numbered again in the order in which they are shown. */
export interface BomRenumber extends BomRequest {
  /** Whether it is done, or only told. */
  readonly write: boolean;
}

/** Numbers that change, or did. */
export interface BomRenumbered {
  readonly changes: readonly (Renumbered & { readonly label: string })[];
  readonly written: boolean;
}

/** A list that was kept as it was. */
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

/** A line of a kept list: what was in it, in texts. */
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

/** A kept list whole. */
export interface KeptBomView extends KeptBom {
  readonly headers: readonly string[];
  readonly lines: readonly KeptLine[];
  readonly totals: readonly string[];
}

/** A list to be kept. */
export interface KeepBom extends BomRequest {
  readonly title: string;
}

/** One side of a comparison: a kept list, or an assembly as it is now. */
export type BomSide = { readonly kept: number } | ({ readonly assembly: number } & BomRequest);

/** Two lists to be compared. */
export interface CompareBoms {
  readonly before: BomSide;
  readonly after: BomSide;
}

/** What differs between two lists. */
export interface BomComparison {
  readonly before: string;
  readonly after: string;
  readonly differences: readonly BomDifference[];
}

/** Formats in which a list is sent out. */
export const BOM_FORMATS = ['csv', 'xlsx'] as const;

/** A list to be sent out. */
export interface SendBom extends BomRequest {
  readonly format: (typeof BOM_FORMATS)[number];
}

/** One way from a part up to the top. */
export interface UsedIn {
  readonly assemblies: readonly { readonly id: number; readonly path: string; readonly times: number }[];
  readonly total: number;
  readonly loop: boolean;
}

/** Where a part is used. */
export interface WhereUsed {
  readonly ways: readonly UsedIn[];
  readonly more: boolean;
}

/** A block with cells that drawings define. */
export interface DrawnBlock {
  readonly name: string;
  readonly tags: readonly string[];
}

/** A sheet that shows the assembly: its parts list and item marks beside the bill of materials. */
export interface DrawnSheet {
  readonly file: number;
  readonly path: string;
  readonly layout: string;
  /** Why the drawing cannot be changed; `null` where it can. */
  readonly lock: string | null;
  /** Whether blocks of this drawing are pending in the person's tray. */
  readonly pending: boolean;
  /** Whether the drawing defines the row block and the mark block. */
  readonly defined: boolean;
  readonly marksDefined: boolean;
  /** Drawings that lend what this one does not define: the row block and the item mark. `null` where nothing is lent. */
  readonly lent: { readonly list: string | null; readonly marks: string | null };
  /** Views that marks can be placed around. */
  readonly views: number;
  /** Rows that are drawn. */
  readonly rows: number;
  readonly differences: readonly DrawnDifference[];
  /** Texts that stay, though the bill of materials has nothing to show instead. */
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

/** Parts lists on the drawings of an assembly. */
export interface DrawnBom {
  /** What cells of the row block show, by tag. */
  readonly heads: Readonly<Record<string, string>>;
  readonly sheets: readonly DrawnSheet[];
}

/** Corners of a sheet at which a list starts that is not drawn yet, or the title block there. */
export const LIST_CORNERS = ['title block', 'top left', 'top right', 'bottom left', 'bottom right'] as const;

/** Where a new list starts: a corner, or a point in drawing units. */
export type ListCorner = (typeof LIST_CORNERS)[number] | Point;

/** Parts lists to be put in order. */
export interface PutDrawn extends BomRequest {
  /** `null` for all drawings that have a list. */
  readonly drawing: number | null;
  readonly sheet: string | null;
  /** For a sheet without a list. */
  readonly corner: ListCorner | null;
  /** Whether texts are cleared where the bill of materials has nothing to show. */
  readonly erase: boolean;
}

/** Item marks to be set to the numbers of their rows. */
export interface SetMark extends BomRequest {
  readonly drawing: number;
  readonly sheet: string;
  /** `null` for all marks whose row is known. */
  readonly holder: string | null;
  /** The row that the mark points at; `null` for the one that it is known to point at. */
  readonly row: string | null;
}

/** Marks to be placed for rows without one. */
export interface PlaceMarks extends BomRequest {
  readonly drawing: number;
  readonly sheet: string;
  readonly edge: ViewEdge;
  /** Place of the view among those of the sheet. */
  readonly view: number;
}
