import { Line } from '@rule/core/changes';
import { InsertReading } from '@rule/core/files';
import { Match } from '@rule/core/identity';
import { Property, slotOf } from '@rule/core/schema';
import { Binding, BoundCell, cellLines, cellText } from '@rule/core/titleblocks';
import { HeldValue, StandIns, compileStandIns } from '@rule/core/values';
import { Follows } from '../changes/tray';
import { Sql } from '../platform/db';
import { readSettings } from '../platform/settings';
import { Properties } from '../schema/properties';
import { valuesFor, valuesOfSheets } from '../values/held';

/** A drawing as far as its title blocks are concerned. */
export interface Drawing {
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

/** All drawings that could be read; conditions follow. */
export const DRAWINGS = `SELECT f.id, f.path, f.model_file_id AS model, f.model_match AS match, f.blocks, f.reading->'inserts' AS inserts,
    coalesce((SELECT jsonb_object_agg(h.holder, h.cells) FROM (SELECT v.holder, jsonb_object_agg(v.name, v.text) AS cells FROM held_values v WHERE v.file_id = f.id AND v.place = 'cell' GROUP BY v.holder) h), '{}') AS texts
  FROM files f WHERE f.kind = 'drawing' AND NOT f.removed AND f.reading IS NOT NULL`;

/** What the bound cells of drawings would show, and what follows for them when values change. */
export class CellTexts implements Follows {
  constructor(private readonly properties: Properties) {}

  bindings(sql: Sql): Promise<Binding[]> {
    return sql.kept('bindings', (own) => own.all<Binding>('SELECT block, tag, property_id AS "propertyId", source, format FROM bindings ORDER BY block, tag'));
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

  /** What the bound cells of drawings hold and would show. */
  async bound(
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
