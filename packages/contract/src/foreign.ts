import { CONVERSIONS, Conversion, TwinReason } from '@rule/core/survey';
import { Binding } from '@rule/core/schema';
import { ExceptionReason, LearnedBinding } from '@rule/core/titleblocks';
import { Clause, FileFilter } from './values';

/** One foreign name and what becomes of its values. */
export interface ForeignRow {
  readonly from: string;
  /** The property that takes the values. */
  readonly to: number;
  readonly convert: Conversion;
  /** Files for which the row holds; all when empty. */
  readonly where: readonly Clause[];
}

/** What the names of a foreign library mean to us. */
export interface ForeignDraft {
  readonly name: string;
  readonly rows: readonly ForeignRow[];
}

/** A kept mapping of foreign names. */
export interface ForeignMapping extends ForeignDraft {
  readonly id: number;
}

/** The conversions by name, for lists to choose from. */
export const CONVERSION_NAMES = CONVERSIONS;

/** Foreign names to be brought to ours, and in which files. */
export interface ForeignRequest {
  readonly rows: readonly ForeignRow[];
  readonly filter: FileFilter;
  /** What happens where our name already holds another value. */
  readonly clash: 'keep ours' | 'take theirs';
  /** Whether the foreign name stays in the file beside ours. */
  readonly keep: boolean;
}

/** What a foreign mapping would do. Every foreign value is in one of the row counts. */
export interface ForeignPreview {
  readonly rows: readonly {
    readonly from: string;
    readonly to: number;
    readonly values: number;
    readonly arrive: number;
    /** Ours says the same already. */
    readonly same: number;
    readonly blank: number;
    readonly refused: number;
    /** Ours holds another value, which is kept. */
    readonly kept: number;
  }[];
  readonly lines: number;
  readonly files: number;
  readonly sample: readonly {
    readonly file: number;
    readonly path: string;
    readonly from: string;
    readonly to: number;
    readonly theirs: string;
    readonly before: string | null;
    readonly after: string;
  }[];
  readonly refused: readonly { readonly file: number; readonly path: string; readonly from: string; readonly theirs: string; readonly message: string }[];
  readonly skipped: readonly { readonly file: number; readonly path: string; readonly message: string }[];
  /** Names in these files that neither the schema nor a row knows. */
  readonly unmapped: readonly { readonly name: string; readonly files: number; readonly filled: number }[];
}

/** What is in the files themselves, compared with what a change set meant to write. */
export interface AppliedCheck {
  readonly lines: number;
  readonly asMeant: number;
  readonly different: readonly {
    readonly file: number;
    readonly path: string;
    readonly name: string;
    readonly meant: string | null;
    readonly found: string | null;
  }[];
  readonly unreadable: readonly { readonly file: number; readonly path: string; readonly message: string }[];
}

/** Mappings that the library itself suggests, with what speaks for and against each. */
export interface Learned {
  readonly cells: readonly (LearnedBinding & {
    /** The binding in force, if there is one. */
    readonly bound: Binding | null;
    /** What the draft says of the cell; the same where there is none. */
    readonly drafted: Binding | null;
    readonly exceptionCount: number;
    readonly exceptions: readonly {
      readonly file: number;
      readonly path: string;
      readonly reason: ExceptionReason;
      readonly text: string;
      readonly wanted: string;
    }[];
  })[];
  readonly names: readonly LearnedName[];
}

/** A foreign name whose meaning the library itself suggests. */
export interface LearnedName {
  readonly name: string;
  readonly property: number;
  readonly files: number;
  /** Why the names themselves resemble each other; empty when only their values do. */
  readonly reasons: readonly TwinReason[];
  /** Different values under the name, and those of them that the property holds too. */
  readonly distinct: number;
  readonly shared: number;
  /** Files in which both stand, and those in which they say the same. */
  readonly both: number;
  readonly equal: number;
  /** Files in which both stand with different values. */
  readonly exceptions: readonly { readonly file: number; readonly path: string; readonly theirs: string; readonly ours: string }[];
}
