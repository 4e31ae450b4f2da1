import { BlockReading } from '@rule/core/files';
import { Db, Sql, asRecordset } from '../platform/db';

/** A block as drawings define it; identical definitions are stored once, by hash. */
export interface KeptBlock {
  readonly hash: string;
  /** The block as JSON. */
  readonly definition: string;
}

/** Families used as rows or marks by a shared BOM layout; they are not title blocks. */
export const DRAWN_FAMILIES = `ARRAY(SELECT lower(trim(v.block))
    FROM bom_layouts l, LATERAL (VALUES (l.content->'drawn'->>'block'), (l.content->'drawn'->'marks'->>'block')) v(block)
    WHERE l.shared AND v.block IS NOT NULL)`;

/** SQL source of a drawing `f`'s blocks: `block` (JSON) and `position`. */
export const BLOCKS_OF_F = `LATERAL (SELECT d.definition AS block, u.position FROM unnest(f.blocks) WITH ORDINALITY u(hash, position) JOIN block_definitions d USING (hash))`;

/** Stores new block definitions. */
export async function keepBlocks(sql: Sql, blocks: readonly KeptBlock[]): Promise<void> {
  if (blocks.length === 0) return;
  // Sorted, so concurrent inserts cannot deadlock.
  await sql.run(
    `INSERT INTO block_definitions SELECT hash, definition::jsonb
      FROM jsonb_to_recordset($1::jsonb) AS n(hash text, definition text) ORDER BY hash ON CONFLICT DO NOTHING`,
    [asRecordset(blocks)],
  );
}

/** A block without its picture, which is most of its size. */
export type BlockCells = Omit<BlockReading, 'shapes'>;

/** Blocks by hash, each loaded once. Blocks deleted meanwhile are missing. */
export async function cellsOfBlocks(sql: Sql, hashes: Iterable<string>): Promise<Map<string, BlockCells>> {
  const found = await sql.all<{ hash: string; block: BlockCells }>(
    `SELECT hash, definition - 'shapes' AS block FROM block_definitions WHERE hash = ANY($1::text[])`,
    [[...new Set(hashes)]],
  );
  return new Map(found.map(({ hash, block }) => [hash, block]));
}

/** Deletes unused blocks. Only while no files are being read. */
export async function forgetBlocks(db: Db): Promise<void> {
  await db.run('DELETE FROM block_definitions WHERE hash NOT IN (SELECT unnest(blocks) FROM files)');
}
