import { ExpressionResult, TryExpression } from '@rule/contract';
import { Property, Schema, slotOf } from '@rule/core/schema';
import { FeelValue, Step, compileRule, contextOf, textOf } from '@rule/core/rules';
import { ruleScope, ruledValue } from '@rule/core/schema';
import { HeldValue } from '@rule/core/values';
import { Db } from '../platform/db';
import { invalid } from '../platform/problem';
import { Editions } from './editions';
import { loadFacts, surroundingsOf } from './facts';
import { groundOf, prepare } from './prepared';

const shown = (held: HeldValue | null): string | null => (held === null || held.text === '' ? null : held.unit ? `${held.text} ${held.unit}` : held.text);

/** Steps of an explanation with displayed values. */
export const stepsOf = (steps: readonly Step[]): ExpressionResult['steps'] =>
  steps.map((step) => ({
    ...step,
    values: step.values.map((value) => (value === null ? 'blank' : typeof value === 'string' ? JSON.stringify(value) : (textOf(value) ?? 'a function'))),
  }));

/** Runs an unsaved rule on files and explains each part. */
export async function explainRule(db: Db, editions: Editions, request: TryExpression, now: Date): Promise<ExpressionResult[]> {
  const { schema } = await editions.draft();
  const property: Property = { ...request.property, id: request.id ?? -1, retired: false };
  const others = schema.properties.filter((other) => other.id !== property.id && other.writtenName !== property.writtenName);
  const changed: Schema = { ...schema, properties: [...others, property] };
  const compiled = compileRule(property.rule, ruleScope(changed.properties, { clock: false }));
  if (!compiled.ok) throw invalid('bad-rule', compiled.problems[0]!.message);
  const [prepared, ground] = await Promise.all([prepare(db, changed, now), groundOf(db, now)]);
  const facts = await loadFacts(db, request.files, surroundingsOf([prepared]));
  const paths = new Map(
    (await db.all<{ id: number; path: string }>('SELECT id, path FROM files WHERE id = ANY($1::int[])', [request.files])).map((row) => [row.id, row.path]),
  );
  return request.files.flatMap((id): ExpressionResult[] => {
    const file = facts.get(id);
    if (!file) return [];
    const names: Record<string, FeelValue> = prepared.ownNames(file);
    const { outcome, steps } = compiled.value.explain(contextOf(Object.entries(names)), { instant: null, ...(ground.lookup ? { lookup: ground.lookup } : {}) });
    const result = outcome.ok ? ruledValue(outcome.value, property) : { value: null, failure: outcome.message };
    const slot = slotOf(property, file.kind);
    return [
      {
        file: id,
        path: paths.get(id) ?? '',
        held: shown(file.held.get(`${slot.place}/${slot.name}`) ?? null),
        result: shown(result.value),
        failure: result.failure ?? null,
        steps: stepsOf(steps),
      },
    ];
  });
}
