import { ReadingChoice, TableFormat, TableInspection } from '@rule/contract';
import {
  ColumnMatch,
  Comparison,
  CsvForm,
  CsvSource,
  FoundRow,
  KnownFile,
  LostRow,
  RowIdentity,
  TableCell,
  TableError,
  TableShape,
  TableSource,
  TakeBackCell,
  TakeBackCounts,
  WorkbookWriter,
  columnLetters,
  csvSource,
  decodeText,
  headerRowOf,
  jsonSource,
  matchByValues,
  matchColumns,
  openWorkbook,
  readIdentityMark,
  shapeOf,
  withoutMark,
  xmlSource,
  IDENTITY_HEADER,
  FILE_HEADER,
} from '@rule/core/exchange';
import { Property, PropertyLevel, isHeldAt, KINDS, Kind } from '@rule/core/schema';
import { TypeGuess, columnOf, guessType, ValueCount } from '@rule/core/survey';
import { HeldValue, compileStandIns } from '@rule/core/values';
import { FILE_STATE, STATE_FROM } from '../library/file-state';
import { CopyValue, Db } from '../platform/db';
import { FileStore } from '../platform/store';
import { Properties } from '../schema/properties';
import { readSettings } from '../platform/settings';
import { clashesOf } from '../schema/unique';
import { User } from '../users/user';
import { heldFor, heldInside } from '../values/held';
import { Outlet } from '../platform/outlet';
import { Progress } from '../platform/progress';

declare module '../platform/pool' {
  interface Tasks {
    readonly inspectTable: (input: TableInput) => Promise<Outcome<TableInspection>>;
    readonly draftColumns: (input: TableInput & { readonly columns: readonly number[] }) => Promise<Outcome<DraftColumn[]>>;
    readonly compareTable: (input: CompareInput) => Promise<Outcome<Compared>>;
    readonly resultTable: (input: ResultInput) => Promise<Outcome<number>>;
  }
}

/** A stored table, and how it is read. */
export interface TableInput {
  readonly name: string;
  readonly hash: string;
  readonly choice: ReadingChoice;
}

export interface CompareInput extends TableInput {
  readonly takeBack: number;
  readonly job: number | null;
  readonly role: User['role'];
}

/** Why a table cannot be read, or what came out. */
export type Outcome<T> = { readonly ok: true; readonly value: T } | { readonly ok: false; readonly code: string; readonly message: string };

async function outcome<T>(work: () => Promise<T>): Promise<Outcome<T>> {
  try {
    return { ok: true, value: await work() };
  } catch (error) {
    if (error instanceof TableError) return { ok: false, code: error.code, message: error.message };
    throw error;
  }
}

/** Rows looked at to find out what columns are. */
const SAMPLE = 400;
/** Rows compared in one go. */
const BATCH = 1000;
/** Ambiguous file names that are asked about; a table with more of them is one to be mended first. */
const MOST_AMBIGUOUS = 200;
/** Rows that are shown before anything is settled. */
const SHOWN = 8;

interface Opened {
  readonly format: TableFormat;
  readonly source: TableSource;
  readonly sheets: readonly TableSource[];
  readonly csv: CsvSource | null;
}

const endingOf = (name: string): string => /\.([a-z0-9]+)$/i.exec(name)?.[1]?.toLowerCase() ?? '';

/** Whether a table has the columns by which Rule knows its rows. */
const isOurs = (source: TableSource): boolean =>
  firstRows(source, 25).some((row) => row.some((cell) => cell.text === IDENTITY_HEADER || cell.text === FILE_HEADER));

function firstRows(source: TableSource, most: number): (readonly TableCell[])[] {
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

interface Sent {
  readonly id: number;
  readonly columns: readonly { readonly property: number; readonly header: string; readonly editable: boolean }[];
  readonly found: readonly { readonly name: string; readonly guess: TypeGuess }[];
  readonly level: PropertyLevel;
  readonly decimal: CsvForm['decimal'] | null;
}

const sentOf = (db: Db, ids: readonly number[]): Promise<Sent[]> =>
  db.all<Sent>(`SELECT id, columns, found, level, content->'csv'->>'decimal' AS decimal FROM send_outs WHERE id = ANY($1::int[])`, [ids]);

/** Everything that a table is compared by, once its columns are settled. */
interface Ground {
  readonly opened: Opened;
  readonly headerRow: number;
  readonly matches: readonly ColumnMatch[];
  readonly sent: readonly Sent[];
  /** Properties of the schema by number; negative ones are names outside of it. */
  readonly properties: ReadonlyMap<number, Property>;
  readonly sample: readonly (readonly TableCell[])[];
  readonly decimal: CsvForm['decimal'] | null;
}

/** Numbers that names outside the schema have in one send-out, told in those that they have here. */
const translation = (sent: Sent, byName: ReadonlyMap<string, number>): ReadonlyMap<number, number> =>
  new Map(sent.found.map(({ name }, i) => [-(i + 1), byName.get(name)!]));

/** Reads a table as far as it takes to say what its columns are. */
async function ground(db: Db, input: TableInput, bytes: Uint8Array): Promise<Ground> {
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
  // Names that the schema has learned since they were sent out are its own now.
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

/** Share of a column's texts that must name files for it to be taken for the column of file names. */
const NAMING = 0.5;

/** Suggests the column of file names by what stands in it, as a question. */
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
  return matches.map((match) => (match === best.match ? { ...match, use: 'file', message: 'Its texts are names of files.' } : match));
}

interface BaseRow {
  readonly sendOut: number;
  readonly n: number;
  readonly file: number;
  readonly holder: string;
  readonly held: Readonly<Record<number, HeldValue>>;
}

/** What send-outs held in rows, by `send-out/row`, by the numbers that properties have here. */
async function basesOf(
  db: Db,
  sent: readonly Sent[],
  byName: ReadonlyMap<string, number>,
  marks: readonly { readonly sendOut: number; readonly row: number }[],
): Promise<Map<string, BaseRow>> {
  if (marks.length === 0) return new Map();
  const found = await db.all<BaseRow>(
    `SELECT r.send_out_id AS "sendOut", r.n, r.file_id AS file, r.holder, r.held FROM unnest($1::int[], $2::int[]) AS m(s, n) JOIN send_out_rows r ON r.send_out_id = m.s AND r.n = m.n`,
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

/** Batches of a table's rows below its header, with their numbers as spreadsheets count them. */
function* batchesOf({ opened, headerRow }: Pick<Ground, 'opened' | 'headerRow'>): Generator<{ readonly row: number; readonly cells: readonly TableCell[] }[]> {
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

/** Files by path or by name, of one batch. */
async function filesAt(db: Db, paths: readonly string[]): Promise<Map<string, Named[]>> {
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
    // A whole path is more than a name.
    const whole = files.filter((file) => file.path === key);
    if (files.length > 1 && whole.length > 0) byKey.set(key, whole);
  }
  return byKey;
}

const plainPath = (text: string): string =>
  text
    .trim()
    .replaceAll('\\', '/')
    .replace(/^\.?\//, '');

/** Reads a table as far as it takes to say what it is, and what must be asked before it can be compared. */
export async function inspectTable(input: TableInput, db: Db, store: FileStore): Promise<Outcome<TableInspection>> {
  return outcome(async () => {
    const made = await ground(db, input, await store.get(input.hash));
    const { opened, matches, headerRow, sample } = made;
    let problem: string | null = null;
    let shape: TableShape | null = null;
    try {
      shape = shapeOf(matches, made.properties);
    } catch (error) {
      if (!(error instanceof TableError)) throw error;
      problem = error.message;
    }
    const names = new Map<string, number>();
    let rows = 0;
    for (const batch of batchesOf(made))
      for (const { cells } of batch) {
        if (cells.every((cell) => cell.text === '')) continue;
        rows++;
        if (!shape || readIdentityMark(cells[shape.identityAt]?.text ?? '')) continue;
        const path = plainPath(cells[shape.fileAt]?.text ?? '');
        if (path) names.set(path, (names.get(path) ?? 0) + 1);
      }
    const ambiguous: { name: string; rows: number; files: { id: number; path: string }[] }[] = [];
    const asked = [...names.keys()];
    for (let at = 0; at < asked.length; at += BATCH)
      for (const [name, files] of await filesAt(db, asked.slice(at, at + BATCH)))
        if (files.length > 1 && names.has(name))
          ambiguous.push({ name, rows: names.get(name)!, files: files.map(({ id, path }) => ({ id, path })).sort((a, b) => a.path.localeCompare(b.path)) });
    const ours = opened.sheets.filter(isOurs);
    const asks: TableInspection['asks'][number][] = [];
    // A table that was sent out tells by its values whether it is read in the right encoding.
    const guessed = opened.csv && opened.csv.encoding !== 'utf-8' && !opened.csv.encoding.startsWith('utf-16') && made.sent.length === 0;
    if ((guessed || opened.csv?.doubt) && input.choice.encoding === undefined) asks.push('encoding');
    if (opened.sheets.length > 1 && ours.length !== 1 && input.choice.sheet === undefined) asks.push('sheet');
    if (problem !== null || matches.some((match) => match.ask)) asks.push('columns');
    if (!input.choice.leaveAmbiguous && ambiguous.some((entry) => input.choice.files?.[entry.name] === undefined)) asks.push('rows');
    return {
      format: opened.format,
      encoding: opened.csv?.encoding ?? null,
      delimiter: opened.csv?.delimiter ?? null,
      decimal: made.decimal,
      sheets: opened.format === 'xlsx' ? opened.sheets.map((sheet) => ({ name: sheet.sheet ?? '', ours: ours.includes(sheet) })) : [],
      sheet: opened.source.sheet,
      headerRow: headerRow + 1,
      columns: matches,
      sample: sample.slice(0, SHOWN).map((row) => row.map((cell) => cell.text.slice(0, 200))),
      rows,
      ambiguous: ambiguous.slice(0, MOST_AMBIGUOUS),
      asks,
      problem,
      doubt: opened.csv?.doubt ?? null,
    };
  });
}

/** A column of which a draft of a property is made, with the files and holders whose rows fill it in. */
export interface DraftColumn {
  readonly header: string;
  readonly values: readonly ValueCount[];
  readonly kinds: readonly Kind[];
  /** Classes, where all files belong to one; empty where some belong to none. */
  readonly classes: readonly string[];
  readonly level: PropertyLevel;
}

/** What the rows that fill columns in are about: a draft reaches what its table is about, no more. */
export async function draftColumns(input: TableInput & { readonly columns: readonly number[] }, db: Db, store: FileStore): Promise<Outcome<DraftColumn[]>> {
  return outcome(async () => {
    const made = await ground(db, input, await store.get(input.hash));
    const shape = shapeOf(made.matches, made.properties);
    const found = input.columns.map((at) => ({
      at,
      counts: new Map<string, number>(),
      kinds: new Set<Kind>(),
      classes: new Set<string | null>(),
      levels: new Set<PropertyLevel>(),
    }));
    const sent = new Map(made.sent.map((entry) => [entry.id, entry]));
    for (const batch of batchesOf(made)) {
      const identities = batch.map(({ cells }): RowIdentity => ({
        mark: readIdentityMark(cells[shape.identityAt]?.text ?? ''),
        path: cells[shape.fileAt]?.text ?? '',
        holder: cells[shape.holderAt]?.text ?? '',
      }));
      const rows = await findRows(db, identities, { sent, byName: new Map(), asked: [], choice: input.choice });
      batch.forEach(({ cells }, i) => {
        const row = rows[i];
        if (!row || 'message' in row) return;
        for (const column of found) {
          const text = cells[column.at]?.text ?? '';
          if (text === '') continue;
          column.counts.set(text, (column.counts.get(text) ?? 0) + 1);
          column.kinds.add(row.file.kind);
          column.classes.add(row.file.className);
          column.levels.add(row.level);
        }
      });
    }
    const header = new Map(made.matches.map((match) => [match.at, match.header]));
    return found.map(({ at, counts, kinds, classes, levels }) => ({
      header: header.get(at) ?? '',
      values: [...counts].map(([text, files]) => ({ text, form: 'text' as const, unit: null, files, standIn: false })),
      kinds: KINDS.filter((kind) => kinds.has(kind)),
      classes: classes.has(null) ? [] : [...classes].filter((name): name is string => name !== null).sort(),
      level: levels.size === 1 ? [...levels][0]! : 'document',
    }));
  });
}

/** What a comparison came to, beside the cells that are stored. */
export interface Compared {
  readonly counts: TakeBackCounts;
  readonly sendOuts: readonly number[];
  readonly note: string | null;
}

/** Compares a table cell by cell with what was sent out and what holds now, and stores every cell that is not unchanged. */
export async function compareTable(input: CompareInput, db: Db, store: FileStore): Promise<Outcome<Compared>> {
  return outcome(async () => {
    const made = await ground(db, input, await store.get(input.hash));
    const progress = new Progress(db, input.job);
    const settings = await readSettings(db);
    const shape = shapeOf(made.matches, made.properties);
    const active = [...made.properties.values()].filter((property) => !property.retired);
    const byName = new Map(active.map((property) => [property.writtenName, property]));
    const comparison = new Comparison({
      shape,
      standIns: compileStandIns(settings.standIns),
      role: input.role,
      decimal: made.decimal,
      onlyBlanks: input.choice.onlyBlanks ?? false,
      named: (name) => byName.get(name),
    });
    const asked = shape.valueAt >= 0 ? active : shape.columns.map((column) => column.property);
    // Rows of other send-outs may follow further down.
    const sent = new Map(made.sent.map((entry) => [entry.id, entry]));
    await db.run('DELETE FROM take_back_cells WHERE take_back_id = $1', [input.takeBack]);
    await db.run('DELETE FROM take_back_issues WHERE take_back_id = $1', [input.takeBack]);
    const total =
      ((await db.one<{ rows: number }>(`SELECT (inspection->>'rows')::int AS rows FROM take_backs WHERE id = $1`, [input.takeBack]))?.rows ?? 0) || 1;
    let [done, stored] = [0, 0];
    for (const batch of batchesOf(made)) {
      const identities = batch.map(({ cells }) => comparison.identify(cells));
      const marks = identities.flatMap((identity) => identity?.mark ?? []);
      const strange = [...new Set(marks.map((mark) => mark.sendOut))].filter((id) => !sent.has(id));
      for (const entry of strange.length ? await sentOf(db, strange) : []) sent.set(entry.id, entry);
      const found = await findRows(db, identities, { sent, byName, asked, choice: input.choice });
      const cells: TakeBackCell[] = [];
      const issues: CopyValue[][] = [];
      batch.forEach(({ row, cells: own }, i) => {
        if (!identities[i]) return;
        const told = comparison.take(row, own, found[i]!);
        cells.push(...told.cells);
        if (told.issue) issues.push([input.takeBack, told.issue.row, told.issue.code, told.issue.message, told.issue.cells]);
      });
      await storeCells(db, input.takeBack, stored, cells, made.properties);
      stored += cells.length;
      if (issues.length) await db.copy('take_back_issues (take_back_id, row, code, message, cells)', issues);
      done += batch.length;
      await progress.at('comparing', Math.min(done, total), total);
    }
    const clashes = await refuseClashes(db, input.takeBack, asked);
    const { counts, sendOuts } = comparison;
    return { counts: { ...counts, change: counts.change - clashes, error: counts.error + clashes }, sendOuts, note: made.opened.source.note };
  });
}

/** Finds what rows are about, with what was sent out in them and what stands there now: a handful of statements for a batch. */
async function findRows(
  db: Db,
  identities: readonly (RowIdentity | null)[],
  ground: {
    readonly sent: ReadonlyMap<number, Sent>;
    readonly byName: ReadonlyMap<string, Property>;
    readonly asked: readonly Property[];
    readonly choice: ReadingChoice;
  },
): Promise<(FoundRow | LostRow | null)[]> {
  const numbers = new Map([...ground.byName].map(([name, property]) => [name, property.id]));
  const bases = await basesOf(
    db,
    [...ground.sent.values()],
    numbers,
    identities.flatMap((identity) => identity?.mark ?? []),
  );
  const baseOf = (identity: RowIdentity) => (identity.mark ? bases.get(`${identity.mark.sendOut}/${identity.mark.row}`) : undefined);
  const paths = identities.flatMap((identity) => (identity && !baseOf(identity) && identity.path ? [plainPath(identity.path)] : []));
  const byPath = await filesAt(db, [...new Set(paths)]);
  const ids = [...new Set([...bases.values()].map((base) => base.file))];
  const byId = new Map(
    (ids.length ? await db.all<KnownFile>(`SELECT ${FILE_STATE} FROM ${STATE_FROM} WHERE NOT f.removed AND f.id = ANY($1::int[])`, [ids]) : []).map((file) => [
      file.id,
      file,
    ]),
  );
  const resolved = identities.map((identity): { file: KnownFile; base: BaseRow | undefined } | LostRow | null => {
    if (!identity) return null;
    const base = baseOf(identity);
    if (base) {
      const file = byId.get(base.file);
      return file
        ? { file, base }
        : { code: 'unknown-file', message: `${JSON.stringify(identity.path || `Row ${base.n} of send-out ${base.sendOut}`)} is no longer in the library.` };
    }
    const path = plainPath(identity.path);
    const files = byPath.get(path) ?? [];
    const chosen = ground.choice.files?.[path];
    if (files.length > 1) {
      const file = files.find((candidate) => candidate.id === chosen);
      return file
        ? { file, base: undefined }
        : {
            code: 'ambiguous-file',
            message: `${JSON.stringify(identity.path)} names ${files.length} files: ${files.map((candidate) => candidate.path).join(', ')}. Write the path with its folders, or choose one.`,
          };
    }
    return files[0]
      ? { file: files[0], base: undefined }
      : {
          code: 'unknown-file',
          message: identity.path
            ? `No file ${JSON.stringify(identity.path)} is in the library.`
            : identity.mark
              ? `Send-out ${identity.mark.sendOut} has no row ${identity.mark.row}.`
              : 'The row names no file.',
        };
  });
  const fileIds = [...new Set(resolved.flatMap((entry) => (entry && 'file' in entry ? [entry.file.id] : [])))];
  const levels = new Map<string, { key: string; level: PropertyLevel }[]>();
  const wantsHolders = identities.some((identity, i) => identity && (identity.holder !== '' || (baseOf(identity)?.holder ?? '') !== '') && resolved[i]);
  if (wantsHolders)
    for (const { file, key, label, level } of await db.all<{ file: number; key: string; label: string; level: PropertyLevel }>(
      'SELECT file_id AS file, key, label, level FROM holders WHERE file_id = ANY($1::int[])',
      [fileIds],
    ))
      for (const name of new Set([`${file}/key/${key}`, `${file}/label/${label}`])) levels.set(name, [...(levels.get(name) ?? []), { key, level }]);
  const document = await heldFor(
    db,
    fileIds,
    ground.asked.filter((property) => isHeldAt(property, 'document') || property.id < 0),
  );
  const inside = new Map<string, Readonly<Record<number, HeldValue>>>();
  const inner = [...new Set([...levels.values()].flat().map((entry) => entry.level))];
  for (const level of inner)
    if (level === 'variant' || level === 'body' || level === 'occurrence' || level === 'sheet')
      for (const [key, held] of await heldInside(
        db,
        fileIds,
        level,
        ground.asked.filter((property) => isHeldAt(property, level)),
      ))
        inside.set(key, held);
  return resolved.map((entry, i): FoundRow | LostRow | null => {
    if (!entry || 'message' in entry) return entry;
    const identity = identities[i]!;
    const { file, base } = entry;
    let holder: { key: string; level: PropertyLevel } = { key: '', level: 'document' };
    if (base ? base.holder !== '' : identity.holder !== '') {
      const here = base ? levels.get(`${file.id}/key/${base.holder}`) : levels.get(`${file.id}/label/${identity.holder}`);
      if (!here || here.length === 0) return { code: 'unknown-holder', message: `${file.path} has no ${JSON.stringify(identity.holder)} any more.` };
      if (here.length > 1)
        return {
          code: 'unknown-holder',
          message: `${file.path} has ${here.length} holders called ${JSON.stringify(identity.holder)}; a row that was sent out tells them apart.`,
        };
      holder = here[0]!;
    }
    const sent = base ? ground.sent.get(base.sendOut) : undefined;
    const columns = new Map(sent?.columns.map((column) => [column.property, column.editable]));
    if (sent) for (const [own, here] of translation(sent, numbers)) if (columns.has(own)) columns.set(here, columns.get(own)!);
    const document_ = document.get(file.id);
    const own = holder.key === '' ? document_ : inside.get(`${file.id}/${holder.key}`);
    const current = (id: number) => own?.[id] ?? (holder.key === '' ? null : (document_?.[id] ?? null));
    return {
      file,
      holder: holder.key,
      level: holder.level,
      sendOut: base?.sendOut ?? null,
      base: (id) => (base && columns.has(id) ? (base.held[id] ?? null) : undefined),
      current,
      editable: (id) => columns.get(id) ?? true,
    };
  });
}

const json = (held: HeldValue | null): string | null => (held === null ? null : JSON.stringify(held));

async function storeCells(db: Db, takeBack: number, before: number, cells: readonly TakeBackCell[], properties: ReadonlyMap<number, Property>): Promise<void> {
  if (cells.length === 0) return;
  await db.copy(
    'take_back_cells (take_back_id, row, file_id, holder, property_id, name, verdict, base, current, proposed, takeable, proven, text, code, message, decision, n)',
    cells.map((cell, i) => [
      takeBack,
      cell.row,
      cell.file,
      cell.holder,
      cell.property,
      cell.property < 0 ? properties.get(cell.property)!.writtenName : null,
      cell.verdict,
      json(cell.base),
      json(cell.current),
      json(cell.proposed),
      cell.takeable,
      cell.proven,
      cell.text,
      cell.code,
      cell.message,
      // What changes is taken unless somebody leaves it; what a program has spoiled beyond doubt is left unless somebody takes it.
      cell.verdict === 'change' ? 'take' : cell.verdict === 'spoiled' && cell.proven ? 'leave' : null,
      before + i + 1,
    ]),
  );
}

/** Refuses values that would stand twice where a property may hold them once. @returns how many */
async function refuseClashes(db: Db, takeBack: number, properties: readonly Property[]): Promise<number> {
  let refused = 0;
  for (const property of properties) {
    if (property.unique === 'no' || property.id < 0) continue;
    const cells = await db.all<{ id: number; file: number; text: string }>(
      `SELECT id, file_id AS file, proposed->>'text' AS text FROM take_back_cells WHERE take_back_id = $1 AND property_id = $2 AND verdict = 'change' AND holder = '' AND proposed->>'text' <> '' ORDER BY row`,
      [takeBack, property.id],
    );
    const clashes = await clashesOf(db, property, cells);
    if (clashes.size === 0) continue;
    const list = cells.filter((cell) => clashes.has(cell.file));
    refused += list.length;
    await db.run(
      `UPDATE take_back_cells c SET verdict = 'error', decision = NULL, takeable = false, code = 'not-unique', message = $2 || n.other || ' already.'
       FROM unnest($1::int[], $3::text[]) AS n(id, other) WHERE c.id = n.id`,
      [list.map((cell) => cell.id), `${property.caption}: this value stands in `, list.map((cell) => clashes.get(cell.file)!)],
    );
  }
  return refused;
}

export interface ResultInput extends TableInput {
  readonly takeBack: number;
  readonly target: string;
}

/** Outcomes of cells, in words. */
const SAID: Readonly<Record<string, string>> = {
  applied: 'applied',
  failed: 'not applied',
  dropped: 'given up in the tray',
  tray: 'waits in the tray',
  left: 'left as it was',
  open: 'not decided',
  same: 'was so already',
  error: 'refused',
};

/** Writes the table anew with what happened to each row beside it. */
export async function resultTable(input: ResultInput, db: Db, store: FileStore): Promise<Outcome<number>> {
  return outcome(async () => {
    const made = await ground(db, input, await store.get(input.hash));
    const out = new Outlet(input.target);
    const writer = new WorkbookWriter(out.write);
    const header = [...firstRows(made.opened.source, made.headerRow + 1)].at(-1)!.map((cell) => cell.text);
    const cell = { format: '@', locked: true, look: 'plain' as const };
    writer.beginSheet({
      name: 'Result',
      frozen: 0,
      filter: true,
      protect: false,
      columns: [
        { header: 'What happened', width: 34, cell },
        { header: 'In detail', width: 60, cell },
        ...header.map((name, i) => ({ header: name || columnLetters(i), width: 18, cell })),
      ],
    });
    let count = 0;
    for (const batch of batchesOf(made)) {
      const [from, to] = [batch[0]!.row, batch.at(-1)!.row];
      const [cells, issues] = await Promise.all([
        db.all<{ row: number; name: string; verdict: string; outcome: string | null; decision: string | null; message: string }>(
          `SELECT c.row, coalesce(c.name, p."writtenName") AS name, c.verdict, c.outcome, c.decision, c.message FROM take_back_cells c LEFT JOIN properties p ON p.id = c.property_id
           WHERE c.take_back_id = $1 AND c.row BETWEEN $2 AND $3 ORDER BY c.row, c.id`,
          [input.takeBack, from, to],
        ),
        db.all<{ row: number; message: string }>('SELECT row, message FROM take_back_issues WHERE take_back_id = $1 AND row BETWEEN $2 AND $3', [
          input.takeBack,
          from,
          to,
        ]),
      ]);
      const lost = new Map(issues.map((issue) => [issue.row, issue.message]));
      const byRow = new Map<number, typeof cells>();
      for (const told of cells) byRow.set(told.row, [...(byRow.get(told.row) ?? []), told]);
      for (const { row, cells: own } of batch) {
        if (own.every((entry) => entry.text === '')) continue;
        count++;
        const problem = lost.get(row);
        const told = (byRow.get(row) ?? []).map((entry) => ({
          ...entry,
          end: entry.outcome ?? (entry.verdict === 'same' || entry.verdict === 'error' ? entry.verdict : entry.decision === null ? 'open' : 'left'),
        }));
        const tally = new Map<string, number>();
        for (const { end } of told) tally.set(end, (tally.get(end) ?? 0) + 1);
        writer.addRow([
          { value: problem !== undefined ? 'row left out' : told.length === 0 ? 'unchanged' : [...tally].map(([end, n]) => `${n} ${SAID[end]}`).join(', ') },
          {
            value:
              problem ??
              told.map((entry) => `${entry.name}: ${SAID[entry.end]}${entry.end === 'error' || entry.end === 'open' ? ` (${entry.message})` : ''}`).join('; '),
          },
          ...own.map((entry) => ({ value: entry.text })),
        ]);
      }
      await out.ready();
    }
    writer.endSheet();
    writer.end();
    await out.close();
    return count;
  });
}
