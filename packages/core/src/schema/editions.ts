import { Property, PropertyDraft } from './property';
import { EntryForm } from './form';
import { Binding, Link, cellName, linkName } from './mapping';
import { Check, Schema } from './schema';

/** A field of a definition, before and after. */
export interface FieldChange {
  readonly field: string;
  readonly before: unknown;
  readonly after: unknown;
}

/** A difference between schemas; together they lead from one to the other. */
export type SchemaChange =
  | { readonly type: 'property added'; readonly property: Property }
  | { readonly type: 'property removed'; readonly property: Property }
  | { readonly type: 'property changed'; readonly id: number; readonly caption: string; readonly fields: readonly FieldChange[] }
  | { readonly type: 'check added'; readonly check: Check }
  | { readonly type: 'check removed'; readonly check: Check }
  | { readonly type: 'check changed'; readonly id: number; readonly title: string; readonly fields: readonly FieldChange[] }
  | { readonly type: 'form added'; readonly form: EntryForm }
  | { readonly type: 'form removed'; readonly form: EntryForm }
  | { readonly type: 'form changed'; readonly id: number; readonly name: string; readonly fields: readonly FieldChange[] }
  | { readonly type: 'binding added'; readonly binding: Binding }
  | { readonly type: 'binding removed'; readonly binding: Binding }
  | { readonly type: 'binding changed'; readonly id: number; readonly cell: string; readonly fields: readonly FieldChange[] }
  | { readonly type: 'link added'; readonly link: Link }
  | { readonly type: 'link removed'; readonly link: Link }
  | { readonly type: 'link changed'; readonly id: number; readonly field: string; readonly fields: readonly FieldChange[] }
  | { readonly type: 'strangers changed'; readonly before: Schema['strangers']; readonly after: Schema['strangers'] }
  | { readonly type: 'order changed'; readonly of: 'properties' | 'checks' | 'forms'; readonly before: readonly number[]; readonly after: readonly number[] };

/** Whether two definitions are equal. Object key order is ignored, list order is not. */
export function sameDefinition(a: unknown, b: unknown): boolean {
  if (a === b) return true;
  if (typeof a !== 'object' || typeof b !== 'object' || a === null || b === null) return false;
  if (Array.isArray(a) || Array.isArray(b))
    return Array.isArray(a) && Array.isArray(b) && a.length === b.length && a.every((item, i) => sameDefinition(item, b[i]));
  const keys = new Set([...Object.keys(a), ...Object.keys(b)]);
  return [...keys].every((key) => sameDefinition((a as Record<string, unknown>)[key], (b as Record<string, unknown>)[key]));
}

function fieldChanges(before: object, after: object): FieldChange[] {
  const keys = new Set([...Object.keys(before), ...Object.keys(after)]);
  keys.delete('id');
  return [...keys].flatMap((field) => {
    const [a, b] = [(before as Record<string, unknown>)[field], (after as Record<string, unknown>)[field]];
    return sameDefinition(a, b) ? [] : [{ field, before: a, after: b }];
  });
}

/** Changes from one schema to another, per definition. */
export function compareSchemas(before: Schema, after: Schema): SchemaChange[] {
  const changes: SchemaChange[] = [];
  const difference = <T extends { readonly id: number }>(
    old: readonly T[],
    now: readonly T[],
    added: (entry: T) => SchemaChange,
    removed: (entry: T) => SchemaChange,
    changed: (entry: T, fields: readonly FieldChange[]) => SchemaChange,
  ) => {
    const was = new Map(old.map((entry) => [entry.id, entry]));
    const is = new Set(now.map((entry) => entry.id));
    for (const entry of old) if (!is.has(entry.id)) changes.push(removed(entry));
    for (const entry of now) {
      const earlier = was.get(entry.id);
      const fields = earlier ? fieldChanges(earlier, entry) : [];
      if (!earlier) changes.push(added(entry));
      else if (fields.length) changes.push(changed(entry, fields));
    }
  };
  difference(
    before.properties,
    after.properties,
    (property) => ({ type: 'property added', property }),
    (property) => ({ type: 'property removed', property }),
    ({ id, caption }, fields) => ({ type: 'property changed', id, caption, fields }),
  );
  difference(
    before.checks,
    after.checks,
    (check) => ({ type: 'check added', check }),
    (check) => ({ type: 'check removed', check }),
    ({ id, title }, fields) => ({ type: 'check changed', id, title, fields }),
  );
  difference(
    before.forms,
    after.forms,
    (form) => ({ type: 'form added', form }),
    (form) => ({ type: 'form removed', form }),
    ({ id, name }, fields) => ({ type: 'form changed', id, name, fields }),
  );
  difference(
    before.bindings,
    after.bindings,
    (binding) => ({ type: 'binding added', binding }),
    (binding) => ({ type: 'binding removed', binding }),
    (binding, fields) => ({ type: 'binding changed', id: binding.id, cell: cellName(binding), fields }),
  );
  difference(
    before.links,
    after.links,
    (link) => ({ type: 'link added', link }),
    (link) => ({ type: 'link removed', link }),
    (link, fields) => ({ type: 'link changed', id: link.id, field: linkName(link), fields }),
  );
  if (!sameDefinition(before.strangers, after.strangers)) changes.push({ type: 'strangers changed', before: before.strangers, after: after.strangers });
  for (const part of ['properties', 'checks', 'forms'] as const) {
    // Additions come last and removals drop out; only other order differences count.
    const old = before[part].map((entry) => entry.id);
    const now = after[part].map((entry) => entry.id);
    const byItself = [...old.filter((id) => now.includes(id)), ...now.filter((id) => !old.includes(id))];
    if (!sameDefinition(byItself, now)) changes.push({ type: 'order changed', of: part, before: old, after: now });
  }
  return changes;
}

const withFields = <T extends object>(entry: T, fields: readonly FieldChange[]): T => ({
  ...entry,
  ...Object.fromEntries(fields.map(({ field, after }) => [field, after])),
});

const inOrder = <T extends { readonly id: number }>(entries: readonly T[], order: readonly number[]): T[] => {
  const place = new Map(order.map((id, i) => [id, i]));
  return [...entries].sort((a, b) => (place.get(a.id) ?? Infinity) - (place.get(b.id) ?? Infinity));
};

/** Bindings and links are unordered. */
const byNumber = (a: { readonly id: number }, b: { readonly id: number }): number => a.id - b.id;

/** Applies changes to a schema; changes to missing items are skipped. */
export function applyChanges(schema: Schema, changes: readonly SchemaChange[]): Schema {
  let { properties, checks, forms, strangers, bindings, links } = schema;
  for (const change of changes)
    switch (change.type) {
      case 'property added':
        properties = [...properties.filter((property) => property.id !== change.property.id), change.property];
        break;
      case 'property removed':
        properties = properties.filter((property) => property.id !== change.property.id);
        break;
      case 'property changed':
        properties = properties.map((property) => (property.id === change.id ? withFields(property, change.fields) : property));
        break;
      case 'check added':
        checks = [...checks.filter((check) => check.id !== change.check.id), change.check];
        break;
      case 'check removed':
        checks = checks.filter((check) => check.id !== change.check.id);
        break;
      case 'check changed':
        checks = checks.map((check) => (check.id === change.id ? withFields(check, change.fields) : check));
        break;
      case 'form added':
        forms = [...forms.filter((form) => form.id !== change.form.id), change.form];
        break;
      case 'form removed':
        forms = forms.filter((form) => form.id !== change.form.id);
        break;
      case 'form changed':
        forms = forms.map((form) => (form.id === change.id ? withFields(form, change.fields) : form));
        break;
      case 'binding added':
        bindings = [...bindings.filter((binding) => binding.id !== change.binding.id), change.binding];
        break;
      case 'binding removed':
        bindings = bindings.filter((binding) => binding.id !== change.binding.id);
        break;
      case 'binding changed':
        bindings = bindings.map((binding) => (binding.id === change.id ? withFields(binding, change.fields) : binding));
        break;
      case 'link added':
        links = [...links.filter((link) => link.id !== change.link.id), change.link];
        break;
      case 'link removed':
        links = links.filter((link) => link.id !== change.link.id);
        break;
      case 'link changed':
        links = links.map((link) => (link.id === change.id ? withFields(link, change.fields) : link));
        break;
      case 'strangers changed':
        strangers = change.after;
        break;
      case 'order changed':
        if (change.of === 'properties') properties = inOrder(properties, change.after);
        else if (change.of === 'checks') checks = inOrder(checks, change.after);
        else forms = inOrder(forms, change.after);
        break;
    }
  return { properties, checks, forms, strangers, bindings: [...bindings].sort(byNumber), links: [...links].sort(byNumber) };
}

/** A field changed differently by two people since both read it. */
export interface MergeConflict {
  readonly field: string;
  readonly base: unknown;
  readonly theirs: unknown;
  readonly mine: unknown;
}

/** Merges two edits of a definition field by field. On conflict `merged` has theirs. */
export function mergeDefinitions<T extends object>(base: T, theirs: T, mine: T): { readonly merged: T; readonly conflicts: readonly MergeConflict[] } {
  const conflicts: MergeConflict[] = [];
  const merged = { ...theirs } as Record<string, unknown>;
  for (const { field, before, after } of fieldChanges(base, mine)) {
    const now = (theirs as Record<string, unknown>)[field];
    if (sameDefinition(now, before) || sameDefinition(now, after)) merged[field] = after;
    else conflicts.push({ field, base: before, theirs: now, mine: after });
  }
  return { merged: merged as T, conflicts };
}

/** Properties renamed between two schemas, so files must follow. */
export function renames(before: Schema, after: Schema): { readonly property: Property; readonly from: string }[] {
  const was = new Map(before.properties.map((property) => [property.id, property]));
  return after.properties.flatMap((property) => {
    const old = was.get(property.id);
    return old && !property.retired && old.writtenName !== property.writtenName ? [{ property, from: old.writtenName }] : [];
  });
}

/** A definition with a new written name; the old one becomes a known spelling. */
export const renamed = <P extends PropertyDraft>(property: P, writtenName: string): P => ({
  ...property,
  writtenName,
  knownSpellings: [...new Set([...property.knownSpellings.filter((spelling) => spelling !== writtenName), property.writtenName])],
});
