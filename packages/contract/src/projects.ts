import { WideLevel } from '@rule/core/schema';
import { HeldValue } from '@rule/core/values';
import { Clause } from './values';

/** A company, project or drawing set: name and membership rule. */
export interface WideDraft {
  readonly level: Exclude<WideLevel, 'company'>;
  readonly name: string;
  /** Files meeting all clauses belong to it; without clauses, files are assigned manually. */
  readonly clauses: readonly Clause[];
}

/** A wide holder in the list. */
export interface WideRow {
  readonly id: number;
  readonly level: WideLevel;
  readonly name: string;
  readonly clauses: readonly Clause[];
  readonly files: number;
}

/** A member file and how it was assigned. */
export interface WideMember {
  readonly file: number;
  readonly path: string;
  readonly kind: string;
  readonly how: 'by rule' | 'by hand';
}

/** A file that lacks an inherited value. */
export interface Behind {
  readonly file: number;
  readonly path: string;
  /** Key and label of the holder; empty for the file. */
  readonly holder: string;
  readonly label: string;
  readonly property: number;
  readonly held: HeldValue | null;
  readonly wanted: HeldValue | null;
  /** Why it cannot be written. */
  readonly reason: string | null;
}

/** A sheet of the set with its sheet-level values. */
export interface SetSheet {
  readonly file: number;
  readonly path: string;
  readonly holder: string;
  readonly label: string;
  readonly held: Readonly<Record<number, HeldValue>>;
  /** Cells holding them, by property number. */
  readonly homes: Readonly<Record<number, string>>;
  readonly lock: string | null;
}

/** All data of a wide holder. */
export interface WideView extends WideRow {
  readonly held: Readonly<Record<number, HeldValue>>;
  readonly members: readonly WideMember[];
  /** Files matching the rule but excluded manually. */
  readonly takenOut: readonly { readonly file: number; readonly path: string }[];
  readonly behind: readonly Behind[];
  readonly behindTotal: number;
  readonly sheets: readonly SetSheet[];
}

/** Assigns or excludes files, or returns them to the rule. */
export interface WideMembers {
  readonly files: readonly number[];
  readonly member: boolean | null;
}
