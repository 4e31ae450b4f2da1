import { Line, addressKey } from '@rule/core/changes';
import { PreparedSchema, Property, slotOf } from '@rule/core/schema';
import { HeldValue, sameHeld } from '@rule/core/values';
import { Sql } from '../platform/db';
import { Editions } from './editions';
import { Surroundings, loadFacts, surroundingsOf } from './facts';
import { prepare } from './prepared';

/** Files judged in one go. */
export const BATCH = 1000;
/** Rounds from file to file: part, sub-assembly, assembly … drawing. Deeper ones are nowhere. */
const MOST_ROUNDS = 50;

/** Works out values that rules, models and wider holders give, where something that they look at changes. */
export class Derived {
  constructor(
    private readonly editions: Editions,
    private readonly clock: () => Date,
  ) {}

  /** The schema in force, made ready. */
  async prepared(sql: Sql): Promise<PreparedSchema> {
    return prepare(sql, (await this.editions.inForce(sql)).schema, this.clock());
  }

  /**
   * The lines that follow from others: values computed from those that change, in their own file, in drawings that show it and
   * in assemblies that hold it, from file to file. Only what looks at a changed value is computed.
   */
  async following(sql: Sql, lines: readonly Line[]): Promise<Line[]> {
    if (lines.length === 0) return [];
    const prepared = await this.prepared(sql);
    const dependents = prepared.dependents();
    if (dependents.length === 0) return [];
    const around = surroundingsOf([prepared]);
    const bySlot = slotsByName(prepared);
    const made = new Map<string, Line>();
    let fresh = lines.filter((line) => line.address.holder === '');
    for (let round = 0; fresh.length > 0 && round < MOST_ROUNDS; round++) {
      const changed = new Map<number, Set<number>>();
      for (const { address } of fresh) {
        const properties = bySlot.get(`${address.place}/${address.name}`) ?? [];
        changed.set(address.file, new Set([...(changed.get(address.file) ?? []), ...properties]));
      }
      const looked = await this.touched(sql, changed, dependents, around);
      const pending = [...lines, ...made.values()];
      const next: Line[] = [];
      const files = [...looked.keys()];
      for (let at = 0; at < files.length; at += BATCH) {
        const facts = await loadFacts(sql, files.slice(at, at + BATCH), around, pending);
        for (const [file, own] of facts)
          for (const line of linesOf(prepared, own, looked.get(file)!, own.standing, reasonOf)) {
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

  /** The computed values that must be looked at anew, by file. */
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
    /** Computed values that hang on computed values of the same file. */
    const closure = (start: readonly number[]): Set<number> => {
      const all = new Set(start);
      for (const key of all) for (const user of users(null, new Set([key]))) all.add(user);
      return all;
    };
    for (const [file, properties] of changed) add(file, closure([...users(null, properties), ...users('document', properties)]));
    const others = async (group: 'model' | 'parts', query: string) => {
      const interesting = [...changed].filter(([, properties]) => users(group, properties).length > 0);
      if (interesting.length === 0) return;
      const found = await sql.all<{ file: number; of: number }>(query, [interesting.map(([file]) => file)]);
      for (const { file, of } of found) add(file, closure(users(group, changed.get(of)!)));
    };
    if (around.model) await others('model', 'SELECT id AS file, model_file_id AS of FROM files WHERE model_file_id = ANY($1::int[]) AND NOT removed');
    if (around.parts)
      await others(
        'parts',
        'SELECT DISTINCT c.assembly_id AS file, c.part_id AS of FROM copies c JOIN files f ON f.id = c.assembly_id AND NOT f.removed WHERE c.part_id = ANY($1::int[])',
      );
    return looked;
  }
}

const reasonOf = (property: Property): string =>
  property.feed === 'ruled'
    ? `computed by the rule of ${property.caption}`
    : property.feed === 'model'
      ? 'taken from the model'
      : `inherited from the ${property.inheritFrom ?? 'holder above'}`;

/** Lines that bring computed values of a file up to date. `held` is what stands in the file now. */
export function linesOf(
  prepared: PreparedSchema,
  file: Parameters<PreparedSchema['judge']>[0],
  properties: ReadonlySet<number> | null,
  held: ReadonlyMap<string, HeldValue>,
  reason: (property: Property) => string,
  follows = true,
): Line[] {
  const lines: Line[] = [];
  for (const [id, judged] of prepared.judge(file).values) {
    if ((properties && !properties.has(id)) || judged.derived === undefined || judged.failure !== undefined) continue;
    const slot = slotOf(judged.property, file.kind);
    const base = held.get(`${slot.place}/${slot.name}`) ?? null;
    const proposed = judged.derived;
    lines.push({ address: { file: file.id, holder: '', ...slot }, base, proposed, reason: reason(judged.property), follows });
  }
  return lines;
}

function slotsByName(prepared: PreparedSchema): Map<string, number[]> {
  const bySlot = new Map<string, number[]>();
  for (const property of prepared.schema.properties) {
    if (property.retired) continue;
    const keys = new Set([
      ...property.kinds.map((kind) => slotOf(property, kind)).map((slot) => `${slot.place}/${slot.name}`),
      ...property.knownSpellings.map((name) => `property/${name}`),
    ]);
    for (const key of keys) bySlot.set(key, [...(bySlot.get(key) ?? []), property.id]);
  }
  return bySlot;
}
