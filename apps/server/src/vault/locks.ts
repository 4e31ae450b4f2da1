import { Locks } from '../changes/locks';
import { Db, asRecordset } from '../platform/db';
import { AppError } from '../platform/problem';
import { RULE_USER, VaultEntry, VaultPort, vaultProblem } from './port';

/** Stores fetched entries; `$1` is a recordset of {@link rowOf}. */
const KEEP = `INSERT INTO vault_records AS r (entry_id, path, kind, class, version, version_by, version_at, hash, state, state_by, state_at, checked_out_by,
  checked_out_at, record)
  SELECT entry, path, kind, class, version, version_by, version_at, hash, state, state_by, state_at, checked_out_by, checked_out_at, record
  FROM jsonb_to_recordset($1::jsonb) AS n(entry int, path text, kind text, class text, version int, version_by text, version_at timestamptz,
      hash text, state text, state_by text,
    state_at timestamptz, checked_out_by text, checked_out_at timestamptz, record jsonb)
  ON CONFLICT (entry_id) DO UPDATE SET path = excluded.path, kind = excluded.kind, class = excluded.class, version = excluded.version,
    version_by = excluded.version_by,
    version_at = excluded.version_at, hash = excluded.hash, state = excluded.state, state_by = excluded.state_by, state_at = excluded.state_at,
    checked_out_by = excluded.checked_out_by, checked_out_at = excluded.checked_out_at, record = excluded.record`;

const rowOf = (entry: VaultEntry) => ({
  entry: entry.id,
  path: entry.path,
  kind: entry.kind,
  class: entry.class,
  version: entry.version,
  version_by: entry.versionBy,
  version_at: entry.versionAt,
  hash: entry.hash,
  state: entry.state,
  state_by: entry.stateBy,
  state_at: entry.stateAt,
  checked_out_by: entry.checkedOutBy,
  checked_out_at: entry.checkedOutAt,
  record: entry.record,
});

/** Files locked by the vault. */
export class VaultLocks implements Locks {
  constructor(
    private readonly db: Db,
    private readonly port: VaultPort,
  ) {}

  /** Fetches locks from the vault. If it does not answer, the last known state stays in force. */
  async refresh(): Promise<void> {
    try {
      await this.store(await this.port.entries());
    } catch (error) {
      if (!(error instanceof AppError)) throw error;
      await this.db.run('UPDATE vault_said SET problem = $1', [error.message]);
    }
  }

  /**
   * Stores a complete answer of the vault.
   * @throws AppError if it cannot be complete
   */
  async store(entries: readonly VaultEntry[]): Promise<void> {
    // A vault without any files is broken; known locks stay.
    if (entries.length === 0 && (await this.db.one('SELECT 1 FROM files WHERE workflow_state IS NOT NULL AND NOT removed LIMIT 1')))
      throw vaultProblem('The vault reports no files at all. Its last known state stays in force.');
    const locks = entries.map(({ path, state, stateBy, stateAt, checkedOutBy, checkedOutAt }) => ({
      path,
      state,
      lock:
        state === 'released'
          ? 'is released in the vault'
          : checkedOutBy !== null && checkedOutBy !== RULE_USER
            ? `is checked out by ${checkedOutBy} in the vault`
            : null,
      by: state === 'released' && stateBy !== 'vault' ? stateBy : null,
      since: state === 'released' ? stateAt : checkedOutBy !== null && checkedOutBy !== RULE_USER ? checkedOutAt : null,
    }));
    await this.db.transaction(async (sql) => {
      const rows = [asRecordset(entries.map(rowOf))];
      // Unchanged rows are not touched. Paths may have moved between entries, so removed ones are deleted first.
      await sql.run(
        `DELETE FROM vault_records r
          WHERE NOT EXISTS (SELECT 1 FROM jsonb_to_recordset($1::jsonb) AS n(entry int, path text) WHERE n.entry = r.entry_id AND n.path = r.path)`,
        rows,
      );
      await sql.run(
        `${KEEP} WHERE (r.path, r.version, r.state, r.checked_out_by, r.record, r.hash, r.kind, r.class, r.state_at)
           IS DISTINCT FROM (excluded.path, excluded.version, excluded.state, excluded.checked_out_by, excluded.record, excluded.hash,
             excluded.kind, excluded.class, excluded.state_at)`,
        rows,
      );
      // The same path in another library is another file.
      await sql.run(
        `UPDATE files f SET lock_reason = n.lock, lock_by = n.by, lock_since = n.since, workflow_state = n.state
         FROM (SELECT f2.id, l.lock, l.by, l.since, l.state FROM files f2 LEFT JOIN libraries lib ON lib.id = f2.library_id AND lib.in_vault
           LEFT JOIN jsonb_to_recordset($1::jsonb) AS l(path text, lock text, by text, since timestamptz, state text) ON l.path = f2.path
             AND lib.id IS NOT NULL) n
         WHERE f.id = n.id AND (f.lock_reason, f.lock_by, f.lock_since, f.workflow_state) IS DISTINCT FROM (n.lock, n.by, n.since, n.state)`,
        [asRecordset(locks)],
      );
      // A file with the newest version's bytes is based on that version.
      await sql.run(
        `INSERT INTO vault_bases AS b SELECT f.id, r.entry_id, r.version FROM vault_records r
         JOIN files f ON f.path = r.path AND f.hash = r.hash AND NOT f.removed
         JOIN libraries l ON l.id = f.library_id AND l.in_vault
         ON CONFLICT (file_id) DO UPDATE SET entry_id = excluded.entry_id, version = excluded.version
           WHERE (b.entry_id, b.version) IS DISTINCT FROM (excluded.entry_id, excluded.version)`,
      );
    });
  }

  /** Stores entries of some files. */
  async note(...entries: readonly VaultEntry[]): Promise<void> {
    await this.db.run(KEEP, [asRecordset(entries.map(rowOf))]);
  }
}
