import { mkdir, rm } from 'node:fs/promises';
import { dirname, join } from 'node:path';
import { CopyRequest, Naming, NamingPlan, NamingRow } from '@rule/contract';
import { Line } from '@rule/core/changes';
import { PreparedNaming, collisions, nameFor, namingFor, prepareNaming } from '@rule/core/naming';
import { PreparedSchema } from '@rule/core/schema';
import { heldText } from '@rule/core/values';
import { Trays } from '../changes/tray';
import { Scanner } from '../library/scan';
import { Db } from '../platform/db';
import { AppError, invalid, refused } from '../platform/problem';
import { sync } from '../platform/durable';
import { FileStore, exists } from '../platform/store';
import { BATCH, Derived } from '../schema/derive';
import { loadFacts, surroundingsOf } from '../schema/facts';
import { readSettings } from '../platform/settings';
import { WorkPool } from '../platform/pool';
import { User } from '../users/user';

const KEY = 'fileNaming';
/** Maximum files listed in a plan; all are counted. */
const MOST_TOLD = 2000;

interface Row {
  readonly id: number;
  readonly library: number;
  readonly root: string;
  readonly path: string;
  readonly folder: string;
  readonly name: string;
  readonly format: string;
  readonly lock: string | null;
  readonly state: string | null;
}

interface Planned {
  readonly row: Row;
  readonly naming: PreparedNaming;
  readonly wanted: string | null;
  readonly problem: string | null;
}

/** File names derived from properties, where enabled. */
export class FileNaming {
  constructor(
    private readonly db: Db,
    private readonly derived: Derived,
    private readonly trays: Trays,
    private readonly scanner: Scanner,
    private readonly pool: WorkPool,
    private readonly store: FileStore,
  ) {}

  async read(): Promise<Naming> {
    const kept = await this.db.one<{ value: Naming }>('SELECT value FROM settings WHERE key = $1', [KEY]);
    return kept?.value ?? { rules: [] };
  }

  async save(naming: Naming): Promise<Naming> {
    const prepared = prepareNaming(naming.rules, await this.derived.prepared(this.db));
    const wrong = prepared.find((entry) => entry.problem !== null);
    if (wrong) throw invalid('bad-rule', `${wrong.rule.rule}: ${wrong.problem}`);
    for (const { folder } of naming.rules)
      if (folder.startsWith('/') || folder.split('/').some((part) => part === '..' || part === '.'))
        throw invalid('bad-folder', `${folder} is not a folder inside the library.`);
    await this.db.run('INSERT INTO settings VALUES ($1, $2::jsonb) ON CONFLICT (key) DO UPDATE SET value = excluded.value', [KEY, JSON.stringify(naming)]);
    return naming;
  }

  /** Files whose name differs from their rule's result, with pending values applied. */
  private async planned(user: User, only: readonly number[] | null): Promise<Planned[]> {
    const { rules } = await this.read();
    if (rules.length === 0) return [];
    const prepared: PreparedSchema = await this.derived.prepared(this.db);
    const naming = prepareNaming(rules, prepared);
    const around = surroundingsOf([prepared]);
    const pending = await this.trays.accepted(user, only);
    const values = pending.filter((line) => line.address.place !== 'field' || line.address.name !== 'file name');
    const kinds = [...new Set(rules.flatMap((rule) => rule.kinds))];
    const found: Planned[] = [];
    // Batches, so any library can be processed.
    for (let last: Pick<Row, 'path' | 'id'> = { path: '', id: 0 }; ;) {
      const batch = await this.db.all<Row>(
        `SELECT f.id, f.library_id AS library, l.root, f.path, f.folder, f.name, f.format, f.lock_reason AS lock, f.workflow_state AS state
         FROM files f JOIN libraries l ON l.id = f.library_id
         WHERE NOT f.removed AND f.problem IS NULL AND f.kind = ANY($2::text[]) AND ($1::int[] IS NULL OR f.id = ANY($1::int[])) AND (f.path, f.id) > ($3, $4)
         ORDER BY f.path, f.id LIMIT ${BATCH}`,
        [only, kinds, last.path, last.id],
      );
      if (batch.length === 0) break;
      last = batch.at(-1)!;
      const facts = await loadFacts(
        this.db,
        batch.map((row) => row.id),
        around,
        values,
      );
      for (const row of batch) {
        const file = facts.get(row.id);
        const own = file && namingFor(naming, file.kind, file.className);
        if (!file || !own) continue;
        const { name, problem } = nameFor(file, own, prepared);
        const into = own.rule.mode === 'copy' && own.rule.folder !== '' ? own.rule.folder : row.folder;
        if (name === row.name && (own.rule.mode === 'rename' || into === row.folder)) continue;
        found.push({ row, naming: own, wanted: name, problem });
      }
    }
    const keyOf = (library: number, folder: string) => `${library}:${folder}`;
    const intoOf = ({ row, naming: own }: Planned) => keyOf(row.library, own.rule.mode === 'copy' && own.rule.folder !== '' ? own.rule.folder : row.folder);
    const good = new Set(found.filter((entry) => entry.problem === null && this.barred(entry) === null));
    const chosen = new Set(found.map((entry) => entry.row.id));
    const others = new Map<string, Set<string>>();
    // Names compare without case, as some file systems do.
    const standing = await this.db.all<{ id: number; library: number; folder: string; name: string }>(
      `SELECT f.id, f.library_id AS library, f.folder, f.name FROM files f
       WHERE NOT f.removed AND lower(f.name) = ANY($1::text[])`,
      [[...good].map((entry) => entry.wanted!.toLowerCase())],
    );
    for (const file of standing)
      if (!chosen.has(file.id)) {
        const key = keyOf(file.library, file.folder);
        others.set(key, (others.get(key) ?? new Set()).add(file.name));
      }
    const clashes = collisions(
      found.map((entry) => ({
        id: entry.row.id,
        folder: keyOf(entry.row.library, entry.row.folder),
        name: entry.row.name,
        wanted: good.has(entry) ? entry.wanted : null,
        leaves: entry.naming.rule.mode === 'rename',
        into: intoOf(entry),
      })),
      others,
    );
    return found.map((entry) => ({ ...entry, problem: entry.problem ?? this.barred(entry) ?? clashes.get(entry.row.id) ?? null }));
  }

  /** Why a file cannot be renamed or copied under any name. */
  private barred({ row, naming }: Pick<Planned, 'row' | 'naming'>): string | null {
    if (row.format === 'other') return 'files of this format are not renamed';
    if (naming.rule.mode === 'copy') return null;
    if (row.lock !== null) return `the file ${row.lock}`;
    return row.state === null ? null : 'the vault keeps the file under this name';
  }

  /** Plan of renames or copies, with references to each file. */
  async plan(user: User, only: readonly number[] | null = null): Promise<NamingPlan> {
    const planned = await this.planned(user, only);
    const told = planned.slice(0, MOST_TOLD);
    const links = await this.links(told.map((entry) => entry.row.id));
    return {
      total: planned.length,
      rows: told.map(({ row, naming, wanted, problem }): NamingRow => ({
        file: row.id,
        path: row.path,
        wanted,
        mode: naming.rule.mode,
        problem,
        links: (links.get(row.id) ?? []).map(({ file, path, how }) => ({ file, path, how })),
      })),
    };
  }

  /** Drawings that show a file and assemblies that place it, and how they find it. */
  private async links(
    files: readonly number[],
  ): Promise<Map<number, { file: number; path: string; how: string; kind: string; by: string; product: string; lock: string | null }[]>> {
    const found = await this.db.all<{ of: number; file: number; path: string; kind: string; by: string; product: string; lock: string | null }>(
      `SELECT f.model_file_id AS of, f.id AS file, f.path, 'drawing' AS kind, coalesce(f.model_match->>'by', '') AS by, '' AS product, f.lock_reason AS lock
       FROM files f WHERE f.model_file_id = ANY($1::int[]) AND NOT f.removed
       UNION ALL
       SELECT c.part_id, f.id, f.path, 'assembly', coalesce(c.match->>'by', ''), c.product, f.lock_reason
         FROM copies c JOIN files f ON f.id = c.assembly_id AND NOT f.removed WHERE c.part_id = ANY($1::int[])`,
      [files],
    );
    const links = new Map<number, { file: number; path: string; how: string; kind: string; by: string; product: string; lock: string | null }[]>();
    for (const { of, ...link } of found)
      links.set(of, [...(links.get(of) ?? []), { ...link, how: link.kind === 'drawing' ? `shows it, by ${link.by}` : `places it, by ${link.by}` }]);
    return links;
  }

  /** Adds new names to the tray, with changes that keep references from drawings and assemblies intact. */
  async toTray(user: User, only: readonly number[]): Promise<{ lines: number; barred: number }> {
    const planned = (await this.planned(user, only)).filter((entry) => entry.naming.rule.mode === 'rename');
    const good = planned.filter((entry) => entry.problem === null);
    if (good.length === 0)
      throw refused('nothing-to-do', planned[0]?.problem ? `${planned[0].row.path}: ${planned[0].problem}.` : 'These files already have the right names.');
    const lines = good.map(({ row, wanted }): Line => ({
      address: { file: row.id, holder: '', place: 'field', name: 'file name' },
      base: heldText(row.name),
      proposed: heldText(wanted!),
      reason: 'named by its properties',
      follows: false,
    }));
    const follow = await this.following(new Map(good.map((entry) => [entry.row.id, entry.wanted!])));
    await this.settle(good.map((entry) => entry.row.id));
    await this.trays.add(user, [...lines, ...follow], 'by rule');
    return { lines: lines.length + follow.length, barred: planned.length - good.length };
  }

  /** Lines that update model names in drawings, and add them where a drawing found its model by its own name. */
  private async following(names: ReadonlyMap<number, string>): Promise<Line[]> {
    const { modelProperty } = await readSettings(this.db);
    const found = await this.db.all<{ drawing: number; model: number; modelName: string; by: string; named: string | null; lock: string | null }>(
      `SELECT f.id AS drawing, m.id AS model, m.name AS "modelName", coalesce(f.model_match->>'by', '') AS by, v.text AS named, f.lock_reason AS lock
       FROM files f JOIN files m ON m.id = f.model_file_id
       LEFT JOIN held_values v ON v.file_id = f.id AND v.holder = '' AND v.place = 'property' AND v.name = $2
       WHERE NOT f.removed AND (m.id = ANY($1::int[]) OR f.id = ANY($1::int[]))`,
      [[...names.keys()], modelProperty],
    );
    // Assemblies that name the part's file update the reference.
    const external = await this.db.all<{ assembly: number; holder: string; text: string; part: number; old: string; lock: string | null }>(
      `SELECT DISTINCT v.file_id AS assembly, v.holder, v.text, m.id AS part, m.name AS old, a.lock_reason AS lock FROM copies c JOIN files m ON m.id = c.part_id
       JOIN files a ON a.id = c.assembly_id AND NOT a.removed JOIN held_values v ON v.file_id = a.id AND v.place = 'field' AND v.name = 'external file'
       WHERE m.id = ANY($1::int[]) AND regexp_replace(v.text, '^.*[/\\\\]', '') = m.name`,
      [[...names.keys()]],
    );
    const references = external
      .filter(({ lock }) => lock === null)
      .map(({ assembly, holder, text, part, old }): Line => ({
        address: { file: assembly, holder, place: 'field', name: 'external file' },
        base: heldText(text),
        proposed: heldText(text.slice(0, text.length - old.length) + names.get(part)!),
        reason: `places ${old}, which is renamed`,
        follows: false,
      }));
    const shown = found.flatMap(({ drawing, model, modelName, by, named, lock }): Line[] => {
      const name = names.get(model) ?? modelName;
      // A drawing that names its model is updated; one that found it by its own name gets an explicit reference.
      const tells = named !== null && named !== '' ? names.has(model) : by !== 'settled';
      if (!tells || lock !== null || named === name) return [];
      return [
        {
          address: { file: drawing, holder: '', place: 'property', name: modelProperty },
          base: named === null ? null : heldText(named),
          proposed: heldText(name),
          reason: `shows ${modelName}, which is renamed`,
          follows: false,
        },
      ];
    });
    return [...shown, ...references];
  }

  /** Remembers part files of copies that were found by file name. */
  private async settle(files: readonly number[]): Promise<void> {
    await this.db.run(
      `INSERT INTO settled_parts (product_id, product_name, file_id)
       SELECT DISTINCT ON (p->>'id', p->>'name') p->>'id', p->>'name', c.part_id FROM copies c JOIN files f ON f.id = c.assembly_id AND NOT f.removed
         CROSS JOIN jsonb_array_elements(f.reading->'structure'->'products') p
       WHERE c.part_id = ANY($1::int[]) AND p->>'key' = c.product AND c.match->>'by' NOT IN ('settled', 'product id')
       ON CONFLICT (product_id, product_name) DO NOTHING`,
      [files],
    );
  }

  /**
   * Copies files under names derived from their pending values: the values move from the tray into the copies, the originals stay. With
   * `replace`, drawings and assemblies switch to the copies.
   */
  async copy(user: User, { files, replace }: CopyRequest): Promise<{ copied: { from: string; to: string }[]; lines: number }> {
    const planned = (await this.planned(user, files)).filter((entry) => entry.naming.rule.mode === 'copy');
    const wrong = planned.find((entry) => entry.problem !== null);
    if (wrong) throw invalid('bad-name', `${wrong.row.path}: ${wrong.problem}.`);
    if (planned.length === 0) throw refused('nothing-to-do', 'No pending value changes the names of these files, or they are being renamed instead of copied.');
    const pending = await this.trays.accepted(
      user,
      planned.map((entry) => entry.row.id),
    );
    const copied: { entry: Planned; full: string; path: string }[] = [];
    try {
      for (const entry of planned) {
        const { row, wanted, naming } = entry;
        const folder = naming.rule.folder || row.folder;
        const path = folder === '' ? wanted! : `${folder}/${wanted!}`;
        const full = join(row.root, path);
        await mkdir(dirname(full), { recursive: true });
        if (await exists(full)) throw invalid('name-taken', `${path}: a file with this name already exists.`);
        const lines = pending.filter((line) => line.address.file === row.id).map(({ address, base, proposed }, id) => ({ id, ...address, base, proposed }));
        const made = await this.pool.run('prepareFile', { full: join(row.root, row.path), format: row.format, lines, exact: null });
        if (!made.ok) throw invalid('not-copied', `${row.path}: ${made.message}`);
        await this.store.copyTo(made.newHash, full);
        await sync(dirname(full));
        copied.push({ entry, full, path });
      }
    } catch (error) {
      // All or none.
      for (const { full } of copied) await rm(full, { force: true });
      if (error instanceof AppError) throw error;
      const code = (error as NodeJS.ErrnoException).code;
      throw refused(
        'not-copied',
        code === 'ENOSPC' ? 'The disk is full; no copy was made.' : `A copy could not be written (${code ?? ''}); no copies were made.`,
      );
    }
    await this.scanner.rescan();
    const now = await this.db.all<{ id: number; library: number; path: string; name: string }>(
      'SELECT id, library_id AS library, path, name FROM files WHERE path = ANY($1::text[]) AND NOT removed',
      [copied.map((entry) => entry.path)],
    );
    await this.trays.dropFiles(
      user,
      copied.map(({ entry }) => entry.row.id),
    );
    let lines: Line[] = [];
    if (replace) {
      const copies = copied.flatMap(({ entry, path }) => {
        const file = now.find((candidate) => candidate.path === path && candidate.library === entry.row.library);
        return file ? [{ from: entry.row.id, to: file }] : [];
      });
      lines = await this.following(new Map(copies.map(({ from, to }) => [from, to.name])));
      await this.replaceInAssemblies(copies.map(({ from, to }) => ({ from, to: to.id })));
      if (lines.length) await this.trays.add(user, lines, 'by rule');
    }
    return { copied: copied.map(({ entry, path }) => ({ from: entry.row.path, to: path })), lines: lines.length };
  }

  /** Switches copies in assemblies from one file to another. */
  private async replaceInAssemblies(pairs: readonly { readonly from: number; readonly to: number }[]): Promise<void> {
    await this.db.run(
      `INSERT INTO settled_parts (product_id, product_name, file_id)
       SELECT DISTINCT ON (p->>'id', p->>'name') p->>'id', p->>'name', pair.instead
       FROM unnest($1::int[], $2::int[]) AS pair(part, instead) JOIN copies c ON c.part_id = pair.part
         JOIN files f ON f.id = c.assembly_id AND NOT f.removed CROSS JOIN jsonb_array_elements(f.reading->'structure'->'products') p
       WHERE p->>'key' = c.product ORDER BY p->>'id', p->>'name', pair.part
       ON CONFLICT (product_id, product_name) DO UPDATE SET file_id = excluded.file_id`,
      [pairs.map((pair) => pair.from), pairs.map((pair) => pair.to)],
    );
    await this.scanner.settle();
  }
}
