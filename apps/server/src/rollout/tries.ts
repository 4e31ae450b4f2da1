import { count } from '@rule/core/words';
import { Effect, LockedOut, TryFinding, TryQuery, TrySummary } from '@rule/contract';
import { Line } from '@rule/core/changes';
import { Property, Schema, repairFor, slotKey, slotOf } from '@rule/core/schema';
import { sameHeld } from '@rule/core/values';
import { Trays } from '../changes/tray';
import { JobContext, Jobs } from '../jobs/jobs';
import { Db } from '../platform/db';
import { invalid, notFound, refused } from '../platform/problem';
import { WorkPool } from '../platform/pool';
import { User } from '../users/user';
import { BATCH } from '../schema/derive';
import { Editions } from '../schema/editions';
import { loadFacts, surroundingsOf } from '../schema/facts';
import { prepare } from '../schema/prepared';

/** Files judged per worker task. */
const PAGE = 2000;
/** Maximum lines of one repair. */
const MOST_LINES = 300_000;

/** Tries a draft on all files before it comes into force. */
export class Tries {
  constructor(
    private readonly db: Db,
    private readonly pool: WorkPool,
    private readonly jobs: Jobs,
    private readonly editions: Editions,
    private readonly trays: Trays,
    private readonly clock: () => Date,
  ) {
    jobs.define<{ id: number }>('try', (context, { id }) => this.run(context, id));
  }

  /** Starts a try of the current draft. */
  async start(user: User): Promise<{ id: number; job: number }> {
    const row = await this.db.one<{ id: number }>(
      `INSERT INTO tries (edition_id, revision, user_id, at) SELECT id, revision, $1, $2 FROM editions WHERE state = 'draft' RETURNING id`,
      [user.id, this.clock()],
    );
    if (!row) throw refused('no-draft', 'There is no draft to try. Edit the schema first.');
    // Only the latest try is kept.
    await this.db.run('DELETE FROM tries WHERE id < $1', [row.id]);
    return { id: row.id, job: await this.jobs.start(user, 'try', 'Try the draft', { id: row.id }) };
  }

  private async run(context: JobContext, id: number): Promise<{ id: number; files: number }> {
    // An interrupted try starts again.
    await this.db.run('DELETE FROM try_findings WHERE try_id = $1', [id]);
    const total = (await this.db.one<{ n: number }>('SELECT count(*)::int AS n FROM files WHERE NOT removed AND problem IS NULL'))!.n;
    let files = 0;
    for (let after = 0; ;) {
      context.check();
      const page = await this.pool.run('tryPage', { id, after, limit: PAGE }, context.signal);
      if (page.last === null) break;
      after = page.last;
      files += page.files;
      context.progress('trying the draft', files, total);
    }
    await this.repeated(id);
    await this.db.run('UPDATE tries SET done = true, files = $2 WHERE id = $1', [id, files]);
    return { id, files };
  }

  /** Duplicate values of unique properties, one statement each. */
  private async repeated(id: number): Promise<void> {
    const row = await this.db.one<{ schema: Schema }>('SELECT e.schema FROM tries t JOIN editions e ON e.id = t.edition_id WHERE t.id = $1', [id]);
    const { schema: inForce } = await this.editions.inForce(this.db);
    for (const property of row?.schema.properties ?? []) {
      const was = inForce.properties.find((old) => old.id === property.id);
      if (property.retired || property.unique === 'no' || (was?.unique === property.unique && was.writtenName === property.writtenName)) continue;
      const among = property.unique === 'kind' ? ', f.kind' : property.unique === 'class' ? ', f.class_id' : '';
      for (const kind of property.kinds) {
        const slot = slotOf(property, kind);
        await this.db.run(
          `INSERT INTO try_findings (try_id, file_id, property_id, effect, before, message)
           SELECT $1, id, $2, 'breaks', text, $3 || others || $4 FROM (
             SELECT f.id, f.kind, v.text, count(*) OVER (PARTITION BY v.text${among}) - 1 AS others
               FROM held_values v JOIN files f ON f.id = v.file_id AND NOT f.removed
             WHERE v.place = $5 AND v.name = $6 AND v.holder = '' AND v.text <> '' AND NOT v.stand_in AND f.kind = ANY($7::text[])) n
           WHERE others > 0 AND kind = $8`,
          [id, property.id, `${property.caption} stands in `, ' other files as well.', slot.place, slot.name, property.kinds, kind],
        );
      }
    }
  }

  /** The latest try, if any. */
  async summary(): Promise<TrySummary | null> {
    const row = await this.db.one<Omit<TrySummary, 'effects'>>(
      `SELECT t.id, e.number AS edition, t.revision, (e.state <> 'draft' OR e.revision <> t.revision) AS outdated, t.at, u.display_name AS "by", t.files, t.done
       FROM tries t JOIN editions e ON e.id = t.edition_id LEFT JOIN users u ON u.id = t.user_id ORDER BY t.id DESC LIMIT 1`,
    );
    if (!row) return null;
    const effects = await this.db.all<TrySummary['effects'][number]>(
      `SELECT effect, property_id AS property, check_id AS check, cell, record, count(DISTINCT file_id)::int AS files
        FROM try_findings WHERE try_id = $1 GROUP BY 1, 2, 3, 4, 5 ORDER BY 6 DESC, 1, 2, 3, 4, 5`,
      [row.id],
    );
    return { ...row, effects };
  }

  /** A page of results, by file. */
  async findings(id: number, { effect, property, check, cell, record, offset, limit }: TryQuery): Promise<{ total: number; rows: TryFinding[] }> {
    const where = `t.try_id = $1 AND ($2::text IS NULL OR t.effect = $2) AND ($3::int IS NULL OR t.property_id = $3) AND ($4::int IS NULL OR t.check_id = $4)
      AND ($5::text IS NULL OR t.cell = $5) AND ($6::text IS NULL OR t.record = $6)`;
    const bind = [id, effect ?? null, property ?? null, check ?? null, cell ?? null, record ?? null];
    const [total, found] = await Promise.all([
      this.db.one<{ n: number }>(`SELECT count(*)::int AS n FROM try_findings t WHERE ${where}`, bind),
      this.db.all<TryFinding>(
        `SELECT t.file_id AS file, f.path, t.property_id AS property, t.check_id AS check, t.cell, t.record, t.effect, t.before, t.after, t.message
         FROM try_findings t JOIN files f ON f.id = t.file_id WHERE ${where} ORDER BY f.path, t.property_id, t.message LIMIT $7 OFFSET $8`,
        [...bind, limit, offset],
      ),
    ]);
    return { total: total!.n, rows: found };
  }

  /** Adds lines that fix obvious problems of one property. Others are counted. */
  async repair(user: User, id: number, effect: Effect, propertyId: number): Promise<{ lines: number; open: number; left: readonly LockedOut[] }> {
    const row = await this.db.one<{ schema: Schema; outdated: boolean }>(
      `SELECT e.schema, (e.state = 'superseded' OR e.revision <> t.revision) AS outdated FROM tries t JOIN editions e ON e.id = t.edition_id WHERE t.id = $1`,
      [id],
    );
    if (!row) throw notFound(`Try ${id}`);
    if (row.outdated) throw refused('try-outdated', 'The draft has changed since it was tried. Try it again.');
    const property = row.schema.properties.find((candidate) => candidate.id === propertyId);
    if (!property) throw notFound(`Property ${propertyId} of the draft`);
    const found = await this.db.all<{ id: number; path: string; lock: string | null }>(
      `SELECT DISTINCT t.file_id AS id, f.path, f.lock_reason AS lock FROM try_findings t JOIN files f ON f.id = t.file_id AND NOT f.removed
       WHERE t.try_id = $1 AND t.effect = $2 AND t.property_id = $3 ORDER BY 1`,
      [id, effect, propertyId],
    );
    const files = found.filter(({ lock }) => lock === null).map((entry) => entry.id);
    const left = found.filter(({ lock }) => lock !== null).map(({ id: file, path, lock }) => ({ file, path, reason: `The file ${lock}.` }));
    const { lines, open } = await repairLines(
      this.db,
      row.schema,
      property,
      files,
      `repairs ${property.caption} for edition ${(await this.summary())?.edition ?? ''}`,
      this.clock(),
    );
    if (lines.length === 0 && open === 0 && left.length)
      throw invalid('nothing-to-repair', `All affected files are locked: ${left[0]!.path}. ${left[0]!.reason}`);
    if (lines.length === 0)
      throw invalid('nothing-to-repair', `Nothing can be repaired automatically: ${count(open, 'value needs', 'values need')} a decision.`);
    if (lines.length > MOST_LINES) throw refused('too-many', `This would change ${lines.length} values at once (up to ${MOST_LINES}).`);
    await this.trays.add(user, lines, 'by rule');
    return { lines: lines.length, open, left };
  }
}

/** Lines that fix a property in files: the intended value under the requested name. `open` counts values needing a decision. */
export async function repairLines(
  db: Db,
  schema: Schema,
  property: Property,
  files: readonly number[],
  reason: string,
  now: Date,
): Promise<{ lines: Line[]; open: number }> {
  const prepared = await prepare(db, schema, now);
  const around = surroundingsOf([prepared]);
  const lines: Line[] = [];
  let open = 0;
  for (let at = 0; at < files.length; at += BATCH) {
    for (const file of (await loadFacts(db, files.slice(at, at + BATCH), around)).values()) {
      const judged = prepared.judge(file).values.get(property.id);
      const wanted = judged && repairFor(judged, prepared.standIns);
      if (!judged || wanted === undefined) {
        open++;
        continue;
      }
      const slot = slotOf(judged.property, file.kind);
      const address = (name: string, place: 'property' | 'field' | 'cell') => ({ file: file.id, holder: '', place, name });
      if (!sameHeld(judged.held, wanted)) lines.push({ address: address(slot.name, slot.place), base: judged.held, proposed: wanted, reason, follows: false });
      if (judged.otherName !== undefined)
        lines.push({
          address: address(judged.otherName, 'property'),
          base: file.held.get(slotKey('property', judged.otherName)) ?? null,
          proposed: null,
          reason,
          follows: false,
        });
    }
  }
  return { lines, open };
}
