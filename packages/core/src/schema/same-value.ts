import { FeelDate, FeelValue, roundTo, typeName } from '../rules';
import { HeldValue, TypedValue, holdValue, readHeld, sameHeld } from '../values';
import { Property } from './property';

/** A rule's result as a property value: rounded, blank for empty text. */
export function ruledValue(result: FeelValue, property: Property): { readonly value: HeldValue | null; readonly failure?: string } {
  if (result === null || result === '') return { value: null };
  const wrong = (): { value: null; failure: string } => ({ value: null, failure: `the rule returned a ${typeName(result)}` });
  const hold = (value: TypedValue) => ({ value: holdValue(value, property) });
  switch (property.type) {
    case 'number':
      if (typeof result !== 'number') return wrong();
      return hold(property.decimals === null ? result : (roundTo(result, property.decimals, 'half up') ?? result));
    case 'whole':
      return typeof result === 'number' && Number.isSafeInteger(result) ? hold(result) : wrong();
    case 'yesno':
      return typeof result === 'boolean' ? hold(result) : wrong();
    case 'date':
      return result instanceof FeelDate ? hold(result.toString()) : wrong();
    default:
      return typeof result === 'string' ? hold(result) : wrong();
  }
}

/** Whether two held values are equal for a property, even if one is text and one a number. */
export function sameValue(a: HeldValue | null, b: HeldValue | null, property: Property): boolean {
  if (sameHeld(a, b)) return true;
  if (a === null || b === null || a.text === '' || b.text === '' || a.form === b.form) return false;
  const [one, other] = [readHeld(a, property), readHeld(b, property)];
  return one.ok && other.ok && one.value === other.value;
}
