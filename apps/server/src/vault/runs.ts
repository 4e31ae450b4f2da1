import { RehearsedFile, VaultRun, VaultRunFile, VaultRunResult } from '@rule/contract';
import { Kind } from '@rule/core/schema';
import { count } from '@rule/core/words';
import { JobContext, Jobs } from '../jobs/jobs';
import { Db } from '../platform/db';
import { AppError } from '../platform/problem';
import { User } from '../users/user';
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

/** Files compared in one step. */
const BATCH = 2000;

/** Models go before the drawings that show them. */
const ORDER: readonly Kind[] = ['part', 'assembly', 'drawing', 'other'];

/** Reasons and values that are told of one file. */
const MOST_TOLD = 5;

/** Values passed through links for many files: told beforehand, done as a job, reported file by file. */
export class VaultRuns {
  constructor(
    private readonly db: Db,
    private readonly vault: Vault,
    private readonly jobs: Jobs,
  ) {
    jobs.define<VaultRun & { user: User }>('check-in', (context, { user, files, clash }) => this.run(context, user, files, clash));
  }

  /** The vault's files with what was last heard of them: all, or some. */
  private files(ids: readonly number[] | null): Promise<FileInVault[]> {
    return this.db.all<FileInVault>(
      `SELECT f.id, f.path, f.kind, f.hash, f.lock_reason AS lock, r.state, r.version, r.hash AS newest, b.version AS base, r.record
       FROM vault_records r JOIN files f ON f.path = r.path AND NOT f.removed JOIN libraries l ON l.id = f.library_id AND l.in_vault
       LEFT JOIN vault_bases b ON b.file_id = f.id AND b.entry_id = r.entry_id
       WHERE $1::int[] IS NULL OR f.id = ANY($1::int[]) ORDER BY array_position($2::text[], f.kind), f.path`,
      [ids, ORDER],
    );
  }

  /**
   * What a run would do with each file, by what was last heard of the vault: nothing is asked of it, and nothing written.
   * @param most values that are told of one file
   */
  async rehearse(ids: readonly number[] | null, most = MOST_TOLD): Promise<RehearsedFile[]> {
    const files = await this.files(ids);
    const told: RehearsedFile[] = [];
    for (let at = 0; at < files.length; at += BATCH) {
      const batch = files.slice(at, at + BATCH);
      const compared = await this.vault.compareAll(batch, false);
      for (const file of batch) {
        const links = compared.get(file.id)!;
        const counts = { in: 0, out: 0, ask: 0, stays: 0 };
        for (const { values } of links) if (values.decision.action !== 'equal') counts[values.decision.action]++;
        const changes = file.hash !== file.newest;
        const behind = changes && file.base !== file.version;
        told.push({
          file: file.id,
          path: file.path,
          kind: file.kind,
          state: file.state,
          version: file.version,
          counts,
          changed: changes,
          blocked: file.lock
            ? `The file ${file.lock}.`
            : behind
              ? file.base === null
                ? `The vault version this file is based on is not known.`
                : `The vault has version ${file.version}; this file is based on version ${file.base}.`
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

  /** Begins to check files in. @returns the job's number */
  start(user: User, run: VaultRun): Promise<number> {
    return this.jobs.start(user, 'check-in', `Check in ${count(run.files.length, 'file')}`, { ...run, user });
  }

  private async run(context: JobContext, user: User, ids: readonly number[], clash: VaultRun['clash']): Promise<VaultRunResult> {
    const files = await this.files(ids);
    const rows: VaultRunFile[] = [];
    for (const [i, file] of files.entries()) {
      if (context.signal.aborted) break;
      context.progress('checking files in', i, files.length);
      const row = await this.one(user, file, clash);
      rows.push(row);
      if (row.outcome === 'left out') context.error(file.path, row.message);
    }
    // What was done before someone cancelled is done, and said; the others are not begun.
    const done = new Set(rows.map((row) => row.file));
    for (const file of files)
      if (!done.has(file.id))
        rows.push({ file: file.id, path: file.path, outcome: 'left out', message: 'The run was cancelled before this file.', version: null });
    context.progress('checking files in', files.length, files.length);
    return { rows };
  }

  private async one(user: User, file: FileInVault, clash: VaultRun['clash']): Promise<VaultRunFile> {
    const row = (outcome: VaultRunFile['outcome'], message: string, version: number | null = null): VaultRunFile => ({
      file: file.id,
      path: file.path,
      outcome,
      message,
      version,
    });
    try {
      const links = (await this.vault.compareAll([file], false)).get(file.id)!;
      const settled: Record<string, 'file' | 'record'> = {};
      for (const { values } of links) {
        if (values.decision.action !== 'ask' || clash === 'leave out') continue;
        // A blank never erases, nor for many at once: that is decided file by file.
        if ((values[clash] ?? '') !== '') settled[values.link.id] = clash;
      }
      const acts = links.some(({ values }) => ['in', 'out', 'ask'].includes(values.decision.action));
      if (!acts && file.hash === file.newest) return row('nothing to do', 'File and record already agree.');
      const report = await this.vault.checkIn(user, file.id, { settled });
      return row('checked in', `${report.recordChanges} into the record, ${report.fileChanges} into the file`, report.version);
    } catch (error) {
      if (error instanceof AppError) return row('left out', error.message);
      return row('left out', error instanceof Error ? error.message : String(error));
    }
  }
}
