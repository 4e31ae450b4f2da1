import { RolloutAction, RolloutRow } from '@rule/contract';
import { Line } from '@rule/core/changes';
import { Kind, Property, slotOf, slotsOf } from '@rule/core/schema';
import { HeldValue, heldText, holdValue, parseText } from '@rule/core/values';
import { Trays } from '../changes/tray';
import { HELD } from '../library/readings';
import { Db, asRecordset } from '../platform/db';
import { invalid, notFound, refused } from '../platform/problem';
import { User } from '../users/user';
import { BATCH, linesOf } from '../schema/derive';
import { Editions } from '../schema/editions';
import { loadFacts, surroundingsOf } from '../schema/facts';
import { prepare } from '../schema/prepared';
import { repairLines } from './tries';

const MOST_LINES = 300_000;

/** Document slots of the properties in force, by kind. */
const targetsOf = (properties: readonly Property[]) =>
  properties
    .filter((property) => property.level === 'document' && property.feed !== 'file')
    .flatMap((property) =>
      property.kinds.map((kind) => ({ property: property.id, kind, classes: property.classes, spellings: property.knownSpellings, ...slotOf(property, kind) })),
    );

const TARGETS = `jsonb_to_recordset($1::jsonb) AS s(property int, kind text, classes text[], spellings text[], place text, name text)`;
const REACHED = `JOIN files f ON f.kind = s.kind AND NOT f.removed AND f.problem IS NULL
  AND (s.classes = '{}' OR (SELECT c.name FROM classes c WHERE c.id = f.class_id) = ANY(s.classes))`;

/** Progress of the schema in force in files, and how to continue. */
export class Rollout {
  constructor(
    private readonly db: Db,
    private readonly editions: Editions,
    private readonly trays: Trays,
    private readonly clock: () => Date,
  ) {}

  /** Every property with reached files and how they hold it, in two statements. */
  async rows(): Promise<RolloutRow[]> {
    const { schema } = await this.editions.inForce(this.db);
    const active = schema.properties.filter((property) => !property.retired);
    const [reached, left] = await Promise.all([
      this.db.all<Omit<RolloutRow, 'left'>>(
        `SELECT s.property, count(*)::int AS reached, count(v.file_id)::int AS named, count(*) FILTER (WHERE v.text <> '' AND NOT v.stand_in)::int AS filled,
           count(*) FILTER (WHERE coalesce(v.text, '') = '' AND s.spellings <> '{}'
               AND EXISTS (SELECT 1 FROM held_values o
                   WHERE o.file_id = f.id AND o.holder = '' AND o.place = 'property' AND o.name = ANY(s.spellings) AND o.text <> ''))::int AS "otherName",
           count(*) FILTER (WHERE v.file_id IS NULL AND f.lock_reason IS NOT NULL)::int AS barred
         FROM ${TARGETS} ${REACHED} LEFT JOIN held_values v ON v.file_id = f.id AND v.holder = '' AND v.place = s.place AND v.name = s.name GROUP BY s.property`,
        [asRecordset(targetsOf(active))],
      ),
      this.left(schema.properties),
    ]);
    const byId = new Map(reached.map((row) => [row.property, row]));
    const none = { reached: 0, named: 0, filled: 0, otherName: 0, barred: 0 };
    return schema.properties.map((property) => ({ ...none, ...byId.get(property.id), property: property.id, left: left.get(property.id) ?? 0 }));
  }

  /** Files that hold a retired or out-of-scope property. */
  private async left(properties: readonly Property[]): Promise<Map<number, number>> {
    const names = properties.flatMap((property) =>
      slotsOf(property)
        .filter(({ slot }) => slot.place === 'property')
        .map(({ slot }) => ({ property: property.id, name: slot.name, kinds: property.retired ? [] : property.kinds, classes: property.classes })),
    );
    const found = await this.db.all<{ property: number; files: number }>(
      `SELECT s.property, count(*)::int AS files FROM jsonb_to_recordset($1::jsonb) AS s(property int, name text, kinds text[], classes text[])
       JOIN held_values v ON v.place = 'property' AND v.name = s.name AND v.holder = '' JOIN files f ON f.id = v.file_id AND NOT f.removed
       WHERE NOT (f.kind = ANY(s.kinds) AND (s.classes = '{}' OR (SELECT c.name FROM classes c WHERE c.id = f.class_id) = ANY(s.classes))) GROUP BY s.property`,
      [asRecordset(names)],
    );
    return new Map(found.map(({ property, files }) => [property, files]));
  }

  /** Files lacking a property, with the reason if they cannot be written. */
  async missing(propertyId: number): Promise<{ file: number; path: string; reason: string | null }[]> {
    const { schema } = await this.editions.inForce(this.db);
    return this.db.all(
      `SELECT f.id AS file, f.path, CASE WHEN f.lock_reason IS NULL THEN NULL ELSE 'The file ' || f.lock_reason || '.' END AS reason
       FROM ${TARGETS} ${REACHED}
       WHERE s.property = $2 AND NOT EXISTS (SELECT 1 FROM held_values v WHERE v.file_id = f.id AND v.holder = '' AND v.place = s.place AND v.name = s.name)
       ORDER BY f.lock_reason IS NULL, f.path LIMIT 1000`,
      [asRecordset(targetsOf(schema.properties.filter((property) => property.id === propertyId && !property.retired))), propertyId],
    );
  }

  /** Adds lines that roll a property out into files. */
  async toTray(user: User, propertyId: number, action: RolloutAction): Promise<{ lines: number; open: number }> {
    const { schema } = await this.editions.inForce(this.db);
    const property = schema.properties.find((candidate) => candidate.id === propertyId);
    if (!property) throw notFound(`Property ${propertyId}`);
    let lines: Line[];
    let open = 0;
    if (action === 'remove') lines = await this.leftLines(property);
    else if (property.retired) throw invalid('retired', `${property.caption} is retired; its values can only be removed.`);
    else if (action === 'add the name') lines = await this.nameLines(property);
    else if (action === 'compute') lines = await this.computedLines(property);
    else
      ({ lines, open } = await repairLines(
        this.db,
        schema,
        property,
        await this.underOtherNames(property),
        `${property.caption} under its written name`,
        this.clock(),
      ));
    if (lines.length === 0)
      throw refused('nothing-to-do', open ? `Nothing can be repaired automatically: ${open} values need a decision.` : 'No writable file needs this.');
    if (lines.length > MOST_LINES) throw refused('too-many', `This would change ${lines.length} values at once (up to ${MOST_LINES}).`);
    await this.trays.add(user, lines, 'by rule');
    return { lines: lines.length, open };
  }

  private async nameLines(property: Property): Promise<Line[]> {
    const files = await this.db.all<{ file: number; place: 'property'; name: string }>(
      `SELECT f.id AS file, s.place, s.name FROM ${TARGETS} ${REACHED} AND f.lock_reason IS NULL
       WHERE NOT EXISTS (SELECT 1 FROM held_values v WHERE v.file_id = f.id AND v.holder = '' AND v.place = s.place AND v.name = s.name)
         AND s.place = 'property'
       ORDER BY f.id`,
      [asRecordset(targetsOf([property]))],
    );
    const parsed = property.default === '' ? null : parseText(property.default, property);
    const proposed: HeldValue = parsed?.ok ? holdValue(parsed.value, property) : heldText('');
    return files.map(({ file, place, name }) => ({
      address: { file, holder: '', place, name },
      base: null,
      proposed,
      reason: `${property.caption} is new in the schema`,
      follows: false,
    }));
  }

  private async underOtherNames(property: Property): Promise<number[]> {
    const found = await this.db.all<{ id: number }>(
      `SELECT DISTINCT f.id FROM ${TARGETS} ${REACHED} AND f.lock_reason IS NULL
       JOIN held_values o ON o.file_id = f.id AND o.holder = '' AND o.place = 'property' AND o.name = ANY(s.spellings) AND o.text <> ''
       LEFT JOIN held_values v ON v.file_id = f.id AND v.holder = '' AND v.place = s.place AND v.name = s.name WHERE coalesce(v.text, '') = '' ORDER BY f.id`,
      [asRecordset(targetsOf([property]))],
    );
    return found.map((row) => row.id);
  }

  private async leftLines(property: Property): Promise<Line[]> {
    const kinds: readonly Kind[] = property.retired ? [] : property.kinds;
    const names = slotsOf(property)
      .filter(({ slot }) => slot.place === 'property')
      .map(({ slot }) => slot.name);
    const found = await this.db.all<{ file: number; holder: string; name: string; held: HeldValue }>(
      `SELECT v.file_id AS file, v.holder, v.name, ${HELD} AS held FROM held_values v
       JOIN files f ON f.id = v.file_id AND NOT f.removed AND f.lock_reason IS NULL
       WHERE v.place = 'property' AND v.name = ANY($1::text[]) AND v.holder = ''
         AND NOT (f.kind = ANY($2::text[]) AND ($3::text[] = '{}' OR (SELECT c.name FROM classes c WHERE c.id = f.class_id) = ANY($3::text[])))
       ORDER BY v.file_id`,
      [names, kinds, property.classes],
    );
    return found.map(({ file, holder, name, held }) => ({
      address: { file, holder, place: 'property' as const, name },
      base: held,
      proposed: null,
      reason: property.retired ? `${property.caption} is retired` : `${property.caption} does not apply here`,
      follows: false,
    }));
  }

  /** Lines that update a computed property in all files. */
  private async computedLines(property: Property): Promise<Line[]> {
    const { schema } = await this.editions.inForce(this.db);
    const prepared = await prepare(this.db, schema, this.clock());
    const around = surroundingsOf([prepared]);
    const lines: Line[] = [];
    for (let after = 0; ;) {
      const ids = (
        await this.db.all<{ id: number }>(
          'SELECT id FROM files WHERE id > $1 AND kind = ANY($2::text[]) AND NOT removed AND problem IS NULL AND lock_reason IS NULL ORDER BY id LIMIT $3',
          [after, property.kinds, BATCH],
        )
      ).map((row) => row.id);
      if (ids.length === 0) return lines;
      after = ids.at(-1)!;
      for (const file of (await loadFacts(this.db, ids, around)).values())
        for (const line of linesOf(prepared, file, new Set([property.id]), () => `computed for ${property.caption}`, false))
          if (JSON.stringify(line.base?.text ?? '') !== JSON.stringify(line.proposed?.text ?? '') || line.base?.unit !== line.proposed?.unit) lines.push(line);
    }
  }
}
