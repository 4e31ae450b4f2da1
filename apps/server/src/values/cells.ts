import { Line } from '@rule/core/changes';
import { Match } from '@rule/core/identity';
import { CellDefinition, LetteringAspect, letteringOf } from '@rule/core/files';
import { Lettering, PLAIN_FIT, letteringUnit, seriesFor } from '@rule/core/lettering';
import { Binding, CellFact, CellForm, CellPiece, Judged, PreparedSchema, Property, WideLevel, bindingOf, isOutlineFact, isWide } from '@rule/core/schema';
import { sheetName } from '@rule/core/standards';
import {
  BoundCell,
  CellText,
  LayerOutlines,
  LetteredCell,
  OutlineFact,
  PlacedOutlines,
  cellState,
  cellText,
  composed,
  factText,
  fitOfCell,
  outlineText,
  sheetScaleText,
  tooLong,
} from '@rule/core/titleblocks';
import { BlockCells, DRAWN_FAMILIES, cellsOfBlocks } from '../library/blocks';
import { PlacedLettering } from '../library/readings';
import { HeldValue } from '@rule/core/values';
import { CopyValue, Sql } from '../platform/db';
import { LoadedFacts, loadFacts, surroundingsOf } from '../schema/facts';

/** A placed block with cells, with its sheet and texts. */
export interface PlacedBlock {
  readonly file: number;
  readonly path: string;
  readonly name: string;
  readonly holder: string;
  readonly layout: string;
  readonly block: string;
  readonly family: string;
  readonly inside: string | null;
  /** Cells defined by the block but missing here. */
  readonly missing: readonly string[];
  /** Why cells cannot be written, by tag. */
  readonly fixed: Readonly<Record<string, string>>;
  /** The sheet's model. */
  readonly model: number | null;
  /** Whether it was chosen for this sheet. */
  readonly settled: boolean;
  readonly modelName: string | null;
  readonly match: Match | null;
  readonly project: number | null;
  readonly set: number | null;
  /** Its number among the drawing's sheets, from 1, and their count. */
  readonly number: number;
  readonly sheets: number;
  /** Its number in the drawing set, and the set's size; `null` without a set. */
  readonly inSet: number | null;
  readonly ofSet: number | null;
  readonly scale: number | null;
  /** The scale of its largest view, and whether views differ. */
  readonly largest: number | null;
  readonly differ: boolean;
  /** Its drawing unit, if stated. */
  readonly unit: string | null;
  readonly width: number | null;
  readonly height: number | null;
  readonly made: string | null;
  readonly saved: string | null;
  /** Hashes of the drawing's blocks. */
  readonly blocks: readonly string[];
  /** Lettering that differs from the block. */
  readonly lettering: PlacedLettering;
  /** Pending lettering. */
  readonly pendingLettering?: readonly { readonly tag: string; readonly aspect: LetteringAspect; readonly to: number | null }[];
  /** What it stands in; `null` for neither outlines nor views. */
  readonly outlines: PlacedOutlines | null;
  /** Outlines of the drawing, added up by layer. */
  readonly layers: readonly LayerOutlines[] | null;
  /** Cell texts by tag. */
  readonly texts: Readonly<Record<string, string>>;
}

/** Placed blocks `b` of drawings `f`; conditions follow. */
export const PLACED = `SELECT b.file_id AS file, f.path, f.name, b.holder, b.layout, b.block, b.family, b.inside, b.missing, b.fixed, m.id AS model,
    m.name AS "modelName", sm.file_id IS NOT NULL AS settled,
    f.model_match AS match, f.project_id AS project, f.set_id AS "set", s.scale, s.largest, coalesce(s.scales_differ, false) AS differ,
      s.unit, s.width, s.height, f.blocks, b.lettering, b.outlines, s.outlines AS layers, ss.number AS "inSet", ss.total AS "ofSet",
    (SELECT count(*)::int FROM sheets n
        WHERE n.file_id = b.file_id AND ((n.layout = 'model') = (b.layout = 'model')) AND (n.position, n.layout) <= (s.position, s.layout)) AS number,
    (SELECT count(*)::int FROM sheets n WHERE n.file_id = b.file_id AND (n.layout = 'model') = (b.layout = 'model')) AS sheets,
    (SELECT left(v.text, 10) FROM held_values v WHERE v.file_id = b.file_id AND v.holder = '' AND v.place = 'field' AND v.name = 'created') AS made,
    (SELECT left(v.text, 10) FROM held_values v WHERE v.file_id = b.file_id AND v.holder = '' AND v.place = 'field' AND v.name = 'modified') AS saved,
    coalesce((SELECT jsonb_object_agg(v.name, v.text) FROM held_values v WHERE v.file_id = b.file_id AND v.holder = b.holder AND v.place = 'cell'),
        '{}') AS texts
  FROM placed_blocks b JOIN files f ON f.id = b.file_id AND NOT f.removed AND b.family <> ALL(${DRAWN_FAMILIES})
  LEFT JOIN sheets s ON s.file_id = b.file_id AND s.layout = b.layout
  LEFT JOIN set_sheets ss ON ss.file_id = b.file_id AND ss.layout = b.layout
  LEFT JOIN sheet_models sm ON sm.file_id = b.file_id AND sm.layout = b.layout
  LEFT JOIN files m ON m.id = coalesce(sm.model_file_id, f.model_file_id) AND NOT m.removed`;

/** Renumbers sheets of drawing sets by path and layout, counting sheets with a title block. Affected drawings are judged again. */
export const NUMBER_SETS = `WITH present AS (
    SELECT f.id AS file_id, s.layout, (row_number() OVER (PARTITION BY f.set_id ORDER BY f.path, s.position, s.layout))::int AS number,
      (count(*) OVER (PARTITION BY f.set_id))::int AS total
    FROM files f JOIN sheets s ON s.file_id = f.id
    WHERE f.set_id IS NOT NULL AND NOT f.removed
      AND EXISTS (SELECT 1 FROM placed_blocks b WHERE b.file_id = f.id AND b.layout = s.layout AND b.inside IS NULL)),
  gone AS (DELETE FROM set_sheets k WHERE NOT EXISTS (SELECT 1 FROM present n WHERE n.file_id = k.file_id AND n.layout = k.layout) RETURNING k.file_id),
  put AS (INSERT INTO set_sheets SELECT * FROM present ON CONFLICT (file_id, layout)
    DO UPDATE SET number = excluded.number, total = excluded.total
    WHERE (set_sheets.number, set_sheets.total) IS DISTINCT FROM (excluded.number, excluded.total) RETURNING file_id)
  INSERT INTO to_judge (file_id) SELECT file_id FROM gone UNION SELECT file_id FROM put`;

/** Drawings processed at a time. */
const BATCH = 500;

/** Binding of one cell of a placed block. */
export interface CellBinding {
  readonly tag: string;
  readonly binding: Binding;
}

/** Bound cells of a placed block, existing or defined. */
export function boundTags(bindings: readonly Binding[], placed: Pick<PlacedBlock, 'family' | 'texts' | 'missing'>): CellBinding[] {
  if (bindings.length === 0) return [];
  return [...Object.keys(placed.texts), ...placed.missing].flatMap((tag): CellBinding[] => {
    const binding = bindingOf(bindings, placed.family, tag);
    return binding ? [{ tag, binding }] : [];
  });
}

const noModel = ({ match }: PlacedBlock): string =>
  match?.state === 'ambiguous'
    ? `${match.candidates.length} files could be the model that this sheet shows`
    : 'the model that this sheet shows is not in the library';

/** Facts of a sheet, its file or its model. */
function factOf(placed: PlacedBlock, fact: Exclude<CellFact, OutlineFact>, form: CellForm): string | null {
  switch (fact) {
    case 'file name':
      return placed.name;
    case 'sheet name':
      return placed.layout === 'model' ? null : placed.layout;
    case 'sheet number':
      return String(placed.number);
    case 'number of sheets':
      return String(placed.sheets);
    case 'sheet number in set':
      return placed.inSet === null ? null : String(placed.inSet);
    case 'number of sheets in set':
      return placed.ofSet === null ? null : String(placed.ofSet);
    case 'scale':
      return sheetScaleText({ main: placed.scale, largest: placed.largest, differ: placed.differ }, form.scale);
    case 'sheet size':
      return placed.width === null || placed.height === null ? null : sheetName({ width: placed.width, height: placed.height });
    case 'model file name':
      return placed.modelName;
    case 'date made':
      return placed.made;
    case 'date saved':
      return placed.saved;
    case 'view scale': {
      const scale = placed.outlines?.view?.scale ?? null;
      return sheetScaleText({ main: scale, largest: scale, differ: false }, form.scale);
    }
  }
}

/** Blocks by hash. */
export type Definitions = ReadonlyMap<string, BlockCells>;

/** Definitions of placed blocks, without pictures. */
const definitionsOf = (sql: Sql, placed: readonly PlacedBlock[]): Promise<Definitions> =>
  cellsOfBlocks(
    sql,
    placed.flatMap((block) => block.blocks),
  );

/**
 * Effective lettering of a cell: from its block, or overridden on the sheet. `null` for unknown blocks and old readings. In model space,
 * blocks are scaled up.
 */
export function letteredCell(placed: PlacedBlock, tag: string, binding: Binding, definitions: Definitions): LetteredCell | null {
  const name = placed.block.toLowerCase();
  const block = placed.blocks.map((hash) => definitions.get(hash)).find((candidate) => candidate?.name.toLowerCase() === name);
  const cell = block?.cells.find((candidate) => candidate.tag === tag);
  if (!cell?.room || !cell.font) return null;
  const scale = placed.lettering.scale ?? 1;
  const defined: Lettering = { height: cell.height * scale, widthFactor: cell.widthFactor };
  const own = placed.lettering.own?.[tag];
  const held: Lettering = own ? { height: own.height, widthFactor: own.widthFactor } : defined;
  const lettering: { height: number; widthFactor: number } = { ...held };
  for (const { tag: other, aspect, to } of placed.pendingLettering ?? []) {
    if (other !== tag) continue;
    if (aspect === 'height') lettering.height = to ?? defined.height;
    else lettering.widthFactor = to ?? defined.widthFactor;
  }
  const unit = letteringUnit(placed.unit, cell.height);
  const perUnit = placed.layout === 'model' ? 1 / scale : 1;
  const room = moved(cell, own?.at ?? cell.at);
  const rule = binding.fit ?? PLAIN_FIT;
  const side = (n: number | null) => (n === null ? null : n * scale);
  return {
    height: lettering.height,
    widthFactor: lettering.widthFactor,
    style: cell.font,
    align: cell.align,
    valign: cell.valign,
    between: cell.between === undefined ? null : cell.between * scale,
    multiline: cell.multiline,
    room: { left: side(room.left), right: side(room.right), below: side(room.below), above: side(room.above) },
    series: seriesFor(unit, perUnit),
    // The lettering of a plain text is not a separate value.
    rule: cell.plain ? { ...rule, steps: rule.steps.filter((step) => step === 'abbreviations') } : rule,
    unit,
    perUnit,
    defined,
    held,
  };
}

/** The room of a moved attribute, between the same lines. */
function moved({ room, at, rotation }: CellDefinition, to: CellDefinition['at']): NonNullable<CellDefinition['room']> {
  const angle = (rotation * Math.PI) / 180;
  const [dx, dy] = [to.x - at.x, to.y - at.y];
  const [along, across] = [dx * Math.cos(angle) + dy * Math.sin(angle), dy * Math.cos(angle) - dx * Math.sin(angle)];
  const less = (n: number | null, by: number) => (n === null ? null : Math.max(0, n + by));
  return { left: less(room!.left, along), right: less(room!.right, -along), below: less(room!.below, across), above: less(room!.above, -across) };
}

/** Judged values of files and holders, cached. */
class Sources {
  private readonly documents = new Map<number, ReadonlyMap<number, Judged>>();
  private readonly sheets = new Map<string, ReadonlyMap<number, Judged>>();

  constructor(
    private readonly prepared: PreparedSchema,
    private readonly facts: ReadonlyMap<number, LoadedFacts>,
  ) {}

  document(file: number): ReadonlyMap<number, Judged> {
    let known = this.documents.get(file);
    if (!known) {
      const facts = this.facts.get(file);
      known = facts ? this.prepared.judge(facts).values : new Map<number, Judged>();
      this.documents.set(file, known);
    }
    return known;
  }

  sheet(file: number, holder: string): ReadonlyMap<number, Judged> {
    const key = `${file}/${holder}`;
    let known = this.sheets.get(key);
    if (!known) {
      const facts = this.facts.get(file);
      const inside = facts?.holders.find((candidate) => candidate.key === holder);
      known = facts && inside ? this.prepared.judgeHolder(facts, inside) : new Map<number, Judged>();
      this.sheets.set(key, known);
    }
    return known;
  }

  above(file: number, level: string, property: Property) {
    const facts = this.facts.get(file);
    return isWide(level) ? (facts?.above[level]?.get(property.writtenName) ?? null) : null;
  }
}

/** Computes texts of bound cells, using the common judgement. */
export class CellWorks {
  private readonly properties: ReadonlyMap<number, Property>;
  readonly bindings: readonly Binding[];

  constructor(private readonly prepared: PreparedSchema) {
    this.properties = new Map(prepared.schema.properties.map((property) => [property.id, property]));
    this.bindings = prepared.schema.bindings;
  }

  /** Context data to load for drawings and models. */
  get around() {
    const around = surroundingsOf([this.prepared]);
    const wide = this.bindings.some(({ shows }) => shows.some((piece) => 'property' in piece && isWide(piece.from)));
    return wide ? { ...around, wide } : around;
  }

  /** Current and computed texts of cells. Pending lines count as applied. */
  async cells(
    sql: Sql,
    placed: readonly PlacedBlock[],
    lines: readonly Line[] = [],
    wanted: (block: PlacedBlock, bound: CellBinding) => boolean = () => true,
  ): Promise<BoundCell[]> {
    const concerned = placed
      .map((block) => ({ block, bound: boundTags(this.bindings, block).filter((bound) => wanted(block, bound)) }))
      .filter(({ bound }) => bound.length > 0);
    const cells: BoundCell[] = [];
    const { around } = this;
    for (let at = 0; at < concerned.length; at += BATCH) {
      const page = concerned.slice(at, at + BATCH);
      const files = new Set(page.flatMap(({ block }) => (block.model === null ? [block.file] : [block.file, block.model])));
      const facts = await loadFacts(sql, [...files], around, lines);
      const sources = new Sources(this.prepared, facts);
      const definitions = await definitionsOf(
        sql,
        page.map(({ block }) => block),
      );
      const lettering = letteringIn(lines, files);
      for (const { block, bound } of page) {
        const lettered = lettering(block);
        for (const { tag, binding } of bound) cells.push(this.cell(lettered, tag, binding, sources, definitions));
      }
    }
    return cells;
  }

  /** The same with loaded facts of drawings and their models. */
  cellsOf(placed: readonly PlacedBlock[], facts: ReadonlyMap<number, LoadedFacts>, definitions: Definitions): BoundCell[] {
    const sources = new Sources(this.prepared, facts);
    return placed.flatMap((block) => boundTags(this.bindings, block).map(({ tag, binding }) => this.cell(block, tag, binding, sources, definitions)));
  }

  private cell(block: PlacedBlock, tag: string, binding: Binding, sources: Sources, definitions: Definitions): BoundCell {
    const standing = { stored: block.texts[tag] ?? null, fixed: block.fixed[tag] ?? null };
    const shown = composed(binding.shows, (piece) => this.piece(block, piece, sources));
    const lettered = shown.state === 'value' && standing.fixed === null ? letteredCell(block, tag, binding, definitions) : null;
    const fit = lettered && shown.state === 'value' ? fitOfCell(shown.text, lettered) : null;
    const state = cellState(standing, shown, fit, binding.fit ?? PLAIN_FIT);
    return {
      drawing: block.file,
      holder: block.holder,
      tag,
      binding: binding.id,
      ...standing,
      shown,
      state,
      fit,
      value: this.valueOf(block, binding, sources),
    };
  }

  private piece(block: PlacedBlock, piece: Exclude<CellPiece, { readonly words: string }>, sources: Sources): CellText {
    if ('fact' in piece) {
      if (piece.fact === 'model file name' && block.model === null) return { state: 'no model', placeholder: '', why: noModel(block) };
      if (isOutlineFact(piece.fact)) return outlineText(piece.fact, block.outlines, block.layers ?? [], block.unit, piece.form);
      return factText(factOf(block, piece.fact, piece.form), piece.fact, piece.form);
    }
    const property = this.properties.get(piece.property);
    if (!property || property.retired) return { state: 'blank', placeholder: '', why: 'its property is not in the schema' };
    if (isWide(piece.from) && holderAbove(block, piece.from) === null)
      return { state: 'blank', placeholder: property.placeholder, why: `the drawing belongs to no ${piece.from}` };
    if (piece.from === 'model' && block.model === null) return { state: 'no model', placeholder: property.placeholder, why: noModel(block) };
    const judged = this.judged(block, piece, property, sources);
    if (!judged) {
      const where = piece.from === 'sheet' ? 'this sheet' : piece.from === 'model' ? (block.modelName ?? 'the model') : 'this drawing';
      return { state: 'blank', placeholder: property.placeholder, why: `${property.caption} does not apply to ${where}` };
    }
    const text = cellText(judged.value, judged.property, piece.form, this.prepared.standIns);
    return text.state === 'blank' && judged.failure !== undefined ? { ...text, why: `${property.caption}: ${judged.failure}` } : text;
  }

  /** The value of a piece at its source; nothing if it does not apply. */
  private judged(block: PlacedBlock, piece: PropertyPiece, property: Property, sources: Sources): Pick<Judged, 'value' | 'property' | 'failure'> | undefined {
    if (isWide(piece.from)) return { value: sources.above(block.file, piece.from, property), property };
    if (piece.from === 'model' && block.model === null) return undefined;
    return piece.from === 'sheet'
      ? sources.sheet(block.file, block.holder).get(property.id)
      : sources.document(piece.from === 'model' ? block.model! : block.file).get(property.id);
  }

  /** The single value a cell shows; `null` for none or several. */
  private valueOf(block: PlacedBlock, { shows }: Binding, sources: Sources): HeldValue | null {
    const values = shows.filter((piece): piece is PropertyPiece => 'property' in piece);
    const property = values.length === 1 ? this.properties.get(values[0]!.property) : undefined;
    return property ? (this.judged(block, values[0]!, property, sources)?.value ?? null) : null;
  }
}

type PropertyPiece = Extract<CellPiece, { readonly property: number }>;

/** The wide holder of a drawing; 0 for the company. */
const holderAbove = (block: PlacedBlock, level: WideLevel): number | null => ({ 'drawing set': block.set, project: block.project, company: 0 })[level];

/** Placed blocks with pending lettering. */
function letteringIn(lines: readonly Line[], files: ReadonlySet<number>): (block: PlacedBlock) => PlacedBlock {
  const pending = new Map<string, { readonly tag: string; readonly aspect: LetteringAspect; readonly to: number | null }[]>();
  for (const { address, proposed } of lines) {
    const named = address.place === 'lettering' && files.has(address.file) ? letteringOf(address.name) : null;
    if (!named) continue;
    const key = `${address.file}/${address.holder}`;
    pending.set(key, [...(pending.get(key) ?? []), { ...named, to: proposed === null ? null : Number(proposed.text) }]);
  }
  return (block) => {
    const changes = pending.get(`${block.file}/${block.holder}`);
    return changes ? { ...block, pendingLettering: changes } : block;
  };
}

/**
 * Recomputes and stores cell states of some drawings.
 * @param facts of the drawings themselves
 */
const STATES = 'cell_states (file_id, holder, tag, family, binding_id, state, stored, shown, why, fit)';

/** Works out the states of the cells of some drawings again, and keeps them. @param facts those of the drawings themselves */
export async function keepCellStates(sql: Sql, ids: readonly number[], prepared: PreparedSchema, facts: ReadonlyMap<number, LoadedFacts>): Promise<void> {
  await sql.run('DELETE FROM cell_states WHERE file_id = ANY($1::int[])', [ids]);
  const works = new CellWorks(prepared);
  if (works.bindings.length === 0) return;
  const placed = await sql.all<PlacedBlock>(`${PLACED} WHERE b.file_id = ANY($1::int[])`, [ids]);
  if (placed.length === 0) return;
  const models = [...new Set(placed.flatMap(({ model }) => (model === null || facts.has(model) ? [] : [model])))];
  const { around } = works;
  // The judgement may not have loaded wide values used only by cells.
  const own = around.wide && [...facts.values()].every((file) => Object.keys(file.above).length === 0) ? await loadFacts(sql, ids, around) : facts;
  const all = models.length ? new Map([...own, ...(await loadFacts(sql, models, around))]) : own;
  const families = new Map(placed.map(({ file, holder, family }) => [`${file}/${holder}`, family]));
  const rows = works
    .cellsOf(placed, all, await definitionsOf(sql, placed))
    .map(({ drawing, holder, tag, binding, stored, shown, state, fit }): CopyValue[] => [
      drawing,
      holder,
      tag,
      families.get(`${drawing}/${holder}`)!,
      binding,
      state,
      stored,
      shown.state === 'value' ? shown.text : null,
      shown.state === 'value' ? '' : shown.why,
      tooLong(fit) ? JSON.stringify(fit) : null,
    ]);
  if (rows.length) await sql.copy(STATES, rows);
}
