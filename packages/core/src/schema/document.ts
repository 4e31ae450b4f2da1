import {
  FEEDS,
  FileField,
  INHERIT_FROM,
  KINDS,
  Kind,
  LEVELS,
  MODEL_FACTS,
  Property,
  PropertyDraft,
  SHEET_FACTS,
  SheetArea,
  draftOf,
  newDraft,
  whyNotTyped,
} from './property';
import { Schema } from './schema';
import { VALUE_TYPES, showValue } from '../values';

/** Values of a kind of file as JSON Schema (draft 2020-12). */
function valueSchema(property: Property): Record<string, unknown> {
  const about = {
    title: property.caption,
    ...(property.help ? { description: property.help } : {}),
    ...(whyNotTyped(property, property.kinds[0] ?? 'part') === null ? {} : { readOnly: true }),
    ...(property.default ? { default: property.default } : {}),
  };
  const size = { ...(property.min === null ? {} : { minimum: property.min }), ...(property.max === null ? {} : { maximum: property.max }) };
  const length = {
    ...(property.minLength === null ? {} : { minLength: property.minLength }),
    ...(property.maxLength === null ? {} : { maxLength: property.maxLength }),
  };
  switch (property.type) {
    case 'whole':
      return { type: 'integer', ...about, ...size };
    case 'number':
      return { type: 'number', ...about, ...size, ...(property.unit ? { $comment: `in ${property.unit}` } : {}) };
    case 'yesno':
      return { type: 'boolean', ...about };
    case 'date':
      return { type: 'string', format: 'date', ...about };
    case 'choice':
      return property.open || property.choices.length === 0 ? { type: 'string', ...about, ...length } : { type: 'string', enum: property.choices, ...about };
    default:
      return { type: 'string', ...about, ...length, ...(property.pattern ? { pattern: `^(?:${property.pattern})$` } : {}) };
  }
}

/** JSON Schema of the values held by each kind of file, by written name. Rules and conditions are not expressed. */
export function toJsonSchema(schema: Schema, title: string): Record<string, unknown> {
  const active = schema.properties.filter((property) => !property.retired);
  return {
    $schema: 'https://json-schema.org/draft/2020-12/schema',
    title,
    $defs: Object.fromEntries(
      KINDS.map((kind) => {
        const own = active.filter((property) => property.kinds.includes(kind));
        return [
          kind,
          {
            type: 'object',
            properties: Object.fromEntries(own.map((property) => [property.writtenName, valueSchema(property)])),
            required: own.filter((property) => property.required && property.classes.length === 0).map((property) => property.writtenName),
            additionalProperties: schema.strangers[kind] !== 'refused',
          },
        ];
      }),
    ),
  };
}

/** A column of the schema workbook: writing and reading a definition's field. */
interface Column {
  readonly header: string;
  /** Headers of earlier versions. */
  readonly was?: string;
  readonly write: (property: PropertyDraft & { readonly retired: boolean }) => string;
  /** @returns the definition's changes, or why the text is invalid */
  readonly read: (text: string) => Partial<PropertyDraft & { readonly retired: boolean }> | string;
}

const lines = (text: string): string[] =>
  text
    .split(/\r?\n/)
    .map((line) => line.trim())
    .filter((line) => line !== '');
const oneOf = <T extends string>(list: readonly T[], text: string): T | null => list.find((entry) => entry === text.trim().toLowerCase()) ?? null;
const numberOf = (text: string): number | null | undefined =>
  text.trim() === '' ? null : /^-?\d+(?:[.,]\d+)?$/.test(text.trim()) ? Number(text.trim().replace(',', '.')) : undefined;
const plain = (
  header: string,
  key: 'caption' | 'help' | 'group' | 'rule' | 'requiredWhen' | 'requiredFrom' | 'pattern' | 'allowed' | 'placeholder' | 'default',
): Column => ({
  header,
  write: (property) => property[key],
  read: (text) => ({ [key]: text }),
});
const numeric = (header: string, key: 'decimals' | 'minLength' | 'maxLength' | 'min' | 'max'): Column => ({
  header,
  write: (property) => (property[key] === null ? '' : String(property[key])),
  read: (text) => {
    const n = numberOf(text);
    return n === undefined ? `${JSON.stringify(text)} is not a number` : { [key]: n };
  },
});
const yesNo = (header: string, key: 'required' | 'open' | 'retired' | 'searched'): Column => ({
  header,
  write: (property) => (property[key] ? 'yes' : 'no'),
  read: (text) => (/^(yes|no|)$/i.test(text.trim()) ? { [key]: /^yes$/i.test(text.trim()) } : `${JSON.stringify(text)} is not yes or no`),
});

/** The feed as one text: `file: author`, `model: mass`, `counted: Part numbers`, `ruled` … */
const feedText = (property: PropertyDraft): string =>
  property.feed === 'file'
    ? `file: ${property.fileField ?? ''}`
    : property.feed === 'model'
      ? `model: ${property.modelFact ?? ''}`
      : property.feed === 'sheet'
        ? `sheet: ${property.sheetFact ?? ''}${property.sheetFact === 'closed area' ? areaText(property.sheetArea) : ''}`
        : property.feed === 'inherited'
          ? `inherited: ${property.inheritFrom ?? ''}`
          : property.feed === 'counted'
            ? `counted: ${property.series ?? ''}`
            : property.feed;

/** The outlines of an area, after the fact's name: `, all on "ROOM"`, `, around "Hall" on "A-AREA", holes counted`. */
const areaText = (area: SheetArea | null): string => {
  if (!area) return '';
  const what =
    area.of === 'around a text'
      ? `around ${JSON.stringify(area.text)}${area.layer ? ` on ${JSON.stringify(area.layer)}` : ''}`
      : `${area.of.startsWith('all') ? 'all' : 'largest'} on ${JSON.stringify(area.layer)}`;
  return `, ${what}${area.holes ? '' : ', holes counted'}`;
};

function readArea(text: string): SheetArea | null {
  const m = /^\s*(?:(all|largest)|around ("(?:[^"\\]|\\.)*"))(?: on ("(?:[^"\\]|\\.)*"))?\s*(, holes counted)?\s*$/.exec(text);
  if (!m) return null;
  const quoted = (part: string | undefined): string => (part === undefined ? '' : (JSON.parse(part) as string));
  return {
    of: m[1] === 'all' ? 'all of a layer' : m[1] === 'largest' ? 'largest of a layer' : 'around a text',
    text: quoted(m[2]),
    layer: quoted(m[3]),
    holes: m[4] === undefined,
  };
}

function readFeed(text: string): Partial<PropertyDraft> | string {
  const [word, ...rest] = text.split(':');
  const detail = rest.join(':').trim();
  const feed = oneOf(FEEDS, word!);
  if (feed === null) return `${JSON.stringify(text)} is not a source of values; use one of ${FEEDS.join(', ')}`;
  const none = { fileField: null, modelFact: null, sheetFact: null, sheetArea: null, inheritFrom: null, series: null };
  if (feed === 'file') return { ...none, feed, fileField: detail as FileField };
  if (feed === 'model') return { ...none, feed, modelFact: oneOf(MODEL_FACTS, detail) };
  if (feed === 'sheet') {
    const [fact, ...of] = detail.split(',');
    return { ...none, feed, sheetFact: oneOf(SHEET_FACTS, fact!.trim()), sheetArea: of.length ? readArea(of.join(',')) : null };
  }
  if (feed === 'inherited') return { ...none, feed, inheritFrom: oneOf(INHERIT_FROM, detail) };
  return feed === 'counted' ? { ...none, feed, series: detail || null } : { ...none, feed };
}

/** Workbook columns. Other fields of a definition are kept. */
export const SCHEMA_COLUMNS: readonly Column[] = [
  { header: 'Written name', write: (property) => property.writtenName, read: (text) => ({ writtenName: text }) },
  plain('Caption', 'caption'),
  plain('Group', 'group'),
  {
    header: 'Type',
    write: (property) => property.type,
    read: (text) => {
      const type = oneOf(VALUE_TYPES, text);
      return type === null ? `${JSON.stringify(text)} is not a type; use one of ${VALUE_TYPES.join(', ')}` : { type };
    },
  },
  { header: 'Unit', write: (property) => property.unit ?? '', read: (text) => ({ unit: text.trim() || null }) },
  numeric('Decimals', 'decimals'),
  {
    header: 'Kinds',
    write: (property) => property.kinds.join('\n'),
    read: (text) => {
      const kinds = lines(text.replace(/,/g, '\n')).map((line) => [line, oneOf(KINDS, line)] as const);
      const wrong = kinds.find(([, kind]) => kind === null);
      return wrong ? `${JSON.stringify(wrong[0])} is not a kind; use one of ${KINDS.join(', ')}` : { kinds: kinds.map(([, kind]) => kind as Kind) };
    },
  },
  { header: 'Classes', write: (property) => property.classes.join('\n'), read: (text) => ({ classes: lines(text) }) },
  {
    header: 'Level',
    write: (property) => property.level,
    read: (text) => {
      const level = oneOf(LEVELS, text);
      return level === null ? `${JSON.stringify(text)} is not a level; use one of ${LEVELS.join(', ')}` : { level };
    },
  },
  { header: 'Comes from', write: feedText, read: readFeed },
  plain('Rule', 'rule'),
  yesNo('Required', 'required'),
  plain('Required when', 'requiredWhen'),
  plain('Required from state', 'requiredFrom'),
  numeric('Shortest', 'minLength'),
  numeric('Longest', 'maxLength'),
  numeric('Smallest', 'min'),
  numeric('Largest', 'max'),
  plain('Pattern', 'pattern'),
  plain('Allowed', 'allowed'),
  { header: 'Choice list', write: (property) => property.list ?? '', read: (text) => ({ list: text.trim() || null }) },
  { header: 'Choices', write: (property) => (property.list === null ? property.choices.join('\n') : ''), read: (text) => ({ choices: lines(text) }) },
  yesNo('Own entries', 'open'),
  plain('Default', 'default'),
  plain('Placeholder', 'placeholder'),
  {
    header: 'Known spellings',
    write: (property) => property.knownSpellings.join('\n'),
    read: (text) => ({ knownSpellings: text.split(/\r?\n/).filter((line) => line !== '') }),
  },
  plain('Help', 'help'),
  { ...yesNo('Searched', 'searched'), was: 'Quick search' },
  yesNo('Retired', 'retired'),
];

/** Whether a header names a column, ignoring case. */
const isOf = ({ header, was }: Column, cell: string): boolean => [header, was].some((name) => name?.toLowerCase() === cell.toLowerCase());

/** A schema as a table: header, then a row per property. */
export const schemaTable = (schema: Schema): string[][] => [
  SCHEMA_COLUMNS.map((column) => column.header),
  ...schema.properties.map((property) => SCHEMA_COLUMNS.map((column) => column.write(property))),
];

/** Definitions read from a table, and errors by spreadsheet row and column. */
export interface TakenTable {
  readonly properties: readonly (PropertyDraft & { readonly retired: boolean })[];
  readonly problems: readonly { readonly row: number; readonly column: string; readonly message: string }[];
}

/**
 * Reads the table back. Rows are matched by written name, or by known spelling if renamed; columns by header, in any order. Missing columns
 * change nothing.
 */
export function readSchemaTable(table: readonly (readonly string[])[], schema: Schema): TakenTable {
  const header = (table[0] ?? []).map((cell) => cell.trim());
  const problems: TakenTable['problems'][number][] = [];
  const properties: TakenTable['properties'][number][] = [];
  const at = new Map(SCHEMA_COLUMNS.map((column) => [column, header.findIndex((cell) => isOf(column, cell))]));
  const nameAt = at.get(SCHEMA_COLUMNS[0]!)!;
  if (nameAt < 0) return { properties, problems: [{ row: 1, column: 'Written name', message: 'The table has no column Written name.' }] };
  for (const cell of header)
    if (cell !== '' && !SCHEMA_COLUMNS.some((column) => isOf(column, cell)))
      problems.push({ row: 1, column: cell, message: `The column ${JSON.stringify(cell)} does not belong to a schema.` });
  const spellingsAt = header.findIndex((cell) => cell.toLowerCase() === 'known spellings');
  for (const [i, row] of table.slice(1).entries()) {
    const name = row[nameAt] ?? '';
    if (name.trim() === '' && row.every((cell) => cell.trim() === '')) continue;
    const names = [name, ...(spellingsAt < 0 ? [] : (row[spellingsAt] ?? '').split(/\r?\n/))];
    const old =
      schema.properties.find((property) => property.writtenName === name) ?? schema.properties.find((property) => names.includes(property.writtenName));
    let draft: TakenTable['properties'][number] = old ? { ...draftOf(old), retired: old.retired } : { ...newDraft(name), retired: false };
    for (const [column, index] of at) {
      if (index < 0) continue;
      const text = row[index] ?? '';
      // Unchanged cells mean nothing: a list's choices are not written out.
      if (old && text === column.write({ ...draftOf(old), retired: old.retired })) continue;
      if (!old && text === '') continue;
      const read = column.read(text);
      if (typeof read === 'string') problems.push({ row: i + 2, column: column.header, message: `${read}.` });
      else draft = { ...draft, ...read };
    }
    properties.push(draft);
  }
  return { properties, problems };
}

const escaped = (text: string): string => text.replace(/[&<>"]/g, (c) => ({ '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;' })[c]!);

/** A schema as a self-contained HTML page for printing. */
export function schemaPage(schema: Schema, { company, edition, date }: { readonly company: string; readonly edition: string; readonly date: string }): string {
  const active = schema.properties.filter((property) => !property.retired);
  const groups = [...new Set(active.map((property) => property.group))];
  const limits = (property: Property): string =>
    [
      property.required
        ? 'required'
        : property.requiredFrom
          ? `required from ${property.requiredFrom}`
          : property.requiredWhen
            ? `required when ${property.requiredWhen}`
            : '',
      property.minLength === null && property.maxLength === null ? '' : `${property.minLength ?? 0} to ${property.maxLength ?? 'any number of'} characters`,
      property.min === null && property.max === null
        ? ''
        : `${property.min === null ? 'at most' : `from ${showValue(property.min, property)}`}${property.max === null ? '' : ` ${property.min === null ? '' : 'to '}${showValue(property.max, property)}`}`,
      property.pattern ? `pattern ${property.pattern}` : '',
      property.allowed ? `allowed ${property.allowed}` : '',
      property.type === 'choice' ? (property.list ? `list ${property.list}` : property.choices.join(', ')) : '',
      property.unique === 'no' ? '' : `unique in the ${property.unique}`,
    ]
      .filter(Boolean)
      .join('; ');
  const row = (property: Property) =>
    `<tr><td><b>${escaped(property.caption)}</b><br><code>${escaped(property.writtenName)}</code></td><td>${property.type}${property.unit ? `, ${escaped(property.unit)}` : ''}</td><td>${property.kinds.join(', ')}${property.classes.length ? `<br>${escaped(property.classes.join(', '))}` : ''}<br>${property.level}</td><td>${escaped(property.feed === 'ruled' ? property.rule : feedText(property))}</td><td>${escaped(limits(property))}</td><td>${escaped(property.help)}</td></tr>`;
  return `<!doctype html><html lang="en"><meta charset="utf-8"><title>${escaped(company)}: properties</title><style>
body{font:10pt/1.35 sans-serif;margin:14mm;color:#1c2733}h1{font-size:16pt;margin:0}h2{font-size:12pt;margin:7mm 0 2mm}table{border-collapse:collapse;width:100%}
th,td{border:0.3pt solid #999;padding:1.2mm 1.6mm;text-align:left;vertical-align:top}th{background:#f0ede4}code{font:9pt monospace;white-space:pre}tr{break-inside:avoid}thead{display:table-header-group}
</style><h1>${escaped(company)}: properties</h1><p>${escaped(edition)}, ${escaped(date)}. ${active.length} properties.</p>
${groups
  .map(
    (group) =>
      `<h2>${escaped(group || 'Properties')}</h2><table><thead><tr><th>Property</th><th>Type</th><th>Applies to</th><th>Comes from</th><th>Limits</th><th>Help</th></tr></thead><tbody>${active
        .filter((property) => property.group === group)
        .map(row)
        .join('')}</tbody></table>`,
  )
  .join('\n')}
${schema.checks.length ? `<h2>Checks</h2><table><thead><tr><th>Check</th><th>Applies to</th><th>Must hold</th><th>Says</th></tr></thead><tbody>${schema.checks.map((check) => `<tr><td>${escaped(check.title)}<br>${check.severity}</td><td>${check.kinds.join(', ')}</td><td><code>${escaped(check.condition)}</code></td><td>${escaped(check.message)}</td></tr>`).join('')}</tbody></table>` : ''}
</html>`;
}
