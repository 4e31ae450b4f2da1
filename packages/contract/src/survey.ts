import { CleanUp, Clash, LeftOut, TwinReason, TypeGuess, ValueCount, ValuePicture } from '@rule/core/survey';
import { Level } from '@rule/core/files';
import { Kind, PropertyDraft } from '@rule/core/schema';
import { FileRow, Library } from './files';
import { Clause, FileFilter } from './values';

/** A class of files. */
export interface ClassDraft {
  readonly name: string;
  readonly clauses: readonly Clause[];
  /** Whether written mass overrides geometry, as for bought parts. */
  readonly statedMass: boolean;
}

/** A class with its file count. */
export interface ClassRow extends ClassDraft {
  readonly id: number;
  readonly files: number;
}

/** All classes in matching order. */
export interface ClassesDraft {
  readonly classes: readonly (ClassDraft & { readonly id?: number })[];
}

/** Content of the libraries. */
export interface Survey {
  readonly libraries: readonly Library[];
  readonly folders: readonly { readonly library: number; readonly folder: string; readonly files: number }[];
  readonly classes: readonly ClassRow[];
  readonly names: readonly FoundName[];
  readonly files: number;
  readonly remarks: number;
  /** Record fields; empty without a vault. */
  readonly recordFields: readonly string[];
}

/** A written name at one level in one kind of file. */
export interface FoundName {
  readonly name: string;
  readonly level: Level;
  readonly kind: Kind;
  readonly files: number;
  readonly filled: number;
  readonly standIns: number;
  readonly distinct: number;
  readonly examples: readonly string[];
  readonly guess: TypeGuess;
}

/** A remark about a file. */
export interface Remark {
  readonly file: number;
  readonly path: string;
  readonly about: 'cannot be read' | 'noticed' | 'same name' | 'differs in case' | 'same content';
  readonly message: string;
}

/** Coverage columns. */
export const COVERAGE_BY = ['kind', 'class', 'folder', 'level'] as const;

/** One of {@link COVERAGE_BY}. */
export type CoverageBy = (typeof COVERAGE_BY)[number];

/** Coverage rows: written names, or record fields. */
export const COVERAGE_OF = ['names', 'record fields'] as const;

/** One of {@link COVERAGE_OF}. */
export type CoverageOf = (typeof COVERAGE_OF)[number];

/** A coverage query. Record fields have no levels. */
export interface CoverageQuery extends FileFilter {
  readonly by: CoverageBy;
  readonly of: CoverageOf;
}

/** Coverage of names or record fields by kind, class, folder or level. */
export interface Coverage {
  readonly columns: readonly { readonly key: string; readonly label: string; readonly files: number }[];
  readonly rows: readonly {
    readonly name: string;
    readonly cells: readonly { readonly files: number; readonly filled: number; readonly standIns: number }[];
  }[];
}

/** Names that probably mean the same. */
export interface TwinRow {
  readonly reasons: readonly TwinReason[];
  readonly names: readonly { readonly name: string; readonly files: number; readonly filled: number; readonly property: number | null }[];
  /** Holders where both names have different values. */
  readonly clashes: number;
}

/** A name whose values are requested. */
export interface ValuesQuery extends FileFilter {
  readonly name: string;
}

/** The values of one name. */
export interface FoundValues {
  readonly name: string;
  readonly picture: ValuePicture;
  readonly values: readonly ValueCount[];
  /** Distinct values; at most a few thousand are listed. */
  readonly distinct: number;
  readonly files: number;
  readonly blank: number;
  readonly standIns: number;
  /** Unchanged defaults: presets of cells or placeholders of properties. */
  readonly leftIn: readonly { readonly text: string; readonly files: number }[];
}

/** Values under a name resembling a property's. */
export interface OtherName {
  readonly property: number;
  readonly name: string;
  readonly files: number;
  readonly differs: 'case' | 'blanks' | 'case and blanks' | 'wording';
}

/** A survey to keep. */
export interface KeepSurvey extends FileFilter {
  readonly title: string;
}

/** A kept survey. */
export interface SurveyRow {
  readonly id: number;
  readonly title: string;
  readonly by: string;
  readonly at: string;
  readonly filter: FileFilter;
  readonly files: number;
  readonly names: number;
}

/** Changes since a kept survey. */
export interface SurveyComparison {
  readonly then: SurveyRow;
  readonly files: number;
  readonly names: readonly {
    readonly name: string;
    readonly then: { readonly files: number; readonly filled: number; readonly standIns: number } | null;
    readonly now: { readonly files: number; readonly filled: number; readonly standIns: number } | null;
  }[];
}

/** A clean-up of filtered files, at selected levels. */
export interface CleanUpRequest {
  readonly action: CleanUp;
  readonly filter: FileFilter;
  /** Affected levels; all if empty. */
  readonly levels: readonly Level[];
  /** Chosen names for settled clashes. */
  readonly chosen: readonly { readonly file: number; readonly holder: string; readonly name: string }[];
}

/** Preview of a clean-up. */
export interface CleanUpPreview {
  readonly lines: number;
  readonly files: number;
  /** Values that would be lost. */
  readonly going: number;
  readonly sample: readonly {
    readonly file: number;
    readonly path: string;
    readonly holder: string;
    readonly name: string;
    readonly before: string | null;
    readonly after: string | null;
  }[];
  readonly clashes: number;
  readonly clashSample: readonly (Clash & { readonly path: string })[];
  readonly leftOut: number;
  readonly leftOutSample: readonly (LeftOut & { readonly path: string })[];
  /** Locked files with reasons. */
  readonly skipped: readonly { readonly file: number; readonly path: string; readonly message: string }[];
  /** Proposed values violating the schema. */
  readonly violations: number;
  readonly violationSample: readonly { readonly file: number; readonly path: string; readonly name: string; readonly message: string }[];
}

/** Values to copy from one file to others. */
export interface CopyValues {
  readonly from: number;
  readonly names: readonly string[];
  readonly to: FileFilter;
  readonly files: readonly number[];
}

/** Names to draft properties for. */
export interface DraftsRequest {
  readonly names: readonly string[];
}

/** A suggested draft property with its problems. */
export interface FoundDraft {
  readonly found: string;
  readonly draft: PropertyDraft;
  readonly files: number;
  readonly problems: readonly string[];
}

/** A survey as a table. */
export interface SurveyTable {
  readonly format: 'xlsx' | 'csv';
  readonly filter: FileFilter;
  /** Names in order; all if empty. */
  readonly names: readonly string[];
}

/** A page of filtered files. */
export interface FilesQuery extends FileFilter {
  readonly offset: number;
  readonly limit: number;
  /** A name or field whose values are included. */
  readonly name?: string;
}

/** A page of files with the total. */
export interface FilesPage {
  readonly total: number;
  readonly rows: readonly (FileRow & { readonly values: readonly string[] })[];
}
