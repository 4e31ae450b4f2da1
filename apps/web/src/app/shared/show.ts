import { HeldValue } from '@rule/core/values';

/** A held value for display, with unit; a dash for none. */
export const plainHeld = (held: HeldValue | null): string => (held === null || held.text === '' ? '—' : held.unit ? `${held.text} ${held.unit}` : held.text);

/** A local date and time in ISO 8601 style. */
export function showInstant(iso: string): string {
  const at = new Date(iso);
  const two = (n: number) => String(n).padStart(2, '0');
  return `${at.getFullYear()}-${two(at.getMonth() + 1)}-${two(at.getDate())} ${two(at.getHours())}:${two(at.getMinutes())}`;
}
