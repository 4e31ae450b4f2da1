import { Property, Violation, judge } from '@rule/core/schema';
import { HeldValue, StandIns, showValue } from '@rule/core/values';

/** A cell as it is shown: its text, whether that is a value, a placeholder or a stand-in, and what is wrong with it. */
export interface ShownCell {
  readonly kind: 'value' | 'placeholder' | 'stand-in' | 'unreadable' | 'not-reached';
  readonly text: string;
  readonly violations: readonly Violation[];
}

/** Judges and formats a held value for showing. */
export function showCell(held: HeldValue | null, property: Property, standIns: StandIns): ShownCell {
  const cell = judge(held, property, standIns);
  switch (cell.state) {
    case 'blank':
      return { kind: 'placeholder', text: property.placeholder, violations: cell.violations };
    case 'stand-in':
      return { kind: 'stand-in', text: cell.text, violations: cell.violations };
    case 'unreadable':
      return { kind: 'unreadable', text: cell.text, violations: cell.violations };
    case 'value':
      return { kind: 'value', text: showValue(cell.value, property), violations: cell.violations };
  }
}

/** A held value for people: with its unit, and a dash for nothing. */
export const plainHeld = (held: HeldValue | null): string => (held === null || held.text === '' ? '—' : held.unit ? `${held.text} ${held.unit}` : held.text);

/** An instant as date and time in the machine's zone, in the manner of ISO 8601. */
export function showInstant(iso: string): string {
  const at = new Date(iso);
  const two = (n: number) => String(n).padStart(2, '0');
  return `${at.getFullYear()}-${two(at.getMonth() + 1)}-${two(at.getDate())} ${two(at.getHours())}:${two(at.getMinutes())}`;
}
