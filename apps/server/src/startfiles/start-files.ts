import { randomUUID } from 'node:crypto';
import { mkdir, open, readFile, readdir, realpath, rename, rm } from 'node:fs/promises';
import { join, sep } from 'node:path';
import { OlderStart, StartComparison, StartFileRow, StartFilesView, StartPlan } from '@rule/contract';
import { Line } from '@rule/core/changes';
import { BlockReading, FileError } from '@rule/core/files';
import { Kind, PreparedSchema } from '@rule/core/schema';
import { SHEETS } from '@rule/core/standards';
import { Publication, StartBase, StartFile, guessBlockUnit, madeFrom, startBase, startFiles } from '@rule/core/start';
import { heldText } from '@rule/core/values';
import { Trays } from '../changes/tray';
import { BLOCKS_OF_F } from '../library/blocks';
import { readClasses } from '../library/classes';
import { Db, asRecordset } from '../platform/db';
import { invalid, notFound, refused } from '../platform/problem';
import { readPlain } from '../platform/plain-file';
import { sync } from '../platform/durable';
import { hashOf } from '../platform/store';
import { User } from '../users/user';
import { Derived } from '../schema/derive';
import { Editions } from '../schema/editions';
import { readSettings } from '../platform/settings';

const KEY = 'startFiles';
const FIRST_PLAN: StartPlan = { folder: '', sheets: ['A4', 'A3', 'A2'], block: null, unit: 'mm', drawings: [] };

/** Maximum files in an answer. */
const MOST_OLDER = 1000;

interface Published extends Omit<StartFileRow, 'stands'> {
  readonly hash: string;
}

/** Start files: empty files containing every applicable name, published to a shared folder. */
export class StartFiles {
  constructor(
    private readonly db: Db,
    private readonly editions: Editions,
    private readonly derived: Derived,
    private readonly trays: Trays,
    /** Default folder for start files. */
    private readonly ownFolder: string,
    /** Rule's own folders, which take no start files. */
    private readonly forbidden: readonly string[],
    private readonly clock: () => Date,
  ) {}

  private async plan(): Promise<StartPlan> {
    const kept = await this.db.one<{ value: StartPlan }>('SELECT value FROM settings WHERE key = $1', [KEY]);
    return { ...FIRST_PLAN, ...kept?.value };
  }

  private folderOf(plan: StartPlan): string {
    return plan.folder || this.ownFolder;
  }

  /** Published start files of the last two editions. */
  private current(): Promise<Published[]> {
    return this.db.all<Published>('SELECT name, kind, class, sheet, names, edition, hash FROM start_files WHERE current ORDER BY name');
  }

  async view(): Promise<StartFilesView> {
    const [plan, files, { number }, last, blocks] = await Promise.all([
      this.plan(),
      this.current(),
      this.editions.inForce(this.db),
      this.db.one<NonNullable<StartFilesView['published']>>(
        `SELECT s.edition, s.at, u.display_name AS "by" FROM start_files s LEFT JOIN users u ON u.id = s.user_id WHERE s.current ORDER BY s.at DESC LIMIT 1`,
      ),
      this.db.all<{ name: string }>(
        `SELECT b.block->>'name' AS name FROM files f, ${BLOCKS_OF_F} b
         WHERE f.kind = 'drawing' AND NOT f.removed AND jsonb_array_length(b.block->'cells') > 0
           AND NOT coalesce((b.block->'cells'->0->>'plain')::boolean, false)
         GROUP BY 1 ORDER BY count(*) DESC, 1 LIMIT 500`,
      ),
    ]);
    const folder = this.folderOf(plan);
    const drawings = await this.drawings(plan);
    return {
      plan,
      folder,
      inForce: number,
      published: last ?? null,
      files: await Promise.all(files.map(async ({ hash, ...file }) => ({ ...file, stands: await stands(join(folder, file.name), hash) }))),
      blocks: blocks.map((row) => row.name),
      drawings: drawings.map(({ id, path }) => ({ id, path })),
      sheets: SHEETS.map(({ name, practice }) => ({ name, practice })),
    };
  }

  private async make(plan: StartPlan): Promise<{ files: StartFile[]; edition: number }> {
    const [{ number }, prepared, classes, settings, block] = await Promise.all([
      this.editions.inForce(this.db),
      this.derived.prepared(this.db),
      readClasses(this.db),
      readSettings(this.db),
      plan.block === null ? null : this.block(plan.block),
    ]);
    if (number === 0) throw refused('no-edition', 'No edition of the schema is in force yet.');
    const unknown = plan.sheets.find((sheet) => !SHEETS.some(({ name }) => name === sheet));
    if (unknown !== undefined) throw invalid('no-sheet', `There is no sheet size ${unknown}.`);
    if (plan.sheets.length === 0 && plan.drawings.length === 0) throw invalid('no-sheet', 'Choose a sheet size or a drawing.');
    const bases = await this.bases(plan, prepared);
    const files = startFiles({
      prepared,
      classes: classes.map(({ name, clauses }) => ({
        name,
        kind: (clauses.find((clause) => clause.subject === 'kind' && clause.operator === 'is')?.text as Kind | undefined) ?? null,
      })),
      sheets: plan.sheets,
      block,
      blockUnit: block ? guessBlockUnit(block) : 1,
      unit: plan.unit,
      bases,
      company: settings.company,
      at: `${this.clock().toISOString().slice(0, 19)}Z`,
    });
    if (files.length === 0) throw refused('nothing-to-publish', 'No property of the edition in force applies to parts, assemblies or drawings.');
    return { files, edition: number };
  }

  /** Drawings that start drawings are copies of; those that are gone are left out. */
  private drawings({ drawings }: StartPlan): Promise<{ id: number; path: string; name: string; root: string }[]> {
    return this.db.all(
      `SELECT f.id, f.path, f.name, l.root FROM unnest($1::int[]) WITH ORDINALITY AS w(id, at) JOIN files f ON f.id = w.id AND NOT f.removed AND f.format = 'dxf'
       JOIN libraries l ON l.id = f.library_id ORDER BY w.at`,
      [drawings],
    );
  }

  private async bases(plan: StartPlan, prepared: PreparedSchema): Promise<StartBase[]> {
    const rows = await this.drawings(plan);
    if (rows.length < plan.drawings.length)
      throw invalid('no-drawing', 'A drawing that start drawings are to be copies of is no longer in a library. Choose again.');
    const bases: StartBase[] = [];
    for (const { path, name, root } of rows)
      try {
        const base = startBase(name, await readPlain(join(root, path)), prepared);
        if (bases.some(({ sheet }) => sheet === base.sheet))
          throw invalid('sheet-twice', `Two of the drawings are of the size ${base.sheet}; ${path} is the second.`);
        bases.push(base);
      } catch (error) {
        if (error instanceof FileError) throw invalid(error.code, `${path}: ${error.message}`);
        if ((error as NodeJS.ErrnoException).code === 'ENOENT') throw invalid('gone', `${path} is not on the disk any more.`);
        throw error;
      }
    return bases;
  }

  private async block(name: string): Promise<BlockReading> {
    const row = await this.db.one<{ block: BlockReading }>(
      `SELECT b.block FROM files f, ${BLOCKS_OF_F} b WHERE f.kind = 'drawing' AND NOT f.removed AND b.block->>'name' = $1
       ORDER BY jsonb_array_length(b.block->'cells') DESC, f.id LIMIT 1`,
      [name],
    );
    if (!row) throw notFound(`A drawing with the title block ${name}`);
    return row.block;
  }

  /** Previews publishing, by file. */
  async compare(plan: StartPlan): Promise<StartComparison[]> {
    const folder = await this.checkedFolder(plan);
    const [{ files }, before] = await Promise.all([this.make(plan), this.current()]);
    return this.comparison(folder, files, before);
  }

  private async comparison(folder: string, files: readonly StartFile[], before: readonly Published[]): Promise<StartComparison[]> {
    const old = new Map(before.map((file) => [file.name, file]));
    const found = await Promise.all(
      files.map(async ({ name, names, bytes }): Promise<StartComparison> => {
        const was = old.get(name);
        const there = await readFile(join(folder, name)).catch(() => null);
        const change = {
          added: names.filter((written) => !was?.names.includes(written)),
          removed: (was?.names ?? []).filter((written) => !names.includes(written)),
        };
        if (there === null) return { name, effect: 'new', ...change, warning: was ? 'It was published before and has been deleted from the folder.' : null };
        if (withoutInstant(there) === withoutInstant(bytes)) return { name, effect: 'unchanged', ...change, warning: null };
        const foreign = was?.hash !== hashOf(there);
        return {
          name,
          effect: 'replaced',
          ...change,
          warning: foreign ? 'Someone changed this file after it was published; that version will be lost.' : null,
        };
      }),
    );
    const kept = new Set(files.map((file) => file.name));
    const gone = await Promise.all(
      before
        .filter((file) => !kept.has(file.name))
        .map(async ({ name, names, hash }): Promise<StartComparison> => {
          const now = await stands(join(folder, name), hash);
          return now === 'changed by someone else'
            ? { name, effect: 'kept', added: [], removed: names, warning: 'It is no longer published, but someone changed it, so it stays.' }
            : { name, effect: 'removed', added: [], removed: names, warning: null };
        }),
    );
    return [...found, ...gone].sort((a, b) => a.name.localeCompare(b.name));
  }

  /** Writes the start files, each atomically, then their list in the database. */
  async publish(user: User, plan: StartPlan): Promise<StartComparison[]> {
    const folder = await this.checkedFolder(plan);
    const [{ files, edition }, before] = await Promise.all([this.make(plan), this.current()]);
    const done = await this.comparison(folder, files, before);
    const effect = new Map(done.map((row) => [row.name, row.effect]));
    const written: { name: string; hash: string }[] = [];
    for (const { name, bytes } of files) {
      // An unchanged file keeps its creation time.
      if (effect.get(name) !== 'unchanged') await writeWhole(folder, name, bytes);
      written.push({ name, hash: hashOf(await readFile(join(folder, name))) });
    }
    for (const { name, effect: what } of done) if (what === 'removed') await rm(join(folder, name), { force: true });
    const hashes = new Map(written.map(({ name, hash }) => [name, hash]));
    await this.db.transaction(async (sql) => {
      await sql.run('UPDATE start_files SET current = false WHERE current');
      await sql.run(
        `INSERT INTO start_files (edition, name, kind, class, sheet, names, hash, current, at, user_id)
         SELECT $1, name, kind, class, sheet, names, hash, true, $3, $4
           FROM jsonb_to_recordset($2::jsonb) AS n(name text, kind text, class text, sheet text, names text[], hash text)
         ON CONFLICT (edition, name) DO UPDATE SET kind = excluded.kind, class = excluded.class, sheet = excluded.sheet,
           names = excluded.names, hash = excluded.hash, current = true, at = excluded.at, user_id = excluded.user_id`,
        [
          edition,
          asRecordset(files.map(({ name, kind, class: of, sheet, names }) => ({ name, kind, class: of, sheet, names, hash: hashes.get(name) }))),
          this.clock(),
          user.id,
        ],
      );
      await sql.run('INSERT INTO settings VALUES ($1, $2::jsonb) ON CONFLICT (key) DO UPDATE SET value = excluded.value', [KEY, JSON.stringify(plan)]);
    });
    return done;
  }

  /** A published file, as it is in the folder. */
  async file(name: string): Promise<Uint8Array> {
    if (!(await this.current()).some((file) => file.name === name)) throw notFound(`The start file ${name}`);
    const bytes = await readFile(join(this.folderOf(await this.plan()), name)).catch(() => null);
    if (bytes === null) throw notFound(`The start file ${name} in its folder`);
    return bytes;
  }

  /** The target folder; Rule's own default is created if missing. */
  private async checkedFolder(plan: StartPlan): Promise<string> {
    if (plan.folder === '') {
      await mkdir(this.ownFolder, { recursive: true });
      return this.ownFolder;
    }
    const folder = await realpath(plan.folder).catch(() => null);
    if (
      folder === null ||
      !(await readdir(folder).then(
        () => true,
        () => false,
      ))
    )
      throw invalid('no-folder', `${plan.folder} is not a folder on the server.`);
    const inside = (a: string, b: string) => a === b || a.startsWith(b + sep);
    if (this.forbidden.some((own) => inside(folder, own))) throw invalid('own-folder', `${plan.folder} contains Rule's own data.`);
    return folder;
  }

  private async publications(): Promise<Publication[]> {
    return this.db.all<Publication>('SELECT DISTINCT edition, kind, names FROM start_files');
  }

  /** Files based on an older start file that lack names of the newest. */
  async older(): Promise<{ total: number; files: OlderStart[] }> {
    const [publications, { schema }] = await Promise.all([this.publications(), this.editions.inForce(this.db)]);
    const current = await this.current();
    if (current.length === 0) return { total: 0, files: [] };
    const active = new Set(schema.properties.filter((property) => !property.retired).map((property) => property.writtenName));
    const wanted = [...new Set(publications.flatMap((publication) => publication.names))];
    const found = await this.db.all<{ id: number; path: string; kind: Kind; class: string | null; lock: string | null; names: string[] }>(
      `SELECT f.id, f.path, f.kind, c.name AS "class", f.lock_reason AS lock, array_agg(v.name) AS names FROM files f LEFT JOIN classes c ON c.id = f.class_id
       JOIN held_values v ON v.file_id = f.id AND v.holder = '' AND v.place = 'property' AND v.name = ANY($1::text[])
       WHERE NOT f.removed AND f.problem IS NULL AND f.kind IN ('part', 'assembly', 'drawing') GROUP BY f.id, c.name ORDER BY f.path`,
      [wanted],
    );
    const newest = Math.max(...current.map((file) => file.edition));
    const files = found.flatMap(({ id, path, kind, class: of, lock, names }): OlderStart[] => {
      const held = new Set(names);
      const from = madeFrom(kind, held, publications);
      if (!from || from.edition === newest) return [];
      const now = current.find((file) => file.kind === kind && file.class === of) ?? current.find((file) => file.kind === kind && file.class === null);
      const lacks = (now?.names ?? []).filter((name) => !held.has(name) && active.has(name));
      return lacks.length ? [{ file: id, path, edition: from.edition, lacks, reason: lock === null ? null : `The file ${lock}.` }] : [];
    });
    return { total: files.length, files: files.slice(0, MOST_OLDER) };
  }

  /** Adds names missing in files based on older start files to the tray. */
  async bringUp(user: User, ids: readonly number[]): Promise<{ lines: number }> {
    const chosen = new Set(ids);
    const files = (await this.older()).files.filter((file) => chosen.has(file.file) && file.reason === null);
    const lines = files.flatMap(({ file, edition, lacks }) =>
      lacks.map((name): Line => ({
        address: { file, holder: '', place: 'property', name },
        base: null,
        proposed: heldText(''),
        reason: `was made from the start file of edition ${edition}`,
        follows: false,
      })),
    );
    if (lines.length === 0) throw refused('nothing-to-do', 'None of these files lacks a name that can be added now.');
    await this.trays.add(user, lines, 'by rule');
    return { lines: lines.length };
  }
}

async function stands(path: string, hash: string): Promise<StartFileRow['stands']> {
  const bytes = await readFile(path).catch(() => null);
  return bytes === null ? 'gone' : hashOf(bytes) === hash ? 'as published' : 'changed by someone else';
}

/** A file's text without its creation time, for comparison. */
const withoutInstant = (bytes: Uint8Array): string =>
  Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength)
    .toString('latin1')
    .replace(/(FILE_NAME\('[^']*',)'[^']*'/, '$1');

/** Writes a file atomically and syncs it. */
async function writeWhole(folder: string, name: string, bytes: Uint8Array): Promise<void> {
  const temp = join(folder, `.rule-${randomUUID()}`);
  try {
    const handle = await open(temp, 'wx', 0o644);
    await handle
      .writeFile(bytes)
      .then(() => handle.sync())
      .finally(() => handle.close());
    await rename(temp, join(folder, name));
    await sync(folder);
  } catch (error) {
    await rm(temp, { force: true });
    const code = (error as NodeJS.ErrnoException).code;
    throw refused(
      'not-written',
      `${name} could not be written${code === 'ENOSPC' ? ': the disk is full' : code ? ` (${code})` : ''}. The start files before it were published.`,
    );
  }
}
