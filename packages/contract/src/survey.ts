import { CleanUp, Clash, LeftOut, TwinReason, TypeGuess, ValueCount, ValuePicture } from '@rule/core/survey';
import { Level } from '@rule/core/files';
import { Kind, PropertyDraft } from '@rule/core/schema';
import { FileRow, Library } from './files';
import { Clause, FileFilter } from './values';

/** A company's own subdivision of files. */
export interface ClassDraft {
  readonly name: string;
  readonly clauses: readonly Clause[];
  /** Whether the mass that is written down leads, as for bought parts, and not the one that the geometry gives. */
  readonly statedMass: boolean;
}

/** A class with how many files it has. */
export interface ClassRow extends ClassDraft {
  readonly id: number;
  readonly files: number;
}

/** All classes in the order in which they are tried. */
export interface ClassesDraft {
  readonly classes: readonly (ClassDraft & { readonly id?: number })[];
}

/** What the libraries hold: what there is to look at. */
export interface Survey {
  readonly libraries: readonly Library[];
  readonly folders: readonly { readonly library: number; readonly folder: string; readonly files: number }[];
  readonly classes: readonly ClassRow[];
  readonly names: readonly FoundName[];
  readonly files: number;
  readonly remarks: number;
  /** Fields of the records that the vault keeps; none without a vault. */
  readonly recordFields: readonly string[];
}

/** A written name as found in files, at one level in one kind of file. */
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

/** Something about a file that a person should know. */
export interface Remark {
  readonly file: number;
  readonly path: string;
  readonly about: 'cannot be read' | 'noticed' | 'same name' | 'differs in case' | 'same content';
  readonly message: string;
}

/** What coverage is told by. */
export const COVERAGE_BY = ['kind', 'class', 'folder', 'level'] as const;

/** One of {@link COVERAGE_BY}. */
export type CoverageBy = (typeof COVERAGE_BY)[number];

/** What coverage is of: written names in files, or fields of their records in the vault. */
export const COVERAGE_OF = ['names', 'record fields'] as const;

/** One of {@link COVERAGE_OF}. */
export type CoverageOf = (typeof COVERAGE_OF)[number];

/** Files whose coverage is asked for, and by what it is told. Record fields have no levels. */
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
  /** Holders in which two of the names stand with different values. */
  readonly clashes: number;
}

/** A written name whose values are asked for, in some files. */
export interface ValuesQuery extends FileFilter {
  readonly name: string;
}

/** The values of one name. */
export interface FoundValues {
  readonly name: string;
  readonly picture: ValuePicture;
  readonly values: readonly ValueCount[];
  /** Distinct values, of which at most a few thousand are listed. */
  readonly distinct: number;
  readonly files: number;
  readonly blank: number;
  readonly standIns: number;
  /** Defaults that were left in: values that are the preset of a title block cell or the placeholder of the property. */
  readonly leftIn: readonly { readonly text: string; readonly files: number }[];
}

/** Values that are under a name which only resembles a property's written name. */
export interface OtherName {
  readonly property: number;
  readonly name: string;
  readonly files: number;
  readonly differs: 'case' | 'blanks' | 'case and blanks' | 'wording';
}

/** A survey of today to be kept under a title. */
export interface KeepSurvey extends FileFilter {
  readonly title: string;
}

/** A survey that was kept. */
export interface SurveyRow {
  readonly id: number;
  readonly title: string;
  readonly by: string;
  readonly at: string;
  readonly filter: FileFilter;
  readonly files: number;
  readonly names: number;
}

/** What changed since an earlier survey over the same files. */
export interface SurveyComparison {
  readonly then: SurveyRow;
  readonly files: number;
  readonly names: readonly {
    readonly name: string;
    readonly then: { readonly files: number; readonly filled: number; readonly standIns: number } | null;
    readonly now: { readonly files: number; readonly filled: number; readonly standIns: number } | null;
  }[];
}

/** A clean-up over the files of a filter, at chosen levels. */
export interface CleanUpRequest {
  readonly action: CleanUp;
  readonly filter: FileFilter;
  /** Levels that are touched; all when empty. */
  readonly levels: readonly Level[];
  /** Which name's value remains, for clashes that someone settled. */
  readonly chosen: readonly { readonly file: number; readonly holder: string; readonly name: string }[];
}

/** Preview of a clean-up. */
export interface CleanUpPreview {
  readonly lines: number;
  readonly files: number;
  /** Values that would go because their name goes or another value takes their place. */
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
  /** Files that may not be written, with the reason. */
  readonly skipped: readonly { readonly file: number; readonly path: string; readonly message: string }[];
  /** Proposed values that the schema would not take. */
  readonly violations: number;
  readonly violationSample: readonly { readonly file: number; readonly path: string; readonly name: string; readonly message: string }[];
}

/** Values of one file to be copied to others. */
export interface CopyValues {
  readonly from: number;
  readonly names: readonly string[];
  readonly to: FileFilter;
  readonly files: readonly number[];
}

/** Written names that properties are to be drafted for. */
export interface DraftsRequest {
  readonly names: readonly string[];
}

/** A property draft made from what was found, and what speaks against it as it stands. */
export interface FoundDraft {
  readonly found: string;
  readonly draft: PropertyDraft;
  readonly files: number;
  readonly problems: readonly string[];
}

/** A survey to be written as a table. */
export interface SurveyTable {
  readonly format: 'xlsx' | 'csv';
  readonly filter: FileFilter;
  /** Names in their order; all that were found when empty. */
  readonly names: readonly string[];
}

/** A page of the files that a filter takes in. */
export interface FilesQuery extends FileFilter {
  readonly offset: number;
  readonly limit: number;
  /** A written name or field whose values come along. */
  readonly name?: string;
}

/** One page of files, with how many there are. */
export interface FilesPage {
  readonly total: number;
  readonly rows: readonly (FileRow & { readonly values: readonly string[] })[];
}
