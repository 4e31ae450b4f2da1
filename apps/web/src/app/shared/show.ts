import { HeldValue } from '@rule/core/values';

/** A held value for people: with its unit, and a dash for nothing. */
export const plainHeld = (held: HeldValue | null): string => (held === null || held.text === '' ? '—' : held.unit ? `${held.text} ${held.unit}` : held.text);

/** An instant as date and time in the machine's zone, in the manner of ISO 8601. */
export function showInstant(iso: string): string {
  const at = new Date(iso);
  const two = (n: number) => String(n).padStart(2, '0');
  return `${at.getFullYear()}-${two(at.getMonth() + 1)}-${two(at.getDate())} ${two(at.getHours())}:${two(at.getMinutes())}`;
}
