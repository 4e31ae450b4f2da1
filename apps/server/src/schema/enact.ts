import { Schema, draftOf, withHomes, withLeads } from '@rule/core/schema';
import { Sql, asRecordset } from '../platform/db';

/** Copies the edition in force to the tables used by queries. */
export async function enact(sql: Sql, schema: Schema): Promise<void> {
  // Leading cells are homes of their properties.
  const list = withLeads(withHomes(schema.properties, schema.bindings), schema.links).map((property, position) => ({
    id: property.id,
    retired: property.retired,
    position,
    // Leading links are loaded together with properties.
    definition: property.led ? Object.assign(draftOf(property), { led: property.led }) : draftOf(property),
  }));
  await sql.run(
    `INSERT INTO properties (id, retired, position, definition) SELECT id, retired, position, definition
     FROM jsonb_to_recordset($1::jsonb) AS n(id int, retired boolean, position int, definition jsonb)
     ON CONFLICT (id) DO UPDATE SET retired = excluded.retired, position = excluded.position, definition = excluded.definition`,
    [asRecordset(list)],
  );
}
