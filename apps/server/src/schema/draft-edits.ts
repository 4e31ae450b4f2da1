import { ChangedProperty } from '@rule/contract';
import {
  Binding,
  BindingDocument,
  Check,
  EntryForm,
  FormDocument,
  Link,
  LinkDocument,
  PLAIN_CELL,
  Property,
  PropertyDraft,
  Schema,
  cellName,
  checkMapping,
  draftOf,
  familyOf,
  ledBy,
  mergeDefinitions,
  readFormDocument,
  readMappingDocument,
  renamed,
} from '@rule/core/schema';
import { Sql } from '../platform/db';
import { AppError, invalid, notFound, refused } from '../platform/problem';

/** What a draft shall say: a document, or an earlier edition. */
export interface WantedSchema {
  readonly properties: readonly (PropertyDraft & { readonly retired?: boolean })[];
  readonly checks?: readonly Omit<Check, 'id'>[];
  readonly forms?: readonly FormDocument[];
  readonly strangers?: Schema['strangers'];
  readonly bindings?: readonly BindingDocument[];
  readonly links?: readonly LinkDocument[];
}

/** Identifies a binding: block family and cell. */
export const cellKey = ({ block, cell }: Pick<Binding, 'block' | 'cell'>): string => JSON.stringify([block === null ? null : familyOf(block), cell]);

/** Identifies a link: record field and scope. */
export const fieldKey = ({ field, kinds, classes }: Pick<Link, 'field' | 'kinds' | 'classes'>): string =>
  JSON.stringify([field, [...kinds].sort(), [...classes].sort()]);

/**
 * Homes in cells are leading bindings. Older documents state them at the property and are converted, for every block with the cell.
 * @throws AppError if the cell is bound to something else
 */
export async function withoutCellHomes(schema: Schema, sql: Sql): Promise<Schema> {
  const told = schema.properties.flatMap(({ id, homes: { drawing } }) => (drawing?.place === 'cell' ? [{ property: id, cell: drawing.name }] : []));
  if (told.length === 0) return schema;
  const wanted = told.map(({ property, cell }): Omit<Binding, 'id'> => ({
    block: null,
    cell,
    leads: true,
    shows: [{ property, from: 'sheet', form: PLAIN_CELL }],
  }));
  const bound = new Map(schema.bindings.map((binding) => [cellKey(binding), binding]));
  const other = wanted.find((binding) => bound.has(cellKey(binding)) && ledBy(bound.get(cellKey(binding))) !== ledBy(binding));
  if (other) throw refused('cell-taken', `The cell ${cellName(other)} already shows something else. Bind it again if that is intended.`);
  const fresh = await numbered(
    sql,
    'binding_ids',
    schema.bindings,
    wanted.filter((binding) => !bound.has(cellKey(binding))),
    cellKey,
  );
  return {
    ...schema,
    properties: schema.properties.map((property) => {
      if (property.homes.drawing?.place !== 'cell') return property;
      const { drawing: _, ...homes } = property.homes;
      void _;
      return { ...property, homes };
    }),
    bindings: [...schema.bindings, ...fresh],
  };
}

/** Definitions with numbers: existing ones are reused. */
export async function numbered<T extends object>(
  sql: Sql,
  sequence: 'binding_ids' | 'link_ids',
  known: readonly (T & { readonly id: number })[],
  wanted: readonly T[],
  keyOf: (entry: T) => string,
): Promise<(T & { readonly id: number })[]> {
  const ids = new Map(known.map((entry) => [keyOf(entry), entry.id]));
  const fresh = await sql.all<{ id: number }>(`SELECT nextval('${sequence}')::int AS id FROM generate_series(1, $1::int)`, [
    wanted.filter((entry) => !ids.has(keyOf(entry))).length,
  ]);
  return wanted.map((entry) => ({ ...entry, id: ids.get(keyOf(entry)) ?? fresh.shift()!.id })).sort((a, b) => a.id - b.id);
}

/** Invalid bindings and links are refused; existing faults can be fixed one by one. */
export function refuseBroken(before: Schema, after: Schema): void {
  const known = new Set(checkMapping(before.properties, before.bindings, before.links).map((problem) => problem.message));
  const fresh = checkMapping(after.properties, after.bindings, after.links).filter((problem) => problem.severity === 'error' && !known.has(problem.message));
  if (fresh.length)
    throw invalid(
      'bad-mapping',
      fresh[0]!.message,
      fresh.map(({ of, id, code, message }) => ({ field: `${of} ${id}`, code, message })),
    );
}

/** Written names must be unique even in a draft; other faults may wait. */
export function refuseTaken(properties: readonly Property[]): void {
  const seen = new Map<string, Property>();
  for (const property of properties) {
    const other = seen.get(property.writtenName);
    if (other)
      throw invalid('bad-definition', `The schema already has ${JSON.stringify(property.writtenName)}${other.retired ? ' (retired)' : ''}.`, [
        {
          field: 'writtenName',
          code: 'name-taken',
          message: `The schema already has ${JSON.stringify(property.writtenName)}${other.retired ? ' (retired)' : ''}.`,
        },
      ]);
    seen.set(property.writtenName, property);
  }
}

/**
 * The schema with edited properties. Edits carry the version their author saw: other changes are merged, and if both changed the same field,
 * it is refused with the names of the fields.
 */
export async function edited(schema: Schema, edits: readonly ChangedProperty[], sql: Sql): Promise<Schema> {
  const enacted = new Set((await sql.all<{ id: number }>('SELECT id FROM properties')).map((row) => row.id));
  const conflicts: { field: string; code: string; message: string }[] = [];
  const byId = new Map(edits.map((entry) => [entry.id, entry]));
  const found = new Set<number>();
  const properties = schema.properties.map((property) => {
    const entry = byId.get(property.id);
    if (!entry) return property;
    found.add(property.id);
    const before = { ...draftOf(property), retired: property.retired };
    const mine = { ...entry.draft, retired: entry.retired };
    const base = { ...(entry.base ?? draftOf(property)), retired: entry.baseRetired ?? property.retired };
    const { merged, conflicts: own } = mergeDefinitions(base, before, mine);
    for (const conflict of own)
      conflicts.push({
        field: conflict.field,
        code: 'changed-by-both',
        message: `${property.caption}, ${conflict.field}: someone else changed it to ${JSON.stringify(conflict.theirs)}.`,
      });
    // The old written name stays known, as files still hold it.
    const spellings = enacted.has(property.id) && merged.writtenName !== property.writtenName ? renamed(property, merged.writtenName).knownSpellings : [];
    const knownSpellings = [...new Set([...merged.knownSpellings, ...spellings])].filter((spelling) => spelling !== merged.writtenName);
    return { ...property, ...merged, knownSpellings };
  });
  const missing = edits.find((entry) => !found.has(entry.id));
  if (missing) throw notFound(`Property ${missing.id} of the draft`);
  if (conflicts.length) throw new AppError(409, 'changed-by-both', conflicts[0]!.message, conflicts);
  refuseTaken(properties);
  return { ...schema, properties };
}

/** The schema as a document or earlier edition says, with properties matched by written name. */
export async function replaced(schema: Schema, wanted: WantedSchema, sql: Sql): Promise<Schema> {
  const byName = new Map(schema.properties.map((property) => [property.writtenName, property]));
  for (const property of schema.properties) for (const spelling of property.knownSpellings) if (!byName.has(spelling)) byName.set(spelling, property);
  const used = new Set<number>();
  const matched = wanted.properties.map((draft) => {
    const old = [draft.writtenName, ...draft.knownSpellings].map((name) => byName.get(name)).find((property) => property && !used.has(property.id));
    if (old) used.add(old.id);
    return { draft, old };
  });
  const fresh = await sql.all<{ id: number }>(`SELECT nextval('properties_id_seq')::int AS id FROM generate_series(1, $1::int)`, [
    matched.filter((entry) => !entry.old).length,
  ]);
  const properties = matched.map(({ draft, old }): Property => ({ ...draft, id: old?.id ?? fresh.shift()!.id, retired: draft.retired ?? false }));
  const enacted = new Set((await sql.all<{ id: number }>('SELECT id FROM properties')).map((row) => row.id));
  const left = schema.properties.filter((property) => !used.has(property.id) && enacted.has(property.id)).map((property) => ({ ...property, retired: true }));
  const all = [...properties, ...left];
  refuseTaken(all);
  const ids = await sql.all<{ id: number }>(`SELECT nextval('check_ids')::int AS id FROM generate_series(1, $1::int)`, [wanted.checks?.length ?? 0]);
  const checks = wanted.checks?.map((check): Check => {
    const old = schema.checks.find((candidate) => candidate.title === check.title);
    return { ...check, id: old?.id ?? ids.shift()!.id };
  });
  const formIds = await sql.all<{ id: number }>(`SELECT nextval('form_ids')::int AS id FROM generate_series(1, $1::int)`, [wanted.forms?.length ?? 0]);
  const forms = wanted.forms?.map((document): EntryForm => {
    const old = schema.forms.find((candidate) => candidate.name === document.name);
    return { ...readFormDocument(document, all).form, id: old?.id ?? formIds.shift()!.id };
  });
  const mapping = readMappingDocument(all, { bindings: wanted.bindings ?? [], links: wanted.links ?? [] });
  return {
    properties: all,
    checks: checks ?? schema.checks,
    forms: forms ?? schema.forms,
    strangers: wanted.strangers ?? schema.strangers,
    bindings: wanted.bindings ? await numbered(sql, 'binding_ids', schema.bindings, mapping.bindings, cellKey) : schema.bindings,
    links: wanted.links ? await numbered(sql, 'link_ids', schema.links, mapping.links, fieldKey) : schema.links,
  };
}
