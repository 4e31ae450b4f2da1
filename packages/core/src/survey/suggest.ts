import { KINDS, Kind, Property, PropertyDraft, newDraft } from '../schema';
import { ValueType } from '../values';
import { Guess, ValueCount, guessOf, readQuantity } from './values';

/** Type and unit suggested by a name's values. */
export interface TypeGuess {
  readonly type: ValueType;
  readonly unit: string | null;
}

/** Longest choice list worth suggesting. */
const MOST_CHOICES = 12;

/** Share of values that must agree on a type other than text. */
const AGREE = 0.95;

/** Guesses a property's type from values. A choice needs few, frequent values. */
export function guessType(values: readonly ValueCount[]): TypeGuess {
  const real = values.filter((value) => value.text !== '' && !value.standIn);
  const count = (list: readonly ValueCount[]) => list.reduce((sum, value) => sum + value.files, 0);
  const all = count(real);
  if (all === 0) return { type: 'text', unit: null };
  const of = (guess: Guess) => real.filter((value) => guessOf(value) === guess);
  if (count(of('number')) >= AGREE * all && !real.some((value) => value.form === 'text' && /^0\d/.test(value.text))) {
    const units = new Map<string, number>();
    for (const value of real) {
      const unit = value.unit ?? readQuantity(value.text)?.unit;
      if (unit) units.set(unit, (units.get(unit) ?? 0) + value.files);
    }
    const unit = [...units].sort((a, b) => b[1] - a[1])[0]?.[0] ?? null;
    const whole = unit === null && real.every((value) => /^[+-]?\d+$/.test(value.text.trim()));
    return { type: whole ? 'whole' : 'number', unit };
  }
  if (count(of('date')) >= AGREE * all) return { type: 'date', unit: null };
  if (count(of('yes/no')) >= AGREE * all) return { type: 'yesno', unit: null };
  const few = real.length <= MOST_CHOICES && all >= 3 * real.length && all >= 6;
  return { type: few ? 'choice' : 'text', unit: null };
}

/** Drafts a property for a stray: type, kinds, choices and length from its values. */
export function draftFrom(name: string, kinds: readonly Kind[], values: readonly ValueCount[]): PropertyDraft {
  const { type, unit } = guessType(values);
  const real = values.filter((value) => value.text !== '' && !value.standIn);
  const longest = Math.max(0, ...real.map((value) => [...value.text].length));
  const decimals = Math.max(0, ...real.map((value) => /[.,](\d+)/.exec(value.text)?.[1]?.length ?? 0));
  const trimmed = name.trim().replace(/\s+/gu, ' ');
  return {
    ...newDraft(trimmed),
    kinds: [...kinds],
    type,
    unit,
    decimals: type === 'number' ? Math.min(6, decimals) : null,
    choices: type === 'choice' ? [...new Set(real.map((value) => value.text.trim()))].sort() : [],
    // A third more than the longest value, rounded up to tens.
    maxLength: type === 'text' && longest > 0 ? Math.ceil((longest * 4) / 30) * 10 : null,
  };
}

/** A temporary property for an unknown name in an exchange. Its negative id never clashes with the schema. */
export const columnOf = (name: string, id: number, guess: TypeGuess): Property => ({
  ...newDraft(name),
  caption: name,
  kinds: [...KINDS],
  ...(guess.type === 'number' || guess.type === 'whole' ? { type: 'number' as const, unit: guess.unit } : {}),
  id,
  retired: false,
});
