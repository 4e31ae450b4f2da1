import { Newcomer, RehearsedFile, RunKind, VaultRun, VaultRunFile, VaultRunResult } from '@rule/contract';
import { Kind } from '@rule/core/schema';
import { count } from '@rule/core/words';
import { JobContext, Jobs } from '../jobs/jobs';
import { Db } from '../platform/db';
import { refused } from '../platform/problem';
import { User } from '../users/user';
import { Bases } from './bases';
import { CheckIns } from './check-ins';
import { LinkComparisons } from './comparisons';
import { Vault } from './vault';

interface FileInVault {
  readonly id: number;
  readonly path: string;
  readonly kind: Kind;
  readonly hash: string;
  readonly lock: string | null;
  readonly state: string;
  readonly version: number;
  readonly newest: string;
  readonly base: number | null;
  readonly record: Readonly<Record<string, string>>;
}

/** Files compared at a time. */
const BATCH = 2000;

/** Models come before drawings. */
const ORDER: readonly Kind[] = ['part', 'assembly', 'drawing', 'other'];

/** Maximum values reported per file. */
const MOST_TOLD = 5;

/** Job titles of runs. */
const TITLES: Readonly<Record<RunKind, (files: string) => string>> = {
  'check in': (files) => `Check in ${files}`,
  'records to files': (files) => `Pass records to ${files}`,
  'files to records': (files) => `Pass ${files} to records`,
  'get newest': (files) => `Get the newest versions of ${files}`,
  'check out': (files) => `Check out ${files}`,
  'undo check-out': (files) => `Undo the check-out of ${files}`,
  'bring in': (files) => `Bring ${files} into the vault`,
};

/** Options of a run. */
type Wishes = Pick<VaultRun, 'clash' | 'titleBlocks'>;

/** Runs over many files: previewed, executed as a job, reported by file. */
export class VaultRuns {
  constructor(
    private readonly db: Db,
    private readonly vault: Vault,
    private readonly links: LinkComparisons,
    private readonly checkIns: CheckIns,
    private readonly bases: Bases,
    private readonly jobs: Jobs,
    /** Rescans files written outside an apply. */
    private readonly rescan: (context: JobContext) => Promise<unknown>,
  ) {
    jobs.define<VaultRun & { user: User }>('check-in', (context, { user, ...run }) => this.run(context, user, run));
  }

  /** Files in the vault with their last fetched entries; all or some. */
  private files(ids: readonly number[] | null): Promise<FileInVault[]> {
    return this.db.all<FileInVault>(
      `SELECT f.id, f.path, f.kind, f.hash, f.lock_reason AS lock, r.state, r.version, r.hash AS newest, b.version AS base, r.record
       FROM vault_records r JOIN files f ON f.path = r.path AND NOT f.removed JOIN libraries l ON l.id = f.library_id AND l.in_vault
       LEFT JOIN vault_bases b ON b.file_id = f.id AND b.entry_id = r.entry_id
       WHERE $1::int[] IS NULL OR f.id = ANY($1::int[]) ORDER BY array_position($2::text[], f.kind), f.path`,
      [ids, ORDER],
    );
  }

  /** Files of the vault's library that are not in the vault; in a folder, or some. */
  private strangers(folder: string | null, ids: readonly number[] | null): Promise<{ id: number; path: string; kind: Kind; className: string | null }[]> {
    return this.db.all(
      `SELECT f.id, f.path, f.kind, c.name AS "className" FROM files f
       JOIN libraries l ON l.id = f.library_id AND l.in_vault LEFT JOIN classes c ON c.id = f.class_id
       WHERE NOT f.removed AND NOT EXISTS (SELECT 1 FROM vault_records r WHERE r.path = f.path)
         AND ($1::text IS NULL OR $1 = '' OR starts_with(f.path, $1 || '/')) AND ($2::int[] IS NULL OR f.id = ANY($2::int[]))
       ORDER BY array_position($3::text[], f.kind), f.path`,
      [folder, ids, ORDER],
    );
  }

  /** Previews bringing in a folder: new files with their initial records. */
  async newcomers(folder: string): Promise<Newcomer[]> {
    const files = await this.strangers(folder, null);
    const told: Newcomer[] = [];
    for (let at = 0; at < files.length; at += BATCH) {
      const batch = files.slice(at, at + BATCH);
      const fresh = await this.checkIns.fresh(batch);
      for (const { id, path, kind, className } of batch) told.push({ file: id, path, kind, className, ...fresh.get(id)! });
    }
    return told;
  }

  /** Counts stale title block cells by file. */
  private async staleCells(files: readonly FileInVault[]): Promise<Map<number, number>> {
    const rows = await this.db.all<{ file: number; cells: number }>(
      `SELECT file_id AS file, count(*)::int AS cells FROM cell_states WHERE state = 'stale' AND file_id = ANY($1::int[]) GROUP BY file_id`,
      [files.map((file) => file.id)],
    );
    return new Map(rows.map(({ file, cells }) => [file, cells]));
  }

  /**
   * Previews a run from last fetched data, without querying the vault or writing.
   * @param most maximum values reported per file
   */
  async rehearse(ids: readonly number[] | null, most = MOST_TOLD): Promise<RehearsedFile[]> {
    const files = await this.files(ids);
    const told: RehearsedFile[] = [];
    for (let at = 0; at < files.length; at += BATCH) {
      const batch = files.slice(at, at + BATCH);
      const [compared, stale] = await Promise.all([this.links.compareAll(batch, false), this.staleCells(batch)]);
      for (const file of batch) {
        const links = compared.get(file.id)!;
        const counts = { in: 0, out: 0, ask: 0, stays: 0 };
        for (const { values } of links) if (values.decision.action !== 'equal') counts[values.decision.action]++;
        const changes = file.hash !== file.newest;
        const cells = stale.get(file.id) ?? 0;
        const behind = changes && file.base !== file.version;
        const refused = links.find(({ values }) => values.refused !== null)?.values;
        told.push({
          file: file.id,
          path: file.path,
          kind: file.kind,
          state: file.state,
          version: file.version,
          counts,
          cells,
          changed: changes,
          blocked: file.lock
            ? `The file ${file.lock}.`
            : behind
              ? file.base === null
                ? `The vault version this file is based on is not known.`
                : `The vault has version ${file.version}; this file is based on version ${file.base}.`
              : refused
                ? `${refused.link.field}: ${refused.refused}.`
                : null,
          told: links
            .filter(({ values }) => values.decision.action !== 'equal')
            .slice(0, most)
            .map(({ values: { link, file: own, record, decision } }) => ({
              field: link.field,
              file: own,
              record,
              action: decision.action,
              reason: decision.reason,
            })),
        });
      }
      await new Promise(setImmediate);
    }
    return told;
  }

  /**
   * Starts a run.
   * @returns the job's number
   */
  start(user: User, run: VaultRun): Promise<number> {
    return this.jobs.start(user, 'check-in', TITLES[run.kind](count(run.files.length, 'file')), { ...run, user });
  }

  /** Processes files one by one. An interrupted run continues with the first unfinished file. */
  private async run(context: JobContext, user: User, { kind, files: ids, clash, titleBlocks }: VaultRun): Promise<VaultRunResult> {
    // Fetches all entries before any file is touched.
    if (kind === 'check in') await this.vault.refresh();
    const rows = await this.db.all<VaultRunFile>(
      'SELECT file_id AS file, path, outcome, message, version FROM vault_run_files WHERE job_id = $1 ORDER BY path',
      [context.job],
    );
    const before = new Set(rows.map((row) => row.file));
    const all = kind === 'bring in' ? await this.strangers(null, ids) : await this.files(ids);
    const files = all.filter((file) => !before.has(file.id));
    for (const [i, file] of files.entries()) {
      if (context.signal.aborted) break;
      context.progress(TITLES[kind]('files').toLowerCase(), before.size + i, before.size + files.length);
      const row = await this.one(user, kind, file, { clash, titleBlocks });
      rows.push(row);
      await this.db.run('INSERT INTO vault_run_files (job_id, file_id, path, outcome, message, version) VALUES ($1, $2, $3, $4, $5, $6)', [
        context.job,
        row.file,
        row.path,
        row.outcome,
        row.message,
        row.version,
      ]);
      if (row.outcome === 'left out') context.error(file.path, row.message);
    }
    if (kind === 'get newest' && rows.some((row) => row.outcome === 'done')) await this.rescan(context);
    // After cancellation, finished files stay done; the others are not started.
    const done = new Set(rows.map((row) => row.file));
    for (const file of files)
      if (!done.has(file.id))
        rows.push({ file: file.id, path: file.path, outcome: 'left out', message: 'The run was cancelled before this file.', version: null });
    // Files removed from vault or library meanwhile are reported.
    const known = new Set([...before, ...all.map((file) => file.id)]);
    const gone = ids.filter((id) => !known.has(id));
    if (gone.length)
      for (const { id, path } of await this.db.all<{ id: number; path: string }>('SELECT id, path FROM files WHERE id = ANY($1::int[]) ORDER BY path', [gone]))
        // A server that stopped before recording the file finds it in the vault.
        rows.push({
          file: id,
          path,
          outcome: kind === 'bring in' ? 'nothing to do' : 'left out',
          message: kind === 'bring in' ? 'The file is in the vault already.' : 'The file is not in the vault.',
          version: null,
        });
    context.progress(TITLES[kind]('files').toLowerCase(), before.size + files.length, before.size + files.length);
    return { kind, rows };
  }

  private async one(user: User, kind: RunKind, file: { readonly id: number; readonly path: string }, wishes: Wishes): Promise<VaultRunFile> {
    const row = (outcome: VaultRunFile['outcome'], message: string, version: number | null = null): VaultRunFile => ({
      file: file.id,
      path: file.path,
      outcome,
      message,
      version,
    });
    try {
      switch (kind) {
        case 'bring in': {
          const entry = await this.checkIns.bringIn(user, file.id);
          return row('done', `brought in with ${count(Object.keys(entry.record).length, 'record value')}`, entry.version);
        }
        case 'get newest':
          return (await this.bases.getNewest(file.id))
            ? row('done', 'the newest version is in its place')
            : row('nothing to do', 'The file is the newest version.');
        case 'check out':
        case 'undo check-out':
          await this.checkIns.keepOut(file.id, kind === 'check out');
          return row('done', kind === 'check out' ? 'checked out' : 'no longer checked out');
        case 'records to files':
        case 'files to records': {
          const settled = await this.settled(file as FileInVault, wishes.clash);
          const { passed, left } =
            kind === 'records to files' ? await this.checkIns.toFile(user, file.id, settled) : await this.checkIns.toRecord(file.id, settled);
          const undecided = left ? `; ${count(left, 'value needs', 'values need')} a decision` : '';
          return passed ? row('done', `${count(passed, 'value')} passed${undecided}`) : row('nothing to do', `No value to pass${undecided}.`);
        }
        case 'check in':
          return await this.checkIn(user, file.id, wishes, row);
      }
    } catch (error) {
      return row('left out', error instanceof Error ? error.message : String(error));
    }
  }

  /** Default decisions for clashes. Blanks never win automatically. */
  private async settled(file: FileInVault, clash: VaultRun['clash']): Promise<Record<string, 'file' | 'record'>> {
    const settled: Record<string, 'file' | 'record'> = {};
    if (clash === 'leave out') return settled;
    for (const { values } of (await this.links.compareAll([file], false)).get(file.id)!)
      if (values.decision.action === 'ask' && (values[clash] ?? '') !== '') settled[values.link.id] = clash;
    return settled;
  }

  private async checkIn(
    user: User,
    id: number,
    { clash, titleBlocks }: Wishes,
    row: (outcome: VaultRunFile['outcome'], message: string, version?: number | null) => VaultRunFile,
  ): Promise<VaultRunFile> {
    // Reloaded: an earlier model may have changed this drawing.
    const [file] = await this.files([id]);
    if (!file) throw refused('not-in-vault', 'The file is not in the vault any more.');
    const links = (await this.links.compareAll([file], false)).get(id)!;
    const acts = links.some(({ values }) => ['in', 'out', 'ask'].includes(values.decision.action)) || (titleBlocks && (await this.staleCells([file])).size > 0);
    if (!acts && file.hash === file.newest) return row('nothing to do', 'File and record already agree.');
    const report = await this.checkIns.checkIn(user, id, { settled: await this.settled(file, clash), titleBlocks });
    const cells = report.cells ? `, ${count(report.cells, 'title block text')} put right` : '';
    return row('done', `checked in: ${report.recordChanges} into the record, ${report.fileChanges} into the file${cells}`, report.version);
  }
}
