import { BlockReading, CellStep } from '@rule/core/files';
import { familyOf } from '@rule/core/schema';
import { join } from 'node:path';
import { Db } from '../platform/db';
import { invalid } from '../platform/problem';
import { WorkPool } from '../platform/pool';
import { CarriedFrom } from './carry.thread';

/** Drawings that can provide blocks: the most common definition of each, from the first drawing by path. */
const LENDERS = `SELECT DISTINCT ON (family) family, path, root, unit, drawings FROM (
    SELECT lower(trim(d.definition->>'name')) AS family, d.hash, count(*)::int AS drawings, (array_agg(f.path ORDER BY f.path))[1] AS path,
      (array_agg(l.root ORDER BY f.path))[1] AS root, (array_agg((SELECT min(s.unit) FROM sheets s WHERE s.file_id = f.id) ORDER BY f.path))[1] AS unit
    FROM files f JOIN libraries l ON l.id = f.library_id CROSS JOIN LATERAL unnest(f.blocks) AS b(hash) JOIN block_definitions d ON d.hash = b.hash
    WHERE NOT f.removed AND f.problem IS NULL AND f.format = 'dxf' AND f.reading->>'version' >= 'AC1015'
      AND lower(trim(d.definition->>'name')) = ANY($1::text[])
      AND NOT coalesce((d.definition->'cells'->0->>'plain')::boolean, false)
    GROUP BY 1, 2) t ORDER BY family, drawings DESC, path`;

/** A drawing that can provide a block definition. */
export interface Lender {
  readonly family: string;
  readonly path: string;
  readonly root: string;
  /** Its drawing unit, if stated. */
  readonly unit: string | null;
}

/** A borrowed definition: the value that represents it in a line, and its content. */
export interface Lent {
  readonly text: string;
  readonly block: BlockReading;
}

/** Where the change of a block that is defined is kept, apart from whole definitions: the same cells may come about in several ways. */
const changeKey = (name: string, before: string): string => `${familyOf(name)}\n${before}`;

/** Where the definition of a line is kept. */
export const definitionKey = (name: string, before: string | null): string => (before === null ? familyOf(name) : changeKey(name, before));

/** Block definitions copied between drawings. */
export class CarriedBlocks {
  constructor(
    private readonly db: Db,
    private readonly pool: WorkPool,
  ) {}

  /** Drawings that can provide blocks, by family. */
  async lenders(names: readonly string[]): Promise<Map<string, Lender>> {
    const rows = await this.db.all<Lender>(LENDERS, [names.map(familyOf)]);
    return new Map(rows.map((row) => [row.family, row]));
  }

  /**
   * Reads a definition from a drawing and stores it until it is written.
   * @throws AppError if that fails
   */
  async lend({ path, root }: Lender, name: string): Promise<Lent> {
    const from = await this.pool.run('carryBlock', { full: join(root, path), name });
    if (!from.ok) throw invalid('not-carried', `${path}: ${from.message}`);
    return this.keep(familyOf(name), from);
  }

  /** The definition in a drawing with changed cells, stored until it is written; or why that is not possible. */
  async changed({ path, root }: Pick<Lender, 'path' | 'root'>, name: string, before: string, steps: readonly CellStep[]): Promise<Lent | string> {
    const from = await this.pool.run('changeCells', { full: join(root, path), name, steps });
    return from.ok ? this.keep(changeKey(name, before), from) : from.message;
  }

  private async keep(key: string, from: Extract<CarriedFrom, { readonly ok: true }>): Promise<Lent> {
    await this.db.run(
      'INSERT INTO carried_blocks (text, name, definition) VALUES ($1, $2, $3::jsonb) ON CONFLICT (text, name) DO UPDATE SET definition = excluded.definition',
      [from.text, key, JSON.stringify(from.carried)],
    );
    return { text: from.text, block: from.block };
  }
}
