import { HeldValue, StandIns, holdValue, parseText } from '../values';
import { checkProposed } from './constraints';
import { Judged } from './facts';
import { sameWording } from './names';

/**
 * A plain repair for a value: the written name for a known spelling, the computed value if stale, the intended choice, required case,
 * trimmed blanks, the default if missing. `undefined` if a person must decide.
 */
export function repairFor({ property, value, derived, cell, failure }: Judged, standIns: StandIns): HeldValue | null | undefined {
  const codes = new Set(cell.violations.map((violation) => violation.code));
  if (codes.size === 0) return undefined;
  if (derived !== undefined) return failure === undefined && codes.has('stale') ? derived : undefined;
  const fits = (text: string): HeldValue | undefined => {
    const checked = checkProposed(text, property, standIns);
    return checked.ok && checked.held !== null ? checked.held : undefined;
  };
  if (cell.state === 'blank' || cell.state === 'stand-in') return property.default === '' ? undefined : fits(property.default);
  if (value === null) return undefined;
  if (codes.has('other-name') && codes.size === 1) {
    const parsed = parseText(value.text, property);
    return parsed.ok && value.form === 'text' ? holdValue(parsed.value, property) : value;
  }
  let text = value.text.trim();
  if (property.letterCase === 'upper') text = text.toUpperCase();
  if (property.letterCase === 'lower') text = text.toLowerCase();
  if (property.type === 'choice') text = property.choices.find((choice) => sameWording(choice, text)) ?? text;
  return text === value.text && !codes.has('other-name') ? undefined : fits(text);
}
