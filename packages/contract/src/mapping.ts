import { Anchor, BlockReading, CellStep } from '@rule/core/files';
import { Match } from '@rule/core/identity';
import { Binding, Kind, Link, LinkEnd } from '@rule/core/schema';
import { CellMatch, BoundCell, CellOwner, CellState, CellWish } from '@rule/core/titleblocks';
import { Decision, TableFinding, VaultDefinition, VaultField } from '@rule/core/vault';
import { FileRow } from './files';
import { LockedOut, Tray } from './values';

/** A cell of a family, its bindings and states. */
export interface BlockCell {
  readonly tag: string;
  readonly prompt: string;
  /** Whether the block defines the text. */
  readonly constant: boolean;
  /** Binding in force. */
  readonly binding: Binding | null;
  /** Binding in the draft. */
  readonly drafted: Binding | null;
  /** Cells in drawings by state; empty if unbound. */
  readonly states: Readonly<Partial<Record<CellState, number>>>;
}

/** A family of title blocks: blocks of one name, ignoring case, and their variants. */
export interface BlockRow {
  /** Lower-case name. */
  readonly family: string;
  readonly name: string;
  readonly drawings: number;
  readonly sheets: number;
  /** Placed blocks; more than the sheets if they are labels. */
  readonly placed: number;
  readonly cells: readonly BlockCell[];
}

/** Sheet filter: all, or by cell state. */
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
  /** Its number and the drawing's sheet count. */
  readonly number: number;
  readonly sheets: number;
  readonly holder: string;
  /** Its first texts, where the sheet has several blocks of the family; `null` otherwise. */
  readonly label: string | null;
  readonly states: Readonly<Partial<Record<CellState, number>>>;
}

/** A page of sheets with the total. */
export interface SheetPage {
  readonly total: number;
  readonly rows: readonly SheetRow[];
}

/** A title block on a sheet, by holder key. */
export interface HolderQuery {
  readonly holder: string;
}

/** A sheet's title block: definition and cells. */
export interface BlockView {
  readonly file: FileRow;
  readonly block: BlockReading;
  readonly family: string;
  readonly holder: string;
  readonly layout: string;
  readonly number: number;
  readonly sheets: number;
  readonly scale: number | null;
  /** The containing block, if nested. */
  readonly inside: string | null;
  readonly model: {
    readonly match: Match;
    readonly file: number | null;
    readonly path: string | null;
    /** Whether it was chosen for this sheet. */
    readonly settled: boolean;
  };
  readonly cells: readonly {
    readonly tag: string;
    readonly stored: string | null;
    readonly fixed: string | null;
    readonly bound: BoundCell | null;
    /** Owner of its single value; `null` if it is not editable. */
    readonly owner: OwnedValue | null;
  }[];
}

/** The value behind a cell: owner, current value, and why it is closed. */
export interface OwnedValue extends CellOwner {
  /** Path of its file, or name of its holder. */
  readonly of: string;
  readonly text: string;
  readonly closed: string | null;
}

/** Text typed in an unbound cell. */
export interface TypedCell {
  readonly holder: string;
  readonly tag: string;
  readonly text: string;
}

/** Cell texts to take up as values where the source is blank. */
export interface TakeUp {
  readonly block: string;
  /** Tags; `null` for all. */
  readonly cells: readonly string[] | null;
  readonly drawings: readonly number[] | null;
}

/** Values taken up, and conflicts. */
export interface TakenUpAnswer {
  readonly tray: Tray;
  readonly values: number;
  readonly conflicts: readonly { readonly file: number; readonly path: string; readonly tag: string; readonly text: string; readonly why: string }[];
}

/** New bindings for the draft; unbound cells stay as they are. */
export interface BoundCells {
  readonly cells: readonly Omit<Binding, 'id'>[];
}

/** Cells to correct: stale, lacking, or to be erased. */
export interface CellTray {
  readonly block: string;
  /** Tags; `null` for all. */
  readonly cells: readonly string[] | null;
  readonly drawings: readonly number[] | null;
  readonly wishes: readonly CellWish[];
}

/** Lines added, and skipped drawings. */
export interface CellTrayAnswer {
  readonly tray: Tray;
  readonly cells: number;
  readonly left: readonly (LockedOut & { readonly cells: number })[];
}

/** Which texts are anchored: the chosen one, those at the same place of sheets of its size, or those that differ in their numbers alone. */
export const ANCHOR_AMONG = ['this text', 'same place', 'texts like it'] as const;
/** Where texts are looked for. */
export const ANCHOR_IN = ['this drawing', 'its folder', 'its library'] as const;

/** Plain texts that become cells, or are let go. */
export interface AnchorChange {
  readonly file: number;
  /** Where the chosen text stands. */
  readonly name: string;
  /** `null` lets the texts go. */
  readonly anchor: Anchor | null;
  readonly among: (typeof ANCHOR_AMONG)[number];
  readonly in: (typeof ANCHOR_IN)[number];
}

/** Preview of anchoring. */
export interface AnchorPlan {
  readonly drawings: number;
  readonly texts: number;
  readonly examples: readonly { readonly file: number; readonly path: string; readonly layout: string; readonly text: string }[];
  readonly left: readonly LockedOut[];
}

/** A page of a list. */
export interface SheetPageQuery {
  readonly offset: number;
  readonly limit: number;
}

/** A page of sheets without any cell. */
export interface BareSheets {
  readonly total: number;
  readonly rows: readonly { readonly file: number; readonly path: string; readonly lock: string | null; readonly layout: string; readonly sheets: number }[];
}

/** A title block that is exchanged for another. */
export interface BlockExchange {
  readonly from: string;
  readonly to: string;
  /** Sources of cell texts by new tag; suggested ones by default. */
  readonly cells?: Readonly<Record<string, string | null>>;
  /** Numbers of drawings; `null` for all. */
  readonly drawings: readonly number[] | null;
}

/** Preview of an exchange. */
export interface BlockExchangePlan {
  readonly sheets: number;
  /** Cells of the new block with their sources. */
  readonly cells: readonly (CellMatch & { readonly prompt: string })[];
  /** Cells of the old block, with counts of texts. */
  readonly from: readonly { readonly tag: string; readonly prompt: string; readonly texts: number }[];
  /** Texts that would be lost. */
  readonly lost: readonly { readonly tag: string; readonly texts: number; readonly examples: readonly string[] }[];
  /** The drawing providing the new block. */
  readonly lender: string | null;
  readonly left: readonly LockedOut[];
}

/** Changes of the cells of a block, in all drawings that define it or in some. */
export interface BlockCellChange {
  readonly block: string;
  readonly steps: readonly CellStep[];
  /** Numbers of drawings; `null` for all. */
  readonly drawings: readonly number[] | null;
}

/** Preview of such a change. */
export interface BlockCellPlan {
  readonly drawings: number;
  readonly sheets: number;
  /** Number of different definitions of the block that are changed. */
  readonly definitions: number;
  /** Cells after the change. */
  readonly cells: readonly { readonly tag: string; readonly prompt: string }[];
  /** Whether placed blocks are placed anew, with their attributes where the block then defines them. */
  readonly anew: boolean;
  /** Texts that would be lost. */
  readonly lost: BlockExchangePlan['lost'];
  /** Renamed or removed cells that are bound. */
  readonly bound: readonly string[];
  readonly left: readonly LockedOut[];
}

/** A sheet's model; `null` for the drawing's. */
export interface SheetModel {
  readonly layout: string;
  readonly model: number | null;
}

/** State of vault and library, as last fetched. */
export interface VaultState {
  /** The last error; `null` if there was none. */
  readonly problem: string | null;
  /** Time of the last answer. */
  readonly at: string | null;
  /** Libraries, and which is the vault's. */
  readonly libraries: readonly { readonly id: number; readonly name: string; readonly inVault: boolean }[];
  readonly definition: VaultDefinition;
  /** Links in force. */
  readonly links: readonly Link[];
  /** Links of the draft. */
  readonly drafted: readonly Link[];
  readonly table: readonly TableFinding[];
  /** Vault folders with direct file counts. */
  readonly folders: readonly { readonly path: string; readonly files: number }[];
  readonly files: number;
}

/** A link of a file: three values and the outcome. */
export interface LinkValues {
  readonly link: Link;
  /** Address of the file's value; `null` for none. */
  readonly end: LinkEnd | null;
  /** The exact name there. */
  readonly name: string;
  readonly file: string | null;
  readonly record: string | null;
  /** `undefined` if they never agreed. */
  readonly agreed?: string | null;
  readonly decision: Decision;
  /** Whether the name would be added to the file. */
  readonly adds: boolean;
  /** Why the value cannot pass; `null` if it can. */
  readonly refused: string | null;
}

/** Standing of an entry. */
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

/** A file beside its record. */
export interface VaultFile extends EntryStanding {
  readonly file: FileRow;
  readonly record: Readonly<Record<string, string>>;
  readonly values: readonly LinkValues[];
}

/** Values to try on copies. */
export interface TryValues {
  /** Workflow state to assume. */
  readonly state: string;
  /** By link; absent sides are unchanged. */
  readonly edits: readonly { readonly link: number; readonly file?: string | null; readonly record?: string | null }[];
}

/** Record filter. */
export interface RecordsQuery {
  readonly folder?: string;
  /** Searched in paths and values. */
  readonly text?: string;
  readonly state?: string;
  readonly kind?: Kind;
  readonly offset: number;
  readonly limit: number;
}

/** A vault record. */
export interface RecordRow extends EntryStanding {
  readonly entry: number;
  /** The library file; `null` if missing. */
  readonly file: number | null;
  readonly path: string;
  readonly kind: Kind;
  readonly className: string | null;
  readonly record: Readonly<Record<string, string>>;
  /** Read-only fields with reasons. */
  readonly closed: Readonly<Record<string, string>>;
}

/** A page of records with the total. */
export interface RecordPage {
  readonly rows: readonly RecordRow[];
  readonly total: number;
}

/** Typed record values. Values changed since are not overwritten. */
export interface RecordEdits {
  readonly title: string;
  readonly edits: readonly { readonly entry: number; readonly field: string; readonly before: string | null; readonly after: string | null }[];
}

/** Result of record changes. */
export interface RecordEditReport {
  /** Number for undo; `null` if nothing was written. */
  readonly edit: number | null;
  readonly written: number;
  readonly left: readonly { readonly path: string; readonly field: string; readonly reason: string }[];
}

/** Started record changes: the job, and its result if it finished soon. */
export interface RecordsStarted {
  readonly job: number;
  readonly report: RecordEditReport | null;
}

/** A change of records. */
export interface RecordEditRow {
  readonly id: number;
  readonly title: string;
  readonly at: string;
  readonly by: string;
  readonly undoneAt: string | null;
  readonly values: number;
  readonly records: number;
}

/** A field to create from a property, or a field's new definition. */
export interface FieldOrder {
  readonly property?: number;
  readonly name?: string;
  readonly field?: VaultField;
}

/** A list for records, with column mapping. */
export interface LegacyList {
  readonly headers: readonly string[];
  readonly rows: readonly (readonly string[])[];
  /** Header of the key column. */
  readonly key: string;
  /** Field matched by the key; `null` for paths and names. */
  readonly keyField: string | null;
  readonly columns: readonly { readonly header: string; readonly field: string }[];
}

/** Preview of a list, by row. */
export interface LegacyRow {
  readonly row: number;
  readonly key: string;
  readonly path: string | null;
  readonly entry: number | null;
  readonly changes: readonly { readonly field: string; readonly before: string | null; readonly after: string }[];
  /** Problems of the row. */
  readonly problems: readonly string[];
}

/** A file not yet in the vault, with its initial record. */
export interface Newcomer {
  readonly file: number;
  readonly path: string;
  readonly kind: Kind;
  readonly className: string | null;
  readonly record: Readonly<Record<string, string>>;
  readonly problem: string | null;
}

/** Decisions on differences, by link. */
export interface CheckIn {
  /** Chosen side for clashes, by link number. */
  readonly settled: Readonly<Record<string, 'file' | 'record'>>;
  /** A vault version knowingly replaced. */
  readonly over?: number;
  /** Whether to correct stale title block cells too. */
  readonly titleBlocks?: boolean;
}

/** Result of a check-in. */
export interface CheckInReport {
  readonly version: number;
  readonly recordChanges: number;
  readonly fileChanges: number;
  /** Corrected title block cells. */
  readonly cells: number;
  readonly changeSet: number | null;
}

/** Preview of a run for one file. */
export interface RehearsedFile {
  readonly file: number;
  readonly path: string;
  readonly kind: Kind;
  readonly state: string;
  readonly version: number;
  /** Differing values by action. */
  readonly counts: Readonly<Record<'in' | 'out' | 'ask' | 'stays', number>>;
  /** Stale title block cells; absent in older rehearsals. */
  readonly cells?: number;
  /** Whether the file differs from the vault's newest version. */
  readonly changed: boolean;
  /** Why it cannot be checked in. */
  readonly blocked: string | null;
  /** The first differing values. */
  readonly told: readonly {
    readonly field: string;
    readonly file: string | null;
    readonly record: string | null;
    readonly action: Decision['action'];
    readonly reason: string;
  }[];
}

/** A kept rehearsal. */
export interface KeptRehearsal {
  readonly id: number;
  readonly title: string;
  readonly at: string;
  /** Time of the vault data used. */
  readonly vaultAt: string | null;
  readonly edition: number | null;
  readonly by: string;
  readonly mine: boolean;
  readonly files: number;
  /** Blocked files, and values needing a decision. */
  readonly blocked: number;
  readonly asks: number;
}

/** A kept rehearsal with all differing values. */
export interface KeptRehearsalView extends KeptRehearsal {
  readonly rows: readonly RehearsedFile[];
}

/** Handling of clashes in runs. */
export const RUN_CLASHES = ['leave out', 'file', 'record'] as const;

/** Kinds of runs. */
export const RUN_KINDS = ['check in', 'records to files', 'files to records', 'get newest', 'check out', 'undo check-out', 'bring in'] as const;
export type RunKind = (typeof RUN_KINDS)[number];

/** A run over files. */
export interface VaultRun {
  readonly kind: RunKind;
  readonly files: readonly number[];
  readonly clash: (typeof RUN_CLASHES)[number];
  /** Whether to correct title blocks at check-in. */
  readonly titleBlocks: boolean;
}

/** Outcome for one file. */
export interface VaultRunFile {
  readonly file: number;
  readonly path: string;
  readonly outcome: 'done' | 'nothing to do' | 'left out';
  readonly message: string;
  readonly version: number | null;
}

/** Result of a run. */
export interface VaultRunResult {
  readonly kind: RunKind;
  readonly rows: readonly VaultRunFile[];
}
