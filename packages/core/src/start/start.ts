import { BlockReading, FileChange, FileError, applyEdits, formatOf } from '../files';
import { DxfGroups, boxOf, dxf, layoutsOf, makeSheet } from '../files/dxf';
import { makeEmptyStep } from '../files/step';
import { FileFacts, HeldBySlot, Kind, PreparedSchema, Property, bindingOf, familyOf, reaches, slotKey, slotOf } from '../schema';
import { SHEETS, sheetName } from '../standards';
import { HeldValue, heldText, holdValue, parseText } from '../values';
import { count } from '../words';

/** Kinds of start files. */
export const START_KINDS = ['part', 'assembly', 'drawing'] as const;

/** A drawing that start drawings are copies of, with everything in it: blocks, pictures, styles, settings. */
export interface StartBase {
  /** Its sheet size, or its name if that is not known. */
  readonly sheet: string;
  readonly bytes: Uint8Array;
  /** Texts that its cells lose: of bound cells, and stand-ins. */
  readonly blanked: readonly FileChange[];
}

/**
 * A company's drawing as the base of start drawings. Its cells are blanked where a binding fills them or a stand-in stands; all else stays.
 * @throws FileError if it cannot be one
 */
export function startBase(name: string, bytes: Uint8Array, { schema, standIns }: PreparedSchema): StartBase {
  const reading = dxf.read(bytes);
  const drawn = layoutsOf(new DxfGroups(bytes)).get('model')?.entities.length ?? 0;
  if (drawn > 0) throw new FileError('not-empty', `${name} is not empty: its model holds ${count(drawn, 'object')}, which every new drawing would have.`);
  const inserts = new Map(reading.inserts.map((insert) => [insert.holder, insert]));
  const blanked = reading.holders.flatMap(({ key, values }): FileChange[] => {
    const insert = inserts.get(key);
    if (!insert) return [];
    return values.flatMap((value): FileChange[] => {
      if (value.place !== 'cell' || value.fixed !== undefined || value.held.text === '') return [];
      const bound = bindingOf(schema.bindings, familyOf(insert.madeFrom ?? insert.block), value.name) !== undefined;
      return bound || standIns.matches(value.held.text) ? [{ holder: key, place: 'cell', name: value.name, value: heldText('') }] : [];
    });
  });
  const paper = reading.sheets.find((sheet) => sheet.paper)?.paper;
  return { sheet: (paper ? sheetName(paper) : null) ?? name.replace(/\.[^.]*$/, ''), bytes, blanked };
}

/** Input for start files. */
export interface StartGround {
  readonly prepared: PreparedSchema;
  /** Company classes, with the kind their conditions require, if any. */
  readonly classes: readonly { readonly name: string; readonly kind: Kind | null }[];
  /** Sheet sizes for drawings. */
  readonly sheets: readonly string[];
  /** The title block, taken from a company drawing, and millimetres per unit. */
  readonly block: BlockReading | null;
  readonly blockUnit: number;
  readonly unit: 'mm' | 'in';
  /** Drawings of the company that start drawings are copies of. */
  readonly bases: readonly StartBase[];
  readonly company: string;
  /** Creation time, ISO 8601. */
  readonly at: string;
}

/** An empty file with all names that apply. */
export interface StartFile {
  readonly name: string;
  readonly kind: (typeof START_KINDS)[number];
  readonly class: string | null;
  readonly sheet: string | null;
  /** Its written names, in schema order. */
  readonly names: readonly string[];
  /** Names with a value, and why: default or rule. */
  readonly filled: readonly string[];
  readonly bytes: Uint8Array;
}

/** Millimetres per block unit, judged by width: title blocks are some 180 mm or 7 inches wide (ISO 7200; from memory). */
export const guessBlockUnit = (block: BlockReading): number => (boxOf(block).width < 30 ? 25.4 : 1);

/** Written names in new files of a kind and class. */
export function startProperties(properties: readonly Property[], kind: Kind, className: string | null): Property[] {
  return properties.filter(
    (property) =>
      !property.retired &&
      (property.level === 'document' || property.level === 'variant') &&
      reaches(property, kind, className) &&
      slotOf(property, kind).place === 'property',
  );
}

/** A portable file name; characters some systems refuse become dashes. */
export const safeName = (text: string): string =>
  text
    .replace(/[\\/:*?"<>|\u0000-\u001f]/g, '-')
    .replace(/[. ]+$/, '')
    .trim() || 'unnamed';

/** Makes start files of a schema: per kind, per class with different requirements, and per sheet size. */
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
      for (const sheet of kind === 'drawing' ? sheetsOf(ground) : [null]) {
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

/** Sheets of start drawings: those of the company's own drawings, and those that are made. */
const sheetsOf = ({ bases, sheets }: StartGround): string[] => [...new Set([...bases.map(({ sheet }) => sheet), ...sheets])];

interface Content {
  readonly name: string;
  readonly held: HeldValue;
}

const sameContent = (a: readonly Content[], b: readonly Content[]) => JSON.stringify(a) === JSON.stringify(b);

/** Whether a class overrides a property in a way that needs its own start file. */
const saysMore = (property: Property, kind: Kind, className: string) =>
  !property.retired && reaches(property, kind, className) && property.classes.includes(className);

/** Names that apply with initial values: blank, default, or a rule that depends on nothing outside the file. */
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

/** Whether a rule reads beyond its own holder: a new file has no name, folder or model. */
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
  const base = sheet === null ? undefined : ground.bases.find((candidate) => candidate.sheet === sheet);
  const empty = sheet === null ? emptyModel(ground, kind === 'assembly' ? 'assembly' : 'part') : (base?.bytes ?? emptySheet(ground, sheet));
  const changes = content.map(({ name: written, held }): FileChange => ({ holder: '', place: 'property', name: written, value: held }));
  return applyEdits(empty, formatOf(name)!.modify(empty, [...changes, ...(base?.blanked ?? [])]));
}

const emptyModel = ({ company, at, unit }: StartGround, kind: 'part' | 'assembly') =>
  makeEmptyStep({ kind, id: kind, name: '', organisation: company, at, unit });

function emptySheet({ block, blockUnit, unit }: StartGround, sheet: string): Uint8Array {
  const size =
    SHEETS.find((candidate) => candidate.name === sheet && (candidate.practice === 'iso') === (unit === 'mm')) ?? SHEETS.find((c) => c.name === sheet);
  if (!size) throw new RangeError(`There is no sheet size ${sheet}.`);
  // The smallest ISO sheet is portrait, others landscape (ISO 5457; from memory).
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

/** Start files of a kind and class as published with an edition. */
export interface Publication {
  readonly edition: number;
  readonly kind: Kind;
  readonly names: readonly string[];
}

/**
 * The start file a file probably came from: the newest publication of its kind whose names it all contains; within an edition, the one with
 * most names. `null` if none matches.
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
