import { FoundName } from '@rule/contract';
import { ValueCount, guessType } from '@rule/core/survey';
import { Db, Sql, asRecordset } from '../platform/db';
import { LOCKS, TAKE_LOCK } from '../platform/locks';

/** Values sampled to guess a name's type. */
const SAMPLE = 60;

/** A name at one level in one kind of file. */
interface NameKey {
  readonly name: string;
  readonly level: FoundName['level'];
  readonly kind: FoundName['kind'];
}

/** Recounts names: files, filled files, distinct values, examples and likely type. `names` limits the work. */
export async function recount(db: Db, names: readonly string[] | null): Promise<void> {
  await Promise.all([recountFiles(db, names), recountValues(db, names)]);
}

/** Recounts files per name, class, library and folder. */
export async function recountFiles(db: Db, names: readonly string[] | null): Promise<void> {
  if (names?.length !== 0) await db.transaction((sql) => countFiles(sql, names));
}

async function countFiles(sql: Sql, names: readonly string[] | null): Promise<void> {
  await sql.all(TAKE_LOCK, [LOCKS.nameCounts]);
  await sql.run(`DELETE FROM name_counts WHERE $1::text[] IS NULL OR name = ANY($1::text[])`, [names]);
  // At document level a file counts once per name; elsewhere its holders are combined first.
  await sql.run(COUNTS, [names]);
}

/** Recounts all names as part of a larger step. */
export async function recountAll(sql: Sql): Promise<void> {
  await countFiles(sql, null);
  await countValues(sql, null);
}

/** Recomputes values and likely types of names, regardless of classes and folders. */
export async function recountValues(db: Db, names: readonly string[] | null): Promise<void> {
  if (names?.length !== 0) await db.transaction((sql) => countValues(sql, names));
}

async function countValues(sql: Sql, names: readonly string[] | null): Promise<void> {
  await sql.all(TAKE_LOCK, [LOCKS.nameFacts]);
  await sql.run(`DELETE FROM name_facts WHERE $1::text[] IS NULL OR name = ANY($1::text[])`, [names]);
  await sql.run(
    `CREATE TEMP TABLE distinct_texts ON COMMIT DROP AS SELECT name, level, kind, text, form, unit, stand_in, count(*)::int AS files FROM held_values
     WHERE place = 'property' AND text <> '' AND ($1::text[] IS NULL OR name = ANY($1::text[])) GROUP BY name, level, kind, text, form, unit, stand_in`,
    [names],
  );
  const facts = await sql.all<NameKey & { distinct: number; longest: number; values: ValueCount[] }>(
    `SELECT name, level, kind, count(*)::int AS distinct, coalesce(max(length(text)), 0)::int AS longest,
       jsonb_agg(jsonb_build_object('text', left(text, 200), 'form', form, 'unit', unit, 'files', files, 'standIn', stand_in)
           ORDER BY at) FILTER (WHERE at <= ${SAMPLE}) AS values
     FROM (SELECT *, row_number() OVER (PARTITION BY name, level, kind ORDER BY stand_in, files DESC, text) AS at FROM distinct_texts) d
     GROUP BY name, level, kind`,
  );
  const list = facts.map(({ name, level, kind, distinct, longest, values }) => ({
    name,
    level,
    kind,
    distinct,
    longest,
    examples: values.slice(0, 3).map((value) => value.text),
    guess: guessType(values),
  }));
  await sql.run(
    `INSERT INTO name_facts SELECT name, level, kind, "distinct", longest, examples, guess FROM jsonb_to_recordset($1::jsonb)
       AS n(name text, level text, kind text, "distinct" int, longest int, examples text[], guess jsonb)`,
    [asRecordset(list)],
  );
}

const COUNTS = `INSERT INTO name_counts (name, level, kind, class_id, library_id, folder, files, filled, stand_ins)
  SELECT v.name, v.level, v.kind, coalesce(f.class_id, 0), f.library_id, f.folder, count(*)::int, count(*) FILTER (WHERE v.filled)::int,
    count(*) FILTER (WHERE NOT v.filled AND v.stand_in)::int
  FROM (
    SELECT name, level, kind, file_id, text <> '' AND NOT stand_in AS filled, stand_in FROM held_values
    WHERE place = 'property' AND level = 'document' AND ($1::text[] IS NULL OR name = ANY($1::text[]))
    UNION ALL
    SELECT name, level, kind, file_id, bool_or(text <> '' AND NOT stand_in), bool_or(stand_in) FROM held_values
    WHERE place = 'property' AND level <> 'document' AND ($1::text[] IS NULL OR name = ANY($1::text[])) GROUP BY name, level, kind, file_id
  ) v JOIN files f ON f.id = v.file_id GROUP BY v.name, v.level, v.kind, coalesce(f.class_id, 0), f.library_id, f.folder`;

/** Distinct values of a name with file counts, most frequent first. */
export const distinctValues = (
  sql: Sql,
  name: string,
  condition: { readonly sql: string; readonly bind: readonly unknown[] },
  limit: number,
): Promise<ValueCount[]> =>
  sql.all<ValueCount>(
    `SELECT v.text, v.form, v.unit, v.stand_in AS "standIn", count(DISTINCT v.file_id)::int AS files FROM held_values v JOIN files f ON f.id = v.file_id
     WHERE v.place = 'property' AND v.name = $1 AND ${condition.sql} GROUP BY v.text, v.form, v.unit, v.stand_in ORDER BY count(*) DESC, v.text LIMIT ${limit}`,
    [name, ...condition.bind],
  );
