import { FeelValue, Outcome, compileRule, contextOf } from '../rules';
import { parseText, showValue } from '../values';
import { ruledValue } from './same-value';
import { Property, PropertyDraft, RuleExample, ruleNameOf } from './property';
import { feelValue, ruleScope } from './scope';

/** Outcome of a rule's example. */
export interface ExampleResult {
  readonly passes: boolean;
  /** The rule's result as text; empty for blank. */
  readonly found: string;
  /** Why there is no result, or which value has the wrong type. */
  readonly problem: string | null;
}

const failed = (problem: string): ExampleResult => ({ passes: false, found: '', problem });

/**
 * Runs a worked example of a ruled property. Values are texts by written name, in groups as `model.Material`; others are blank. Parts of an
 * assembly cannot be given.
 */
export function runExample(draft: PropertyDraft, example: RuleExample, others: readonly Property[]): ExampleResult {
  const property: Property = { ...draft, id: -1, retired: false };
  const all = [...others.filter((other) => !other.retired && other.writtenName !== draft.writtenName), property];
  const rule = compileRule(draft.rule, ruleScope(all, { clock: false }));
  if (!rule.ok) return failed(rule.problems[0]!.message);
  const byName = new Map(all.map((entry) => [entry.writtenName, entry]));
  const own: [string, FeelValue][] = [];
  const groups = new Map<string, [string, FeelValue][]>();
  for (const [key, text] of Object.entries(example.given)) {
    if (text === '') continue;
    const at = byName.has(key) ? -1 : key.indexOf('.');
    const [group, name] = at < 0 ? [null, key] : [key.slice(0, at), key.slice(at + 1)];
    const entry = byName.get(name);
    let value: FeelValue = text;
    let called = name;
    if (entry) {
      const parsed = parseText(text, entry);
      if (!parsed.ok) return failed(`${key}: ${parsed.problem.message}`);
      value = feelValue(parsed.value, entry);
      called = ruleNameOf(entry);
    } else if (group === null) return failed(`There is no property ${JSON.stringify(key)}.`);
    else if (/^-?\d+(\.\d+)?$/.test(text) && name.startsWith('geometry ')) value = Number(text);
    if (group === null) own.push([called, value]);
    else groups.set(group, [...(groups.get(group) ?? []), [called, value]]);
  }
  const outcome: Outcome = rule.value.evaluate(contextOf([...own, ...[...groups].map(([group, entries]) => [group, contextOf(entries)] as const)]), {
    instant: null,
  });
  if (!outcome.ok) return failed(outcome.message);
  const { value, failure } = ruledValue(outcome.value, property);
  if (failure !== undefined) return failed(`${failure[0]!.toUpperCase()}${failure.slice(1)}.`);
  const parsed = value === null ? null : parseText(value.text, property);
  const found = value === null ? '' : parsed?.ok ? showValue(parsed.value, { ...property, decimals: null }) : value.text;
  const wanted = example.expected === '' ? null : parseText(example.expected, property);
  const passes = value === null || wanted === null ? value === null && wanted === null : wanted.ok && parsed?.ok === true && wanted.value === parsed.value;
  return { passes, found, problem: null };
}

/**
 * What a rule reads that an example can give: written names, in groups as `model.Material`. Nothing if the rule does not compile, and no
 * values of the parts of an assembly.
 */
export function namesRead(draft: PropertyDraft, others: readonly Property[]): readonly string[] {
  const property: Property = { ...draft, id: -1, retired: false };
  const all = [...others.filter((other) => !other.retired && other.writtenName !== draft.writtenName), property];
  const rule = compileRule(draft.rule, ruleScope(all, { clock: false }));
  if (!rule.ok) return [];
  const written = new Map(all.map((entry) => [ruleNameOf(entry), entry.writtenName]));
  return rule.value.uses.flatMap(({ group, name }) =>
    group === 'parts' ? [] : [group === null ? (written.get(name) ?? name) : `${group}.${written.get(name) ?? name}`],
  );
}
