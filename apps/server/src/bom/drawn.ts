import {
  BomNumber,
  BomRenumber,
  BomRenumbered,
  BomRequest,
  DrawnBlock,
  DrawnBom,
  DrawnSheet,
  LockedOut,
  ListCorner,
  PlaceMarks,
  PutDrawn,
  SetMark,
} from '@rule/contract';
import {
  BOM_FACTS,
  BomColumn,
  DrawnList,
  Extent,
  Mark,
  MarkComparison,
  Slot,
  SlotOrder,
  WantedRow,
  alongEdge,
  compareDrawn,
  compareMarks,
  extentOf,
  orderSlots,
  placesFor,
} from '@rule/core/bom';
import { Line } from '@rule/core/changes';
import { BlockReading, PLACED, Place, PlacedBlock, Point, ViewBox, placedOf, placedText } from '@rule/core/files';
import { familyOf } from '@rule/core/schema';
import { heldText } from '@rule/core/values';
import { Trays } from '../changes/tray';
import { CarriedBlocks, Lender } from '../library/carried';
import { FreeHandles } from '../library/handles';
import { Db, asRecordset } from '../platform/db';
import { invalid, notFound, refused } from '../platform/problem';
import { User } from '../users/user';
import { Boms, MadeBom } from './boms';
import { BLOCKS_OF_SHEETS, KNOWN_BLOCKS, KNOWN_MARKS, SHEETS_SHOWING } from './plans';

/** A sheet that shows the assembly, with the blocks on it. */
interface SheetRow {
  readonly file: number;
  readonly path: string;
  readonly lock: string | null;
  readonly layout: string;
  readonly unit: string | null;
  readonly width: number | null;
  readonly height: number | null;
  readonly views: readonly ViewBox[] | null;
  readonly next: string | null;
  /** Pending lines of this user that place or remove blocks in this drawing, or change texts in rows and marks. */
  readonly pending: number;
  readonly texts: number;
}

interface BlockRow {
  readonly file: number;
  readonly layout: string;
  readonly holder: string;
  readonly family: string;
  readonly texts: Readonly<Record<string, string>>;
  readonly placed: string | null;
  readonly cells: number;
}

/** A sheet with its list and marks. */
interface Sheet {
  readonly row: SheetRow;
  readonly slots: readonly Slot[];
  readonly order: SlotOrder;
  readonly marks: readonly Mark[];
  readonly others: readonly (BlockRow & { readonly place: PlacedBlock })[];
  /** Blocks defined in the drawing, by family. */
  readonly blocks: ReadonlyMap<string, BlockReading>;
}

/** All data about the drawn lists of an assembly. */
interface Drawn {
  readonly list: DrawnList;
  readonly made: MadeBom;
  readonly wanted: readonly WantedRow[];
  readonly sheets: readonly Sheet[];
  readonly known: ReadonlyMap<string, string>;
  /** Drawings that provide the row block and the item mark where they are missing, by family. */
  readonly lenders: ReadonlyMap<string, Lender>;
}

/** Border of a sheet, in millimetres: ISO 5457 asks for 10, and 20 on the left for filing (from memory). */
const BORDER = { left: 20, other: 10 };

/** Maximum number of lines per step. */
const MOST_LINES = 20_000;

const slotKey = (file: number, holder: string) => `${file}/${holder}`;

/** Bills of materials drawn on sheets: row blocks and item marks are compared with the rows and corrected through the tray. */
export class DrawnLists {
  constructor(
    private readonly db: Db,
    private readonly boms: Boms,
    private readonly trays: Pick<Trays, 'type'>,
    private readonly carried: CarriedBlocks,
  ) {}

  /** Blocks with cells that drawings define, for the set-up of a list. */
  blocks(): Promise<DrawnBlock[]> {
    return this.db.all<DrawnBlock>(KNOWN_BLOCKS);
  }

  private async read(user: Pick<User, 'id'>, assembly: number, request: BomRequest): Promise<Drawn> {
    const { drawn: list } = request.content;
    if (!list) throw invalid('not-drawn', 'The layout does not say how its list is drawn. Choose the row block first.');
    const made = await this.boms.make(user, assembly, request);
    const rows = await this.db.all<SheetRow>(SHEETS_SHOWING, [assembly, user.id, [list.block, list.marks?.block ?? list.block].map(familyOf)]);
    const files = [...new Set(rows.map((row) => row.file))];
    const [found, known] = await Promise.all([
      this.db.all<BlockRow>(BLOCKS_OF_SHEETS, [files]),
      made.list ? this.db.all<{ file: number; holder: string; row: string }>(KNOWN_MARKS, [made.list.layout, assembly, files]) : Promise.resolve([]),
    ]);
    const definitions = await this.db.all<{ file: number; block: BlockReading }>(
      `SELECT f.id AS file, d.definition AS block FROM files f CROSS JOIN LATERAL unnest(f.blocks) AS b(hash)
        JOIN block_definitions d ON d.hash = b.hash WHERE f.id = ANY($1::int[])`,
      [files],
    );
    const ofFile = new Map<number, Map<string, BlockReading>>();
    for (const { file, block } of definitions) {
      const own = ofFile.get(file) ?? new Map<string, BlockReading>();
      ofFile.set(file, own.set(familyOf(block.name), block));
    }
    const needed = [list.block, ...(list.marks ? [list.marks.block] : [])];
    const lacking = needed.filter((name) => files.some((file) => !ofFile.get(file)?.has(familyOf(name))));
    const lenders = lacking.length ? await this.carried.lenders(lacking) : new Map<string, Lender>();
    const numberTag = list.cells.find(({ of }) => 'fact' in of && of.fact === 'item')?.tag ?? null;
    const here = new Map<string, BlockRow[]>();
    for (const block of found) here.set(`${block.file}/${block.layout}`, [...(here.get(`${block.file}/${block.layout}`) ?? []), block]);
    const sheets = rows.map((row): Sheet => {
      const all = (here.get(`${row.file}/${row.layout}`) ?? []).flatMap((block) => {
        const place = block.placed === null ? null : placedOf(block.placed);
        return place ? [{ ...block, place }] : [];
      });
      const blocks = ofFile.get(row.file) ?? new Map<string, BlockReading>();
      const slots = all
        .filter((block) => block.family === familyOf(list.block))
        .map(({ holder, texts, place }): Slot => ({ holder, texts, at: place.at, scale: place.scale }));
      const size = sizeOf(blocks.get(familyOf(list.block)), slots[0]?.scale ?? 1);
      const { marks } = list;
      return {
        row,
        slots,
        order: orderSlots(slots, list, size.width, numberTag),
        marks: all
          .filter((block) => marks !== null && block.family === familyOf(marks.block))
          .map(({ holder, texts, place, layout }): Mark => ({ holder, layout, number: texts[marks!.tag] ?? '', at: place.at })),
        others: all.filter((block) => block.family !== familyOf(list.block) && (marks === null || block.family !== familyOf(marks.block))),
        blocks,
      };
    });
    return {
      list,
      made,
      wanted: made.rows.map((row): WantedRow => ({
        id: row.id,
        item: made.items.get(row.id) ?? '',
        label: row.label,
        texts: Object.fromEntries(list.cells.map(({ tag, of }) => [tag, made.cells.cell(row, of).text])),
      })),
      sheets,
      known: new Map(known.map(({ file, holder, row }) => [slotKey(file, holder), row])),
      lenders,
    };
  }

  /** Compares lists and marks on an assembly's drawings with its bill of materials. */
  async view(user: Pick<User, 'id'>, assembly: number, request: BomRequest): Promise<DrawnBom> {
    const drawn = await this.read(user, assembly, request);
    const labels = new Map(drawn.wanted.map((row) => [row.id, row]));
    const heads = Object.fromEntries(drawn.list.cells.map(({ tag, of }) => [tag, this.headOf(drawn, of)]));
    return {
      heads,
      sheets: drawn.sheets.map((sheet): DrawnSheet => {
        const { differences, erased } = compareDrawn(sheet.order.columns.flat(), drawn.wanted, drawn.list);
        const marks = this.marksOf(drawn, sheet);
        const { row } = sheet;
        return {
          file: row.file,
          path: row.path,
          layout: row.layout,
          lock: row.lock,
          pending: row.pending + row.texts > 0,
          defined: sheet.blocks.has(familyOf(drawn.list.block)),
          marksDefined: drawn.list.marks !== null && sheet.blocks.has(familyOf(drawn.list.marks.block)),
          lent: {
            list: this.lenderOf(drawn, sheet, drawn.list.block)?.path ?? null,
            marks: (drawn.list.marks && this.lenderOf(drawn, sheet, drawn.list.marks.block)?.path) ?? null,
          },
          views: row.views?.length ?? 0,
          rows: sheet.slots.length,
          differences,
          erased,
          marks: marks.marks.map(({ mark, state, row: id, should }) => ({
            holder: mark.holder,
            number: mark.number,
            state,
            row: id,
            should,
            label: labels.get(id ?? '')?.label ?? '',
          })),
          without: marks.without.map((id) => ({ row: id, item: labels.get(id)!.item, label: labels.get(id)!.label })),
        };
      }),
    };
  }

  private headOf({ made }: Drawn, of: BomColumn['of']): string {
    return 'fact' in of ? BOM_FACTS[of.fact] : (made.data.properties.get(of.property)?.caption ?? 'not in the schema');
  }

  private marksOf({ wanted, known }: Drawn, { marks, row }: Sheet): MarkComparison {
    return compareMarks(
      marks,
      wanted,
      new Map(marks.flatMap(({ holder }) => (known.has(slotKey(row.file, holder)) ? [[holder, known.get(slotKey(row.file, holder))!]] : []))),
    );
  }

  private sheetOf({ sheets }: Drawn, drawing: number, layout: string): Sheet {
    const sheet = sheets.find(({ row }) => row.file === drawing && row.layout === layout);
    if (!sheet) throw notFound(`The sheet ${layout} of drawing ${drawing} that shows this assembly`);
    return sheet;
  }

  /**
   * Adds corrections of drawn lists to the tray, for one sheet or all.
   * @returns the files left out
   */
  async put(user: User, assembly: number, { drawing, sheet: layout, corner, erase, ...request }: PutDrawn): Promise<LockedOut[]> {
    const drawn = await this.read(user, assembly, request);
    const chosen = drawing === null ? drawn.sheets.filter(({ slots }) => slots.length > 0) : [this.sheetOf(drawn, drawing, layout ?? '')];
    const left: LockedOut[] = [];
    const lines: Line[] = [];
    for (const sheet of chosen) {
      const { row } = sheet;
      const why = this.closed(drawn, sheet, drawn.list.block);
      if (why !== null) {
        left.push({ file: row.file, path: row.path, reason: why });
        continue;
      }
      const { block, lines: defining } = await this.blockFor(drawn, sheet, drawn.list.block);
      lines.push(...defining, ...this.linesOf(drawn, sheet, block, corner, erase));
    }
    if (lines.length === 0)
      throw invalid('nothing-to-do', left.length ? `${left[0]!.path}: ${left[0]!.reason}` : 'The lists on these drawings are up to date.');
    if (lines.length > MOST_LINES) throw invalid('too-many', `This would change ${lines.length} texts at once (at most ${MOST_LINES}). Choose one drawing.`);
    await this.trays.type(user, lines, 'parts list brought up to date');
    return left;
  }

  /** Why nothing can be placed on a sheet now; `null` if it can. */
  private closed(drawn: Drawn, sheet: Sheet, block: string): string | null {
    const { row, blocks } = sheet;
    if (row.lock !== null) return `The file ${row.lock}.`;
    if (row.pending > 0) return 'Blocks of this drawing are already pending in your tray. Apply or discard them first.';
    if (!blocks.has(familyOf(block)) && !this.lenderOf(drawn, sheet, block)) return `The drawing does not define the block ${block}, and no other can lend it.`;
    return null;
  }

  /** The drawing that provides a missing block; both must use the same unit. */
  private lenderOf({ lenders }: Drawn, { row, blocks }: Sheet, block: string): Lender | null {
    if (blocks.has(familyOf(block))) return null;
    const lender = lenders.get(familyOf(block));
    return lender && (row.unit === null || lender.unit === null || row.unit === lender.unit) ? lender : null;
  }

  /** A block as defined in the drawing, or borrowed from another with the line that adds its definition. */
  private async blockFor(drawn: Drawn, sheet: Sheet, name: string): Promise<{ readonly block: BlockReading; readonly lines: readonly Line[] }> {
    const own = sheet.blocks.get(familyOf(name));
    if (own) return { block: own, lines: [] };
    const { block, text } = await this.carried.lend(this.lenderOf(drawn, sheet, name)!, name);
    const { file } = sheet.row;
    return { block, lines: [this.maker(file, `block ${block.name} brought from another drawing`)('', 'block', block.name, null, text)] };
  }

  private linesOf({ list, wanted }: Drawn, sheet: Sheet, block: BlockReading, corner: ListCorner | null, erase: boolean): Line[] {
    const slots = sheet.order.columns.flat();
    const { texts } = compareDrawn(slots, wanted, list, erase);
    const scale = slots[0]?.scale ?? this.scaleOf(sheet);
    const size = sizeOf(block, scale);
    const start = slots.length ? slots[0]!.at : this.startOf(sheet, list, size, corner);
    const places = placesFor(wanted.length, sheet.order, list, size, start);
    const { file, layout } = sheet.row;
    const line = this.maker(file, 'parts list brought up to date');
    const lines: Line[] = [];
    const handles = new FreeHandles(sheet.row.next);
    for (const [i, text] of texts.entries()) {
      const slot = slots[i];
      if (slot) {
        for (const { tag } of list.cells)
          if ((slot.texts[tag] ?? '') !== text[tag]) lines.push(line(slot.holder, 'cell', tag, slot.texts[tag] ?? null, text[tag]!));
        continue;
      }
      const holder = handles.next(sheet.row.path, block.cells.length);
      lines.push(line(holder, 'placed', PLACED, null, placedText({ block: block.name, at: places[i]!, scale, layout })));
      for (const [tag, own] of Object.entries(text)) if (own !== '') lines.push(line(holder, 'cell', tag, null, own));
    }
    for (const slot of slots.slice(wanted.length)) {
      lines.push(line(slot.holder, 'placed', PLACED, placedText({ block: block.name, at: slot.at, scale: slot.scale, layout }), null));
      for (const [tag, own] of Object.entries(slot.texts)) if (own !== '') lines.push(line(slot.holder, 'cell', tag, own, null));
    }
    return lines;
  }

  private maker =
    (file: number, reason: string) =>
    (holder: string, place: Place, name: string, base: string | null, proposed: string | null): Line => ({
      address: { file, holder, place, name },
      base: base === null ? null : heldText(base),
      proposed: proposed === null ? null : heldText(proposed),
      reason,
      follows: false,
    });

  /** Uses the scale of the title block. */
  private scaleOf({ others }: Sheet): number {
    return mainOf(others)?.place.scale ?? 1;
  }

  /** Where a list without rows starts. */
  private startOf(sheet: Sheet, list: DrawnList, size: Extent, corner: ListCorner | null): Point {
    const { row, others } = sheet;
    const up = list.growth === 'up';
    if (corner === null) throw invalid('no-corner', `${row.path}, ${row.layout}: choose where the list starts.`);
    if (typeof corner === 'object') return corner;
    const rightmost = (right: number) => right - size.width - size.left;
    if (corner === 'title block') {
      const title = mainOf(others);
      const extent = title && sizeOf(sheet.blocks.get(title.family), title.place.scale);
      if (!title || !extent?.width) throw invalid('no-title-block', `${row.path}, ${row.layout} has no title block to place the list at.`);
      const { at } = title.place;
      // Upwards: above the title block; downwards: from its lower edge. Aligned with its right edge.
      const y = up ? at.y + extent.bottom + extent.height - size.bottom : at.y + extent.bottom - size.height - size.bottom;
      return { x: rightmost(at.x + extent.left + extent.width), y };
    }
    if (row.width === null || row.height === null)
      throw invalid('no-paper', `${row.path}, ${row.layout} does not state its paper size. Enter the coordinates of the list.`);
    const unit = row.unit === 'in' ? 25.4 : 1;
    const [top, side] = corner.split(' ') as ['top' | 'bottom', 'left' | 'right'];
    const x = side === 'left' ? BORDER.left / unit - size.left : rightmost((row.width - BORDER.other) / unit);
    const highest = (row.height - BORDER.other) / unit - size.height - size.bottom;
    return { x, y: top === 'top' ? highest : BORDER.other / unit - size.bottom };
  }

  /** Sets marks to the item numbers of their rows: one mark, or all with a known row. */
  async setMarks(user: User, assembly: number, { drawing, sheet: layout, holder, row: id, ...request }: SetMark): Promise<void> {
    const drawn = await this.read(user, assembly, request);
    const sheet = this.sheetOf(drawn, drawing, layout);
    if (sheet.row.lock !== null) throw refused('locked', `${sheet.row.path}: The file ${sheet.row.lock}.`);
    const { tag } = drawn.list.marks ?? noMarks();
    const rows = new Map(drawn.wanted.map((row) => [row.id, row]));
    if (holder !== null && id !== null && !rows.has(id)) throw notFound('This row no longer exists; the list has changed');
    const chosen = this.marksOf(drawn, sheet).marks.flatMap(({ mark, row }) => {
      if (holder !== null && mark.holder !== holder) return [];
      const own = holder !== null && id !== null ? id : row;
      return own === null ? [] : [{ mark, row: rows.get(own)! }];
    });
    if (holder !== null && chosen.length === 0) throw invalid('no-row', 'Choose the row that this mark points at.');
    const line = this.maker(drawing, 'item mark set to its row');
    const lines = chosen.filter(({ mark, row }) => mark.number !== row.item).map(({ mark, row }) => line(mark.holder, 'cell', tag, mark.number, row.item));
    await this.keep(
      drawn,
      chosen.map(({ mark, row }) => ({ file: drawing, holder: mark.holder, row: row.id })),
    );
    if (lines.length) await this.trays.type(user, lines, 'item mark set to its row');
  }

  /** Places marks for rows without one along an edge of a view. */
  async placeMarks(user: User, assembly: number, { drawing, sheet: layout, edge, view, ...request }: PlaceMarks): Promise<void> {
    const drawn = await this.read(user, assembly, request);
    const sheet = this.sheetOf(drawn, drawing, layout);
    const { block: name, tag } = drawn.list.marks ?? noMarks();
    const why = this.closed(drawn, sheet, name);
    if (why !== null) throw refused('closed', `${sheet.row.path}: ${why}`);
    const box = sheet.row.views?.[view] ?? this.frameOf(sheet);
    const { block, lines: defining } = await this.blockFor(drawn, sheet, name);
    const scale = this.scaleOf(sheet);
    const size = sizeOf(block, scale);
    const { without } = this.marksOf(drawn, sheet);
    if (without.length === 0) throw invalid('nothing-to-do', 'Every row has a mark on this sheet.');
    const rows = new Map(drawn.wanted.map((row) => [row.id, row]));
    const handles = new FreeHandles(sheet.row.next);
    const line = this.maker(drawing, 'item marks placed');
    const points = alongEdge(without.length, box, edge, Math.max(size.width, size.height));
    const placed = without.map((id, i) => ({ holder: handles.next(sheet.row.path, block.cells.length), row: rows.get(id)!, at: points[i]! }));
    await this.keep(
      drawn,
      placed.map(({ holder, row }) => ({ file: drawing, holder, row: row.id })),
    );
    await this.trays.type(
      user,
      [
        ...defining,
        ...placed.flatMap(({ holder, row, at }) => [
          line(holder, 'placed', PLACED, null, placedText({ block: block.name, at, scale, layout })),
          line(holder, 'cell', tag, null, row.item),
        ]),
      ],
      'item marks placed',
    );
  }

  /** The area inside the border of a sheet without views. */
  private frameOf({ row }: Sheet): ViewBox {
    if (row.width === null || row.height === null) throw invalid('no-view', `${row.path}, ${row.layout} has neither a view nor a paper size.`);
    const unit = row.unit === 'in' ? 25.4 : 1;
    // Leaves a quarter of the sheet free on every side.
    return { left: row.width / unit / 4, bottom: row.height / unit / 4, width: row.width / unit / 2, height: row.height / unit / 2 };
  }

  private async keep({ made }: Drawn, marks: readonly { readonly file: number; readonly holder: string; readonly row: string }[]): Promise<void> {
    if (!made.list || marks.length === 0) return;
    const { layout, assembly, root } = made.list;
    await this.db.run(
      `INSERT INTO mark_rows (layout_id, assembly_id, root, file_id, holder, "row")
       SELECT $1, $2, $3, file, holder, "row" FROM jsonb_to_recordset($4::jsonb) AS n(file int, holder text, "row" text)
       ON CONFLICT (layout_id, assembly_id, file_id, holder) DO UPDATE SET root = excluded.root, "row" = excluded."row"`,
      [layout, assembly, root, asRecordset(marks)],
    );
  }

  /** Stores which rows marks point to before their numbers change. */
  private async remember(user: User, assembly: number, request: BomRequest): Promise<void> {
    if (!request.content.drawn?.marks || request.layout === null) return;
    const drawn = await this.read(user, assembly, request);
    await this.keep(
      drawn,
      drawn.sheets.flatMap((sheet) =>
        this.marksOf(drawn, sheet).marks.flatMap(({ mark, row }) => (row === null ? [] : [{ file: sheet.row.file, holder: mark.holder, row }])),
      ),
    );
  }

  /** Sets the number of a row; marks pointing to it are then known to be outdated. */
  async number(user: User, assembly: number, body: BomNumber): Promise<void> {
    const { row: _, number: __, ...request } = body;
    void [_, __];
    await this.remember(user, assembly, request);
    await this.boms.number(user, assembly, body);
  }

  /** Renumbers rows, or previews the changes. */
  async renumber(user: User, assembly: number, body: BomRenumber): Promise<BomRenumbered> {
    const { write, ...request } = body;
    if (write) await this.remember(user, assembly, request);
    return this.boms.renumber(user, assembly, body);
  }
}

function noMarks(): never {
  throw invalid('no-marks', 'The layout does not say which block the item marks are. Choose it first.');
}

/** The block with the most cells; usually the title block. */
const mainOf = <B extends BlockRow>(blocks: readonly B[]): B | undefined => [...blocks].sort((a, b) => b.cells - a.cells)[0];

function sizeOf(block: BlockReading | undefined, scale: number): Extent {
  const extent = (block && extentOf(block)) ?? { left: 0, bottom: 0, width: 0, height: 0 };
  return { left: extent.left * scale, bottom: extent.bottom * scale, width: extent.width * scale, height: extent.height * scale };
}
