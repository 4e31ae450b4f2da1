import { count } from '@rule/core/words';
import { join } from 'node:path';
import { CheckInReport, LinkRow, LinkValues, VaultFile, VaultState } from '@rule/contract';
import { Line } from '@rule/core/changes';
import { Link, Property, linkSlot } from '@rule/core/schema';
import { HeldValue, heldText, holdValue, parseText } from '@rule/core/values';
import { VaultTableRow, compareVaultTable, decide } from '@rule/core/vault';
import { Applying } from '../changes/apply';
import { Libraries } from '../library/library';
import { Db, asRecordset } from '../platform/db';
import { readPlain } from '../platform/plain-file';
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
    if (row && !row.inVault) throw new AppError(404, 'not-in-vault', `${row.path} stands in the library ${row.library}, which does not stand for the vault.`);
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
      'SELECT entry_id AS id, path, version, state, checked_out_by AS "checkedOutBy", record FROM vault_records WHERE path = $1',
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
  private async compare(
    id: number,
    kind: Link['kind'],
    entry: VaultEntry,
  ): Promise<{ values: LinkValues; held: HeldValue | null; property: Property | null }[]> {
    const links = (await this.links()).filter((link) => link.kind === kind);
    const byId = new Map((await this.properties.list(this.db)).map((property) => [property.id, property]));
    await this.judgements.settle([id]);
    const [held, values, agreements] = await Promise.all([
      heldAt(
        this.db,
        links.map(({ place, name }) => ({ file: id, holder: '', place, name })),
      ),
      valuesFor(this.db, [id], byId.values()),
      this.db.all<{ link: number; value: string | null }>('SELECT link_id AS link, value FROM agreed_values WHERE file_id = $1', [id]),
    ]);
    const agreed = new Map(agreements.map((row) => [row.link, row.value]));
    return links.map((link, i) => {
      const property = 'property' in link.at ? byId.get(link.at.property)! : null;
      // A property says what the grid shows of it: also one that stands under a known spelling, or is worked out.
      const file = recordText(property ? (values.get(id)?.[property.id] ?? null) : held[i]!, property);
      const record = entry.record[link.field] ?? null;
      const last = agreed.get(link.id);
      return {
        values: { link, file, record, ...(last === undefined ? {} : { agreed: last }), decision: decide(link, file, record, last) },
        held: held[i]!,
        property,
      };
    });
  }

  /**
   * Checks a file in: passes values through its links both ways, as decided and settled. The file is checked
   * out first, so that nobody comes between; what the vault refuses leaves file and record as they were.
   */
  async checkIn(user: User, id: number, settled: Readonly<Record<string, 'file' | 'record'>>): Promise<CheckInReport> {
    const file = await this.libraries.file(id);
    const entry = await this.entry(await this.path(id));
    const compared = await this.compare(id, file.kind, entry);
    const open = compared.filter(({ values }) => values.decision.action === 'ask' && !settled[values.link.id]);
    if (open.length)
      throw refused(
        'clash',
        `${count(open.length, 'value waits', 'values wait')} for a decision.`,
        open.map(({ values }) => ({ field: values.link.field, code: 'clash', message: values.decision.reason })),
      );
    const lines: Line[] = [];
    const record: Record<string, string | null> = {};
    for (const { values, held, property } of compared) {
      const choice = settled[values.link.id];
      const action = values.decision.action === 'ask' ? (choice === 'file' ? 'in' : 'out') : values.decision.action;
      if (action === 'in') record[values.link.field] = values.file;
      if (action === 'out')
        lines.push({
          address: { file: id, holder: '', place: values.link.place, name: values.link.name },
          base: held,
          proposed: fileValue(values.record, values.link, property),
          reason: `vault field ${values.link.field}`,
          follows: false,
        });
    }
    await this.port.checkOut(entry.id);
    try {
      let changeSet: number | null = null;
      if (lines.length) {
        const report = await this.applying.applyLines(user, `check-in of ${file.name}`, [...lines, ...(await this.texts.following(this.db, lines))]);
        if (report.state !== 'applied') throw refused('not-applied', `${file.path}: ${report.failures[0]?.message ?? 'the values could not be written'}`);
        changeSet = report.changeSet;
      }
      const root = await this.db.one<{ root: string }>('SELECT l.root FROM libraries l JOIN files f ON f.library_id = l.id WHERE f.id = $1', [id]);
      const bytes = await readPlain(join(root!.root, file.path));
      const after = await this.port.checkIn(
        entry.id,
        bytes,
        changeSet === null ? `Checked in by ${user.displayName} with Rule` : `Checked in by ${user.displayName} with Rule, change set ${changeSet}`,
        record,
      );
      await this.agree(id, await this.compare(id, file.kind, after));
      await this.locks.note(after);
      return { version: after.version, recordChanges: Object.keys(record).length, fileChanges: lines.length, changeSet };
    } catch (error) {
      await this.port.undoCheckOut(entry.id).catch(() => undefined);
      throw error;
    }
  }

  /** Remembers the values on which file and record agree now. */
  private async agree(file: number, compared: readonly { values: LinkValues }[]): Promise<void> {
    const list = compared.filter(({ values }) => values.decision.action === 'equal').map(({ values }) => ({ link: values.link.id, value: values.file }));
    await this.db.run(
      'INSERT INTO agreed_values SELECT link, $2, value, $3 FROM jsonb_to_recordset($1::jsonb) AS n(link int, value text) ON CONFLICT (link_id, file_id) DO UPDATE SET value = excluded.value, at = excluded.at',
      [asRecordset(list), file, this.clock()],
    );
  }
}

/** A record's text as the file holds it. @throws AppError when it is no value of the property's type */
function fileValue(text: string | null, link: LinkRow, property: Property | null): HeldValue | null {
  if (text === null || text === '') return null;
  if (!property) return heldText(text);
  const parsed = parseText(text, property);
  if (!parsed.ok) throw invalid('bad-record-value', `The record field ${link.field} cannot go into ${property.caption}: ${parsed.problem.message}.`);
  return holdValue(parsed.value, property);
}
