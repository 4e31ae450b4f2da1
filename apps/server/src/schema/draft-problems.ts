import { DraftView } from '@rule/contract';
import { checkForm, notAsked } from '@rule/core/forms';
import { KINDS, PreparedSchema, Schema, checkDefinition, checkMapping, draftOf, withoutCell } from '@rule/core/schema';
import { compileStandIns } from '@rule/core/values';

/** A problem that blocks publishing a draft, with its subject. */
export type DraftProblem = DraftView['problems'][number];

/** All faults and warnings of a schema, by definition. */
export function problemsOf(schema: Schema, ground: Parameters<typeof checkDefinition>[2]): DraftProblem[] {
  const found: DraftProblem[] = [];
  for (const property of schema.properties) {
    if (property.retired) continue;
    const others = schema.properties.filter((other) => other.id !== property.id);
    for (const problem of checkDefinition(draftOf(property), others, ground))
      found.push({
        severity: problem.severity,
        property: property.id,
        check: null,
        code: problem.code,
        field: problem.field,
        subject: property.caption,
        message: `${property.caption}: ${problem.message}`,
      });
  }
  const prepared = new PreparedSchema(schema, { standIns: compileStandIns([]), states: ground?.states ?? [], instant: 0 });
  for (const problem of prepared.problems) {
    const check = schema.checks.find((candidate) => candidate.id === problem.check);
    // Skips what the definition's own check already reports.
    if (problem.property !== null && problem.problem) continue;
    found.push({
      severity: 'error',
      property: problem.property,
      check: problem.check,
      code: 'rule',
      field: problem.property === null ? 'condition' : 'rule',
      subject: check?.title ?? '',
      message: problem.message,
    });
  }
  for (const form of schema.forms)
    for (const { severity, code, panel, input, message } of checkForm(form, prepared, ground?.classes ?? null))
      found.push({
        severity,
        property: null,
        check: null,
        form: form.id,
        panel,
        input,
        code,
        field: 'form',
        subject: form.name,
        message: `${form.name}: ${message}`,
      });
  for (const { of, id, severity, code, message } of checkMapping(schema.properties, schema.bindings, schema.links))
    found.push({ severity, property: null, check: null, [of]: id, code, field: of, subject: message, message });
  for (const property of withoutCell(schema.properties, schema.bindings))
    found.push({
      severity: 'warning',
      property: property.id,
      check: null,
      code: 'no-cell',
      field: 'level',
      subject: property.caption,
      message: `${property.caption} belongs to sheets, but no title block cell is its home. Bind one in Title blocks.`,
    });
  for (const { property, kind } of notAsked(schema.forms, schema.properties, KINDS))
    found.push({
      severity: 'warning',
      property: property.id,
      check: null,
      code: 'not-asked',
      field: 'form',
      subject: property.caption,
      message: `${property.caption} is required, but no form for a ${kind} contains it.`,
    });
  return found;
}
