import { BindingRequest, BlockRow, BlockView, Learned } from '@rule/contract';
import { Line } from '@rule/core/changes';
import { BlockReading, InsertReading } from '@rule/core/files';
import { Match } from '@rule/core/identity';
import { Property, slotOf } from '@rule/core/schema';
import { Binding, BoundCell, CellLearner, CellObservation, cellLines, cellText, isStale } from '@rule/core/titleblocks';
import { HeldValue, StandIns, compileStandIns } from '@rule/core/values';
import { BLOCKS_OF_F, cellsOfBlocks } from '../library/blocks';
import { Libraries } from '../library/library';
import { Judgements } from '../values/judgements';
import { Db, Sql } from '../platform/db';
import { notFound } from '../platform/problem';
import { Properties } from '../schema/properties';
import { readSettings } from '../schema/settings';
import { valuesFor, valuesOfSheets } from '../values/held';

interface Drawing {
  readonly id: number;
  readonly path: string;
  readonly model: number | null;
  readonly match: Match | null;
  /** Hashes of its blocks. */
  readonly blocks: readonly string[];
  readonly inserts: readonly InsertReading[];
  /** Cell texts by holder and tag. */
  readonly texts: Readonly<Record<string, Readonly<Record<string, string>>>>;
}

/** Exceptions of one learned binding that are listed. */
const MOST_EXCEPTIONS = 100;

const DRAWINGS = `SELECT f.id, f.path, f.model_file_id AS model, f.model_match AS match, f.blocks, f.reading->'inserts' AS inserts,
    coalesce((SELECT jsonb_object_agg(h.holder, h.cells) FROM (SELECT v.holder, jsonb_object_agg(v.name, v.text) AS cells FROM held_values v WHERE v.file_id = f.id AND v.place = 'cell' GROUP BY v.holder) h), '{}') AS texts
  FROM files f WHERE f.kind = 'drawing' AND NOT f.removed AND f.reading IS NOT NULL`;

/** Title blocks: the cells that drawings have, what they are bound to, and what they would show. */
export class TitleBlocks {
  constructor(
    private readonly db: Db,
    private readonly properties: Properties,
    private readonly libraries: Libraries,
    private readonly judgements: Pick<Judgements, 'settle'>,
  ) {}

  bindings(sql: Sql): Promise<Binding[]> {
    return sql.kept('bindings', (own) => own.all<Binding>('SELECT block, tag, property_id AS "propertyId", source, format FROM bindings ORDER BY block, tag'));
  }

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
    const [drawings, bindings] = await Promise.all([this.db.all<Drawing>(`${DRAWINGS} ORDER BY f.path`), this.bindings(this.db)]);
    const bound = await this.bound(this.db, drawings, bindings, []);
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
    const bound = await this.bound(this.db, drawings, bindings, []);
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
    const bound = await this.bound(this.db, [drawing], await this.bindings(this.db), lines);
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
    return cellLines(await this.bound(this.db, drawings, await this.bindings(this.db), pending), `title block ${blockName}`, false);
  }

  /** The cell lines that follow from lines that change properties: in the drawing itself and in drawings that show the model. */
  async following(sql: Sql, lines: readonly Line[]): Promise<Line[]> {
    const changed = lines.filter((line) => line.address.place === 'property');
    if (changed.length === 0) return [];
    const bindings = await this.bindings(sql);
    const active = await this.properties.active(sql);
    const names = new Set(changed.map((line) => line.address.name));
    const concerned = bindings.filter((binding) => {
      const property = active.get(binding.propertyId);
      return property !== undefined && names.has(slotOf(property).name);
    });
    if (concerned.length === 0) return [];
    const files = [...new Set(changed.map((line) => line.address.file))];
    const drawings = await sql.all<Drawing>(`${DRAWINGS} AND (f.id = ANY($1::int[]) OR f.model_file_id = ANY($1::int[])) ORDER BY f.path`, [files]);
    const touched = new Set(changed.map((line) => JSON.stringify([line.address.file, line.address.name])));
    const bound = await this.bound(sql, drawings, concerned, changed, (drawing, binding) => {
      const source = binding.source === 'drawing' ? drawing.id : drawing.model;
      return touched.has(JSON.stringify([source, slotOf(active.get(binding.propertyId)!).name]));
    });
    return cellLines(bound, 'follows from the property', true);
  }

  /** What every cell shows, as the drawings themselves tell, with those that do not. Drawings are read some hundred at a time, twice. */
  async learned(): Promise<Learned['cells']> {
    const active = [...(await this.properties.active(this.db)).values()];
    const learner = new CellLearner(active, compileStandIns((await readSettings(this.db)).standIns));
    for await (const cells of this.observations(active)) for (const { cell } of cells) learner.observe(cell);
    const inForce = await this.bindings(this.db);
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

  /** What the bound cells of drawings hold and would show. */
  private async bound(
    sql: Sql,
    drawings: readonly Drawing[],
    bindings: readonly Binding[],
    lines: readonly Line[],
    wanted: (drawing: Drawing, binding: Binding) => boolean = () => true,
  ): Promise<BoundCell[]> {
    const active = await this.properties.active(sql);
    const settings = await readSettings(sql);
    const standIns: StandIns = compileStandIns(settings.standIns);
    const used = new Map<number, Property>(
      bindings.flatMap(({ propertyId }) => (active.has(propertyId) ? [[propertyId, active.get(propertyId)!] as const] : [])),
    );
    const files = [...new Set(drawings.flatMap((drawing) => [drawing.id, ...(drawing.model === null ? [] : [drawing.model])]))];
    const held = await valuesFor(sql, files, used.values());
    const sheets = await valuesOfSheets(
      sql,
      drawings.map((drawing) => drawing.id),
      [...used.values()].filter((property) => property.level === 'sheet'),
    );
    const pending = new Map(
      lines
        .filter((line) => line.address.place === 'property' || line.address.place === 'cell')
        .map((line) => [JSON.stringify([line.address.file, line.address.holder, line.address.place, line.address.name]), line.proposed]),
    );
    const valueOf = (file: number, holder: string, property: Property): HeldValue | null => {
      // A value of a sheet is held by the block that stands on it.
      const own = property.level === 'sheet' ? holder : '';
      const slot = slotOf(property, property.level === 'sheet' ? 'drawing' : undefined);
      const key = JSON.stringify([file, own, slot.place, slot.name]);
      return pending.has(key) ? pending.get(key)! : ((own ? sheets.get(`${file}/${own}`) : held.get(file))?.[property.id] ?? null);
    };
    return drawings.flatMap((drawing) =>
      drawing.inserts.flatMap((insert) =>
        bindings
          .filter((binding) => binding.block === insert.block && used.has(binding.propertyId) && wanted(drawing, binding))
          .map((binding): BoundCell => {
            const property = used.get(binding.propertyId)!;
            const source = binding.source === 'drawing' ? drawing.id : drawing.model;
            return {
              drawing: drawing.id,
              holder: insert.holder,
              tag: binding.tag,
              stored: drawing.texts[insert.holder]?.[binding.tag] ?? null,
              shown:
                source === null
                  ? { state: 'no-model', placeholder: property.placeholder, why: noModel(drawing.match) }
                  : cellText(valueOf(source, insert.holder, property), property, binding.format, standIns),
            };
          }),
      ),
    );
  }
}

const noModel = (match: Match | null): string =>
  match?.state === 'ambiguous'
    ? `${match.candidates.length} files could be the model that this drawing shows`
    : 'the model that this drawing shows is not in the library';
