import { BlockReading } from '@rule/core/files';
import { familyOf } from '@rule/core/schema';
import { join } from 'node:path';
import { Db } from '../platform/db';
import { invalid } from '../platform/problem';
import { WorkPool } from '../platform/pool';
import './carry.thread';

/** Drawings that define blocks: for each block the definition that most of them have, in the first of them by path. */
const LENDERS = `SELECT DISTINCT ON (family) family, path, root, unit, drawings FROM (
    SELECT lower(trim(d.definition->>'name')) AS family, d.hash, count(*)::int AS drawings, (array_agg(f.path ORDER BY f.path))[1] AS path,
      (array_agg(l.root ORDER BY f.path))[1] AS root, (array_agg((SELECT min(s.unit) FROM sheets s WHERE s.file_id = f.id) ORDER BY f.path))[1] AS unit
    FROM files f JOIN libraries l ON l.id = f.library_id CROSS JOIN LATERAL unnest(f.blocks) AS b(hash) JOIN block_definitions d ON d.hash = b.hash
    WHERE NOT f.removed AND f.problem IS NULL AND f.format = 'dxf' AND f.reading->>'version' >= 'AC1015' AND lower(trim(d.definition->>'name')) = ANY($1::text[])
      AND NOT coalesce((d.definition->'cells'->0->>'plain')::boolean, false)
    GROUP BY 1, 2) t ORDER BY family, drawings DESC, path`;

/** A drawing from which the definition of a block can be taken. */
export interface Lender {
  readonly family: string;
  readonly path: string;
  readonly root: string;
  /** The unit that it is drawn in, where it says so. */
  readonly unit: string | null;
}

/** A definition that was taken from a drawing: the value that stands for it in a line, and what it has. */
export interface Lent {
  readonly text: string;
  readonly block: BlockReading;
}

/** Definitions of blocks that are carried from drawings into others. */
export class CarriedBlocks {
  constructor(
    private readonly db: Db,
    private readonly pool: WorkPool,
  ) {}

  /** Drawings that could lend blocks, by family. */
  async lenders(names: readonly string[]): Promise<Map<string, Lender>> {
    const rows = await this.db.all<Lender>(LENDERS, [names.map(familyOf)]);
    return new Map(rows.map((row) => [row.family, row]));
  }

  /** Takes a definition from a drawing and keeps it until it is written. @throws AppError where it cannot be taken */
  async lend({ path, root }: Lender, name: string): Promise<Lent> {
    const from = await this.pool.run('carryBlock', { full: join(root, path), name });
    if (!from.ok) throw invalid('not-carried', `${path}: ${from.message}`);
    await this.db.run('INSERT INTO carried_blocks (text, name, definition) VALUES ($1, $2, $3::jsonb) ON CONFLICT DO NOTHING', [
      from.text,
      familyOf(name),
      JSON.stringify(from.carried),
    ]);
    return { text: from.text, block: from.block };
  }
}
