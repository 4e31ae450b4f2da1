import { CompiledRule, FeelContext, FeelValue, contextOf } from '../rules';
import {
  EntryForm,
  Kind,
  PANEL_COLUMNS,
  PreparedSchema,
  Property,
  columnsOf,
  feelValue,
  isHeldAt,
  isWide,
  looksFor,
  reaches,
  ruleNameOf,
  whyNotTyped,
} from '../schema';
import { parseText } from '../values';
import { count } from '../words';
import { formFor } from './plan';
import { PreparedForm } from './prepared';

/** A finding about a form, by location. */
export interface FormProblem {
  readonly severity: 'error' | 'warning';
  readonly code:
    | 'name'
    | 'kinds'
    | 'empty'
    | 'twice'
    | 'unknown'
    | 'retired'
    | 'level'
    | 'look'
    | 'closed'
    | 'not-reached'
    | 'not-asked'
    | 'condition'
    | 'never'
    | 'holders'
    | 'clears-nothing';
  readonly panel: string | null;
  readonly input: string | null;
  readonly message: string;
}

/** Value combinations per condition. */
const MOST_COMBINATIONS = 4096;

/** All findings about a form. `classes` are the company's classes. */
export function checkForm(form: EntryForm, schema: PreparedSchema, classes: readonly string[] | null = null): FormProblem[] {
  const found: FormProblem[] = [];
  const add = (severity: FormProblem['severity'], code: FormProblem['code'], message: string, panel: string | null = null, input: string | null = null) =>
    found.push({ severity, code, panel, input, message });
  const byId = new Map(schema.schema.properties.map((property) => [property.id, property]));
  if (form.name.trim() === '') add('error', 'name', 'A form needs a name.');
  if (form.kinds.length === 0) add('error', 'kinds', 'A form needs at least one kind of file.');
  for (const name of form.classes) if (classes && !classes.includes(name)) add('warning', 'kinds', `There is no class ${JSON.stringify(name)}.`);
  const asked = new Map<string, string>();
  for (const panel of form.panels) {
    if (panel.inputs.length === 0) add('warning', 'empty', `The panel ${JSON.stringify(panel.title)} has no input.`, panel.key);
    for (const input of panel.inputs) {
      const say = (severity: FormProblem['severity'], code: FormProblem['code'], message: string) => add(severity, code, message, panel.key, input.key);
      const property = byId.get(input.property);
      if (!property) {
        say('error', 'unknown', 'The property of this input is not in the schema.');
        continue;
      }
      if (property.retired) {
        say('warning', 'retired', `${property.caption} is retired; the input is no longer shown.`);
        continue;
      }
      const place = `${input.property}/${input.level}`;
      if (asked.has(place)) say('warning', 'twice', `${property.caption} appears twice.`);
      asked.set(place, input.key);
      if (!isHeldAt(property, input.level)) say('error', 'level', `${property.caption} is not held at ${input.level} level.`);
      if (!looksFor(property).includes(input.look)) say('warning', 'look', `${property.caption} cannot be shown as ${input.look}.`);
      if (!isWide(input.level) && !form.kinds.some((kind) => property.kinds.includes(kind)))
        say('warning', 'not-reached', `${property.caption} does not apply to ${form.kinds.join(', ')} files.`);
      const closed = isWide(input.level) ? null : form.kinds.map((kind) => whyNotTyped(property, kind)).find((why) => why !== null);
      if (closed && property.feed !== 'counted') say('warning', 'closed', `${property.caption} ${closed}; the form shows it read-only.`);
      if (input.holders === 'named' && input.holderNames.length === 0) say('warning', 'holders', 'Name the holders that the input is for.');
      const hides = panel.shownWhen.trim() !== '' || input.shownWhen.trim() !== '';
      if (hides && property.required && input.whenHidden === 'clear')
        say('warning', 'clears-nothing', `${property.caption} is required, so "clear" does nothing when the input is hidden: its value is kept.`);
      if (input.width < 1 || input.width > PANEL_COLUMNS) say('error', 'look', `An input takes 1 to ${PANEL_COLUMNS} columns.`);
      else if (input.width > columnsOf(panel))
        say('warning', 'look', `${property.caption} is wider than its panel and takes all ${count(columnsOf(panel), 'column')}.`);
    }
  }
  const prepared = new PreparedForm(form, schema);
  for (const { panel, input, problem } of prepared.problems) add('error', 'condition', problem.message, panel, input);
  for (const panel of form.panels) {
    const never = (input: string | null, field: 'shownWhen' | 'requiredWhen' | 'readOnlyWhen') => {
      const rule = prepared.condition(panel.key, input, field);
      if (rule && ['boolean', 'any'].includes(rule.type.kind) && canNeverBeTrue(rule, schema, form.kinds))
        add('warning', 'never', `${rule.source} can never be true.`, panel.key, input);
    };
    never(null, 'shownWhen');
    for (const input of panel.inputs) for (const field of ['shownWhen', 'requiredWhen', 'readOnlyWhen'] as const) never(input.key, field);
  }
  return found;
}

/** Required properties no form shows, by kind. */
export function notAsked(
  forms: readonly EntryForm[],
  properties: readonly Property[],
  kinds: readonly Kind[],
): { readonly property: Property; readonly kind: Kind }[] {
  return kinds.flatMap((kind) => {
    const own = forms.filter((form) => form.kinds.includes(kind));
    if (own.length === 0) return [];
    const asked = new Set(own.flatMap((form) => form.panels.flatMap((panel) => panel.inputs.map((input) => input.property))));
    return properties
      .filter(
        (property) =>
          !property.retired &&
          reaches(property, kind) &&
          isHeldAt(property, 'document') &&
          (property.required || property.requiredWhen.trim() !== '') &&
          (whyNotTyped(property, kind) === null || property.feed === 'counted') &&
          !asked.has(property.id),
      )
      .map((property) => ({ property, kind }));
  });
}

/**
 * Forms that take precedence for every file of this form, so it is never used; empty if it is used.
 * @param classes all classes of the company
 */
export function shadowedBy(forms: readonly EntryForm[], form: EntryForm, classes: readonly string[]): EntryForm[] {
  const rivals = new Set<EntryForm>();
  for (const kind of form.kinds)
    for (const className of form.classes.length ? form.classes : [null, ...classes]) {
      const used = formFor(forms, kind, className);
      if (used?.id === form.id) return [];
      if (used) rivals.add(used);
    }
  return [...rivals];
}

/** By property: the panels and inputs with conditions on it. */
export function waitingFor(form: EntryForm, schema: PreparedSchema): ReadonlyMap<number, readonly { readonly panel: string; readonly input: string | null }[]> {
  const prepared = new PreparedForm(form, schema);
  const byName = new Map(schema.schema.properties.filter((property) => !property.retired).map((property) => [ruleNameOf(property), property.id]));
  const waiting = new Map<number, { panel: string; input: string | null }[]>();
  const note = (panel: string, input: string | null) => {
    for (const { group, name } of prepared.condition(panel, input, 'shownWhen')?.uses ?? []) {
      const id = group === null ? byName.get(name) : undefined;
      if (id !== undefined) waiting.set(id, [...(waiting.get(id) ?? []), { panel, input }]);
    }
  };
  for (const panel of form.panels) {
    note(panel.key, null);
    for (const input of panel.inputs) note(panel.key, input.key);
  }
  return waiting;
}

/**
 * Whether a condition is always false: evaluated for every combination of distinguishable values (choices, yes and no, compared values and
 * their neighbours). Conditions with function calls or other holders are never reported.
 */
export function canNeverBeTrue(rule: CompiledRule, schema: PreparedSchema, kinds: readonly Kind[]): boolean {
  if (/[\p{L}\d_)]\s*\(/u.test(rule.source.replace(/"(?:[^"\\]|\\.)*"/g, '""').replace(/\b(and|or|if|then|else|in|not)\s*\(/g, '('))) return false;
  const byName = new Map(schema.schema.properties.filter((property) => !property.retired).map((property) => [ruleNameOf(property), property]));
  const names: { readonly name: string; readonly values: readonly FeelValue[] }[] = [];
  let kindAsked = false;
  for (const { group, name } of rule.uses) {
    if (group === 'file' && name === 'kind') kindAsked = true;
    else if (group !== null) return false;
    else {
      const property = byName.get(name);
      if (property) names.push({ name, values: [null, ...valuesToTry(property, rule.source)] });
    }
  }
  const combinations = names.reduce((product, { values }) => product * values.length, kindAsked ? kinds.length : 1);
  if (combinations > MOST_COMBINATIONS) return false;
  const host = schema.host();
  const tried: Record<string, FeelValue> = {};
  const go = (at: number): boolean => {
    if (at === names.length) {
      const context: FeelContext = contextOf(Object.entries(tried));
      const outcome = rule.evaluate(context, host);
      return outcome.ok && outcome.value === true;
    }
    const { name, values } = names[at]!;
    return values.some((value) => {
      tried[name] = value;
      return go(at + 1);
    });
  };
  if (!kindAsked) return !go(0);
  return !kinds.some((kind) => {
    tried['file'] = contextOf([['kind', kind]]);
    return go(0);
  });
}

/** Property values an expression can distinguish. */
function valuesToTry(property: Property, source: string): FeelValue[] {
  if (property.type === 'yesno') return [true, false];
  if (property.type === 'choice' && !property.open) return [...property.choices];
  const texts = [...source.matchAll(/"((?:[^"\\]|\\.)*)"/g)].map((match) => JSON.parse(`"${match[1]!}"`) as string);
  if (property.type === 'number' || property.type === 'whole') {
    const numbers = [...source.matchAll(/\d+(?:\.\d+)?/g)].map((match) => Number(match[0]));
    const edges = [...new Set([0, ...numbers.flatMap((n) => [n - 1, n, n + 1, -n, -n - 1])])].sort((a, b) => a - b);
    if (property.type === 'whole') return edges.filter((n) => Number.isInteger(n));
    return edges.flatMap((n, i) => (i === 0 ? [n] : [(edges[i - 1]! + n) / 2, n]));
  }
  if (property.type === 'date')
    return [...texts, '1900-01-01', '2999-12-31'].flatMap((text) => {
      const parsed = parseText(text, property);
      return parsed.ok ? [feelValue(parsed.value, property)] : [];
    });
  return [...new Set(['', ...texts, ...texts.map((text) => `${text}~`)])];
}
