import { Property } from '@rule/core/schema';
import { HeldValue, readHeld, showValue } from '@rule/core/values';

/** A value as a record holds it: in the property's unit, without the unit. */
export function recordText(held: HeldValue | null, property: Property | null): string | null {
  if (held === null || held.text === '') return null;
  if (!property) return held.text;
  const parsed = readHeld(held, property);
  return parsed.ok ? showValue(parsed.value, { ...property, decimals: null }) : held.text;
}
