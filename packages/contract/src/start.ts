import { Kind } from '@rule/core/schema';

/** Settings for publishing start files. */
export interface StartPlan {
  /** A server folder; empty for Rule's own. */
  readonly folder: string;
  readonly sheets: readonly string[];
  /** Title block of start drawings, if any. */
  readonly block: string | null;
  readonly unit: 'mm' | 'in';
  /** Numbers of drawings that start drawings are copies of; each takes the place of one made for its sheet size. */
  readonly drawings: readonly number[];
}

/** A published start file. */
export interface StartFileRow {
  readonly name: string;
  readonly kind: Kind;
  readonly class: string | null;
  readonly sheet: string | null;
  readonly names: readonly string[];
  readonly edition: number;
  /** Whether the file in the folder is unchanged. */
  readonly stands: 'as published' | 'changed by someone else' | 'gone';
}

/** The published start files. */
export interface StartFilesView {
  readonly plan: StartPlan;
  /** Their folder. */
  readonly folder: string;
  readonly inForce: number;
  readonly published: { readonly edition: number; readonly at: string; readonly by: string | null } | null;
  readonly files: readonly StartFileRow[];
  readonly blocks: readonly string[];
  /** The drawings of the plan that are still in a library. */
  readonly drawings: readonly { readonly id: number; readonly path: string }[];
  readonly sheets: readonly { readonly name: string; readonly practice: 'iso' | 'asme' }[];
}

/** Preview of publishing, by file. */
export interface StartComparison {
  readonly name: string;
  readonly effect: 'new' | 'unchanged' | 'replaced' | 'removed' | 'kept';
  readonly added: readonly string[];
  readonly removed: readonly string[];
  /** Warnings. */
  readonly warning: string | null;
}

/** A file based on an older start file, with missing names. */
export interface OlderStart {
  readonly file: number;
  readonly path: string;
  readonly edition: number;
  readonly lacks: readonly string[];
  /** Why it cannot be written. */
  readonly reason: string | null;
}

/** A new or changed file lacking something. */
export interface ToDo {
  readonly file: number;
  readonly path: string;
  readonly class: string | null;
  readonly how: 'new' | 'changed';
  readonly at: string;
  readonly owner: string | null;
  readonly mine: boolean;
  /** Captions of missing names. */
  readonly lacks: readonly string[];
  /** Captions of missing required values. */
  readonly missing: readonly string[];
  readonly reason: string | null;
}
