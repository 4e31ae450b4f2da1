import { BomLayout, BomTable, BomTableRow } from '@rule/contract';
import { singleLevel } from '@rule/core/bom';
import { writeCsv } from '@rule/core/exchange';
import { StructureReading } from '@rule/core/files';
import { Match } from '@rule/core/identity';
import { Property, judge, slotOf } from '@rule/core/schema';
import { HeldValue, compileStandIns, sameHeld, showValue } from '@rule/core/values';
import { Libraries } from '../library/library';
import { HELD } from '../library/readings';
import { Db, asRecordset } from '../platform/db';
import { invalid, notFound, refused } from '../platform/problem';
import { Properties } from '../schema/properties';
import { readSettings } from '../platform/settings';
import { heldFor } from '../values/held';

/** Bills of materials from product structure and the values of part files. */
export class Boms {
  constructor(
    private readonly db: Db,
    private readonly properties: Properties,
    private readonly libraries: Libraries,
  ) {}

  assemblies(): Promise<{ id: number; path: string; unmatched: number }[]> {
    return this.db.all(
      `SELECT f.id, f.path, count(c.product) FILTER (WHERE c.part_id IS NULL)::int AS unmatched FROM files f LEFT JOIN copies c ON c.assembly_id = f.id
       WHERE f.kind = 'assembly' AND NOT f.removed GROUP BY f.id ORDER BY f.path`,
    );
  }

  layouts(): Promise<BomLayout[]> {
    return this.db.all<BomLayout>('SELECT id, name, columns FROM bom_layouts ORDER BY name');
  }

  async saveLayout(id: number | null, { name, columns }: Omit<BomLayout, 'id'>): Promise<BomLayout> {
    const known = await this.properties.ofFiles(this.db);
    const unknown = columns.find((column) => !known.has(column));
    if (unknown !== undefined) throw invalid('unknown-property', `There is no property ${unknown}.`);
    if (await this.db.one('SELECT 1 FROM bom_layouts WHERE name = $1 AND id IS DISTINCT FROM $2', [name, id]))
      throw refused('name-taken', `There is a layout ${name} already.`);
    const row =
      id === null
        ? await this.db.one<BomLayout>('INSERT INTO bom_layouts (name, columns) VALUES ($1, $2::int[]) RETURNING id, name, columns', [name, columns])
        : await this.db.one<BomLayout>('UPDATE bom_layouts SET name = $2, columns = $3::int[] WHERE id = $1 RETURNING id, name, columns', [id, name, columns]);
    if (!row) throw notFound(`Layout ${id}`);
    return row;
  }

  async table(assembly: number): Promise<BomTable> {
    const file = await this.libraries.file(assembly);
    const row = await this.db.one<{ structure: StructureReading | null }>(`SELECT reading->'structure' AS structure FROM files WHERE id = $1`, [assembly]);
    if (file.kind !== 'assembly' || !row?.structure) throw invalid('not-an-assembly', `${file.path} is not an assembly.`);
    const matches = new Map(
      (await this.db.all<{ product: string; match: Match }>('SELECT product, match FROM copies WHERE assembly_id = $1', [assembly])).map((copy) => [
        copy.product,
        copy.match,
      ]),
    );
    const bom = singleLevel(row.structure, (product) => matches.get(product) ?? { state: 'unmatched' });
    const active = await this.properties.ofFiles(this.db);
    const parts = bom.flatMap(({ match }) => (match.state === 'matched' ? [match.file] : []));
    const candidates = bom.flatMap(({ match }) => (match.state === 'ambiguous' ? [...match.candidates] : []));
    const [held, copies, paths] = await Promise.all([
      heldFor(this.db, parts, active.values()),
      this.copyValues(assembly, active),
      this.libraries.paths(this.db, [...parts, ...candidates]),
    ]);
    return {
      assembly: file,
      paths,
      rows: bom.map(({ item, quantity, label, match, products, occurrences }): BomTableRow => {
        const own = match.state === 'matched' ? (held.get(match.file) ?? {}) : {};
        const copy = Object.assign({}, ...products.map((product) => copies.get(product) ?? {})) as Record<number, HeldValue>;
        // The part file leads; without one the copy is all there is, and it is not passed off as the part's value.
        const contradictions =
          match.state === 'matched' ? Object.fromEntries(Object.entries(copy).filter(([id, value]) => !sameHeld(value, own[Number(id)] ?? null))) : {};
        return {
          item,
          quantity,
          label,
          match,
          path: match.state === 'matched' ? (paths[match.file] ?? null) : null,
          held: own,
          contradictions,
          occurrences,
          products,
        };
      }),
    };
  }

  /** What the assembly's own copies say, by product key and property. */
  private async copyValues(assembly: number, active: ReadonlyMap<number, Property>): Promise<Map<string, Record<number, HeldValue>>> {
    const slots = [...active.values()].filter((property) => property.feed === 'typed').map((property) => ({ property: property.id, ...slotOf(property) }));
    const found = await this.db.all<{ holder: string; property: number; held: HeldValue }>(
      `SELECT v.holder, s.property, ${HELD} AS held FROM jsonb_to_recordset($2::jsonb) AS s(property int, place text, name text)
       JOIN held_values v ON v.file_id = $1 AND v.place = s.place AND v.name = s.name AND starts_with(v.holder, 'copy:')`,
      [assembly, asRecordset(slots)],
    );
    const copies = new Map<string, Record<number, HeldValue>>();
    for (const { holder, property, held } of found) {
      const product = holder.slice('copy:'.length);
      copies.set(product, { ...copies.get(product), [property]: held });
    }
    return copies;
  }

  /** The BOM as CSV, columns in the layout's order. Blanks stay blank: no placeholder leaves Rule. */
  async csv(assembly: number, columns: readonly number[]): Promise<{ name: string; text: string }> {
    const [table, active, settings] = await Promise.all([this.table(assembly), this.properties.ofFiles(this.db), readSettings(this.db)]);
    const standIns = compileStandIns(settings.standIns);
    const chosen = columns.flatMap((id) => active.get(id) ?? []);
    const header = ['Item', 'Quantity', 'Part', ...chosen.map((property) => (property.unit ? `${property.caption} [${property.unit}]` : property.caption))];
    const lines = table.rows.map((row) => [
      String(row.item),
      String(row.quantity),
      row.path ?? row.label,
      ...chosen.map((property) => {
        const cell = judge(row.held[property.id] ?? null, property, standIns);
        return cell.state === 'value' ? showValue(cell.value, property) : cell.state === 'unreadable' ? cell.text : '';
      }),
    ]);
    return { name: `${table.assembly.name.replace(/\.[^.]+$/, '')} BOM.csv`, text: writeCsv([header, ...lines]) };
  }
}
