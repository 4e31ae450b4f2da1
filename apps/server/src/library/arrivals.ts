import { ToDo } from '@rule/contract';
import { Sql } from '../platform/db';

/** Notifies owners of new or changed files: the file's author or last editor, by full name or initial and surname. */
export async function noteArrivals(sql: Sql, files: readonly number[], how: ToDo['how'], at: Date): Promise<void> {
  if (files.length === 0) return;
  await sql.run(
    `INSERT INTO arrivals (file_id, how, owner_id, at)
     SELECT f.id, $2,
       (SELECT min(u.id) FROM held_values v
           JOIN users u ON lower(v.text) IN (lower(u.display_name), lower(left(u.display_name, 1) || '. ' || substring(u.display_name from '[^ ]+$')))
       WHERE v.file_id = f.id AND v.place = 'field' AND v.name IN ('last saved by', 'author')), $3
     FROM files f WHERE f.id = ANY($1::int[]) AND NOT f.removed AND f.problem IS NULL
     ON CONFLICT (file_id) DO UPDATE SET owner_id = excluded.owner_id, at = excluded.at`,
    [files, how, at],
  );
}
