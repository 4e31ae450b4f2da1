import { Level, Place } from '@rule/core/files';
import { Match } from '@rule/core/identity';
import { Kind } from '@rule/core/schema';
import { HeldValue } from '@rule/core/values';
import Joi from 'joi';

export const id = Joi.number().integer().min(1).max(2_147_483_647);

export interface FileRow {
  readonly id: number;
  readonly library: number;
  readonly path: string;
  readonly folder: string;
  readonly name: string;
  readonly kind: Kind;
  /** Why Rule cannot read the file, if so. */
  readonly problem: string | null;
  /** Why nothing may be written into the file, if so. */
  readonly lock: string | null;
}

export interface Library {
  readonly id: number;
  readonly name: string;
  readonly root: string;
  readonly files: number;
  readonly unread: number;
  readonly surveyedAt: string | null;
}

export interface Survey {
  readonly libraries: readonly Library[];
  readonly folders: readonly { readonly folder: string; readonly files: number }[];
  readonly names: readonly FoundName[];
  readonly problems: readonly { readonly file: number; readonly path: string; readonly message: string }[];
}

/** A written name as found in files. */
export interface FoundName {
  readonly name: string;
  readonly level: Level;
  readonly kind: Kind;
  readonly files: number;
  readonly filled: number;
  readonly standIns: number;
  readonly distinct: number;
  readonly examples: readonly string[];
}

/** What a rescan found. */
export interface RescanReport {
  readonly added: number;
  readonly changed: number;
  readonly removed: number;
  readonly unchanged: number;
  readonly failed: readonly { readonly path: string; readonly message: string }[];
  /** Files that Rule does not read, by ending. */
  readonly passedOver: number;
}

export interface FileDetails {
  readonly file: FileRow;
  readonly version: string;
  readonly holders: readonly {
    readonly level: Level;
    readonly key: string;
    readonly label: string;
    readonly values: readonly { readonly place: Place; readonly name: string; readonly held: HeldValue }[];
  }[];
  readonly notes: readonly string[];
  /** The model that a drawing shows. */
  readonly model: Match | null;
  readonly paths: Readonly<Record<number, string>>;
}

export interface LibraryDraft {
  readonly name: string;
  readonly path: string;
}
export interface SettleModel {
  readonly model: number | null;
}
export interface SettlePart {
  readonly product: string;
  readonly part: number | null;
}

export const library = Joi.object<LibraryDraft>({
  name: Joi.string().trim().min(1).max(100).required(),
  path: Joi.string().trim().min(1).max(1000).required(),
}).required();
export const settleModel = Joi.object<SettleModel>({ model: id.allow(null).required() }).required();
export const settlePart = Joi.object<SettlePart>({ product: Joi.string().max(2000).required(), part: id.allow(null).required() }).required();
