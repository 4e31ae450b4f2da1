import {
  BomAssembly,
  BomMember,
  BomNumber,
  BomPlace,
  BomRenumber,
  BomRenumbered,
  BomRequest,
  BomRowRequest,
  BomTable,
  BomTableRow,
  BomTyped,
  ProposedAnswer,
  WhereUsed,
} from '@rule/contract';
import {
  BOM_FACTS,
  BomColumn,
  BomFact,
  BomLimit,
  BomRow,
  BomTableRow as ShownRow,
  PlacedIn,
  groupRows,
  inBomOrder,
  itemTexts,
  makeRows,
  numberRows,
  plainContent,
  renumber,
  restsOnValues,
  sameRows,
  whereUsed,
} from '@rule/core/bom';
import { isHeldAt } from '@rule/core/schema';
import { Trays } from '../changes/tray';
import { Libraries } from '../library/library';
import { Db } from '../platform/db';
import { invalid, notFound } from '../platform/problem';
import { Properties } from '../schema/properties';
import { User } from '../users/user';
import { Judgements } from '../values/judgements';
import { BomCells } from './cells';
import { BomLayouts } from './layouts';
import { BomNumbers, NumberedList } from './numbers';
import { USES } from './plans';
import { BomData } from './sources';

/** A list with everything its cells are computed from. */
export interface MadeBom {
  readonly data: BomData;
  readonly cells: BomCells;
  /** In layout order. */
  readonly rows: readonly BomRow[];
  readonly leftOut: number;
  readonly numbers: ReadonlyMap<string, number>;
  readonly items: ReadonlyMap<string, string>;
  readonly headers: readonly string[];
  readonly list: NumberedList | null;
  readonly root: string;
}

/** Takes the first rows of a list before the values of the others are read. */
type TakeFirst = (first: MadeBom, all: readonly BomRow[]) => Promise<void>;

const NONE: BomTableRow['candidates'] = [];

/** Units of facts, for column headers. */
const FACT_UNITS: Partial<Record<BomFact, string>> = { mass: ', kg', length: ', mm', section: ', mm' };

/** Rows computed before yielding to other requests. */
const AT_ONCE = 1000;

/** Rows that a long list shows first. */
const FIRST_ROWS = 200;

/** Computes rows and cells. Long lists yield to other requests between batches. */
export async function shownRows({ rows, items, cells }: Pick<MadeBom, 'rows' | 'items' | 'cells'>, columns: readonly BomColumn[]): Promise<ShownRow[]> {
  const shown: ShownRow[] = [];
  for (const row of rows) {
    shown.push(shownRow(row, items, columns, cells));
    if (shown.length % AT_ONCE === 0) await new Promise(setImmediate);
  }
  return shown;
}

const piecesOf = (rows: readonly BomRow[]): number => rows.reduce((sum, row) => sum + (row.counts ? row.total : 0), 0);

const shownRow = (row: BomRow, items: ReadonlyMap<string, string>, columns: readonly BomColumn[], cells: BomCells): ShownRow => ({
  id: row.id,
  parent: row.parent,
  level: row.level,
  label: row.label,
  match: row.match,
  members: row.members,
  quantity: row.quantity,
  total: row.total,
  measure: row.measure,
  bodies: row.bodies,
  open: row.open,
  counts: row.counts,
  loop: row.loop,
  item: items.get(row.id) ?? '',
  cells: columns.map((column) => cells.cell(row, column.of)),
});

/** Bills of materials from product structure and the values of part files, occurrences and bodies. */
export class Boms {
  private readonly kept: BomNumbers;

  constructor(
    private readonly db: Db,
    private readonly properties: Properties,
    private readonly libraries: Libraries,
    private readonly judgements: Pick<Judgements, 'settle'>,
    private readonly trays: Pick<Trays, 'propose'>,
    private readonly layouts: BomLayouts,
  ) {
    this.kept = new BomNumbers(db);
  }

  /** Assemblies with the products a list can start from. */
  assemblies(): Promise<BomAssembly[]> {
    return this.db.all<BomAssembly>(
      `SELECT f.id, f.path, count(c.product) FILTER (WHERE c.part_id IS NULL)::int AS unmatched,
         CASE WHEN jsonb_array_length(f.reading->'structure'->'roots') > 1 THEN
           (SELECT jsonb_agg(jsonb_build_object('product', r.key, 'label', coalesce(nullif(p->>'name', ''), nullif(p->>'id', ''), r.key)))
             FROM jsonb_array_elements_text(f.reading->'structure'->'roots') r(key)
             LEFT JOIN LATERAL (SELECT p FROM jsonb_array_elements(f.reading->'structure'->'products') p WHERE p->>'key' = r.key) p ON true)
         ELSE '[]' END AS roots
       FROM files f LEFT JOIN copies c ON c.assembly_id = f.id
       WHERE f.kind = 'assembly' AND NOT f.removed GROUP BY f.id ORDER BY f.path`,
    );
  }

  /** Parts in assemblies without a known file. */
  async unmatched(): Promise<number> {
    const row = await this.db.one<{ n: number }>(
      'SELECT count(*)::int AS n FROM copies c JOIN files f ON f.id = c.assembly_id AND NOT f.removed WHERE c.part_id IS NULL',
    );
    return row!.n;
  }

  /**
   * Builds a list. For a saved layout, missing item numbers are assigned and stored.
   * @param atFirst receives the first rows of a long list as soon as their values are known; where the order depends on values, nothing
   * @throws AppError
   */
  async make(user: Pick<User, 'id'>, assembly: number, { content, layout, root: asked }: BomRequest, atFirst?: TakeFirst): Promise<MadeBom> {
    const file = await this.libraries.file(assembly);
    const saved = layout === null ? null : await this.layouts.get(user, layout);
    const [data, stored] = await Promise.all([
      BomData.open(this.db, this.properties, assembly, content, (files) => this.judgements.settle(files)),
      layout === null ? [] : this.kept.read(this.db, { assembly, layout, ...(asked === undefined ? {} : { root: asked }) }),
    ]);
    const early = atFirst !== undefined && !restsOnValues(content);
    if (!early) await data.load(null);
    await new Promise(setImmediate);
    const roots = data.structures.roots(assembly);
    if (file.kind !== 'assembly' || roots.length === 0) throw invalid('not-an-assembly', `${file.path} is not an assembly.`);
    const root = asked ?? roots[0]!.product;
    if (!roots.some((entry) => entry.product === root)) throw notFound(`${file.path}, product ${root}`);
    try {
      const { rows, leftOut } = makeRows(data.structures, { file: assembly, product: root }, content, data);
      const list = layout === null ? null : { assembly, root, layout };
      const numbers = list
        ? await this.kept.of(list, rows, stored, content.numbers, sameRows(saved!.content, content))
        : numberRows(rows, [], content.numbers).numbers;
      const items = itemTexts(rows, numbers);
      await new Promise(setImmediate);
      const freshCells = () =>
        new BomCells(
          data,
          (row) => items.get(row.id) ?? '',
          (row) => numbers.get(row.id) ?? null,
        );
      const headers = content.columns.map(({ header, of }) => {
        if (header !== '') return header;
        if ('fact' in of) return `${BOM_FACTS[of.fact]}${FACT_UNITS[of.fact] ?? ''}`;
        const property = data.properties.get(of.property);
        return property ? `${property.caption}${property.unit ? `, ${property.unit}` : ''}` : 'gone from the schema';
      });
      const made = (): MadeBom => {
        const cells = freshCells();
        return { data, cells, rows: inBomOrder(rows, content.sort, { numbers, cell: cells.cell }), leftOut, numbers, items, headers, list, root };
      };
      if (early) {
        if (rows.length > 2 * FIRST_ROWS) {
          const whole = made();
          const first = whole.rows.slice(0, FIRST_ROWS);
          await data.load(first.flatMap((row) => row.members));
          await atFirst({ ...whole, cells: freshCells(), rows: first }, whole.rows);
        }
        await data.load(null);
      }
      return made();
    } catch (error) {
      if (error instanceof BomLimit) throw invalid('bom-too-long', `${file.path}: ${error.message}`);
      throw error;
    }
  }

  /**
   * The list as shown in the page.
   * @param atFirst receives the first rows of a long list, without totals
   */
  async table(user: Pick<User, 'id'>, assembly: number, request: BomRequest, atFirst?: (table: BomTable, rows: number) => void): Promise<BomTable> {
    const made = await this.make(
      user,
      assembly,
      request,
      atFirst &&
        (async (first, all) => {
          const table = await this.tableOf(first, assembly, request.content);
          const totals = request.content.columns.map(() => null);
          atFirst({ ...table, groups: table.groups.map((group) => ({ ...group, totals })), totals, pieces: piecesOf(all) }, all.length);
        }),
    );
    return this.tableOf(made, assembly, request.content);
  }

  private async tableOf(made: MadeBom, assembly: number, content: BomRequest['content']): Promise<BomTable> {
    const { data, cells, rows, numbers } = made;
    const { columns } = content;
    const candidates = [...new Set(rows.flatMap(({ match }) => (match.state === 'ambiguous' ? match.candidates : [])))];
    const [file, paths] = await Promise.all([this.libraries.file(assembly), this.libraries.paths(this.db, candidates)]);
    const shown = await shownRows(made, columns);
    const { groups, totals } = groupRows(shown, content, cells.cell);
    const twice = new Map<string, number>();
    const placed = [...data.properties.values()].filter((property) => isHeldAt(property, 'occurrence'));
    for (const row of rows)
      for (const property of placed)
        if (row.members.some((member) => data.heldTwice(member, property))) twice.set(property.caption, (twice.get(property.caption) ?? 0) + 1);
    return {
      assembly: file,
      root: made.root,
      headers: made.headers,
      // Spelled out for speed: object spreads are slow for a hundred thousand rows.
      rows: shown.map((row): BomTableRow => {
        const { match, members } = row;
        const part = match.state === 'matched' ? data.files.get(match.file) : undefined;
        return {
          id: row.id,
          parent: row.parent,
          level: row.level,
          label: row.label,
          match,
          quantity: row.quantity,
          total: row.total,
          measure: row.measure,
          bodies: row.bodies,
          open: row.open,
          counts: row.counts,
          loop: row.loop,
          item: row.item,
          number: numbers.get(row.id) ?? null,
          path: part?.path ?? null,
          className: part?.className ?? null,
          // The picture is that of the first product.
          picture:
            part !== undefined &&
            !(match.state === 'matched' && match.variant !== undefined) &&
            (row.bodies ? data.hasBodyPictures(part.id) : data.hasPicture(part.id)),
          members: members.length,
          cells: row.cells,
          candidates: match.state === 'ambiguous' ? match.candidates.map((id) => ({ id, path: paths[id] ?? `file ${id}` })) : NONE,
          copyOf: members[0] ? { assembly: members[0].assembly, product: members[0].product } : null,
        };
      }),
      groups,
      totals,
      pieces: piecesOf(rows),
      leftOut: made.leftOut,
      gone: data.gone,
      twice: [...twice].map(([caption, count]) => ({ caption, rows: count })),
    };
  }

  private rowOf({ rows }: MadeBom, id: string): BomRow {
    const row = rows.find((entry) => entry.id === id);
    if (!row) throw notFound('This row no longer exists; the list has changed');
    return row;
  }

  /** The members of a row. */
  async members(user: Pick<User, 'id'>, assembly: number, request: BomRowRequest): Promise<BomMember[]> {
    const made = await this.make(user, assembly, request);
    const row = this.rowOf(made, request.row);
    return row.members.map((member): BomMember => {
      const file = made.data.files.get(member.assembly)!;
      const label = file.structure?.occurrences.find((occurrence) => occurrence.key === member.occurrence)?.label ?? member.occurrence;
      return {
        assembly: member.assembly,
        path: file.path,
        occurrence: member.occurrence,
        label,
        times: member.times,
        cells: request.content.columns.map(({ of }) => {
          const property = 'property' in of ? made.data.properties.get(of.property) : undefined;
          return property
            ? made.cells.ofMember(member, property)
            : 'fact' in of && of.fact === 'quantity'
              ? { text: String(member.times), number: member.times }
              : { text: '' };
        }),
      };
    });
  }

  /**
   * Adds a value typed in a row to the tray, at its owner: the part, each occurrence or each body. Without a row, applies to all rows that
   * hold a value.
   * @returns the files left out
   */
  async type(user: User, assembly: number, { row: id, property: asked, text, member, ...request }: BomTyped): Promise<ProposedAnswer['left']> {
    const made = await this.make(user, assembly, request);
    const property = (await this.properties.active(this.db)).get(asked);
    if (!property) throw invalid('unknown-property', `Property ${asked} is not in the schema.`);
    const rows = id === null ? made.rows.filter((row) => made.cells.cell(row, { property: asked }).text !== '') : [this.rowOf(made, id)];
    const places = rows.flatMap((row) => {
      if (row.bodies) return row.bodies.keys.map((holder) => ({ file: row.bodies!.file, holder }));
      const members = member === undefined ? row.members : row.members.filter((entry) => `${entry.assembly}/${entry.occurrence}` === member);
      return members.map((entry) => made.data.holderOf(entry, property));
    });
    const held = places.filter((place) => place !== null);
    if (id !== null && (places.length === 0 || held.length < places.length))
      throw invalid('no-holder', `${rows[0]!.label}: no holder for ${property.caption}. Choose the part file first.`);
    const values = new Map(held.map(({ file, holder }) => [`${file}/${holder}`, { file, holder, property: asked, text }]));
    return this.trays.propose(user, [...values.values()], 'typed in a BOM');
  }

  private numbered(made: MadeBom): NumberedList {
    if (!made.list) throw invalid('not-saved', 'Numbers are kept with a saved layout. Save the layout first.');
    return made.list;
  }

  /** Sets the item number of a row. */
  async number(user: User, assembly: number, { row: id, number, ...request }: BomNumber): Promise<void> {
    const made = await this.make(user, assembly, request);
    await this.kept.type(this.numbered(made), made.rows, this.rowOf(made, id), number);
  }

  /** Renumbers all rows in display order, or previews the changes. */
  async renumber(user: User, assembly: number, { write, ...request }: BomRenumber): Promise<BomRenumbered> {
    const made = await this.make(user, assembly, request);
    const list = this.numbered(made);
    const labels = new Map(made.rows.map((row) => [row.id, row.label]));
    const changes = renumber(made.rows, made.numbers, request.content.numbers);
    if (write) {
      const after = new Map(changes.map((change) => [change.row, change.after]));
      await this.kept.set(
        list,
        made.rows.map((row) => ({ row: row.id, parent: row.parent, number: after.get(row.id) ?? made.numbers.get(row.id)! })),
      );
    }
    return { changes: changes.map((change) => ({ ...change, label: labels.get(change.row)! })), written: write };
  }

  /** Item numbers and quantities by part file. A part in several rows gets all their numbers and the total quantity. */
  async places(user: Pick<User, 'id'>, assembly: number, layout: number | null): Promise<Record<number, BomPlace>> {
    const content = layout === null ? { ...plainContent([]), structure: 'summed' as const, assemblies: true } : (await this.layouts.get(user, layout)).content;
    const made = await this.make(user, assembly, { content, layout });
    const found: Record<number, BomPlace> = {};
    for (const row of made.rows) {
      if (row.match.state !== 'matched' || row.bodies) continue;
      const before = found[row.match.file];
      const item = made.items.get(row.id) ?? '';
      found[row.match.file] = before ? { item: `${before.item}, ${item}`, quantity: before.quantity + row.total } : { item, quantity: row.total };
    }
    return found;
  }

  /** Every path from a part to top-level assemblies. */
  async whereUsed(part: number): Promise<WhereUsed> {
    await this.libraries.file(part);
    const { ways, more } = whereUsed(part, await this.db.all<PlacedIn>(USES, [part]));
    const paths = await this.libraries.paths(this.db, [...new Set(ways.flatMap((way) => way.assemblies))]);
    return {
      more,
      ways: ways.map(({ assemblies, times, total, loop }) => ({
        assemblies: assemblies.map((id, i) => ({ id, path: paths[id] ?? `file ${id}`, times: times[i]! })),
        total,
        loop,
      })),
    };
  }
}
