import { Kind } from '@rule/core/schema';

/** What start files are published with. */
export interface StartPlan {
  /** A folder on the server's disk; empty for the one that Rule keeps among its own data. */
  readonly folder: string;
  readonly sheets: readonly string[];
  /** Name of the title block that drawings carry, if any. */
  readonly block: string | null;
  readonly unit: 'mm' | 'in';
}

/** A start file that was published. */
export interface StartFileRow {
  readonly name: string;
  readonly kind: Kind;
  readonly class: string | null;
  readonly sheet: string | null;
  readonly names: readonly string[];
  readonly edition: number;
  /** Whether what is in the folder is what was published. */
  readonly stands: 'as published' | 'changed by someone else' | 'gone';
}

/** The start files that are published. */
export interface StartFilesView {
  readonly plan: StartPlan;
  /** Where they stand. */
  readonly folder: string;
  readonly inForce: number;
  readonly published: { readonly edition: number; readonly at: string; readonly by: string | null } | null;
  readonly files: readonly StartFileRow[];
  readonly blocks: readonly string[];
  readonly sheets: readonly { readonly name: string; readonly practice: 'iso' | 'asme' }[];
}

/** What publishing would do to one file of the folder. */
export interface StartComparison {
  readonly name: string;
  readonly effect: 'new' | 'unchanged' | 'replaced' | 'removed' | 'kept';
  readonly added: readonly string[];
  readonly removed: readonly string[];
  /** What a person should know before it happens. */
  readonly warning: string | null;
}

/** A file that was made from the start file of an older edition, with the names that it lacks. */
export interface OlderStart {
  readonly file: number;
  readonly path: string;
  readonly edition: number;
  readonly lacks: readonly string[];
  /** Why nothing can be written into the file now, if so. */
  readonly reason: string | null;
}

/** A file that has arrived or changed and lacks something. */
export interface ToDo {
  readonly file: number;
  readonly path: string;
  readonly class: string | null;
  readonly how: 'new' | 'changed';
  readonly at: string;
  readonly owner: string | null;
  readonly mine: boolean;
  /** Captions of properties whose names the file lacks. */
  readonly lacks: readonly string[];
  /** Captions of required properties without a value. */
  readonly missing: readonly string[];
  readonly reason: string | null;
}
