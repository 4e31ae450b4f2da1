import { SchemaPlaces } from '@rule/contract';
import { Sql } from '../platform/db';

/** Maximum outline texts offered. */
const MOST_TEXTS = 1000;

/** Places in files for values: fields by kind, layers with outlines, and texts in them. */
export async function schemaPlaces(sql: Sql): Promise<SchemaPlaces> {
  const [fields, layers, texts] = await Promise.all([
    sql.all<SchemaPlaces['fields'][number]>(
      `SELECT v.kind, v.name, count(DISTINCT v.file_id)::int AS files FROM held_values v WHERE v.place = 'field' GROUP BY v.kind, v.name ORDER BY v.kind, v.name`,
    ),
    sql.all<{ name: string }>(
      `SELECT o->>'layer' AS name FROM files f, jsonb_array_elements(f.reading->'sheets') s, jsonb_array_elements(s->'outlines') o
       WHERE f.kind = 'drawing' AND NOT f.removed GROUP BY 1 ORDER BY count(DISTINCT f.id) DESC, 1`,
    ),
    sql.all<{ name: string }>(
      `SELECT l->>'text' AS name FROM files f, jsonb_array_elements(f.reading->'sheets') s, jsonb_array_elements(s->'labels') l
       WHERE f.kind = 'drawing' AND NOT f.removed GROUP BY 1 ORDER BY count(DISTINCT f.id) DESC, 1 LIMIT ${MOST_TEXTS}`,
    ),
  ]);
  return { fields, layers: layers.map((row) => row.name), texts: texts.map((row) => row.name) };
}
