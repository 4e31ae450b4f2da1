import { BlockReading, FileChange, applyEdits, formatOf } from '../files';
import { boxOf, makeSheet } from '../files/dxf';
import { makeEmptyStep } from '../files/step';
import { FileFacts, HeldBySlot, Kind, PreparedSchema, Property, reaches, slotKey, slotOf } from '../schema';
import { SHEETS } from '../standards';
import { HeldValue, heldText, holdValue, parseText } from '../values';

/** Kinds of file that a start file can be made of. */
export const START_KINDS = ['part', 'assembly', 'drawing'] as const;

/** What start files are made from. */
export interface StartGround {
  readonly prepared: PreparedSchema;
  /** The company's classes, with the kind that their conditions ask for where they do. */
  readonly classes: readonly { readonly name: string; readonly kind: Kind | null }[];
  /** Names of sheet sizes that drawings are made in. */
  readonly sheets: readonly string[];
  /** The title block that drawings carry, as one of the company's drawings has it, and millimetres of its unit. */
  readonly block: BlockReading | null;
  readonly blockUnit: number;
  readonly unit: 'mm' | 'in';
  readonly company: string;
  /** When they are made, as ISO 8601. */
  readonly at: string;
}

/** An empty file with every reached name in place. */
export interface StartFile {
  readonly name: string;
  readonly kind: (typeof START_KINDS)[number];
  readonly class: string | null;
  readonly sheet: string | null;
  /** The written names in it, in the order of the schema. */
  readonly names: readonly string[];
  /** Names that have a value, with the reason: a default, or a rule. */
  readonly filled: readonly string[];
  readonly bytes: Uint8Array;
}

/** Millimetres of a block's unit, by its size: a title block is some 180 mm or 7 inches wide (ISO 7200; from memory). */
export const guessBlockUnit = (block: BlockReading): number => (boxOf(block).width < 30 ? 25.4 : 1);

/** The written names that a file of a kind and class carries from its beginning. */
export function startProperties(properties: readonly Property[], kind: Kind, className: string | null): Property[] {
  return properties.filter(
    (property) =>
      !property.retired &&
      (property.level === 'document' || property.level === 'variant') &&
      reaches(property, kind, className) &&
      slotOf(property, kind).place === 'property',
  );
}

/** A name as a file may have it on any system: characters that some of them refuse give way to dashes. */
export const safeName = (text: string): string =>
  text
    .replace(/[\\/:*?"<>|\u0000-\u001f]/g, '-')
    .replace(/[. ]+$/, '')
    .trim() || 'unnamed';

/** Makes the start files of a schema: for every kind, for every class that asks for something else, and for every sheet size. */
export function startFiles(ground: StartGround): StartFile[] {
  const made: StartFile[] = [];
  const taken = new Set<string>();
  const { properties } = ground.prepared.schema;
  for (const kind of START_KINDS) {
    const general = contentOf(ground, kind, null);
    const own = ground.classes
      .filter((entry) => entry.kind === null || entry.kind === kind)
      .map((entry) => ({ className: entry.name, content: contentOf(ground, kind, entry.name) }))
      .filter(({ className, content }) => !sameContent(content, general) || properties.some((property) => saysMore(property, kind, className)));
    for (const { className, content } of [{ className: null, content: general }, ...own]) {
      if (content.length === 0) continue;
      for (const sheet of kind === 'drawing' ? ground.sheets : [null]) {
        const base = ['start', kind, ...(className === null ? [] : [className]), ...(sheet === null ? [] : [sheet])].join(' ');
        const ending = kind === 'drawing' ? '.dxf' : '.step';
        let name = `${safeName(base)}${ending}`;
        for (let n = 2; taken.has(name.toLowerCase()); n++) name = `${safeName(base)} ${n}${ending}`;
        taken.add(name.toLowerCase());
        made.push({
          name,
          kind,
          class: className,
          sheet,
          names: content.map(({ name: written }) => written),
          filled: content.filter(({ held }) => held.text !== '').map(({ name: written }) => written),
          bytes: bytesOf(ground, kind, name, sheet, content),
        });
      }
    }
  }
  return made;
}

interface Content {
  readonly name: string;
  readonly held: HeldValue;
}

const sameContent = (a: readonly Content[], b: readonly Content[]) => JSON.stringify(a) === JSON.stringify(b);

/** Whether a property has a rule of its own for a class, so that the class is worth a start file. */
const saysMore = (property: Property, kind: Kind, className: string) =>
  !property.retired && reaches(property, kind, className) && property.classes.includes(className);

/** Every reached name with what it begins with: nothing, the default, or what a rule gives that looks at nothing outside the file. */
function contentOf({ prepared }: StartGround, kind: Kind, className: string | null): Content[] {
  const reached = startProperties(prepared.schema.properties, kind, className);
  const defaults = new Map<string, HeldValue>();
  for (const property of reached) {
    const text = property.overrides.find((entry) => entry.class === className)?.default ?? property.default;
    const parsed = text === '' || property.feed !== 'typed' ? null : parseText(text, property);
    if (parsed?.ok) defaults.set(slotKey('property', slotOf(property, kind).name), holdValue(parsed.value, property));
  }
  const { values } = prepared.judge(emptyFile(kind, className, defaults));
  return reached.map((property) => {
    const { name } = slotOf(property, kind);
    const judged = values.get(property.id);
    const ruled = judged?.origin === 'ruled' && judged.failure === undefined && !looksOutside(prepared, property) ? judged.derived : undefined;
    return { name, held: ruled ?? defaults.get(slotKey('property', name)) ?? heldText('') };
  });
}

/** Whether a rule looks at more than the values of its own holder: an empty file has no name, folder or model yet. */
const looksOutside = (prepared: PreparedSchema, property: Property) => prepared.ruleOf(property.id)?.uses.some((use) => use.group !== null) ?? true;

const emptyFile = (kind: Kind, className: string | null, held: HeldBySlot): FileFacts => ({
  id: 0,
  kind,
  className,
  state: null,
  name: '',
  folder: '',
  held,
  geometry: null,
  model: null,
  parts: [],
  above: {},
});

function bytesOf(ground: StartGround, kind: StartFile['kind'], name: string, sheet: string | null, content: readonly Content[]): Uint8Array {
  const empty = sheet === null ? emptyModel(ground, kind === 'assembly' ? 'assembly' : 'part') : emptySheet(ground, sheet);
  const changes = content.map(({ name: written, held }): FileChange => ({ holder: '', place: 'property', name: written, value: held }));
  return applyEdits(empty, formatOf(name)!.modify(empty, changes));
}

const emptyModel = ({ company, at, unit }: StartGround, kind: 'part' | 'assembly') =>
  makeEmptyStep({ kind, id: kind, name: '', organisation: company, at, unit });

function emptySheet({ block, blockUnit, unit }: StartGround, sheet: string): Uint8Array {
  const size =
    SHEETS.find((candidate) => candidate.name === sheet && (candidate.practice === 'iso') === (unit === 'mm')) ?? SHEETS.find((c) => c.name === sheet);
  if (!size) throw new RangeError(`There is no sheet size ${sheet}.`);
  // The smallest ISO sheet stands upright, the others lie (ISO 5457; from memory).
  const upright = sheet === 'A4';
  return makeSheet({
    width: upright ? size.short : size.long,
    height: upright ? size.long : size.short,
    inches: unit === 'in',
    block,
    blockUnit,
    properties: {},
    cells: {},
    outlines: [],
    scale: 1,
    savedBy: '',
  });
}

/** A set of start files of one kind and class, as it was published with an edition. */
export interface Publication {
  readonly edition: number;
  readonly kind: Kind;
  readonly names: readonly string[];
}

/**
 * The start file that a file was probably made from: of the publications of its kind whose names it all holds the newest, and among
 * those of one edition the one with the most names. `null` when it holds none of them in full.
 */
export function madeFrom(kind: Kind, names: ReadonlySet<string>, publications: readonly Publication[]): Publication | null {
  let best: Publication | null = null;
  for (const publication of publications) {
    if (publication.kind !== kind || publication.names.length === 0 || !publication.names.every((name) => names.has(name))) continue;
    if (!best || publication.edition > best.edition || (publication.edition === best.edition && publication.names.length > best.names.length))
      best = publication;
  }
  return best;
}
