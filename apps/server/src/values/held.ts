import { Address } from '@rule/core/changes';
import { EMPTY_SCHEMA, InnerLevel, Kind, Property, familyOf, homeCell, homeCells, slotsOf } from '@rule/core/schema';
import { HeldValue } from '@rule/core/values';
import { HELD } from '../library/readings';
import { Sql, asRecordset } from '../platform/db';
import { inForceOf } from '../schema/editions';

/** A slot of a property; restricted to a kind if given. */
export interface SlotRow {
  readonly property: number;
  readonly kind: Kind | null;
  readonly place: string;
  readonly name: string;
}

/** Slots of properties, one per row. */
export const slotRows = (properties: Iterable<Property>): SlotRow[] =>
  [...properties].flatMap((property): SlotRow[] => {
    const slots = slotsOf(property);
    return slots.flatMap(({ slot, kinds }): SlotRow[] =>
      slots.length === 1 ? [{ property: property.id, kind: null, ...slot }] : kinds.map((kind) => ({ property: property.id, kind, ...slot })),
    );
  });

/** Values as a list per column. */
interface HeldColumns {
  readonly file: readonly number[];
  readonly property: readonly number[];
  readonly text: readonly string[];
  readonly form: readonly HeldValue['form'][];
  readonly unit: readonly (string | null)[];
}

/** Document-level values by file and property number, in at most two statements. */
export async function heldFor(sql: Sql, files: readonly number[] | null, properties: Iterable<Property>): Promise<Map<number, Record<number, HeldValue>>> {
  const slots = slotRows(properties);
  // One JSON list per column: the driver parses rows slowly, and PostgreSQL makes a list per row slowly.
  const found = await sql.one<HeldColumns | Record<keyof HeldColumns, null>>(
    `SELECT json_agg(file) AS file, json_agg(property) AS property, json_agg(text) AS text, json_agg(form) AS form, json_agg(unit) AS unit FROM (
       SELECT v.file_id AS file, s.property, v.text, v.form, v.unit FROM jsonb_to_recordset($1::jsonb) AS s(property int, kind text, place text, name text)
       JOIN held_values v ON v.place = s.place AND v.name = s.name AND v.holder = '' AND (s.kind IS NULL OR v.kind = s.kind)
         AND ${files === null ? '$2::int[] IS NULL' : 'v.file_id = ANY($2::int[])'}
       UNION ALL
       SELECT f.id, s.property, f.name, 'text', NULL FROM jsonb_to_recordset($1::jsonb) AS s(property int, place text, name text)
       JOIN files f ON s.place = 'field' AND s.name = 'file name' AND NOT f.removed AND ${files === null ? '$2::int[] IS NULL' : 'f.id = ANY($2::int[])'}) v`,
    [asRecordset(slots), files],
  );
  const held = new Map<number, Record<number, HeldValue>>();
  if (!found?.file) return held;
  const { file: ofFile, property, text, form, unit } = found;
  ofFile.forEach((file, i) => {
    let entry = held.get(file);
    if (!entry) held.set(file, (entry = {}));
    const value = { text: text[i]!, form: form[i]! };
    entry[property[i]!] = unit[i] === null ? value : { ...value, unit: unit[i]! };
  });
  return held;
}

/** Stored corrections: targets of stale values, and values under other names. */
const WANTED = `SELECT g.file_id AS file, g.holder, g.property_id AS property, g.wanted FROM findings g
  WHERE g.file_id = ANY($1::int[]) AND g.property_id = ANY($2::int[]) AND g.code IN ('stale', 'other-name', 'unheld')`;
interface Wanted {
  readonly file: number;
  readonly holder: string;
  readonly property: number;
  readonly wanted: HeldValue | null;
}

/** Values of files including computed and renamed ones, from stored findings: by file and property number. */
export async function valuesFor(sql: Sql, files: readonly number[], properties: Iterable<Property>): Promise<Map<number, Record<number, HeldValue>>> {
  const list = [...properties];
  const [held, wanted] = await Promise.all([heldFor(sql, files, list), sql.all<Wanted>(WANTED, [files, list.map((property) => property.id)])]);
  for (const { file, holder, property, wanted: value } of wanted)
    if (holder === '') {
      const entry = held.get(file) ?? {};
      if (value) entry[property] = value;
      else delete entry[property];
      held.set(file, entry);
    }
  return held;
}

/**
 * The current value at the address of row `alias` (`file`, `holder`, `place`, `name`), wherever stored. LATERAL per address; a join would
 * scan all values.
 */
export const standing = (
  a: string,
  file = 'file',
) => `SELECT text, form, unit FROM held_values WHERE (file_id, holder, place, name) = (${a}.${file}, ${a}.holder, ${a}.place, ${a}.name)
   UNION ALL
   SELECT text, form, unit FROM beside_values
     WHERE ${a}.${file} < 0 AND ${a}.holder = '' AND ${a}.place = 'property' AND file_id = ${a}.${file} AND name = ${a}.name
   UNION ALL
   SELECT name, 'text', NULL FROM files WHERE ${a}.holder = '' AND ${a}.place = 'field' AND ${a}.name = 'file name' AND id = ${a}.${file} AND NOT removed`;

/** Current values at addresses, in order; `null` for none. */
export async function heldAt(sql: Sql, addresses: readonly Address[]): Promise<(HeldValue | null)[]> {
  const found = await sql.all<{ at: number; held: HeldValue }>(
    `WITH a AS (SELECT * FROM jsonb_to_recordset($1::jsonb) AS a(at int, file int, holder text, place text, name text))
     SELECT a.at, ${HELD} AS held FROM a, LATERAL (${standing('a')}) v`,
    [asRecordset(addresses.map((address, at) => ({ at, ...address })))],
  );
  const list: (HeldValue | null)[] = addresses.map(() => null);
  for (const { at, held } of found) list[at] = held;
  return list;
}

/** Values of holders inside files by `file/key` and property number, in one statement. */
export async function heldInside(
  sql: Sql,
  files: readonly number[],
  level: InnerLevel,
  properties: Iterable<Property>,
): Promise<Map<string, Record<number, HeldValue>>> {
  const list = [...properties];
  const { bindings } = level === 'sheet' ? (await inForceOf(sql)).schema : EMPTY_SCHEMA;
  // Home cells differ by block: all are loaded and the others skipped.
  const cells = list.flatMap((property) => homeCells(bindings, property.id).map((name) => ({ property: property.id, kind: 'drawing', place: 'cell', name })));
  const found = await sql.all<{ file: number; holder: string; property: number; place: string; name: string; label: string; held: HeldValue }>(
    `SELECT v.file_id AS file, v.holder, s.property, v.place, v.name, coalesce(h.label, '') AS label, ${HELD} AS held
     FROM jsonb_to_recordset($1::jsonb) AS s(property int, kind text, place text, name text)
     JOIN held_values v ON v.place = s.place AND v.name = s.name AND v.holder <> '' AND v.level = $3 AND (s.kind IS NULL OR v.kind = s.kind)
       AND v.file_id = ANY($2::int[])
     LEFT JOIN holders h ON h.file_id = v.file_id AND h.key = v.holder`,
    [asRecordset([...slotRows(list).filter(({ place }) => place !== 'cell'), ...cells]), files, level],
  );
  const held = new Map<string, Record<number, HeldValue>>();
  for (const row of found) {
    if (row.place === 'cell' && homeCell(bindings, row.property, familyOf(row.label)) !== row.name) continue;
    const key = `${row.file}/${row.holder}`;
    const entry = held.get(key) ?? {};
    entry[row.property] = row.held;
    held.set(key, entry);
  }
  return held;
}
