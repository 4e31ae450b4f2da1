import { BlockReading } from '@rule/core/files';
import { Match } from '@rule/core/identity';
import { Kind, KINDS } from '@rule/core/schema';
import { Binding, BoundCell, CellFormat, CellSource } from '@rule/core/titleblocks';
import { HeldValue } from '@rule/core/values';
import { CLASHES, Decision, Link, PASSES, TableFinding } from '@rule/core/vault';
import Joi from 'joi';
import { FileRow, id } from './files';

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

export const bindingRequest = Joi.object<BindingRequest>({
  block: Joi.string().max(255).required(),
  tag: Joi.string().max(255).required(),
  property: id.allow(null).required(),
  source: Joi.valid('drawing', 'model').required(),
  format: Joi.valid('plain', 'with unit', 'upper case').required(),
}).required();

export interface BlockQuery {
  readonly block: string;
}
export interface BlockTray extends BlockQuery {
  /** Drawings to bring up to date; `null` for all. */
  readonly drawings: readonly number[] | null;
}

export const blockQuery = Joi.object<BlockQuery>({ block: Joi.string().max(255).required() });
export const blockTray = Joi.object<BlockTray>({
  block: Joi.string().max(255).required(),
  drawings: Joi.array().items(id).max(10_000).allow(null).required(),
}).required();

export interface BomLayout {
  readonly id: number;
  readonly name: string;
  readonly columns: readonly number[];
}

export interface BomColumns {
  readonly columns: readonly number[];
}

export const bomColumns = Joi.object<BomColumns>({ columns: Joi.array().items(id).max(100).unique().required() }).required();
export const bomLayout = Joi.object<Omit<BomLayout, 'id'>>({
  name: Joi.string().trim().min(1).max(100).required(),
  columns: Joi.array().items(id).max(100).unique().required(),
}).required();

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

export const linkDraft = Joi.object<Link>({
  field: Joi.string().max(100).required(),
  kind: Joi.valid(...KINDS).required(),
  place: Joi.valid('property', 'field').required(),
  name: Joi.string().max(255).required(),
  in: Joi.valid(...PASSES).required(),
  out: Joi.valid(...PASSES).required(),
  onClash: Joi.valid(...CLASHES).required(),
}).required();

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

export const checkIn = Joi.object<CheckIn>({
  settled: Joi.object().pattern(Joi.string().pattern(/^\d+$/), Joi.valid('file', 'record')).default({}),
}).required();

export interface CheckInReport {
  readonly version: number;
  readonly recordChanges: number;
  readonly fileChanges: number;
  readonly changeSet: number | null;
}
