import { BindingRequest, BlockRow, BlockView, Learned } from '@rule/contract';
import { Line } from '@rule/core/changes';
import { BlockReading } from '@rule/core/files';
import { Property } from '@rule/core/schema';
import { CellLearner, CellObservation, cellLines, isStale } from '@rule/core/titleblocks';
import { compileStandIns } from '@rule/core/values';
import { BLOCKS_OF_F, cellsOfBlocks } from '../library/blocks';
import { Libraries } from '../library/library';
import { CellTexts, DRAWINGS, Drawing } from './cell-texts';
import { Judgements } from '../values/judgements';
import { Db } from '../platform/db';
import { notFound } from '../platform/problem';
import { Properties } from '../schema/properties';
import { readSettings } from '../platform/settings';
import { valuesFor } from '../values/held';

/** Exceptions of one learned binding that are listed. */
const MOST_EXCEPTIONS = 100;

/** Title blocks: the cells that drawings have, what they are bound to, and what they would show. */
export class TitleBlocks {
  constructor(
    private readonly db: Db,
    private readonly properties: Properties,
    private readonly libraries: Libraries,
    private readonly judgements: Pick<Judgements, 'settle'>,
    private readonly texts: CellTexts,
  ) {}

  async bind({ block, tag, property, source, format }: BindingRequest): Promise<void> {
    const known = (await this.list()).find((row) => row.name === block)?.cells.some((cell) => cell.tag === tag);
    if (!known) throw notFound(`The cell ${tag} of ${block}`);
    if (property === null) await this.db.run('DELETE FROM bindings WHERE block = $1 AND tag = $2', [block, tag]);
    else {
      await this.properties.get(this.db, property);
      await this.db.run(
        'INSERT INTO bindings VALUES ($1, $2, $3, $4, $5) ON CONFLICT (block, tag) DO UPDATE SET property_id = excluded.property_id, source = excluded.source, format = excluded.format',
        [block, tag, property, source, format],
      );
    }
  }

  /** All blocks with attribute definitions, with the drawings that place them. */
  async list(): Promise<BlockRow[]> {
    await this.judgements.settle();
    const [drawings, bindings] = await Promise.all([this.db.all<Drawing>(`${DRAWINGS} ORDER BY f.path`), this.texts.bindings(this.db)]);
    const bound = await this.texts.bound(this.db, drawings, bindings, []);
    const stale = new Map<string, number>();
    for (const cell of bound.filter(isStale)) {
      const place = `${cell.drawing} ${cell.holder}`;
      stale.set(place, (stale.get(place) ?? 0) + 1);
    }
    const blocks = new Map<string, { cells: Map<string, string>; drawings: BlockRow['drawings'][number][] }>();
    const known = await cellsOfBlocks(
      this.db,
      drawings.flatMap((drawing) => drawing.blocks),
    );
    for (const drawing of drawings)
      for (const block of drawing.blocks.flatMap((hash) => known.get(hash) ?? [])) {
        const inserts = drawing.inserts.filter((insert) => insert.block === block.name);
        if (inserts.length === 0) continue;
        const entry = blocks.get(block.name) ?? { cells: new Map<string, string>(), drawings: [] };
        for (const cell of block.cells) if (!entry.cells.has(cell.tag)) entry.cells.set(cell.tag, cell.prompt);
        entry.drawings.push({
          file: drawing.id,
          path: drawing.path,
          stale: inserts.reduce((sum, insert) => sum + (stale.get(`${drawing.id} ${insert.holder}`) ?? 0), 0),
        });
        blocks.set(block.name, entry);
      }
    return [...blocks].map(([name, { cells, drawings: placed }]) => ({
      name,
      cells: [...cells].map(([tag, prompt]) => ({ tag, prompt, binding: bindings.find((binding) => binding.block === name && binding.tag === tag) ?? null })),
      drawings: placed,
    }));
  }

  /** The cells of a block that show a property, with the number of drawings and of stale texts. */
  async cellsOf(block: BlockRow, property: number): Promise<{ block: string; tag: string; source: string; drawings: number; stale: number }[]> {
    const bindings = block.cells.flatMap((cell) => (cell.binding?.propertyId === property ? [cell.binding] : []));
    if (bindings.length === 0) return [];
    const drawings = await this.db.all<Drawing>(`${DRAWINGS} AND f.id = ANY($1::int[])`, [block.drawings.map((drawing) => drawing.file)]);
    const bound = await this.texts.bound(this.db, drawings, bindings, []);
    return bindings.map(({ tag, source }) => {
      const cells = bound.filter((cell) => cell.tag === tag);
      return { block: block.name, tag, source, drawings: cells.length, stale: cells.filter(isStale).length };
    });
  }

  /** The files whose values a drawing's blocks show: its own, and the model's. */
  async around(file: number): Promise<number[]> {
    const row = await this.db.one<{ model: number | null }>('SELECT model_file_id AS model FROM files WHERE id = $1', [file]);
    return row?.model == null ? [file] : [file, row.model];
  }

  /** One drawing's block for its picture. Values pending in `lines` are shown as if they were applied. */
  async view(file: number, blockName: string, lines: readonly Line[]): Promise<BlockView> {
    const row = await this.libraries.file(file);
    await this.judgements.settle(await this.around(file));
    const [drawing, found] = await Promise.all([
      this.db.one<Drawing>(`${DRAWINGS} AND f.id = $1`, [file]),
      this.db.one<{ block: BlockReading }>(
        `SELECT b.block FROM files f, ${BLOCKS_OF_F} b WHERE f.id = $1 AND b.block->>'name' = $2 ORDER BY b.position LIMIT 1`,
        [file, blockName],
      ),
    ]);
    const block = found?.block;
    const insert = drawing?.inserts.find((candidate) => candidate.block === blockName);
    if (!drawing || !block || !insert) throw notFound(`The block ${blockName} in ${row.path}`);
    const bound = await this.texts.bound(this.db, [drawing], await this.texts.bindings(this.db), lines);
    const match = drawing.match ?? { state: 'unmatched' };
    const paths = await this.libraries.paths(this.db, match.state === 'matched' ? [match.file] : []);
    return {
      file: row,
      block,
      holder: insert.holder,
      model: { match, path: match.state === 'matched' ? (paths[match.file] ?? null) : null },
      cells: block.cells.map(({ tag }) => ({
        tag,
        stored: drawing.texts[insert.holder]?.[tag] ?? null,
        bound: bound.find((cell) => cell.holder === insert.holder && cell.tag === tag) ?? null,
      })),
    };
  }

  /** The lines that bring the cells of a block up to date in all or some drawings. */
  async staleLines(blockName: string, only: readonly number[] | null, pending: readonly Line[]): Promise<Line[]> {
    await this.judgements.settle();
    const drawings = (await this.db.all<Drawing>(`${DRAWINGS} AND ($1::int[] IS NULL OR f.id = ANY($1::int[]))`, [only])).map((drawing) => ({
      ...drawing,
      inserts: drawing.inserts.filter((insert) => insert.block === blockName),
    }));
    return cellLines(await this.texts.bound(this.db, drawings, await this.texts.bindings(this.db), pending), `title block ${blockName}`, false);
  }

  /** What every cell shows, as the drawings themselves tell, with those that do not. Drawings are read some hundred at a time, twice. */
  async learned(): Promise<Learned['cells']> {
    const active = [...(await this.properties.active(this.db)).values()];
    const learner = new CellLearner(active, compileStandIns((await readSettings(this.db)).standIns));
    for await (const cells of this.observations(active)) for (const { cell } of cells) learner.observe(cell);
    const inForce = await this.texts.bindings(this.db);
    const learned = learner.learned(inForce).map((binding) => ({
      ...binding,
      bound: inForce.find((other) => other.block === binding.block && other.tag === binding.tag) ?? null,
      exceptionCount: 0,
      exceptions: [] as Learned['cells'][number]['exceptions'][number][],
    }));
    const byCell = new Map(learned.map((binding) => [JSON.stringify([binding.block, binding.tag]), binding]));
    for await (const cells of this.observations(active))
      for (const { cell, path } of cells) {
        const binding = byCell.get(JSON.stringify([cell.block, cell.tag]));
        const exception = binding && learner.exception(binding, cell);
        if (!exception) continue;
        binding.exceptionCount++;
        if (binding.exceptions.length < MOST_EXCEPTIONS) binding.exceptions.push({ file: cell.drawing, path, text: cell.text, ...exception });
      }
    return learned;
  }

  private async *observations(properties: readonly Property[]): AsyncGenerator<{ cell: CellObservation; path: string }[]> {
    for (let after = 0; ;) {
      const page = await this.db.all<Drawing>(`${DRAWINGS} AND f.id > $1 ORDER BY f.id LIMIT 500`, [after]);
      if (page.length === 0) return;
      const files = [...new Set(page.flatMap((drawing) => [drawing.id, ...(drawing.model === null ? [] : [drawing.model])]))];
      const held = await valuesFor(this.db, files, properties);
      const of = (file: number | null) => (file === null ? null : (held.get(file) ?? {}));
      yield page.flatMap((drawing) =>
        drawing.inserts.flatMap((insert) =>
          Object.entries(drawing.texts[insert.holder] ?? {}).map(([tag, text]) => ({
            path: drawing.path,
            cell: { drawing: drawing.id, holder: insert.holder, block: insert.block, tag, text, values: { drawing: of(drawing.id), model: of(drawing.model) } },
          })),
        ),
      );
      after = page.at(-1)!.id;
    }
  }
}
