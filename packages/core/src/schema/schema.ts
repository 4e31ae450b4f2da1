import { EntryForm } from './form';
import { Binding, Link } from './mapping';
import { Kind, Property } from './property';

/** What happens to names outside the schema that people add on their own. */
export const STRANGERS = ['allowed', 'reported', 'refused'] as const;

/** A condition over several properties that must hold, with what it says when it does not. */
export interface Check {
  readonly id: number;
  readonly title: string;
  readonly severity: 'error' | 'warning';
  readonly kinds: readonly Kind[];
  /** Classes whose files are checked; all when empty. */
  readonly classes: readonly string[];
  /** An expression that must be true; blank counts as not decided and says nothing. */
  readonly condition: string;
  readonly message: string;
}

/** The company's law about properties: what one edition says. */
export interface Schema {
  /** In the order in which people see them. */
  readonly properties: readonly Property[];
  readonly checks: readonly Check[];
  /** In the order in which they are tried for a file. */
  readonly forms: readonly EntryForm[];
  readonly strangers: Readonly<Record<Kind, (typeof STRANGERS)[number]>>;
  /** What the cells of title blocks show. */
  readonly bindings: readonly Binding[];
  /** How record fields of the vault and values in files are tied. */
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
