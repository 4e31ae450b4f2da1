import { Line, addressKey, orNull } from '@rule/core/changes';
import { Judged, PreparedSchema, Property, homeCells, isWide, sameValue, slotOf } from '@rule/core/schema';
import { HeldValue, heldText, sameHeld } from '@rule/core/values';
import { Sql } from '../platform/db';
import { LoadedFacts, Surroundings, loadFacts, surroundingsOf } from './facts';
import { preparedInForce } from './prepared';
import { readSettings } from '../platform/settings';

/** Files judged at a time. */
export const BATCH = 1000;
/** Maximum propagation depth: part, sub-assembly, assembly, drawing. */
const MOST_ROUNDS = 50;

/** Computes dependent values: rules, model facts and inherited values. */
export class Derived {
  constructor(private readonly clock: () => Date) {}

  /** The prepared schema in force. */
  async prepared(sql: Sql): Promise<PreparedSchema> {
    return preparedInForce(sql, this.clock());
  }

  /**
   * Lines that follow from others: dependent values in the same file, in drawings showing it and in assemblies containing it. Only
   * dependants of changed values are computed.
   */
  async following(sql: Sql, lines: readonly Line[]): Promise<Line[]> {
    if (lines.length === 0) return [];
    const prepared = await this.prepared(sql);
    const fed = new Set(prepared.schema.properties.filter((property) => !property.retired && property.feed === 'model').map((property) => property.id));
    const dependents = prepared.dependents();
    if (dependents.length === 0 && fed.size === 0) return [];
    const around = surroundingsOf([prepared]);
    const bySlot = slotsByName(prepared);
    const { massProperty, materialProperty } = await readSettings(sql);
    const made = new Map<string, Line>();
    let fresh = [...lines];
    for (let round = 0; fresh.length > 0 && round < MOST_ROUNDS; round++) {
      const changed = new Map<number, Set<number>>();
      for (const { address } of fresh) {
        const properties = bySlot.get(`${address.place}/${address.name}`) ?? [];
        changed.set(address.file, new Set([...(changed.get(address.file) ?? []), ...properties]));
      }
      const looked = await this.touched(sql, changed, dependents, around);
      // Masses depend on materials, and of assemblies on their content.
      const heavy = fresh.filter(({ address }) => address.place === 'property' && [massProperty, materialProperty].includes(address.name));
      if (fed.size && heavy.length)
        for (const file of await withAssemblies(
          sql,
          heavy.map((line) => line.address.file),
        ))
          looked.set(file, new Set([...(looked.get(file) ?? []), ...fed]));
      const pending = [...lines, ...made.values()];
      const next: Line[] = [];
      const files = [...looked.keys()];
      for (let at = 0; at < files.length; at += BATCH) {
        const facts = await loadFacts(sql, files.slice(at, at + BATCH), around, pending);
        for (const [file, own] of facts)
          for (const line of linesOf(prepared, own, looked.get(file)!, reasonOf)) {
            const key = addressKey(line.address);
            const known = made.get(key);
            if (known && sameHeld(known.proposed, line.proposed)) continue;
            made.set(key, line);
            next.push(line);
          }
      }
      fresh = next;
    }
    return [...made.values()].filter((line) => !sameHeld(line.base, line.proposed));
  }

  /** Computed values to update, by file. */
  private async touched(
    sql: Sql,
    changed: ReadonlyMap<number, ReadonlySet<number>>,
    dependents: ReturnType<PreparedSchema['dependents']>,
    around: Surroundings,
  ): Promise<Map<number, Set<number>>> {
    const looked = new Map<number, Set<number>>();
    const add = (file: number, properties: Iterable<number>) => {
      const own = looked.get(file) ?? new Set<number>();
      for (const property of properties) own.add(property);
      if (own.size) looked.set(file, own);
    };
    const users = (group: string | null, properties: ReadonlySet<number>): number[] =>
      dependents.filter(({ needs }) => needs.some((need) => need.group === group && properties.has(need.property))).map(({ key }) => key);
    /** Computed values depending on other computed values of the file. */
    const closure = (start: readonly number[]): Set<number> => {
      const all = new Set(start);
      for (const key of all) for (const user of users(null, new Set([key]))) all.add(user);
      return all;
    };
    for (const [file, properties] of changed)
      if (file > 0) add(file, closure([...users(null, properties), ...users('document', properties), ...users('assembly', properties)]));
    const others = async (group: string, query: string) => {
      const interesting = [...changed].filter(([file, properties]) => file > 0 === !isWide(group) && users(group, properties).length > 0);
      if (interesting.length === 0) return;
      const found = await sql.all<{ file: number; of: number }>(query, [interesting.map(([file]) => Math.abs(file))]);
      for (const { file, of } of found) add(file, closure(users(group, changed.get(isWide(group) ? -of : of)!)));
    };
    if (around.model)
      await others(
        'model',
        `SELECT id AS file, model_file_id AS of FROM files WHERE model_file_id = ANY($1::int[]) AND NOT removed
         UNION SELECT m.file_id, m.model_file_id FROM sheet_models m JOIN files f ON f.id = m.file_id AND NOT f.removed WHERE m.model_file_id = ANY($1::int[])`,
      );
    if (around.parts)
      await others(
        'parts',
        `SELECT DISTINCT c.assembly_id AS file, c.part_id AS of FROM copies c
          JOIN files f ON f.id = c.assembly_id AND NOT f.removed WHERE c.part_id = ANY($1::int[])`,
      );
    if (around.inner.includes('occurrence'))
      await others(
        'part',
        `SELECT DISTINCT c.assembly_id AS file, c.part_id AS of FROM copies c
          JOIN files f ON f.id = c.assembly_id AND NOT f.removed WHERE c.part_id = ANY($1::int[])`,
      );
    if (around.wide) {
      await others('project', 'SELECT id AS file, project_id AS of FROM files WHERE project_id = ANY($1::int[]) AND NOT removed');
      await others('drawing set', 'SELECT id AS file, set_id AS of FROM files WHERE set_id = ANY($1::int[]) AND NOT removed');
      await others(
        'company',
        `SELECT f.id AS file, w.id AS of FROM files f, wide_holders w WHERE w.level = 'company' AND w.id = ANY($1::int[]) AND NOT f.removed AND f.problem IS NULL`,
      );
    }
    return looked;
  }
}

/** Files and all assemblies above them. */
const withAssemblies = async (sql: Sql, files: readonly number[]): Promise<number[]> =>
  (
    await sql.all<{ id: number }>(
      `WITH RECURSIVE above(id) AS (SELECT unnest($1::int[]) UNION SELECT c.assembly_id FROM above a JOIN copies c ON c.part_id = a.id)
       SELECT a.id FROM above a JOIN files f ON f.id = a.id AND NOT f.removed`,
      [[...new Set(files)].filter((file) => file > 0)],
    )
  ).map((row) => row.id);

const reasonOf = (property: Property): string =>
  property.feed === 'ruled'
    ? `computed by the rule of ${property.caption}`
    : property.feed === 'model'
      ? 'taken from the model'
      : property.feed === 'sheet'
        ? 'taken from the sheet'
        : `inherited from the ${property.inheritFrom ?? 'holder above'}`;

/** Lines that update computed values of a file and its holders. */
export function linesOf(
  prepared: PreparedSchema,
  file: LoadedFacts,
  properties: ReadonlySet<number> | null,
  reason: (property: Property) => string,
  follows = true,
): Line[] {
  const lines: Line[] = [];
  const take = (holder: string, values: ReadonlyMap<number, Judged>, standing: ReadonlyMap<string, HeldValue>) => {
    for (const [id, judged] of values) {
      if ((properties && !properties.has(id)) || judged.derived === undefined || judged.failure !== undefined) continue;
      const slot = slotOf(judged.property, file.kind);
      const base = standing.get(`${slot.place}/${slot.name}`) ?? null;
      // A cell is emptied, never removed; equivalent texts stay as written.
      const wanted = slot.place === 'cell' ? (judged.derived ?? heldText('')) : judged.derived;
      const proposed = sameValue(orNull(base), orNull(wanted), judged.property) ? base : wanted;
      lines.push({ address: { file: file.id, holder, ...slot }, base, proposed, reason: reason(judged.property), follows });
    }
  };
  take('', prepared.judge(file).values, file.standing);
  for (const holder of file.holders) take(holder.key, prepared.judgeHolder(file, holder), holder.standing);
  return lines;
}

/** Properties by `place/name`. */
export function slotsByName(prepared: PreparedSchema): Map<string, number[]> {
  const bySlot = new Map<string, number[]>();
  for (const property of prepared.schema.properties) {
    if (property.retired) continue;
    const keys = new Set([
      ...property.kinds.map((kind) => slotOf(property, kind)).map((slot) => `${slot.place}/${slot.name}`),
      ...property.knownSpellings.map((name) => `property/${name}`),
      ...homeCells(prepared.schema.bindings, property.id).map((cell) => `cell/${cell}`),
      // Slot in a company, project or drawing set.
      `property/${property.writtenName}`,
    ]);
    for (const key of keys) bySlot.set(key, [...(bySlot.get(key) ?? []), property.id]);
  }
  return bySlot;
}
