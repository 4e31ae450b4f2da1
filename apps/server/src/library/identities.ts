import { StructureReading } from '@rule/core/files';
import { Candidate, CandidateIndex, Match, variantHolder } from '@rule/core/identity';
import { Sql, asRecordset } from '../platform/db';

const fileOf = (match: Match) => (match.state === 'matched' ? match.file : null);

/** Recomputes the part files of copies in assemblies and the models of drawings. Manual choices win. */
export async function matchIdentities(sql: Sql, modelProperty: string): Promise<void> {
  const candidates = await sql.all<Candidate>(
    `SELECT f.id AS file, f.path, f.product_id AS "productId", v.keys AS variants FROM files f
     LEFT JOIN (SELECT file_id, array_agg(substr(key, ${variantHolder('').length + 1})) AS keys FROM holders WHERE level = 'variant'
         GROUP BY file_id) v ON v.file_id = f.id
     WHERE f.format = 'step' AND NOT f.removed`,
  );
  const index = new CandidateIndex(candidates);
  const settled = new Map(
    (
      await sql.all<{ product_id: string; product_name: string; file_id: number }>(
        'SELECT s.* FROM settled_parts s JOIN files f ON f.id = s.file_id AND NOT f.removed',
      )
    ).map((row) => [JSON.stringify([row.product_id, row.product_name]), row.file_id]),
  );

  const assemblies = await sql.all<{ id: number; structure: StructureReading }>(
    `SELECT id, reading->'structure' AS structure FROM files WHERE kind = 'assembly' AND NOT removed AND reading IS NOT NULL`,
  );
  const copies = assemblies.flatMap(({ id, structure }) =>
    structure.products
      .filter((product) => !structure.roots.includes(product.key))
      .map((product) => {
        const chosen = settled.get(JSON.stringify([product.id, product.name]));
        const match: Match =
          chosen === undefined ? index.partFile(product, id) : index.withVariant({ state: 'matched', file: chosen, by: 'settled' }, product.id);
        return { assembly: id, product: product.key, match, part: fileOf(match) };
      }),
  );
  // Unchanged rows are not touched, as dependent data would be recomputed.
  await sql.run(
    `DELETE FROM copies c
      WHERE NOT EXISTS (SELECT 1 FROM jsonb_to_recordset($1::jsonb) AS n(assembly int, product text) WHERE n.assembly = c.assembly_id AND n.product = c.product)`,
    [asRecordset(copies)],
  );
  await sql.run(
    `INSERT INTO copies SELECT assembly, product, match, part FROM jsonb_to_recordset($1::jsonb) AS n(assembly int, product text, match jsonb, part int)
     ON CONFLICT (assembly_id, product) DO UPDATE SET match = excluded.match, part_id = excluded.part_id
       WHERE (copies.match, copies.part_id) IS DISTINCT FROM (excluded.match, excluded.part_id)`,
    [asRecordset(copies)],
  );

  const drawings = await sql.all<{ id: number; path: string; named: string | null; settled: number | null }>(
    `SELECT f.id, f.path, v.text AS named, (SELECT s.id FROM files s WHERE s.id = f.settled_model_id AND NOT s.removed) AS settled FROM files f
     LEFT JOIN held_values v ON v.file_id = f.id AND v.holder = '' AND v.place = 'property' AND v.name = $1
     WHERE f.kind = 'drawing' AND NOT f.removed`,
    [modelProperty],
  );
  const models = drawings.map((drawing) => {
    const match: Match = drawing.settled === null ? index.model(drawing.path, drawing.named) : { state: 'matched', file: drawing.settled, by: 'settled' };
    return { id: drawing.id, match, model: fileOf(match) };
  });
  await sql.run(
    `UPDATE files f SET model_match = n.match, model_file_id = n.model
      FROM jsonb_to_recordset($1::jsonb) AS n(id int, match jsonb, model int)
      WHERE f.id = n.id AND (f.model_match, f.model_file_id) IS DISTINCT FROM (n.match, n.model)`,
    [asRecordset(models)],
  );
}
