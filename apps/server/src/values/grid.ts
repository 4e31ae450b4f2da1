import { FileRow, GridPage, GridQuery } from '@rule/contract';
import { slotOf } from '@rule/core/schema';
import { FILE_ROW } from '../library/library';
import { Db } from '../platform/db';
import { invalid } from '../platform/problem';
import { Properties } from '../schema/properties';
import { filterSql } from './filter';
import { heldFor } from './held';

/** The grid of files × properties. */
export class Grid {
  constructor(
    private readonly db: Db,
    private readonly properties: Properties,
  ) {}

  /** One page: a count, a page of files in order, and what they hold; three statements for any size. */
  async page(query: GridQuery): Promise<GridPage> {
    const active = await this.properties.active();
    const { sql: filter, bind } = filterSql(query);
    const total = await this.db.one<{ n: number }>(`SELECT count(*)::int AS n FROM files f WHERE ${filter}`, bind);
    const next = (n: number) => `$${bind.length + n}`;
    const direction = query.descending ? 'DESC' : 'ASC';
    let files: FileRow[];
    if (query.sort === 'file')
      files = await this.db.all<FileRow>(
        `SELECT ${FILE_ROW} FROM files f WHERE ${filter} ORDER BY f.path ${direction}, f.id LIMIT ${next(1)} OFFSET ${next(2)}`,
        [...bind, query.limit, query.offset],
      );
    else {
      const property = active.get(Number(query.sort));
      if (!property) throw invalid('bad-sort', `There is no property ${query.sort} to sort by.`);
      const slot = slotOf(property);
      const key = property.type === 'number' || property.type === 'whole' ? 'v.number' : 'v.text';
      // Files without a value come last in either direction.
      files = await this.db.all<FileRow>(
        `SELECT ${FILE_ROW} FROM files f LEFT JOIN held_values v ON v.file_id = f.id AND v.holder = '' AND v.place = ${next(3)} AND v.name = ${next(4)}
         WHERE ${filter} ORDER BY (v.text IS NULL OR v.text = ''), ${key} ${direction} NULLS LAST, f.path LIMIT ${next(1)} OFFSET ${next(2)}`,
        [...bind, query.limit, query.offset, slot.place, slot.name],
      );
    }
    const held = await heldFor(
      this.db,
      files.map((file) => file.id),
      active.values(),
    );
    return { total: total!.n, rows: files.map((file) => ({ file, held: held.get(file.id) ?? {} })) };
  }

  /** The folders that files stand in, with counts of all files below, and the counts by kind. */
  async filters(): Promise<{ folders: { folder: string; files: number }[]; kinds: { kind: string; files: number }[] }> {
    const [folders, kinds] = await Promise.all([
      this.db.all<{ folder: string; files: number }>('SELECT folder, count(*)::int AS files FROM files WHERE NOT removed GROUP BY folder'),
      this.db.all<{ kind: string; files: number }>('SELECT kind, count(*)::int AS files FROM files WHERE NOT removed GROUP BY kind ORDER BY kind'),
    ]);
    const below = new Map<string, number>();
    for (const { folder, files } of folders) {
      const parts = folder === '' ? [] : folder.split('/');
      for (let n = 1; n <= parts.length; n++) {
        const up = parts.slice(0, n).join('/');
        below.set(up, (below.get(up) ?? 0) + files);
      }
    }
    return { folders: [...below].map(([folder, files]) => ({ folder, files })).sort((a, b) => a.folder.localeCompare(b.folder)), kinds };
  }
}
