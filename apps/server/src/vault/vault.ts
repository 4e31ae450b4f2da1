import { EntryStanding, LinkValues, TryValues, VaultFile, VaultState } from '@rule/contract';
import { Link } from '@rule/core/schema';
import { compileStandIns } from '@rule/core/values';
import { VaultDefinition, VaultTableRow, compareVaultTable } from '@rule/core/vault';
import { Libraries } from '../library/library';
import { Db, asRecordset } from '../platform/db';
import { AppError, invalid, notFound } from '../platform/problem';
import { readSettings } from '../platform/settings';
import { FileStore } from '../platform/store';
import { Editions } from '../schema/editions';
import { Properties } from '../schema/properties';
import { recordText } from '../values/linked';
import { Bases } from './bases';
import { CheckIns } from './check-ins';
import { LinkComparisons, written } from './comparisons';
import { VaultLocks } from './locks';
import { settleNewest } from './newest';
import { VaultEntry, VaultPort } from './port';
import { STANDING, UNKNOWN, definitionOf, passOver, pathOf } from './said';

/** The vault as it was last asked, beside the library that is its working copy. */
export class Vault {
  constructor(
    private readonly db: Db,
    private readonly port: VaultPort,
    private readonly links: LinkComparisons,
    private readonly properties: Properties,
    private readonly editions: Editions,
    private readonly libraries: Libraries,
    private readonly locks: VaultLocks,
    private readonly bases: Bases,
    private readonly checkIns: CheckIns,
    private readonly store: FileStore,
    private readonly clock: () => Date,
  ) {}

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
    await this.bases.find().catch(passOver);
    await this.checkIns.settleBegun().catch(passOver);
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
      this.links.inForce(),
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

  /** A file beside its record, as last fetched. */
  async file(id: number): Promise<VaultFile> {
    const file = await this.libraries.file(id);
    const path = await pathOf(this.db, id);
    const row = await this.db.one<EntryStanding & { readonly record: VaultEntry['record'] }>(
      `SELECT ${STANDING}, r.record FROM vault_records r WHERE r.path = $1`,
      [path],
    );
    if (!row) throw new AppError(404, 'not-in-vault', `${file.path} is not in the vault.`);
    return { file, ...row, values: (await this.links.compare(id, file.kind, row)).map(({ values }) => values) };
  }

  /**
   * Outcome of the next check-in for other values and another state, decided by the same function on copies. File values are parsed as in
   * the grid.
   */
  async tryOut(id: number, { state, edits }: TryValues): Promise<LinkValues[]> {
    const file = await this.libraries.file(id);
    const row = await this.db.one<Pick<VaultEntry, 'record'>>('SELECT record FROM vault_records WHERE path = $1', [await pathOf(this.db, id)]);
    if (!row) throw new AppError(404, 'not-in-vault', `${file.path} is not in the vault.`);
    const { states } = await definitionOf(this.db);
    if (!states.includes(state)) throw invalid('no-state', `The vault has no state ${JSON.stringify(state)}. It has: ${states.join(', ')}.`);
    const [links, settings] = await Promise.all([this.links.inForce(), readSettings(this.db)]);
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
    const compared = await this.links.compareAll([{ id, kind: file.kind, record, state }], true, (link, side) => {
      const text = typed.get(link.id);
      if (text === undefined) return side;
      // A file may hold values that could not be typed in Rule.
      const check = written(side, text, file.class, standIns);
      return { ...side, why: null, text: check?.ok ? recordText(check.held, side.property) : text || null };
    });
    return compared.get(id)!.map(({ values }) => values);
  }

  /** @throws AppError if the vault is known not to have the field */
  async checkField(field: string): Promise<void> {
    const { fields, systemFields } = await definitionOf(this.db);
    const names = [...fields.filter((other) => !other.retired).map((other) => other.name), ...systemFields];
    if (names.length && !names.includes(field)) throw invalid('unknown-field', `The vault has no record field ${field}. It has: ${names.join(', ')}.`);
  }
}
