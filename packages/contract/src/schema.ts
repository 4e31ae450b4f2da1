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

/** An edit of a draft property: the version its author saw, and the new one. */
export interface ChangedProperty {
  readonly id: number;
  readonly base: PropertyDraft | null;
  readonly baseRetired?: boolean;
  readonly draft: PropertyDraft;
  readonly retired: boolean;
}

/** Edits saved together. */
export interface ChangedProperties {
  readonly properties: readonly ChangedProperty[];
}

/** Properties to add to the draft. */
export interface AddedProperties {
  readonly properties: readonly PropertyDraft[];
}

/** Checks across properties. */
export interface SavedChecks {
  readonly checks: readonly (Omit<Check, 'id'> & { readonly id: number | null })[];
}

/** A portable schema, without installation-specific numbers. */
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

/** Source of a choice list. */
export type ListSource =
  { readonly type: 'file'; readonly path: string; readonly sheet: string | null } | { readonly type: 'database'; readonly url: string; readonly query: string };

/** A choice list with its source and uses. */
export interface ChoiceListRow extends ChoiceListDraft {
  readonly id: number;
  readonly source: ListSource | null;
  readonly loadedAt: string | null;
  /** Last check of its source: time, number of differences, or error. */
  readonly lookedAt: string | null;
  readonly differs: number | null;
  readonly trouble: string | null;
  /** Captions of properties using the list. */
  readonly usedBy: readonly string[];
}

/** Preview of reloading a list; `token` detects later changes of the source. */
export interface ListPreview extends Omit<ListComparison, 'result'> {
  readonly token: string;
  readonly problems: readonly string[];
}

/** A number series with issued numbers. */
export interface SeriesRow extends SeriesDraft {
  readonly id: number;
  readonly usedBy: readonly string[];
  readonly counters: readonly { readonly frame: string; readonly last: number; readonly next: string }[];
  readonly numbers: readonly SeriesNumber[];
}

/** An issued number. */
export interface SeriesNumber {
  readonly id: number;
  readonly text: string;
  readonly state: 'reserved' | 'used' | 'released';
  readonly by: string;
  readonly at: string;
  readonly file: number | null;
  readonly note: string;
}

/** An edition in the list. */
export interface EditionRow {
  readonly number: number;
  readonly state: 'draft' | 'in force' | 'superseded';
  readonly note: string;
  readonly by: string | null;
  readonly at: string;
  readonly basedOn: number | null;
  readonly properties: number;
}

/** The draft: content, changes, problems and recent authors. */
export interface DraftView {
  /** The last discarded draft, if no other has begun; absent from older servers. */
  readonly discarded?: { readonly changes: number; readonly by: string; readonly at: string } | null;
  /** `null` without a draft; the schema is then the one in force. */
  readonly number: number | null;
  readonly revision: number;
  readonly inForce: number;
  readonly schema: Schema;
  readonly changes: readonly SchemaChange[];
  readonly problems: readonly {
    readonly severity: 'error' | 'warning';
    readonly property: number | null;
    readonly check: number | null;
    /** The form, and the position in it. */
    readonly form?: number;
    readonly panel?: string | null;
    readonly input?: string | null;
    /** The binding or link. */
    readonly binding?: number;
    readonly link?: number;
    readonly code: string;
    readonly field: string;
    readonly subject: string;
    readonly message: string;
  }[];
  readonly edits: readonly { readonly by: string; readonly at: string; readonly what: string }[];
}

/** Effects of a draft on a value, a title block cell or a record field. */
export const EFFECTS = ['breaks', 'passes', 'changes', 'loses', 'shows', 'records'] as const;

/** One of {@link EFFECTS}. */
export type Effect = (typeof EFFECTS)[number];

/** Results of a try, by effect and property. */
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
    /** The affected cell, by tag and block. */
    readonly cell: string | null;
    /** The affected record field. */
    readonly record: string | null;
    readonly files: number;
  }[];
}

/** A finding of a try about one value. */
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

/** A page of findings. */
export interface TryQuery {
  readonly effect?: Effect;
  readonly property?: number;
  readonly check?: number;
  readonly cell?: string;
  readonly record?: string;
  readonly offset: number;
  readonly limit: number;
}

/** Rollout progress of a property. */
export interface RolloutRow {
  readonly property: number;
  readonly reached: number;
  /** Files with the name, with or without a value. */
  readonly named: number;
  readonly filled: number;
  /** Files holding it under another name only. */
  readonly otherName: number;
  /** Locked files lacking the name. */
  readonly barred: number;
  /** Files holding a retired or out-of-scope property. */
  readonly left: number;
}

/** Rollout actions. */
export const ROLLOUT_ACTIONS = ['add the name', 'rename', 'compute', 'remove'] as const;

/** One of {@link ROLLOUT_ACTIONS}. */
export type RolloutAction = (typeof ROLLOUT_ACTIONS)[number];

/** Values for testing an expression: a file's, with overrides. */
export interface TryExpression {
  readonly property: PropertyDraft;
  readonly id: number | null;
  readonly files: readonly number[];
}

/** A rule's result for a file, with all steps. */
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
  /** Workflow states in order. */
  readonly workflowStates: readonly string[];
  /** Patterns of stand-ins: texts that count as blank. */
  readonly standIns: readonly string[];
  /** Written name of the property in which a drawing names its model. */
  readonly modelProperty: string;
  /** Written names of a part's mass and material. */
  readonly massProperty: string;
  readonly materialProperty: string;
  /** Material densities in kg/m³, for models without one. */
  readonly densities: readonly { readonly material: string; readonly density: number }[];
  /** Abbreviations in names. */
  readonly abbreviations: readonly { readonly short: string; readonly long: string }[];
  /** Synonymous values, in groups. */
  readonly synonyms: readonly (readonly string[])[];
}

/** Places in files that can hold values. */
export interface SchemaPlaces {
  readonly fields: readonly { readonly kind: Kind; readonly name: string; readonly files: number }[];
  /** Layers with closed outlines, and texts inside outlines. */
  readonly layers: readonly string[];
  readonly texts: readonly string[];
}
