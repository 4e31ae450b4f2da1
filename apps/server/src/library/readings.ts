import { FileReading, formatOf, shortKey } from '@rule/core/files';
import { familyOf } from '@rule/core/schema';
import { countedOutlines, layerOutlines, placedOutlines } from '@rule/core/titleblocks';
import { StandIns } from '@rule/core/values';
import { COPY_NULL, CopyRows, CopyValue, Sql, copiedText } from '../platform/db';
import { hashOf } from '../platform/store';
import { KeptBlock, keepBlocks } from './blocks';

/** Location of a file new to the database. */
export interface Birth {
  readonly library: number;
  readonly path: string;
  readonly folder: string;
  readonly name: string;
}

/** A file as read from disk, ready to store. */
export interface ReadFile {
  readonly id: number;
  /** Set for a new file. */
  readonly born?: Birth | null;
  readonly size: number;
  readonly mtimeMs: number;
  readonly hash: string;
  readonly reading: FileReading | null;
  readonly problem: string | null;
}

/** Version of the readers. Raise it when they learn to read more; files read by older versions are read again. */
export const READ_BY = 5;

/** Parts of a reading stored besides values and blocks. */
export type KeptReading = Pick<FileReading, 'version' | 'structure' | 'inserts' | 'sheets' | 'nextHandle' | 'problems'>;

/** A text as a number; `null` if it is not one. */
function numberOf(text: string): number | null {
  if (text === '' || text.length > 40) return null;
  const first = text.charCodeAt(0) | 32;
  // Fast path: a text starting with a letter is not a number.
  if ((first >= 97 && first <= 122) || text.trim() === '') return null;
  const n = Number(text);
  return Number.isFinite(n) ? n : null;
}

function* holderRows({ id, reading }: ReadFile): Generator<CopyValue[]> {
  for (const [at, { key, level, label }] of (reading?.holders ?? []).entries()) yield [id, key, level, label, at];
}

/** The main scale of a sheet is its most frequent viewport scale. */
function mainScale(scales: readonly number[]): number | null {
  const times = new Map<number, number>();
  for (const scale of scales) times.set(scale, (times.get(scale) ?? 0) + 1);
  return [...times].sort((a, b) => b[1] - a[1])[0]?.[0] ?? null;
}

/** Sheets of a drawing in order; unordered ones in reading order. */
function* sheetRows({ id, reading }: ReadFile): Generator<CopyValue[]> {
  const seen = new Set<string>();
  for (const [at, { layout, scales, largest, paper, unit, order }] of (reading?.sheets ?? []).entries()) {
    if (seen.has(layout)) continue;
    seen.add(layout);
    yield [
      id,
      layout,
      order ?? at,
      mainScale(scales),
      paper?.width ?? null,
      paper?.height ?? null,
      unit ?? null,
      largest ?? null,
      new Set(scales).size > 1,
      plainJson(layerOutlines(countedOutlines(layout, reading!.sheets))),
    ];
  }
}

/** Lettering of placed cells where it differs from the block. */
export type PlacedLettering = Pick<FileReading['inserts'][number], 'scale' | 'own'>;

function* placedRows({ id, reading }: ReadFile): Generator<CopyValue[]> {
  for (const insert of reading?.inserts ?? []) {
    const { holder, layout, block, madeFrom, inside, missing, fixed, scale, own } = insert;
    const outlines = placedOutlines(insert, reading!.sheets);
    const lettering: PlacedLettering = { ...(scale === undefined ? {} : { scale }), ...(own === undefined ? {} : { own }) };
    yield [
      id,
      holder,
      layout,
      block,
      familyOf(madeFrom ?? block),
      inside ?? null,
      arrayText(missing),
      plainJson(fixed ?? {}),
      plainJson(lettering),
      outlines && plainJson(outlines),
    ];
  }
}

/** Texts as a PostgreSQL array literal. */
const arrayText = (texts: readonly string[]): string => `{${texts.map((text) => `"${text.replace(/["\\]/g, '\\$&')}"`).join(',')}}`;

/** All values of a file as COPY lines, without an object per row. */
function valueLines({ id, reading }: ReadFile, standIns: StandIns): string {
  let lines = '';
  for (const { key, level, values } of reading?.holders ?? []) {
    const head = `${id}\t${copiedText(key)}\t`;
    const seen = new Map<string, Set<string>>();
    for (const { place, name, held } of values) {
      let names = seen.get(place);
      if (!names) seen.set(place, (names = new Set()));
      // For duplicate names, reported by readers, the first counts.
      if (names.has(name)) continue;
      names.add(name);
      const unit = held.unit === undefined ? COPY_NULL : copiedText(held.unit);
      const standIn = held.form === 'text' && standIns.matches(held.text) ? 't' : 'f';
      lines += `${head}${place}\t${copiedText(name)}\t${reading!.kind}\t${copiedText(held.text)}\t${held.form}\t${unit}\t${numberOf(held.text) ?? COPY_NULL}\t${level}\t${standIn}\n`;
    }
  }
  return lines;
}

/** JSON for PostgreSQL, which cannot hold U+0000. */
const plainJson = (value: object) => JSON.stringify(value).replaceAll('\\u0000', '\\ufffd');

/**
 * Row of a file, new or known.
 * @param blocks hashes of its blocks
 */
function rowOf({ id, size, mtimeMs, hash, reading, problem }: ReadFile, blocks: readonly string[]) {
  return {
    id,
    size,
    mtime: mtimeMs,
    hash,
    problem,
    kind: reading?.kind ?? null,
    format: reading?.format ?? null,
    product: shortKey(
      reading?.holders.find((holder) => holder.key === '')?.values.find((value) => value.place === 'field' && value.name === 'product id')?.held.text ?? '',
    ),
    reading:
      reading &&
      ({
        version: reading.version,
        structure: reading.structure,
        inserts: reading.inserts,
        sheets: reading.sheets,
        ...(reading.nextHandle === undefined ? {} : { nextHandle: reading.nextHandle }),
        problems: reading.problems,
      } satisfies KeptReading),
    blocks,
  };
}

function bornRow({ id, size, mtime, hash, problem, kind, format, product, reading, blocks }: ReturnType<typeof rowOf>, birth: Birth): CopyValue[] {
  const { library, path, folder, name } = birth;
  // The kind of an unreadable file follows from its name.
  const known = format ?? formatOf(path)?.id ?? 'other';
  const guess = known === 'dxf' ? 'drawing' : known === 'step' ? 'part' : 'other';
  return [
    id,
    library,
    path,
    folder,
    name,
    kind ?? guess,
    known,
    size,
    mtime,
    hash,
    problem,
    product,
    reading && plainJson(reading),
    `{${blocks.join(',')}}`,
    READ_BY,
  ];
}

/** A table of what files hold: its columns, those of its key first. */
interface Held {
  readonly name: string;
  readonly key: readonly string[];
  readonly rest: readonly string[];
}
const HOLDERS: Held = { name: 'holders', key: ['file_id', 'key'], rest: ['level', 'label', 'position'] };
const SHEETS: Held = {
  name: 'sheets',
  key: ['file_id', 'layout'],
  rest: ['position', 'scale', 'width', 'height', 'unit', 'largest', 'scales_differ', 'outlines'],
};
const PLACED_BLOCKS: Held = {
  name: 'placed_blocks',
  key: ['file_id', 'holder'],
  rest: ['layout', 'block', 'family', 'inside', 'missing', 'fixed', 'lettering', 'outlines'],
};
const VALUES: Held = {
  name: 'held_values',
  key: ['file_id', 'holder', 'place', 'name'],
  rest: ['kind', 'text', 'form', 'unit', 'number', 'level', 'stand_in'],
};

const columnsOf = ({ key, rest }: Held, of = '') => [...key, ...rest].map((column) => `${of}${column}`).join(', ');
const withColumns = (table: Held) => `${table.name} (${columnsOf(table)})`;

/** From this number of files on, comparing their rows takes less time than writing them anew. */
const MANY_FILES = 64;

/** Replaces the rows of some files. */
async function replaceRows(sql: Sql, table: Held, files: readonly number[], rows: CopyRows): Promise<void> {
  if (files.length) await sql.run(`DELETE FROM ${table.name} WHERE file_id = ANY($1::int[])`, [files]);
  await sql.copy(withColumns(table), rows);
}

/** The same, but rows that stay the same are left alone, which spares their checks and indexes. */
async function exchangeRows(sql: Sql, table: Held, files: readonly number[], rows: CopyRows): Promise<void> {
  const { name, key, rest } = table;
  const fresh = `fresh_${name}`;
  const same = (columns: readonly string[], by: string) => columns.map((column) => `n.${column} ${by} o.${column}`).join(' AND ');
  await sql.run(`CREATE TEMP TABLE ${fresh} ON COMMIT DROP AS SELECT ${columnsOf(table)} FROM ${name} WITH NO DATA`);
  await sql.copy(withColumns({ ...table, name: fresh }), rows);
  await sql.run(`ANALYZE ${fresh}`);
  await sql.run(
    `DELETE FROM ${name} o WHERE o.file_id = ANY($1::int[])
       AND NOT EXISTS (SELECT 1 FROM ${fresh} n WHERE ${same(key, '=')} AND ${same(rest, 'IS NOT DISTINCT FROM')})`,
    [files],
  );
  await sql.run(
    `INSERT INTO ${withColumns(table)} SELECT ${columnsOf(table, 'n.')} FROM ${fresh} n WHERE NOT EXISTS (SELECT 1 FROM ${name} o WHERE ${same(key, '=')})`,
  );
  await sql.run(`DROP TABLE ${fresh}`);
}

/** Readings being stored. Each is converted to COPY text at once, to limit memory. */
export class Readings {
  private readonly born = new CopyRows();
  private readonly holders = new CopyRows();
  private readonly sheets = new CopyRows();
  private readonly placed = new CopyRows();
  private readonly values = new CopyRows();
  private anyBorn = false;
  private readonly updates: string[] = [];
  private readonly known: number[] = [];
  private readonly beside: number[] = [];
  private readonly blocks = new Map<string, KeptBlock>();

  constructor(private readonly standIns: StandIns) {}

  add(file: ReadFile): void {
    const row = rowOf(file, this.keep(file.reading?.blocks ?? []));
    if (file.born) {
      this.born.add([bornRow(row, file.born)]);
      this.anyBorn = true;
    } else {
      this.updates.push(plainJson(row));
      this.known.push(file.id);
    }
    this.holders.add(holderRows(file));
    this.sheets.add(sheetRows(file));
    this.placed.add(placedRows(file));
    this.values.addLines(valueLines(file, this.standIns));
    if (file.reading?.format === 'other') this.beside.push(file.id);
  }

  /** Known block hashes. */
  private keep(blocks: FileReading['blocks']): string[] {
    return blocks.map((block) => {
      const definition = plainJson(block);
      const hash = hashOf(Buffer.from(definition));
      this.blocks.set(hash, { hash, definition });
      return hash;
    });
  }

  /** Stores readings with a few statements. Unreadable files hold nothing; files without readable format get their values from beside. */
  async store(sql: Sql): Promise<void> {
    await keepBlocks(sql, [...this.blocks.values()]);
    await sql.copy('files (id, library_id, path, folder, name, kind, format, size, mtime_ms, hash, problem, product_id, reading, blocks, read_by)', this.born);
    if (this.known.length) {
      await sql.run(
        `UPDATE files f
           SET size = n.size, mtime_ms = n.mtime, hash = n.hash, problem = n.problem, kind = coalesce(n.kind, f.kind), format = coalesce(n.format, f.format),
           product_id = n.product, reading = n.reading, blocks = n.blocks, read_by = ${READ_BY}, removed = false
         FROM jsonb_to_recordset($1::jsonb) AS n(id int, size bigint, mtime double precision, hash text, problem text, kind text,
             format text, product text, reading jsonb, blocks text[])
         WHERE f.id = n.id`,
        [`[${this.updates.join(',')}]`],
      );
    }
    const rows = [
      [HOLDERS, this.holders],
      [SHEETS, this.sheets],
      [PLACED_BLOCKS, this.placed],
      [VALUES, this.values],
    ] as const;
    // Of many files that are read again, most rows are the same as before.
    const alike = this.known.length >= MANY_FILES && !this.anyBorn;
    for (const [table, own] of rows)
      if (alike) await exchangeRows(sql, table, this.known, own);
      else await replaceRows(sql, table, this.known, own);
    if (this.beside.length) await takeBeside(sql, this.beside, this.standIns);
  }
}

/** Stores the readings of some files. */
export async function storeReadings(sql: Sql, files: readonly ReadFile[], standIns: StandIns): Promise<void> {
  const readings = new Readings(standIns);
  for (const file of files) readings.add(file);
  await readings.store(sql);
}

/** Files copied at a time. */
const BESIDE_FILES = 5000;

/** A value kept beside a file; `text` is `null` if removed. */
interface BesideRow {
  readonly file: number;
  readonly name: string;
  readonly text: string | null;
  readonly form: string | null;
  readonly unit: string | null;
}

function* besideRows(kept: Iterable<BesideRow>, standIns: StandIns): Generator<CopyValue[]> {
  for (const { file, name, text, form, unit } of kept)
    if (text !== null) yield [file, '', 'property', name, 'other', text, form, unit, numberOf(text), 'document', form === 'text' && standIns.matches(text)];
}

/** Copies all values kept beside files to the lookup table, in batches. */
export async function takeBeside(sql: Sql, files: readonly number[], standIns: StandIns): Promise<void> {
  for (let from = 0; from < files.length; from += BESIDE_FILES) {
    const bind = [files.slice(from, from + BESIDE_FILES)];
    await sql.run(`DELETE FROM held_values v WHERE v.file_id = ANY($1::int[]) AND v.holder = '' AND v.place = 'property'`, bind);
    const kept = await sql.all<BesideRow>(
      `SELECT b.file_id AS file, b.name, b.text, b.form, b.unit FROM beside_values b WHERE b.file_id = ANY($1::int[])`,
      bind,
    );
    await sql.copy(withColumns(VALUES), besideRows(kept, standIns));
  }
}

/** Copies values written by a change set from beside files to the lookup table, in batches. */
export async function takeBesideLines(sql: Sql, changeSet: number, files: readonly number[], standIns: StandIns): Promise<void> {
  for (let from = 0; from < files.length; from += BESIDE_FILES) {
    const written = await sql.all<BesideRow>(
      `SELECT l.file_id AS file, l.name, l.proposed->>'text' AS text, l.proposed->>'form' AS form, l.proposed->>'unit' AS unit FROM change_lines l
       WHERE l.change_set_id = $1 AND l.file_id = ANY($2::int[]) AND l.place = 'property'`,
      [changeSet, files.slice(from, from + BESIDE_FILES)],
    );
    // Joined from pairs to values; otherwise the planner scans all values.
    await sql.run(
      `DELETE FROM held_values v USING unnest($1::int[], $2::text[]) AS n(file, name)
        WHERE v.file_id = n.file AND v.holder = '' AND v.place = 'property' AND v.name = n.name`,
      [written.map((row) => row.file), written.map((row) => row.name)],
    );
    await sql.copy(withColumns(VALUES), besideRows(written, standIns));
  }
}

/** A held value as JSON in SQL. */
export const HELD = `jsonb_strip_nulls(jsonb_build_object('text', v.text, 'form', v.form, 'unit', v.unit))`;
