import { Learned, LearnedName } from '@rule/contract';
import { TitleBlocks } from '../titleblocks/titleblocks';
import { Db, asRecordset } from '../platform/db';
import { Properties } from '../schema/properties';
import { readSettings } from '../platform/settings';
import { WorkPool } from '../platform/pool';

/** Names with more distinct values are identifiers; comparing them costs much and proves little. */
const MOST_DISTINCT = 5000;
/** Minimum share of common values where the names themselves do not match. */
const LEAST_SHARE = 0.6;
const MOST_EXCEPTIONS = 20;

/** Mappings suggested by the library itself. */
export class Learning {
  constructor(
    private readonly db: Db,
    private readonly pool: WorkPool,
    private readonly properties: Properties,
    private readonly titleBlocks: TitleBlocks,
  ) {}

  async learned(): Promise<Learned> {
    const [cells, names] = await Promise.all([this.titleBlocks.learned(), this.names()]);
    return { cells, names };
  }

  /** Foreign names and their probable properties, by wording or common values. */
  private async names(): Promise<LearnedName[]> {
    const [{ abbreviations }, active] = await Promise.all([readSettings(this.db), this.properties.active(this.db)]);
    const typed = [...active.values()].filter((property) => property.feed === 'typed');
    const counts = await this.db.all<{ name: string; files: number; distinct: number }>(
      `SELECT c.name, sum(c.filled)::int AS files,
       coalesce((SELECT sum(f.distinct_values)::int FROM name_facts f WHERE f.name = c.name AND f.level = 'document'), 0) AS distinct
       FROM name_counts c WHERE c.level = 'document' GROUP BY c.name HAVING sum(c.filled) > 0`,
    );
    const known = new Map((await this.properties.list(this.db)).map((property) => [property.writtenName, property.id]));
    const strays = counts.filter((row) => !known.has(row.name));
    if (strays.length === 0 || typed.length === 0) return [];
    const groups = await this.pool.run('findTwins', {
      names: [...new Set([...strays.map((row) => row.name), ...typed.map((property) => property.writtenName)])],
      abbreviations,
    });
    const reasons = new Map(
      groups.flatMap((group) => {
        const meant = typed.filter((property) => group.names.includes(property.writtenName));
        return meant.length === 1 ? group.names.map((name): [string, LearnedName['reasons']] => [`${name}\n${meant[0]!.id}`, group.reasons]) : [];
      }),
    );
    // Values held by both. Very common values (yes, no, single digits) prove nothing.
    const overlap = await this.db.all<{ name: string; property: number; shared: number }>(
      `WITH s AS (SELECT DISTINCT v.name, v.text FROM held_values v JOIN jsonb_to_recordset($1::jsonb) AS n(name text) ON n.name = v.name
           WHERE v.place = 'property' AND v.level = 'document' AND NOT v.stand_in AND length(v.text) > 1 AND lower(v.text) NOT IN ('yes', 'no')),
         p AS (SELECT DISTINCT p.id, v.text FROM jsonb_to_recordset($2::jsonb) AS p(id int, name text) JOIN held_values v ON v.name = p.name
           WHERE v.place = 'property' AND v.level = 'document' AND NOT v.stand_in AND length(v.text) > 1)
       SELECT s.name, p.id AS property, count(*)::int AS shared FROM s JOIN p ON p.text = s.text GROUP BY s.name, p.id HAVING count(*) > 1`,
      [
        asRecordset(strays.filter((row) => row.distinct <= MOST_DISTINCT).map(({ name }) => ({ name }))),
        asRecordset(typed.map(({ id, writtenName }) => ({ id, name: writtenName }))),
      ],
    );
    const proposed = new Map<string, { name: string; property: number; shared: number }>();
    for (const stray of strays)
      for (const property of typed)
        if (reasons.has(`${stray.name}\n${property.id}`)) proposed.set(`${stray.name}\n${property.id}`, { name: stray.name, property: property.id, shared: 0 });
    const distinct = new Map(strays.map((row) => [row.name, row]));
    for (const row of overlap) {
      const key = `${row.name}\n${row.property}`;
      if (proposed.has(key) || row.shared >= LEAST_SHARE * distinct.get(row.name)!.distinct) proposed.set(key, row);
    }
    const pairs = [...proposed.values()].map(({ name, property }) => ({ name, property, ours: active.get(property)!.writtenName }));
    const together = await this.db.all<{ name: string; property: number; both: number; equal: number; exceptions: LearnedName['exceptions'] }>(
      `SELECT n.name, n.property, count(*)::int AS both, count(*) FILTER (WHERE a.text = b.text)::int AS equal,
         coalesce((jsonb_agg(jsonb_build_object('file', f.id, 'path', f.path, 'theirs', left(a.text, 200), 'ours', left(b.text, 200))
               ORDER BY f.path) FILTER (WHERE a.text <> b.text)),
             '[]') AS exceptions
       FROM jsonb_to_recordset($1::jsonb) AS n(name text, property int, ours text)
       JOIN held_values a ON a.name = n.name AND a.place = 'property' AND a.level = 'document' AND a.text <> '' AND NOT a.stand_in
       JOIN held_values b ON b.file_id = a.file_id AND b.holder = a.holder AND b.place = 'property' AND b.name = n.ours AND b.text <> '' AND NOT b.stand_in
       JOIN files f ON f.id = a.file_id GROUP BY n.name, n.property`,
      [asRecordset(pairs)],
    );
    const beside = new Map(together.map((row) => [`${row.name}\n${row.property}`, row]));
    return [...proposed]
      .map(([key, { name, property, shared }]): LearnedName => {
        const row = beside.get(key);
        return {
          name,
          property,
          files: distinct.get(name)!.files,
          reasons: reasons.get(key) ?? [],
          distinct: distinct.get(name)!.distinct,
          shared,
          both: row?.both ?? 0,
          equal: row?.equal ?? 0,
          exceptions: (row?.exceptions ?? []).slice(0, MOST_EXCEPTIONS),
        };
      })
      .sort((a, b) => b.files - a.files || a.name.localeCompare(b.name));
  }
}
