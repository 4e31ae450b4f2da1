import { Kind, Property, compareNames, judge, nameOddity, reaches, slotOf } from '../schema';
import { HeldValue, StandIns } from '../values';

export const SEVERITIES = ['note', 'warning', 'error'] as const;
export type Severity = (typeof SEVERITIES)[number];

/** Something about one file that its people should know. */
export interface Finding {
  readonly severity: Severity;
  /** A word for programs. */
  readonly code: string;
  /** The written name that it is about, if it is about one. */
  readonly name: string | null;
  readonly message: string;
}

/** What a check looks at: one file as it was read. */
export interface CheckedFile {
  readonly kind: Kind;
  /** Why it could not be read, if so. */
  readonly problem: string | null;
  readonly notes: readonly string[];
  /** Document properties and the file's own fields. */
  readonly properties: ReadonlyMap<string, HeldValue>;
  readonly fields: ReadonlyMap<string, HeldValue>;
}

/**
 * Checks one file against a schema; without one, for what is odd in itself. Errors: what cannot be read, what breaks the
 * schema, a name that is nearly one of ours. Warnings: names that the schema does not know, remarks of the reader. Notes: stand-ins.
 */
export function checkFile(file: CheckedFile, schema: readonly Property[] | null, standIns: StandIns): Finding[] {
  if (file.problem !== null) return [{ severity: 'error', code: 'unreadable', name: null, message: file.problem }];
  const found: Finding[] = file.notes.map((message) => ({ severity: 'warning', code: 'noticed', name: null, message }));
  const active = (schema ?? []).filter((property) => !property.retired);
  for (const property of active) {
    if (!reaches(property, file.kind)) continue;
    const slot = slotOf(property);
    const held = (slot.place === 'field' ? file.fields : file.properties).get(slot.name) ?? null;
    for (const { code, message } of judge(held, property, standIns).violations)
      found.push({ severity: 'error', code, name: property.writtenName, message: `${property.caption} ${message}.` });
  }
  for (const [name, held] of file.properties) {
    const odd = nameOddity(name);
    const near = active.find((property) => !['same', 'different'].includes(compareNames(property.writtenName, name)));
    if (near && !active.some((property) => property.writtenName === name))
      found.push({
        severity: 'error',
        code: 'nearly',
        name,
        message: `${JSON.stringify(name)} differs from ${JSON.stringify(near.writtenName)} in ${compareNames(near.writtenName, name)} only.`,
      });
    else if (odd) found.push({ severity: 'warning', code: 'odd-name', name, message: `The name has ${odd}.` });
    else if (schema && !schema.some((property) => property.writtenName === name))
      found.push({ severity: 'warning', code: 'stray', name, message: `The schema does not know ${JSON.stringify(name)}.` });
    if (held.form === 'text' && standIns.matches(held.text))
      found.push({ severity: 'note', code: 'stand-in', name, message: `${JSON.stringify(held.text)} only stands in for a value.` });
  }
  return found;
}

/** The gravest severity among findings; `null` when there are none. */
export const gravest = (findings: Iterable<Pick<Finding, 'severity'>>): Severity | null =>
  [...findings].reduce<Severity | null>(
    (worst, { severity }) => (worst === null || SEVERITIES.indexOf(severity) > SEVERITIES.indexOf(worst) ? severity : worst),
    null,
  );
