import { Clause, FileFilter, FileRow, GridGroup, GridPage, GridQuery, GridRow, GridView, GridViewDraft, GroupBy } from '@rule/contract';
import { Binding, INNER_LEVELS, InnerLevel, Property, familyOf, homeCell, homeCells, isHeldAt, slotOf } from '@rule/core/schema';
import { FILE_ROW } from '../library/library';
import { DRAWN_FAMILIES } from '../library/blocks';
import { Db } from '../platform/db';
import { Memo } from '../platform/memo';
import { invalid, notFound } from '../platform/problem';
import { Properties } from '../schema/properties';
import { User } from '../users/user';
import { filterSql, holderClauseSql } from '../library/filter';
import { inForceOf } from '../schema/editions';
import { heldFor, heldInside } from './held';
import { Judgements } from './judgements';

/** Maximum groups in an answer. */
const MOST_GROUPS = 20_000;

/** The grid of files and properties. */
export class Grid {
  /** Number of files matching a filter, for every page. */
  private readonly memo: Memo;

  constructor(
    private readonly db: Db,
    private readonly properties: Properties,
    private readonly judgements: Judgements,
  ) {
    this.memo = new Memo(db);
  }

  /** One page: count, files and values, in three statements. */
  async page(query: GridQuery): Promise<GridPage> {
    if (query.level !== undefined) return this.inside(query, query.level);
    const active = await this.properties.ofFiles(this.db);
    // A filter by findings needs all files judged.
    if (query.finding !== undefined) await this.judgements.settle();
    const { sql: filter, bind } = filterSql(query);
    const total = await this.memo.get(JSON.stringify([filter, bind]), () =>
      this.db.one<{ n: number }>(`SELECT count(*)::int AS n FROM files f WHERE ${filter}`, bind),
    );
    const next = (n: number) => `$${bind.length + n}`;
    const order = this.order(query, active, (n) => next(n + 2));
    // Rows are loaded only for the page; earlier ones are skipped.
    const files = await this.db.all<FileRow>(
      `SELECT ${FILE_ROW} FROM unnest(ARRAY(SELECT f.id FROM files f ${order.join} WHERE ${filter} ORDER BY ${order.by} LIMIT ${next(1)} OFFSET ${next(2)}))
         WITH ORDINALITY AS p(id, at) JOIN files f ON f.id = p.id ORDER BY p.at`,
      [...bind, query.limit, query.offset, ...order.bind],
    );
    const ids = files.map((file) => file.id);
    const [held, findings] = await Promise.all([heldFor(this.db.often, ids, active.values()), this.judgements.of(ids)]);
    return { total: total!.n, rows: files.map((file) => ({ file, held: held.get(file.id) ?? {}, findings: findings.get(file.id) ?? [] })) };
  }

  /** The same with a row per holder of a level inside files. */
  private async inside(query: GridQuery, level: InnerLevel): Promise<GridPage> {
    const active = await this.properties.active(this.db);
    const own = [...active.values()].filter((property) => isHeldAt(property, level));
    const { bindings } = (await inForceOf(this.db)).schema;
    // Clauses on holder properties apply to the holder; others to the file.
    const meant = (clause: Clause) => (clause.subject === 'value' ? own.find((property) => property.writtenName === clause.name) : undefined);
    const files = filterSql({ ...query, where: (query.where ?? []).filter((clause) => !meant(clause)) });
    const bind: unknown[] = [...files.bind, level];
    const parts = [files.sql, `h.level = $${bind.length}`];
    for (const clause of query.where ?? []) {
      const property = meant(clause);
      if (!property) continue;
      const cells = homeCells(bindings, property.id);
      const condition = holderClauseSql(clause, { properties: [property.writtenName, ...property.knownSpellings], cells }, bind.length + 1);
      parts.push(`(${condition.sql})`);
      bind.push(...condition.bind);
    }
    await this.judgements.settle();
    const from = `FROM files f JOIN holders h ON h.file_id = f.id LEFT JOIN placed_blocks b ON b.file_id = h.file_id AND b.holder = h.key
      LEFT JOIN sheets s ON s.file_id = b.file_id AND s.layout = b.layout`;
    // Rows of parts lists and item marks are not sheets.
    parts.push(`(b.family IS NULL OR b.family <> ALL(${DRAWN_FAMILIES}))`);
    const where = parts.join(' AND ');
    const total = await this.memo.get(JSON.stringify([where, bind]), () =>
      this.db.one<{ n: number }>(`SELECT count(*)::int AS n ${from} WHERE ${where}`, bind),
    );
    const sorted = this.holderOrder(query, own, bindings, bind);
    const found = await this.db.all<FileRow & { holder: string; label: string; layout: string | null }>(
      `SELECT ${FILE_ROW}, h.key AS holder, h.label, b.layout ${from} ${sorted.join} WHERE ${where}
        ORDER BY ${sorted.by} LIMIT $${bind.length + 1} OFFSET $${bind.length + 2}`,
      [...bind, query.limit, query.offset],
    );
    const ids = [...new Set(found.map((row) => row.id))];
    const [document, held, findings] = await Promise.all([
      heldFor(
        this.db,
        ids,
        [...active.values()].filter((property) => isHeldAt(property, 'document')),
      ),
      heldInside(this.db, ids, level, own),
      this.judgements.inside(ids),
    ]);
    const ownIds = new Set(own.map((property) => property.id));
    const rows = found.map(({ holder, label, layout, ...file }): GridRow => {
      const key = `${file.id}/${holder}`;
      const said = [...(findings.get(`${file.id}/`) ?? []).filter(({ property }) => !ownIds.has(property)), ...(findings.get(key) ?? [])];
      const homes = Object.fromEntries(own.flatMap(({ id }) => [[id, homeCell(bindings, id, familyOf(label))] as const]).filter(([, cell]) => cell !== null));
      return {
        file,
        holder: { key: holder, level, label: layout ?? (label || holder), homes: homes as Record<number, string> },
        held: { ...document.get(file.id), ...held.get(key) },
        findings: said,
      };
    });
    return { total: total!.n, rows };
  }

  /** Order of holder rows: by file and position, or by value. Parameters follow those of the filter. */
  private holderOrder(
    { sort, descending }: Pick<GridQuery, 'sort' | 'descending'>,
    own: readonly Property[],
    bindings: readonly Binding[],
    bind: unknown[],
  ): { readonly join: string; readonly by: string } {
    const direction = descending ? 'DESC' : 'ASC';
    const inFile = 's.position, h.label, h.key';
    const property = own.find((candidate) => `${candidate.id}` === sort);
    if (!property) return { join: '', by: `f.path ${direction}, ${inFile}` };
    bind.push([property.writtenName, ...homeCells(bindings, property.id)]);
    const key = property.type === 'number' || property.type === 'whole' ? 'v.number' : 'v.text';
    return {
      join: `LEFT JOIN LATERAL (SELECT v.text, v.number FROM held_values v
          WHERE v.file_id = h.file_id AND v.holder = h.key AND v.name = ANY($${bind.length}::text[]) LIMIT 1) v ON true`,
      by: `(v.text IS NULL OR v.text = ''), ${key} ${direction} NULLS LAST, f.path, ${inFile}`,
    };
  }

  /** Order of rows: group, sort value, path. Blanks come last in either direction. */
  private order(
    { group, sort, descending }: Pick<GridQuery, 'group' | 'sort' | 'descending'>,
    active: ReadonlyMap<number, Property>,
    next: (n: number) => string,
  ): { join: string; by: string; bind: unknown[] } {
    const bind: unknown[] = [];
    const add = (value: unknown) => {
      bind.push(value);
      return next(bind.length);
    };
    const joins: string[] = [];
    const by: string[] = [];
    if (group !== undefined) by.push(this.groupKey(group, active, joins, add));
    const direction = descending ? 'DESC' : 'ASC';
    if (sort === 'file') by.push(`f.path ${direction}`, 'f.id');
    else {
      const property = active.get(Number(sort));
      if (!property) throw invalid('bad-sort', `There is no property ${sort} to sort by.`);
      const slot = slotOf(property);
      joins.push(`LEFT JOIN held_values v ON v.file_id = f.id AND v.holder = '' AND v.place = ${add(slot.place)} AND v.name = ${add(slot.name)}`);
      const key = property.type === 'number' || property.type === 'whole' ? 'v.number' : 'v.text';
      by.push(`(v.text IS NULL OR v.text = '')`, `${key} ${direction} NULLS LAST`, 'f.path', 'f.id');
    }
    return { join: joins.join(' '), by: by.join(', '), bind };
  }

  /** Grouping text; blanks form one group at the start. */
  private groupKey(group: GroupBy, active: ReadonlyMap<number, Property>, joins: string[], add: (value: unknown) => string): string {
    if (group === 'folder') return 'f.folder';
    if (group === 'kind') return 'f.kind';
    if (group === 'class') {
      joins.push('LEFT JOIN classes gc ON gc.id = f.class_id');
      return `coalesce(gc.name, '')`;
    }
    const property = active.get(Number(group));
    if (!property) throw invalid('bad-group', `There is no property ${group} to group by.`);
    const slot = slotOf(property);
    joins.push(`LEFT JOIN held_values g ON g.file_id = f.id AND g.holder = '' AND g.place = ${add(slot.place)} AND g.name = ${add(slot.name)}`);
    return `coalesce(g.text, '')`;
  }

  /** Groups with counts, in row order. */
  async groups({ group, ...filter }: FileFilter & { readonly group: GroupBy }): Promise<GridGroup[]> {
    const active = await this.properties.ofFiles(this.db);
    const { sql, bind } = filterSql(filter);
    const more: unknown[] = [];
    const joins: string[] = [];
    const key = this.groupKey(group, active, joins, (value) => {
      more.push(value);
      return `$${bind.length + more.length}`;
    });
    return this.db.all<GridGroup>(
      `SELECT k AS text, count(*)::int AS files
        FROM (SELECT ${key} AS k FROM files f ${joins.join(' ')} WHERE ${sql}) n GROUP BY k ORDER BY k
        LIMIT ${MOST_GROUPS}`,
      [...bind, ...more],
    );
  }

  views(user: User): Promise<GridView[]> {
    return this.db.all<GridView>(
      `SELECT v.id, v.name, v.shared, v.content, u.display_name AS "by", v.user_id = $1 AS mine FROM grid_views v JOIN users u ON u.id = v.user_id
       WHERE v.shared OR v.user_id = $1 ORDER BY v.name`,
      [user.id],
    );
  }

  /** Saves a view; replaces one with the same name and owner. */
  async saveView(user: User, { name, shared, content }: GridViewDraft): Promise<GridView[]> {
    await this.db.run(
      `INSERT INTO grid_views (name, user_id, shared, content) VALUES ($1, $2, $3, $4::jsonb)
        ON CONFLICT (user_id, name) DO UPDATE SET shared = excluded.shared, content = excluded.content`,
      [name, user.id, shared, JSON.stringify(content)],
    );
    return this.views(user);
  }

  async removeView(user: User, id: number): Promise<void> {
    if ((await this.db.run('DELETE FROM grid_views WHERE id = $1 AND (user_id = $2 OR (shared AND $3))', [id, user.id, user.role === 'administrator'])) === 0)
      throw notFound(`Your view ${id}`);
  }

  /** Folders with file counts, counts by kind, and levels with values. */
  async filters(): Promise<{ folders: { folder: string; files: number }[]; kinds: { kind: string; files: number }[]; levels: InnerLevel[] }> {
    const properties = [...(await this.properties.active(this.db)).values()];
    const asked = INNER_LEVELS.filter((level) => properties.some((property) => isHeldAt(property, level)));
    const [folders, kinds, levels] = await Promise.all([
      this.db.all<{ folder: string; files: number }>('SELECT folder, count(*)::int AS files FROM files WHERE NOT removed GROUP BY folder'),
      this.db.all<{ kind: string; files: number }>('SELECT kind, count(*)::int AS files FROM files WHERE NOT removed GROUP BY kind ORDER BY kind'),
      this.db.all<{ level: InnerLevel }>(
        'SELECT a.level FROM unnest($1::text[]) WITH ORDINALITY a(level, n) WHERE EXISTS (SELECT 1 FROM holders h WHERE h.level = a.level) ORDER BY a.n',
        [asked],
      ),
    ]);
    const below = new Map<string, number>();
    for (const { folder, files } of folders) {
      const parts = folder === '' ? [] : folder.split('/');
      for (let n = 1; n <= parts.length; n++) {
        const up = parts.slice(0, n).join('/');
        below.set(up, (below.get(up) ?? 0) + files);
      }
    }
    return {
      folders: [...below].map(([folder, files]) => ({ folder, files })).sort((a, b) => a.folder.localeCompare(b.folder)),
      kinds,
      levels: levels.map((row) => row.level),
    };
  }
}
