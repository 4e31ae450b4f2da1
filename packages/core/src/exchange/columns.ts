import { Property, compareNames, likenessKey } from '../schema';
import { Abbreviation, findTwins } from '../survey';
import { TableCell, TableError } from './table';

/** Headers of identifying columns. */
export const IDENTITY_HEADER = 'Rule identity';
export const FILE_HEADER = 'File';
export const HOLDER_HEADER = 'Holder';
/** Headers of the read-only BOM columns. */
export const ITEM_HEADER = 'BOM item';
export const QUANTITY_HEADER = 'BOM quantity';
/** Read-only facts: vault standing and title block cells. */
export const BESIDE_FACTS = ['vault state', 'vault version', 'checked out by', 'cell states'] as const;

/** A read-only column: a fact, a record field, or a cell's text. */
export type BesideColumn = { readonly fact: (typeof BESIDE_FACTS)[number] } | { readonly record: string } | { readonly cell: string };

/** Header of a read-only column. */
export function besideHeader(column: BesideColumn): string {
  if ('record' in column) return `Record: ${column.record}`;
  if ('cell' in column) return `Cell: ${column.cell}`;
  return column.fact[0]!.toUpperCase() + column.fact.slice(1);
}

const BESIDE_HEADERS = new Set(BESIDE_FACTS.map((fact) => besideHeader({ fact })));
const isBeside = (header: string): boolean => BESIDE_HEADERS.has(header) || /^(Record|Cell): ./.test(header);

/** Headers of tables with one row per value. */
export const PROPERTY_HEADER = 'Property';
export const VALUE_HEADER = 'Value';

/** Common headers of file name columns (common practice). */
const FILE_WORDS = new Set([
  'file',
  'file name',
  'filename',
  'path',
  'file path',
  'full path',
  'document',
  'document name',
  'part file',
  'dateiname',
  'datei',
  'fichier',
]);

/** Use of a column. `draft` creates a draft property from it and imports its values. */
export type ColumnUse = 'identity' | 'file' | 'holder' | 'property name' | 'value' | 'property' | 'draft' | 'ignored';

/** How a column was identified. */
export type ColumnMatchedBy = 'written name' | 'sent header' | 'known spelling' | 'caption' | 'likeness' | 'values' | 'role';

/** A column with its probable use. */
export interface ColumnMatch {
  readonly at: number;
  readonly header: string;
  readonly use: ColumnUse;
  readonly property: number | null;
  readonly by: ColumnMatchedBy | null;
  /** Whether a person must decide. */
  readonly ask: boolean;
  readonly message: string;
}

/** Inputs for matching columns. */
export interface ColumnGround {
  /** Properties, and columns outside the schema. */
  readonly properties: readonly Property[];
  /** Headers used in the send-outs whose rows came back. */
  readonly sent: readonly { readonly property: number; readonly header: string }[];
  readonly abbreviations: readonly Abbreviation[];
}

const ROLES: Readonly<Record<string, ColumnUse>> = {
  [IDENTITY_HEADER]: 'identity',
  [FILE_HEADER]: 'file',
  [HOLDER_HEADER]: 'holder',
  [ITEM_HEADER]: 'ignored',
  [QUANTITY_HEADER]: 'ignored',
};

/** Identifies columns by header. Uncertain ones become questions. */
export function matchColumns(header: readonly string[], { properties, sent, abbreviations }: ColumnGround): ColumnMatch[] {
  const active = properties.filter((property) => !property.retired);
  const byId = new Map(active.map((property) => [property.id, property]));
  const long = header.includes(PROPERTY_HEADER) && header.includes(VALUE_HEADER) && !active.some((property) => property.writtenName === VALUE_HEADER);
  const hasRows = header.includes(IDENTITY_HEADER) || header.includes(FILE_HEADER);
  const twins = findTwins([...new Set([...header, ...active.map((property) => property.writtenName)])], abbreviations);
  const seen = new Map<string, number>();
  const taken = new Map<number, number>();
  let fileFound = hasRows;
  return header.flatMap((name, at): ColumnMatch[] => {
    if (name === '') return [];
    const match = (use: ColumnUse, property: number | null, by: ColumnMatchedBy | null, ask: boolean, message: string): ColumnMatch[] => {
      if (property !== null) taken.set(property, at);
      return [{ at, header: name, use, property, by, ask, message }];
    };
    const first = seen.get(name);
    if (first !== undefined) return match('ignored', null, null, true, `The header is used twice, also in column ${first + 1}.`);
    seen.set(name, at);
    const role = ROLES[name] ?? (long && name === PROPERTY_HEADER ? 'property name' : long && name === VALUE_HEADER ? 'value' : undefined);
    if (role) return match(role, null, 'role', false, role === 'ignored' ? 'From the bill of materials; read-only.' : '');
    if (isBeside(name) && !active.some((property) => property.writtenName === name)) return match('ignored', null, 'role', false, 'For reading only.');
    if (!fileFound && FILE_WORDS.has(likenessKey(name)) && !active.some((property) => property.writtenName === name)) {
      fileFound = true;
      return match('file', null, 'role', false, 'Names the files.');
    }
    const free = (property: Property | undefined): property is Property => property !== undefined && !taken.has(property.id);
    const sentHere = sent.filter((column) => column.header === name);
    const bySent = sentHere.length === 1 ? byId.get(sentHere[0]!.property) : undefined;
    if (free(bySent)) return match('property', bySent.id, bySent.writtenName === name ? 'written name' : 'sent header', false, '');
    const byName = active.find((property) => property.writtenName === name);
    if (free(byName)) return match('property', byName.id, 'written name', false, '');
    const retired = properties.find((property) => property.retired && property.writtenName === name);
    if (retired) return match('ignored', null, null, false, `${JSON.stringify(name)} is retired; the column is left out.`);
    const bySpelling = active.find((property) => property.knownSpellings.includes(name));
    if (free(bySpelling)) return match('property', bySpelling.id, 'known spelling', false, `A known spelling of ${JSON.stringify(bySpelling.writtenName)}.`);
    const byCaption = active.filter((property) => property.caption === name);
    if (byCaption.length === 1 && free(byCaption[0]))
      return match('property', byCaption[0].id, 'caption', false, `The caption of ${JSON.stringify(byCaption[0].writtenName)}.`);
    const near = active.find((property) => compareNames(property.writtenName, name) !== 'different');
    if (free(near))
      return match('property', near.id, 'likeness', true, `Differs from ${JSON.stringify(near.writtenName)} in ${compareNames(near.writtenName, name)}.`);
    const group = twins.find((twin) => twin.names.includes(name));
    const twin = group && active.find((property) => group.names.includes(property.writtenName) && free(property));
    if (twin) return match('property', twin.id, 'likeness', true, `Probably ${JSON.stringify(twin.writtenName)}: ${group.reasons[0]}.`);
    return match('ignored', null, null, true, `The schema has no property ${JSON.stringify(name)}.`);
  });
}

/** Minimum share of sent values for a column to count as a property's. */
const ENOUGH = 0.6;

/**
 * Identifies columns with unknown headers by their sent values, always as a question.
 * @param rows cells of some rows with the texts sent out in them, by property
 */
export function matchByValues(
  matches: readonly ColumnMatch[],
  rows: readonly { readonly cells: readonly TableCell[]; readonly sent: ReadonlyMap<number, string> }[],
  sent: readonly { readonly property: number; readonly header: string }[],
): ColumnMatch[] {
  const taken = new Set(matches.map((match) => match.property));
  const missing = sent.filter((column) => !taken.has(column.property));
  return matches.map((match) => {
    if (match.property !== null || match.use !== 'ignored' || !match.ask) return match;
    let best: { property: number; header: string; hits: number; of: number } | null = null;
    for (const { property, header } of missing) {
      const told = rows.filter((row) => (row.sent.get(property) ?? '') !== '');
      const hits = told.filter((row) => row.cells[match.at]?.text === row.sent.get(property)).length;
      if (told.length > 0 && hits / told.length >= ENOUGH && hits > (best?.hits ?? 0)) best = { property, header, hits, of: told.length };
    }
    if (!best) return match;
    missing.splice(
      missing.findIndex((column) => column.property === best.property),
      1,
    );
    return {
      ...match,
      use: 'property',
      property: best.property,
      by: 'values',
      message: `Probably ${JSON.stringify(best.header)} under another header: ${best.hits} of ${best.of} values match what was sent out.`,
    };
  });
}

/** A column with values of one property. */
export interface ValueColumn {
  readonly at: number;
  readonly header: string;
  readonly property: Property;
}

/** Column indexes; -1 if missing. */
export interface TableShape {
  readonly identityAt: number;
  readonly fileAt: number;
  readonly holderAt: number;
  readonly propertyAt: number;
  readonly valueAt: number;
  readonly columns: readonly ValueColumn[];
  /** Ignored columns. */
  readonly ignored: readonly { readonly at: number; readonly header: string }[];
}

/**
 * The settled shape of a table.
 * @throws TableError `no-file-column`, `column-twice`
 */
export function shapeOf(matches: readonly ColumnMatch[], properties: ReadonlyMap<number, Property>): TableShape {
  const at = (use: ColumnUse) => {
    const found = matches.filter((match) => match.use === use);
    if (found.length > 1)
      throw new TableError('column-twice', `Columns ${found.map((match) => match.at + 1).join(' and ')} are both recognised as the ${use} column.`);
    return found[0]?.at ?? -1;
  };
  const columns = matches.flatMap((match): ValueColumn[] => {
    if (match.use !== 'property' && match.use !== 'draft') return [];
    const property = match.property === null ? undefined : properties.get(match.property);
    if (!property) throw new TableError('unknown-column', `Column ${JSON.stringify(match.header)}: the property is not in the schema.`);
    return [{ at: match.at, header: match.header, property }];
  });
  for (const [i, column] of columns.entries()) {
    const twin = columns.slice(0, i).find((earlier) => earlier.property.id === column.property.id);
    if (twin)
      throw new TableError(
        'column-twice',
        `Columns ${JSON.stringify(twin.header)} and ${JSON.stringify(column.header)} are both recognised as ${column.property.caption}.`,
      );
  }
  const shape = {
    identityAt: at('identity'),
    fileAt: at('file'),
    holderAt: at('holder'),
    propertyAt: at('property name'),
    valueAt: at('value'),
    columns,
    ignored: matches.filter((match) => match.use === 'ignored').map(({ at: column, header }) => ({ at: column, header })),
  };
  if (shape.identityAt < 0 && shape.fileAt < 0)
    throw new TableError(
      'no-file-column',
      `No column ${JSON.stringify(IDENTITY_HEADER)} or ${JSON.stringify(FILE_HEADER)} is in the header row, so Rule cannot tell which file each row belongs to.`,
    );
  return shape;
}

/** Rows searched for a header. */
const HEADER_WITHIN = 25;

/** The header row: the first naming the file column, else the first with two texts. */
export function headerRowOf(first: readonly (readonly TableCell[])[]): number {
  const rows = first.slice(0, HEADER_WITHIN);
  const named = rows.findIndex((row) => row.some((cell) => cell.text === IDENTITY_HEADER || cell.text === FILE_HEADER));
  if (named >= 0) return named;
  const worded = rows.findIndex((row) => row.some((cell) => FILE_WORDS.has(likenessKey(cell.text))));
  if (worded >= 0) return worded;
  return Math.max(
    0,
    rows.findIndex((row) => row.filter((cell) => cell.text !== '').length > 1),
  );
}
