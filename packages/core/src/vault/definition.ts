import { KINDS, Kind, Link, Property, isHeldAt, linkReaches } from '../schema';
import { ValueType } from '../values';
import { count } from '../words';

/** Types of record fields. */
export const FIELD_TYPES = ['text', 'number', 'date', 'yes or no', 'list'] as const;
export type FieldType = (typeof FIELD_TYPES)[number];

/** A record field of the vault. */
export interface VaultField {
  readonly name: string;
  readonly type: FieldType;
  /** Maximum characters; `null` for unlimited. */
  readonly length: number | null;
  readonly choices: readonly string[];
  readonly initial: string | null;
  readonly required: boolean;
  /** Kinds and vault classes; all if empty. */
  readonly kinds: readonly Kind[];
  readonly classes: readonly string[];
  /** Whether only the vault's administrator changes it. */
  readonly fixed: boolean;
  readonly retired: boolean;
}

/** A workflow step with the fields it sets. */
export interface VaultStep {
  readonly name: string;
  readonly from: string;
  readonly to: string;
  readonly sets: readonly string[];
}

/** The vault's record fields and workflow. */
export interface VaultDefinition {
  readonly fields: readonly VaultField[];
  /** Read-only fields maintained by the vault. */
  readonly systemFields: readonly string[];
  readonly states: readonly string[];
  readonly steps: readonly VaultStep[];
  /** Whether the vault's interface permits changing fields and the link table. */
  readonly mayDefine: boolean;
}

/** Whether records of a kind have a field. The vault assigns its own classes. */
export const fieldReaches = (field: Pick<VaultField, 'kinds'>, kind: Kind): boolean => field.kinds.length === 0 || field.kinds.includes(kind);

/** An ISO 8601 date. */
function isDay(text: string): boolean {
  const day = new Date(`${text}T00:00:00Z`);
  return /^\d{4}-\d{2}-\d{2}$/.test(text) && !Number.isNaN(day.getTime()) && day.toISOString().startsWith(text);
}

/** Why a record field refuses a text; `null` if it accepts. Checked before writing. */
export function whyNotTaken(definition: Pick<VaultDefinition, 'fields' | 'systemFields'>, name: string, kind: Kind, text: string | null): string | null {
  if (definition.systemFields.includes(name)) return `the vault keeps ${name} itself; nobody can write it`;
  const field = definition.fields.find((other) => other.name === name);
  if (!field) return `the vault has no record field ${name}`;
  if (field.retired) return `the record field ${name} is retired`;
  if (!fieldReaches(field, kind)) return `records of ${kind} files have no field ${name}`;
  if (text === null || text === '') return field.required ? `the record field ${name} is required and cannot be emptied` : null;
  if (field.length !== null && [...text].length > field.length)
    return `the record field ${name} takes ${count(field.length, 'character')}; the value has ${[...text].length}`;
  if (field.type === 'number' && !/^[-+]?(\d+(\.\d*)?|\.\d+)(e[-+]?\d+)?$/i.test(text)) return `the record field ${name} takes numbers only`;
  if (field.type === 'date' && !isDay(text)) return `the record field ${name} takes dates only`;
  if (field.type === 'yes or no' && text !== 'yes' && text !== 'no') return `the record field ${name} takes yes or no only`;
  if (field.type === 'list' && !field.choices.includes(text)) return `the record field ${name} does not offer ${JSON.stringify(text)}`;
  return null;
}

const FIELD_TYPE_OF: Readonly<Record<ValueType, FieldType>> = {
  text: 'text',
  longtext: 'text',
  whole: 'number',
  number: 'number',
  yesno: 'yes or no',
  date: 'date',
  choice: 'list',
  person: 'text',
  file: 'text',
};

/** The fixed choices of a property; `null` if others are permitted. */
const closedChoices = (property: Property): readonly string[] | null => (property.type === 'choice' && !property.open ? property.choices : null);

/** The record field a property would have. */
export function fieldOf(property: Property): VaultField {
  const choices = closedChoices(property);
  const type = property.type === 'choice' && (choices === null || choices.length === 0) ? 'text' : FIELD_TYPE_OF[property.type];
  return {
    name: property.writtenName.trim(),
    type,
    length: type === 'text' ? property.maxLength : null,
    choices: type === 'list' ? [...(choices ?? [])] : [],
    initial: property.default === '' || property.feed !== 'typed' ? null : property.default,
    required: property.required && property.requiredWhen === '',
    kinds: property.kinds.length === KINDS.length ? [] : [...property.kinds],
    classes: [],
    fixed: false,
    retired: false,
  };
}

/** A mismatch between a field and a linked property. */
export interface FieldFinding {
  readonly severity: 'error' | 'warning' | 'note';
  readonly code: string;
  readonly message: string;
}

/** A record field compared with the schema. */
export interface FieldRow {
  readonly field: VaultField;
  readonly system: boolean;
  /** Its links' and their properties' ids. */
  readonly links: readonly number[];
  readonly properties: readonly number[];
  readonly findings: readonly FieldFinding[];
}

/** A property without a field, with the kinds concerned. */
export interface UnheldProperty {
  readonly property: number;
  readonly kinds: readonly Kind[];
}

/** The record definition compared with the schema. */
export interface DefinitionView {
  readonly rows: readonly FieldRow[];
  readonly unheld: readonly UnheldProperty[];
  /** Links to missing fields. */
  readonly lost: readonly { readonly link: number; readonly field: string }[];
}

/** Compares a field's type, choices and length with a linked property. */
function againstProperty(field: VaultField, property: Property): FieldFinding[] {
  const found: FieldFinding[] = [];
  const say = (severity: FieldFinding['severity'], code: string, message: string) => found.push({ severity, code, message });
  const wanted = fieldOf(property);
  const its = property.caption;
  if (field.type === 'text' && wanted.type !== 'text')
    say(
      'warning',
      'type',
      `is a text field, but ${its} is ${wanted.type === 'list' ? 'a choice' : wanted.type === 'yes or no' ? 'yes or no' : `a ${wanted.type}`}: the vault cannot check, sort or search it as such.`,
    );
  else if (field.type !== wanted.type && !(field.type === 'list' && (wanted.type === 'text' || wanted.type === 'yes or no')))
    say(
      'error',
      'type',
      `takes ${field.type === 'yes or no' ? 'yes or no' : `a ${field.type}`}, but ${its} is ${wanted.type === 'yes or no' ? 'yes or no' : `a ${wanted.type}`}: most values cannot pass.`,
    );
  if (field.type === 'list') {
    const offered = wanted.type === 'yes or no' ? ['yes', 'no'] : closedChoices(property);
    if (offered === null)
      say('warning', 'list', `offers a list, but ${its} takes any ${wanted.type === 'text' ? 'text' : 'value'}: what is not in the list cannot pass.`);
    else {
      const lacking = offered.filter((choice) => !field.choices.includes(choice));
      const more = field.choices.filter((choice) => !offered.includes(choice));
      if (lacking.length) say('error', 'list', `does not offer ${listed(lacking)}, which ${its} does.`);
      if (more.length)
        say('warning', 'list', `offers ${listed(more)}, which ${its} does not: records with ${more.length === 1 ? 'it' : 'them'} cannot pass into files.`);
    }
  }
  if (field.type === 'text' && field.length !== null && wanted.type === 'text') {
    if (property.maxLength === null) say('warning', 'length', `takes ${count(field.length, 'character')}; ${its} may be longer.`);
    else if (property.maxLength > field.length) say('warning', 'length', `takes ${count(field.length, 'character')}; ${its} may have ${property.maxLength}.`);
  }
  if (field.required && !wanted.required) say('warning', 'required', `is required, but ${its} is not: a file without it cannot be released.`);
  if (!field.required && wanted.required) say('note', 'required', `may be blank, but ${its} is required.`);
  return found;
}

const listed = (texts: readonly string[]): string => (texts.length > 4 ? `${texts.slice(0, 3).join(', ')} and ${texts.length - 3} more` : texts.join(', '));

/** Compares record fields with the schema and its links, field by field. */
export function compareDefinition(definition: VaultDefinition, properties: readonly Property[], links: readonly Link[]): DefinitionView {
  const byId = new Map(properties.map((property) => [property.id, property]));
  const names = new Set([...definition.fields.map((field) => field.name), ...definition.systemFields]);
  const system = definition.systemFields.map((name): VaultField => ({
    name,
    type: 'text',
    length: null,
    choices: [],
    initial: null,
    required: false,
    kinds: [],
    classes: [],
    fixed: true,
    retired: false,
  }));
  const rowOf = (field: VaultField, isSystem: boolean): FieldRow => {
    const own = links.filter((link) => link.field === field.name);
    const led = [...new Set(own.flatMap((link) => link.at.flatMap((at) => ('property' in at ? [at.property] : []))))];
    const findings: FieldFinding[] = [];
    const say = (severity: FieldFinding['severity'], code: string, message: string) => findings.push({ severity, code, message });
    if (own.length === 0 && !isSystem && !field.retired) say('note', 'no-property', 'is linked to nothing: Rule never reads or writes it.');
    for (const link of own) {
      const writes = [link, ...link.states].some(({ in: into }) => into !== 'never');
      if (field.retired) say('error', 'retired', 'is retired, but still linked.');
      if (isSystem && writes) say('error', 'system', 'is kept by the vault itself; values cannot pass into it.');
      const without = link.kinds.filter((kind) => !fieldReaches(field, kind));
      if (without.length) say('error', 'kind', `is linked for ${without.join(' and ')} files, whose records do not have it.`);
      if (link.step !== null) {
        const step = definition.steps.find((other) => other.name === link.step);
        if (!step) say('error', 'step', `is said to be set by the step ${link.step}, which the workflow does not have.`);
        else if (!step.sets.includes(field.name)) say('error', 'step', `is said to be set by the step ${link.step}, which does not set it.`);
      } else if (writes && definition.steps.some((step) => step.sets.includes(field.name)))
        say('warning', 'step', 'is set by a step of the workflow: values that pass into it are overwritten there.');
      for (const { state } of link.states)
        if (!definition.states.includes(state)) say('error', 'state', `has a rule for the state ${state}, which the workflow does not have.`);
    }
    if (!isSystem)
      for (const id of led) {
        const property = byId.get(id);
        if (!property || property.retired) continue;
        if (led.length === 1 && field.name !== property.writtenName && property.knownSpellings.includes(field.name))
          say('note', 'name', `is called as ${property.caption} was before; the schema calls it ${JSON.stringify(property.writtenName)} now.`);
        findings.push(...againstProperty(field, property));
      }
    // Repeated findings of several links are merged.
    const once = [...new Map(findings.map((finding) => [finding.message, finding])).values()];
    return { field, system: isSystem, links: own.map((link) => link.id), properties: led, findings: once };
  };
  const rows = [...definition.fields.map((field) => rowOf(field, false)), ...system.map((field) => rowOf(field, true))];
  const unheld = properties.flatMap((property): UnheldProperty[] => {
    if (property.retired || !isHeldAt(property, 'document')) return [];
    const kinds = property.kinds.filter(
      (kind) =>
        !links.some(
          (link) => linkReaches({ kinds: link.kinds, classes: [] }, kind, null) && link.at.some((at) => 'property' in at && at.property === property.id),
        ),
    );
    return kinds.length ? [{ property: property.id, kinds }] : [];
  });
  return { rows, unheld, lost: links.filter((link) => !names.has(link.field)).map(({ id, field }) => ({ link: id, field })) };
}

/** A task for the vault's administrator. */
export interface HandOver {
  readonly field: string;
  readonly what: string;
  readonly now: string;
  readonly wanted: string;
  readonly why: string;
}

/** Field changes that would match the schema, as a list for the vault's administrator. */
export function handOver(view: DefinitionView, properties: readonly Property[]): HandOver[] {
  const byId = new Map(properties.map((property) => [property.id, property]));
  return view.rows.flatMap(({ field, system, properties: led, findings }): HandOver[] => {
    const property = led.length === 1 ? byId.get(led[0]!) : undefined;
    return findings.flatMap((finding): HandOver[] => {
      if (finding.severity === 'note' || system) return [];
      const wanted = property ? fieldOf(property) : null;
      const [now, then] =
        finding.code === 'length'
          ? [String(field.length ?? ''), String(wanted?.length ?? 'any')]
          : finding.code === 'list'
            ? [field.choices.join(', '), wanted?.type === 'yes or no' ? 'yes, no' : (wanted?.choices.join(', ') ?? '')]
            : finding.code === 'type'
              ? [field.type, wanted?.type ?? '']
              : finding.code === 'required'
                ? [field.required ? 'yes' : 'no', wanted?.required ? 'yes' : 'no']
                : ['', ''];
      return [{ field: field.name, what: finding.code, now, wanted: then, why: `${field.name} ${finding.message}` }];
    });
  });
}
