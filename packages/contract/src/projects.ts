import { WideLevel } from '@rule/core/schema';
import { HeldValue } from '@rule/core/values';
import { Clause } from './values';

/** A company, project or drawing set as it is defined: its name, and which files belong to it by rule. */
export interface WideDraft {
  readonly level: Exclude<WideLevel, 'company'>;
  readonly name: string;
  /** Files that meet all clauses belong to it; with none, files are put in by hand alone. */
  readonly clauses: readonly Clause[];
}

/** The company, a project or a drawing set in the list of them. */
export interface WideRow {
  readonly id: number;
  readonly level: WideLevel;
  readonly name: string;
  readonly clauses: readonly Clause[];
  readonly files: number;
}

/** A file of a project or set, and how it came to belong there. */
export interface WideMember {
  readonly file: number;
  readonly path: string;
  readonly kind: string;
  readonly how: 'by rule' | 'by hand';
}

/** A file that inherits a value from a holder above and does not hold it yet. */
export interface Behind {
  readonly file: number;
  readonly path: string;
  /** Key and label of the holder inside the file; empty for the file itself. */
  readonly holder: string;
  readonly label: string;
  readonly property: number;
  readonly held: HeldValue | null;
  readonly wanted: HeldValue | null;
  /** Why it cannot be written now, if so. */
  readonly reason: string | null;
}

/** One sheet of a drawing of the set, with what it holds of the properties of the level sheet. */
export interface SetSheet {
  readonly file: number;
  readonly path: string;
  readonly holder: string;
  readonly label: string;
  readonly held: Readonly<Record<number, HeldValue>>;
  /** Where the sheet's block keeps each of them, by property number. */
  readonly homes: Readonly<Record<number, string>>;
  readonly lock: string | null;
}

/** All of one company, project or drawing set. */
export interface WideView extends WideRow {
  readonly held: Readonly<Record<number, HeldValue>>;
  readonly members: readonly WideMember[];
  /** Files that a rule would put in and a person has taken out. */
  readonly takenOut: readonly { readonly file: number; readonly path: string }[];
  readonly behind: readonly Behind[];
  readonly behindTotal: number;
  readonly sheets: readonly SetSheet[];
}

/** Puts files into a project or set, takes them out, or leaves them to the rule again. */
export interface WideMembers {
  readonly files: readonly number[];
  readonly member: boolean | null;
}
