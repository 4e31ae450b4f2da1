import { Property, Violation, judge } from '@rule/core/schema';
import { HeldValue, StandIns, showValue } from '@rule/core/values';

/** A displayed cell: text, kind and problems. */
export interface ShownCell {
  /** `stale`: nothing is stored yet; the text is the target value. */
  readonly kind: 'value' | 'placeholder' | 'stand-in' | 'unreadable' | 'not-reached' | 'stale';
  readonly text: string;
  readonly violations: readonly Violation[];
}

/** Checks and formats a held value. */
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
