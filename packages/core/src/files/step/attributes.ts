import { HeldValue, plainNumber } from '../../values';
import { StepModel, refOf, refsOf, textOf } from './model';
import { Argument } from './parse';
import { Bodies } from './bodies';
import { Structure } from './structure';
import { readDensityUnit, readUnit, unitName } from './units';

/**
 * A user-defined attribute and its instances, following the public recommended practice for user defined attributes (with ISO 10303-41 and
 * -43).
 */
export interface Attribute {
  readonly holder: string;
  readonly name: string;
  readonly held: HeldValue;
  readonly propertyDefinition: number;
  readonly link: number;
  readonly representation: number;
  readonly item: number;
  readonly context: number;
  readonly unit: number | null;
  /** The value's argument, for splicing. */
  readonly argument: Argument;
  /** Name of an unknown unit. */
  readonly strange?: string;
  /** Whether the representation also holds other attributes of the same property definition. */
  readonly grouped: boolean;
  /** Whether another attribute shares the item, so it must not be edited in place. */
  readonly itemShared: boolean;
  /** Whether another property definition shares the representation. */
  readonly representationShared: boolean;
}

/** Holder keys of instances that can have attributes. */
export interface HolderKeys {
  /** Key by instance id of a product definition or occurrence. */
  readonly keyOf: ReadonlyMap<number, string>;
  /** Instance id by key. */
  readonly idOf: ReadonlyMap<string, number>;
}

/**
 * Keys: `''` for the document, `variant:` and `copy:` with the product key, `body:` with product and solid, `occurrence:` as in the
 * structure.
 */
export function holderKeys(structure: Structure, bodies: Bodies): HolderKeys {
  const keyOf = new Map<number, string>();
  const roots = new Set(structure.roots.map((root) => root.id));
  const first = structure.roots[0]?.id;
  for (const { id, key } of structure.definitions.values()) keyOf.set(id, id === first ? '' : roots.has(id) ? `variant:${key}` : `copy:${key}`);
  for (const { id, key } of structure.occurrences) keyOf.set(id, key);
  const idOf = new Map([...keyOf].map(([id, key]) => [key, id]));
  for (const [id, first] of structure.otherViews) keyOf.set(id, keyOf.get(first)!);
  for (const [id, key] of bodies.keyOf) keyOf.set(id, key);
  return { keyOf, idOf };
}

function measure(argument: Argument | undefined): { text: string; argument: Argument } | undefined {
  if (argument?.is === 'typed') {
    const inner = argument.items[0];
    return inner?.is === 'number' ? { text: plain(inner.value), argument: inner } : inner?.is === 'text' ? { text: inner.value, argument: inner } : undefined;
  }
  return argument?.is === 'number' ? { text: plain(argument.value), argument } : undefined;
}

/** A Part 21 real (`12.`, `1.5E-7`) as a plain decimal. */
export function plain(real: string): string {
  const n = Number(real);
  return Number.isFinite(n) ? plainNumber(n) : real;
}

interface ItemValue {
  /** Name of an unknown unit. */
  readonly strange?: string;
  readonly held: HeldValue;
  /** The number as written, without its unit. */
  readonly number: string;
  readonly argument: Argument;
  readonly unit: number | null;
  readonly name: string;
}

function readItem(model: StepModel, id: number): ItemValue | undefined {
  const records = model.records(id);
  if (records.length > 1) return readComplexItem(model, id);
  const record = records[0];
  if (!record) return undefined;
  const { args } = record;
  // Some writers produce a one-argument DESCRIPTIVE_REPRESENTATION_ITEM('value').
  const value = args.length === 1 ? args[0] : args[1];
  const name = args.length === 1 ? '' : textOf(args[0]);
  switch (record.name) {
    case 'DESCRIPTIVE_REPRESENTATION_ITEM':
      return value?.is === 'text' ? { held: { text: value.value, form: 'text' }, number: value.value, argument: value, unit: null, name } : undefined;
    case 'INTEGER_REPRESENTATION_ITEM':
      return value?.is === 'number' ? { held: { text: value.value, form: 'integer' }, number: value.value, argument: value, unit: null, name } : undefined;
    case 'REAL_REPRESENTATION_ITEM':
      return value?.is === 'number' ? { held: { text: plain(value.value), form: 'real' }, number: value.value, argument: value, unit: null, name } : undefined;
    case 'BOOLEAN_REPRESENTATION_ITEM':
      return value?.is === 'enum'
        ? { held: { text: value.value === 'T' ? 'yes' : 'no', form: 'boolean' }, number: value.value, argument: value, unit: null, name }
        : undefined;
    case 'VALUE_REPRESENTATION_ITEM': {
      const inner = measure(value);
      if (!inner || value?.is !== 'typed') return undefined;
      const form = inner.argument.is === 'text' ? 'text' : value.name === 'COUNT_MEASURE' && Number.isInteger(Number(inner.text)) ? 'integer' : 'real';
      return { held: { text: inner.text, form }, number: inner.text, argument: inner.argument, unit: null, name };
    }
    case 'MEASURE_REPRESENTATION_ITEM': {
      const inner = measure(value);
      return inner && measured(model, inner, refOf(args[2]), name);
    }
    default:
      return undefined;
  }
}

function measured(model: StepModel, inner: { text: string; argument: Argument }, unitId: number | undefined, name: string): ItemValue {
  const unit = unitId === undefined ? undefined : readUnit(model, unitId);
  // A number in an unknown unit is not read as a number: it would be mistaken for one in the property's unit.
  const strange = unitId !== undefined && unit === undefined ? unitName(model, unitId) : null;
  return {
    ...(strange === null ? {} : { strange }),
    held:
      strange !== null
        ? { text: `${inner.text} ${strange}`, form: 'text' }
        : unit === undefined
          ? { text: inner.text, form: 'real' }
          : { text: inner.text, form: 'measure', unit },
    number: inner.text,
    argument: inner.argument,
    unit: unitId ?? null,
    name,
  };
}

/** Reads `(LENGTH_MEASURE_WITH_UNIT() MEASURE_REPRESENTATION_ITEM() MEASURE_WITH_UNIT(value,unit) … REPRESENTATION_ITEM(name))`. */
function readComplexItem(model: StepModel, id: number): ItemValue | undefined {
  const records = model.records(id);
  const withUnit = records.find((record) => record.name === 'MEASURE_WITH_UNIT');
  if (!withUnit) return undefined;
  const inner = measure(withUnit.args[0]);
  return inner && measured(model, inner, refOf(withUnit.args[1]), textOf(records.find((record) => record.name === 'REPRESENTATION_ITEM')?.args[0]));
}

/** The holder of a property definition: a product definition or occurrence, directly or through its shape. */
function definedHolder(model: StepModel, id: number | undefined, keys: HolderKeys): string | undefined {
  if (id === undefined) return undefined;
  const direct = keys.keyOf.get(id);
  if (direct !== undefined) return direct;
  const record = model.record(id);
  return record?.name === 'PRODUCT_DEFINITION_SHAPE' ? keys.keyOf.get(refOf(record.args[2]) ?? -1) : undefined;
}

/** A user property definition and its representation. */
interface Found {
  readonly holder: string;
  readonly definitionName: string;
  readonly propertyDefinition: number;
  readonly link: number;
  readonly representation: number;
  readonly context: number;
  readonly items: readonly number[];
}

/** Reads the user-defined attributes of all holders. */
export function readAttributes(model: StepModel, keys: HolderKeys): Attribute[] {
  const general = new Set<number>();
  for (const id of model.idsOf('GENERAL_PROPERTY_ASSOCIATION')) {
    const target = refOf(model.args(id)[3]);
    if (target !== undefined) general.add(target);
  }
  const found: Found[] = [];
  const users = new Map<number, number>();
  const use = (id: number) => users.set(id, (users.get(id) ?? 0) + 1);
  for (const link of model.idsOf('PROPERTY_DEFINITION_REPRESENTATION')) {
    const args = model.args(link);
    const propertyDefinition = refOf(args[0]);
    const representation = refOf(args[1]);
    if (propertyDefinition === undefined || representation === undefined) continue;
    const definition = model.record(propertyDefinition);
    const represented = model.record(representation);
    if (definition?.name !== 'PROPERTY_DEFINITION' || represented?.name !== 'REPRESENTATION') continue;
    const isUserDefined = general.has(propertyDefinition) || textOf(definition.args[1]).toLowerCase() === 'user defined attribute';
    const holder = keys.keyOf.get(propertyDefinition) ?? definedHolder(model, refOf(definition.args[2]), keys);
    if (!isUserDefined || holder === undefined) continue;
    const items = refsOf(represented.args[1]);
    use(representation);
    for (const item of items) use(item);
    const definitionName = textOf(definition.args[0]);
    found.push({ holder, definitionName, propertyDefinition, link, representation, context: refOf(represented.args[2]) ?? -1, items });
  }
  const attributes: Attribute[] = [];
  for (const { holder, definitionName, propertyDefinition, link, representation, context, items } of found) {
    const grouped = items.length > 1;
    const representationShared = users.get(representation)! > 1;
    for (const item of items) {
      const value = readItem(model, item);
      if (!value) continue;
      attributes.push({
        holder,
        name: !grouped && definitionName !== '' ? definitionName : value.name || definitionName,
        held: value.held,
        propertyDefinition,
        link,
        representation,
        item,
        context,
        unit: value.unit,
        ...(value.strange === undefined ? {} : { strange: value.strange }),
        argument: value.argument,
        grouped,
        itemShared: representationShared || users.get(item)! > 1,
        representationShared,
      });
    }
  }
  return attributes;
}

/** A fact stated by the file: material, density, a validation property, the length unit. */
export interface Fact {
  readonly holder: string;
  readonly name: string;
  readonly held: HeldValue;
}

/** Names of validation properties, from the public recommended practice for geometric validation properties. */
const VALIDATION: Readonly<Record<string, string>> = {
  'volume measure': 'validation volume',
  'surface area measure': 'validation area',
  'wetted area measure': 'validation area',
  'centre point': 'validation centroid',
};

/** Reads facts of holders from 'material property' and 'geometric validation property' definitions and material designations. */
export function readFacts(model: StepModel, keys: HolderKeys): Fact[] {
  const facts: Fact[] = [];
  for (const link of model.idsOf('PROPERTY_DEFINITION_REPRESENTATION')) {
    const args = model.args(link);
    const definitionRef = refOf(args[0]);
    const representationRef = refOf(args[1]);
    const definition = definitionRef === undefined ? undefined : model.record(definitionRef);
    if (definition?.name !== 'PROPERTY_DEFINITION') continue;
    const about = textOf(definition.args[0]).toLowerCase();
    if (about !== 'material property' && about !== 'geometric validation property') continue;
    const holder = keys.keyOf.get(definitionRef!) ?? definedHolder(model, refOf(definition.args[2]), keys);
    const representation = representationRef === undefined ? undefined : model.record(representationRef);
    if (holder === undefined || !representation) continue;
    const said = `${textOf(definition.args[1])} ${textOf(representation.args[0])}`.toLowerCase();
    for (const item of refsOf(representation.args[1])) {
      const record = model.record(item);
      if (about === 'material property') {
        if (record?.name === 'DESCRIPTIVE_REPRESENTATION_ITEM' && !said.includes('density')) {
          // The material is the item's name, or its text if the name is only a label.
          const [name, text] = [textOf(record.args[0]), textOf(record.args[1])];
          const material = name === '' || name.toLowerCase() === 'material name' ? text : name;
          if (material) facts.push({ holder, name: 'material', held: { text: material, form: 'text' } });
        } else if (said.includes('density')) {
          const value = readItem(model, item);
          const unit = value?.unit == null ? undefined : readDensityUnit(model, value.unit);
          if (value) facts.push({ holder, name: 'density', held: unit === undefined ? value.held : { text: value.number, form: 'measure', unit } });
        }
      } else if (record?.name === 'CARTESIAN_POINT') {
        const point = record.args[1];
        if (point?.is === 'list')
          facts.push({
            holder,
            name: 'validation centroid',
            held: { text: point.items.map((n) => (n.is === 'number' ? plain(n.value) : '?')).join(' '), form: 'text' },
          });
      } else {
        const value = readItem(model, item);
        const name = value && VALIDATION[value.name.toLowerCase()];
        if (name) facts.push({ holder, name, held: value.held });
      }
    }
  }
  for (const id of model.idsOf('MATERIAL_DESIGNATION')) {
    const [name, definitions] = model.args(id);
    for (const target of [...refsOf(definitions), refOf(definitions)]) {
      const holder = definedHolder(model, target, keys);
      if (holder !== undefined && textOf(name)) facts.push({ holder, name: 'material', held: { text: textOf(name), form: 'text' } });
    }
  }
  return facts;
}

/** Length unit of a representation; `undefined` if its context has none that Rule knows. */
export function lengthUnit(model: StepModel, representation: number): string | undefined {
  const context = refOf(model.record(representation)?.args[2]);
  const units = context === undefined ? undefined : model.records(context).find((record) => record.name === 'GLOBAL_UNIT_ASSIGNED_CONTEXT')?.args[0];
  for (const id of refsOf(units)) if (model.records(id).some((record) => record.name === 'LENGTH_UNIT')) return readUnit(model, id);
  return undefined;
}
