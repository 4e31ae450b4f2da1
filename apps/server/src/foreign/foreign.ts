import { ForeignDraft, ForeignMapping, ForeignPreview, ForeignRequest } from '@rule/contract';
import { Line, addressKey } from '@rule/core/changes';
import { Property, whyNotTyped } from '@rule/core/schema';
import { translate } from '@rule/core/survey';
import { HeldValue, compileStandIns, sameHeld } from '@rule/core/values';
import { Locks } from '../changes/locks';
import { Trays } from '../changes/tray';
import { WritableFile, barredFiles } from '../changes/barred';
import { HELD } from '../library/readings';
import { Db } from '../platform/db';
import { invalid, notFound, refused } from '../platform/problem';
import { Properties } from '../schema/properties';
import { readSettings } from '../platform/settings';
import { Surveys } from '../survey/survey';
import { User } from '../users/user';
import { clausesSql, filterSql } from '../library/filter';

/** Files read at a time. */
const PAGE = 4000;
const SAMPLE = 200;
const MOST_LINES = 300_000;

type RowCount = { -readonly [K in keyof ForeignPreview['rows'][number]]: ForeignPreview['rows'][number][K] };

interface Built {
  readonly lines: Line[];
  readonly counts: RowCount[];
  readonly sample: ForeignPreview['sample'][number][];
  readonly refused: ForeignPreview['refused'][number][];
  readonly skipped: Map<number, { path: string; message: string }>;
}

/** Mappings of foreign names to properties. They only build lines; the tray does the rest. */
export class ForeignMappings {
  constructor(
    private readonly db: Db,
    private readonly properties: Properties,
    private readonly surveys: Surveys,
    private readonly trays: Trays,
    private readonly locks: Locks,
  ) {}

  list(): Promise<ForeignMapping[]> {
    return this.db.all<ForeignMapping>('SELECT id, name, rows FROM foreign_mappings ORDER BY name');
  }

  async save(id: number | null, { name, rows }: ForeignDraft): Promise<ForeignMapping> {
    if (await this.db.one('SELECT 1 FROM foreign_mappings WHERE name = $1 AND id IS DISTINCT FROM $2::int', [name, id]))
      throw refused('mapping-taken', `A mapping named ${name} already exists.`);
    await this.targets(rows);
    const row =
      id === null
        ? await this.db.one<ForeignMapping>('INSERT INTO foreign_mappings (name, rows) VALUES ($1, $2::jsonb) RETURNING id, name, rows', [
            name,
            JSON.stringify(rows),
          ])
        : await this.db.one<ForeignMapping>('UPDATE foreign_mappings SET name = $2, rows = $3::jsonb WHERE id = $1 RETURNING id, name, rows', [
            id,
            name,
            JSON.stringify(rows),
          ]);
    if (!row) throw notFound(`Mapping ${id}`);
    return row;
  }

  async remove(id: number): Promise<void> {
    await this.db.run('DELETE FROM foreign_mappings WHERE id = $1', [id]);
  }

  /** Previews what would be mapped, left or refused. Stores nothing. */
  async preview(request: ForeignRequest): Promise<ForeignPreview> {
    const built = await this.build(request);
    const known = [...(await this.properties.list(this.db))].map((property) => property.writtenName);
    const mapped = new Set(request.rows.map((row) => row.from));
    const names = new Map<string, { name: string; files: number; filled: number }>();
    for (const { name, files, filled } of await this.surveys.names(request.filter)) {
      if (mapped.has(name) || known.includes(name)) continue;
      const entry = names.get(name) ?? { name, files: 0, filled: 0 };
      names.set(name, { name, files: entry.files + files, filled: entry.filled + filled });
    }
    return {
      rows: built.counts,
      lines: built.lines.length,
      files: new Set(built.lines.map((line) => line.address.file)).size,
      sample: built.sample,
      refused: built.refused.slice(0, SAMPLE),
      skipped: [...built.skipped].map(([file, { path, message }]) => ({ file, path, message })),
      unmapped: [...names.values()].filter((entry) => entry.filled > 0).sort((a, b) => b.files - a.files || compareText(a.name, b.name)),
    };
  }

  /** Adds mapped values to a user's tray. */
  async toTray(user: User, request: ForeignRequest): Promise<{ lines: number }> {
    const { lines } = await this.build(request);
    if (lines.length === 0) throw refused('nothing-to-do', 'No values would be mapped.');
    if (lines.length > MOST_LINES)
      throw refused('too-many', `This would change ${lines.length} values at once; limit it to a folder or class (at most ${MOST_LINES}).`);
    const refusals = await this.trays.refusals(user, lines);
    const free = lines.filter((line) => !refusals.has(addressKey(line.address)));
    if (free.length === 0) throw invalid('computed', [...refusals.values()][0]!.message);
    await this.trays.add(user, free, 'given');
    return { lines: free.length };
  }

  /**
   * Target properties of the rows.
   * @throws AppError if one cannot be written
   */
  private async targets(rows: ForeignRequest['rows']): Promise<Map<number, Property>> {
    const active = await this.properties.ofFiles(this.db);
    for (const row of rows) {
      const property = active.get(row.to);
      if (!property) throw invalid('unknown-property', `The property that ${JSON.stringify(row.from)} leads to is not in the schema.`);
      const closed = property.kinds.map((kind) => whyNotTyped(property, kind));
      if (closed.every((reason) => reason !== null)) throw invalid('computed', `${property.caption} ${closed[0]}.`);
      if (property.writtenName === row.from) throw invalid('same-name', `${JSON.stringify(row.from)} is already a written name of the schema.`);
    }
    return active;
  }

  private async build({ rows: wanted, filter, clash, keep }: ForeignRequest): Promise<Built> {
    const active = await this.targets(wanted);
    const standIns = compileStandIns((await readSettings(this.db)).standIns);
    await this.locks.refresh();
    const built: Built = {
      lines: [],
      counts: wanted.map(({ from, to }) => ({ from, to, values: 0, arrive: 0, same: 0, blank: 0, refused: 0, kept: 0 })),
      sample: [],
      refused: [],
      skipped: new Map(),
    };
    const from = [...new Set(wanted.map((row) => row.from))];
    const names = [...new Set([...from, ...wanted.map((row) => active.get(row.to)!.writtenName)])];
    for await (const page of this.pages(from, names, filter)) {
      const barred = await barredFiles(page);
      const meant = await this.meant(wanted, [...new Set(page.map((row) => row.file))]);
      const holders = new Map<string, { file: Row; values: Map<string, HeldValue> }>();
      for (const row of page) {
        const key = `${row.file}/${row.holder}`;
        const entry = holders.get(key) ?? { file: row, values: new Map<string, HeldValue>() };
        entry.values.set(row.name, row.held);
        holders.set(key, entry);
      }
      for (const { file, values } of holders.values()) {
        const reason = barred.get(file.file);
        if (reason !== undefined && from.some((name) => values.has(name))) {
          built.skipped.set(file.file, { path: file.path, message: reason });
          continue;
        }
        this.bring(built, wanted, active, file, values, meant, standIns, clash, keep);
      }
      if (built.lines.length > MOST_LINES) break;
    }
    return built;
  }

  /** Maps the values of one holder. */
  private bring(
    built: Built,
    wanted: ForeignRequest['rows'],
    active: ReadonlyMap<number, Property>,
    file: Row,
    values: ReadonlyMap<string, HeldValue>,
    meant: readonly (ReadonlySet<number> | null)[],
    standIns: ReturnType<typeof compileStandIns>,
    clash: ForeignRequest['clash'],
    keep: boolean,
  ): void {
    // Values assigned by earlier rows: two foreign names may map to one property.
    const given = new Map<string, HeldValue>();
    const address = (name: string) => ({ file: file.file, holder: file.holder, place: 'property' as const, name });
    const line = (name: string, base: HeldValue | null, proposed: HeldValue | null, reason: string): Line => ({
      address: address(name),
      base,
      proposed,
      reason,
      follows: false,
    });
    for (const [i, row] of wanted.entries()) {
      const theirs = values.get(row.from);
      const count = built.counts[i]!;
      if (!theirs || (meant[i] && !meant[i].has(file.file))) continue;
      count.values++;
      const property = active.get(row.to)!;
      const refuse = (message: string) => {
        count.refused++;
        built.refused.push({ file: file.file, path: file.path, from: row.from, theirs: theirs.text, message: `${message}.` });
      };
      if (!property.kinds.includes(file.kind)) {
        refuse(`${property.caption} does not apply to a ${file.kind}`);
        continue;
      }
      const made = translate(theirs, row.convert, property, standIns);
      if (!made.ok) {
        refuse(made.message);
        continue;
      }
      if (made.held === null) {
        count.blank++;
        continue;
      }
      const ours = given.get(property.writtenName) ?? values.get(property.writtenName) ?? null;
      const filled = ours !== null && ours.text !== '' && !(ours.form === 'text' && standIns.matches(ours.text));
      const same = sameHeld(ours, made.held) || (ours !== null && ours.text === made.held.text && (ours.unit ?? null) === (made.held.unit ?? null));
      if (filled && !same && given.has(property.writtenName)) {
        refuse(`another row gives ${property.caption} the value ${JSON.stringify(ours.text)}`);
        continue;
      }
      if (filled && !same && clash === 'keep ours') {
        count.kept++;
        continue;
      }
      if (same) count.same++;
      else {
        count.arrive++;
        built.lines.push(line(property.writtenName, ours, made.held, `brought over from ${row.from}`));
        if (built.sample.length < SAMPLE)
          built.sample.push({
            file: file.file,
            path: file.path,
            from: row.from,
            to: row.to,
            theirs: shown(theirs),
            before: ours === null ? null : shown(ours),
            after: shown(made.held),
          });
      }
      given.set(property.writtenName, made.held);
      // A foreign name is removed only once its value has a home.
      if (!keep) built.lines.push(line(row.from, theirs, null, `brought over to ${property.writtenName}`));
    }
  }

  /** For each row with conditions, the files of a page that meet them; `null` if unconditional. */
  private meant(wanted: ForeignRequest['rows'], files: readonly number[]): Promise<(ReadonlySet<number> | null)[]> {
    return Promise.all(
      wanted.map(async ({ where }) => {
        if (where.length === 0) return null;
        const { sql, bind } = clausesSql(where, 2);
        return new Set(
          (await this.db.all<{ id: number }>(`SELECT f.id FROM files f WHERE f.id = ANY($1::int[]) AND ${sql}`, [files, ...bind])).map((row) => row.id),
        );
      }),
    );
  }

  /** Values of foreign names and properties, some thousand files at a time. */
  private async *pages(from: readonly string[], names: readonly string[], filter: ForeignRequest['filter']): AsyncGenerator<Row[]> {
    for (let after = 0; ;) {
      const { sql, bind } = filterSql(filter, 3);
      const files = (
        await this.db.all<{ id: number }>(
          `SELECT f.id FROM files f
            WHERE f.id > $1 AND ${sql} AND EXISTS (SELECT 1 FROM held_values h WHERE h.file_id = f.id AND h.place = 'property' AND h.name = ANY($2::text[]))
            ORDER BY f.id LIMIT ${PAGE}`,
          [after, from, ...bind],
        )
      ).map((row) => row.id);
      if (files.length === 0) return;
      yield await this.db.all<Row>(
        `SELECT f.id AS file, f.path, f.kind, f.format, f.lock_reason AS lock, l.root, v.holder, v.name, ${HELD} AS held
         FROM held_values v JOIN files f ON f.id = v.file_id JOIN libraries l ON l.id = f.library_id
         WHERE v.place = 'property' AND v.name = ANY($1::text[]) AND f.id = ANY($2::int[]) ORDER BY f.id, v.holder`,
        [names, files],
      );
      after = files.at(-1)!;
    }
  }
}

interface Row extends WritableFile {
  readonly kind: Property['kinds'][number];
  readonly holder: string;
  readonly name: string;
  readonly held: HeldValue;
}

const compareText = (a: string, b: string) => a.localeCompare(b);
const shown = (held: HeldValue): string => (held.unit ? `${held.text} ${held.unit}` : held.text);
