import { sameDefinition } from './editions';
import { PreparedSchema } from './judge';
import { ledBy } from './mapping';

/**
 * Properties and checks whose judgement may differ between two schemas: redefined ones and their dependents. Choice lists are taken as
 * equal.
 */
export function differing(before: PreparedSchema, after: PreparedSchema): { readonly properties: ReadonlySet<number>; readonly checks: ReadonlySet<number> } {
  const was = new Map(before.schema.properties.map((property) => [property.id, property]));
  const is = new Map(after.schema.properties.map((property) => [property.id, property]));
  const properties = new Set([...was.keys(), ...is.keys()].filter((id) => !sameDefinition(was.get(id), is.get(id))));
  const leading = ({ schema }: PreparedSchema, id: number) => schema.bindings.filter((binding) => ledBy(binding) === id);
  for (const { schema } of [before, after])
    for (const binding of schema.bindings) {
      const led = ledBy(binding);
      if (led !== null && !sameDefinition(leading(before, led), leading(after, led))) properties.add(led);
    }
  for (;;) {
    const size = properties.size;
    for (const { looksAt } of [before, after]) for (const [id, looked] of looksAt) if ([...looked].some((other) => properties.has(other))) properties.add(id);
    if (properties.size === size) break;
  }
  const checks = new Set([...before.checksOf(properties), ...after.checksOf(properties)]);
  const old = new Map(before.schema.checks.map((check) => [check.id, check]));
  for (const check of after.schema.checks) if (!sameDefinition(old.get(check.id), check)) checks.add(check.id);
  for (const id of old.keys()) if (!after.schema.checks.some((check) => check.id === id)) checks.add(id);
  return { properties, checks };
}
