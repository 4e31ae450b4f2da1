import { HeldValue, plainNumber } from '../../values';
import { FileChange, FileError } from '../contract';
import { Edit, splice } from '../edits';
import { Attribute } from './attributes';
import { Body } from './bodies';
import { refOf, refsOf, textOf } from './model';
import { Argument } from './parse';
import { Field, StepContent, headerFields, openStep, productFields } from './read';
import { Definition } from './structure';
import { eachReference } from './scan';
import { LONGEST_STRING, encodeString } from './strings';
import { unitWriting } from './units';

const KIND = "'user defined attribute'";

/** Context type of attribute representations. */
const CONTEXT = 'user defined attributes';

/** A Part 21 real; always with a decimal point. */
export function real(text: string): string {
  const plainText = plainNumber(Number(text));
  const [mantissa, exponent] = plainText.split(/e/i);
  const withPoint = mantissa!.includes('.') ? mantissa! : `${mantissa}.`;
  return exponent === undefined ? withPoint : `${withPoint}E${Number(exponent)}`;
}

/** Collects new statements and allots ids above those in use. */
class Addition {
  private readonly lines: string[] = [];
  constructor(
    private next: number,
    private readonly eol: string,
  ) {}
  add(right: string): number {
    const id = ++this.next;
    this.lines.push(`#${id}=${right};${this.eol}`);
    return id;
  }
  get text(): string {
    return this.lines.join('');
  }
}

class Writer {
  private readonly edits: Edit[] = [];
  private readonly addition: Addition;
  private readonly isAp242: boolean;
  private context: number | undefined;
  private readonly removals: Attribute[] = [];
  /** Attributes by holder and name; careless writers repeat them. */
  private readonly held = new Map<string, Attribute[]>();
  private readonly bodies: ReadonlyMap<string, Body>;
  private definitions: ReadonlyMap<string, Definition> | undefined;
  private shapes: ReadonlyMap<number, number> | undefined;
  /** Text for product arguments shared by several holders, by offset. */
  private readonly fields = new Map<number, string>();
  /** Changed item lists of representations: replacement by reference, `null` to remove. */
  private readonly relisted = new Map<number, { attribute: Attribute; items: Map<number, number | null> }>();
  /** Places already changed by this call; repeats are refused. */
  private readonly touched = new Set<string>();

  constructor(private readonly content: StepContent) {
    const { model, attributes } = content;
    this.addition = new Addition(model.index.maxId, model.index.eol);
    const schema = model.header('FILE_SCHEMA')?.args[0];
    this.isAp242 = schema?.is === 'list' && /AP242|MANAGED_MODEL_BASED_3D/i.test(textOf(schema.items[0]));
    for (const attribute of attributes) {
      const place = placeOf(attribute.holder, attribute.name);
      const list = this.held.get(place);
      if (list) list.push(attribute);
      else this.held.set(place, [attribute]);
    }
    this.bodies = new Map(content.bodies.list.map((body) => [body.key, body]));
    this.context = attributes[0]?.context ?? model.idsOf('REPRESENTATION_CONTEXT').find((id) => textOf(model.record(id)?.args[1]) === CONTEXT);
  }

  change(change: FileChange): void {
    const place = JSON.stringify([change.holder, change.place, change.name]);
    if (this.touched.has(place)) throw new FileError('change-twice', `${change.name} is changed twice in the same step.`);
    this.touched.add(place);
    if (change.place === 'field') return this.changeField(change);
    if (change.place === 'fact') throw new FileError('fact', `${change.name} is a fact about the model and cannot be written.`);
    if (change.place === 'cell' || change.place === 'lettering' || change.place === 'placed' || change.place === 'block' || change.place === 'anchor')
      throw new FileError('no-cells', 'A STEP file has no title block cells.');
    const [existing, ...others] = this.held.get(placeOf(change.holder, change.name)) ?? [];
    if (!existing) {
      if (change.value) this.addAttribute(change.holder, change.name, change.value);
    } else if (change.value) this.replace(existing, change.value);
    else
      for (const attribute of [existing, ...others]) {
        if (attribute.grouped) this.relist(attribute, null);
        else this.removals.push(attribute);
      }
  }

  /** Edits of all changes. */
  finish(): Edit[] {
    this.relistAll();
    this.remove();
    const text = this.addition.text;
    if (text) this.edits.push(splice(this.content.model.index.dataEnd, 0, text));
    return this.edits;
  }

  private changeField(change: FileChange): void {
    const { model, structure, keys } = this.content;
    this.definitions ??= new Map([...structure.definitions.values()].map((one) => [keys.keyOf.get(one.id)!, one]));
    const definition = this.definitions.get(change.holder);
    const fields: Field[] = definition ? productFields(model, definition) : [];
    if (change.holder === '') fields.push(...headerFields(model));
    const field = fields.find((f) => f.name === change.name);
    if (!field) throw new FileError('no-field', `The file has no field ${change.name}.`);
    const { start, end } = field.argument;
    const text = this.string(change.name, change.value?.text ?? '');
    const written = this.fields.get(start);
    if (written !== undefined && written !== text)
      throw new FileError('change-twice', `${change.name} is shared by two versions of a product and would be changed to two different values.`);
    if (written === undefined) this.edits.push(splice(start, end - start, text));
    this.fields.set(start, text);
  }

  private replace(existing: Attribute, value: HeldValue): void {
    const { argument, held } = existing;
    if (existing.itemShared) {
      this.relist(existing, this.addition.add(this.item(existing.name, value)));
      return;
    }
    const sameForm = held.form === value.form && (held.unit ?? null) === (value.unit ?? null);
    const inPlace = sameForm ? this.inPlace(existing, value) : undefined;
    if (inPlace !== undefined) {
      this.edits.push(splice(argument.start, argument.end - argument.start, inPlace));
      return;
    }
    const span = this.content.model.span(existing.item)!;
    this.edits.push(splice(span.right, span.end - span.right, `${this.item(existing.name, value)};`));
  }

  /** Replacement of just the value argument, if the item can stay. */
  private inPlace(existing: Attribute, value: HeldValue): string | undefined {
    const { argument } = existing;
    switch (value.form) {
      case 'text':
        return argument.is === 'text' ? this.string(existing.name, value.text) : undefined;
      case 'boolean':
        return argument.is === 'enum' ? booleanOf(value) : undefined;
      case 'integer':
        // An integer may be in a COUNT_MEASURE, which is a real.
        return argument.is === 'number' ? (argument.value.includes('.') ? real(value.text) : value.text) : undefined;
      default:
        return argument.is === 'number' ? real(value.text) : undefined;
    }
  }

  private relist(attribute: Attribute, item: number | null): void {
    const entry = this.relisted.get(attribute.link) ?? { attribute, items: new Map<number, number | null>() };
    entry.items.set(attribute.item, item);
    this.relisted.set(attribute.link, entry);
  }

  /** Edits the list of a representation with a single owner; others get a copy. */
  private relistAll(): void {
    const { model } = this.content;
    for (const { attribute, items } of this.relisted.values()) {
      const [name, old] = model.record(attribute.representation)!.args;
      const ids = refsOf(old).flatMap((id) => (items.has(id) ? (items.get(id) ?? []) : id));
      if (ids.length === 0) {
        this.removals.push(attribute);
        continue;
      }
      const list = `(${ids.map((id) => `#${id}`).join(',')})`;
      if (attribute.representationShared) {
        const representation = this.addition.add(`REPRESENTATION(${encodeString(textOf(name))},${list},#${attribute.context})`);
        const link = model.record(attribute.link)!.args[1]!;
        this.edits.push(splice(link.start, link.end - link.start, `#${representation}`));
      } else this.edits.push(splice(old!.start, old!.end - old!.start, list));
    }
  }

  private item(name: string, value: HeldValue): string {
    const n = this.string('The name', name);
    switch (value.form) {
      case 'text':
        return `DESCRIPTIVE_REPRESENTATION_ITEM(${n},${this.string(name, value.text)})`;
      case 'integer':
        return this.isAp242 ? `INTEGER_REPRESENTATION_ITEM(${n},${value.text})` : `VALUE_REPRESENTATION_ITEM(${n},COUNT_MEASURE(${real(value.text)}))`;
      case 'boolean':
        // BOOLEAN_REPRESENTATION_ITEM came with AP242 (from memory); older schemas get text.
        return this.isAp242 ? `BOOLEAN_REPRESENTATION_ITEM(${n},${booleanOf(value)})` : `DESCRIPTIVE_REPRESENTATION_ITEM(${n},${encodeString(value.text)})`;
      case 'real':
        return this.isAp242 ? `REAL_REPRESENTATION_ITEM(${n},${real(value.text)})` : `VALUE_REPRESENTATION_ITEM(${n},NUMERIC_MEASURE(${real(value.text)}))`;
      case 'measure': {
        const writing = unitWriting(value.unit ?? '');
        if (!writing) throw new FileError('unit', `${name}: STEP files cannot carry the unit ${value.unit}.`);
        const ids: number[] = [];
        for (const statement of writing.statements) ids.push(this.addition.add(statement.replace(/\$(\d+)/g, (_, k: string) => `#${ids[Number(k) - 1]}`)));
        return `MEASURE_REPRESENTATION_ITEM(${n},${writing.measure}(${real(value.text)}),#${ids.at(-1)})`;
      }
    }
  }

  /**
   * Encodes a string.
   * @throws FileError if longer than other programs read
   */
  private string(what: string, text: string): string {
    const encoded = encodeString(text);
    if (encoded.length > LONGEST_STRING)
      throw new FileError(
        'too-long',
        `${what} takes ${encoded.length} bytes in a STEP file; other programs read up to ${LONGEST_STRING}. Shorten it (characters outside ASCII take four bytes each).`,
      );
    return encoded;
  }

  private addAttribute(holder: string, name: string, value: HeldValue): void {
    const { keys } = this.content;
    const body = this.bodies.get(holder);
    const owner = body ? this.aspectOf(body) : keys.idOf.get(holder);
    if (owner === undefined)
      throw new FileError('no-holder', holder === '' ? 'The file defines no product, so it cannot hold properties.' : `The file has no ${holder}.`);
    let target = owner;
    if (holder.startsWith('occurrence:')) target = this.shapeOf(owner);
    this.context ??= this.addition.add(`REPRESENTATION_CONTEXT('',${encodeString(CONTEXT)})`);
    const n = encodeString(name);
    const general = this.addition.add(`GENERAL_PROPERTY('',${n},${KIND})`);
    const definition = this.addition.add(`PROPERTY_DEFINITION(${n},${KIND},#${target})`);
    this.addition.add(`GENERAL_PROPERTY_ASSOCIATION(${KIND},'',#${general},#${definition})`);
    const item = this.addition.add(this.item(name, value));
    const representation = this.addition.add(`REPRESENTATION(${n},(#${item}),#${this.context})`);
    this.addition.add(`PROPERTY_DEFINITION_REPRESENTATION(#${definition},#${representation})`);
  }

  /** Shape aspects added by this call, by body key. */
  private readonly aspects = new Map<string, number>();

  /** A body's shape aspect, added if missing. */
  private aspectOf(body: Body): number {
    const known = body.aspect ?? this.aspects.get(body.key);
    if (known !== undefined) return known;
    const aspect = this.addition.add(`SHAPE_ASPECT('',${encodeString(body.label)},#${body.shape},.F.)`);
    this.addition.add(`GEOMETRIC_ITEM_SPECIFIC_USAGE('','',#${aspect},#${body.representation},#${body.solid})`);
    this.aspects.set(body.key, aspect);
    return aspect;
  }

  /** An occurrence's product definition shape; the occurrence itself if it has none. */
  private shapeOf(occurrence: number): number {
    const { model, structure } = this.content;
    if (!this.shapes) {
      const shapes = new Map<number, number>();
      const occurrences = new Set(structure.occurrences.map((one) => one.id));
      eachReference(model.index, (referrer, referred) => {
        if (occurrences.has(referred) && !shapes.has(referred) && model.record(referrer)?.name === 'PRODUCT_DEFINITION_SHAPE') shapes.set(referred, referrer);
      });
      this.shapes = shapes;
    }
    return this.shapes.get(occurrence) ?? occurrence;
  }

  /**
   * Removes attributes and the instances only they use. An attribute referred to from elsewhere, such as an approval, stays with an empty
   * value.
   */
  private remove(): void {
    if (this.removals.length === 0) return;
    const { model } = this.content;
    const associations = model.idsOf('GENERAL_PROPERTY_ASSOCIATION').map((id) => ({ id, args: model.args(id) }));
    const servedBy = new Map<Attribute, number[]>();
    for (const attribute of this.removals) {
      const { link, propertyDefinition, representation, item, unit } = attribute;
      const ids = [link, propertyDefinition, representation, item];
      if (unit !== null) this.withParts(unit, ids);
      for (const { id, args } of associations) if (refOf(args[3]) === propertyDefinition) ids.push(id, ...[refOf(args[2]) ?? []].flat());
      servedBy.set(attribute, ids);
    }
    const doomed = new Set([...servedBy.values()].flat());
    const referrers = new Map<number, number[]>();
    eachReference(model.index, (referrer, referred) => {
      if (!doomed.has(referred)) return;
      const list = referrers.get(referred) ?? [];
      list.push(referrer);
      referrers.set(referred, list);
    });
    for (let again = true; again;) {
      again = false;
      for (const id of doomed)
        if (referrers.get(id)?.some((referrer) => !doomed.has(referrer))) {
          doomed.delete(id);
          again = true;
        }
    }
    const kept = this.removals.filter((attribute) => !doomed.has(attribute.propertyDefinition) || !doomed.has(attribute.link));
    for (const attribute of kept) {
      for (const id of servedBy.get(attribute)!) doomed.delete(id);
      this.replace(attribute, { text: '', form: 'text' });
    }
    for (const id of doomed) {
      const span = model.span(id);
      if (span) this.edits.push({ offset: span.start, length: this.lineEnd(span.end) - span.start, insert: new Uint8Array() });
    }
  }

  /** Appends an instance and everything it refers to. */
  private withParts(id: number, into: number[]): void {
    if (into.includes(id)) return;
    into.push(id);
    const visit = (args: readonly Argument[]): void => {
      for (const arg of args) {
        if (arg.is === 'ref') this.withParts(arg.id, into);
        else if (arg.is === 'list' || arg.is === 'typed') visit(arg.items);
      }
    };
    for (const record of this.content.model.records(id)) visit(record.args);
  }

  private lineEnd(offset: number): number {
    const { bytes } = this.content.model;
    let i = offset;
    if (bytes[i] === 13) i++;
    if (bytes[i] === 10) i++;
    return i;
  }
}

const placeOf = (holder: string, name: string) => JSON.stringify([holder, name]);

const booleanOf = (value: HeldValue) => (value.text === 'yes' ? '.T.' : '.F.');

/**
 * Edits that write the given values to a STEP file.
 * @throws FileError
 */
export function modifyStep(bytes: Uint8Array, changes: readonly FileChange[]): Edit[] {
  const writer = new Writer(openStep(bytes));
  for (const change of changes) writer.change(change);
  return writer.finish();
}
