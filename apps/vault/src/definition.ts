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
  /** Longest text in characters; `null` for any. */
  readonly length: number | null;
  /** What a list offers. */
  readonly choices: readonly string[];
  /** What a new record holds. */
  readonly initial: string | null;
  /** Whether an entry without it cannot be released, and a record that has it cannot lose it. */
  readonly required: boolean;
  /** Kinds and classes whose records have it; none means all. */
  readonly kinds: readonly EntryKind[];
  readonly classes: readonly string[];
  /** Whether only the vault's administrator changes it, not the interface. */
  readonly fixed: boolean;
  /** Kept where it is, and written no more. */
  readonly retired: boolean;
}

/** A step of the workflow, with the fields that it sets: `{person}` and `{date}` stand for who takes it and when. */
export interface Step {
  readonly name: string;
  readonly from: State;
  readonly to: State;
  readonly sets: Readonly<Record<string, string>>;
  readonly nextRevision: boolean;
}

/** Fields that the vault keeps itself and nobody writes. */
export const SYSTEM_FIELDS = ['Record number', 'State', 'Checked out by', 'Revision'] as const;

/** A field with what a definition leaves out. */
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

/** Whether records of a kind and class have a field. */
export const has = (field: Pick<Field, 'kinds' | 'classes'>, kind: string, className: string | null): boolean =>
  (field.kinds.length === 0 || field.kinds.includes(kind as EntryKind)) &&
  (field.classes.length === 0 || (className !== null && field.classes.includes(className)));

/** A calendar day as ISO 8601 writes it. */
function isDay(text: string): boolean {
  if (!/^\d{4}-\d{2}-\d{2}$/.test(text)) return false;
  const day = new Date(`${text}T00:00:00Z`);
  return !Number.isNaN(day.getTime()) && day.toISOString().startsWith(text);
}

/** Why a field cannot hold a text; `null` where it can. */
export function whyNotHeld(field: Pick<Field, 'name' | 'type' | 'length' | 'choices'>, text: string): string | null {
  if (field.length !== null && [...text].length > field.length) return `${field.name} takes ${field.length} characters at most`;
  if (field.type === 'number' && !/^[-+]?(\d+(\.\d*)?|\.\d+)(e[-+]?\d+)?$/i.test(text)) return `${field.name} takes a number`;
  if (field.type === 'date' && !isDay(text)) return `${field.name} takes a date such as 2026-11-30`;
  if (field.type === 'yes or no' && text !== 'yes' && text !== 'no') return `${field.name} takes yes or no`;
  if (field.type === 'list' && !field.choices.includes(text)) return `${field.name} takes one of: ${field.choices.join(', ')}`;
  return null;
}

/** The revision after one: A to Z, then AA. */
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
