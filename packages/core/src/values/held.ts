/** How a value is stored: the format's data type, apart from the displayed text. */
export type HeldForm = 'text' | 'integer' | 'real' | 'boolean' | 'measure';

/**
 * A value in a file, record or change.
 *
 * `text` is plain: no grouping, decimal point, `yes`/`no` for booleans, ISO 8601 dates. `unit` is a code of {@link ../values/units}, only
 * with `measure`.
 */
export interface HeldValue {
  readonly text: string;
  readonly form: HeldForm;
  readonly unit?: string;
}

/** A text as a held value. */
export const heldText = (text: string): HeldValue => ({ text, form: 'text' });

/** Whether two held values are identical. `null` is absent. */
export function sameHeld(a: HeldValue | null, b: HeldValue | null): boolean {
  if (a === null || b === null) return a === b;
  return a.text === b.text && a.form === b.form && (a.unit ?? null) === (b.unit ?? null);
}
