import { NamingRule } from '@rule/core/naming';
import { FileChoice } from './forms';

/** How the company names its files. */
export interface Naming {
  readonly rules: readonly NamingRule[];
}

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

/** Files whose name is not the one that their rule gives. */
export interface NamingPlan {
  readonly total: number;
  readonly rows: readonly NamingRow[];
}

/** Files whose names are asked for. */
export type NamingRequest = FileChoice;

/** Files whose pending values go into copies, and whether the copies take their places in drawings and assemblies. */
export interface CopyRequest {
  readonly files: readonly number[];
  readonly replace: boolean;
}
