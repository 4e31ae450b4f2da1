import { CheckIn, CheckInReport } from '@rule/contract';
import { Line, addressKey } from '@rule/core/changes';
import { Kind } from '@rule/core/schema';
import { whyNotTaken } from '@rule/core/vault';
import { join } from 'node:path';
import { Applying } from '../changes/apply';
import { Libraries } from '../library/library';
import { Db } from '../platform/db';
import { readPlain } from '../platform/plain-file';
import { refused } from '../platform/problem';
import { hashOf } from '../platform/store';
import { CellTexts } from '../titleblocks/cell-texts';
import { User } from '../users/user';
import { Bases } from './bases';
import { LinkComparisons } from './comparisons';
import { VaultLocks } from './locks';
import { passing } from './passing';
import { RULE_USER, VaultEntry, VaultPort } from './port';
import { definitionOf, entryAt, passOver, pathOf } from './said';
import { linkedFiles } from './sides';

/** Age at which a check-in not running here counts as abandoned. */
const GIVEN_UP_MS = 10 * 60_000;

/** A check-in in progress. */
interface Begun {
  readonly file: number;
  readonly entry: number;
  readonly version: number;
  readonly hash: string | null;
  readonly changeSet: number | null;
  readonly path: string;
  readonly kind: Kind;
  readonly user: User;
}

/** Check-ins, and values that pass between files and records without one. */
export class CheckIns {
  /** Files being checked in by this process. */
  private readonly running = new Set<number>();
  private readonly since: Date;

  constructor(
    private readonly db: Db,
    private readonly port: VaultPort,
    private readonly links: LinkComparisons,
    private readonly libraries: Libraries,
    private readonly texts: CellTexts,
    private readonly locks: VaultLocks,
    private readonly applying: Applying,
    private readonly bases: Bases,
    private readonly clock: () => Date,
  ) {
    this.since = clock();
  }

  /**
   * The file's bytes, if unchanged since reading and based on the vault's newest version, so that compared values match and no version is
   * overwritten.
   * @param over a version the user knowingly replaces
   */
  private async bytesToCheckIn(id: number, path: string, entry: VaultEntry, over: number | undefined): Promise<Buffer> {
    const row = (await this.db.one<{ root: string; hash: string; base: number | null }>(
      `SELECT l.root, f.hash, (SELECT b.version FROM vault_bases b WHERE b.file_id = f.id AND b.entry_id = $2) AS base
        FROM libraries l JOIN files f ON f.library_id = l.id WHERE f.id = $1`,
      [id, entry.id],
    ))!;
    const bytes = await readPlain(join(row.root, path));
    if (hashOf(bytes) !== row.hash) throw refused('changed-on-disk', `${path} was changed on disk after Rule read it. Read the library again, then check in.`);
    if (row.hash === entry.hash || row.base === entry.version || over === entry.version) return bytes;
    throw refused(
      'newer-in-vault',
      row.base === null
        ? `The vault holds version ${entry.version} of ${path}, but the version your file is based on is not known. Compare them first.`
        : `The vault holds version ${entry.version} of ${path}; your file is based on version ${row.base}. Get the newer version first.`,
      [{ field: 'over', code: 'newer-in-vault', message: String(entry.version) }],
    );
  }

  /**
   * Checks a file in, passing values both ways. Everything refusable is refused before writing; the file is checked out first. If
   * interrupted, the outcome is determined: both sides agree, or both are unchanged.
   */
  async checkIn(user: User, id: number, wishes: CheckIn): Promise<CheckInReport> {
    if (this.running.has(id)) throw refused('under-way', 'This file is being checked in already.');
    this.running.add(id);
    try {
      return await this.checkInAlone(user, id, wishes);
    } finally {
      this.running.delete(id);
    }
  }

  private async checkInAlone(user: User, id: number, { settled, over, titleBlocks }: CheckIn): Promise<CheckInReport> {
    await this.settleBegun(id);
    const file = await this.libraries.file(id);
    const path = await pathOf(this.db, id);
    const entry = await entryAt(this.port, path);
    await this.bytesToCheckIn(id, path, entry, over);
    const { lines, record } = await passing(this.db, this.port, file, await this.links.compare(id, file.kind, entry), settled, 'both');
    await this.db.run(
      `INSERT INTO vault_begun (file_id, entry_id, version, user_id, at) VALUES ($1, $2, $3, $4, $5)
       ON CONFLICT (file_id) DO UPDATE SET entry_id = excluded.entry_id, version = excluded.version, hash = NULL, change_set_id = NULL,
         user_id = excluded.user_id, at = excluded.at`,
      [id, entry.id, entry.version, user.id, this.clock()],
    );
    try {
      const out = await this.port.checkOut(entry.id);
      if (out.version !== entry.version) throw refused('newer-in-vault', `Someone checked in version ${out.version} of ${path} in the meantime. Try again.`);
      const cells = titleBlocks ? await this.texts.stale(this.db, [id]) : [];
      const changeSet = await this.write(user, `check-in of ${file.name}`, file.path, lines, cells);
      // Rule itself may have changed it since; nobody else may.
      const bytes = await this.bytesToCheckIn(id, path, entry, entry.version);
      await this.db.run('UPDATE vault_begun SET hash = $2, change_set_id = $3 WHERE file_id = $1', [id, hashOf(bytes), changeSet]);
      const after = await this.port.checkIn(
        entry.id,
        bytes,
        changeSet === null ? `Checked in by ${user.displayName} with Rule` : `Checked in by ${user.displayName} with Rule, change set ${changeSet}`,
        record,
      );
      await this.finish(id, file.kind, after);
      return { version: after.version, recordChanges: Object.keys(record).length, fileChanges: lines.length, cells: cells.length, changeSet };
    } catch (error) {
      const adopted = await this.settleBegun(id).catch(() => null);
      // The vault accepted it; only the answer was lost.
      if (adopted) return { version: adopted, recordChanges: Object.keys(record).length, fileChanges: lines.length, cells: 0, changeSet: null };
      throw error;
    }
  }

  /**
   * Passes record values into the file without a check-in.
   * @returns passed and undecided counts
   */
  async toFile(user: User, id: number, settled: CheckIn['settled']): Promise<{ readonly passed: number; readonly left: number }> {
    const file = await this.libraries.file(id);
    const entry = await entryAt(this.port, await pathOf(this.db, id));
    const compared = await this.links.compare(id, file.kind, entry);
    const { lines, left } = await passing(this.db, this.port, file, compared, settled, 'out');
    await this.write(user, `records to files: ${file.name}`, file.path, lines);
    if (lines.length) await this.links.agree(id, await this.links.compare(id, file.kind, entry));
    return { passed: lines.length, left };
  }

  /** Passes file values into the record without a new version. */
  async toRecord(id: number, settled: CheckIn['settled']): Promise<{ readonly passed: number; readonly left: number }> {
    const file = await this.libraries.file(id);
    const path = await pathOf(this.db, id);
    const entry = await entryAt(this.port, path);
    await this.bytesToCheckIn(id, path, entry, undefined);
    const { record, left } = await passing(this.db, this.port, file, await this.links.compare(id, file.kind, entry), settled, 'in');
    const passed = Object.keys(record).length;
    if (passed) {
      const after = await this.port.writeRecord(entry.id, record);
      await this.locks.note(after);
      await this.links.agree(id, await this.links.compare(id, file.kind, after));
    }
    return { passed, left };
  }

  /** Checks a file out for Rule, or undoes that. */
  async keepOut(id: number, out: boolean): Promise<void> {
    const entry = await entryAt(this.port, await pathOf(this.db, id));
    if (!out && entry.checkedOutBy !== RULE_USER) throw refused('not-out', `${entry.path} is not checked out by Rule.`);
    await this.locks.note(out ? await this.port.checkOut(entry.id) : await this.port.undoCheckOut(entry.id));
  }

  /** Initial records of files to be brought in, or why they cannot be. */
  async fresh(
    files: readonly { readonly id: number; readonly kind: Kind }[],
  ): Promise<Map<number, { readonly record: Record<string, string>; readonly problem: string | null }>> {
    const definition = await definitionOf(this.db);
    const compared = await this.links.compareAll(
      files.map((file) => ({ ...file, record: {}, state: 'open' })),
      false,
    );
    return new Map(
      files.map(({ id, kind }) => {
        const record: Record<string, string> = {};
        let problem: string | null = null;
        for (const { values } of compared.get(id)!) {
          if (values.decision.action !== 'in' || values.file === null) continue;
          const refusal = whyNotTaken(definition, values.link.field, kind, values.file);
          if (refusal) problem ??= refusal;
          else record[values.link.field] = values.file;
        }
        return [id, { record, problem }];
      }),
    );
  }

  /** Adds a file to the vault with its record. */
  async bringIn(user: User, id: number): Promise<VaultEntry> {
    const file = await this.libraries.file(id);
    const path = await pathOf(this.db, id);
    if ((await this.port.entries([path])).length) throw refused('in-vault', `${path} is in the vault already.`);
    const { record, problem } = (await this.fresh([{ id, kind: file.kind }])).get(id)!;
    if (problem) throw refused('cannot-pass', `${path}: ${problem}. Nothing was brought in.`);
    const row = (await this.db.one<{ root: string; hash: string }>(
      'SELECT l.root, f.hash FROM libraries l JOIN files f ON f.library_id = l.id WHERE f.id = $1',
      [id],
    ))!;
    const bytes = await readPlain(join(row.root, path));
    if (hashOf(bytes) !== row.hash) throw refused('changed-on-disk', `${path} was changed on disk after Rule read it. Read the library again.`);
    const [linked] = await linkedFiles(this.db, [id]);
    const after = await this.port.add(
      { path, kind: file.kind, class: linked!.className, comment: `Brought in by ${user.displayName} with Rule`, record },
      bytes,
    );
    await this.finish(id, file.kind, after);
    return after;
  }

  /** @param cells lines of stale cells; lines that follow from values take precedence */
  private async write(user: User, title: string, path: string, lines: readonly Line[], cells: readonly Line[] = []): Promise<number | null> {
    if (lines.length + cells.length === 0) return null;
    const written = new Map([...cells, ...lines, ...(await this.texts.following(this.db, lines))].map((line) => [addressKey(line.address), line]));
    const report = await this.applying.applyLines(user, title, [...written.values()]);
    if (report.state !== 'applied') throw refused('not-applied', `${path}: ${report.failures[0]?.message ?? 'the values could not be written'}`);
    return report.changeSet;
  }

  /** Stores the new entry and agreed values. */
  private async finish(id: number, kind: Kind, after: VaultEntry): Promise<void> {
    await this.links.agree(id, await this.links.compare(id, kind, after));
    await this.locks.note(after);
    await this.bases.note(id, after);
    await this.db.run('DELETE FROM vault_begun WHERE file_id = $1', [id]);
  }

  /**
   * Determines the outcome of interrupted check-ins, of one file or all: accepted versions are adopted; otherwise the file is reverted and
   * the check-out undone. Unknown outcomes are retried later.
   * @returns the adopted version, for a single file
   */
  async settleBegun(id?: number): Promise<number | null> {
    const begun = await this.db.all<Begun>(
      `SELECT b.file_id AS file, b.entry_id AS entry, b.version, b.hash, b.change_set_id AS "changeSet", f.path, f.kind,
         jsonb_build_object('id', u.id, 'name', u.name, 'displayName', u.display_name, 'role', u.role) AS user
       FROM vault_begun b JOIN files f ON f.id = b.file_id JOIN users u ON u.id = b.user_id
       WHERE CASE WHEN $1::int IS NULL THEN b.at < $2::timestamptz OR b.at < $3::timestamptz ELSE b.file_id = $1 END`,
      // Started before this server, or too long ago to be running.
      [id ?? null, this.since, new Date(this.clock().getTime() - GIVEN_UP_MS)],
    );
    let adopted: number | null = null;
    for (const row of begun) {
      if (id === undefined && this.running.has(row.file)) continue;
      const [entry] = await this.port.entries([row.path]);
      if (entry && row.hash !== null && entry.version > row.version && entry.hash === row.hash) {
        await this.finish(row.file, row.kind, entry);
        adopted = entry.version;
        continue;
      }
      if (entry?.checkedOutBy === RULE_USER) await this.locks.note(await this.port.undoCheckOut(entry.id));
      // If the file was changed since, the revert is refused; the next check-in passes the values.
      if (row.changeSet !== null) await this.applying.revert(row.user, row.changeSet).catch(passOver);
      // Last, so an interruption here is settled next time.
      await this.db.run('DELETE FROM vault_begun WHERE file_id = $1', [row.file]);
    }
    return adopted;
  }
}
