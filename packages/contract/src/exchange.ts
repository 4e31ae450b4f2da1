import { Kind } from '@rule/core/schema';
import { CellVerdict, TakeBackIssue } from '@rule/core/exchange';
import { HeldValue } from '@rule/core/values';
import Joi from 'joi';
import { id } from './files';
import { FileFilter, fileFilter } from './values';

export const TABLE_FORMATS = ['xlsx', 'csv'] as const;
export type TableFormat = (typeof TABLE_FORMATS)[number];

export interface SendOutRequest {
  readonly format: TableFormat;
  readonly filter: FileFilter;
  /** Properties in their order; empty for all that are not retired. */
  readonly properties: readonly number[];
}

export const sendOutRequest = Joi.object<SendOutRequest>({
  format: Joi.valid(...TABLE_FORMATS).required(),
  filter: fileFilter.required(),
  properties: Joi.array().items(id).max(500).required(),
}).required();

export interface SendOutRow {
  readonly id: number;
  readonly by: string;
  readonly at: string;
  readonly format: TableFormat;
  readonly files: number;
  readonly properties: number;
  readonly takenBackAt: string | null;
}

export interface TakeBackRow {
  readonly id: number;
  readonly name: string;
  readonly by: string;
  readonly at: string;
  readonly counts: Readonly<Record<CellVerdict | 'notTaken' | 'total', number>>;
  readonly note: string | null;
}

export interface TakeBackCellRow {
  readonly id: number;
  readonly row: number;
  readonly file: number;
  readonly path: string;
  readonly kind: Kind;
  /** Negative for a name that the schema does not know. */
  readonly property: number;
  /** The written name, where the schema does not know it. */
  readonly name: string | null;
  readonly verdict: Exclude<CellVerdict, 'unchanged'>;
  readonly base: HeldValue | null;
  readonly current: HeldValue | null;
  readonly proposed: HeldValue | null;
  readonly text: string;
  readonly message: string;
  /** Whether the cell has gone to the tray, or was settled by keeping Rule's value. */
  readonly outcome: 'tray' | 'kept' | null;
}

export interface TakeBackView {
  readonly takeBack: TakeBackRow;
  readonly issues: readonly TakeBackIssue[];
  readonly cells: readonly TakeBackCellRow[];
}

/** Cells to put in the tray; `null` for all that would change. A conflict goes only when it is named. */
export interface TakeBackTray {
  readonly cells: readonly number[] | null;
}
export interface TakeBackKeep {
  readonly cells: readonly number[];
}

export const takeBackTray = Joi.object<TakeBackTray>({ cells: Joi.array().items(id).max(1_000_000).allow(null).required() }).required();
export const takeBackKeep = Joi.object<TakeBackKeep>({ cells: Joi.array().items(id).min(1).max(1_000_000).required() }).required();

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
  readonly toDo: readonly { readonly station: string; readonly view?: string; readonly count: number; readonly text: string }[];
}
