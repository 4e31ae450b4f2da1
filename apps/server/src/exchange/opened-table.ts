import { ReadingChoice, TableFormat } from '@rule/contract';
import {
  ColumnMatch,
  CsvForm,
  CsvSource,
  FILE_HEADER,
  IDENTITY_HEADER,
  KnownFile,
  TableCell,
  TableError,
  TableSource,
  csvSource,
  decodeText,
  headerRowOf,
  jsonSource,
  matchByValues,
  matchColumns,
  openWorkbook,
  readIdentityMark,
  withoutMark,
  xmlSource,
} from '@rule/core/exchange';
import { Property, PropertyLevel } from '@rule/core/schema';
import { TypeGuess, columnOf, guessType } from '@rule/core/survey';
import { HeldValue } from '@rule/core/values';
import { FILE_STATE, STATE_FROM } from '../library/file-state';
import { Db } from '../platform/db';
import { readSettings } from '../platform/settings';
import { Properties } from '../schema/properties';

/** A stored table and how it is read. */
export interface TableInput {
  readonly name: string;
  readonly hash: string;
  readonly choice: ReadingChoice;
}

/** A table, or why it cannot be read. */
export type Attempt<T> = { readonly ok: true; readonly value: T } | { readonly ok: false; readonly code: string; readonly message: string };

export async function outcome<T>(work: () => Promise<T>): Promise<Attempt<T>> {
  try {
    return { ok: true, value: await work() };
  } catch (error) {
    if (error instanceof TableError) return { ok: false, code: error.code, message: error.message };
    throw error;
  }
}

/** Rows sampled to identify columns. */
const SAMPLE = 400;

/** Rows compared at a time. */
export const BATCH = 1000;

/** Maximum number of ambiguous file names to ask about; beyond that, the table should be fixed first. */
export const MOST_AMBIGUOUS = 200;

/** Rows previewed before columns are settled. */
export const SHOWN = 8;

interface Opened {
  readonly format: TableFormat;
  readonly source: TableSource;
  readonly sheets: readonly TableSource[];
  readonly csv: CsvSource | null;
}

const endingOf = (name: string): string => /\.([a-z0-9]+)$/i.exec(name)?.[1]?.toLowerCase() ?? '';

/** Whether a table has Rule's identity columns. */
export const isOurs = (source: TableSource): boolean =>
  firstRows(source, 25).some((row) => row.some((cell) => cell.text === IDENTITY_HEADER || cell.text === FILE_HEADER));

export function firstRows(source: TableSource, most: number): (readonly TableCell[])[] {
  const rows: (readonly TableCell[])[] = [];
  for (const row of source.rows()) {
    rows.push(row);
    if (rows.length >= most) break;
  }
  return rows;
}

function open(name: string, bytes: Uint8Array, choice: ReadingChoice): Opened {
  const ending = endingOf(name);
  const zip = bytes[0] === 0x50 && bytes[1] === 0x4b;
  if (ending === 'json' || ending === 'xml') {
    const { text } = decodeText(bytes);
    const source = ending === 'json' ? jsonSource(text.replace(/^\ufeff/, '')) : xmlSource(text.replace(/^\ufeff/, ''));
    return { format: ending, source, sheets: [source], csv: null };
  }
  if (['csv', 'txt', 'tsv'].includes(ending) && !zip) {
    const source = csvSource(bytes, { encoding: choice.encoding, delimiter: choice.delimiter });
    return { format: 'csv', source, sheets: [source], csv: source };
  }
  const sheets = openWorkbook(bytes).sheets.map(withoutMark);
  if (sheets.length === 0) throw new TableError('xlsx-broken', 'The workbook has no sheet.');
  const chosen = choice.sheet === undefined ? undefined : sheets.find((sheet) => sheet.sheet === choice.sheet);
  if (choice.sheet !== undefined && !chosen) throw new TableError('no-sheet', `The workbook has no sheet ${JSON.stringify(choice.sheet)}.`);
  return { format: 'xlsx', source: chosen ?? sheets.find(isOurs) ?? sheets[0]!, sheets, csv: null };
}

export interface Sent {
  readonly id: number;
  readonly columns: readonly { readonly property: number; readonly header: string; readonly editable: boolean }[];
  readonly found: readonly { readonly name: string; readonly guess: TypeGuess }[];
  readonly level: PropertyLevel;
  readonly decimal: CsvForm['decimal'] | null;
}

export const sentOf = (db: Db, ids: readonly number[]): Promise<Sent[]> =>
  db.all<Sent>(`SELECT id, columns, found, level, content->'csv'->>'decimal' AS decimal FROM send_outs WHERE id = ANY($1::int[])`, [ids]);

/** Everything needed for the comparison, once columns are settled. */
interface OpenedTable {
  readonly opened: Opened;
  readonly headerRow: number;
  readonly matches: readonly ColumnMatch[];
  readonly sent: readonly Sent[];
  /** Properties by number; negative numbers are names outside the schema. */
  readonly properties: ReadonlyMap<number, Property>;
  readonly sample: readonly (readonly TableCell[])[];
  readonly decimal: CsvForm['decimal'] | null;
}

/** Maps numbers of names outside the schema from a send-out to this comparison. */
export const translation = (sent: Sent, byName: ReadonlyMap<string, number>): ReadonlyMap<number, number> =>
  new Map(sent.found.map(({ name }, i) => [-(i + 1), byName.get(name)!]));

/** Reads enough of a table to identify its columns. */
export async function openTable(db: Db, input: TableInput, bytes: Uint8Array): Promise<OpenedTable> {
  const { choice } = input;
  const opened = open(input.name, bytes, choice);
  const first = firstRows(opened.source, SAMPLE);
  if (first.length === 0) throw new TableError('empty-table', 'The table is empty.');
  const headerRow = choice.headerRow === undefined ? headerRowOf(first) : choice.headerRow - 1;
  const header = (first[headerRow] ?? []).map((cell) => cell.text);
  const sample = first.slice(headerRow + 1);
  const identityAt = header.indexOf(IDENTITY_HEADER);
  const marks = sample.map((row) => readIdentityMark(row[identityAt]?.text ?? ''));
  const [known, settings, sent] = await Promise.all([
    new Properties().list(db),
    readSettings(db),
    sentOf(db, [...new Set(marks.flatMap((mark) => mark?.sendOut ?? []))]),
  ]);
  const properties = new Map(known.map((property) => [property.id, property]));
  // Names added to the schema since the send-out count as properties now.
  const written = new Set(known.filter((property) => !property.retired).map((property) => property.writtenName));
  const strays = new Map(sent.flatMap((entry) => entry.found.filter(({ name }) => !written.has(name)).map(({ name, guess }) => [name, guess] as const)));
  const draftAt = Object.entries(choice.columns ?? {}).flatMap(([at, chosen]) => (chosen.use === 'draft' ? [Number(at)] : []));
  for (const at of draftAt) if (header[at] !== undefined && !written.has(header[at])) strays.set(header[at], guessType(countsOf(sample, at)));
  let next = -1;
  const byName = new Map<string, number>(known.filter((property) => !property.retired).map((property) => [property.writtenName, property.id]));
  for (const [name, guess] of strays) {
    properties.set(next, columnOf(name, next, guess));
    byName.set(name, next--);
  }
  const columnsSent = sent.flatMap((entry) => {
    const numbers = translation(entry, byName);
    return entry.columns.map(({ property, header: name }) => ({ property: numbers.get(property) ?? property, header: name }));
  });
  const unique = [...new Map(columnsSent.map((column) => [`${column.property}/${column.header}`, column])).values()];
  let matches = matchColumns(header, { properties: [...properties.values()], sent: unique, abbreviations: settings.abbreviations });
  if (matches.some((match) => match.ask && match.property === null)) {
    const bases = await basesOf(
      db,
      sent,
      byName,
      marks.flatMap((mark) => mark ?? []),
    );
    const rows = sample.map((cells, i) => {
      const base = marks[i] && bases.get(`${marks[i].sendOut}/${marks[i].row}`);
      return { cells, sent: new Map(Object.entries(base?.held ?? {}).map(([id, held]) => [Number(id), held.text])) };
    });
    matches = matchByValues(matches, rows, unique);
  }
  if (!matches.some((match) => match.use === 'file' || match.use === 'identity')) matches = await fileColumn(db, matches, sample);
  for (const [at, chosen] of Object.entries(choice.columns ?? {})) {
    const i = matches.findIndex((match) => match.at === Number(at));
    if (i < 0) continue;
    const property = chosen.use === 'property' ? chosen.property : chosen.use === 'draft' ? (byName.get(header[Number(at)]!) ?? null) : null;
    matches = matches.map((match, k) => (k === i ? { ...match, use: chosen.use, property, by: null, ask: false, message: '' } : match));
  }
  const decimals = new Set(sent.flatMap((entry) => entry.decimal ?? []));
  return {
    opened,
    headerRow,
    matches,
    sent,
    properties,
    sample,
    decimal: opened.format === 'csv' ? (choice.decimal ?? (decimals.size === 1 ? [...decimals][0]! : null)) : null,
  };
}

const countsOf = (rows: readonly (readonly TableCell[])[], at: number) => {
  const counts = new Map<string, number>();
  for (const row of rows) {
    const text = row[at]?.text ?? '';
    if (text !== '') counts.set(text, (counts.get(text) ?? 0) + 1);
  }
  return [...counts].map(([text, files]) => ({ text, form: 'text' as const, unit: null, files, standIn: false }));
};

/** Share of texts that must be file names for a column to count as the file column. */
const NAMING = 0.5;

/** Suggests the file column by its content, as a question. */
async function fileColumn(db: Db, matches: readonly ColumnMatch[], sample: readonly (readonly TableCell[])[]): Promise<ColumnMatch[]> {
  const open = matches.filter((match) => match.use === 'ignored' && match.ask);
  const textsOf = (match: ColumnMatch) => [...new Set(sample.map((row) => plainPath(row[match.at]?.text ?? '')).filter((text) => text !== ''))];
  const known = await filesAt(db, [...new Set(open.flatMap(textsOf))]);
  const best = open
    .map((match) => {
      const texts = textsOf(match);
      return { match, share: texts.length ? texts.filter((text) => known.has(text)).length / texts.length : 0 };
    })
    .sort((a, b) => b.share - a.share)[0];
  if (!best || best.share < NAMING) return [...matches];
  return matches.map((match) => (match === best.match ? { ...match, use: 'file', message: 'Its texts are file names.' } : match));
}

export interface BaseRow {
  readonly sendOut: number;
  readonly n: number;
  readonly file: number;
  readonly holder: string;
  readonly held: Readonly<Record<number, HeldValue>>;
}

/** Sent values by `send-out/row` and property number. */
export async function basesOf(
  db: Db,
  sent: readonly Sent[],
  byName: ReadonlyMap<string, number>,
  marks: readonly { readonly sendOut: number; readonly row: number }[],
): Promise<Map<string, BaseRow>> {
  if (marks.length === 0) return new Map();
  const found = await db.all<BaseRow>(
    `SELECT r.send_out_id AS "sendOut", r.n, r.file_id AS file, r.holder, r.held
      FROM unnest($1::int[], $2::int[]) AS m(s, n) JOIN send_out_rows r ON r.send_out_id = m.s AND r.n = m.n`,
    [marks.map((mark) => mark.sendOut), marks.map((mark) => mark.row)],
  );
  const numbers = new Map(sent.map((entry) => [entry.id, translation(entry, byName)]));
  return new Map(
    found.map((row) => {
      const own = numbers.get(row.sendOut);
      const held = own?.size ? Object.fromEntries(Object.entries(row.held).map(([id, value]) => [own.get(Number(id)) ?? Number(id), value])) : row.held;
      return [`${row.sendOut}/${row.n}`, { ...row, held }];
    }),
  );
}

/** Batches of rows below the header, numbered as in spreadsheets. */
export function* batchesOf({
  opened,
  headerRow,
}: Pick<OpenedTable, 'opened' | 'headerRow'>): Generator<{ readonly row: number; readonly cells: readonly TableCell[] }[]> {
  let batch: { row: number; cells: readonly TableCell[] }[] = [];
  let at = -1;
  for (const cells of opened.source.rows()) {
    at++;
    if (at <= headerRow) continue;
    batch.push({ row: at + 1, cells });
    if (batch.length < BATCH) continue;
    yield batch;
    batch = [];
  }
  if (batch.length) yield batch;
}

type Named = KnownFile & { readonly name: string };

/** Finds files of one batch by path or name. */
export async function filesAt(db: Db, paths: readonly string[]): Promise<Map<string, Named[]>> {
  const found = paths.length
    ? await db.all<Named>(
        `SELECT ${FILE_STATE}, f.name FROM ${STATE_FROM}
         WHERE NOT f.removed AND (f.path = ANY($1::text[]) OR f.name = ANY($1::text[]))`,
        [paths],
      )
    : [];
  const byKey = new Map<string, Named[]>();
  for (const file of found) for (const key of new Set([file.path, file.name])) byKey.set(key, [...(byKey.get(key) ?? []), file]);
  for (const [key, files] of byKey) {
    // A full path is stronger than a name.
    const whole = files.filter((file) => file.path === key);
    if (files.length > 1 && whole.length > 0) byKey.set(key, whole);
  }
  return byKey;
}

export const plainPath = (text: string): string =>
  text
    .trim()
    .replaceAll('\\', '/')
    .replace(/^\.?\//, '');
