import { EntryForm } from './form';
import { Binding, Link } from './mapping';
import { Kind, Property } from './property';

/** Policy for names outside the schema. */
export const STRANGERS = ['allowed', 'reported', 'refused'] as const;

/** A check over several properties, with its message. */
export interface Check {
  readonly id: number;
  readonly title: string;
  readonly severity: 'error' | 'warning';
  readonly kinds: readonly Kind[];
  /** Its classes; all if empty. */
  readonly classes: readonly string[];
  /** An expression that must be true; blank counts as undecided and passes. */
  readonly condition: string;
  readonly message: string;
}

/** The company's schema, as defined by an edition. */
export interface Schema {
  /** In display order. */
  readonly properties: readonly Property[];
  readonly checks: readonly Check[];
  /** In order of precedence. */
  readonly forms: readonly EntryForm[];
  readonly strangers: Readonly<Record<Kind, (typeof STRANGERS)[number]>>;
  /** Contents of title block cells. */
  readonly bindings: readonly Binding[];
  /** Links between vault record fields and values in files. */
  readonly links: readonly Link[];
}

export const EMPTY_SCHEMA: Schema = {
  properties: [],
  checks: [],
  forms: [],
  strangers: { part: 'reported', assembly: 'reported', drawing: 'reported', other: 'allowed' },
  bindings: [],
  links: [],
};
