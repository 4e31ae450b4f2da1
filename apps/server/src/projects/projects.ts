import { Behind, SetSheet, WideDraft, WideMembers, WideRow, WideView } from '@rule/contract';
import { Line } from '@rule/core/changes';
import { PreparedSchema, Property, WideLevel, familyOf, homeCells, isHeldAt, onBlock, slotKey, slotOf } from '@rule/core/schema';
import { HeldValue } from '@rule/core/values';
import { Trays } from '../changes/tray';
import { HELD } from '../library/readings';
import { Db, Sql } from '../platform/db';
import { invalid, notFound, refused } from '../platform/problem';
import { BATCH, Derived, linesOf } from '../schema/derive';
import { LoadedFacts, loadFacts, surroundingsOf } from '../schema/facts';
import { User } from '../users/user';
import { assignWide } from '../library/members';

/** Maximum members and pending files in an answer. */
const MOST = 2000;

const ROW = `w.id, w.level, w.name, w.clauses,
  CASE w.level WHEN 'project' THEN (SELECT count(*)::int FROM files f WHERE f.project_id = w.id AND NOT f.removed)
               WHEN 'drawing set' THEN (SELECT count(*)::int FROM files f WHERE f.set_id = w.id AND NOT f.removed)
               ELSE (SELECT count(*)::int FROM files f WHERE NOT f.removed) END AS files`;

/** Holders above files: company, projects and drawing sets, with inheritable values. */
export class Projects {
  constructor(
    private readonly db: Db,
    private readonly derived: Derived,
    private readonly trays: Trays,
  ) {}

  list(): Promise<WideRow[]> {
    return this.db.all<WideRow>(
      `SELECT ${ROW} FROM wide_holders w WHERE NOT w.removed ORDER BY array_position(ARRAY['company', 'project', 'drawing set'], w.level), w.position, w.name`,
    );
  }

  private async row(id: number): Promise<WideRow> {
    const row = await this.db.one<WideRow>(`SELECT ${ROW} FROM wide_holders w WHERE w.id = $1 AND NOT w.removed`, [id]);
    if (!row) throw notFound(`Project or set ${id}`);
    return row;
  }

  async save(id: number | null, { level, name, clauses }: WideDraft): Promise<WideRow> {
    const saved = await this.db.transaction(async (sql) => {
      const taken = await sql.one(`SELECT 1 FROM wide_holders WHERE level = $1 AND name = $2 AND NOT removed AND id <> $3`, [level, name, id ?? 0]);
      if (taken) throw refused('name-taken', `A ${level} named ${name} already exists.`);
      const row =
        id === null
          ? await sql.one<{ id: number }>(
              `INSERT INTO wide_holders (level, name, clauses, position) SELECT $1, $2, $3::jsonb, coalesce(max(position), 0) + 1 FROM wide_holders RETURNING id`,
              [level, name, JSON.stringify(clauses)],
            )
          : await sql.one<{ id: number }>(`UPDATE wide_holders SET name = $3, clauses = $4::jsonb WHERE id = $1 AND level = $2 AND NOT removed RETURNING id`, [
              id,
              level,
              name,
              JSON.stringify(clauses),
            ]);
      if (!row) throw notFound(`The ${level} ${id}`);
      await assignWide(sql, null);
      return row.id;
    });
    return this.row(saved);
  }

  /** Removes a project or set. Its files keep their values. */
  async remove(id: number): Promise<void> {
    const { level } = await this.row(id);
    if (level === 'company') throw refused('the-company', 'The company itself cannot be removed.');
    await this.db.transaction(async (sql) => {
      await sql.run('UPDATE wide_holders SET removed = true WHERE id = $1', [id]);
      await sql.run('DELETE FROM wide_members WHERE holder_id = $1', [id]);
      await assignWide(sql, null);
    });
  }

  async members(id: number, { files, member }: WideMembers): Promise<void> {
    const row = await this.row(id);
    if (row.level === 'company') throw refused('the-company', 'All files belong to the company.');
    const known = await this.db.all<{ id: number; kind: string; path: string }>('SELECT id, kind, path FROM files WHERE id = ANY($1::int[]) AND NOT removed', [
      files,
    ]);
    const missing = files.find((file) => !known.some((entry) => entry.id === file));
    if (missing !== undefined) throw notFound(`File ${missing}`);
    const odd = row.level === 'drawing set' && member === true ? known.find((file) => file.kind !== 'drawing') : undefined;
    if (odd) throw invalid('not-a-drawing', `${odd.path} is not a drawing; drawing sets contain only drawings.`);
    await this.db.transaction(async (sql) => {
      await sql.run('DELETE FROM wide_members WHERE holder_id = $1 AND file_id = ANY($2::int[])', [id, files]);
      if (member !== null) {
        // A file has one project and one set; assigning it moves it.
        if (member)
          await sql.run(
            'DELETE FROM wide_members m USING wide_holders w WHERE w.id = m.holder_id AND w.level = $1 AND m.member AND m.file_id = ANY($2::int[])',
            [row.level, files],
          );
        await sql.run('INSERT INTO wide_members SELECT $1, unnest($2::int[]), $3', [id, files, member]);
      }
      await assignWide(sql, files);
    });
  }

  async view(id: number): Promise<WideView> {
    const row = await this.row(id);
    const column = row.level === 'project' ? 'project_id' : 'set_id';
    const prepared = await this.derived.prepared(this.db);
    const own = prepared.schema.properties.filter((property) => !property.retired && isHeldAt(property, row.level));
    const [values, members, takenOut, behind, sheets] = await Promise.all([
      this.db.all<{ name: string; held: HeldValue }>(`SELECT v.name, ${HELD} AS held FROM target_values v WHERE v.file_id = $1`, [-id]),
      row.level === 'company'
        ? Promise.resolve([])
        : this.db.all<WideView['members'][number]>(
            `SELECT f.id AS file, f.path, f.kind, CASE WHEN m.member THEN 'by hand' ELSE 'by rule' END AS how FROM files f
             LEFT JOIN wide_members m ON m.file_id = f.id AND m.holder_id = $1 WHERE f.${column} = $1 AND NOT f.removed ORDER BY f.path LIMIT ${MOST}`,
            [id],
          ),
      this.db.all<WideView['takenOut'][number]>(
        `SELECT f.id AS file, f.path FROM wide_members m JOIN files f ON f.id = m.file_id AND NOT f.removed
          WHERE m.holder_id = $1 AND NOT m.member ORDER BY f.path`,
        [id],
      ),
      this.behind(row, prepared),
      row.level === 'drawing set' ? this.sheets(id, prepared) : Promise.resolve([]),
    ]);
    const byName = new Map(values.map((value) => [value.name, value.held]));
    return {
      ...row,
      held: Object.fromEntries(
        own.flatMap((property) => (byName.has(property.writtenName) ? [[property.id, byName.get(property.writtenName)!] as const] : [])),
      ),
      members,
      takenOut,
      behind: behind.slice(0, MOST),
      behindTotal: behind.length,
      sheets,
    };
  }

  /** Iterates over the files of a holder in batches. */
  private async *files(sql: Sql, { id, level }: Pick<WideRow, 'id' | 'level'>, prepared: PreparedSchema): AsyncGenerator<LoadedFacts> {
    const around = surroundingsOf([prepared]);
    const condition = level === 'company' ? '$2 = $2' : level === 'project' ? 'project_id = $2' : 'set_id = $2';
    for (let after = 0; ;) {
      const ids = (
        await sql.all<{ id: number }>(`SELECT id FROM files WHERE id > $1 AND ${condition} AND NOT removed AND problem IS NULL ORDER BY id LIMIT ${BATCH}`, [
          after,
          id,
        ])
      ).map((found) => found.id);
      if (ids.length === 0) return;
      after = ids.at(-1)!;
      yield* (await loadFacts(sql, ids, around)).values();
    }
  }

  /** Properties inherited from a level, and those computed from them. */
  private inherited(prepared: PreparedSchema, level: WideLevel): Set<number> {
    return new Set(
      prepared
        .dependents()
        .filter(({ needs }) => needs.some((need) => need.group === level))
        .map(({ key }) => key),
    );
  }

  /** Files of a holder that lack inherited values. */
  private async behind(row: WideRow, prepared: PreparedSchema): Promise<Behind[]> {
    const properties = this.inherited(prepared, row.level);
    if (properties.size === 0) return [];
    const lines: Line[] = [];
    const labels = new Map<string, string>();
    for await (const file of this.files(this.db, row, prepared)) {
      for (const holder of file.holders) labels.set(`${file.id}/${holder.key}`, holder.label);
      lines.push(...linesOf(prepared, file, properties, () => '').filter((line) => JSON.stringify(line.base) !== JSON.stringify(line.proposed)));
    }
    const bySlot = new Map<string, Property>();
    for (const property of prepared.schema.properties)
      if (properties.has(property.id)) {
        for (const kind of property.kinds) bySlot.set(`${slotOf(property, kind).place}/${slotOf(property, kind).name}`, property);
        for (const cell of homeCells(prepared.schema.bindings, property.id)) bySlot.set(`cell/${cell}`, property);
      }
    const files = await this.db.all<{ id: number; path: string; lock: string | null }>(
      'SELECT id, path, lock_reason AS lock FROM files WHERE id = ANY($1::int[]) ORDER BY path',
      [[...new Set(lines.map((line) => line.address.file))]],
    );
    const byId = new Map(files.map((file) => [file.id, file]));
    return lines
      .flatMap(({ address, base, proposed }): Behind[] => {
        const [file, property] = [byId.get(address.file), bySlot.get(`${address.place}/${address.name}`)];
        if (!file || !property) return [];
        return [
          {
            file: address.file,
            path: file.path,
            holder: address.holder,
            label: labels.get(`${address.file}/${address.holder}`) ?? '',
            property: property.id,
            held: base,
            wanted: proposed,
            reason: file.lock === null ? null : `The file ${file.lock}.`,
          },
        ];
      })
      .sort((a, b) => Number(b.reason !== null) - Number(a.reason !== null) || a.path.localeCompare(b.path));
  }

  /** Adds missing inherited values to the tray. */
  async push(user: User, id: number): Promise<{ lines: number; barred: number }> {
    const row = await this.row(id);
    const prepared = await this.derived.prepared(this.db);
    const properties = this.inherited(prepared, row.level);
    const lines: Line[] = [];
    if (properties.size)
      for await (const file of this.files(this.db, row, prepared))
        for (const line of linesOf(prepared, file, properties, (property) => `${property.caption} of the ${row.level} ${row.name}`, false))
          if (JSON.stringify(line.base) !== JSON.stringify(line.proposed)) lines.push(line);
    const locked = new Set(
      (
        await this.db.all<{ id: number }>('SELECT id FROM files WHERE id = ANY($1::int[]) AND lock_reason IS NOT NULL', [
          [...new Set(lines.map((line) => line.address.file))],
        ])
      ).map((file) => file.id),
    );
    const free = lines.filter((line) => !locked.has(line.address.file));
    if (free.length === 0)
      throw refused(
        'nothing-to-do',
        lines.length ? 'All files that lack the values are locked. They stay on the list until they can be written.' : 'Every file already has these values.',
      );
    await this.trays.add(user, free, 'by rule');
    return { lines: free.length, barred: lines.length - free.length };
  }

  /** The sheets of a set with their own values. */
  private async sheets(id: number, prepared: PreparedSchema): Promise<SetSheet[]> {
    const own = prepared.schema.properties.filter((property) => !property.retired && property.level === 'sheet');
    if (own.length === 0) return [];
    const sheets: SetSheet[] = [];
    const about: LoadedFacts[] = [];
    for await (const file of this.files(this.db, { id, level: 'drawing set' }, prepared)) about.push(file);
    const files = await this.db.all<{ id: number; path: string; lock: string | null }>(
      'SELECT id, path, lock_reason AS lock FROM files WHERE id = ANY($1::int[])',
      [about.map((file) => file.id)],
    );
    const byId = new Map(files.map((file) => [file.id, file]));
    for (const file of about) {
      const blocks = file.holders.filter((candidate) => candidate.level === 'sheet');
      const onPaper = blocks.some((holder) => holder.sheet);
      for (const holder of blocks) {
        const slots = own.map((property) => [property.id, slotOf(onBlock(property, prepared.schema.bindings, familyOf(holder.label)), 'drawing')] as const);
        const held = Object.fromEntries(
          slots.flatMap(([id, slot]) => {
            const value = holder.held.get(slotKey(slot.place, slot.name));
            return value ? [[id, value] as const] : [];
          }),
        );
        // Blocks without a cell for any of the values are no sheets in a model that has sheets: they are labels of rooms and views.
        if (onPaper && !holder.sheet && Object.keys(held).length === 0) continue;
        const homes = Object.fromEntries(slots.map(([id, slot]) => [id, slot.name]));
        const { path, lock } = byId.get(file.id)!;
        sheets.push({ file: file.id, path, holder: holder.key, label: holder.sheet?.layout ?? holder.label, held, homes, lock });
      }
    }
    return sheets.sort((a, b) => a.path.localeCompare(b.path)).slice(0, MOST);
  }
}
