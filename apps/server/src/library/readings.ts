import { FileReading } from '@rule/core/files';
import { StandIns } from '@rule/core/values';
import { CopyValue, Sql, rows } from '../platform/db';

/** A file as read from disk, to be stored as what was last read. */
export interface ReadFile {
  readonly id: number;
  readonly size: number;
  readonly mtimeMs: number;
  readonly hash: string;
  readonly reading: FileReading | null;
  readonly problem: string | null;
}

/** What of a reading is kept beside the values: structure, blocks, inserts, sheets. */
export type KeptReading = Pick<FileReading, 'version' | 'structure' | 'blocks' | 'inserts' | 'sheets' | 'problems'>;

const number = (text: string) => {
  const n = text === '' || text.length > 40 || text.trim() === '' ? Number.NaN : Number(text);
  return Number.isFinite(n) ? n : null;
};

function* holderRows(files: readonly ReadFile[]): Generator<CopyValue[]> {
  for (const { id, reading } of files) for (const { key, level, label } of reading?.holders ?? []) yield [id, key, level, label];
}

function* valueRows(files: readonly ReadFile[], standIns: StandIns): Generator<CopyValue[]> {
  for (const { id, reading } of files)
    for (const { key, level, values } of reading?.holders ?? []) {
      const seen = new Set<string>();
      for (const { place, name, held } of values) {
        // Readers report names that stand twice; the first one counts.
        if (seen.has(`${place} ${name}`)) continue;
        seen.add(`${place} ${name}`);
        yield [
          id,
          key,
          place,
          name,
          reading!.kind,
          held.text,
          held.form,
          held.unit ?? null,
          number(held.text),
          level,
          held.form === 'text' && standIns.matches(held.text),
        ];
      }
    }
}

/**
 * Stores readings: a few statements for any number of files. A file that could not be read holds nothing; a
 * file whose values are kept beside it gets them from there.
 */
export async function storeReadings(sql: Sql, files: readonly ReadFile[], standIns: StandIns): Promise<void> {
  if (files.length === 0) return;
  const updates = files.map(({ id, size, mtimeMs, hash, reading, problem }) => ({
    id,
    size,
    mtime: mtimeMs,
    hash,
    problem,
    kind: reading?.kind ?? null,
    format: reading?.format ?? null,
    product:
      reading?.holders.find((holder) => holder.key === '')?.values.find((value) => value.place === 'field' && value.name === 'product id')?.held.text ?? '',
    reading:
      reading &&
      ({
        version: reading.version,
        structure: reading.structure,
        blocks: reading.blocks,
        inserts: reading.inserts,
        sheets: reading.sheets,
        problems: reading.problems,
      } satisfies KeptReading),
  }));
  await sql.run(
    `UPDATE files f SET size = n.size, mtime_ms = n.mtime, hash = n.hash, problem = n.problem, kind = coalesce(n.kind, f.kind), format = coalesce(n.format, f.format),
       product_id = n.product, reading = n.reading, removed = false
     FROM jsonb_to_recordset($1::jsonb) AS n(id int, size bigint, mtime double precision, hash text, problem text, kind text, format text, product text, reading jsonb) WHERE f.id = n.id`,
    [rows(updates).replaceAll('\\u0000', '\\ufffd')],
  );
  const ids = files.map((file) => file.id);
  await sql.run('DELETE FROM holders WHERE file_id = ANY($1::int[])', [ids]);
  await sql.run('DELETE FROM held_values WHERE file_id = ANY($1::int[])', [ids]);
  await sql.copy('holders (file_id, key, level, label)', holderRows(files));
  await sql.copy('held_values (file_id, holder, place, name, kind, text, form, unit, number, level, stand_in)', valueRows(files, standIns));
  const beside = files.filter((file) => file.reading?.format === 'other').map((file) => file.id);
  if (beside.length) await takeBeside(sql, beside, standIns);
}

/** Files whose values are copied in one go. */
const BESIDE_FILES = 5000;

/** Copies values that are kept beside files to where all values are looked up; in pieces, so that no number of files is held in memory at once. */
export async function takeBeside(sql: Sql, files: readonly number[], standIns: StandIns): Promise<void> {
  for (let from = 0; from < files.length; from += BESIDE_FILES) {
    const bind = [files.slice(from, from + BESIDE_FILES)];
    await sql.run(`DELETE FROM held_values v WHERE v.file_id = ANY($1::int[]) AND v.holder = '' AND v.place = 'property'`, bind);
    const kept = await sql.all<{ file: number; name: string; text: string; form: string; unit: string | null }>(
      `SELECT b.file_id AS file, b.name, b.text, b.form, b.unit FROM beside_values b WHERE b.file_id = ANY($1::int[])`,
      bind,
    );
    await sql.copy(
      'held_values (file_id, holder, place, name, kind, text, form, unit, number, level, stand_in)',
      kept.map(({ file, name, text, form, unit }) => [
        file,
        '',
        'property',
        name,
        'other',
        text,
        form,
        unit,
        number(text),
        'document',
        form === 'text' && standIns.matches(text),
      ]),
    );
  }
}

/** A held value as the database's JSON builds it. */
export const HELD = `jsonb_strip_nulls(jsonb_build_object('text', v.text, 'form', v.form, 'unit', v.unit))`;
