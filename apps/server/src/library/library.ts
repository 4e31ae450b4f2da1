import { opendir, realpath, stat } from 'node:fs/promises';
import { join, relative, sep } from 'node:path';
import { FileDetails, FileRow, FoundName, Library, RescanReport, Survey } from '@rule/contract';
import { formatOf } from '@rule/core/files';
import { Match } from '@rule/core/identity';
import { compileStandIns } from '@rule/core/values';
import { Db, Sql, rows } from '../platform/db';
import { invalid, notFound, refused } from '../platform/problem';
import { readSettings } from '../schema/settings';
import { WorkPool } from '../threads/pool';
import { matchIdentities } from './identities';
import { HELD, KeptReading, ReadFile, storeReadings } from './readings';

/** The columns of a file row. */
export const FILE_ROW = `f.id, f.library_id AS library, f.path, f.folder, f.name, f.kind, f.problem, f.lock_reason AS lock`;

/** The lock under which a library's files are read or written: one scan or apply at a time in all processes. */
export const FILES_LOCK = 7301;

/** Files that a worker reads in one go. */
const BATCH = 20;

/** Deepest folder that a scan enters. */
const DEEPEST = 40;

/** Libraries and what their files hold. */
export class Libraries {
  constructor(
    private readonly db: Db,
    private readonly pool: WorkPool,
    private readonly clock: () => Date,
    /** Folders that no library may be: Rule's own. */
    private readonly forbidden: readonly string[],
  ) {}

  async add(name: string, path: string): Promise<number> {
    const root = await realpath(path).catch(() => undefined);
    if (root === undefined || !(await stat(root)).isDirectory()) throw invalid('no-folder', `${path} is not a folder on the server.`);
    const inside = (a: string, b: string) => a === b || a.startsWith(b.endsWith(sep) ? b : b + sep);
    for (const own of this.forbidden)
      if (inside(root, own) || inside(own, root)) throw invalid('own-folder', `${path} holds Rule's own data or is part of it.`);
    const clash = (await this.db.all<{ name: string; root: string }>('SELECT name, root FROM libraries')).find(
      (other) => other.name === name || inside(root, other.root) || inside(other.root, root),
    );
    if (clash) throw refused('library-taken', `The library ${clash.name} has this name or stands on this folder (${clash.root}).`);
    const row = await this.db.one<{ id: number }>('INSERT INTO libraries (name, root) VALUES ($1, $2) RETURNING id', [name, root]);
    return row!.id;
  }

  list(): Promise<Library[]> {
    return this.db.all<Library>(
      `SELECT l.id, l.name, l.root, l.surveyed_at AS "surveyedAt", count(f.id)::int AS files, count(f.problem)::int AS unread
       FROM libraries l LEFT JOIN files f ON f.library_id = l.id AND NOT f.removed GROUP BY l.id ORDER BY l.name`,
    );
  }

  /** Reads what is new or changed in all libraries. */
  async rescan(): Promise<RescanReport> {
    return this.db.exclusive(FILES_LOCK, async () => {
      const report = { added: 0, changed: 0, removed: 0, unchanged: 0, passedOver: 0, failed: [] as { path: string; message: string }[] };
      for (const { id, root } of await this.db.all<{ id: number; root: string }>('SELECT id, root FROM libraries ORDER BY id')) {
        const part = await this.rescanOne(id, root);
        for (const key of ['added', 'changed', 'removed', 'unchanged', 'passedOver'] as const) report[key] += part[key];
        report.failed.push(...part.failed);
      }
      await matchIdentities(this.db, (await readSettings(this.db)).modelProperty);
      return report;
    });
  }

  private async rescanOne(library: number, root: string): Promise<RescanReport & { failed: { path: string; message: string }[] }> {
    const report = { added: 0, changed: 0, removed: 0, unchanged: 0, passedOver: 0, failed: [] as { path: string; message: string }[] };
    if (!(await stat(root).catch(() => undefined))) {
      report.failed.push({ path: root, message: 'The folder is not there; what was last read from it is kept.' });
      return report;
    }
    const known = new Map(
      (
        await this.db.all<{ id: number; path: string; size: number; mtime: number; removed: boolean }>(
          'SELECT id, path, size, mtime_ms AS mtime, removed FROM files WHERE library_id = $1',
          [library],
        )
      ).map((row) => [row.path, row]),
    );
    const found: { path: string; size: number; mtimeMs: number }[] = [];
    report.passedOver = await walk(root, root, 0, found);
    const present = new Set(found.map((file) => file.path));
    const stale = found.filter((file) => {
      const before = known.get(file.path);
      return !before || before.removed || before.size !== file.size || before.mtime !== file.mtimeMs;
    });
    report.unchanged = found.length - stale.length;
    const fresh = stale.filter((file) => !known.has(file.path));
    report.added = stale.filter((file) => known.get(file.path)?.removed ?? true).length;
    report.changed = stale.length - report.added;
    if (fresh.length) {
      const news = fresh.map(({ path, size, mtimeMs }) => {
        const format = formatOf(path)!;
        const slash = path.lastIndexOf('/');
        return {
          path,
          folder: slash < 0 ? '' : path.slice(0, slash),
          name: path.slice(slash + 1),
          kind: format.id === 'dxf' ? 'drawing' : 'part',
          format: format.id,
          size,
          mtime: mtimeMs,
        };
      });
      const added = await this.db.all<{ id: number; path: string }>(
        `INSERT INTO files (library_id, path, folder, name, kind, format, size, mtime_ms, hash) SELECT $1, path, folder, name, kind, format, size, mtime, ''
         FROM jsonb_to_recordset($2::jsonb) AS n(path text, folder text, name text, kind text, format text, size bigint, mtime double precision) RETURNING id, path`,
        [library, rows(news)],
      );
      for (const { id, path } of added) known.set(path, { id, path, size: -1, mtime: -1, removed: false });
    }
    for (let from = 0; from < stale.length; from += BATCH) {
      const outcomes = await this.pool.run('readFiles', { paths: stale.slice(from, from + BATCH).map(({ path }) => ({ path, full: join(root, path) })) });
      for (const { path, problem } of outcomes) if (problem) report.failed.push({ path, message: problem });
      await this.db.transaction((sql) =>
        storeReadings(
          sql,
          outcomes.map(({ path, ...outcome }): ReadFile => ({ id: known.get(path)!.id, ...outcome })),
        ),
      );
    }
    const gone = [...known.values()].filter((file) => !file.removed && !present.has(file.path)).map((file) => file.id);
    report.removed = gone.length;
    await this.db.transaction(async (sql) => {
      await sql.run('UPDATE files SET removed = true, model_file_id = NULL WHERE id = ANY($1::int[])', [gone]);
      await sql.run('DELETE FROM holders WHERE file_id = ANY($1::int[])', [gone]);
      await sql.run('UPDATE libraries SET surveyed_at = $2 WHERE id = $1', [library, this.clock()]);
    });
    return report;
  }

  async survey(): Promise<Survey> {
    const settings = await readSettings(this.db);
    const standIns = compileStandIns(settings.standIns);
    const [libraries, folders, problems, texts] = await Promise.all([
      this.list(),
      this.db.all<{ folder: string; files: number }>('SELECT folder, count(*)::int AS files FROM files WHERE NOT removed GROUP BY folder ORDER BY folder'),
      this.db.all<{ file: number; path: string; message: string }>(
        `SELECT id AS file, path, problem AS message FROM files WHERE NOT removed AND problem IS NOT NULL
         UNION ALL SELECT f.id, f.path, p->>'message' FROM files f, jsonb_array_elements(f.reading->'problems') p WHERE NOT f.removed ORDER BY 2, 3`,
      ),
      // Distinct texts are far fewer than values: stand-ins are judged once each.
      this.db.all<{ name: string; level: FoundName['level']; kind: FoundName['kind']; text: string; form: string; files: number[] }>(
        `SELECT v.name, h.level, v.kind, v.text, v.form, array_agg(DISTINCT v.file_id) AS files
         FROM held_values v JOIN holders h ON h.file_id = v.file_id AND h.key = v.holder WHERE v.place = 'property'
         GROUP BY v.name, h.level, v.kind, v.text, v.form ORDER BY v.name, h.level, v.kind, v.text`,
      ),
    ]);
    const names = new Map<
      string,
      { -readonly [K in keyof FoundName]: FoundName[K] } & { all: Set<number>; full: Set<number>; odd: Set<number>; seen: string[] }
    >();
    for (const { name, level, kind, text, form, files } of texts) {
      const key = JSON.stringify([name, level, kind]);
      const entry = names.get(key) ?? {
        name,
        level,
        kind,
        files: 0,
        filled: 0,
        standIns: 0,
        distinct: 0,
        examples: [],
        all: new Set<number>(),
        full: new Set<number>(),
        odd: new Set<number>(),
        seen: [],
      };
      for (const file of files) entry.all.add(file);
      const standIn = form === 'text' && standIns.matches(text);
      if (text !== '') for (const file of files) (standIn ? entry.odd : entry.full).add(file);
      if (text !== '') {
        entry.distinct++;
        if (entry.seen.length < 3) entry.seen.push(text);
      }
      names.set(key, entry);
    }
    return {
      libraries,
      folders,
      problems,
      names: [...names.values()].map(({ all, full, odd, seen, ...entry }) => ({
        ...entry,
        files: all.size,
        filled: full.size,
        standIns: [...odd].filter((file) => !full.has(file)).length,
        examples: seen,
      })),
    };
  }

  async file(id: number): Promise<FileRow> {
    const row = await this.db.one<FileRow>(`SELECT ${FILE_ROW} FROM files f WHERE f.id = $1 AND NOT f.removed`, [id]);
    if (!row) throw notFound(`File ${id}`);
    return row;
  }

  async details(id: number): Promise<FileDetails> {
    const file = await this.file(id);
    const [holders, kept] = await Promise.all([
      this.db.all<FileDetails['holders'][number]>(
        `SELECT h.level, h.key, h.label, coalesce(jsonb_agg(jsonb_build_object('place', v.place, 'name', v.name, 'held', ${HELD}) ORDER BY v.place DESC, v.name) FILTER (WHERE v.name IS NOT NULL), '[]') AS values
         FROM holders h LEFT JOIN held_values v ON v.file_id = h.file_id AND v.holder = h.key WHERE h.file_id = $1 GROUP BY h.level, h.key, h.label ORDER BY h.key`,
        [id],
      ),
      this.db.one<{ reading: KeptReading | null; model: Match | null }>('SELECT reading, model_match AS model FROM files WHERE id = $1', [id]),
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

/** Finds the files of known formats below a folder; returns how many others there are. Links are not followed. */
async function walk(root: string, folder: string, depth: number, into: { path: string; size: number; mtimeMs: number }[]): Promise<number> {
  let others = 0;
  if (depth > DEEPEST) return 0;
  for await (const entry of await opendir(folder)) {
    if (entry.name.startsWith('.')) continue;
    const full = join(folder, entry.name);
    if (entry.isDirectory()) others += await walk(root, full, depth + 1, into);
    else if (!entry.isFile() || !formatOf(entry.name)) others++;
    else {
      const info = await stat(full).catch(() => undefined);
      if (info) into.push({ path: relative(root, full).split(sep).join('/'), size: info.size, mtimeMs: info.mtimeMs });
    }
  }
  return others;
}
