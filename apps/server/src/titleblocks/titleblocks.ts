import { BlockCell, BlockRow, BlockView, CellTray, CellTrayAnswer, Learned, SheetModel, SheetPage, SheetRow, SheetsQuery } from '@rule/contract';
import { Line } from '@rule/core/changes';
import { BlockReading } from '@rule/core/files';
import { Property, bindingOf, usesOf } from '@rule/core/schema';
import { BoundCell, CellFit, CellLearner, CellObservation, CellState, cellLines } from '@rule/core/titleblocks';
import { compileStandIns } from '@rule/core/values';
import { BLOCKS_OF_F, DRAWN_FAMILIES, cellsOfBlocks } from '../library/blocks';
import { Libraries } from '../library/library';
import { Db } from '../platform/db';
import { invalid, notFound } from '../platform/problem';
import { readSettings } from '../platform/settings';
import { Editions } from '../schema/editions';
import { preparedInForce } from '../schema/prepared';
import { Properties } from '../schema/properties';
import { User } from '../users/user';
import { CellWorks, PLACED, PlacedBlock } from '../values/cells';
import { valuesFor } from '../values/held';
import { Judgements } from '../values/judgements';
import { CellOwners } from './owners';

/** Maximum exceptions listed per learned binding. */
const MOST_EXCEPTIONS = 100;
/** Maximum cells per request. */
const MOST_CELLS = 300_000;
/** Maximum skipped drawings in an answer. */
const MOST_LEFT = 500;

/** Cell state counts as a JSON object. */
const COUNTED = `coalesce(jsonb_object_agg(n.state, n.cells) FILTER (WHERE n.state IS NOT NULL), '{}')`;

/** Texts that tell a placed block `p` from others of its family `$1` on the sheet; unbound ones first. */
const LABEL = `CASE WHEN EXISTS (SELECT 1 FROM placed_blocks o WHERE o.file_id = p.file_id AND o.layout = p.layout AND o.family = $1 AND o.holder <> p.holder) THEN
  (SELECT left(string_agg(t.text, ' · ' ORDER BY t.bound, t.name), 80) FROM (
    SELECT v.name, v.text, EXISTS (SELECT 1 FROM cell_states c WHERE c.file_id = p.file_id AND c.holder = p.holder AND c.tag = v.name) AS bound
    FROM held_values v WHERE v.file_id = p.file_id AND v.holder = p.holder AND v.place = 'cell' AND trim(v.text) <> '' ORDER BY bound, v.name LIMIT 2) t) END`;

/** Title blocks: cells in drawings, their bindings and texts. */
export class TitleBlocks {
  constructor(
    private readonly db: Db,
    private readonly properties: Properties,
    private readonly editions: Editions,
    private readonly libraries: Libraries,
    private readonly judgements: Pick<Judgements, 'settle'>,
    private readonly owners: CellOwners,
    private readonly clock: () => Date,
  ) {}

  /** Families with cell state counts, from stored states. */
  async list(): Promise<BlockRow[]> {
    await this.judgements.settle();
    const [families, definitions, counts, { schema }, draft] = await Promise.all([
      this.db.all<{ family: string; name: string | null; drawings: number; sheets: number; placed: number }>(
        `SELECT p.family, min(p.name) AS name, count(*)::int AS drawings, sum(p.sheets)::int AS sheets, sum(p.placed)::int AS placed
         FROM (SELECT b.family, b.file_id, count(DISTINCT b.layout) AS sheets, count(*) AS placed, min(b.block) FILTER (WHERE b.block NOT LIKE '*%') AS name
             FROM placed_blocks b GROUP BY b.family, b.file_id) p
         JOIN files f ON f.id = p.file_id AND NOT f.removed WHERE p.family <> ALL(${DRAWN_FAMILIES}) GROUP BY p.family ORDER BY drawings DESC, p.family`,
      ),
      // Definitions of a family and its variants.
      this.db.all<{ family: string; hash: string }>(
        `SELECT v.family, d.hash
         FROM (SELECT DISTINCT family, lower(block) AS name FROM placed_blocks WHERE lower(trim(block)) <> family
             UNION SELECT DISTINCT family, family FROM placed_blocks) v
         JOIN block_definitions d ON lower(trim(d.definition->>'name')) = v.name`,
      ),
      this.db.all<{ family: string; tag: string; state: CellState; cells: number }>(
        'SELECT family, tag, state, count(*)::int AS cells FROM cell_states GROUP BY family, tag, state',
      ),
      this.editions.inForce(this.db),
      this.editions.draftSchema(),
    ]);
    const hashes = new Map<string, string[]>();
    for (const { family, hash } of definitions) hashes.set(family, [...(hashes.get(family) ?? []), hash]);
    const known = await cellsOfBlocks(
      this.db,
      definitions.map((row) => row.hash),
    );
    const states = new Map<string, Partial<Record<CellState, number>>>();
    for (const { family, tag, state, cells } of counts) {
      const key = JSON.stringify([family, tag]);
      states.set(key, { ...states.get(key), [state]: cells });
    }
    const rows = families.map(({ family, name, drawings, sheets, placed }): BlockRow => {
      const cells = new Map<string, BlockCell>();
      for (const block of (hashes.get(family) ?? []).flatMap((hash) => known.get(hash) ?? []))
        for (const { tag, prompt, constant } of block.cells)
          if (!cells.has(tag))
            cells.set(tag, {
              tag,
              prompt,
              constant,
              binding: bindingOf(schema.bindings, family, tag) ?? null,
              drafted: bindingOf(draft.bindings, family, tag) ?? null,
              states: states.get(JSON.stringify([family, tag])) ?? {},
            });
      return { family, name: name ?? family, drawings, sheets, placed, cells: [...cells.values()] };
    });
    // Bound families come first.
    const bound = (row: BlockRow) => Number(row.cells.some((cell) => cell.binding !== null || cell.drafted !== null));
    return rows.sort((a, b) => bound(b) - bound(a));
  }

  /** Cells showing a property, with drawing and stale counts. */
  async cellsOf(property: number): Promise<{ block: string; tag: string; source: string; drawings: number; stale: number }[]> {
    await this.judgements.settle();
    const { schema } = await this.editions.inForce(this.db);
    const bindings = usesOf(property, schema.bindings, []).bindings;
    const found = await this.db.all<{ binding: number; name: string; tag: string; drawings: number; stale: number }>(
      `SELECT c.*, coalesce((SELECT b.block FROM placed_blocks b WHERE b.family = c.family AND b.block NOT LIKE '*%' LIMIT 1), c.family) AS name FROM
         (SELECT binding_id AS binding, family, tag, count(DISTINCT file_id)::int AS drawings, count(*) FILTER (WHERE state = 'stale')::int AS stale
          FROM cell_states WHERE binding_id = ANY($1::int[]) GROUP BY binding_id, family, tag) c ORDER BY c.family, c.tag`,
      [bindings.map((binding) => binding.id)],
    );
    return found.map(({ binding, name, tag, drawings, stale }) => {
      const { shows } = bindings.find((candidate) => candidate.id === binding)!;
      const piece = shows.find((candidate) => 'property' in candidate && candidate.property === property);
      return { block: name, tag, source: piece && 'from' in piece ? piece.from : 'drawing', drawings, stale };
    });
  }

  /** A page of sheets with a family's title block and their cell states. */
  async sheets({ block, cell, state, offset, limit }: SheetsQuery): Promise<SheetPage> {
    await this.judgements.settle();
    const bind = [block, cell ?? null, state ?? null];
    const wanted = `(($2::text IS NULL AND $3::text IS NULL) OR EXISTS (SELECT 1 FROM cell_states c
      WHERE c.family = $1 AND c.file_id = b.file_id AND c.holder = b.holder AND ($2::text IS NULL OR c.tag = $2) AND ($3::text IS NULL OR c.state = $3)))`;
    const among = `FROM placed_blocks b JOIN files f ON f.id = b.file_id AND NOT f.removed WHERE b.family = $1 AND ${wanted}`;
    // Separate queries: the page uses the path index, only the count scans all rows.
    const [total, rows] = await Promise.all([
      this.db.one<{ n: number }>(`SELECT count(*)::int AS n ${among}`, bind),
      this.db.all<SheetRow>(
        `SELECT p.file_id AS file, p.path, p.lock_reason AS lock, p.layout, p.holder, ${LABEL} AS label,
           (SELECT count(*)::int FROM sheets n
               WHERE n.file_id = p.file_id AND (n.layout = 'model') = (p.layout = 'model') AND (n.position, n.layout) <= (s.position, s.layout)) AS number,
           (SELECT count(*)::int FROM sheets n WHERE n.file_id = p.file_id AND (n.layout = 'model') = (p.layout = 'model')) AS sheets,
           (SELECT ${COUNTED}
               FROM (SELECT c.state, count(*)::int AS cells FROM cell_states c WHERE c.file_id = p.file_id AND c.holder = p.holder
                   GROUP BY c.state) n) AS states
         FROM (SELECT b.file_id, b.holder, b.layout, f.path, f.lock_reason ${among} ORDER BY f.path, b.holder LIMIT $4 OFFSET $5) p
         LEFT JOIN sheets s ON s.file_id = p.file_id AND s.layout = p.layout ORDER BY p.path, p.holder`,
        [...bind, limit, offset],
      ),
    ]);
    return { total: total!.n, rows };
  }

  /** Files whose values a drawing's blocks show: itself and the models of its sheets. */
  async around(file: number): Promise<number[]> {
    const found = await this.db.all<{ model: number }>(
      `SELECT model_file_id AS model FROM files WHERE id = $1 AND model_file_id IS NOT NULL UNION SELECT model_file_id FROM sheet_models WHERE file_id = $1`,
      [file],
    );
    return [file, ...found.map((row) => row.model)];
  }

  /** One sheet's title block. Pending lines count as applied. */
  async view(user: Pick<User, 'role'>, file: number, holder: string, lines: readonly Line[]): Promise<BlockView> {
    const row = await this.libraries.file(file);
    const [placed] = await this.db.all<PlacedBlock>(`${PLACED} WHERE b.file_id = $1 AND b.holder = $2`, [file, holder]);
    if (!placed) throw notFound(`The title block ${holder} in ${row.path}`);
    const found = await this.db.one<{ block: BlockReading }>(
      `SELECT b.block FROM files f, ${BLOCKS_OF_F} b WHERE f.id = $1 AND lower(b.block->>'name') = lower($2) ORDER BY b.position LIMIT 1`,
      [file, placed.block],
    );
    if (!found) throw notFound(`The block ${placed.block} in ${row.path}`);
    const works = new CellWorks(await preparedInForce(this.db, this.clock()));
    const cells = await works.cells(this.db, [placed], lines);
    const owners = await this.owners.of(user, placed, cells, works.bindings);
    const match = placed.match ?? { state: 'unmatched' as const };
    const paths = await this.libraries.paths(this.db, placed.model === null ? [] : [placed.model]);
    return {
      file: row,
      block: found.block,
      family: placed.family,
      holder,
      layout: placed.layout,
      number: placed.number,
      sheets: placed.sheets,
      scale: placed.scale,
      inside: placed.inside,
      model: { match, file: placed.model, path: placed.model === null ? null : (paths[placed.model] ?? null), settled: placed.settled },
      cells: found.block.cells.map(({ tag }) => ({
        tag,
        stored: placed.texts[tag] ?? null,
        fixed: placed.fixed[tag] ?? null,
        bound: cells.find((cell) => cell.tag === tag) ?? null,
        owner: owners.get(tag) ?? null,
      })),
    };
  }

  /** Sets the model of a sheet where it differs from the drawing's. */
  async settleSheet(file: number, { layout, model }: SheetModel): Promise<void> {
    const row = await this.libraries.file(file);
    if (!(await this.db.one('SELECT 1 FROM sheets WHERE file_id = $1 AND layout = $2', [file, layout]))) throw notFound(`The sheet ${layout} of ${row.path}`);
    if (model === null) {
      await this.db.run('DELETE FROM sheet_models WHERE file_id = $1 AND layout = $2', [file, layout]);
      return;
    }
    if ((await this.libraries.file(model)).kind === 'drawing') throw invalid('not-a-model', 'A sheet shows a part or an assembly.');
    await this.db.run('INSERT INTO sheet_models VALUES ($1, $2, $3) ON CONFLICT (file_id, layout) DO UPDATE SET model_file_id = excluded.model_file_id', [
      file,
      layout,
      model,
    ]);
  }

  /** Lines that correct cells of a family from stored states, with skipped drawings. Leading cells are corrected through their value. */
  async wished({ block, cells, drawings, wishes }: CellTray, pending: readonly Line[]): Promise<{ lines: Line[]; left: CellTrayAnswer['left'] }> {
    await this.judgements.settle();
    const found = await this.db.all<{
      file: number;
      path: string;
      lock: string | null;
      holder: string;
      tag: string;
      state: CellState;
      stored: string | null;
      shown: string | null;
      fit: CellFit | null;
    }>(
      `SELECT c.file_id AS file, f.path, f.lock_reason AS lock, c.holder, c.tag, c.state, c.stored, c.shown, c.fit
       FROM cell_states c JOIN files f ON f.id = c.file_id AND NOT f.removed
       WHERE c.family = $1
         AND (c.state = ANY($2::text[]) OR (c.fit IS NOT NULL AND c.state = 'stale' AND 'does not fit' = ANY($2::text[])))
         AND (c.state <> 'lacking' OR c.shown IS NOT NULL)
         AND ($3::text[] IS NULL OR c.tag = ANY($3::text[])) AND ($4::int[] IS NULL OR c.file_id = ANY($4::int[]))
         ORDER BY f.path, c.holder, c.tag LIMIT ${MOST_CELLS}`,
      [block, wishes, cells, drawings],
    );
    const left = new Map<number, CellTrayAnswer['left'][number]>();
    for (const { file, path, lock } of found)
      if (lock !== null) left.set(file, { file, path, reason: `The file ${lock}.`, cells: (left.get(file)?.cells ?? 0) + 1 });
    const anew = await this.pendingCells(block, pending);
    const free = found.filter((cell) => cell.lock === null && !anew.has(`${cell.file}/${cell.holder}`));
    const also = [...anew.values()].flat().filter((cell) => (!cells || cells.includes(cell.tag)) && (!drawings || drawings.includes(cell.drawing)));
    const lines = cellLines(
      [
        ...also,
        ...free.map(({ file, holder, tag, stored, shown, state, fit }) => ({
          drawing: file,
          holder,
          tag,
          stored,
          state,
          fit,
          shown: shown === null ? { state: 'blank' as const, placeholder: '', why: '' } : { state: 'value' as const, text: shown },
        })),
      ],
      wishes,
      `title block ${block}`,
      false,
    );
    return { lines, left: [...left.values()].slice(0, MOST_LEFT) };
  }

  /** Cells affected by pending lines, by `file/holder`. */
  private async pendingCells(block: string, pending: readonly Line[]): Promise<Map<string, BoundCell[]>> {
    const byBlock = new Map<string, BoundCell[]>();
    if (pending.length === 0) return byBlock;
    const files = [...new Set(pending.map((line) => line.address.file))];
    const placed = await this.db.all<PlacedBlock>(
      `${PLACED}
         WHERE b.family = $1 AND f.lock_reason IS NULL
           AND (b.file_id = ANY($2::int[]) OR m.id = ANY($2::int[]) OR -f.project_id = ANY($2::int[]) OR -f.set_id = ANY($2::int[])
         OR EXISTS (SELECT 1 FROM wide_holders w WHERE w.level = 'company' AND -w.id = ANY($2::int[])))`,
      [block, files],
    );
    const works = new CellWorks(await preparedInForce(this.db, this.clock()));
    for (const cell of await works.cells(this.db, placed, pending)) {
      const key = `${cell.drawing}/${cell.holder}`;
      byBlock.set(key, [...(byBlock.get(key) ?? []), cell]);
    }
    return byBlock;
  }

  /** Learns from drawings what cells show, with exceptions. Two passes in batches. */
  async learned(): Promise<Learned['cells']> {
    await this.judgements.settle();
    const active = [...(await this.properties.ofFiles(this.db)).values()];
    const learner = new CellLearner(active, compileStandIns((await readSettings(this.db)).standIns));
    const names = new Map<string, string>();
    for await (const cells of this.observations(active))
      for (const { cell, name } of cells) {
        learner.observe(cell);
        if (!names.has(cell.block) && !name.startsWith('*')) names.set(cell.block, name);
      }
    const [{ schema: inForce }, draft] = [await this.editions.inForce(this.db), await this.editions.draftSchema()];
    const learned = learner.learned(inForce.bindings).map((binding) => ({
      ...binding,
      bound: bindingOf(inForce.bindings, binding.block, binding.tag) ?? null,
      drafted: bindingOf(draft.bindings, binding.block, binding.tag) ?? null,
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
    return learned.map((binding) => ({ ...binding, block: names.get(binding.block) ?? binding.block }));
  }

  private async *observations(properties: readonly Property[]): AsyncGenerator<{ cell: CellObservation; path: string; name: string }[]> {
    for (let after = 0; ;) {
      const page = await this.db.all<PlacedBlock>(
        `${PLACED}
          WHERE b.file_id = ANY(ARRAY(SELECT DISTINCT p.file_id FROM placed_blocks p WHERE p.file_id > $1 ORDER BY p.file_id LIMIT 500))
          ORDER BY b.file_id, b.holder`,
        [after],
      );
      if (page.length === 0) return;
      const files = [...new Set(page.flatMap(({ file, model }) => (model === null ? [file] : [file, model])))];
      const held = await valuesFor(this.db, files, properties);
      const of = (file: number | null) => (file === null ? null : (held.get(file) ?? {}));
      yield page.flatMap(({ file, path, holder, block, family, model, texts }) =>
        Object.entries(texts).map(([tag, text]) => ({
          path,
          name: block,
          cell: { drawing: file, holder, block: family, tag, text, values: { drawing: of(file), model: of(model) } },
        })),
      );
      after = page.at(-1)!.file;
    }
  }
}
