import { heldText } from '../../values';
import { FileProblem, FileReading, HolderReading, ReadValue } from '../contract';
import { Attribute, HolderKeys, holderKeys, lengthUnit, readAttributes, readFacts } from './attributes';
import { Bodies, readBodies } from './bodies';
import { StepModel, textOf } from './model';
import { Argument } from './parse';
import { Definition, Structure, readStructure } from './structure';

/** A file field with its argument. */
export interface Field {
  readonly name: string;
  readonly argument: Argument;
}

/** What reading and writing a STEP file share. */
export interface StepContent {
  readonly model: StepModel;
  readonly structure: Structure;
  readonly keys: HolderKeys;
  readonly bodies: Bodies;
  readonly attributes: readonly Attribute[];
}

/**
 * Opens a STEP file.
 * @throws FileError if it is broken
 */
export function openStep(bytes: Uint8Array): StepContent {
  const model = new StepModel(bytes);
  const structure = readStructure(model);
  const bodies = readBodies(model, structure);
  const keys = holderKeys(structure, bodies);
  return { model, structure, keys, bodies, attributes: readAttributes(model, keys) };
}

/**
 * Holders whose key changed because product ids or names changed.
 * @throws FileError
 */
export function movedHolders(before: Uint8Array, after: Uint8Array): ReadonlyMap<string, string> {
  const keysOf = (bytes: Uint8Array) => {
    const model = new StepModel(bytes);
    const structure = readStructure(model);
    return holderKeys(structure, readBodies(model, structure)).keyOf;
  };
  const now = keysOf(after);
  const moved = new Map<string, string>();
  for (const [id, key] of keysOf(before)) {
    const other = now.get(id);
    if (other !== undefined && other !== key) moved.set(key, other);
  }
  return moved;
}

/** Product fields: id, name, description, version, and the file of an external reference. */
export function productFields(model: StepModel, definition: Definition): Field[] {
  const product = model.args(definition.product);
  const formation = model.args(definition.formation);
  return [
    { name: 'product id', argument: product[0]! },
    { name: 'product name', argument: product[1]! },
    { name: 'product description', argument: product[2]! },
    { name: 'version id', argument: formation[0]! },
    ...(definition.external ? [{ name: 'external file', argument: definition.external }] : []),
  ].filter((field) => field.argument !== undefined);
}

/** FILE_NAME fields: author, organisation, time stamp. */
export function headerFields(model: StepModel): Field[] {
  const args = model.header('FILE_NAME')?.args ?? [];
  const first = (argument: Argument | undefined) => (argument?.is === 'list' ? argument.items[0] : argument);
  return [
    { name: 'author', argument: first(args[2])! },
    { name: 'organisation', argument: first(args[3])! },
    { name: 'time stamp', argument: args[1]! },
  ].filter((field) => field.argument?.is === 'text');
}

const fieldValues = (fields: readonly Field[]): ReadValue[] =>
  fields.flatMap(({ name, argument }) => {
    const text = textOf(argument);
    return text === '' ? [] : [{ place: 'field' as const, name, held: heldText(text) }];
  });

/**
 * Reads a STEP file.
 * @throws FileError if it is broken
 */
export function readStep(bytes: Uint8Array): FileReading {
  const { model, structure, keys, bodies, attributes } = openStep(bytes);
  const problems: FileProblem[] = [];
  const valuesOf = new Map<string, ReadValue[]>();
  const seen = new Set<string>();
  for (const { holder, name, held, strange } of attributes) {
    if (strange !== undefined)
      problems.push({
        code: 'unit',
        message: `${JSON.stringify(name)} uses the unknown unit ${JSON.stringify(strange)}; its value is kept as text.`,
      });
    const place = JSON.stringify([holder, name]);
    if (seen.has(place)) {
      problems.push({ code: 'name-twice', message: `${JSON.stringify(name)} is used twice in the same place; the first one counts.` });
      continue;
    }
    seen.add(place);
    const list = valuesOf.get(holder) ?? [];
    list.push({ place: 'property', name, held });
    valuesOf.set(holder, list);
  }
  const firstShape = structure.roots[0] && bodies.representations.get(structure.roots[0].id)?.[0];
  const unit = firstShape === undefined ? undefined : lengthUnit(model, firstShape);
  const facts = readFacts(model, keys);
  if (unit) facts.push({ holder: '', name: 'length unit', held: heldText(unit) });
  for (const { holder, name, held } of facts) {
    const list = valuesOf.get(holder) ?? [];
    const place = JSON.stringify([holder, 'fact', name]);
    if (!seen.has(place)) list.push({ place: 'fact', name, held });
    seen.add(place);
    valuesOf.set(holder, list);
  }
  const holders: HolderReading[] = [];
  const roots = new Set(structure.roots.map((root) => root.id));
  const labelOf = new Map(structure.reading.products.map((product) => [product.key, product.name || product.id]));
  for (const definition of structure.definitions.values()) {
    const key = keys.keyOf.get(definition.id)!;
    const own = key === '' ? headerFields(model) : [];
    holders.push({
      level: key === '' ? 'document' : roots.has(definition.id) ? 'variant' : 'copy',
      key,
      label: labelOf.get(definition.key) ?? definition.key,
      values: [...fieldValues([...productFields(model, definition), ...own]), ...(valuesOf.get(key) ?? [])],
    });
  }
  for (const { key, label } of bodies.list) holders.push({ level: 'body', key, label, values: valuesOf.get(key) ?? [] });
  for (const { key, label } of structure.occurrences) holders.push({ level: 'occurrence', key, label, values: valuesOf.get(key) ?? [] });
  if (structure.roots.length === 0) problems.push({ code: 'no-product', message: 'The file defines no product, so it cannot hold properties.' });
  const schema = model.header('FILE_SCHEMA')?.args[0];
  return {
    format: 'step',
    version: schema?.is === 'list' ? textOf(schema.items[0]).split(/\s/)[0]! : '',
    kind: structure.occurrences.length > 0 || structure.saysAssembly ? 'assembly' : 'part',
    holders,
    structure: structure.reading,
    blocks: [],
    inserts: [],
    sheets: [],
    problems,
  };
}
