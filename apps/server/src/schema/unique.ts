import { Property, slotsOf } from '@rule/core/schema';
import { Sql, asRecordset } from '../platform/db';

/** A proposed value of a file. */
export interface Proposal {
  readonly file: number;
  readonly text: string;
}

/**
 * Proposed values that another file already holds or that are proposed twice, with the other file's path. One statement; files with new
 * values do not count with their old ones.
 */
export async function clashesOf(sql: Sql, property: Property, proposals: readonly Proposal[]): Promise<Map<number, string>> {
  if (property.unique === 'no' || proposals.length === 0) return new Map();
  const slots = slotsOf(property).flatMap(({ slot, kinds }) => kinds.map((kind) => ({ kind, ...slot })));
  const same = property.unique === 'kind' ? 'AND o.kind = m.kind' : property.unique === 'class' ? 'AND o.class_id IS NOT DISTINCT FROM m.class_id' : '';
  const found = await sql.all<{ file: number; other: string }>(
    `WITH mine AS (SELECT n.file, n.text, f.kind, f.class_id FROM jsonb_to_recordset($1::jsonb) AS n(file int, text text) JOIN files f ON f.id = n.file),
       theirs AS (
         SELECT f.id AS file, v.text, f.kind, f.class_id, f.path FROM jsonb_to_recordset($2::jsonb) AS s(kind text, place text, name text)
           JOIN held_values v ON v.place = s.place AND v.name = s.name AND v.holder = '' AND v.text IN (SELECT text FROM mine)
           JOIN files f ON f.id = v.file_id AND f.kind = s.kind AND NOT f.removed AND f.id NOT IN (SELECT file FROM mine)
         UNION ALL SELECT m.file, m.text, m.kind, m.class_id, f.path FROM mine m JOIN files f ON f.id = m.file)
     SELECT m.file, min(o.path) AS other FROM mine m JOIN theirs o ON o.text = m.text AND o.file <> m.file ${same} GROUP BY m.file`,
    [asRecordset(proposals), asRecordset(slots)],
  );
  return new Map(found.map(({ file, other }) => [file, other]));
}
