import { FileReading } from '@rule/core/files';
import { Sql, rows } from '../platform/db';

/** A file as read from disk, to be stored as what was last read. */
export interface ReadFile {
  readonly id: number;
  readonly size: number;
  readonly mtimeMs: number;
  readonly hash: string;
  readonly reading: FileReading | null;
  readonly problem: string | null;
}

/** What of a reading is kept beside the values: structure, blocks, inserts. */
export type KeptReading = Pick<FileReading, 'version' | 'structure' | 'blocks' | 'inserts' | 'problems'>;

const number = (text: string) => {
  const n = text.trim() === '' ? Number.NaN : Number(text);
  return Number.isFinite(n) ? n : null;
};

/** PostgreSQL's text cannot hold the character U+0000. */
const storable = (text: string) => text.replaceAll('\0', '\ufffd');

/** Stores readings: four statements for any number of files. A file that could not be read holds nothing. */
export async function storeReadings(sql: Sql, files: readonly ReadFile[]): Promise<void> {
  if (files.length === 0) return;
  const updates = files.map(({ id, size, mtimeMs, hash, reading, problem }) => ({
    id,
    size,
    mtime: mtimeMs,
    hash,
    problem,
    kind: reading?.kind ?? null,
    product:
      reading?.holders.find((holder) => holder.key === '')?.values.find((value) => value.place === 'field' && value.name === 'product id')?.held.text ?? '',
    reading:
      reading &&
      ({
        version: reading.version,
        structure: reading.structure,
        blocks: reading.blocks,
        inserts: reading.inserts,
        problems: reading.problems,
      } satisfies KeptReading),
  }));
  await sql.run(
    `UPDATE files f SET size = n.size, mtime_ms = n.mtime, hash = n.hash, problem = n.problem, kind = coalesce(n.kind, f.kind), product_id = n.product, reading = n.reading, removed = false
     FROM jsonb_to_recordset($1::jsonb) AS n(id int, size bigint, mtime double precision, hash text, problem text, kind text, product text, reading jsonb) WHERE f.id = n.id`,
    [storable(rows(updates)).replaceAll('\\u0000', '\\ufffd')],
  );
  await sql.run('DELETE FROM holders WHERE file_id = ANY($1::int[])', [files.map((file) => file.id)]);
  const holders = files.flatMap(({ id, reading }) => (reading?.holders ?? []).map(({ key, level, label }) => ({ file_id: id, key, level, label })));
  await sql.run(
    'INSERT INTO holders SELECT file_id, key, level, label FROM jsonb_to_recordset($1::jsonb) AS n(file_id int, key text, level text, label text)',
    [rows(holders).replaceAll('\\u0000', '\\ufffd')],
  );
  const values = files.flatMap(({ id, reading }) =>
    (reading?.holders ?? []).flatMap((holder) =>
      holder.values.map(({ place, name, held }) => ({
        file_id: id,
        holder: holder.key,
        place,
        name,
        kind: reading!.kind,
        text: held.text,
        form: held.form,
        unit: held.unit ?? null,
        number: number(held.text),
      })),
    ),
  );
  await sql.run(
    `INSERT INTO held_values SELECT file_id, holder, place, name, kind, text, form, unit, number FROM jsonb_to_recordset($1::jsonb)
       AS n(file_id int, holder text, place text, name text, kind text, text text, form text, unit text, number double precision) ON CONFLICT DO NOTHING`,
    [rows(values).replaceAll('\\u0000', '\\ufffd')],
  );
}

/** A held value as the database's JSON builds it. */
export const HELD = `jsonb_strip_nulls(jsonb_build_object('text', v.text, 'form', v.form, 'unit', v.unit))`;
