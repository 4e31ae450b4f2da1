/** Kinds of entries. */
export const ENTRY_KINDS = ['part', 'assembly', 'drawing', 'document'] as const;
export type EntryKind = (typeof ENTRY_KINDS)[number];

/** States of the workflow. */
export const STATES = ['open', 'in check', 'released'] as const;
export type State = (typeof STATES)[number];

/** Types of fields. */
export const FIELD_TYPES = ['text', 'number', 'date', 'yes or no', 'list'] as const;
export type FieldType = (typeof FIELD_TYPES)[number];

/** A field of records. */
export interface Field {
  readonly name: string;
  readonly type: FieldType;
  /** Maximum length; `null` for none. */
  readonly length: number | null;
  /** Choices of a list. */
  readonly choices: readonly string[];
  /** Value in new records. */
  readonly initial: string | null;
  /** Required for release; records cannot lose it. */
  readonly required: boolean;
  /** Kinds and classes with this field; empty means all. */
  readonly kinds: readonly EntryKind[];
  readonly classes: readonly string[];
  /** Whether only the vault's administrator can change it. */
  readonly fixed: boolean;
  /** No longer written. */
  readonly retired: boolean;
}

/** A workflow step with the fields it sets; `{person}` and `{date}` are replaced. */
export interface Step {
  readonly name: string;
  readonly from: State;
  readonly to: State;
  readonly sets: Readonly<Record<string, string>>;
  readonly nextRevision: boolean;
}

/** System fields, which nobody writes. */
export const SYSTEM_FIELDS = ['Record number', 'State', 'Checked out by', 'Revision'] as const;

/** Completes a partial field definition. */
export const newField = (name: string, rest: Partial<Omit<Field, 'name'>> = {}): Field => ({
  name,
  type: 'text',
  length: null,
  choices: [],
  initial: null,
  required: false,
  kinds: [],
  classes: [],
  fixed: false,
  retired: false,
  ...rest,
});

/** Whether a field applies to a kind and class. */
export const has = (field: Pick<Field, 'kinds' | 'classes'>, kind: string, className: string | null): boolean =>
  (field.kinds.length === 0 || field.kinds.includes(kind as EntryKind)) &&
  (field.classes.length === 0 || (className !== null && field.classes.includes(className)));

/** A calendar date in ISO 8601. */
function isDay(text: string): boolean {
  if (!/^\d{4}-\d{2}-\d{2}$/.test(text)) return false;
  const day = new Date(`${text}T00:00:00Z`);
  return !Number.isNaN(day.getTime()) && day.toISOString().startsWith(text);
}

/** Why a field cannot hold a text; `null` if it can. */
export function whyNotHeld(field: Pick<Field, 'name' | 'type' | 'length' | 'choices'>, text: string): string | null {
  if (field.length !== null && [...text].length > field.length) return `${field.name} takes ${field.length} characters at most`;
  if (field.type === 'number' && !/^[-+]?(\d+(\.\d*)?|\.\d+)(e[-+]?\d+)?$/i.test(text)) return `${field.name} takes a number`;
  if (field.type === 'date' && !isDay(text)) return `${field.name} takes a date such as 2026-11-30`;
  if (field.type === 'yes or no' && text !== 'yes' && text !== 'no') return `${field.name} takes yes or no`;
  if (field.type === 'list' && !field.choices.includes(text)) return `${field.name} takes one of: ${field.choices.join(', ')}`;
  return null;
}

/** The next revision: A to Z, then AA. */
export function nextRevision(revision: string): string {
  const letters = [...revision];
  for (let i = letters.length - 1; i >= 0; i--) {
    if (letters[i] !== 'Z') {
      letters[i] = String.fromCharCode(letters[i]!.charCodeAt(0) + 1);
      return letters.join('');
    }
    letters[i] = 'A';
  }
  return `A${letters.join('')}`;
}
