import {
  FILE_HEADER,
  IDENTITY_HEADER,
  KnownFile,
  Table,
  TableError,
  TakeBack,
  chooseTable,
  readCsv,
  readIdentityMark,
  readWorkbook,
  takeBack,
} from '@rule/core/exchange';
import { Property } from '@rule/core/schema';
import { TypeGuess, columnOf } from '@rule/core/survey';
import { HeldValue, compileStandIns } from '@rule/core/values';
import { Db, rows } from '../platform/db';
import { User } from '../users/user';
import { heldFor } from '../values/held';

export interface TakeBackInput {
  readonly name: string;
  readonly bytes: Uint8Array;
  readonly user: number;
  readonly role: User['role'];
  readonly at: Date;
  readonly properties: readonly Property[];
  readonly standIns: readonly string[];
}

/** The number under which the comparison was stored, or why the file cannot be taken back. */
export type TakeBackOutcome = { readonly ok: true; readonly id: number } | { readonly ok: false; readonly code: string; readonly message: string };

const CSV = /\.(csv|txt|tsv)$/i;

/** Reads a workbook or CSV file, compares it cell by cell with what was sent out and what holds now, and stores the result. */
export async function takeBackTable(input: TakeBackInput, db: Db): Promise<TakeBackOutcome> {
  try {
    const tables = CSV.test(input.name) ? [readCsv(input.bytes)] : readWorkbook(input.bytes);
    const table = chooseTable(tables);
    // Only what the table speaks of is read: its files, and the properties of its header.
    const header = new Set((table.rows[0] ?? []).map((cell) => cell.text));
    const { sendOuts, ids, paths } = filesNamed(table);
    const found = await foundColumns(db, sendOuts);
    // What the schema knows comes first: a name that it has learned since is its own now.
    const properties = [...input.properties, ...found.values()];
    const asked = properties.filter((property) => !property.retired && header.has(property.writtenName));
    const files = await db.all<KnownFile & { name: string }>(
      `SELECT f.id, f.path, f.name, f.kind, c.name AS "className", f.workflow_state AS state, f.lock_reason AS lock FROM files f LEFT JOIN classes c ON c.id = f.class_id
       WHERE NOT f.removed AND (f.id = ANY($1::int[]) OR f.path = ANY($2::text[]) OR f.name = ANY($2::text[]))`,
      [ids, paths],
    );
    const [current, base] = await Promise.all([
      heldFor(
        db,
        files.map((file) => file.id),
        asked,
      ),
      baseOf(db, sendOuts, properties),
    ]);
    const byId = new Map(files.map((file) => [file.id, file]));
    const byPath = new Map<string, typeof files>();
    for (const file of files) for (const key of new Set([file.path, file.name])) byPath.set(key, [...(byPath.get(key) ?? []), file]);
    const result = takeBack(table, {
      properties,
      standIns: compileStandIns(input.standIns),
      file: (id) => byId.get(id),
      filesAt: (path) => {
        const found = byPath.get(path) ?? [];
        return found.length > 1 ? (found.filter((file) => file.path === path).length === 1 ? found.filter((file) => file.path === path) : found) : found;
      },
      base: (sendOut, file, property) => base(sendOut, file, property),
      current: (file, property) => current.get(file)?.[property] ?? null,
      role: input.role,
    });
    return { ok: true, id: await store(db, input, result, table.note, new Map([...found.values()].map((column) => [column.id, column.writtenName]))) };
  } catch (error) {
    if (error instanceof TableError) return { ok: false, code: error.code, message: error.message };
    throw error;
  }
}

/** The send-outs and files that a table's rows name: by identity mark, and by path where there is no mark. */
function filesNamed(table: Table): { sendOuts: number[]; ids: number[]; paths: string[] } {
  const header = (table.rows[0] ?? []).map((cell) => cell.text);
  const [identityAt, fileAt] = [header.indexOf(IDENTITY_HEADER), header.indexOf(FILE_HEADER)];
  const sendOuts = new Set<number>();
  const ids: number[] = [];
  const paths: string[] = [];
  for (const row of table.rows.slice(1)) {
    const mark = readIdentityMark(row[identityAt]?.text ?? '');
    if (mark) {
      sendOuts.add(mark.sendOut);
      ids.push(mark.file);
    } else if (row[fileAt]?.text) paths.push(row[fileAt].text);
  }
  return { sendOuts: [...sendOuts], ids, paths };
}

/** Columns of send-outs for names that the schema does not know, by name. */
async function foundColumns(db: Db, sendOuts: readonly number[]): Promise<Map<string, Property>> {
  const list = await db.all<{ name: string; guess: TypeGuess }>(
    `SELECT DISTINCT ON (e->>'name') e->>'name' AS name, e->'guess' AS guess FROM send_outs s, jsonb_array_elements(s.found) e WHERE s.id = ANY($1::int[]) ORDER BY e->>'name', s.id DESC`,
    [sendOuts],
  );
  return new Map(list.map(({ name, guess }, i) => [name, columnOf(name, -(i + 1), guess)]));
}

type Base = (sendOut: number, file: number, property: number) => HeldValue | null | undefined;

/** The base values of send-outs: `undefined` for what a send-out did not hold, `null` for what it held as blank. */
async function baseOf(db: Db, sendOuts: readonly number[], known: readonly Property[]): Promise<Base> {
  const [properties, files, cells] = await Promise.all([
    db.all<{ id: number; properties: number[]; found: { name: string }[] }>('SELECT id, properties, found FROM send_outs WHERE id = ANY($1::int[])', [
      sendOuts,
    ]),
    db.all<{ sendOut: number; file: number }>('SELECT send_out_id AS "sendOut", file_id AS file FROM send_out_files WHERE send_out_id = ANY($1::int[])', [
      sendOuts,
    ]),
    db.all<{ sendOut: number; file: number; property: number; text: string; form: HeldValue['form']; unit: string | null }>(
      'SELECT send_out_id AS "sendOut", file_id AS file, property_id AS property, text, form, unit FROM send_out_cells WHERE send_out_id = ANY($1::int[])',
      [sendOuts],
    ),
  ]);
  // Names that the schema did not know have numbers of their send-out alone; here each name has one.
  const byName = new Map(known.map((property) => [property.writtenName, property.id]));
  const translations = new Map(properties.map((row) => [row.id, new Map(row.found.map(({ name }, i) => [-(i + 1), byName.get(name)!]))]));
  const number = (sendOut: number, property: number) => translations.get(sendOut)?.get(property) ?? property;
  const sent = new Map(properties.map((row) => [row.id, new Set(row.properties.map((property) => number(row.id, property)))]));
  const held = new Map<string, Map<number, HeldValue>>(files.map((row) => [`${row.sendOut}/${row.file}`, new Map()]));
  for (const { sendOut, file, property, text, form, unit } of cells)
    held.get(`${sendOut}/${file}`)?.set(number(sendOut, property), { text, form, ...(unit === null ? {} : { unit }) });
  return (sendOut, file, property) => {
    const entry = held.get(`${sendOut}/${file}`);
    return entry && sent.get(sendOut)?.has(property) ? (entry.get(property) ?? null) : undefined;
  };
}

async function store(db: Db, input: TakeBackInput, result: TakeBack, note: string | null, names: ReadonlyMap<number, string>): Promise<number> {
  return db.transaction(async (sql) => {
    const row = await sql.one<{ id: number }>(
      'INSERT INTO take_backs (user_id, at, name, counts, issues, note) VALUES ($1, $2, $3, $4::jsonb, $5::jsonb, $6) RETURNING id',
      [input.user, input.at, input.name, JSON.stringify(result.counts), JSON.stringify(result.issues), note],
    );
    await sql.run(
      `INSERT INTO take_back_cells (take_back_id, row, file_id, property_id, name, verdict, base, current, proposed, text, message)
       SELECT $1, row, file, property, name, verdict, nullif(base, 'null'), nullif(current, 'null'), nullif(proposed, 'null'), text, message
       FROM jsonb_to_recordset($2::jsonb) AS n(row int, file int, property int, name text, verdict text, base jsonb, current jsonb, proposed jsonb, text text, message text)`,
      [row!.id, rows(result.cells.map((cell) => ({ ...cell, name: names.get(cell.property) ?? null }))).replaceAll('\\u0000', '\\ufffd')],
    );
    await sql.run('UPDATE send_outs SET taken_back_at = $2 WHERE id = ANY($1::int[])', [result.sendOuts, input.at]);
    return row!.id;
  });
}
