import { BlockReading } from '@rule/core/files';
import { Match } from '@rule/core/identity';
import { Binding, Kind, Link, LinkEnd } from '@rule/core/schema';
import { CellMatch, BoundCell, CellOwner, CellState, CellWish } from '@rule/core/titleblocks';
import { Decision, TableFinding, VaultDefinition, VaultField } from '@rule/core/vault';
import { FileRow } from './files';
import { LockedOut, Tray } from './values';

/** A cell of a family of title blocks, what it is bound to, and how it is in the drawings. */
export interface BlockCell {
  readonly tag: string;
  readonly prompt: string;
  /** Whether the block itself holds the text. */
  readonly constant: boolean;
  /** What the edition in force says. */
  readonly binding: Binding | null;
  /** What the draft says; the same where there is none. */
  readonly drafted: Binding | null;
  /** How many cells of drawings are in each state; empty for a cell that is not bound to anything. */
  readonly states: Readonly<Partial<Record<CellState, number>>>;
}

/** A family of title blocks: blocks of one name, whatever its case, with the variants that were made from it. */
export interface BlockRow {
  /** Its name in small letters, by which it is asked for. */
  readonly family: string;
  readonly name: string;
  readonly drawings: number;
  readonly sheets: number;
  readonly cells: readonly BlockCell[];
}

/** Which sheets of a family are listed: all, or those on which a cell, or any, is in a state. */
export interface SheetsQuery {
  readonly block: string;
  readonly cell?: string;
  readonly state?: CellState;
  readonly offset: number;
  readonly limit: number;
}

/** A sheet with a title block. */
export interface SheetRow {
  readonly file: number;
  readonly path: string;
  readonly lock: string | null;
  readonly layout: string;
  /** Its number among the drawing's sheets, and how many there are. */
  readonly number: number;
  readonly sheets: number;
  readonly holder: string;
  readonly states: Readonly<Partial<Record<CellState, number>>>;
}

/** Sheets of a family of title blocks: how many there are, and a page of them. */
export interface SheetPage {
  readonly total: number;
  readonly rows: readonly SheetRow[];
}

/** A title block on a sheet, by the key of its holder. */
export interface HolderQuery {
  readonly holder: string;
}

/** One sheet's title block: its picture and what its cells hold and would show. */
export interface BlockView {
  readonly file: FileRow;
  readonly block: BlockReading;
  readonly family: string;
  readonly holder: string;
  readonly layout: string;
  readonly number: number;
  readonly sheets: number;
  readonly scale: number | null;
  /** The block in whose definition it stands, where it is not placed on the sheet itself. */
  readonly inside: string | null;
  readonly model: {
    readonly match: Match;
    readonly file: number | null;
    readonly path: string | null;
    /** Whether someone has settled it for this sheet alone. */
    readonly settled: boolean;
  };
  readonly cells: readonly {
    readonly tag: string;
    readonly stored: string | null;
    readonly fixed: string | null;
    readonly bound: BoundCell | null;
    /** Where the one value that it shows is kept; `null` where nothing is typed through it. */
    readonly owner: OwnedValue | null;
  }[];
}

/** The value behind a cell: who holds it, what it is now, and why it cannot be typed, if so. */
export interface OwnedValue extends CellOwner {
  /** The path of its file, or the name of its holder. */
  readonly of: string;
  readonly text: string;
  readonly closed: string | null;
}

/** A text typed in a cell that shows no property: it is a text of the drawing alone. */
export interface TypedCell {
  readonly holder: string;
  readonly tag: string;
  readonly text: string;
}

/** Texts of cells to be taken up as values of their properties: those whose source is blank. */
export interface TakeUp {
  readonly block: string;
  /** Tags; `null` for all. */
  readonly cells: readonly string[] | null;
  readonly drawings: readonly number[] | null;
}

/** What was taken up, and the texts that were not, with the reason. */
export interface TakenUpAnswer {
  readonly tray: Tray;
  readonly values: number;
  readonly conflicts: readonly { readonly file: number; readonly path: string; readonly tag: string; readonly text: string; readonly why: string }[];
}

/** What cells show from now on, for the draft; one that shows nothing is left as it is in drawings. */
export interface BoundCells {
  readonly cells: readonly Omit<Binding, 'id'>[];
}

/** Cells of a family of title blocks to be put in the tray: those that are stale, that drawings lack, or that would be erased. */
export interface CellTray {
  readonly block: string;
  /** Tags; `null` for all. */
  readonly cells: readonly string[] | null;
  readonly drawings: readonly number[] | null;
  readonly wishes: readonly CellWish[];
}

/** What was put in the tray, and the drawings that were left out with the reason. */
export interface CellTrayAnswer {
  readonly tray: Tray;
  readonly cells: number;
  readonly left: readonly (LockedOut & { readonly cells: number })[];
}

/** A title block that is exchanged for another. */
export interface BlockExchange {
  readonly from: string;
  readonly to: string;
  /** Which cell's text each cell of the new block gets, by tag; as suggested where it is not said. */
  readonly cells?: Readonly<Record<string, string | null>>;
  /** Numbers of drawings; `null` for all. */
  readonly drawings: readonly number[] | null;
}

/** What an exchange would do. */
export interface BlockExchangePlan {
  readonly sheets: number;
  /** Cells of the new block, where their texts come from, and by what that was found. */
  readonly cells: readonly (CellMatch & { readonly prompt: string })[];
  /** Cells of the old block, and on how many sheets they hold a text. */
  readonly from: readonly { readonly tag: string; readonly prompt: string; readonly texts: number }[];
  /** Cells whose texts no cell of the new block takes. */
  readonly lost: readonly { readonly tag: string; readonly texts: number; readonly examples: readonly string[] }[];
  /** The drawing that lends the new block to those that do not define it. */
  readonly lender: string | null;
  readonly left: readonly LockedOut[];
}

/** The model that feeds a sheet; `null` for the one that the drawing shows. */
export interface SheetModel {
  readonly layout: string;
  readonly model: number | null;
}

/** How the vault stands to the library that stands for it, as it last said: no look waits for it. */
export interface VaultState {
  /** What went wrong when it was asked last; `null` when it answered. */
  readonly problem: string | null;
  /** When it last answered. */
  readonly at: string | null;
  /** Libraries, and which of them stands for the vault. */
  readonly libraries: readonly { readonly id: number; readonly name: string; readonly inVault: boolean }[];
  readonly definition: VaultDefinition;
  /** Links of the edition in force. */
  readonly links: readonly Link[];
  /** Links of the draft; the same where there is none. */
  readonly drafted: readonly Link[];
  readonly table: readonly TableFinding[];
  /** Folders that hold files of the vault, with how many they hold themselves. */
  readonly folders: readonly { readonly path: string; readonly files: number }[];
  readonly files: number;
}

/** One link of one file: its three values and what the next check-in does. */
export interface LinkValues {
  readonly link: Link;
  /** Where the file's value is, or would be written; `null` where the file has no such place. */
  readonly end: LinkEnd | null;
  /** The name there, to the letter. */
  readonly name: string;
  readonly file: string | null;
  readonly record: string | null;
  /** `undefined` when file and record never agreed. */
  readonly agreed?: string | null;
  readonly decision: Decision;
  /** Whether the name is not in the file yet, and would be added. */
  readonly adds: boolean;
  /** Why the value cannot pass; `null` where nothing is against it. */
  readonly refused: string | null;
}

/** Where an entry of the vault stands. */
export interface EntryStanding {
  readonly version: number;
  readonly versionBy: string;
  readonly versionAt: string | null;
  readonly state: string;
  readonly stateBy: string;
  readonly stateAt: string | null;
  readonly checkedOutBy: string | null;
  readonly checkedOutAt: string | null;
}

/** A file beside its record in the vault. */
export interface VaultFile extends EntryStanding {
  readonly file: FileRow;
  readonly record: Readonly<Record<string, string>>;
  readonly values: readonly LinkValues[];
}

/** Values to be tried on a copy of a file and its record: nothing is written. */
export interface TryValues {
  /** The state of the workflow in which they meet. */
  readonly state: string;
  /** By the number of the link; what is not said is as it is. */
  readonly edits: readonly { readonly link: number; readonly file?: string | null; readonly record?: string | null }[];
}

/** What of records is shown. */
export interface RecordsQuery {
  readonly folder?: string;
  /** Looked for in paths and values. */
  readonly text?: string;
  readonly state?: string;
  readonly kind?: Kind;
  readonly offset: number;
  readonly limit: number;
}

/** A record of the vault. */
export interface RecordRow extends EntryStanding {
  readonly entry: number;
  /** The file of the library; `null` where it is not there. */
  readonly file: number | null;
  readonly path: string;
  readonly kind: Kind;
  readonly className: string | null;
  readonly record: Readonly<Record<string, string>>;
  /** Fields that cannot be typed here, with the reason. */
  readonly closed: Readonly<Record<string, string>>;
}

/** Records, and how many there are. */
export interface RecordPage {
  readonly rows: readonly RecordRow[];
  readonly total: number;
}

/** Values typed in records. A value of a record that is not as its author saw it is not written. */
export interface RecordEdits {
  readonly title: string;
  readonly edits: readonly { readonly entry: number; readonly field: string; readonly before: string | null; readonly after: string | null }[];
}

/** What became of values typed in records. */
export interface RecordEditReport {
  /** Number under which it can be undone; `null` where nothing was written. */
  readonly edit: number | null;
  readonly written: number;
  readonly left: readonly { readonly path: string; readonly field: string; readonly reason: string }[];
}

/** Records that are being changed: the job, and what came of it where that was known soon. */
export interface RecordsStarted {
  readonly job: number;
  readonly report: RecordEditReport | null;
}

/** A change of records that was made with Rule. */
export interface RecordEditRow {
  readonly id: number;
  readonly title: string;
  readonly at: string;
  readonly by: string;
  readonly undoneAt: string | null;
  readonly values: number;
  readonly records: number;
}

/** A field to be made from a property; or the one of a name, as it shall be. */
export interface FieldOrder {
  readonly property?: number;
  readonly name?: string;
  readonly field?: VaultField;
}

/** A list from elsewhere to be taken into records: which column says which file, and which field each of the others goes to. */
export interface LegacyList {
  readonly headers: readonly string[];
  readonly rows: readonly (readonly string[])[];
  /** Header of the column with paths, file names, or values of the record field in `keyField`. */
  readonly key: string;
  /** The record field whose values the key column holds; `null` for paths and file names. */
  readonly keyField: string | null;
  readonly columns: readonly { readonly header: string; readonly field: string }[];
}

/** What a list would do, row by row. */
export interface LegacyRow {
  readonly row: number;
  readonly key: string;
  readonly path: string | null;
  readonly entry: number | null;
  readonly changes: readonly { readonly field: string; readonly before: string | null; readonly after: string }[];
  /** Why the row cannot be taken, or a value of it. */
  readonly problems: readonly string[];
}

/** A file of the library that the vault does not have yet, and what its record would hold. */
export interface Newcomer {
  readonly file: number;
  readonly path: string;
  readonly kind: Kind;
  readonly className: string | null;
  readonly record: Readonly<Record<string, string>>;
  readonly problem: string | null;
}

/** What was decided where file and record differ, by the number of the link. */
export interface CheckIn {
  /** Which side is taken for clashes, by link number. */
  readonly settled: Readonly<Record<string, 'file' | 'record'>>;
  /** The vault's version that is knowingly replaced, where the file is not made from it. */
  readonly over?: number;
  /** Whether title block cells that are stale are put right in the same step. */
  readonly titleBlocks?: boolean;
}

/** What a check-in has done. */
export interface CheckInReport {
  readonly version: number;
  readonly recordChanges: number;
  readonly fileChanges: number;
  /** Title block cells that were put right. */
  readonly cells: number;
  readonly changeSet: number | null;
}

/** What a run would do with one file of the vault. */
export interface RehearsedFile {
  readonly file: number;
  readonly path: string;
  readonly kind: Kind;
  readonly state: string;
  readonly version: number;
  /** Linked values by what would become of them; equal ones are not counted. */
  readonly counts: Readonly<Record<'in' | 'out' | 'ask' | 'stays', number>>;
  /** Title block cells that are stale; absent in rehearsals that earlier versions kept. */
  readonly cells?: number;
  /** Whether the file's bytes are other than those of the vault's newest version. */
  readonly changed: boolean;
  /** Why the file cannot be checked in now. */
  readonly blocked: string | null;
  /** The first values that would pass, ask or stay apart. */
  readonly told: readonly {
    readonly field: string;
    readonly file: string | null;
    readonly record: string | null;
    readonly action: Decision['action'];
    readonly reason: string;
  }[];
}

/** A rehearsal that was kept as evidence. */
export interface KeptRehearsal {
  readonly id: number;
  readonly title: string;
  readonly at: string;
  /** When the vault was last heard of then. */
  readonly vaultAt: string | null;
  readonly edition: number | null;
  readonly by: string;
  readonly mine: boolean;
  readonly files: number;
  /** Files that could not have been checked in, and values that would have been asked about. */
  readonly blocked: number;
  readonly asks: number;
}

/** A kept rehearsal with its files: every value that would pass, ask or stay apart is told. */
export interface KeptRehearsalView extends KeptRehearsal {
  readonly rows: readonly RehearsedFile[];
}

/** What becomes of values that would be asked about, where many files are checked in. */
export const RUN_CLASHES = ['leave out', 'file', 'record'] as const;

/** What is done with many files of the vault, one after the other. */
export const RUN_KINDS = ['check in', 'records to files', 'files to records', 'get newest', 'check out', 'undo check-out', 'bring in'] as const;
export type RunKind = (typeof RUN_KINDS)[number];

/** Files to be worked on, one after the other. */
export interface VaultRun {
  readonly kind: RunKind;
  readonly files: readonly number[];
  readonly clash: (typeof RUN_CLASHES)[number];
  /** Whether title blocks of drawings are put right when they are checked in. */
  readonly titleBlocks: boolean;
}

/** What became of one file of a run. */
export interface VaultRunFile {
  readonly file: number;
  readonly path: string;
  readonly outcome: 'done' | 'nothing to do' | 'left out';
  readonly message: string;
  readonly version: number | null;
}

/** What a run comes to; the result of its job. */
export interface VaultRunResult {
  readonly kind: RunKind;
  readonly rows: readonly VaultRunFile[];
}
