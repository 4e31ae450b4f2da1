import { BlockReading } from '@rule/core/files';
import { Match } from '@rule/core/identity';
import { Kind } from '@rule/core/schema';
import { Binding, BoundCell, CellFormat, CellSource } from '@rule/core/titleblocks';
import { HeldValue } from '@rule/core/values';
import { Decision, Link, TableFinding } from '@rule/core/vault';
import { FileRow } from './files';

/** A title block with its cells, their bindings, and the drawings that place it. */
export interface BlockRow {
  readonly name: string;
  readonly cells: readonly { readonly tag: string; readonly prompt: string; readonly binding: Binding | null }[];
  readonly drawings: readonly { readonly file: number; readonly path: string; readonly stale: number }[];
}

/** One drawing's block: its picture and what its cells hold and would show. */
export interface BlockView {
  readonly file: FileRow;
  readonly block: BlockReading;
  readonly holder: string;
  readonly model: { readonly match: Match; readonly path: string | null };
  readonly cells: readonly { readonly tag: string; readonly stored: string | null; readonly bound: BoundCell | null }[];
}

/** What a cell shows from now on; a property of `null` frees it. */
export interface BindingRequest {
  readonly block: string;
  readonly tag: string;
  readonly property: number | null;
  readonly source: CellSource;
  readonly format: CellFormat;
}

/** A title block by its name. */
export interface BlockQuery {
  readonly block: string;
}

/** Stale cells of a block to be put in the tray: of some drawings, or of all. */
export interface BlockTray extends BlockQuery {
  /** Drawings to bring up to date; `null` for all. */
  readonly drawings: readonly number[] | null;
}

/** The columns of a bill of materials, under a name. */
export interface BomLayout {
  readonly id: number;
  readonly name: string;
  readonly columns: readonly number[];
}

/** The columns that a bill of materials is written with. */
export interface BomColumns {
  readonly columns: readonly number[];
}

/** A row of a bill of materials. */
export interface BomTableRow {
  readonly item: number;
  readonly quantity: number;
  readonly label: string;
  readonly match: Match;
  readonly path: string | null;
  /** Values of the part file, by property number. */
  readonly held: Readonly<Record<number, HeldValue>>;
  /** Where the assembly's own copy says something else, by property number. */
  readonly contradictions: Readonly<Record<number, HeldValue>>;
  readonly occurrences: readonly string[];
  /** Keys of the copies, for settling. */
  readonly products: readonly string[];
}

/** The bill of materials of an assembly. */
export interface BomTable {
  readonly assembly: FileRow;
  readonly rows: readonly BomTableRow[];
  readonly paths: Readonly<Record<number, string>>;
}

/** A link between a record field and an address in files, as kept. */
export interface LinkRow extends Link {
  readonly id: number;
}

/** How the vault stands to the libraries; with a problem where it does not answer. */
export interface VaultState {
  /** What went wrong when the vault was asked; `null` when it answered. */
  readonly problem: string | null;
  readonly fields: readonly string[];
  readonly links: readonly LinkRow[];
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
}

/** What a check-in has done. */
export interface CheckInReport {
  readonly version: number;
  readonly recordChanges: number;
  readonly fileChanges: number;
  readonly changeSet: number | null;
}
