import { patternOf } from '../rules/pattern';
import { HeldValue, StandIns, TypedValue, countDecimals, holdValue, parseText, readHeld } from '../values';
import { sameWording } from './names';
import { Property } from './property';

/** A problem with a value: code and sentence. */
export interface Violation {
  readonly code:
    | 'required'
    | 'type'
    | 'too-short'
    | 'too-long'
    | 'too-small'
    | 'too-large'
    | 'decimals'
    | 'not-a-choice'
    | 'edge-blank'
    | 'line-break'
    | 'stand-in'
    | 'pattern'
    | 'forbidden'
    | 'letter-case'
    | 'not-allowed'
    | 'not-unique'
    | 'other-name'
    | 'stale'
    | 'rule';
  readonly message: string;
}

/** State of a property in a holder: absent, blank in disguise, a value, or text invalid for the type. */
export type CellState =
  | { readonly state: 'blank'; readonly violations: readonly Violation[] }
  | { readonly state: 'stand-in'; readonly text: string; readonly violations: readonly Violation[] }
  | { readonly state: 'value'; readonly value: TypedValue; readonly violations: readonly Violation[] }
  | { readonly state: 'unreadable'; readonly text: string; readonly violations: readonly Violation[] };

/** Longest value of any property; every format must be able to hold it. */
export const LONGEST_VALUE = 20_000;

const violation = (code: Violation['code'], message: string): Violation => ({ code, message });

/** Violations of constraints that depend only on the value. */
export function constraintViolations(value: TypedValue, p: Property): Violation[] {
  const found: Violation[] = [];
  if (typeof value === 'string') {
    // Counting characters allocates; most texts are short by any count.
    const length = p.minLength === null && (p.maxLength === null || value.length <= p.maxLength) ? value.length : [...value].length;
    if (p.minLength !== null && length < p.minLength) found.push(violation('too-short', `needs at least ${p.minLength} characters, has ${length}`));
    if (p.maxLength !== null && length > p.maxLength) found.push(violation('too-long', `may have ${p.maxLength} characters, has ${length}`));
    if (length > LONGEST_VALUE) found.push(violation('too-long', `has ${length} characters; the limit is ${LONGEST_VALUE}`));
    if (/[\u0000-\u0008\u000b\u000c\u000e-\u001f\u007f]/.test(value)) found.push(violation('forbidden', 'contains a control character'));
    if (p.type !== 'longtext' && /[\r\n]/.test(value)) found.push(violation('line-break', 'contains a line break'));
    else if (value !== value.trim()) found.push(violation('edge-blank', 'has a space at its start or end'));
    const bad = p.forbidden === '' ? [] : [...new Set([...value].filter((c) => p.forbidden.includes(c)))];
    if (bad.length) found.push(violation('forbidden', `must not contain ${bad.map((c) => (c === ' ' ? 'a space' : c)).join(' ')}`));
    if (p.letterCase === 'upper' && value !== value.toUpperCase()) found.push(violation('letter-case', 'must be in upper case'));
    if (p.letterCase === 'lower' && value !== value.toLowerCase()) found.push(violation('letter-case', 'must be in lower case'));
    if (p.pattern !== '' && !(patternOf(p.pattern)?.matches(value) ?? true)) found.push(violation('pattern', `does not match the pattern ${p.pattern}`));
    if (p.type === 'choice' && !p.open && !p.choices.includes(value)) {
      const near = p.choices.find((choice) => sameWording(choice, value));
      found.push(
        violation(
          'not-a-choice',
          near === undefined ? `${JSON.stringify(value)} is not among the choices` : `${JSON.stringify(value)} is another spelling of ${near}`,
        ),
      );
    }
  }
  if (typeof value === 'number') {
    if (p.min !== null && value < p.min) found.push(violation('too-small', `is below ${p.min}`));
    if (p.max !== null && value > p.max) found.push(violation('too-large', `is above ${p.max}`));
    if (p.type === 'number' && p.decimals !== null && countDecimals(value) > p.decimals)
      found.push(violation('decimals', p.decimals === 0 ? 'must be a whole number' : `may have ${p.decimals} decimals`));
  }
  return found;
}

/** Judges a held value; `null` if the name is absent. */
export function judge(held: HeldValue | null, property: Property, standIns: StandIns): CellState {
  const missing = property.required ? [violation('required', 'is required')] : [];
  if (held === null || held.text === '') return { state: 'blank', violations: missing };
  if (held.form === 'text' && standIns.matches(held.text) && !property.choices.includes(held.text))
    return { state: 'stand-in', text: held.text, violations: [violation('stand-in', `${JSON.stringify(held.text)} is a stand-in`), ...missing] };
  const parsed = readHeld(held, property);
  if (!parsed.ok) return { state: 'unreadable', text: held.text, violations: [violation('type', parsed.problem.message)] };
  return { state: 'value', value: parsed.value, violations: constraintViolations(parsed.value, property) };
}

/** Result of checking an entry: the value to hold (`null` for blank), or problems. */
export type ProposedCheck = { readonly ok: true; readonly held: HeldValue | null } | { readonly ok: false; readonly violations: readonly Violation[] };

/** Checks an entry before it becomes a change. Shared by browser and server. */
export function checkProposed(text: string, property: Property, standIns: StandIns): ProposedCheck {
  if (text === '')
    return property.required ? { ok: false, violations: [violation('required', 'is required and cannot be blanked')] } : { ok: true, held: null };
  if (text === property.placeholder && property.placeholder !== '' && !property.choices.includes(text))
    return { ok: false, violations: [violation('stand-in', 'is only a placeholder and is never written')] };
  if (standIns.matches(text) && !property.choices.includes(text))
    return { ok: false, violations: [violation('stand-in', `${JSON.stringify(text)} is a stand-in`)] };
  const parsed = parseText(text, property);
  if (!parsed.ok) return { ok: false, violations: [violation('type', parsed.problem.message)] };
  const violations = constraintViolations(parsed.value, property);
  return violations.length ? { ok: false, violations } : { ok: true, held: holdValue(parsed.value, property) };
}
