import { HeldValue, heldText, plainNumber } from '../../values';
import { FileChange, FileError, FileFormat, FileReading, ReadValue } from '../contract';
import { Edit } from '../edits';
import { sound } from '../keys';
import { unescapeX } from './xstring';
import { TextEdit, XmlElement, XmlPart, escapeXml, readXml, spliceText } from './xml';
import { ZipIndex, replaceParts, scanZip, unpack } from './zip';

export { escapeMarkup, escapeX, unescapeX } from './xstring';
export { type ZipEntry, type ZipIndex, scanZip, unpack, unpackPieces } from './zip';

/** Relationship and content types of ECMA-376 (parts 1 and 2), including strict ones. */
const CORE_RELATION = 'http://schemas.openxmlformats.org/package/2006/relationships/metadata/core-properties';
/** LibreOffice 7 uses another prefix; the suffix is compared. */
const CORE_RELATIONS = /\/metadata\/core-properties$/i;
const CUSTOM_RELATION = 'http://schemas.openxmlformats.org/officeDocument/2006/relationships/custom-properties';
/** The strict form is spelled `customProperties`. */
const CUSTOM_RELATIONS = /\/custom-?properties$/i;
const CORE_TYPE = 'application/vnd.openxmlformats-package.core-properties+xml';
const CUSTOM_TYPE = 'application/vnd.openxmlformats-officedocument.custom-properties+xml';
/** Format identifier of custom properties (ECMA-376 part 1). */
const FORMAT_ID = '{D5CDD505-2E9C-101B-9397-08002B2CF9AE}';

/** Core properties by Rule's name, with their qualified names. */
const CORE_FIELDS: readonly { readonly name: string; readonly local: string; readonly written: string }[] = [
  { name: 'title', local: 'title', written: 'dc:title' },
  { name: 'subject', local: 'subject', written: 'dc:subject' },
  { name: 'author', local: 'creator', written: 'dc:creator' },
  { name: 'keywords', local: 'keywords', written: 'cp:keywords' },
  { name: 'description', local: 'description', written: 'dc:description' },
  { name: 'category', local: 'category', written: 'cp:category' },
  { name: 'status', local: 'contentStatus', written: 'cp:contentStatus' },
  { name: 'last saved by', local: 'lastModifiedBy', written: 'cp:lastModifiedBy' },
  { name: 'revision', local: 'revision', written: 'cp:revision' },
  { name: 'created', local: 'created', written: 'dcterms:created' },
  { name: 'modified', local: 'modified', written: 'dcterms:modified' },
];
/** Fields maintained by the authoring program. */
const KEPT_BY_PROGRAM = new Set(['created', 'modified', 'revision']);

const NEW_CORE = `<?xml version="1.0" encoding="UTF-8" standalone="yes"?>
<cp:coreProperties xmlns:cp="http://schemas.openxmlformats.org/package/2006/metadata/core-properties" xmlns:dc="http://purl.org/dc/elements/1.1/" xmlns:dcterms="http://purl.org/dc/terms/" xmlns:xsi="http://www.w3.org/2001/XMLSchema-instance"></cp:coreProperties>`;
const NEW_CUSTOM = `<?xml version="1.0" encoding="UTF-8" standalone="yes"?>
<Properties xmlns="http://schemas.openxmlformats.org/officeDocument/2006/custom-properties" xmlns:vt="http://schemas.openxmlformats.org/officeDocument/2006/docPropsVTypes"></Properties>`;

interface Part {
  readonly path: string;
  readonly xml: XmlPart;
}

interface OpcContent {
  readonly zip: ZipIndex;
  readonly relations: Part;
  readonly types: Part;
  readonly core: Part | null;
  readonly custom: Part | null;
  readonly main: string;
}

const partOf = (zip: ZipIndex, path: string): Part | null => {
  const entry = zip.entries.get(path);
  return entry ? { path, xml: readXml(unpack(zip, entry), path) } : null;
};

/**
 * The part a relationship targets: dot segments resolved, percent-decoded, matched case-insensitively as part names are (ECMA-376 part 2,
 * 6.2.2.3 and 7.3.4, from memory).
 */
export function partName(zip: ZipIndex, target: string, from = ''): string {
  const segments: string[] = target.startsWith('/') ? [] : from.split('/').slice(0, -1);
  for (const segment of target.split('/'))
    if (segment === '..') segments.pop();
    else if (segment !== '' && segment !== '.') segments.push(segment);
  let path = segments.join('/');
  try {
    path = zip.entries.has(path) ? path : decodeURIComponent(path);
  } catch {
    // A percent sign that stands for itself.
  }
  if (zip.entries.has(path)) return path;
  const lower = path.toLowerCase();
  for (const name of zip.entries.keys()) if (name.toLowerCase() === lower) return name;
  return path;
}

function openOpc(bytes: Uint8Array): OpcContent {
  const zip = scanZip(bytes);
  const relations = partOf(zip, '_rels/.rels');
  const types = partOf(zip, '[Content_Types].xml');
  if (!relations || !types) throw new FileError('opc-not', 'This is an archive, but not an Open Packaging document.');
  const target = (kind: RegExp): string | null => {
    const relation = relations.xml.root.children.find((child) => kind.test(child.attributes['Type'] ?? '') && child.attributes['TargetMode'] !== 'External');
    const path = relation?.attributes['Target'];
    return path === undefined ? null : partName(zip, path);
  };
  const [core, custom] = [target(CORE_RELATIONS), target(CUSTOM_RELATIONS)];
  return {
    zip,
    relations,
    types,
    core: core === null ? null : partOf(zip, core),
    custom: custom === null ? null : partOf(zip, custom),
    main: target(/\/(officeDocument|3dmodel)$/i) ?? '',
  };
}

/** A custom property's value; the element type gives its type. */
function readVariant(element: XmlElement | undefined): HeldValue {
  const text = element?.text ?? '';
  switch (element?.local) {
    case 'i1':
    case 'i2':
    case 'i4':
    case 'i8':
    case 'int':
    case 'ui1':
    case 'ui2':
    case 'ui4':
    case 'ui8':
    case 'uint':
      return { text: text.trim(), form: 'integer' };
    case 'r4':
    case 'r8':
    case 'decimal': {
      const n = Number(text);
      return { text: Number.isFinite(n) ? plainNumber(n) : text, form: 'real' };
    }
    case 'bool':
      return { text: /^(true|1)$/i.test(text.trim()) ? 'yes' : 'no', form: 'boolean' };
    case 'filetime':
    case 'date': {
      // Dates without a time are stored as midnight; programs disagree on its time zone.
      const day = /^(\d{4}-\d{2}-\d{2})(T(00|10|12):00:00Z?)?$/.exec(text.trim());
      return heldText(day ? day[1]! : text.trim());
    }
    default:
      return heldText(unescapeX(text));
  }
}

function writeVariant(value: HeldValue): string {
  switch (value.form) {
    case 'integer':
      // Office programs do not show i8; larger integers are stored as doubles while exact.
      if (Number(value.text) >= -(2 ** 31) && Number(value.text) < 2 ** 31) return `<vt:i4>${value.text}</vt:i4>`;
      return Number.isSafeInteger(Number(value.text)) ? `<vt:r8>${value.text}</vt:r8>` : `<vt:lpwstr>${escapeXml(value.text)}</vt:lpwstr>`;
    case 'boolean':
      return `<vt:bool>${value.text === 'yes'}</vt:bool>`;
    // Document properties have no unit; numbers use the property's unit.
    case 'real':
    case 'measure':
      return `<vt:r8>${value.text}</vt:r8>`;
    case 'text':
      return `<vt:lpwstr>${escapeXml(value.text.replace(/_(?=x[0-9A-Fa-f]{4}_)/g, '_x005F_'))}</vt:lpwstr>`;
  }
}

const propertiesOf = (custom: Part | null): XmlElement[] => custom?.xml.root.children.filter((child) => child.local === 'property') ?? [];

/** Metadata names and values of a 3MF model; large model parts are not read. */
function modelMetadata({ zip, main }: OpcContent): ReadValue[] {
  const entry = /\.model$/i.test(main) ? zip.entries.get(main) : undefined;
  if (!entry || entry.size > 4 * 1024 * 1024) return [];
  const text = new TextDecoder().decode(unpack(zip, entry));
  const head = text.slice(0, Math.max(0, text.search(/<(\w+:)?resources\b/)) || 65_536);
  return [...head.matchAll(/<metadata\s[^>]*name="([^"]*)"[^>]*>([^<]*)<\/metadata>/g)].map(([, name, value]) => ({
    place: 'fact' as const,
    name: name!,
    held: heldText(
      value!
        .replace(/&lt;/g, '<')
        .replace(/&gt;/g, '>')
        .replace(/&quot;/g, '"')
        .replace(/&amp;/g, '&'),
    ),
  }));
}

function readOpc(bytes: Uint8Array): FileReading {
  const content = openOpc(bytes);
  const fields = CORE_FIELDS.flatMap(({ name, local }): ReadValue[] => {
    const element = content.core?.xml.root.children.find((child) => child.local === local);
    return element && element.text !== '' ? [{ place: 'field', name, held: heldText(element.text) }] : [];
  });
  const problems: { code: string; message: string }[] = [];
  const properties: ReadValue[] = [];
  for (const element of propertiesOf(content.custom)) {
    const name = element.attributes['name'] ?? '';
    if (properties.some((other) => other.name === name)) {
      problems.push({ code: 'name-twice', message: `${JSON.stringify(name)} is used twice in the same place; the first one counts.` });
      continue;
    }
    properties.push({ place: 'property', name, held: readVariant(element.children[0]) });
  }
  return {
    format: 'opc',
    version: content.main.endsWith('.model') ? '3MF' : (content.main.split('/')[0] ?? ''),
    kind: 'other',
    holders: [{ level: 'document', key: '', label: '', values: [...fields, ...properties, ...modelMetadata(content)] }],
    structure: null,
    blocks: [],
    inserts: [],
    sheets: [],
    problems,
  };
}

/** Collects splices and new parts. */
class Parts {
  private readonly parts = new Map<string, { xml: XmlPart; list: TextEdit[]; added: string }>();

  private of({ path, xml }: Part): { list: TextEdit[]; added: string } {
    const entry = this.parts.get(path) ?? { xml, list: [], added: '' };
    this.parts.set(path, entry);
    return entry;
  }

  splice(part: Part, { start, end }: { readonly start: number; readonly end: number }, insert: string): void {
    this.of(part).list.push({ at: start, length: end - start, insert });
  }

  /** Appends a child to the root. */
  append(part: Part, insert: string): void {
    this.of(part).added += insert;
  }

  finish(): Map<string, Uint8Array> {
    const encoder = new TextEncoder();
    return new Map(
      [...this.parts].map(([path, { xml, list, added }]) => {
        const { root, text } = xml;
        const last: TextEdit[] =
          added === ''
            ? []
            : root.inner === root.end
              ? // A self-closing root is expanded first.
                [{ at: root.end - 2, length: 2, insert: `>${added}</${root.name}>` }]
              : [{ at: root.innerEnd, length: 0, insert: added }];
        // A UTF-16 part is rewritten as UTF-8, with its declaration.
        const made = spliceText(text, [...list, ...last]).replace(/^(\ufeff?<\?xml[^>]*encoding=["'])utf-16(["'])/i, '$1UTF-8$2');
        return [path, encoder.encode(made)];
      }),
    );
  }
}

function modifyOpc(bytes: Uint8Array, changes: readonly FileChange[]): Edit[] {
  const content = openOpc(bytes);
  const parts = new Parts();
  const seen = new Set<string>();
  let lastPid = Math.max(1, ...propertiesOf(content.custom).map((element) => Number(element.attributes['pid']) || 1));
  const custom = content.custom ?? { path: free(content.zip, 'docProps/custom.xml'), xml: readXml(new TextEncoder().encode(NEW_CUSTOM), 'custom') };
  const core = content.core ?? { path: free(content.zip, 'docProps/core.xml'), xml: readXml(new TextEncoder().encode(NEW_CORE), 'core') };
  let addsCustom = false;
  let addsCore = false;
  for (const change of changes) {
    const place = JSON.stringify([change.place, change.name]);
    if (seen.has(place)) throw new FileError('change-twice', `${change.name} is changed twice in the same step.`);
    seen.add(place);
    if (change.holder !== '') throw new FileError('no-holder', 'A document can hold properties only for itself.');
    if (change.place === 'property') {
      const existing = propertiesOf(content.custom).find((element) => element.attributes['name'] === change.name);
      if (existing && change.value) {
        const old = existing.children[0];
        const prefixed = writeVariant(change.value);
        const variant = old?.name.includes(':') ? prefixed.replace(/(<\/?)vt:/g, `$1${old.name.split(':')[0]}:`) : prefixed;
        if (old) parts.splice(custom, old, variant);
        else parts.splice(custom, existing, propertyElement(change.name, change.value, ++lastPid));
      } else if (existing) parts.splice(custom, existing, '');
      else if (change.value) {
        addsCustom = content.custom === null;
        parts.append(custom, propertyElement(change.name, change.value, ++lastPid));
      }
    } else if (change.place === 'field') {
      const field = CORE_FIELDS.find((candidate) => candidate.name === change.name);
      if (!field) throw new FileError('no-field', `The document has no field ${change.name}.`);
      if (KEPT_BY_PROGRAM.has(field.name)) throw new FileError('no-field', `The field ${field.name} is maintained by the document's own program.`);
      const existing = content.core?.xml.root.children.find((child) => child.local === field.local);
      const text = escapeXml(change.value?.text ?? '');
      if (existing) {
        if (existing.inner === existing.end)
          parts.splice(core, existing, `${core.xml.text.slice(existing.start, existing.end).replace(/\s*\/>$/, '>')}${text}</${existing.name}>`);
        else parts.splice(core, { start: existing.inner, end: existing.innerEnd }, text);
      } else if (text !== '') {
        addsCore = content.core === null;
        parts.append(core, coreElement(field.written, text));
      }
    } else throw new FileError('no-place', `A document holds no ${change.place}.`);
  }
  if (addsCustom) link(content, parts, custom.path, CUSTOM_RELATION, CUSTOM_TYPE);
  if (addsCore) link(content, parts, core.path, CORE_RELATION, CORE_TYPE);
  const made = parts.finish();
  return made.size ? replaceParts(content.zip, made) : [];
}

const propertyElement = (name: string, value: HeldValue, pid: number) =>
  `<property xmlns="http://schemas.openxmlformats.org/officeDocument/2006/custom-properties" xmlns:vt="http://schemas.openxmlformats.org/officeDocument/2006/docPropsVTypes" fmtid="${FORMAT_ID}" pid="${pid}" name="${escapeXml(name)}">${writeVariant(value)}</property>`;

const NAMESPACES: Readonly<Record<string, string>> = {
  dc: 'http://purl.org/dc/elements/1.1/',
  cp: 'http://schemas.openxmlformats.org/package/2006/metadata/core-properties',
};

/** A new core property declares its own namespace, whatever prefixes the part uses. */
function coreElement(written: string, text: string): string {
  const prefix = written.split(':')[0]!;
  return `<${written} xmlns:${prefix}="${NAMESPACES[prefix]}">${text}</${written}>`;
}

const free = (zip: ZipIndex, path: string): string => {
  let name = path;
  for (let n = 2; zip.entries.has(name); n++) name = path.replace(/\.xml$/, `${n}.xml`);
  return name;
};

/** Registers a new part: content type and package relationship. */
function link({ relations, types }: OpcContent, parts: Parts, path: string, relation: string, type: string): void {
  const prefix = (part: Part) => (part.xml.root.name.includes(':') ? `${part.xml.root.name.split(':')[0]}:` : '');
  const ids = new Set(relations.xml.root.children.map((child) => child.attributes['Id']));
  let id = `rule-${path.replace(/\W/g, '-')}`;
  while (ids.has(id)) id += '-';
  parts.append(relations, `<${prefix(relations)}Relationship Id="${id}" Type="${relation}" Target="${path}"/>`);
  parts.append(types, `<${prefix(types)}Override PartName="/${path}" ContentType="${type}"/>`);
}

/** Open Packaging Conventions (ECMA-376 part 2): core and custom properties of office documents and 3MF. */
export const opc: FileFormat = {
  id: 'opc',
  endings: ['.docx', '.xlsx', '.pptx', '.docm', '.xlsm', '.pptm', '.3mf'],
  read: (bytes) => sound(readOpc(bytes)),
  modify: modifyOpc,
};
