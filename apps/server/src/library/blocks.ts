import { BlockReading } from '@rule/core/files';
import { Db, Sql, asRecordset } from '../platform/db';

/** A block as drawings hold it: the same one is in thousands of them and is kept once, by its hash. */
export interface KeptBlock {
  readonly hash: string;
  /** The block as JSON. */
  readonly definition: string;
}

/** Families that are rows of parts lists or item marks by a shared BOM layout: they are no title blocks. */
export const DRAWN_FAMILIES = `ARRAY(SELECT lower(trim(v.block)) FROM bom_layouts l, LATERAL (VALUES (l.content->'drawn'->>'block'), (l.content->'drawn'->'marks'->>'block')) v(block) WHERE l.shared AND v.block IS NOT NULL)`;

/** The blocks of a drawing `f` in SQL: rows of `block`, a JSON object, and `position`. */
export const BLOCKS_OF_F = `LATERAL (SELECT d.definition AS block, u.position FROM unnest(f.blocks) WITH ORDINALITY u(hash, position) JOIN block_definitions d USING (hash))`;

/** Keeps blocks that are not kept yet. */
export async function keepBlocks(sql: Sql, blocks: readonly KeptBlock[]): Promise<void> {
  if (blocks.length === 0) return;
  // In one order, so that two who keep the same ones at once wait for each other in one direction only.
  await sql.run(
    'INSERT INTO block_definitions SELECT hash, definition::jsonb FROM jsonb_to_recordset($1::jsonb) AS n(hash text, definition text) ORDER BY hash ON CONFLICT DO NOTHING',
    [asRecordset(blocks)],
  );
}

/** What can be told of a block without its picture, which is by far the largest part of it. */
export type BlockCells = Omit<BlockReading, 'shapes'>;

/** Blocks by their hashes, each read once however many drawings have it. One that was forgotten since the drawings were asked for is not among them. */
export async function cellsOfBlocks(sql: Sql, hashes: Iterable<string>): Promise<Map<string, BlockCells>> {
  const found = await sql.all<{ hash: string; block: BlockCells }>(
    `SELECT hash, definition - 'shapes' AS block FROM block_definitions WHERE hash = ANY($1::text[])`,
    [[...new Set(hashes)]],
  );
  return new Map(found.map(({ hash, block }) => [hash, block]));
}

/** Forgets blocks that no file holds any more. Only while nobody else reads files. */
export async function forgetBlocks(db: Db): Promise<void> {
  await db.run('DELETE FROM block_definitions WHERE hash NOT IN (SELECT unnest(blocks) FROM files)');
}
