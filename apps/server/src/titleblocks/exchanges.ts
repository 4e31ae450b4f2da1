import { BlockExchange, BlockExchangePlan, LockedOut } from '@rule/contract';
import { extentOf } from '@rule/core/bom';
import { Line } from '@rule/core/changes';
import { BlockReading, PLACED, Place, placedOf, placedText } from '@rule/core/files';
import { familyOf } from '@rule/core/schema';
import { CellMatch, matchCells } from '@rule/core/titleblocks';
import { heldText } from '@rule/core/values';
import { BLOCKS_OF_F } from '../library/blocks';
import { CarriedBlocks, Lender, Lent } from '../library/carried';
import { FreeHandles } from '../library/handles';
import { Db } from '../platform/db';
import { invalid, notFound } from '../platform/problem';
import { Editions } from '../schema/editions';

/** Placed blocks of a family, with the drawing's definitions of the old and the new block. */
export const PLACES = `SELECT b.file_id AS file, f.path, l.root, f.lock_reason AS lock, f.reading->>'version' AS version, f.reading->>'nextHandle' AS next, b.layout,
    b.holder, b.block, b.inside, s.unit,
    coalesce((SELECT jsonb_object_agg(v.name, v.text) FROM held_values v WHERE v.file_id = b.file_id AND v.holder = b.holder AND v.place = 'cell'),
        '{}') AS texts,
    (SELECT v.text FROM held_values v WHERE v.file_id = b.file_id AND v.holder = b.holder AND v.place = 'placed' LIMIT 1) AS placed,
    (SELECT d.block FROM ${BLOCKS_OF_F} d WHERE lower(d.block->>'name') = lower(b.block) LIMIT 1) AS before,
    (SELECT d.block FROM ${BLOCKS_OF_F} d WHERE lower(trim(d.block->>'name')) = $2 LIMIT 1) AS after,
    EXISTS (SELECT 1 FROM change_lines l JOIN change_sets c ON c.id = l.change_set_id
        WHERE l.file_id = b.file_id AND l.place IN ('placed', 'block') AND c.state = 'pending') AS pending
  FROM placed_blocks b JOIN files f ON f.id = b.file_id AND NOT f.removed
  JOIN libraries l ON l.id = f.library_id
  LEFT JOIN sheets s ON s.file_id = b.file_id AND s.layout = b.layout
  WHERE b.family = $1 AND ($3::int[] IS NULL OR b.file_id = ANY($3::int[])) ORDER BY f.path, b.holder LIMIT $4`;

/** A placed block. */
export interface PlaceRow {
  readonly file: number;
  readonly path: string;
  readonly root: string;
  readonly lock: string | null;
  readonly version: string | null;
  readonly next: string | null;
  readonly layout: string;
  readonly holder: string;
  readonly block: string;
  readonly inside: string | null;
  readonly unit: string | null;
  readonly texts: Readonly<Record<string, string>>;
  readonly placed: string | null;
  readonly before: BlockReading | null;
  readonly after: BlockReading | null;
  readonly pending: boolean;
}

/** Maximum sheets per exchange. */
export const MOST_SHEETS = 10_000;
/** Maximum example texts per lost cell. */
const MOST_EXAMPLES = 5;

/** Why a placed block cannot be replaced now; `null` if it can. */
export function whyNotReplaced(row: PlaceRow): string | null {
  if (row.lock !== null) return `The file ${row.lock}.`;
  if (row.inside !== null) return `The block is part of the block ${row.inside}.`;
  if (row.placed === null || row.before === null) return 'It consists of plain texts, not of a block.';
  if (row.pending) return 'Blocks of this drawing are already pending in a tray. Apply or discard them first.';
  if (row.version === null || row.version < 'AC1015') return `The drawing is of version ${row.version ?? 'AC1009'}. Save it in a newer version first.`;
  return null;
}

/** Texts of cells that go, with examples. */
export function lostTexts(rows: readonly PlaceRow[], goes: (tag: string) => boolean): BlockExchangePlan['lost'] {
  const lost = new Map<string, { texts: number; examples: string[] }>();
  for (const { texts } of rows)
    for (const [tag, text] of Object.entries(texts)) {
      if (text.trim() === '' || !goes(tag)) continue;
      const own = lost.get(tag) ?? { texts: 0, examples: [] };
      own.texts++;
      if (own.examples.length < MOST_EXAMPLES && !own.examples.includes(text)) own.examples.push(text);
      lost.set(tag, own);
    }
  return [...lost].map(([tag, entry]) => ({ tag, ...entry }));
}

/** Drawings that are left out, once each, with the first reason. */
export function leftOut(rows: readonly PlaceRow[], why: (row: PlaceRow) => string | null): LockedOut[] {
  const left = new Map<number, LockedOut>();
  for (const row of rows) {
    const reason = why(row);
    if (reason !== null && !left.has(row.file)) left.set(row.file, { file: row.file, path: row.path, reason });
  }
  return [...left.values()];
}

/** Exchanges one title block for another on many sheets. */
export class BlockExchanges {
  constructor(
    private readonly db: Db,
    private readonly editions: Editions,
    private readonly carried: CarriedBlocks,
  ) {}

  private async read({ from, to, drawings }: BlockExchange): Promise<{ rows: PlaceRow[]; lender: Lender | null; after: BlockReading }> {
    if (familyOf(from) === familyOf(to)) throw invalid('same-block', 'Choose another block.');
    const rows = await this.db.all<PlaceRow>(PLACES, [familyOf(from), familyOf(to), drawings, MOST_SHEETS + 1]);
    if (rows.length === 0) throw notFound(`A sheet with the block ${from}`);
    if (rows.length > MOST_SHEETS) throw invalid('too-many', `The block ${from} is on more than ${MOST_SHEETS} sheets. Choose fewer drawings.`);
    const lender = rows.some((row) => row.after === null) ? ((await this.carried.lenders([to])).get(familyOf(to)) ?? null) : null;
    const known = rows.find((row) => row.after !== null)?.after ?? (lender && (await this.carried.lend(lender, to)).block);
    if (!known) throw notFound(`A drawing that defines the block ${to}`);
    return { rows, lender, after: known };
  }

  /** Why a sheet's block cannot be exchanged now; `null` if it can. */
  private whyNot(row: PlaceRow, lender: Lender | null): string | null {
    const reason = whyNotReplaced(row);
    if (reason !== null) return reason;
    if (row.after === null && !lender) return 'No drawing can lend the new block.';
    if (row.after === null && row.unit !== null && lender!.unit !== null && row.unit !== lender!.unit) return 'The new block is drawn in another unit.';
    return null;
  }

  /** Previews an exchange: sources of cell texts, lost texts, and skipped drawings. */
  async plan(request: BlockExchange): Promise<BlockExchangePlan> {
    const [{ rows, lender, after }, { schema }] = await Promise.all([this.read(request), this.editions.inForce(this.db)]);
    const before = rows.find((row) => row.before !== null)?.before;
    const cells = (before?.cells ?? []).filter((cell) => !cell.constant);
    const free = after.cells.filter((cell) => !cell.constant);
    const suggested = matchCells({ family: familyOf(request.from), cells }, { family: familyOf(request.to), cells: free }, schema.bindings);
    const chosen = request.cells
      ? suggested.map((match): CellMatch => {
          const from = request.cells![match.tag] ?? null;
          return from === match.from ? match : { tag: match.tag, from, by: null };
        })
      : suggested;
    const good = rows.filter((row) => this.whyNot(row, lender) === null);
    const used = new Set(chosen.flatMap(({ from }) => from ?? []));
    return {
      sheets: good.length,
      cells: chosen.map((match) => ({ ...match, prompt: free.find((cell) => cell.tag === match.tag)!.prompt })),
      from: cells.map(({ tag, prompt }) => ({ tag, prompt, texts: good.filter((row) => (row.texts[tag] ?? '').trim() !== '').length })),
      lost: lostTexts(good, (tag) => !used.has(tag) && cells.some((cell) => cell.tag === tag)),
      lender: good.some((row) => row.after === null) ? lender!.path : null,
      left: leftOut(rows, (row) => this.whyNot(row, lender)),
    };
  }

  /** Lines of an exchange, and skipped drawings. The new block is aligned to the old one's lower right corner. */
  async lines(request: BlockExchange): Promise<{ lines: Line[]; left: LockedOut[] }> {
    const [{ rows, lender }, { cells }] = await Promise.all([this.read(request), this.plan(request)]);
    const source = new Map(cells.map(({ tag, from }) => [tag, from]));
    const handles = new Map<number, FreeHandles>();
    const brought = new Set<number>();
    let lent: Lent | null = null;
    const lines: Line[] = [];
    for (const row of rows) {
      if (this.whyNot(row, lender) !== null) continue;
      const line = (holder: string, place: Place, name: string, base: string | null, proposed: string | null): void => {
        lines.push({
          address: { file: row.file, holder, place, name },
          base: base === null ? null : heldText(base),
          proposed: proposed === null ? null : heldText(proposed),
          reason: `block ${request.from} exchanged for ${request.to}`,
          follows: false,
        });
      };
      if (row.after === null && !brought.has(row.file)) {
        lent ??= await this.carried.lend(lender!, request.to);
        brought.add(row.file);
        line('', 'block', lent.block.name, null, lent.text);
      }
      const block = row.after ?? lent!.block;
      const free = handles.get(row.file) ?? new FreeHandles(row.next);
      handles.set(row.file, free);
      const old = placedOf(row.placed!)!;
      const [left, right] = [extentOf(row.before!), extentOf(block)];
      const corner = (extent: typeof left) => ({ x: ((extent?.left ?? 0) + (extent?.width ?? 0)) * old.scale, y: (extent?.bottom ?? 0) * old.scale });
      const [was, is] = [corner(left), corner(right)];
      const at = { x: old.at.x + was.x - is.x, y: old.at.y + was.y - is.y };
      const holder = free.next(row.path, block.cells.length);
      line(holder, 'placed', PLACED, null, placedText({ block: block.name, at, scale: old.scale, layout: row.layout }));
      for (const { tag, constant } of block.cells) {
        const text = row.texts[source.get(tag) ?? ''] ?? '';
        if (!constant && text !== '') line(holder, 'cell', tag, null, text);
      }
      line(row.holder, 'placed', PLACED, row.placed, null);
      for (const [tag, text] of Object.entries(row.texts))
        if (text !== '' && row.before!.cells.some((cell) => cell.tag === tag && !cell.constant)) line(row.holder, 'cell', tag, text, null);
    }
    return { lines, left: leftOut(rows, (row) => this.whyNot(row, lender)) };
  }
}
