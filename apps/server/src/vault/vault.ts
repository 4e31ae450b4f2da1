import { count } from '@rule/core/words';
import { join } from 'node:path';
import { CheckIn, CheckInReport, EntryStanding, FileRow, LinkValues, TryValues, VaultFile, VaultState } from '@rule/contract';
import { Line, addressKey } from '@rule/core/changes';
import { Kind, Link, checkProposed, forClass, passingAt } from '@rule/core/schema';
import { HeldValue, StandIns, compileStandIns, heldText } from '@rule/core/values';
import { Decision, VaultDefinition, VaultTableRow, compareVaultTable, decide, whyNotTaken } from '@rule/core/vault';
import { Applying } from '../changes/apply';
import { Libraries } from '../library/library';
import { Db, asRecordset } from '../platform/db';
import { readPlain } from '../platform/plain-file';
import { readSettings } from '../platform/settings';
import { FileStore, hashOf } from '../platform/store';
import { AppError, invalid, notFound, refused } from '../platform/problem';
import { Editions } from '../schema/editions';
import { Properties } from '../schema/properties';
import { CellTexts } from '../titleblocks/cell-texts';
import { User } from '../users/user';
import { Judgements } from '../values/judgements';
import { recordText } from '../values/linked';
import { VaultLocks } from './locks';
import { Replaced, putNewest, settleNewest } from './newest';
import { RULE_USER, VaultEntry, VaultPort } from './port';
import { Side, linkedFiles, sidesOf } from './sides';

/** A link of a file: its three values, and exact addresses. */
export interface Compared {
  readonly values: LinkValues;
  readonly side: Side;
}

/** Allowed directions. */
export type Ways = 'both' | 'in' | 'out';

/** Columns of an entry's standing. */
export const STANDING = `r.version, r.version_by AS "versionBy", r.version_at AS "versionAt", r.state, r.state_by AS "stateBy", r.state_at AS "stateAt",
  r.checked_out_by AS "checkedOutBy", r.checked_out_at AS "checkedOutAt"`;

/** The definition before the first fetch. */
const UNKNOWN: VaultDefinition = { fields: [], systemFields: [], states: [], steps: [], mayDefine: false };

/** Age at which a check-in not running here counts as abandoned. */
const GIVEN_UP_MS = 10 * 60_000;

/** Maximum version lookups per refresh. */
const MOST_ASKED = 200;
const MOST_UNKNOWN = 10_000;

/** Ignores vault failures; retried at the next refresh. */
function passOver(error: unknown): void {
  if (!(error instanceof AppError)) throw error;
}

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

/** Links between record fields and files, and check-in through them. */
export class Vault {
  /** Files being checked in by this process. */
  private readonly running = new Set<number>();
  private readonly since: Date;
  /** Version lookups already done: entry, newest version and file hash. */
  private readonly answered = new Set<string>();

  constructor(
    private readonly db: Db,
    private readonly port: VaultPort,
    private readonly properties: Properties,
    private readonly editions: Editions,
    private readonly judgements: Pick<Judgements, 'settle'>,
    private readonly libraries: Libraries,
    private readonly texts: CellTexts,
    private readonly locks: VaultLocks,
    private readonly applying: Applying,
    private readonly store: FileStore,
    private readonly clock: () => Date,
  ) {
    this.since = clock();
  }

  /** The links of the edition in force. */
  async links(): Promise<readonly Link[]> {
    return (await this.editions.inForce(this.db)).schema.links;
  }

  /** Marks a library as the vault's working copy; at most one is. */
  async stand(library: number, inVault: boolean): Promise<void> {
    if (!(await this.db.one('SELECT 1 FROM libraries WHERE id = $1', [library]))) throw notFound(`Library ${library}`);
    await this.db.run('UPDATE libraries SET in_vault = (id = $1 AND $2) WHERE in_vault <> (id = $1 AND $2)', [library, inVault]);
    await this.refresh();
  }

  /** Fetches everything from the vault and stores it. On failure the last state stays in force, with the error. */
  async refresh(): Promise<void> {
    await settleNewest(this.db, this.store);
    try {
      const [definition, table, entries] = await Promise.all([this.port.definition(), this.port.table(), this.port.entries()]);
      await this.locks.store(entries);
      await this.db.run(
        `INSERT INTO vault_said (id, at, definition, link_table, problem) VALUES (1, $1, $2::jsonb, $3::jsonb, NULL)
         ON CONFLICT (id) DO UPDATE SET at = excluded.at, definition = excluded.definition, link_table = excluded.link_table, problem = NULL`,
        [this.clock(), JSON.stringify(definition), JSON.stringify(table)],
      );
    } catch (error) {
      if (!(error instanceof AppError)) throw error;
      await this.db.run(
        `INSERT INTO vault_said (id, at, link_table, problem) VALUES (1, 'epoch', '[]', $1) ON CONFLICT (id) DO UPDATE SET problem = excluded.problem`,
        [error.message],
      );
      return;
    }
    await this.findBases().catch(passOver);
    await this.settleBegun().catch(passOver);
  }

  /** The record definition as last fetched. */
  async definition(): Promise<VaultDefinition> {
    return (await this.db.one<{ definition: VaultDefinition }>('SELECT definition FROM vault_said'))?.definition ?? UNKNOWN;
  }

  /** Number of records reached by links, and filled ones. */
  async filled(links: readonly Link[]): Promise<{ readonly link: number; readonly records: number; readonly filled: number }[]> {
    return this.db.all(
      `SELECT w.id AS link, count(*)::int AS records, count(nullif(r.record->>w.field, ''))::int AS filled
       FROM jsonb_to_recordset($1::jsonb) AS w(id int, field text, kinds jsonb, classes jsonb), vault_records r
       JOIN files f ON f.path = r.path AND NOT f.removed JOIN libraries l ON l.id = f.library_id AND l.in_vault LEFT JOIN classes c ON c.id = f.class_id
       WHERE w.kinds ? f.kind AND (w.classes = '[]' OR w.classes ? c.name) GROUP BY w.id`,
      [asRecordset(links.map(({ id, field, kinds, classes }) => ({ id, field, kinds, classes })))],
    );
  }

  /** State of vault and library, as last fetched. */
  async state(): Promise<VaultState> {
    const [said, links, { links: drafted }, properties, libraries, folders] = await Promise.all([
      this.db.one<{ at: string; known: boolean; definition: VaultDefinition; table: VaultTableRow[]; problem: string | null }>(
        `SELECT at, at > 'epoch' AS known, definition, link_table AS "table", problem FROM vault_said`,
      ),
      this.links(),
      this.editions.draftSchema(),
      this.properties.list(this.db),
      this.db.all<VaultState['libraries'][number]>('SELECT id, name, in_vault AS "inVault" FROM libraries ORDER BY name'),
      this.db.all<VaultState['folders'][number]>('SELECT folder AS path, count(*)::int AS files FROM vault_records GROUP BY folder ORDER BY folder'),
    ]);
    return {
      problem: said?.problem ?? (said ? null : 'The vault has not been asked yet.'),
      at: said?.known ? said.at : null,
      libraries,
      definition: said?.definition ?? UNKNOWN,
      links,
      drafted,
      table: compareVaultTable(
        said?.table ?? [],
        properties.filter((property) => !property.retired),
      ),
      folders,
      files: folders.reduce((sum, folder) => sum + folder.files, 0),
    };
  }

  /**
   * The vault path of a file.
   * @throws AppError if it is not in the vault's library
   */
  private async path(id: number): Promise<string> {
    const row = await this.db.one<{ path: string; inVault: boolean; library: string }>(
      'SELECT f.path, l.in_vault AS "inVault", l.name AS library FROM files f JOIN libraries l ON l.id = f.library_id WHERE f.id = $1',
      [id],
    );
    if (row && !row.inVault)
      throw new AppError(404, 'not-in-vault', `${row.path} is in the library ${row.library}, which is not marked as the vault's working copy.`);
    return row!.path;
  }

  private async entry(path: string): Promise<VaultEntry> {
    const [entry] = await this.port.entries([path]);
    if (!entry) throw new AppError(404, 'not-in-vault', `${path} is not in the vault.`);
    return entry;
  }

  /** A file beside its record, as last fetched. */
  async file(id: number): Promise<VaultFile> {
    const file = await this.libraries.file(id);
    const path = await this.path(id);
    const row = await this.db.one<EntryStanding & { readonly record: VaultEntry['record'] }>(
      `SELECT ${STANDING}, r.record FROM vault_records r WHERE r.path = $1`,
      [path],
    );
    if (!row) throw new AppError(404, 'not-in-vault', `${file.path} is not in the vault.`);
    return { file, ...row, values: (await this.compare(id, file.kind, row)).map(({ values }) => values) };
  }

  /**
   * Outcome of the next check-in for other values and another state, decided by the same function on copies. File values are parsed as in
   * the grid.
   */
  async tryOut(id: number, { state, edits }: TryValues): Promise<LinkValues[]> {
    const file = await this.libraries.file(id);
    const row = await this.db.one<Pick<VaultEntry, 'record'>>('SELECT record FROM vault_records WHERE path = $1', [await this.path(id)]);
    if (!row) throw new AppError(404, 'not-in-vault', `${file.path} is not in the vault.`);
    const { states } = await this.definition();
    if (!states.includes(state)) throw invalid('no-state', `The vault has no state ${JSON.stringify(state)}. It has: ${states.join(', ')}.`);
    const [links, settings] = await Promise.all([this.links(), readSettings(this.db)]);
    const standIns = compileStandIns(settings.standIns);
    const byNumber = new Map(links.map((link) => [link.id, link]));
    const record: Record<string, string> = { ...row.record };
    const typed = new Map<number, string | null>();
    for (const edit of edits) {
      const link = byNumber.get(edit.link);
      if (!link) throw notFound(`Link ${edit.link}`);
      if (edit.record !== undefined) record[link.field] = edit.record ?? '';
      if (edit.file !== undefined) typed.set(link.id, edit.file);
    }
    const compared = await this.compareAll([{ id, kind: file.kind, record, state }], true, (link, side) => {
      const text = typed.get(link.id);
      if (text === undefined) return side;
      // A file may hold values that could not be typed in Rule.
      const check = written(side, text, file.class, standIns);
      return { ...side, why: null, text: check?.ok ? recordText(check.held, side.property) : text || null };
    });
    return compared.get(id)!.map(({ values }) => values);
  }

  /** The links of one file with all values and exact addresses. */
  private async compare(id: number, kind: Kind, { record, state }: Pick<VaultEntry, 'record'> & { readonly state: string }): Promise<readonly Compared[]> {
    return (await this.compareAll([{ id, kind, record, state }])).get(id)!;
  }

  /**
   * The same for many files, with a fixed number of statements.
   * @param exactly whether exact held values are needed, not only displayed ones
   * @param played replaces a file's side
   */
  async compareAll(
    files: readonly { readonly id: number; readonly kind: Kind; readonly record: VaultEntry['record']; readonly state: string }[],
    exactly = true,
    played: (link: Link, side: Side) => Side = (_, side) => side,
  ): Promise<ReadonlyMap<number, readonly Compared[]>> {
    const links = await this.links();
    const byId = new Map((await this.properties.list(this.db)).map((property) => [property.id, property]));
    const ids = files.map((file) => file.id);
    await this.judgements.settle(ids);
    const linked = await linkedFiles(this.db, ids);
    const [sides, agreements, definition, settings] = await Promise.all([
      sidesOf(this.db, linked, links, byId, exactly),
      this.agreements(ids, links),
      this.definition(),
      readSettings(this.db),
    ]);
    const standIns = compileStandIns(settings.standIns);
    const classes = new Map(linked.map((file) => [file.id, file.className]));
    const holds = new Map(links.map((link) => [link.id, link]));
    return new Map(
      files.map(({ id, kind, record: values, state }): [number, readonly Compared[]] => [
        id,
        [...(sides.get(id) ?? [])].map(([number, held]): Compared => {
          const link = holds.get(number)!;
          const side = played(link, held);
          const record = values[link.field] ?? null;
          const last = agreements.get(id)?.get(number);
          const decision: Decision = side.why === null ? decide(passingAt(link, state), side.text, record, last) : { action: 'stays', reason: side.why };
          const refusal =
            decision.action === 'in'
              ? whyNotTaken(definition, link.field, kind, side.text)
              : decision.action === 'out'
                ? whyNotWritten(side, record, classes.get(id) ?? null, standIns)
                : null;
          const adds = decision.action === 'out' && side.targets.some(({ address, held }) => address.place === 'property' && held === null);
          const told: LinkValues = {
            link,
            end: side.end,
            name: side.targets[0]?.address.name ?? side.property?.writtenName ?? '',
            file: side.text,
            record,
            decision,
            adds,
            refused: refusal,
          };
          return {
            values: last === undefined ? told : Object.assign(told, { agreed: last }),
            side,
          };
        }),
      ]),
    );
  }

  /**
   * Last agreed values by file and link. Agreements for another field or address do not count. Loaded as one JSON list: the driver parses
   * rows slowly.
   */
  private async agreements(files: readonly number[], links: readonly Link[]): Promise<Map<number, Map<number, string | null>>> {
    const found = await this.db.one<{ list: [file: number, link: number, value: string | null][] | null }>(
      `SELECT json_agg(json_build_array(a.file_id, a.link_id, a.value)) AS list FROM agreed_values a
       JOIN jsonb_to_recordset($2::jsonb) AS l(id int, field text, at jsonb) ON l.id = a.link_id AND l.field = a.field AND l.at = a.leads_to
       WHERE a.file_id = ANY($1::int[])`,
      [files, asRecordset(links.map(({ id, field, at }) => ({ id, field, at })))],
    );
    const agreed = new Map<number, Map<number, string | null>>();
    for (const [file, link, value] of found?.list ?? []) {
      let own = agreed.get(file);
      if (!own) agreed.set(file, (own = new Map<number, string | null>()));
      own.set(link, value);
    }
    return agreed;
  }

  /** @throws AppError if the vault is known not to have the field */
  async checkField(field: string): Promise<void> {
    const { fields, systemFields } = await this.definition();
    const names = [...fields.filter((other) => !other.retired).map((other) => other.name), ...systemFields];
    if (names.length && !names.includes(field)) throw invalid('unknown-field', `The vault has no record field ${field}. It has: ${names.join(', ')}.`);
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
    const path = await this.path(id);
    const entry = await this.entry(path);
    await this.bytesToCheckIn(id, path, entry, over);
    const { lines, record } = await this.passing(file, await this.compare(id, file.kind, entry), settled, 'both');
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
    const entry = await this.entry(await this.path(id));
    const compared = await this.compare(id, file.kind, entry);
    const { lines, left } = await this.passing(file, compared, settled, 'out');
    await this.write(user, `records to files: ${file.name}`, file.path, lines);
    if (lines.length) await this.agree(id, await this.compare(id, file.kind, entry));
    return { passed: lines.length, left };
  }

  /** Passes file values into the record without a new version. */
  async toRecord(user: User, id: number, settled: CheckIn['settled']): Promise<{ readonly passed: number; readonly left: number }> {
    void user;
    const file = await this.libraries.file(id);
    const path = await this.path(id);
    const entry = await this.entry(path);
    await this.bytesToCheckIn(id, path, entry, undefined);
    const { record, left } = await this.passing(file, await this.compare(id, file.kind, entry), settled, 'in');
    const passed = Object.keys(record).length;
    if (passed) {
      const after = await this.port.writeRecord(entry.id, record);
      await this.locks.note(after);
      await this.agree(id, await this.compare(id, file.kind, after));
    }
    return { passed, left };
  }

  /**
   * Replaces an unmodified file with the vault's newest version; rescan afterwards.
   * @returns whether there was a newer version
   */
  async getNewest(id: number): Promise<boolean> {
    const path = await this.path(id);
    const entry = await this.entry(path);
    const row = (await this.db.one<Replaced>(
      'SELECT f.id AS file, f.path, l.root, f.format, f.hash FROM libraries l JOIN files f ON f.library_id = l.id WHERE f.id = $1',
      [id],
    ))!;
    if (row.hash === entry.hash) return false;
    const base = (await this.port.versions(entry.id)).find((version) => version.hash === row.hash);
    if (!base)
      throw refused('changed-here', `${path} has changes of its own, and the vault holds version ${entry.version}. Compare them; nothing was replaced.`);
    const bytes = await this.port.content(entry.id);
    if (hashOf(bytes) !== entry.hash) throw refused('vault-refused', `The vault sent other bytes of ${path} than its version ${entry.version} has.`);
    await putNewest(this.db, this.store, row, bytes);
    await this.db.run(
      'INSERT INTO vault_bases VALUES ($1, $2, $3) ON CONFLICT (file_id) DO UPDATE SET entry_id = excluded.entry_id, version = excluded.version',
      [id, entry.id, entry.version],
    );
    return true;
  }

  /** Looks up base versions of modified files, where unknown. */
  private async findBases(): Promise<void> {
    const unknown = await this.db.all<{ file: number; entry: number; version: number; hash: string }>(
      `SELECT f.id AS file, r.entry_id AS entry, r.version, f.hash FROM vault_records r JOIN files f ON f.path = r.path AND NOT f.removed AND f.hash <> r.hash
       JOIN libraries l ON l.id = f.library_id AND l.in_vault LEFT JOIN vault_bases b ON b.file_id = f.id AND b.entry_id = r.entry_id
       WHERE b.file_id IS NULL ORDER BY f.id LIMIT $1`,
      [MOST_UNKNOWN],
    );
    const known: { file: number; entry: number; version: number }[] = [];
    let asked = 0;
    for (const { file, entry, version: newest, hash } of unknown) {
      // Already looked up.
      const question = `${entry}/${newest}/${hash}`;
      if (this.answered.has(question) || asked === MOST_ASKED) continue;
      asked++;
      const base = (await this.port.versions(entry)).find((version) => version.hash === hash);
      this.answered.add(question);
      if (base) known.push({ file, entry, version: base.version });
    }
    await this.db.run(
      `INSERT INTO vault_bases (file_id, entry_id, version) SELECT file, entry, version FROM jsonb_to_recordset($1::jsonb) AS n(file int, entry int, version int)
       ON CONFLICT (file_id) DO UPDATE SET entry_id = excluded.entry_id, version = excluded.version`,
      [asRecordset(known)],
    );
  }

  /** Checks a file out for Rule, or undoes that. */
  async keepOut(id: number, out: boolean): Promise<void> {
    const entry = await this.entry(await this.path(id));
    if (!out && entry.checkedOutBy !== RULE_USER) throw refused('not-out', `${entry.path} is not checked out by Rule.`);
    await this.locks.note(out ? await this.port.checkOut(entry.id) : await this.port.undoCheckOut(entry.id));
  }

  /** Initial records of files to be brought in, or why they cannot be. */
  async fresh(
    files: readonly { readonly id: number; readonly kind: Kind }[],
  ): Promise<Map<number, { readonly record: Record<string, string>; readonly problem: string | null }>> {
    const definition = await this.definition();
    const compared = await this.compareAll(
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
    const path = await this.path(id);
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
    await this.agree(id, await this.compare(id, kind, after));
    await this.locks.note(after);
    await this.db.run(
      'INSERT INTO vault_bases VALUES ($1, $2, $3) ON CONFLICT (file_id) DO UPDATE SET entry_id = excluded.entry_id, version = excluded.version',
      [id, after.id, after.version],
    );
    await this.db.run('DELETE FROM vault_begun WHERE file_id = $1', [id]);
  }

  /**
   * Determines the outcome of interrupted check-ins, of one file or all: accepted versions are adopted; otherwise the file is reverted and
   * the check-out undone. Unknown outcomes are retried later.
   * @returns the adopted version, for a single file
   */
  private async settleBegun(id?: number): Promise<number | null> {
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

  /**
   * Values to pass in each direction, checked.
   * @param ways requested directions; for one direction, undecided values are skipped and counted
   * @throws AppError naming what cannot pass
   */
  private async passing(
    file: FileRow,
    compared: readonly Compared[],
    settled: CheckIn['settled'],
    ways: Ways,
  ): Promise<{ lines: Line[]; record: Record<string, string | null>; left: number }> {
    const open = compared.filter(({ values }) => values.decision.action === 'ask' && !settled[values.link.id]);
    if (open.length && ways === 'both')
      throw refused(
        'clash',
        `${count(open.length, 'value needs', 'values need')} a decision.`,
        open.map(({ values }) => ({ field: values.link.field, code: 'clash', message: values.decision.reason })),
      );
    const [definition, settings, row] = await Promise.all([
      this.port.definition(),
      readSettings(this.db),
      this.db.one<{ name: string | null }>('SELECT c.name FROM files f LEFT JOIN classes c ON c.id = f.class_id WHERE f.id = $1', [file.id]),
    ]);
    const standIns = compileStandIns(settings.standIns);
    const lines: Line[] = [];
    const record: Record<string, string | null> = {};
    const wrong: { field: string; code: string; message: string }[] = [];
    for (const { values, side } of compared) {
      const { link, decision } = values;
      const action = decision.action !== 'ask' ? decision.action : settled[link.id] === 'file' ? 'in' : settled[link.id] === 'record' ? 'out' : 'stays';
      if (action === 'in' && ways !== 'out') {
        const refusal = whyNotTaken(definition, link.field, file.kind, side.text);
        if (refusal === null) record[link.field] = side.text;
        else
          wrong.push({
            field: link.field,
            code: definition.fields.some((field) => field.name === link.field) ? 'bad-file-value' : 'unknown-field',
            message: refusal,
          });
      }
      if (action === 'out' && ways !== 'in') {
        const refusal = whyNotWritten(side, values.record, row?.name ?? null, standIns);
        if (refusal !== null) wrong.push({ field: link.field, code: 'bad-record-value', message: refusal });
        else
          for (const { address, held } of side.targets)
            lines.push({
              address,
              base: held,
              proposed: proposedOf(side, values.record, row?.name ?? null, standIns),
              reason: `vault field ${link.field}`,
              follows: false,
            });
      }
    }
    if (wrong.length)
      throw refused(
        'cannot-pass',
        `${file.path}: ${wrong[0]!.message}${wrong.length > 1 ? `, and ${wrong.length - 1} more` : ''}. Nothing was changed.`,
        wrong,
      );
    return { lines, record, left: ways === 'both' ? 0 : open.length };
  }

  /** Stores agreed values. */
  private async agree(file: number, compared: readonly { values: LinkValues }[]): Promise<void> {
    const list = compared
      .filter(({ values }) => values.decision.action === 'equal')
      .map(({ values: { link, file: value } }) => ({ link: link.id, value, field: link.field, leads: link.at }));
    await this.db.run(
      `INSERT INTO agreed_values (link_id, file_id, value, at, field, leads_to)
       SELECT link, $2, value, $3, field, leads
       FROM jsonb_to_recordset($1::jsonb) AS n(link int, value text, field text, leads jsonb)
       ON CONFLICT (link_id, file_id) DO UPDATE SET value = excluded.value, at = excluded.at, field = excluded.field, leads_to = excluded.leads_to`,
      [asRecordset(list), file, this.clock()],
    );
  }
}

/** A record's text as a file value, with the usual checks. */
const written = (side: Side, text: string | null, className: string | null, standIns: StandIns) =>
  side.property ? checkProposed(text ?? '', forClass(side.property, className), standIns) : null;

/** Why a record's text cannot be written into the file; `null` if it can. */
function whyNotWritten(side: Side, text: string | null, className: string | null, standIns: StandIns): string | null {
  if (side.targets.length === 0) return 'the file has no place for it';
  const check = written(side, text, className, standIns);
  return check === null || check.ok ? null : `${side.property!.caption} ${check.violations[0]!.message}`;
}

function proposedOf(side: Side, text: string | null, className: string | null, standIns: StandIns): HeldValue | null {
  const check = written(side, text, className, standIns);
  if (check?.ok) return check.held;
  return text === null || text === '' ? null : heldText(text);
}
