import { Kind } from '@rule/core/schema';
import { BesideColumn, CellVerdict, ColumnMatch, CsvForm, Encoding, PLAIN_CSV, RowLevel, TableShapeName, TakeBackCounts } from '@rule/core/exchange';
import { HeldValue } from '@rule/core/values';
import { ApplyMode, FileFilter, FindingKind } from './values';

/** Table formats. */
export const TABLE_FORMATS = ['xlsx', 'csv', 'json', 'xml'] as const;

/** One of {@link TABLE_FORMATS}. */
export type TableFormat = (typeof TABLE_FORMATS)[number];

/** Row selection: all, those lacking required values, or those with names outside the schema. */
export const LAYOUT_ROWS = ['all', 'missing', 'strays'] as const;

/** A column of a layout. */
export interface LayoutColumn {
  readonly property: number;
  /** Header; empty for the written name. */
  readonly header: string;
  readonly editable: boolean;
}

/** Content and appearance of a table. */
export interface LayoutContent {
  readonly filter: FileFilter;
  readonly rows: (typeof LAYOUT_ROWS)[number];
  /** Subject of a row. */
  readonly level: RowLevel;
  readonly shape: TableShapeName;
  /** Columns in order; empty for all applicable properties. */
  readonly columns: readonly LayoutColumn[];
  /** Whether read-only cells are locked in workbooks. */
  readonly protect: boolean;
  readonly csv: CsvForm;
  /**
   * For an assembly's BOM: whether rows have item number and quantity, and the layout with the numbers; `null` for structural order. Absent
   * for other tables.
   */
  readonly bom?: { readonly layout: number | null } | null;
  /** Read-only columns before the properties: vault, records, title block cells. */
  readonly beside?: readonly BesideColumn[];
}

/** Position of a part in a BOM: item numbers and total quantity. */
export interface BomPlace {
  readonly item: string;
  readonly quantity: number;
}

/** A layout of all files and properties. */
export const WHOLE_LIBRARY: LayoutContent = { filter: {}, rows: 'all', level: 'document', shape: 'wide', columns: [], protect: false, csv: PLAIN_CSV };

/** A layout to save. */
export interface LayoutDraft {
  readonly name: string;
  /** Its purpose, in one sentence. */
  readonly purpose: string;
  readonly shared: boolean;
  readonly content: LayoutContent;
}

/** A saved layout with its owner. */
export interface Layout extends LayoutDraft {
  readonly id: number;
  readonly by: string;
  readonly mine: boolean;
}

/** A requested send-out. */
export interface SendOutRequest {
  readonly format: TableFormat;
  readonly content: LayoutContent;
  /** Its saved layout, if any. */
  readonly layout: number | null;
  /** Its recipient. */
  readonly recipient: string;
}

/** Saved and suggested layouts. */
export interface Layouts {
  readonly saved: readonly Layout[];
  /** Suggested layouts. */
  readonly purposes: readonly LayoutDraft[];
}

/** Row count of a layout. */
export interface LayoutCount {
  readonly rows: number;
}

/** A started send-out with its job. */
export interface SendOutStarted {
  readonly id: number;
  readonly job: number;
}

/** A send-out in the list. */
export interface SendOutRow {
  readonly id: number;
  readonly name: string;
  readonly by: string;
  readonly mine: boolean;
  readonly recipient: string;
  readonly at: string;
  readonly format: TableFormat;
  readonly level: RowLevel;
  readonly rows: number;
  readonly files: number;
  readonly properties: number;
  /** Whether the file is still stored. */
  readonly kept: boolean;
  readonly takenBackAt: string | null;
  /** When it was marked as not returning. */
  readonly closedAt: string | null;
}

/** How a file is read: chosen or guessed. */
export interface ReadingChoice {
  readonly encoding?: Encoding;
  readonly delimiter?: CsvForm['delimiter'];
  readonly decimal?: CsvForm['decimal'];
  readonly sheet?: string;
  /** From 1. */
  readonly headerRow?: number;
  /** Column uses, by index from 0. */
  readonly columns?: Readonly<Record<number, ColumnChoice>>;
  /** Chosen files for ambiguous names, by name; 0 for none. */
  readonly files?: Readonly<Record<string, number>>;
  readonly onlyBlanks?: boolean;
  /** Whether rows with ambiguous names are skipped. */
  readonly leaveAmbiguous?: boolean;
  /** Whether to re-read without comparing. */
  readonly hold?: boolean;
}

/** A user's choice for a column. */
export type ColumnChoice = { readonly use: 'property'; readonly property: number } | { readonly use: 'file' | 'holder' | 'draft' | 'ignored' };

/** A returned file before comparison: interpretation and questions. */
export interface TableInspection {
  readonly format: TableFormat;
  readonly encoding: Encoding | null;
  readonly delimiter: string | null;
  readonly decimal: CsvForm['decimal'] | null;
  readonly sheets: readonly { readonly name: string; readonly ours: boolean }[];
  readonly sheet: string | null;
  readonly headerRow: number;
  readonly columns: readonly ColumnMatch[];
  /** The first rows. */
  readonly sample: readonly (readonly string[])[];
  readonly rows: number;
  /** Ambiguous file names with candidates. */
  readonly ambiguous: readonly { readonly name: string; readonly rows: number; readonly files: readonly { readonly id: number; readonly path: string }[] }[];
  /** Whether questions are open. */
  readonly asks: readonly ('encoding' | 'sheet' | 'columns' | 'rows')[];
  /** Why it cannot be compared. */
  readonly problem: string | null;
  /** Doubts about the encoding. */
  readonly doubt?: string | null;
}

/** A take-back in the list. */
export interface TakeBackRow {
  readonly id: number;
  readonly name: string;
  readonly by: string;
  readonly at: string;
  /** `asking` until answered, then `comparing` and `compared`. */
  readonly state: 'asking' | 'comparing' | 'compared' | 'failed';
  readonly counts: TakeBackCounts | null;
  readonly note: string | null;
  readonly sendOuts: readonly number[];
}

/** Verdicts on returned cells. */
export const CELL_VERDICTS = ['change', 'conflict', 'spoiled', 'error', 'same'] as const;

/** A returned cell beside the file's value. */
export interface TakeBackCellRow {
  readonly id: number;
  readonly row: number;
  readonly file: number;
  readonly path: string;
  readonly kind: Kind;
  /** Label of the holder; empty for the file. */
  readonly holder: string;
  /** Negative for names outside the schema. */
  readonly property: number;
  /** The written name, if outside the schema. */
  readonly name: string | null;
  readonly verdict: Exclude<CellVerdict, 'unchanged'>;
  readonly base: HeldValue | null;
  readonly current: HeldValue | null;
  readonly proposed: HeldValue | null;
  readonly takeable: boolean;
  readonly proven: boolean;
  readonly text: string;
  readonly code: string;
  readonly message: string;
  /** Decision: taken, or left. */
  readonly decision: 'take' | 'leave' | null;
  /** Whether it went to the tray, and its outcome. */
  readonly outcome: 'tray' | 'applied' | 'failed' | 'dropped' | null;
}

/** A cell filter. */
export interface CellFilter {
  readonly verdict?: (typeof CELL_VERDICTS)[number];
  readonly property?: number;
  readonly folder?: string;
  readonly code?: string;
  readonly row?: number;
  readonly search?: string;
  /** `open` for undecided cells. */
  readonly decision?: 'take' | 'leave' | 'open';
}

/** A page of cells matching a filter. */
export interface CellQuery extends CellFilter {
  readonly offset: number;
  readonly limit: number;
}

/** Decides cells: by number, or by filter. */
export interface DecideRequest {
  readonly cells: readonly number[] | null;
  readonly filter: CellFilter;
  readonly decision: 'take' | 'leave' | null;
}

/** Whether a copy is marked as not returning. */
export interface CloseSendOut {
  readonly closed: boolean;
}

/** How taken cells are applied. */
export interface ApplyTakeBack {
  readonly mode: ApplyMode;
}

/** A page of cells with the total. */
export interface CellPage {
  readonly total: number;
  readonly cells: readonly TakeBackCellRow[];
}

/** Cells of a property or folder, by outcome. */
export interface CellGroup {
  readonly key: string;
  readonly caption: string;
  readonly counts: Readonly<Record<(typeof CELL_VERDICTS)[number], number>>;
  readonly open: number;
}

/** A take-back: questions or changes. */
export interface TakeBackView {
  readonly takeBack: TakeBackRow;
  /** Open questions. */
  readonly inspection: TableInspection | null;
  /** Skipped rows: the first ones, and their number. */
  readonly issues: readonly { readonly row: number; readonly code: string; readonly message: string; readonly cells: number }[];
  readonly issueCount: number;
  readonly warnings: readonly string[];
  readonly byProperty: readonly CellGroup[];
  readonly byFolder: readonly CellGroup[];
  readonly byCode: readonly { readonly verdict: string; readonly code: string; readonly count: number; readonly open: number }[];
  /** Cells to take that are not in the tray yet. */
  readonly ready: number;
  readonly inTray: number;
  /** Cells that were in the tray: applied, failed or dropped. */
  readonly written: number;
  readonly open: number;
  /** The comparing job, while running. */
  readonly job: number | null;
}

/** A delivery to a server folder. */
export interface DeliveryDraft {
  readonly name: string;
  readonly layout: number;
  readonly format: TableFormat;
  readonly folder: string;
  /** `release`: when files reach a workflow state; others by server time (UTC). */
  readonly when: 'release' | 'hourly' | 'daily' | 'weekly';
  /** Workflow state, for `release`. */
  readonly state: string;
  /** Minutes after midnight (`daily`, `weekly`) or after the hour (`hourly`). */
  readonly minute: number;
  /** 0 for Sunday (`weekly`). */
  readonly weekday: number;
  readonly active: boolean;
}

/** A delivery with its next time and last outcome. */
export interface Delivery extends DeliveryDraft {
  readonly id: number;
  readonly nextAt: string | null;
  readonly last: { readonly at: string; readonly file: string | null; readonly rows: number; readonly trouble: string | null } | null;
}

/** A watched server folder. */
export interface WatchedFolderDraft {
  readonly folder: string;
  /** Whether unambiguous changes are applied at once. */
  readonly apply: boolean;
  readonly active: boolean;
}

/** A watched folder with its last outcome. */
export interface WatchedFolder extends WatchedFolderDraft {
  readonly id: number;
  readonly last: { readonly at: string; readonly file: string; readonly takeBack: number | null; readonly trouble: string | null } | null;
}

/** Progress and open tasks. */
export interface Overview {
  readonly company: string;
  readonly files: number;
  readonly unread: number;
  readonly properties: number;
  /** Number of the draft edition. */
  readonly draft: number | null;
  /** By property and kind: files, filled, stand-ins and blank; the latter three add up. */
  readonly coverage: readonly {
    readonly property: number;
    readonly kind: string;
    readonly files: number;
    readonly filled: number;
    readonly standIns: number;
    readonly blank: number;
  }[];
  /** Number of entry forms in force. */
  readonly forms: number;
  readonly toDo: readonly { readonly station: string; readonly view?: string; readonly finding?: FindingKind; readonly count: number; readonly text: string }[];
}
