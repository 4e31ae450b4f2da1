import { SeriesNumber, SeriesRow } from '@rule/contract';
import { Line } from '@rule/core/changes';
import {
  Property,
  SeriesDraft,
  checkSeries,
  countIn,
  countText,
  frameOf,
  nextCount,
  nextRevision,
  forClass,
  slotOf,
  slotsOf,
  whyNotDrawn,
} from '@rule/core/schema';
import { HeldValue, heldText } from '@rule/core/values';
import { Trays } from '../changes/tray';
import { FILE_STATE, FileState, STATE_FROM } from '../library/file-state';
import { HELD } from '../library/readings';
import { Db, Sql, asRecordset } from '../platform/db';
import { invalid, notFound, refused } from '../platform/problem';
import { User } from '../users/user';
import { Properties } from '../schema/properties';

interface Stored {
  readonly id: number;
  readonly name: string;
  readonly definition: SeriesDraft;
}

/** Issued numbers shown for a series. */
const MOST_LISTED = 500;

/** Number series: unique consecutive numbers. */
export class NumberSeries {
  constructor(
    private readonly db: Db,
    private readonly properties: Properties,
    private readonly trays: Trays,
    private readonly clock: () => Date,
  ) {}

  async list(): Promise<SeriesRow[]> {
    const [stored, properties, counters, numbers] = await Promise.all([
      this.db.all<Stored>('SELECT id, name, definition FROM number_series ORDER BY name'),
      this.properties.list(this.db),
      this.db.all<{ series: number; frame: string; last: number }>('SELECT series_id AS series, frame, last FROM series_counters ORDER BY frame'),
      this.db.all<SeriesNumber & { series: number }>(
        `SELECT n.id, n.series_id AS series, n.text, n.state, coalesce(u.display_name, '') AS "by", n.at, n.file_id AS file, n.note
         FROM (SELECT *, row_number() OVER (PARTITION BY series_id ORDER BY id DESC) AS place FROM series_numbers) n
         LEFT JOIN users u ON u.id = n.user_id WHERE n.place <= ${MOST_LISTED} ORDER BY n.id DESC`,
      ),
    ]);
    return stored.map(({ id, name, definition }) => ({
      ...definition,
      id,
      name,
      usedBy: properties.filter((property) => property.series === name && property.feed === 'counted' && !property.retired).map((property) => property.caption),
      counters: counters
        .filter((counter) => counter.series === id)
        .map(({ frame, last }) => {
          const [before, after] = JSON.parse(frame) as [string, string];
          return { frame: `${before}…${after}`, last, next: before + countText(definition, nextCount(definition, last)) + after };
        }),
      numbers: numbers.filter((number) => number.series === id).map(({ series, ...number }) => (void series, number)),
    }));
  }

  private async get(sql: Sql, id: number): Promise<Stored> {
    const row = await sql.one<Stored>('SELECT id, name, definition FROM number_series WHERE id = $1', [id]);
    if (!row) throw notFound(`Number series ${id}`);
    return row;
  }

  async save(id: number | null, draft: SeriesDraft): Promise<SeriesRow> {
    const wrong = checkSeries(draft);
    if (wrong.length) throw invalid('bad-series', wrong[0]!);
    if (await this.db.one('SELECT 1 FROM number_series WHERE name = $1 AND id IS DISTINCT FROM $2', [draft.name, id]))
      throw refused('name-taken', `A number series named ${draft.name} already exists.`);
    const old = id === null ? null : await this.get(this.db, id);
    if (old && old.name !== draft.name && (await this.users(old.name)).length)
      throw refused('series-in-use', `${old.name} is used by properties and cannot be renamed.`);
    const row =
      id === null
        ? await this.db.one<{ id: number }>('INSERT INTO number_series (name, definition) VALUES ($1, $2::jsonb) RETURNING id', [
            draft.name,
            JSON.stringify(draft),
          ])
        : await this.db.one<{ id: number }>('UPDATE number_series SET name = $2, definition = $3::jsonb WHERE id = $1 RETURNING id', [
            id,
            draft.name,
            JSON.stringify(draft),
          ]);
    return (await this.list()).find((series) => series.id === row!.id)!;
  }

  private users(name: string): Promise<{ caption: string }[]> {
    return this.db.all<{ caption: string }>(
      `SELECT p->>'caption' AS caption FROM editions e, jsonb_array_elements(e.schema->'properties') p WHERE e.state <> 'superseded' AND p->>'series' = $1`,
      [name],
    );
  }

  async remove(id: number): Promise<void> {
    const { name } = await this.get(this.db, id);
    const [user] = await this.users(name);
    if (user) throw refused('series-in-use', `${user.caption} is numbered by ${name}.`);
    if (await this.db.one(`SELECT 1 FROM series_numbers WHERE series_id = $1 AND state <> 'released'`, [id]))
      throw refused('series-used', `${name} has issued numbers and cannot be removed, so that none is issued twice.`);
    await this.db.run('DELETE FROM number_series WHERE id = $1', [id]);
  }

  /** Reserves the next number. With a file, parts of the number come from its values. */
  async draw(user: User, id: number, file: number | null, note: string): Promise<SeriesNumber> {
    return this.db.transaction(async (sql) => {
      const series = await this.get(sql, id);
      if (series.definition.per === 'file') throw invalid('counts-per-file', `${series.name} counts per file; assign its numbers where files are filled in.`);
      const values = file === null ? new Map<number, Map<string, string>>() : await this.valuesOf(sql, [file]);
      const frame = frameOf(series.definition, values.get(file ?? 0) ?? new Map());
      if (!frame.ok) throw invalid('part-missing', `No number of ${series.name} can be made: ${frame.message}.`);
      const [text] = await this.take(sql, user, series, frame, [{ file, note }]);
      return (await sql.one<SeriesNumber>(
        `SELECT n.id, n.text, n.state, u.display_name AS "by", n.at, n.file_id AS file, n.note
          FROM series_numbers n JOIN users u ON u.id = n.user_id WHERE n.series_id = $1 AND n.text = $2`,
        [id, text],
      ))!;
    });
  }

  /**
   * Reserves numbers for files without one and adds them to the tray. For a series that counts per file, each file continues its own
   * numbers and nothing is reserved.
   */
  async drawForFiles(user: User, propertyId: number, files: readonly number[]): Promise<{ lines: number; skipped: { path: string; message: string }[] }> {
    const property = (await this.properties.active(this.db)).get(propertyId);
    if (property?.feed !== 'counted' || property.series === null) throw invalid('not-counted', 'This property is not numbered by a series.');
    const skipped: { path: string; message: string }[] = [];
    const lines = await this.db.transaction(async (sql) => {
      const row = await sql.one<Stored>('SELECT id, name, definition FROM number_series WHERE name = $1', [property.series]);
      if (!row) throw notFound(`Number series ${property.series}`);
      const [values, found] = await Promise.all([
        this.valuesOf(sql, files),
        sql.all<FileState>(`SELECT ${FILE_STATE} FROM ${STATE_FROM} WHERE f.id = ANY($1::int[]) AND NOT f.removed ORDER BY f.path`, [files]),
      ]);
      const frames = new Map<string, { frame: { before: string; after: string }; files: FileState[] }>();
      for (const file of found) {
        const skip = (message: string) => skipped.push({ path: file.path, message });
        const { kind, className, state } = file;
        const closed = whyNotDrawn(forClass(property, className), { role: user.role, kind, className, state });
        if (!property.kinds.includes(kind)) skip(`${property.caption} does not apply to a ${kind}.`);
        else if (closed !== null) skip(`${property.caption} ${closed}.`);
        else if (file.lock !== null) skip(`The file ${file.lock}.`);
        else if (row.definition.per === 'library' && values.get(file.id)?.get(slotOf(property, file.kind).name)) skip('The file already has a number.');
        else {
          const frame = frameOf(row.definition, values.get(file.id) ?? new Map());
          if (!frame.ok) skip(`${frame.message}.`);
          else {
            const entry: { frame: { before: string; after: string }; files: FileState[] } = frames.get(key(frame)) ?? { frame, files: [] };
            entry.files.push(file);
            frames.set(key(frame), entry);
          }
        }
      }
      const made: Line[] = [];
      const held = await this.heldOf(sql, property, found);
      const line = (file: FileState, text: string): Line => ({
        address: { file: file.id, holder: '', ...slotOf(property, file.kind) },
        base: held.get(file.id) ?? null,
        proposed: heldText(text),
        reason: `next number of ${row.name}`,
        follows: false,
      });
      if (row.definition.per === 'file') {
        for (const { frame, files: own } of frames.values())
          for (const file of own) {
            const current = values.get(file.id)?.get(slotOf(property, file.kind).name) ?? '';
            const next = nextRevision(row.definition, frame, current);
            if (next === null) skipped.push({ path: file.path, message: `${JSON.stringify(current)} does not belong to ${row.name}.` });
            else made.push(line(file, next));
          }
        return made;
      }
      for (const { frame, files: own } of frames.values()) {
        const texts = await this.take(
          sql,
          user,
          row,
          frame,
          own.map((file) => ({ file: file.id, note: '' })),
        );
        for (const [i, file] of own.entries()) made.push(line(file, texts[i]!));
      }
      return made;
    });
    if (lines.length) await this.trays.add(user, lines, 'by rule');
    return { lines: lines.length, skipped };
  }

  /** Document property texts of files, by written name. */
  private async valuesOf(sql: Sql, files: readonly number[]): Promise<Map<number, Map<string, string>>> {
    const found = await sql.all<{ file: number; name: string; held: HeldValue }>(
      `SELECT v.file_id AS file, v.name, ${HELD} AS held FROM held_values v
        WHERE v.file_id = ANY($1::int[]) AND v.holder = '' AND v.place IN ('property', 'field') AND v.text <> '' AND NOT v.stand_in`,
      [files],
    );
    const values = new Map<number, Map<string, string>>();
    for (const { file, name, held } of found) values.set(file, (values.get(file) ?? new Map<string, string>()).set(name, held.text));
    return values;
  }

  /** Held values of a property, including stand-ins. */
  private async heldOf(sql: Sql, property: Property, files: readonly FileState[]): Promise<Map<number, HeldValue>> {
    const slots = files.map((file) => ({ file: file.id, ...slotOf(property, file.kind) }));
    const found = await sql.all<{ file: number; held: HeldValue }>(
      `SELECT v.file_id AS file, ${HELD} AS held FROM jsonb_to_recordset($1::jsonb) AS s(file int, place text, name text)
       JOIN held_values v ON v.file_id = s.file AND v.holder = '' AND v.place = s.place AND v.name = s.name`,
      [asRecordset(slots)],
    );
    return new Map(found.map(({ file, held }) => [file, held]));
  }

  /**
   * Reserves numbers. The counter row stays locked until the transaction ends; used or issued numbers are skipped and released ones come
   * first.
   */
  private async take(
    sql: Sql,
    user: User,
    { id, definition, name }: Stored,
    frame: { readonly before: string; readonly after: string },
    wanted: readonly { readonly file: number | null; readonly note: string }[],
  ): Promise<string[]> {
    const counted = (await this.properties.list(sql)).filter((property) => !property.retired && property.series === name && property.feed === 'counted');
    const counter = await sql.one<{ last: number }>('SELECT last FROM series_counters WHERE series_id = $1 AND frame = $2 FOR UPDATE', [id, key(frame)]);
    if (!counter) {
      // First number in this frame: existing values count as used.
      const held = await this.standing(sql, counted, frame, null);
      const counts = held.flatMap((text) => countIn(definition, frame, text) ?? []);
      const last = counts.length ? counts.reduce((a, b) => Math.max(a, b)) : definition.start - definition.step;
      await sql.run('INSERT INTO series_counters (series_id, frame, last) VALUES ($1, $2, $3) ON CONFLICT (series_id, frame) DO NOTHING', [
        id,
        key(frame),
        last,
      ]);
      await sql.one('SELECT last FROM series_counters WHERE series_id = $1 AND frame = $2 FOR UPDATE', [id, key(frame)]);
    }
    const taken = await sql.all<{ text: string }>(
      `UPDATE series_numbers SET state = 'reserved', user_id = $4, at = $5
        WHERE id IN (SELECT id FROM series_numbers WHERE series_id = $1 AND frame = $2 AND state = 'released' ORDER BY count LIMIT $3)
        RETURNING text, count`,
      [id, key(frame), wanted.length, user.id, this.clock()],
    );
    const texts = taken.map((row) => row.text);
    while (texts.length < wanted.length) {
      const missing = wanted.length - texts.length;
      const { last } = (await sql.one<{ last: number }>('UPDATE series_counters SET last = last + $3 WHERE series_id = $1 AND frame = $2 RETURNING last', [
        id,
        key(frame),
        missing * definition.step,
      ]))!;
      const counts = Array.from({ length: missing }, (_, i) => last - (missing - 1 - i) * definition.step);
      const made = counts.map((count) => ({ count, text: frame.before + countText(definition, count) + frame.after }));
      const standing = new Set(
        await this.standing(
          sql,
          counted,
          frame,
          made.map((entry) => entry.text),
        ),
      );
      const free = made.filter((entry) => !standing.has(entry.text));
      const stored = await sql.all<{ text: string }>(
        `INSERT INTO series_numbers (series_id, frame, count, text, state, user_id, at)
         SELECT $1, $2, count, text, 'reserved', $4, $5
         FROM jsonb_to_recordset($3::jsonb) AS n(count bigint, text text)
         ON CONFLICT DO NOTHING RETURNING text`,
        [id, key(frame), asRecordset(free), user.id, this.clock()],
      );
      const kept = new Set(stored.map((row) => row.text));
      texts.push(...free.filter((entry) => kept.has(entry.text)).map((entry) => entry.text));
    }
    await sql.run(
      `UPDATE series_numbers s SET file_id = n.file, note = n.note
        FROM jsonb_to_recordset($2::jsonb) AS n(text text, file int, note text)
        WHERE s.series_id = $1 AND s.text = n.text`,
      [id, asRecordset(wanted.map((entry, i) => ({ text: texts[i], ...entry })))],
    );
    return texts;
  }

  /** Texts in files under the properties of a series: all of a frame, or those among some. */
  private async standing(sql: Sql, counted: readonly Property[], frame: { readonly before: string }, among: readonly string[] | null): Promise<string[]> {
    const slots = counted.flatMap((property) => slotsOf(property).map(({ slot }) => slot));
    const found = await sql.all<{ text: string }>(
      `SELECT DISTINCT v.text FROM jsonb_to_recordset($1::jsonb) AS s(place text, name text) JOIN held_values v ON v.place = s.place AND v.name = s.name
       WHERE starts_with(v.text, $2) AND ($3::text[] IS NULL OR v.text = ANY($3::text[]))`,
      [asRecordset(slots), frame.before, among],
    );
    return found.map((row) => row.text);
  }

  /** Releases an unused number; it is issued next. */
  async release(id: number): Promise<void> {
    const done = await this.db.run(`UPDATE series_numbers SET state = 'released', file_id = NULL WHERE id = $1 AND state = 'reserved'`, [id]);
    if (done === 0) throw refused('not-reserved', 'Only a reserved number can be released; one that has been used stays used.');
  }
}

const key = ({ before, after }: { readonly before: string; readonly after: string }): string => JSON.stringify([before, after]);
