import { NamingRule } from '@rule/core/naming';
import { KINDS } from '@rule/core/schema';
import Joi from 'joi';
import { FileChoice } from './forms';

/** How the company names its files. */
export interface Naming {
  readonly rules: readonly NamingRule[];
}

export const naming = Joi.object<Naming>({
  rules: Joi.array()
    .items(
      Joi.object({
        kinds: Joi.array()
          .items(Joi.valid(...KINDS))
          .min(1)
          .unique()
          .required(),
        classes: Joi.array().items(Joi.string().max(255)).max(500).unique().required(),
        rule: Joi.string().max(10_000).required(),
        mode: Joi.valid('rename', 'copy').required(),
        folder: Joi.string().max(1000).allow('').required(),
      }),
    )
    .max(100)
    .required(),
}).required();

/** A file whose name is not the one that its rule gives. */
export interface NamingRow {
  readonly file: number;
  readonly path: string;
  readonly wanted: string | null;
  readonly mode: NamingRule['mode'];
  /** Why it cannot be done, if so. */
  readonly problem: string | null;
  /** What names the file, and follows when it is renamed or takes the copy's name where that is put in its place. */
  readonly links: readonly { readonly file: number; readonly path: string; readonly how: string }[];
}

export interface NamingPlan {
  readonly total: number;
  readonly rows: readonly NamingRow[];
}

export type NamingRequest = FileChoice;

/** Files whose pending values go into copies, and whether the copies take their places in drawings and assemblies. */
export interface CopyRequest {
  readonly files: readonly number[];
  readonly replace: boolean;
}
export const copyRequest = Joi.object<CopyRequest>({
  files: Joi.array().items(Joi.number().integer().min(1).max(2_147_483_647)).min(1).max(500).unique().required(),
  replace: Joi.boolean().required(),
}).required();
