import { BlockReading } from '@rule/core/files';
import { Match } from '@rule/core/identity';
import { Binding, Kind, Link } from '@rule/core/schema';
import { BoundCell, CellOwner, CellState, CellWish } from '@rule/core/titleblocks';
import { Decision, TableFinding } from '@rule/core/vault';
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

/** The model that feeds a sheet; `null` for the one that the drawing shows. */
export interface SheetModel {
  readonly layout: string;
  readonly model: number | null;
}

/** A link of the edition in force, with where it leads in its kind of file. */
export interface LinkRow extends Link {
  readonly place: 'property' | 'field';
  readonly name: string;
}

/** How the vault stands to the library that stands for it, as it last said: no look waits for it. */
export interface VaultState {
  /** What went wrong when it was asked last; `null` when it answered. */
  readonly problem: string | null;
  /** When it last answered. */
  readonly at: string | null;
  /** Libraries, and which of them stands for the vault. */
  readonly libraries: readonly { readonly id: number; readonly name: string; readonly inVault: boolean }[];
  readonly fields: readonly string[];
  /** Links of the edition in force. */
  readonly links: readonly LinkRow[];
  /** Links of the draft; the same where there is none. */
  readonly drafted: readonly Link[];
  readonly table: readonly TableFinding[];
  readonly files: readonly {
    readonly file: number;
    readonly path: string;
    readonly kind: Kind;
    readonly state: string;
    readonly version: number;
    readonly checkedOutBy: string | null;
  }[];
}

/** One link of one file: its three values and what the next check-in does. */
export interface LinkValues {
  readonly link: LinkRow;
  readonly file: string | null;
  readonly record: string | null;
  /** `undefined` when file and record never agreed. */
  readonly agreed?: string | null;
  readonly decision: Decision;
}

/** A file beside its record in the vault. */
export interface VaultFile {
  readonly file: FileRow;
  readonly version: number;
  readonly state: string;
  readonly checkedOutBy: string | null;
  readonly values: readonly LinkValues[];
}

/** What was decided where file and record differ, by the number of the link. */
export interface CheckIn {
  /** Which side is taken for clashes, by link number. */
  readonly settled: Readonly<Record<string, 'file' | 'record'>>;
  /** The vault's version that is knowingly replaced, where the file is not made from it. */
  readonly over?: number;
}

/** What a check-in has done. */
export interface CheckInReport {
  readonly version: number;
  readonly recordChanges: number;
  readonly fileChanges: number;
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

/** Files to be checked in, one after the other. */
export interface VaultRun {
  readonly files: readonly number[];
  readonly clash: (typeof RUN_CLASHES)[number];
}

/** What became of one file of a run. */
export interface VaultRunFile {
  readonly file: number;
  readonly path: string;
  readonly outcome: 'checked in' | 'nothing to do' | 'left out';
  readonly message: string;
  readonly version: number | null;
}

/** What a run comes to; the result of its job. */
export interface VaultRunResult {
  readonly rows: readonly VaultRunFile[];
}
