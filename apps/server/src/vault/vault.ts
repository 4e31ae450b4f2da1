import { count } from '@rule/core/words';
import { createHash } from 'node:crypto';
import { join } from 'node:path';
import { CheckIn, CheckInReport, FileRow, LinkRow, LinkValues, VaultFile, VaultState } from '@rule/contract';
import { Line } from '@rule/core/changes';
import { Link, Property, checkProposed, forClass, linkSlot, sameDefinition } from '@rule/core/schema';
import { HeldValue, StandIns, compileStandIns, heldText } from '@rule/core/values';
import { VaultTableRow, compareVaultTable, decide } from '@rule/core/vault';
import { Applying } from '../changes/apply';
import { Libraries } from '../library/library';
import { Db, asRecordset } from '../platform/db';
import { readPlain } from '../platform/plain-file';
import { readSettings } from '../platform/settings';
import { AppError, invalid, notFound, refused } from '../platform/problem';
import { Editions } from '../schema/editions';
import { Properties } from '../schema/properties';
import { CellTexts } from '../titleblocks/cell-texts';
import { User } from '../users/user';
import { heldAt, valuesFor } from '../values/held';
import { recordText } from '../values/linked';
import { Judgements } from '../values/judgements';
import { VaultLocks } from './locks';
import { VaultEntry, VaultPort } from './port';

/** One link of a file: its three values, what the file holds to the letter, and the property that it leads to. */
export interface Compared {
  readonly values: LinkValues;
  readonly held: HeldValue | null;
  readonly property: Property | null;
}

/** Links between record fields and file addresses, and check-in through them. */
export class Vault {
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
    private readonly clock: () => Date,
  ) {}

  /** The links of the edition in force, with where they lead. One whose property is not there leads nowhere, and is not among them. */
  async links(): Promise<LinkRow[]> {
    const [{ schema }, list] = await Promise.all([this.editions.inForce(this.db), this.properties.list(this.db)]);
    const byId = new Map(list.map((property) => [property.id, property]));
    return schema.links.flatMap((link): LinkRow[] => {
      const slot = linkSlot(link, byId);
      return slot === null || slot.place === 'cell' ? [] : [{ ...link, place: slot.place, name: slot.name }];
    });
  }

  /** Says whether a library stands for the vault. One does at most; its files are the vault's, path by path. */
  async stand(library: number, inVault: boolean): Promise<void> {
    if (!(await this.db.one('SELECT 1 FROM libraries WHERE id = $1', [library]))) throw notFound(`Library ${library}`);
    await this.db.run('UPDATE libraries SET in_vault = (id = $1 AND $2) WHERE in_vault <> (id = $1 AND $2)', [library, inVault]);
    await this.refresh();
  }

  /** Asks the vault for all that looks need, and keeps it. Where it does not answer, what it said last goes on to count, and the reason is kept. */
  async refresh(): Promise<void> {
    try {
      const [fields, table, entries] = await Promise.all([this.port.fields(), this.port.table(), this.port.entries()]);
      await this.locks.store(entries);
      await this.db.run(
        `INSERT INTO vault_said VALUES (1, $1, $2::jsonb, $3::jsonb, NULL) ON CONFLICT (id) DO UPDATE SET at = excluded.at, fields = excluded.fields, link_table = excluded.link_table, problem = NULL`,
        [this.clock(), JSON.stringify(fields), JSON.stringify(table)],
      );
    } catch (error) {
      if (!(error instanceof AppError)) throw error;
      await this.db.run(`INSERT INTO vault_said VALUES (1, 'epoch', '[]', '[]', $1) ON CONFLICT (id) DO UPDATE SET problem = excluded.problem`, [
        error.message,
      ]);
    }
  }

  /** How the vault stands to the library, as it last said. */
  async state(): Promise<VaultState> {
    const [said, links, { links: drafted }, properties, libraries, files] = await Promise.all([
      this.db.one<{ at: string; known: boolean; fields: string[]; table: VaultTableRow[]; problem: string | null }>(
        `SELECT at, at > 'epoch' AS known, fields, link_table AS "table", problem FROM vault_said`,
      ),
      this.links(),
      this.editions.draftSchema(),
      this.properties.list(this.db),
      this.db.all<VaultState['libraries'][number]>('SELECT id, name, in_vault AS "inVault" FROM libraries ORDER BY name'),
      this.db.all<VaultState['files'][number]>(
        `SELECT f.id AS file, f.path, f.kind, r.state, r.version, r.checked_out_by AS "checkedOutBy" FROM vault_records r
         JOIN files f ON f.path = r.path AND NOT f.removed JOIN libraries l ON l.id = f.library_id AND l.in_vault ORDER BY f.path`,
      ),
    ]);
    return {
      problem: said?.problem ?? (said ? null : 'The vault has not been asked yet.'),
      at: said?.known ? said.at : null,
      libraries,
      fields: said?.fields ?? [],
      links,
      drafted,
      table: compareVaultTable(
        said?.table ?? [],
        properties.filter((property) => !property.retired).map((property) => property.writtenName),
      ),
      files,
    };
  }

  /** The entry of a file, by the library that stands for the vault. @throws AppError for a file that is not the vault's */
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

  /** A file beside its record, as the vault last said it. */
  async file(id: number): Promise<VaultFile> {
    const file = await this.libraries.file(id);
    const path = await this.path(id);
    const entry = await this.db.one<VaultEntry>(
      'SELECT entry_id AS id, path, version, hash, state, checked_out_by AS "checkedOutBy", record FROM vault_records WHERE path = $1',
      [path],
    );
    if (!entry) throw new AppError(404, 'not-in-vault', `${file.path} is not in the vault.`);
    return {
      file,
      version: entry.version,
      state: entry.state,
      checkedOutBy: entry.checkedOutBy,
      values: (await this.compare(id, file.kind, entry)).map(({ values }) => values),
    };
  }

  /** The links of one file with their three values, and what the file holds to the letter. */
  private async compare(id: number, kind: Link['kind'], entry: VaultEntry): Promise<readonly Compared[]> {
    return (await this.compareAll([{ id, kind, record: entry.record }])).get(id)!;
  }

  /**
   * The same for many files, with a number of statements that does not depend on theirs.
   * @param exactly whether it is wanted what files hold to the letter, where what the grid shows of them is enough to decide
   */
  async compareAll(
    files: readonly { readonly id: number; readonly kind: Link['kind']; readonly record: VaultEntry['record'] }[],
    exactly = true,
  ): Promise<ReadonlyMap<number, readonly Compared[]>> {
    const links = await this.links();
    const byId = new Map((await this.properties.list(this.db)).map((property) => [property.id, property]));
    const ids = files.map((file) => file.id);
    await this.judgements.settle(ids);
    const asked = files.flatMap((file) => links.filter((link) => link.kind === file.kind).map((link) => ({ file, link })));
    const letters = asked.filter(({ link }) => exactly || !('property' in link.at));
    const [held, values, agreements] = await Promise.all([
      heldAt(
        this.db,
        letters.map(({ file, link: { place, name } }) => ({ file: file.id, holder: '', place, name })),
      ),
      valuesFor(this.db, ids, byId.values()),
      this.db.all<{ file: number; link: number; value: string | null; field: string; at: Link['at'] }>(
        'SELECT file_id AS file, link_id AS link, value, field, leads_to AS at FROM agreed_values WHERE file_id = ANY($1::int[])',
        [ids],
      ),
    ]);
    // What was agreed on for another field or another address says nothing of this one.
    const holds = new Map(links.map((link) => [link.id, link]));
    const agreed = new Map(
      agreements
        .filter(({ link, field, at }) => holds.get(link)?.field === field && sameDefinition(holds.get(link)!.at, at))
        .map((row) => [`${row.file}/${row.link}`, row.value]),
    );
    const toTheLetter = new Map(letters.map((entry, i) => [entry, held[i]!]));
    const compared = new Map<number, Compared[]>(ids.map((id) => [id, []]));
    for (const entry of asked) {
      const { file, link } = entry;
      const own = toTheLetter.get(entry) ?? null;
      const property = 'property' in link.at ? byId.get(link.at.property)! : null;
      // A property says what the grid shows of it: also one that is under a known spelling, or is worked out.
      const text = recordText(property ? (values.get(file.id)?.[property.id] ?? null) : own, property);
      const record = file.record[link.field] ?? null;
      const last = agreed.get(`${file.id}/${link.id}`);
      compared.get(file.id)!.push({
        values: { link, file: text, record, ...(last === undefined ? {} : { agreed: last }), decision: decide(link, text, record, last) },
        held: own,
        property,
      });
    }
    return compared;
  }

  /** @throws AppError for a field that the vault, as far as it is known, does not have */
  async checkField(field: string): Promise<void> {
    const said = await this.db.one<{ fields: string[] }>(`SELECT fields FROM vault_said WHERE at > 'epoch'`);
    if (said && !said.fields.includes(field)) throw invalid('unknown-field', `The vault has no record field ${field}. It has: ${said.fields.join(', ')}.`);
  }

  /**
   * The file's bytes, if they are what Rule read and are made from the vault's newest version: whatever is checked in, its values are those
   * that were compared, and nobody's version is written over unseen.
   * @param over a version that the person knowingly replaces
   */
  private async bytesToCheckIn(id: number, path: string, entry: VaultEntry, over: number | undefined): Promise<Buffer> {
    const row = (await this.db.one<{ root: string; hash: string; base: number | null }>(
      'SELECT l.root, f.hash, (SELECT b.version FROM vault_bases b WHERE b.file_id = f.id AND b.entry_id = $2) AS base FROM libraries l JOIN files f ON f.library_id = l.id WHERE f.id = $1',
      [id, entry.id],
    ))!;
    const bytes = await readPlain(join(row.root, path));
    if (createHash('sha256').update(bytes).digest('hex') !== row.hash)
      throw refused('changed-on-disk', `${path} was changed on disk after Rule read it. Read the library again, then check in.`);
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
   * Checks a file in: passes values through its links both ways, as decided and settled. All that can be refused is refused before anything
   * is written; the file is checked out first, so that nobody comes between, and what the vault refuses leaves file and record as they were.
   */
  async checkIn(user: User, id: number, { settled, over }: CheckIn): Promise<CheckInReport> {
    const file = await this.libraries.file(id);
    const path = await this.path(id);
    const entry = await this.entry(path);
    await this.bytesToCheckIn(id, path, entry, over);
    const compared = await this.compare(id, file.kind, entry);
    const { lines, record } = await this.passing(file, compared, settled);
    const out = await this.port.checkOut(entry.id);
    try {
      if (out.version !== entry.version) throw refused('newer-in-vault', `Someone checked in version ${out.version} of ${path} in the meantime. Try again.`);
      let changeSet: number | null = null;
      if (lines.length) {
        const report = await this.applying.applyLines(user, `check-in of ${file.name}`, [...lines, ...(await this.texts.following(this.db, lines))]);
        if (report.state !== 'applied') throw refused('not-applied', `${file.path}: ${report.failures[0]?.message ?? 'the values could not be written'}`);
        changeSet = report.changeSet;
      }
      // Rule itself may have written it since; someone else may not.
      const bytes = await this.bytesToCheckIn(id, path, entry, entry.version);
      const after = await this.port.checkIn(
        entry.id,
        bytes,
        changeSet === null ? `Checked in by ${user.displayName} with Rule` : `Checked in by ${user.displayName} with Rule, change set ${changeSet}`,
        record,
      );
      await this.agree(id, await this.compare(id, file.kind, after));
      await this.locks.note(after);
      await this.db.run(
        'INSERT INTO vault_bases VALUES ($1, $2, $3) ON CONFLICT (file_id) DO UPDATE SET entry_id = excluded.entry_id, version = excluded.version',
        [id, after.id, after.version],
      );
      return { version: after.version, recordChanges: Object.keys(record).length, fileChanges: lines.length, changeSet };
    } catch (error) {
      await this.port.undoCheckOut(entry.id).catch(() => undefined);
      throw error;
    }
  }

  /** What passes from file to record and from record to file, each value checked for where it goes. @throws AppError with what cannot pass */
  private async passing(
    file: FileRow,
    compared: readonly Compared[],
    settled: CheckIn['settled'],
  ): Promise<{ lines: Line[]; record: Record<string, string | null> }> {
    const open = compared.filter(({ values }) => values.decision.action === 'ask' && !settled[values.link.id]);
    if (open.length)
      throw refused(
        'clash',
        `${count(open.length, 'value needs', 'values need')} a decision.`,
        open.map(({ values }) => ({ field: values.link.field, code: 'clash', message: values.decision.reason })),
      );
    const [fields, settings, row] = await Promise.all([
      this.port.fields(),
      readSettings(this.db),
      this.db.one<{ name: string | null }>('SELECT c.name FROM files f LEFT JOIN classes c ON c.id = f.class_id WHERE f.id = $1', [file.id]),
    ]);
    const known = new Set(fields);
    const standIns = compileStandIns(settings.standIns);
    const lines: Line[] = [];
    const record: Record<string, string | null> = {};
    const wrong: { field: string; code: string; message: string }[] = [];
    for (const { values, held, property } of compared) {
      const { link } = values;
      const action = values.decision.action === 'ask' ? (settled[link.id] === 'file' ? 'in' : 'out') : values.decision.action;
      if (action === 'in') {
        if (known.has(link.field)) record[link.field] = values.file;
        else wrong.push({ field: link.field, code: 'unknown-field', message: `the vault has no record field ${link.field}` });
      }
      if (action === 'out') {
        const proposed = fileValue(values.record, property && forClass(property, row?.name ?? null), standIns);
        if (proposed.ok)
          lines.push({
            address: { file: file.id, holder: '', place: link.place, name: link.name },
            base: held,
            proposed: proposed.held,
            reason: `vault field ${link.field}`,
            follows: false,
          });
        else wrong.push({ field: link.field, code: 'bad-record-value', message: `${property?.caption ?? link.name} ${proposed.problem}` });
      }
    }
    if (wrong.length)
      throw refused(
        'cannot-pass',
        `${file.path}: ${wrong[0]!.message}${wrong.length > 1 ? `, and ${wrong.length - 1} more` : ''}. Nothing was changed.`,
        wrong,
      );
    return { lines, record };
  }

  /** Remembers the values on which file and record agree now. */
  private async agree(file: number, compared: readonly { values: LinkValues }[]): Promise<void> {
    const list = compared
      .filter(({ values }) => values.decision.action === 'equal')
      .map(({ values: { link, file: value } }) => ({ link: link.id, value, field: link.field, leads: link.at }));
    await this.db.run(
      `INSERT INTO agreed_values (link_id, file_id, value, at, field, leads_to) SELECT link, $2, value, $3, field, leads FROM jsonb_to_recordset($1::jsonb) AS n(link int, value text, field text, leads jsonb)
       ON CONFLICT (link_id, file_id) DO UPDATE SET value = excluded.value, at = excluded.at, field = excluded.field, leads_to = excluded.leads_to`,
      [asRecordset(list), file, this.clock()],
    );
  }
}

/** A record's text as the file holds it, by the same checks as what people type; or what is wrong with it. */
function fileValue(
  text: string | null,
  property: Property | null,
  standIns: StandIns,
): { readonly ok: true; readonly held: HeldValue | null } | { readonly ok: false; readonly problem: string } {
  if (!property) return { ok: true, held: text === null || text === '' ? null : heldText(text) };
  const check = checkProposed(text ?? '', property, standIns);
  return check.ok ? { ok: true, held: check.held } : { ok: false, problem: check.violations[0]!.message };
}
