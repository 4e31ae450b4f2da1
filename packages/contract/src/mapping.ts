import { BlockReading } from '@rule/core/files';
import { Match } from '@rule/core/identity';
import { Kind } from '@rule/core/schema';
import { Binding, BoundCell, CellFormat, CellSource } from '@rule/core/titleblocks';
import { HeldValue } from '@rule/core/values';
import { Decision, Link, TableFinding } from '@rule/core/vault';
import { FileRow } from './files';

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

export interface BindingRequest {
  readonly block: string;
  readonly tag: string;
  readonly property: number | null;
  readonly source: CellSource;
  readonly format: CellFormat;
}

export interface BlockQuery {
  readonly block: string;
}

export interface BlockTray extends BlockQuery {
  /** Drawings to bring up to date; `null` for all. */
  readonly drawings: readonly number[] | null;
}

export interface BomLayout {
  readonly id: number;
  readonly name: string;
  readonly columns: readonly number[];
}

export interface BomColumns {
  readonly columns: readonly number[];
}

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

export interface BomTable {
  readonly assembly: FileRow;
  readonly rows: readonly BomTableRow[];
  readonly paths: Readonly<Record<number, string>>;
}

export interface LinkRow extends Link {
  readonly id: number;
}

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

export interface VaultFile {
  readonly file: FileRow;
  readonly version: number;
  readonly state: string;
  readonly checkedOutBy: string | null;
  readonly values: readonly LinkValues[];
}

export interface CheckIn {
  /** Which side is taken for clashes, by link number. */
  readonly settled: Readonly<Record<string, 'file' | 'record'>>;
}

export interface CheckInReport {
  readonly version: number;
  readonly recordChanges: number;
  readonly fileChanges: number;
  readonly changeSet: number | null;
}
