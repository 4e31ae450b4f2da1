import { FileHandle, mkdir, realpath, stat } from 'node:fs/promises';
import { join } from 'node:path';
import { FileDetails, FileRow, Library } from '@rule/contract';
import { Match } from '@rule/core/identity';
import { Db, Sql } from '../platform/db';
import { LOCKS } from '../platform/locks';
import { NotAFile, openPlain } from '../platform/plain-file';
import { invalid, notFound, refused } from '../platform/problem';
import { within } from '../platform/store';
import { readSettings } from '../platform/settings';
import { matchIdentities } from './identities';
import { HELD, KeptReading } from './readings';

/** The columns of a file row. */
export const FILE_ROW = `f.id, f.library_id AS library, f.path, f.folder, f.name, f.kind, (SELECT c.name FROM classes c WHERE c.id = f.class_id) AS "class", f.problem,
  f.lock_reason AS lock, f.lock_by AS "lockBy", f.lock_since AS "lockSince", f.workflow_state AS state`;

/** Server folders used for tables, with their purpose. */
const OTHER_PLACES = `SELECT 'watched for tables' AS what, content->>'folder' AS folder FROM watched_folders
  UNION ALL SELECT 'where ' || (content->>'name') || ' is delivered to', content->>'folder' FROM deliveries`;

/** Libraries and their files. */
export class Libraries {
  constructor(
    private readonly db: Db,
    /** Folder of uploaded libraries. */
    private readonly uploads: string,
    /** Folders that cannot be a library: Rule's own. */
    private readonly forbidden: readonly string[],
  ) {}

  /**
   * Validates a library folder.
   * @param but a library that may already be there
   */
  private async folder(path: string, name: string | null, but: number | null): Promise<string> {
    const root = await realpath(path).catch(() => undefined);
    if (root === undefined || !(await stat(root)).isDirectory()) throw invalid('no-folder', `${path} is not a folder on the server.`);
    for (const own of this.forbidden)
      if (within(root, own) || within(own, root)) throw invalid('own-folder', `${path} contains Rule's own data or is part of it.`);
    const place = (await this.db.all<{ what: string; folder: string }>(OTHER_PLACES)).find(({ folder }) => within(root, folder) || within(folder, root));
    if (place) throw invalid('other-use', `${path} is or contains a folder ${place.what}; it cannot be a library.`);
    const clash = (await this.db.all<{ name: string; root: string }>('SELECT name, root FROM libraries WHERE id IS DISTINCT FROM $1', [but])).find(
      (other) => other.name === name || within(root, other.root) || within(other.root, root),
    );
    if (clash) throw refused('library-taken', `The library ${clash.name} already has this name or folder (${clash.root}).`);
    return root;
  }

  async add(name: string, path: string): Promise<number> {
    const row = await this.db.one<{ id: number }>('INSERT INTO libraries (name, root) VALUES ($1, $2) RETURNING id', [
      name,
      await this.folder(path, name, null),
    ]);
    return row!.id;
  }

  /** Confirms a library's folder or points it to another one after a move or restore. Known data stays; the next scan finds differences. */
  async place(id: number, path: string): Promise<void> {
    const library = await this.db.one<{ kind: string }>('SELECT kind FROM libraries WHERE id = $1', [id]);
    if (!library) throw notFound(`Library ${id}`);
    if (library.kind !== 'folder') throw invalid('not-a-folder', "Uploaded files are kept in Rule's own folder.");
    const root = await this.folder(path, null, id);
    await this.db.exclusive(LOCKS.files, () => this.db.run('UPDATE libraries SET root = $2, confirmed = true WHERE id = $1', [id, root]));
  }

  /** Creates a library for uploads. */
  async addUpload(name: string): Promise<number> {
    if (await this.db.one('SELECT 1 FROM libraries WHERE name = $1', [name])) throw refused('library-taken', `A library named ${name} already exists.`);
    return this.db.transaction(async (sql) => {
      const row = await sql.one<{ id: number }>(`INSERT INTO libraries (name, root, kind) VALUES ($1, $2, 'upload') RETURNING id`, [name, `pending ${name}`]);
      const root = join(this.uploads, String(row!.id));
      await mkdir(root, { recursive: true });
      await sql.run('UPDATE libraries SET root = $2 WHERE id = $1', [row!.id, root]);
      return row!.id;
    });
  }

  /** When libraries were last surveyed, by number. */
  async times(): Promise<Map<number, Library['surveyedAt']>> {
    const found = await this.db.often.all<Pick<Library, 'id' | 'surveyedAt'>>('SELECT id, surveyed_at AS "surveyedAt" FROM libraries');
    return new Map(found.map(({ id, surveyedAt }) => [id, surveyedAt]));
  }

  list(): Promise<Library[]> {
    return this.db.all<Library>(
      `SELECT l.id, l.name, l.root, l.kind, l.surveyed_at AS "surveyedAt", l.confirmed, count(f.id)::int AS files, count(f.problem)::int AS unread
       FROM libraries l LEFT JOIN files f ON f.library_id = l.id AND NOT f.removed GROUP BY l.id ORDER BY l.name`,
    );
  }

  async file(id: number): Promise<FileRow> {
    const row = await this.db.one<FileRow>(`SELECT ${FILE_ROW} FROM files f WHERE f.id = $1 AND NOT f.removed`, [id]);
    if (!row) throw notFound(`File ${id}`);
    return row;
  }

  /** Opens a file for reading; the caller closes it. */
  async open(id: number): Promise<FileHandle> {
    const row = await this.db.one<{ root: string; path: string }>(
      'SELECT l.root, f.path FROM files f JOIN libraries l ON l.id = f.library_id WHERE f.id = $1 AND NOT f.removed',
      [id],
    );
    if (!row) throw notFound(`File ${id}`);
    return openPlain(join(row.root, row.path)).catch((error: unknown) => {
      if (error instanceof NotAFile) throw refused('not-a-file', `${row.path}: ${error.message}`);
      throw notFound(`The file ${row.path} on the server's disk`);
    });
  }

  async details(id: number): Promise<FileDetails> {
    const file = await this.db.one<FileDetails['file']>(
      `SELECT ${FILE_ROW}, f.size, f.hash, f.format, l.name AS "libraryName",
         l.in_vault AND EXISTS (SELECT 1 FROM vault_records r WHERE r.path = f.path) AS "inVault"
           FROM files f JOIN libraries l ON l.id = f.library_id WHERE f.id = $1 AND NOT f.removed`,
      [id],
    );
    if (!file) throw notFound(`File ${id}`);
    const [holders, kept, usedIn, drawings, sameName, sameContent, history] = await Promise.all([
      this.db.all<FileDetails['holders'][number]>(
        `SELECT h.level, h.key, h.label,
         coalesce(jsonb_agg(jsonb_build_object('place', v.place, 'name', v.name, 'held', ${HELD}, 'standIn', v.stand_in)
               ORDER BY v.place DESC, v.name) FILTER (WHERE v.name IS NOT NULL),
             '[]') AS values
         FROM holders h LEFT JOIN held_values v ON v.file_id = h.file_id AND v.holder = h.key
         WHERE h.file_id = $1 GROUP BY h.level, h.key, h.label ORDER BY h.key`,
        [id],
      ),
      this.db.one<{ reading: KeptReading | null; model: Match | null }>('SELECT reading, model_match AS model FROM files WHERE id = $1', [id]),
      this.db.all<FileDetails['usedIn'][number]>(
        `SELECT f.id AS file, f.path,
         (SELECT count(*)::int FROM jsonb_array_elements(f.reading->'structure'->'occurrences') o WHERE o->>'child' = c.product) AS times
         FROM copies c JOIN files f ON f.id = c.assembly_id AND NOT f.removed WHERE c.part_id = $1 ORDER BY f.path`,
        [id],
      ),
      this.db.all<FileDetails['drawings'][number]>('SELECT id AS file, path FROM files WHERE model_file_id = $1 AND NOT removed ORDER BY path', [id]),
      this.db.all<FileDetails['sameName'][number]>('SELECT id AS file, path FROM files WHERE name = $2 AND id <> $1 AND NOT removed ORDER BY path LIMIT 50', [
        id,
        file.name,
      ]),
      this.db.all<FileDetails['sameContent'][number]>(
        `SELECT id AS file, path FROM files WHERE hash = $2 AND hash <> '' AND id <> $1 AND NOT removed ORDER BY path LIMIT 50`,
        [id, file.hash],
      ),
      this.db.all<FileDetails['history'][number]>(
        `SELECT s.id AS "changeSet", s.title, u.display_name AS "by", s.at, s.state,
           jsonb_agg(jsonb_build_object('name', l.name, 'holder', l.holder, 'before', l.base->>'text', 'after', l.proposed->>'text') ORDER BY l.id) AS lines
         FROM change_lines l JOIN change_sets s ON s.id = l.change_set_id JOIN users u ON u.id = s.user_id
         WHERE l.file_id = $1 AND s.state IN ('applied', 'partly applied') AND l.state = 'applied' GROUP BY s.id, u.display_name ORDER BY s.id DESC LIMIT 100`,
        [id],
      ),
    ]);
    const model = kept?.model ?? null;
    const mentioned = model?.state === 'matched' ? [model.file] : model?.state === 'ambiguous' ? [...model.candidates] : [];
    return {
      file,
      version: kept?.reading?.version ?? '',
      holders,
      notes: (kept?.reading?.problems ?? []).map((problem) => problem.message),
      model,
      paths: await this.paths(this.db, mentioned),
      sheets: kept?.reading?.sheets ?? [],
      missingCells: (kept?.reading?.inserts ?? [])
        .filter((insert) => (insert.missing ?? []).length > 0)
        .map(({ block, layout, missing }) => ({ block, layout, tags: missing })),
      usedIn,
      drawings,
      sameName,
      sameContent,
      history,
    };
  }

  /** Paths by file number. */
  async paths(sql: Sql, ids: readonly number[]): Promise<Record<number, string>> {
    const found = await sql.all<{ id: number; path: string }>('SELECT id, path FROM files WHERE id = ANY($1::int[])', [ids]);
    return Object.fromEntries(found.map(({ id, path }) => [id, path]));
  }

  async settleModel(drawing: number, model: number | null): Promise<void> {
    const file = await this.file(drawing);
    if (file.kind !== 'drawing') throw invalid('not-a-drawing', `${file.path} is not a drawing.`);
    if (model !== null && (await this.file(model)).kind === 'drawing') throw invalid('not-a-model', 'A drawing shows a part or an assembly.');
    await this.db.run('UPDATE files SET settled_model_id = $2 WHERE id = $1', [drawing, model]);
    await this.rematch();
  }

  async settlePart(assembly: number, product: string, part: number | null): Promise<void> {
    const row = await this.db.one<{ structure: KeptReading['structure'] }>(
      `SELECT reading->'structure' AS structure FROM files WHERE id = $1 AND NOT removed`,
      [assembly],
    );
    const copy = row?.structure?.products.find((candidate) => candidate.key === product);
    if (!copy) throw notFound(`The copy ${product}`);
    if (part === null) await this.db.run('DELETE FROM settled_parts WHERE product_id = $1 AND product_name = $2', [copy.id, copy.name]);
    else {
      const file = await this.file(part);
      if (file.kind === 'drawing' || part === assembly) throw invalid('not-a-part', `${file.path} cannot be the part file of ${copy.name || copy.id}.`);
      await this.db.run('INSERT INTO settled_parts VALUES ($1, $2, $3) ON CONFLICT (product_id, product_name) DO UPDATE SET file_id = excluded.file_id', [
        copy.id,
        copy.name,
        part,
      ]);
    }
    await this.rematch();
  }

  async rematch(): Promise<void> {
    const { modelProperty } = await readSettings(this.db);
    await this.db.transaction((sql) => matchIdentities(sql, modelProperty));
  }
}
