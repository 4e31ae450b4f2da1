import { Line } from '@rule/core/changes';
import { CellPiece, PreparedSchema, isWide } from '@rule/core/schema';
import { cellLines } from '@rule/core/titleblocks';
import { Follows } from '../changes/tray';
import { Sql } from '../platform/db';
import { slotsByName } from '../schema/derive';
import { preparedInForce } from '../schema/prepared';
import { CellWorks, PLACED, PlacedBlock } from '../values/cells';

/** Title block texts that follow values. */
export class CellTexts implements Follows {
  constructor(private readonly clock: () => Date) {}

  /** Cell lines that follow from value lines: in the drawing, in drawings showing the model, and below wide holders. */
  async following(sql: Sql, lines: readonly Line[]): Promise<Line[]> {
    if (lines.length === 0) return [];
    const prepared = await preparedInForce(sql, this.clock());
    const works = new CellWorks(prepared);
    if (works.bindings.length === 0) return [];
    const changed = this.changed(prepared, lines);
    if (
      ![...changed.values()].some((properties) =>
        works.bindings.some(({ shows }) => shows.some((piece) => 'property' in piece && properties.has(piece.property))),
      )
    )
      return [];
    const files = [...changed.keys()].filter((file) => file > 0);
    const wide = [...changed.keys()].filter((file) => file < 0).map((file) => -file);
    const company = wide.length
      ? await sql.one<{ id: number }>(`SELECT id FROM wide_holders WHERE level = 'company' AND id = ANY($1::int[])`, [wide])
      : undefined;
    const placed = await sql.all<PlacedBlock>(
      `${PLACED} WHERE f.lock_reason IS NULL AND (b.file_id = ANY($1::int[]) OR f.model_file_id = ANY($1::int[]) OR sm.model_file_id = ANY($1::int[])
         OR f.project_id = ANY($2::int[]) OR f.set_id = ANY($2::int[]) OR $3) ORDER BY f.path, b.holder`,
      [files, wide, company !== undefined],
    );
    const shows = (block: PlacedBlock, piece: CellPiece): boolean => {
      if (!('property' in piece)) return false;
      const from = isWide(piece.from)
        ? -({ 'drawing set': block.set, project: block.project, company: company?.id ?? null }[piece.from] ?? 0)
        : piece.from === 'model'
          ? block.model
          : block.file;
      return from !== null && changed.get(from)?.has(piece.property) === true;
    };
    // Leading cells are changed directly and do not follow.
    const cells = await works.cells(sql, placed, lines, (block, { binding }) => !binding.leads && binding.shows.some((piece) => shows(block, piece)));
    return cellLines(cells, ['stale'], 'follows from the value', true);
  }

  /** Cell lines that fix stale cells of some drawings. */
  async stale(sql: Sql, files: readonly number[]): Promise<Line[]> {
    const works = new CellWorks(await preparedInForce(sql, this.clock()));
    if (works.bindings.length === 0) return [];
    const placed = await sql.all<PlacedBlock>(`${PLACED} WHERE f.lock_reason IS NULL AND b.file_id = ANY($1::int[]) ORDER BY f.path, b.holder`, [files]);
    return cellLines(await works.cells(sql, placed, [], (_, { binding }) => !binding.leads), ['stale'], 'title block put right', true);
  }

  /** Properties affected by lines, by file: written ones and computed ones. */
  private changed(prepared: PreparedSchema, lines: readonly Line[]): Map<number, Set<number>> {
    const bySlot = slotsByName(prepared);
    const changed = new Map<number, Set<number>>();
    for (const { address } of lines) {
      const properties = bySlot.get(`${address.place}/${address.name}`);
      if (!properties) continue;
      const own = changed.get(address.file) ?? new Set<number>();
      for (const property of properties) own.add(property);
      changed.set(address.file, own);
    }
    for (const own of changed.values()) for (const id of own) for (const [user, looked] of prepared.looksAt) if (looked.has(id)) own.add(user);
    return changed;
  }
}
