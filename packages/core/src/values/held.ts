/** How a value is stored where it was found: the file format's own data type, told apart from the text it shows. */
export type HeldForm = 'text' | 'integer' | 'real' | 'boolean' | 'measure';

/**
 * A value as a file, a record or a change line holds it.
 *
 * `text` is the plain form: no grouping, a full stop as decimal sign, `yes`/`no` for booleans,
 * dates as ISO 8601. `unit` is a unit code of {@link ../values/units} and goes with `measure` only.
 */
export interface HeldValue {
  readonly text: string;
  readonly form: HeldForm;
  readonly unit?: string;
}

/** A text as a held value. */
export const heldText = (text: string): HeldValue => ({ text, form: 'text' });

/** Whether two held values are the same to the letter. `null` stands for "not there at all". */
export function sameHeld(a: HeldValue | null, b: HeldValue | null): boolean {
  if (a === null || b === null) return a === b;
  return a.text === b.text && a.form === b.form && (a.unit ?? null) === (b.unit ?? null);
}
