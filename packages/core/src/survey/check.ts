import { Kind, PreparedSchema, Property, Schema, Violation, compareNames, nameOddity, slotKey } from '../schema';
import { HeldValue, StandIns } from '../values';

export const SEVERITIES = ['note', 'warning', 'error'] as const;
export type Severity = (typeof SEVERITIES)[number];

/** A finding about a file. */
export interface Finding {
  readonly severity: Severity;
  /** Machine-readable code. */
  readonly code: string;
  /** The written name concerned, if any. */
  readonly name: string | null;
  readonly message: string;
}

/** A read file to be checked. */
export interface CheckedFile {
  readonly name: string;
  readonly folder: string;
  readonly kind: Kind;
  /** Class and workflow state, if known. */
  readonly className: string | null;
  readonly state: string | null;
  /** Read error, if any. */
  readonly problem: string | null;
  readonly notes: readonly string[];
  /** Document properties and file fields. */
  readonly properties: ReadonlyMap<string, HeldValue>;
  readonly fields: ReadonlyMap<string, HeldValue>;
}

/** Problems of a value the schema accepts. */
const MILD: ReadonlySet<Violation['code']> = new Set(['stale']);

/** A value's problem as a finding; the sentence starts with the caption or the inner holder. */
export const valueFinding = (
  property: Pick<Property, 'caption' | 'writtenName'>,
  { code, message }: Pick<Violation, 'code' | 'message'>,
  inside = '',
): Finding => ({
  severity: MILD.has(code) ? 'warning' : code === 'stand-in' ? 'note' : 'error',
  code,
  name: property.writtenName,
  message: `${inside ? `${inside}: ` : ''}${property.caption} ${message}.`,
});

/**
 * Checks a file against a schema; without one, for oddities. Errors: unreadable files, schema violations, misspelt names. Warnings: stale
 * computed values, unknown names (errors if refused, ignored if permitted), reader remarks. Notes: stand-ins.
 */
export function checkFile(file: CheckedFile, schema: PreparedSchema | null, standIns: StandIns): Finding[] {
  if (file.problem !== null) return [{ severity: 'error', code: 'unreadable', name: null, message: file.problem }];
  const found: Finding[] = [];
  if (schema) {
    const held = new Map([
      ...[...file.properties].map(([name, value]) => [slotKey('property', name), value] as const),
      ...[...file.fields].map(([name, value]) => [slotKey('field', name), value] as const),
    ]);
    const { name, folder, kind, className, state } = file;
    const { values, failed } = schema.judge({ id: 0, name, folder, kind, className, state, held, geometry: null, model: null, parts: [], above: {} });
    for (const { property, cell } of values.values()) for (const violation of cell.violations) found.push(valueFinding(property, violation));
    for (const { check, message } of failed) found.push({ severity: check.severity, code: 'check', name: null, message });
  }
  return [...found, ...checkNames(file, schema?.schema ?? null, standIns)];
}

/** Findings about a file's names and its reader's remarks, apart from values. */
export function checkNames(file: Pick<CheckedFile, 'kind' | 'notes' | 'properties'>, schema: Schema | null, standIns: StandIns): Finding[] {
  const found: Finding[] = file.notes.map((message) => ({ severity: 'warning', code: 'noticed', name: null, message }));
  const properties = schema?.properties ?? [];
  const active = properties.filter((property) => !property.retired);
  const known = new Set(properties.flatMap((property) => [property.writtenName, ...property.knownSpellings]));
  const own = new Set(active.map((property) => property.writtenName));
  for (const [name, held] of file.properties) {
    const odd = nameOddity(name);
    const near = active.find((property) => !['same', 'different'].includes(compareNames(property.writtenName, name)));
    const strangers = schema?.strangers[file.kind];
    if (near && !known.has(name))
      found.push({
        severity: 'error',
        code: 'nearly',
        name,
        message: `${JSON.stringify(name)} differs from ${JSON.stringify(near.writtenName)} in ${compareNames(near.writtenName, name)} only.`,
      });
    else if (odd) found.push({ severity: 'warning', code: 'odd-name', name, message: `The name has ${odd}.` });
    else if (schema && !known.has(name) && strangers !== 'allowed')
      found.push({
        severity: strangers === 'refused' ? 'error' : 'warning',
        code: 'stray',
        name,
        message: `Not in the schema: ${JSON.stringify(name)}.`,
      });
    // Already reported for the property's own value.
    if (!own.has(name) && held.form === 'text' && standIns.matches(held.text))
      found.push({ severity: 'note', code: 'stand-in', name, message: `${JSON.stringify(held.text)} is only a stand-in.` });
  }
  return found;
}

/** Highest severity; `null` without findings. */
export const gravest = (findings: Iterable<Pick<Finding, 'severity'>>): Severity | null =>
  [...findings].reduce<Severity | null>(
    (worst, { severity }) => (worst === null || SEVERITIES.indexOf(severity) > SEVERITIES.indexOf(worst) ? severity : worst),
    null,
  );
