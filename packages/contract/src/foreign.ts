import { CONVERSIONS, Conversion, TwinReason } from '@rule/core/survey';
import { Binding } from '@rule/core/schema';
import { ExceptionReason, LearnedBinding } from '@rule/core/titleblocks';
import { Clause, FileFilter } from './values';

/** A foreign name and its mapping. */
export interface ForeignRow {
  readonly from: string;
  /** The target property. */
  readonly to: number;
  readonly convert: Conversion;
  /** Applicable files; empty for all. */
  readonly where: readonly Clause[];
}

/** A mapping of foreign names. */
export interface ForeignDraft {
  readonly name: string;
  readonly rows: readonly ForeignRow[];
}

/** A saved mapping. */
export interface ForeignMapping extends ForeignDraft {
  readonly id: number;
}

/** Conversion names. */
export const CONVERSION_NAMES = CONVERSIONS;

/** Foreign names to map, and in which files. */
export interface ForeignRequest {
  readonly rows: readonly ForeignRow[];
  readonly filter: FileFilter;
  /** What happens if the property has another value. */
  readonly clash: 'keep ours' | 'take theirs';
  /** Whether the foreign name is kept. */
  readonly keep: boolean;
}

/** Preview of a mapping. Every foreign value is in exactly one count. */
export interface ForeignPreview {
  readonly rows: readonly {
    readonly from: string;
    readonly to: number;
    readonly values: number;
    readonly arrive: number;
    /** The property has the same value. */
    readonly same: number;
    readonly blank: number;
    readonly refused: number;
    /** The property has another value, which is kept. */
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
  /** Names neither in the schema nor mapped. */
  readonly unmapped: readonly { readonly name: string; readonly files: number; readonly filled: number }[];
}

/** Files compared with a change set's intended values. */
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

/** Suggested mappings with evidence. */
export interface Learned {
  readonly cells: readonly (LearnedBinding & {
    /** The binding in force, if any. */
    readonly bound: Binding | null;
    /** The draft's binding. */
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

/** A suggested meaning of a foreign name. */
export interface LearnedName {
  readonly name: string;
  readonly property: number;
  readonly files: number;
  /** Similarity of the names; empty if only values match. */
  readonly reasons: readonly TwinReason[];
  /** Distinct values, and those shared with the property. */
  readonly distinct: number;
  readonly shared: number;
  /** Files with both names, and with equal values. */
  readonly both: number;
  readonly equal: number;
  /** Files with contradicting values. */
  readonly exceptions: readonly { readonly file: number; readonly path: string; readonly theirs: string; readonly ours: string }[];
}
