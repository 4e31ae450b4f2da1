import { BomComparison, BomRequest, BomSide, CompareBoms, KeepBom, KeptBom, KeptBomView, KeptLine, SendBom } from '@rule/contract';
import { BomTotal, ComparedBom, columnAt, compareBoms, groupRows } from '@rule/core/bom';
import { Libraries } from '../library/library';
import { Db } from '../platform/db';
import { notFound, refused } from '../platform/problem';
import { User, mayDecide } from '../users/user';
import { Boms, MadeBom, shownRows } from './boms';
import { BomLayouts } from './layouts';
import { OutBom, OutLine, tableOf } from './outlet';
import { KEPT_ROW, PICTURES } from './plans';

/** What is in a kept list. */
interface KeptContent {
  readonly headers: readonly string[];
  readonly lines: readonly KeptLine[];
  readonly totals: readonly string[];
}

const textOf = (total: BomTotal | null): string =>
  total?.value == null ? '' : `${Number(total.value.toPrecision(10))}${total.without ? ` (${total.without} without)` : ''}`;

/** Snapshots of lists: kept, compared with each other or the current state, and sent out. */
export class KeptBoms {
  constructor(
    private readonly db: Db,
    private readonly boms: Boms,
    private readonly layouts: BomLayouts,
    private readonly libraries: Libraries,
    private readonly clock: () => Date,
  ) {}

  /** Kept lists of one assembly, or all. */
  list(assembly: number | null): Promise<KeptBom[]> {
    return this.db.all<KeptBom>(`SELECT ${KEPT_ROW} FROM bom_kept k WHERE $1::int IS NULL OR k.assembly_id = $1 ORDER BY k.at DESC, k.id DESC`, [assembly]);
  }

  async get(id: number): Promise<KeptBomView> {
    const row = await this.db.one<KeptBom & { content: KeptContent }>(`SELECT ${KEPT_ROW}, k.content FROM bom_kept k WHERE k.id = $1`, [id]);
    if (!row) throw notFound(`Kept BOM ${id}`);
    const { content, ...kept } = row;
    return { ...kept, ...content };
  }

  /** Keeps the list as it is: values, item numbers, quantities and file hashes. */
  async keep(user: User, assembly: number, { title, ...request }: KeepBom): Promise<KeptBom> {
    const [made, file, edition] = await Promise.all([
      this.boms.make(user, assembly, request),
      this.libraries.file(assembly),
      this.db.one<{ number: number }>(`SELECT number FROM editions WHERE state = 'in force'`),
    ]);
    const layout = request.layout === null ? '' : (await this.layouts.get(user, request.layout)).name;
    const content = await this.contentOf(made, request);
    const row = await this.db.one<{ id: number }>(
      `INSERT INTO bom_kept (assembly_id, title, path, layout, edition, at, user_id, by_name, content)
        VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9::jsonb) RETURNING id`,
      [
        assembly,
        title,
        file.path,
        layout,
        edition?.number ?? null,
        this.clock(),
        user.id,
        user.displayName,
        JSON.stringify(content).replaceAll('\\u0000', '\\ufffd'),
      ],
    );
    return (await this.db.one<KeptBom>(`SELECT ${KEPT_ROW} FROM bom_kept k WHERE k.id = $1`, [row!.id]))!;
  }

  /** Removes a kept list; only for its owner or an administrator. */
  async remove(user: User, id: number): Promise<void> {
    const row = await this.db.one<{ user: number | null }>('SELECT user_id AS "user" FROM bom_kept WHERE id = $1', [id]);
    if (!row) throw notFound(`Kept BOM ${id}`);
    if (!mayDecide(user, row.user)) throw refused('not-yours', 'Only the person who kept a BOM or an administrator can remove it.');
    await this.db.run('DELETE FROM bom_kept WHERE id = $1', [id]);
  }

  private async contentOf(made: MadeBom, { content }: BomRequest): Promise<KeptContent> {
    const keys = new Map<string, string>();
    const lines = made.rows.map((row): KeptLine => {
      const part = row.match.state === 'matched' ? made.data.files.get(row.match.file) : undefined;
      // Identifies a row across assemblies: the part's path, or its name if the part is unknown.
      const own = row.bodies ? `body ${row.label}` : (part?.path ?? `copy ${row.label}`);
      const key = row.parent === null ? own : `${keys.get(row.parent) ?? ''} › ${own}`;
      keys.set(row.id, key);
      return {
        key,
        level: row.level,
        item: made.items.get(row.id) ?? '',
        label: part ? part.path.slice(part.path.lastIndexOf('/') + 1) : row.label,
        quantity: made.cells.cell(row, { fact: 'quantity' }).text,
        cells: content.columns.map((column) => made.cells.cell(row, column.of).text),
        path: part?.path ?? null,
        hash: part?.hash ?? null,
      };
    });
    const { totals } = groupRows(await shownRows(made, content.columns), { ...content, group: null }, made.cells.cell);
    return { headers: made.headers, lines, totals: totals.map(textOf) };
  }

  /** What differs between two lists. */
  async compare(user: Pick<User, 'id'>, { before, after }: CompareBoms): Promise<BomComparison> {
    const [a, b] = await Promise.all([this.side(user, before), this.side(user, after)]);
    return { before: a.title, after: b.title, differences: compareBoms(a, b) };
  }

  private async side(user: Pick<User, 'id'>, side: BomSide): Promise<ComparedBom & { readonly title: string }> {
    if ('kept' in side) {
      const kept = await this.get(side.kept);
      return { title: kept.title, ...comparable(kept) };
    }
    const { assembly, ...request } = side;
    const [made, file] = await Promise.all([this.boms.make(user, assembly, request), this.libraries.file(assembly)]);
    return { title: file.path, ...comparable(await this.contentOf(made, request)) };
  }

  /** A list as it is now, as a table. */
  async table(user: Pick<User, 'id'>, assembly: number, { format, ...request }: SendBom): Promise<{ name: string; bytes: Uint8Array }> {
    const [made, file] = await Promise.all([this.boms.make(user, assembly, request), this.libraries.file(assembly)]);
    const { columns } = request.content;
    const shown = await shownRows(made, columns);
    const { groups, totals } = groupRows(shown, request.content, made.cells.cell);
    const byId = new Map(shown.map((row) => [row.id, row]));
    const line = (look: OutLine['look'], texts: readonly OutLine['cells'][number][]): OutLine => ({ cells: texts, level: 1, look, file: null });
    const totalLine = (title: string, list: readonly (BomTotal | null)[]) =>
      line(
        'total',
        columns.map((_, i) => {
          const total = list[i] ?? null;
          return total?.value != null && !total.without ? { text: textOf(total), number: total.value } : { text: textOf(total) || (i === 0 ? title : '') };
        }),
      );
    const sums = columns.some((column) => column.sum);
    const lines = groups.flatMap((group): OutLine[] => [
      ...(group.title === null
        ? []
        : [
            line(
              'group',
              columns.map((_, i) => ({ text: i === 0 ? group.title || '(blank)' : '' })),
            ),
          ]),
      ...group.rows.map((id): OutLine => {
        const row = byId.get(id)!;
        const part = row.match.state === 'matched' && !row.bodies ? row.match.file : null;
        return {
          cells: row.cells.map(({ text, number, differs }, i) => (differs || number === undefined || isItem(columns[i]!) ? { text } : { text, number })),
          level: row.level,
          look: 'row',
          file: part,
        };
      }),
      ...(sums && group.title !== null ? [totalLine(`Total ${group.title || '(blank)'}`, group.totals)] : []),
    ]);
    const pictureColumn = columnAt(columns, { fact: 'picture' });
    const files = pictureColumn < 0 || format === 'csv' ? [] : [...new Set(lines.flatMap(({ file: part }) => part ?? []))];
    const pictures = files.length ? await this.db.all<{ file: number; picture: Buffer }>(PICTURES, [files]) : [];
    return tableOf(
      {
        name: `${file.name.replace(/\.[^.]+$/, '')} BOM`,
        title: file.name.replace(/\.[^.]+$/, ''),
        headers: made.headers,
        columns,
        lines: sums ? [...lines, totalLine('Total', totals)] : lines,
        pictureColumn,
        pictures: new Map(pictures.map((row) => [row.file, row.picture])),
      },
      format,
    );
  }

  /** A kept list as a table. */
  async keptTable(id: number, format: SendBom['format']): Promise<{ name: string; bytes: Uint8Array }> {
    const kept = await this.get(id);
    const total = kept.totals.some((text) => text !== '');
    const bom: OutBom = {
      name: `${kept.title} BOM`,
      title: kept.title,
      headers: kept.headers,
      columns: [],
      lines: [
        ...kept.lines.map((line): OutLine => ({ cells: line.cells.map((text) => ({ text })), level: line.level, look: 'row', file: null })),
        ...(total ? [{ cells: kept.totals.map((text, i) => ({ text: text || (i === 0 ? 'Total' : '') })), level: 1, look: 'total' as const, file: null }] : []),
      ],
      pictureColumn: -1,
      pictures: new Map(),
    };
    return tableOf(bom, format);
  }
}

/** Item numbers are text: 2.10 is not 2.1. */
const isItem = (column: BomRequest['content']['columns'][number]) => 'fact' in column.of && column.of.fact === 'item';

/** A kept list prepared for comparison, without the columns that identify rows. */
function comparable({ headers, lines }: KeptContent): ComparedBom {
  const own = headers.flatMap((header, i) =>
    ['Item', 'Quantity', 'Total quantity', 'Part file', 'Folder', 'Picture', 'Last change'].includes(header) ? [] : [i],
  );
  return {
    columns: own.map((i) => headers[i]!),
    rows: lines.map(({ key, label, item, level, quantity, hash, cells }) => ({
      key,
      label,
      item,
      level,
      quantity,
      hash,
      cells: own.map((i) => cells[i] ?? ''),
    })),
  };
}
