import { Kind } from '@rule/core/schema';
import { BesideColumn, CellVerdict, ColumnMatch, CsvForm, Encoding, PLAIN_CSV, RowLevel, TableShapeName, TakeBackCounts } from '@rule/core/exchange';
import { HeldValue } from '@rule/core/values';
import { ApplyMode, FileFilter, FindingKind } from './values';

/** Kinds of tables that go out and come back. */
export const TABLE_FORMATS = ['xlsx', 'csv', 'json', 'xml'] as const;

/** One of {@link TABLE_FORMATS}. */
export type TableFormat = (typeof TABLE_FORMATS)[number];

/** Which rows of those that a filter names: all, files that lack a required value, or those that hold names outside the schema. */
export const LAYOUT_ROWS = ['all', 'missing', 'strays'] as const;

/** A column of a layout. */
export interface LayoutColumn {
  readonly property: number;
  /** What is at its head; empty for the written name. */
  readonly header: string;
  readonly editable: boolean;
}

/** What a table holds and how it looks. */
export interface LayoutContent {
  readonly filter: FileFilter;
  readonly rows: (typeof LAYOUT_ROWS)[number];
  /** What one row stands for. */
  readonly level: RowLevel;
  readonly shape: TableShapeName;
  /** Columns in their order; all properties that apply when empty. */
  readonly columns: readonly LayoutColumn[];
  /** Whether cells that are not editable are locked in the workbook. */
  readonly protect: boolean;
  readonly csv: CsvForm;
  /**
   * For the BOM of an assembly: whether rows say their item number and quantity, and the BOM layout whose numbers they have; `null` for
   * numbers in the order of the structure. Absent for tables without them.
   */
  readonly bom?: { readonly layout: number | null } | null;
  /** Columns for reading, in front of the properties: of the vault, of its records, of title block cells. */
  readonly beside?: readonly BesideColumn[];
}

/** Where a part is in a bill of materials: its item number, or several, and the pieces in the whole assembly. */
export interface BomPlace {
  readonly item: string;
  readonly quantity: number;
}

/** A layout of everything: every file, every property that applies. */
export const WHOLE_LIBRARY: LayoutContent = { filter: {}, rows: 'all', level: 'document', shape: 'wide', columns: [], protect: false, csv: PLAIN_CSV };

/** A layout as someone saves it. */
export interface LayoutDraft {
  readonly name: string;
  /** What it is for, in a sentence. */
  readonly purpose: string;
  readonly shared: boolean;
  readonly content: LayoutContent;
}

/** A saved layout, with whose it is. */
export interface Layout extends LayoutDraft {
  readonly id: number;
  readonly by: string;
  readonly mine: boolean;
}

/** Values to be sent out: which, and in which kind of table. */
export interface SendOutRequest {
  readonly format: TableFormat;
  readonly content: LayoutContent;
  /** The layout that it was sent out with, if it is a saved one. */
  readonly layout: number | null;
  /** Whom it is for. */
  readonly recipient: string;
}

/** Saved layouts, and suggestions for common purposes. */
export interface Layouts {
  readonly saved: readonly Layout[];
  /** Layouts that Rule suggests for purposes, not yet saved. */
  readonly purposes: readonly LayoutDraft[];
}

/** How many rows a layout would have. */
export interface LayoutCount {
  readonly rows: number;
}

/** A send-out that was begun, and the job that writes its file. */
export interface SendOutStarted {
  readonly id: number;
  readonly job: number;
}

/** A table that was sent out, in the list of them. */
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
  /** Whether the file is still kept and can be fetched again. */
  readonly kept: boolean;
  readonly takenBackAt: string | null;
  /** When someone said that it will not come back. */
  readonly closedAt: string | null;
}

/** How a file is read: what was chosen or, where nothing was, guessed. */
export interface ReadingChoice {
  readonly encoding?: Encoding;
  readonly delimiter?: CsvForm['delimiter'];
  readonly decimal?: CsvForm['decimal'];
  readonly sheet?: string;
  /** Counted from 1. */
  readonly headerRow?: number;
  /** What columns are, by their place counted from 0. */
  readonly columns?: Readonly<Record<number, ColumnChoice>>;
  /** Which file is meant by a name that several have, by the name as it is in the table; 0 for none. */
  readonly files?: Readonly<Record<string, number>>;
  readonly onlyBlanks?: boolean;
  /** Whether rows whose file name several files have are left out without asking. */
  readonly leaveAmbiguous?: boolean;
  /** Whether it is only read again, and not compared yet. */
  readonly hold?: boolean;
}

/** What someone says that a column is. */
export type ColumnChoice = { readonly use: 'property'; readonly property: number } | { readonly use: 'file' | 'holder' | 'draft' | 'ignored' };

/** A file that came back, before it is compared: what Rule takes it for, and what it asks. */
export interface TableInspection {
  readonly format: TableFormat;
  readonly encoding: Encoding | null;
  readonly delimiter: string | null;
  readonly decimal: CsvForm['decimal'] | null;
  readonly sheets: readonly { readonly name: string; readonly ours: boolean }[];
  readonly sheet: string | null;
  readonly headerRow: number;
  readonly columns: readonly ColumnMatch[];
  /** The first rows as they stand. */
  readonly sample: readonly (readonly string[])[];
  readonly rows: number;
  /** File names that several files have, with those that are meant perhaps. */
  readonly ambiguous: readonly { readonly name: string; readonly rows: number; readonly files: readonly { readonly id: number; readonly path: string }[] }[];
  /** Whether someone has to answer before it can be compared. */
  readonly asks: readonly ('encoding' | 'sheet' | 'columns' | 'rows')[];
  /** Why it cannot be compared as it is. */
  readonly problem: string | null;
  /** What makes the encoding doubtful. */
  readonly doubt?: string | null;
}

/** A table that was taken back, in the list of them. */
export interface TakeBackRow {
  readonly id: number;
  readonly name: string;
  readonly by: string;
  readonly at: string;
  /** `asking` until what it asks is answered, then `comparing` and `compared`. */
  readonly state: 'asking' | 'comparing' | 'compared' | 'failed';
  readonly counts: TakeBackCounts | null;
  readonly note: string | null;
  readonly sendOuts: readonly number[];
}

/** What can be said of a cell of a table that came back. */
export const CELL_VERDICTS = ['change', 'conflict', 'spoiled', 'error', 'same'] as const;

/** A cell of a table that came back, beside what is in the file. */
export interface TakeBackCellRow {
  readonly id: number;
  readonly row: number;
  readonly file: number;
  readonly path: string;
  readonly kind: Kind;
  /** Label of the holder inside the file; empty for the file itself. */
  readonly holder: string;
  /** Negative for a name that the schema does not know. */
  readonly property: number;
  /** The written name, where the schema does not know it. */
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
  /** What is decided about it: taken, or left as Rule has it. */
  readonly decision: 'take' | 'leave' | null;
  /** Whether it has gone to the tray, and what became of it there. */
  readonly outcome: 'tray' | 'applied' | 'failed' | 'dropped' | null;
}

/** Which cells of a take-back. */
export interface CellFilter {
  readonly verdict?: (typeof CELL_VERDICTS)[number];
  readonly property?: number;
  readonly folder?: string;
  readonly code?: string;
  readonly row?: number;
  readonly search?: string;
  /** `open` for those that nobody has decided about. */
  readonly decision?: 'take' | 'leave' | 'open';
}

/** A page of the cells that a filter takes in. */
export interface CellQuery extends CellFilter {
  readonly offset: number;
  readonly limit: number;
}

/** Decides about cells: by number, or all that a filter names. */
export interface DecideRequest {
  readonly cells: readonly number[] | null;
  readonly filter: CellFilter;
  readonly decision: 'take' | 'leave' | null;
}

/** Whether a copy counts as closed: it will not come back. */
export interface CloseSendOut {
  readonly closed: boolean;
}

/** How what is taken of a table is applied. */
export interface ApplyTakeBack {
  readonly mode: ApplyMode;
}

/** One page of cells, with how many there are. */
export interface CellPage {
  readonly total: number;
  readonly cells: readonly TakeBackCellRow[];
}

/** Cells of one property or folder by what becomes of them. */
export interface CellGroup {
  readonly key: string;
  readonly caption: string;
  readonly counts: Readonly<Record<(typeof CELL_VERDICTS)[number], number>>;
  readonly open: number;
}

/** A table that came back: what it asks, or what it would change. */
export interface TakeBackView {
  readonly takeBack: TakeBackRow;
  /** What is asked, while it is asking. */
  readonly inspection: TableInspection | null;
  /** Rows that are left out, the first of them, and how many there are. */
  readonly issues: readonly { readonly row: number; readonly code: string; readonly message: string; readonly cells: number }[];
  readonly issueCount: number;
  readonly warnings: readonly string[];
  readonly byProperty: readonly CellGroup[];
  readonly byFolder: readonly CellGroup[];
  readonly byCode: readonly { readonly verdict: string; readonly code: string; readonly count: number; readonly open: number }[];
  /** Cells that are decided to be taken and have not gone to the tray. */
  readonly ready: number;
  readonly inTray: number;
  /** Cells that were in the tray: applied, not applied or given up. */
  readonly written: number;
  readonly open: number;
  /** The job that compares it, while it runs. */
  readonly job: number | null;
}

/** A delivery to a folder of the server, for a business system. */
export interface DeliveryDraft {
  readonly name: string;
  readonly layout: number;
  readonly format: TableFormat;
  readonly folder: string;
  /** `release`: as soon as files have reached a workflow state; the others by the clock of the server (UTC). */
  readonly when: 'release' | 'hourly' | 'daily' | 'weekly';
  /** Workflow state, for `release`. */
  readonly state: string;
  /** Minutes after midnight, for `daily` and `weekly`; minutes after the hour, for `hourly`. */
  readonly minute: number;
  /** 0 for Sunday, for `weekly`. */
  readonly weekday: number;
  readonly active: boolean;
}

/** A regular delivery as it is set up, with when it comes next and what became of it last. */
export interface Delivery extends DeliveryDraft {
  readonly id: number;
  readonly nextAt: string | null;
  readonly last: { readonly at: string; readonly file: string | null; readonly rows: number; readonly trouble: string | null } | null;
}

/** A folder of the server in which tables are taken back as they come. */
export interface WatchedFolderDraft {
  readonly folder: string;
  /** Whether what can be taken without a question is applied at once; otherwise it waits for someone to look at it. */
  readonly apply: boolean;
  readonly active: boolean;
}

/** A folder whose tables are taken back, with what became of the last one. */
export interface WatchedFolder extends WatchedFolderDraft {
  readonly id: number;
  readonly last: { readonly at: string; readonly file: string; readonly takeBack: number | null; readonly trouble: string | null } | null;
}

/** Progress of the company, and what there is to do. */
export interface Overview {
  readonly company: string;
  readonly files: number;
  readonly unread: number;
  readonly properties: number;
  /** Number of the edition that is being drafted. */
  readonly draft: number | null;
  /** By property and kind reached: files, filled with a value, stand-ins, blank. The three add up to the files. */
  readonly coverage: readonly {
    readonly property: number;
    readonly kind: string;
    readonly files: number;
    readonly filled: number;
    readonly standIns: number;
    readonly blank: number;
  }[];
  /** Entry forms of the edition in force. */
  readonly forms: number;
  readonly toDo: readonly { readonly station: string; readonly view?: string; readonly finding?: FindingKind; readonly count: number; readonly text: string }[];
}
