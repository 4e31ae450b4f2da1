import { HeldValue, StandIns, TypedValue, countDecimals, findUnit, holdValue, parseText, readHeld } from '../values';
import { compareNames, nameOddity } from './names';
import { FileField, FILE_FIELDS, Kind, Property, PropertyDraft } from './property';

/** One thing that is wrong with a value, in a word for programs and a sentence for people. */
export interface Violation {
  readonly code:
    'required' | 'type' | 'too-short' | 'too-long' | 'too-small' | 'too-large' | 'decimals' | 'not-a-choice' | 'edge-blank' | 'line-break' | 'stand-in';
  readonly message: string;
}

/** What a holder shows for a property: nothing, something that only looks like a value, a value, or a text that is no value of the type. */
export type CellState =
  | { readonly state: 'blank'; readonly violations: readonly Violation[] }
  | { readonly state: 'stand-in'; readonly text: string; readonly violations: readonly Violation[] }
  | { readonly state: 'value'; readonly value: TypedValue; readonly violations: readonly Violation[] }
  | { readonly state: 'unreadable'; readonly text: string; readonly violations: readonly Violation[] };

const violation = (code: Violation['code'], message: string): Violation => ({ code, message });

function constraintViolations(value: TypedValue, p: Property): Violation[] {
  const found: Violation[] = [];
  if (typeof value === 'string') {
    const length = [...value].length;
    if (p.minLength !== null && length < p.minLength) found.push(violation('too-short', `needs at least ${p.minLength} characters, has ${length}`));
    if (p.maxLength !== null && length > p.maxLength) found.push(violation('too-long', `may have ${p.maxLength} characters, has ${length}`));
    if (/[\r\n]/.test(value)) found.push(violation('line-break', 'holds a line break'));
    else if (value !== value.trim()) found.push(violation('edge-blank', 'has a blank at its start or end'));
    if (p.type === 'choice' && !p.choices.includes(value)) {
      const near = p.choices.find((choice) => compareNames(choice, value) !== 'different');
      found.push(
        violation(
          'not-a-choice',
          near === undefined ? `${JSON.stringify(value)} is not among the choices` : `${JSON.stringify(value)} is another wording of ${near}`,
        ),
      );
    }
  }
  if (typeof value === 'number') {
    if (p.min !== null && value < p.min) found.push(violation('too-small', `is below ${p.min}`));
    if (p.max !== null && value > p.max) found.push(violation('too-large', `is above ${p.max}`));
    if (p.type === 'number' && p.decimals !== null && countDecimals(value) > p.decimals)
      found.push(violation('decimals', p.decimals === 0 ? 'may have no decimals' : `may have ${p.decimals} decimals`));
  }
  return found;
}

/** Judges what a holder holds for a property. `held` is `null` when the name is not there at all. */
export function judge(held: HeldValue | null, property: Property, standIns: StandIns): CellState {
  const missing = property.required ? [violation('required', 'is required')] : [];
  if (held === null || held.text === '') return { state: 'blank', violations: missing };
  if (held.form === 'text' && standIns.matches(held.text) && !property.choices.includes(held.text))
    return { state: 'stand-in', text: held.text, violations: [violation('stand-in', `${JSON.stringify(held.text)} stands in for a value`), ...missing] };
  const parsed = readHeld(held, property);
  if (!parsed.ok) return { state: 'unreadable', text: held.text, violations: [violation('type', parsed.problem.message)] };
  return { state: 'value', value: parsed.value, violations: constraintViolations(parsed.value, property) };
}

/** The outcome of checking a text that someone wants to write: the value to hold (`null` blanks the property), or what is wrong. */
export type ProposedCheck = { readonly ok: true; readonly held: HeldValue | null } | { readonly ok: false; readonly violations: readonly Violation[] };

/** Checks a text before it becomes a change line. The same code answers in the browser and on the server. */
export function checkProposed(text: string, property: Property, standIns: StandIns): ProposedCheck {
  if (text === '')
    return property.required ? { ok: false, violations: [violation('required', 'is required and cannot be blanked')] } : { ok: true, held: null };
  if (text === property.placeholder && property.placeholder !== '' && !property.choices.includes(text))
    return { ok: false, violations: [violation('stand-in', 'is the placeholder, which is never written')] };
  if (standIns.matches(text) && !property.choices.includes(text))
    return { ok: false, violations: [violation('stand-in', `${JSON.stringify(text)} stands in for a value`)] };
  const parsed = parseText(text, property);
  if (!parsed.ok) return { ok: false, violations: [violation('type', parsed.problem.message)] };
  const violations = constraintViolations(parsed.value, property);
  return violations.length ? { ok: false, violations } : { ok: true, held: holdValue(parsed.value, property) };
}

/** What is wrong with a property's definition, by the field that must change. */
export interface DefinitionProblem {
  readonly field: keyof PropertyDraft;
  readonly code: 'blank' | 'name-taken' | 'name-alike' | 'name-odd' | 'too-long' | 'range' | 'unit' | 'choices' | 'kinds' | 'file-field';
  readonly message: string;
}

/** The longest written name that Rule takes. STEP and DXF set no limit; 255 characters is what other holders commonly allow (common practice). */
export const LONGEST_NAME = 255;

/**
 * Checks a definition against itself and against the other properties of the schema, retired ones included:
 * their names still stand in files.
 */
export function checkDefinition(draft: PropertyDraft, others: readonly Pick<Property, 'id' | 'writtenName' | 'retired'>[]): DefinitionProblem[] {
  const problems: DefinitionProblem[] = [];
  const add = (field: DefinitionProblem['field'], code: DefinitionProblem['code'], message: string) => problems.push({ field, code, message });

  if (draft.writtenName === '') add('writtenName', 'blank', 'A property needs a written name.');
  const odd = nameOddity(draft.writtenName);
  if (odd) add('writtenName', 'name-odd', `The written name has ${odd}. Programs that compare exactly would not find it.`);
  if (draft.writtenName.length > LONGEST_NAME) add('writtenName', 'too-long', `A written name may have ${LONGEST_NAME} characters.`);
  for (const other of others) {
    const likeness = compareNames(draft.writtenName, other.writtenName);
    const which = `${JSON.stringify(other.writtenName)}${other.retired ? ' (retired)' : ''}`;
    if (likeness === 'same') add('writtenName', 'name-taken', `The schema already has ${which}.`);
    else if (likeness !== 'different') add('writtenName', 'name-alike', `The schema has ${which}, which differs only in ${likeness}.`);
  }
  if (draft.caption.trim() === '') add('caption', 'blank', 'A property needs a caption.');
  if (draft.kinds.length === 0) add('kinds', 'kinds', 'A property applies to at least one kind of file.');
  if (draft.type === 'choice' && draft.feed === 'typed') {
    if (draft.choices.length === 0) add('choices', 'choices', 'A choice needs at least one allowed value.');
    for (const [i, choice] of draft.choices.entries()) {
      if (choice.trim() !== choice || choice === '') add('choices', 'choices', `Choice ${i + 1} is blank or has a blank at its start or end.`);
      const twin = draft.choices.slice(0, i).find((earlier) => compareNames(earlier, choice) !== 'different');
      if (twin !== undefined) add('choices', 'choices', `${JSON.stringify(choice)} repeats ${JSON.stringify(twin)}.`);
    }
  }
  if (draft.unit !== null && (draft.type !== 'number' || !findUnit(draft.unit)))
    add('unit', 'unit', draft.type === 'number' ? `${draft.unit} is not a unit that Rule knows.` : 'Only a number has a unit.');
  if (draft.minLength !== null && draft.maxLength !== null && draft.minLength > draft.maxLength)
    add('minLength', 'range', 'The shortest length is above the longest.');
  if (draft.min !== null && draft.max !== null && draft.min > draft.max) add('min', 'range', 'The smallest value is above the largest.');
  if (draft.feed === 'file' && !FILE_FIELDS.includes(draft.fileField as FileField))
    add('fileField', 'file-field', "Choose which of the file's own fields the value is taken from.");
  return problems;
}

/** Whether a property applies to a kind of file. */
export const reaches = (property: Pick<Property, 'kinds'>, kind: Kind): boolean => property.kinds.includes(kind);
