import { PRACTICES, Practice } from '@rule/core/standards';
import {
  AREAS_OF,
  ChoiceListDraft,
  FEEDS,
  FILE_FIELDS,
  INHERIT_FROM,
  KINDS,
  LETTER_CASES,
  LEVELS,
  LONGEST_NAME,
  MODEL_FACTS,
  SHEET_FACTS,
  STRANGERS,
  Schema,
  SeriesDraft,
  UNIQUENESS,
  readFormDocument,
  readMappingDocument,
} from '@rule/core/schema';
import { LETTER_FORMS, NUMBER_FORMS, VALUE_TYPES } from '@rule/core/values';
import Joi from 'joi';
import {
  AddedProperties,
  ChangedProperties,
  EFFECTS,
  Effect,
  ListSource,
  ROLLOUT_ACTIONS,
  RolloutAction,
  SavedChecks,
  SchemaDocument,
  Settings,
  TryExpression,
  TryQuery,
} from '../schema';
import { id } from './files';
import { formDocument } from './forms';
import { cellBinding, linkOf, piecesOf } from './mapping';

const length = Joi.number().integer().min(0).max(100_000).allow(null);

const limit = Joi.number().unsafe().allow(null);

const text = (most: number) => Joi.string().max(most).allow('');

const name = text(LONGEST_NAME);

const expression = text(10_000);

const form = Joi.object({
  letters: Joi.valid(...LETTER_FORMS).required(),
  decimals: Joi.number().integer().min(0).max(12).allow(null).required(),
  unit: Joi.string().max(20).allow(null).required(),
  number: Joi.valid(...NUMBER_FORMS).required(),
  denominator: Joi.number().integer().min(2).max(1024).required(),
  date: text(20).required(),
  person: Joi.valid('full', 'short').required(),
});

const override = Joi.object({
  class: name.required(),
  required: Joi.boolean(),
  minLength: length,
  maxLength: length,
  min: limit,
  max: limit,
  allowed: expression,
  default: text(1000),
});

const slot = Joi.object({ place: Joi.valid('property', 'field', 'cell').required(), name: name.required() });

const kinds = Joi.array()
  .items(Joi.valid(...KINDS))
  .unique();

/** Keys of a definition. Their meaning is checked by `checkDefinition`. */
const definition = {
  writtenName: name.required(),
  ruleName: name.required(),
  caption: name.required(),
  captions: Joi.object()
    .pattern(Joi.string().pattern(/^[a-z]{2,3}(-[A-Za-z0-9]{2,8})*$/), name)
    .max(50)
    .required(),
  help: text(2000).required(),
  group: text(100).required(),
  type: Joi.valid(...VALUE_TYPES).required(),
  unit: Joi.string().max(20).allow(null).required(),
  decimals: Joi.number().integer().min(0).max(12).allow(null).required(),
  words: Joi.array().ordered(text(40).required(), text(40).required()).length(2).allow(null).required(),
  form: form.required(),
  kinds: kinds.required(),
  classes: Joi.array().items(name).max(500).unique().required(),
  level: Joi.valid(...LEVELS).required(),
  fallback: Joi.boolean().required(),
  feed: Joi.valid(...FEEDS).required(),
  fileField: Joi.valid(...FILE_FIELDS, null).required(),
  modelFact: Joi.valid(...MODEL_FACTS, null).required(),
  sheetFact: Joi.valid(...SHEET_FACTS, null).required(),
  // Absent in older documents.
  sheetArea: Joi.object({ of: Joi.valid(...AREAS_OF).required(), layer: text(255).required(), text: text(1000).required(), holes: Joi.boolean().required() })
    .allow(null)
    .default(null),
  inheritFrom: Joi.valid(...INHERIT_FROM, null).required(),
  mayOverride: Joi.boolean().required(),
  series: name.allow(null).required(),
  rule: expression.required(),
  examples: Joi.array()
    .items(
      Joi.object({
        title: text(200).required(),
        given: Joi.object()
          .pattern(Joi.string().max(LONGEST_NAME * 2), text(10_000))
          .max(200)
          .required(),
        expected: text(10_000).required(),
      }),
    )
    .max(200)
    .required(),
  homes: Joi.object()
    .pattern(Joi.valid(...KINDS), slot)
    .required(),
  required: Joi.boolean().required(),
  requiredWhen: expression.required(),
  requiredFrom: text(50).required(),
  minLength: length.required(),
  maxLength: length.required(),
  min: limit.required(),
  max: limit.required(),
  pattern: text(1000).required(),
  forbidden: text(200).required(),
  letterCase: Joi.valid(...LETTER_CASES).required(),
  allowed: expression.required(),
  unique: Joi.valid(...UNIQUENESS).required(),
  overrides: Joi.array().items(override).max(500).required(),
  list: name.allow(null).required(),
  choices: Joi.array().items(text(1000)).max(5000).required(),
  open: Joi.boolean().required(),
  narrowedBy: name.allow(null).required(),
  placeholder: text(200).required(),
  default: text(1000).required(),
  mayChange: Joi.object({
    role: Joi.valid('editor', 'administrator').required(),
    states: Joi.array().items(text(50)).max(50).required(),
    closedClasses: Joi.array().items(name).max(500).required(),
  }).required(),
  system: Joi.boolean().required(),
  knownSpellings: Joi.array().items(Joi.string().max(LONGEST_NAME)).max(500).unique().required(),
  searched: Joi.boolean().required(),
};

const list = <T>(items: Joi.Schema, most = 2000) => Joi.array<T>().items(items).min(1).max(most).required();

/** Checks a {@link ChangedProperties}. */
export const changedProperties = Joi.object<ChangedProperties>({
  properties: list(
    Joi.object({
      id: id.required(),
      base: Joi.object(definition).allow(null).required(),
      baseRetired: Joi.boolean(),
      draft: Joi.object(definition).required(),
      retired: Joi.boolean().required(),
    }),
  ),
}).required();

/** Checks a {@link AddedProperties}. */
export const addedProperties = Joi.object<AddedProperties>({ properties: list(Joi.object(definition)) }).required();

/** Checks the property order. */
export const propertyOrder = Joi.object<{ ids: readonly number[] }>({ ids: list(id, 10_000) }).required();

const check = {
  title: text(200).required(),
  severity: Joi.valid('error', 'warning').required(),
  kinds: kinds.min(1).required(),
  classes: Joi.array().items(name).max(500).unique().required(),
  condition: expression.required(),
  message: text(500).required(),
};

/** Checks a {@link SavedChecks}. */
export const savedChecks = Joi.object<SavedChecks>({
  checks: Joi.array()
    .items(Joi.object({ ...check, id: id.allow(null).required() }))
    .max(1000)
    .required(),
}).required();

const strangers = Joi.object(Object.fromEntries(KINDS.map((kind) => [kind, Joi.valid(...STRANGERS).required()])));

/** Checks the policy for names outside the schema, by kind. */
export const savedStrangers = Joi.object<{ strangers: Schema['strangers'] }>({ strangers: strangers.required() }).required();

const column = Joi.string().max(100);

const choiceList = {
  name: name.required(),
  columns: Joi.array().items(column).max(50).required(),
  choices: Joi.array()
    .items(
      Joi.object({
        value: text(1000).required(),
        columns: Joi.object().pattern(column, text(2000)).required(),
        retired: Joi.boolean().required(),
        replacedBy: text(1000).allow(null).required(),
      }),
    )
    .max(20_000)
    .required(),
  goesWith: column.allow(null).required(),
};

/** Checks a {@link ChoiceListDraft}. */
export const choiceListDraft = Joi.object<ChoiceListDraft>(choiceList).required();

/** Checks the source of a choice list. */
export const listSource = Joi.object<{ source: ListSource | null }>({
  source: Joi.alternatives(
    Joi.object({ type: Joi.valid('file').required(), path: Joi.string().max(1000).required(), sheet: text(100).allow(null).required() }),
    Joi.object({ type: Joi.valid('database').required(), url: Joi.string().max(1000).required(), query: Joi.string().max(10_000).required() }),
  )
    .allow(null)
    .required(),
}).required();

/** Checks the token that confirms a preview. */
export const listLoad = Joi.object<{ token: string }>({ token: Joi.string().max(100).required() }).required();

const part = Joi.alternatives(
  Joi.object({ type: Joi.valid('text').required(), text: text(100).required() }),
  Joi.object({ type: Joi.valid('value').required(), property: name.required() }),
  Joi.object({ type: Joi.valid('count').required() }),
);

const series = {
  name: name.required(),
  parts: Joi.array().items(part).min(1).max(20).required(),
  counts: Joi.valid('numbers', 'letters').required(),
  digits: Joi.number().integer().min(1).max(12).required(),
  start: Joi.number().integer().min(0).max(1e12).required(),
  step: Joi.number().integer().min(1).max(1e6).required(),
  leftOut: text(26).required(),
  // Older documents have no revision.
  per: Joi.valid('library', 'file').default('library'),
};

/** Checks a {@link SeriesDraft}. */
export const seriesDraft = Joi.object<SeriesDraft>(series).required();

/** Checks the purpose of a reserved number. */
export const drawNumber = Joi.object<{ file: number | null; note: string }>({ file: id.allow(null).default(null), note: text(200).default('') }).required();

/** Checks a request to add new numbers to the tray. */
export const drawForFiles = Joi.object<{ property: number; files: readonly number[] }>({ property: id.required(), files: list(id, 5000) }).required();

/** Checks a {@link SchemaDocument}. */
export const schemaDocument = Joi.object<SchemaDocument>({
  rule: Joi.valid(1).required(),
  properties: Joi.array()
    .items(Joi.object({ ...definition, retired: Joi.boolean().default(false) }))
    .max(5000)
    .required(),
  checks: Joi.array().items(Joi.object(check)).max(1000).default([]),
  forms: Joi.array().items(formDocument).max(500).default([]),
  strangers: strangers.required(),
  bindings: Joi.array()
    .items(Joi.object({ ...cellBinding, shows: piecesOf(name).required() }))
    .max(20_000)
    .default([]),
  links: Joi.array().items(linkOf(name)).max(10_000).default([]),
  lists: Joi.array().items(Joi.object(choiceList)).max(500).default([]),
  series: Joi.array().items(Joi.object(series)).max(500).default([]),
}).required();

/** Converts links of older documents, with one kind and one address. */
function withPresentLinks(document: unknown): unknown {
  const links = (document as { links?: unknown } | null)?.links;
  if (!Array.isArray(links)) return document;
  return {
    ...(document as object),
    links: links.map((link: unknown) => {
      if (typeof link !== 'object' || link === null || !('kind' in link)) return link;
      const { kind, at, ...rest } = link as { kind: unknown; at?: unknown };
      return { ...rest, kinds: [kind], at: [at] };
    }),
  };
}

/** Parses a schema from JSON: a full document or its content alone. */
export function readSchemaDocument(
  json: unknown,
): { readonly ok: true; readonly document: SchemaDocument } | { readonly ok: false; readonly error: Joi.ValidationError } {
  const own = typeof json === 'object' && json !== null && 'x-rule' in json ? (json as Record<string, unknown>)['x-rule'] : json;
  const checked = schemaDocument.validate(withPresentLinks(own), { abortEarly: false });
  return checked.error ? { ok: false, error: checked.error } : { ok: true, document: checked.value };
}

/** A document as a schema: numbered by position, with choices from its lists. */
export function schemaOfDocument({ properties, checks, forms, strangers, bindings, links, lists }: SchemaDocument): Schema {
  const choices = new Map(lists.map((entry) => [entry.name, entry.choices.filter((choice) => !choice.retired).map((choice) => choice.value)]));
  const numbered = properties.map((property, i) => ({
    ...property,
    id: i + 1,
    choices: property.list === null ? property.choices : (choices.get(property.list) ?? []),
  }));
  const mapping = readMappingDocument(numbered, { bindings, links });
  return {
    properties: numbered,
    checks: checks.map((entry, i) => ({ ...entry, id: i + 1 })),
    forms: forms.map((entry, i) => ({ ...readFormDocument(entry, numbered).form, id: i + 1 })),
    strangers,
    bindings: mapping.bindings.map((entry, i) => ({ ...entry, id: i + 1 })),
    links: mapping.links.map((entry, i) => ({ ...entry, id: i + 1 })),
  };
}

/** Checks an edition's note and the draft's revision. */
export const bringIntoForce = Joi.object<{ note: string; revision: number | null }>({
  note: text(2000).required(),
  revision: Joi.number().integer().min(0).allow(null).default(null),
}).required();

/** Checks a {@link TryQuery}. */
export const tryQuery = Joi.object<TryQuery>({
  effect: Joi.valid(...EFFECTS),
  property: id,
  check: id,
  cell: Joi.string().max(600),
  record: Joi.string().max(100),
  offset: Joi.number().integer().min(0).default(0),
  limit: Joi.number().integer().min(1).max(1000).default(200),
});

/** Checks which findings to fix. */
export const tryRepair = Joi.object<{ effect: Effect; property: number }>({ effect: Joi.valid(...EFFECTS).required(), property: id.required() }).required();

/** Checks a rollout action. */
export const rolloutRequest = Joi.object<{ property: number; action: RolloutAction }>({
  property: id.required(),
  action: Joi.valid(...ROLLOUT_ACTIONS).required(),
}).required();

/** Checks a {@link TryExpression}. */
export const tryExpression = Joi.object<TryExpression>({
  property: Joi.object(definition).required(),
  id: id.allow(null).required(),
  files: Joi.array().items(id).max(20).required(),
}).required();

/** Checks a {@link Settings}. */
export const settings = Joi.object<Settings>({
  company: Joi.string().max(200).required(),
  workflowStates: Joi.array().items(Joi.string().trim().min(1).max(50)).max(50).unique().required(),
  standIns: Joi.array().items(Joi.string().max(100)).max(200).required(),
  modelProperty: Joi.string().max(LONGEST_NAME).allow('').required(),
  massProperty: Joi.string().max(LONGEST_NAME).allow('').required(),
  materialProperty: Joi.string().max(LONGEST_NAME).allow('').required(),
  densities: Joi.array()
    .items(Joi.object({ material: Joi.string().max(200).required(), density: Joi.number().positive().max(100_000).required() }))
    .max(5000)
    .required(),
  abbreviations: Joi.array()
    .items(Joi.object({ short: Joi.string().max(50).required(), long: Joi.string().max(100).required() }))
    .max(5000)
    .required(),
  synonyms: Joi.array()
    .items(Joi.array().items(Joi.string().max(100)).min(2).max(50))
    .max(2000)
    .required(),
}).required();

/** An edition by number, or the draft. */
export const editionQuery = Joi.object<{ edition: number | null }>({ edition: Joi.number().integer().min(0).allow(null).default(null) });

/** Checks two edition numbers. */
export const comparison = Joi.object<{ from: number; to: number }>({
  from: Joi.number().integer().min(0).required(),
  to: Joi.number().integer().min(0).required(),
});

/** Checks a practice. */
export const practiceQuery = Joi.object<{ practice: Practice }>({ practice: Joi.valid(...PRACTICES).default('iso') });

/** Checks a start file's name. */
export const startFileQuery = Joi.object<{ name: string }>({ name: Joi.string().max(300).required() });

/** Checks the selected starter properties. */
export const starterRequest = Joi.object<{ starter: string; names: readonly string[] | null }>({
  starter: Joi.string().max(50).required(),
  names: Joi.array().items(Joi.string().max(255)).max(200).allow(null).default(null),
}).required();
