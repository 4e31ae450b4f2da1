import { NamingRule } from '@rule/core/naming';
import { FileChoice } from './forms';

/** File naming rules. */
export interface Naming {
  readonly rules: readonly NamingRule[];
}

/** A file whose name differs from its rule. */
export interface NamingRow {
  readonly file: number;
  readonly path: string;
  readonly wanted: string | null;
  readonly mode: NamingRule['mode'];
  /** Why it cannot be done. */
  readonly problem: string | null;
  /** References that follow a rename or replacement. */
  readonly links: readonly { readonly file: number; readonly path: string; readonly how: string }[];
}

/** Files whose names differ from their rule. */
export interface NamingPlan {
  readonly total: number;
  readonly rows: readonly NamingRow[];
}

/** Files to check names for. */
export type NamingRequest = FileChoice;

/** Files to copy with pending values, and whether the copies replace them. */
export interface CopyRequest {
  readonly files: readonly number[];
  readonly replace: boolean;
}
