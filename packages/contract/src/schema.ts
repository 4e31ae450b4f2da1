import {
  BindingDocument,
  Check,
  ChoiceListDraft,
  FormDocument,
  LinkDocument,
  ListComparison,
  PropertyDraft,
  Kind,
  Schema,
  SchemaChange,
  SeriesDraft,
} from '@rule/core/schema';

/** An edit of one property of the draft: what its author saw, and what it is to be. */
export interface ChangedProperty {
  readonly id: number;
  readonly base: PropertyDraft | null;
  readonly baseRetired?: boolean;
  readonly draft: PropertyDraft;
  readonly retired: boolean;
}

/** Properties of the draft as someone saves them together. */
export interface ChangedProperties {
  readonly properties: readonly ChangedProperty[];
}

/** Properties to be defined in the draft. */
export interface AddedProperties {
  readonly properties: readonly PropertyDraft[];
}

/** The checks across properties as someone saves them. */
export interface SavedChecks {
  readonly checks: readonly (Omit<Check, 'id'> & { readonly id: number | null })[];
}

/** A schema as it travels: the whole law, without numbers of this installation. */
export interface SchemaDocument {
  readonly rule: 1;
  readonly properties: readonly (PropertyDraft & { readonly retired: boolean })[];
  readonly checks: readonly Omit<Check, 'id'>[];
  readonly forms: readonly FormDocument[];
  readonly strangers: Schema['strangers'];
  readonly bindings: readonly BindingDocument[];
  readonly links: readonly LinkDocument[];
  readonly lists: readonly ChoiceListDraft[];
  readonly series: readonly SeriesDraft[];
}

/** Where a choice list is kept in step with. */
export type ListSource =
  { readonly type: 'file'; readonly path: string; readonly sheet: string | null } | { readonly type: 'database'; readonly url: string; readonly query: string };

/** A choice list, with its source and what uses it. */
export interface ChoiceListRow extends ChoiceListDraft {
  readonly id: number;
  readonly source: ListSource | null;
  readonly loadedAt: string | null;
  /** When its source was looked at last, the number of choices that differed then, or why it could not be looked at. */
  readonly lookedAt: string | null;
  readonly differs: number | null;
  readonly trouble: string | null;
  /** Captions of the properties that use the list. */
  readonly usedBy: readonly string[];
}

/** What loading a list again would change; `token` proves on applying that the source has not changed since. */
export interface ListPreview extends Omit<ListComparison, 'result'> {
  readonly token: string;
  readonly problems: readonly string[];
}

/** A number series with what it has handed out. */
export interface SeriesRow extends SeriesDraft {
  readonly id: number;
  readonly usedBy: readonly string[];
  readonly counters: readonly { readonly frame: string; readonly last: number; readonly next: string }[];
  readonly numbers: readonly SeriesNumber[];
}

/** A number that a series has handed out. */
export interface SeriesNumber {
  readonly id: number;
  readonly text: string;
  readonly state: 'reserved' | 'used' | 'released';
  readonly by: string;
  readonly at: string;
  readonly file: number | null;
  readonly note: string;
}

/** One edition in the list of all. */
export interface EditionRow {
  readonly number: number;
  readonly state: 'draft' | 'in force' | 'superseded';
  readonly note: string;
  readonly by: string | null;
  readonly at: string;
  readonly basedOn: number | null;
  readonly properties: number;
}

/** The draft: what it says, what that changes, what is wrong with it, and who has worked on it. */
export interface DraftView {
  /** The last draft that was discarded, where no other has begun; absent from servers of earlier versions. */
  readonly discarded?: { readonly changes: number; readonly by: string; readonly at: string } | null;
  /** `null` when nobody has begun a draft: the schema is then what is in force. */
  readonly number: number | null;
  readonly revision: number;
  readonly inForce: number;
  readonly schema: Schema;
  readonly changes: readonly SchemaChange[];
  readonly problems: readonly {
    readonly severity: 'error' | 'warning';
    readonly property: number | null;
    readonly check: number | null;
    /** The form that it is about, and where in it. */
    readonly form?: number;
    readonly panel?: string | null;
    readonly input?: string | null;
    /** The binding or link that it is about. */
    readonly binding?: number;
    readonly link?: number;
    readonly code: string;
    readonly field: string;
    readonly subject: string;
    readonly message: string;
  }[];
  readonly edits: readonly { readonly by: string; readonly at: string; readonly what: string }[];
}

/** What a draft would do to one value, to what a cell of a title block shows, or to what a record of the vault holds. */
export const EFFECTS = ['breaks', 'passes', 'changes', 'loses', 'shows', 'records'] as const;

/** One of {@link EFFECTS}. */
export type Effect = (typeof EFFECTS)[number];

/** What a try of the draft has found, counted by effect and property. */
export interface TrySummary {
  readonly id: number;
  readonly edition: number;
  readonly revision: number;
  /** Whether the draft has changed since. */
  readonly outdated: boolean;
  readonly at: string;
  readonly by: string | null;
  readonly files: number;
  readonly done: boolean;
  readonly effects: readonly {
    readonly effect: Effect;
    readonly property: number | null;
    readonly check: number | null;
    /** The cell that would show something else, by tag and block. */
    readonly cell: string | null;
    /** The record field that would hold something else. */
    readonly record: string | null;
    readonly files: number;
  }[];
}

/** What a try says of one value of a file. */
export interface TryFinding {
  readonly file: number;
  readonly path: string;
  readonly property: number | null;
  readonly check: number | null;
  readonly cell: string | null;
  readonly record: string | null;
  readonly effect: Effect;
  readonly before: string | null;
  readonly after: string | null;
  readonly message: string;
}

/** A page of what a try has found. */
export interface TryQuery {
  readonly effect?: Effect;
  readonly property?: number;
  readonly check?: number;
  readonly cell?: string;
  readonly record?: string;
  readonly offset: number;
  readonly limit: number;
}

/** How far a property of the edition in force has come into the files that it reaches. */
export interface RolloutRow {
  readonly property: number;
  readonly reached: number;
  /** Files that have the name, with or without a value. */
  readonly named: number;
  readonly filled: number;
  /** Files that hold it under another name only. */
  readonly otherName: number;
  /** Files that lack the name and cannot be written now. */
  readonly barred: number;
  /** Files that hold the name although the property is retired or does not reach them. */
  readonly left: number;
}

/** What can be done to carry a property on into files. */
export const ROLLOUT_ACTIONS = ['add the name', 'rename', 'compute', 'remove'] as const;

/** One of {@link ROLLOUT_ACTIONS}. */
export type RolloutAction = (typeof ROLLOUT_ACTIONS)[number];

/** Values to try an expression with: those of a file of the library, and texts typed over them. */
export interface TryExpression {
  readonly property: PropertyDraft;
  readonly id: number | null;
  readonly files: readonly number[];
}

/** What a rule gives for a file, and what each part of it came to. */
export interface ExpressionResult {
  readonly file: number;
  readonly path: string;
  readonly held: string | null;
  readonly result: string | null;
  readonly failure: string | null;
  readonly steps: readonly {
    readonly from: number;
    readonly to: number;
    readonly text: string;
    readonly depth: number;
    readonly values: readonly string[];
    readonly times: number;
  }[];
}

/** Company-wide settings that reading and checking depend on. */
export interface Settings {
  readonly company: string;
  /** Workflow states of documents, in their order. */
  readonly workflowStates: readonly string[];
  /** Patterns of texts that look like values and count as blank. */
  readonly standIns: readonly string[];
  /** Written name of the document property by which a drawing names its model. */
  readonly modelProperty: string;
  /** Written names of the properties that hold a part's mass and material. */
  readonly massProperty: string;
  readonly materialProperty: string;
  /** Densities of materials in kg/m³, for models that state none. */
  readonly densities: readonly { readonly material: string; readonly density: number }[];
  /** Words that mean the same in names: an abbreviation and what it stands for. */
  readonly abbreviations: readonly { readonly short: string; readonly long: string }[];
  /** Values that mean the same: groups of words. */
  readonly synonyms: readonly (readonly string[])[];
}

/** What files have that values can be kept in or taken from. */
export interface SchemaPlaces {
  readonly fields: readonly { readonly kind: Kind; readonly name: string; readonly files: number }[];
  /** Layers that closed outlines are on, and texts that are in outlines. */
  readonly layers: readonly string[];
  readonly texts: readonly string[];
}
