import { Db, asRecordset } from '../platform/db';
import { refused } from '../platform/problem';
import { FileStore, hashOf } from '../platform/store';
import { Replaced, putNewest } from './newest';
import { VaultEntry, VaultPort } from './port';
import { entryAt, pathOf } from './said';

/** Maximum version lookups per refresh. */
const MOST_ASKED = 200;
const MOST_UNKNOWN = 10_000;

/** The versions of the vault that files are based on. */
export class Bases {
  /** Version lookups already done: entry, newest version and file hash. */
  private readonly answered = new Set<string>();

  constructor(
    private readonly db: Db,
    private readonly port: VaultPort,
    private readonly store: FileStore,
  ) {}

  /**
   * Replaces an unmodified file with the vault's newest version; rescan afterwards.
   * @returns whether there was a newer version
   */
  async getNewest(id: number): Promise<boolean> {
    const path = await pathOf(this.db, id);
    const entry = await entryAt(this.port, path);
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
    await this.note(id, entry);
    return true;
  }

  /** Looks up base versions of modified files, where unknown. */
  async find(): Promise<void> {
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

  /** The file is now based on the entry's version. */
  async note(id: number, { id: entry, version }: Pick<VaultEntry, 'id' | 'version'>): Promise<void> {
    await this.db.run(
      'INSERT INTO vault_bases VALUES ($1, $2, $3) ON CONFLICT (file_id) DO UPDATE SET entry_id = excluded.entry_id, version = excluded.version',
      [id, entry, version],
    );
  }
}
