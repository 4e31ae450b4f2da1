import { CheckedSheet, Practice, StandardFinding, checkStandards } from '@rule/core/standards';
import { InsertReading, SheetReading } from '@rule/core/files';
import { cellsOfBlocks } from '../library/blocks';
import { Db } from '../platform/db';
import { Editions } from './editions';
import { readSettings } from '../platform/settings';

/** Checks the draft, or the edition in force, and all sheets against a practice. */
export async function standardsOf(db: Db, editions: Editions, practice: Practice): Promise<StandardFinding[]> {
  const [{ schema }, { abbreviations }, drawings] = await Promise.all([
    editions.draft(),
    readSettings(db),
    db.all<{ id: number; path: string; blocks: string[]; inserts: InsertReading[] | null; sheets: SheetReading[] | null }>(
      `SELECT id, path, blocks, reading->'inserts' AS inserts, reading->'sheets' AS sheets FROM files
        WHERE kind = 'drawing' AND NOT removed AND reading IS NOT NULL ORDER BY path LIMIT 5000`,
    ),
  ]);
  const blocksBy = await cellsOfBlocks(
    db,
    drawings.flatMap((drawing) => drawing.blocks),
  );
  const sheets = drawings.flatMap(({ id, path, blocks, inserts, sheets: layouts }): CheckedSheet[] =>
    [...new Set([...(layouts ?? []).map((sheet) => sheet.layout), ...(inserts ?? []).map((insert) => insert.layout)])].map((layout) => {
      const sheet = layouts?.find((candidate) => candidate.layout === layout);
      const placed = new Set((inserts ?? []).filter((insert) => insert.layout === layout).map((insert) => insert.block));
      const paper = sheet?.paper ?? null;
      // Lettering below one unit means the block is drawn in inches.
      const cells = blocks
        .flatMap((hash) => blocksBy.get(hash) ?? [])
        .filter((block) => placed.has(block.name))
        .flatMap((block) => block.cells.map((cell) => ({ cell: cell.tag, height: cell.height })));
      const unit = cells.length && cells.every(({ height }) => height < 1) ? 25.4 : 1;
      return { file: id, path, layout, paper, scales: sheet?.scales ?? [], lettering: cells, unit };
    }),
  );
  return checkStandards(practice, schema.properties, sheets, abbreviations);
}
