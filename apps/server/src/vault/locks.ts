import { Locks } from '../changes/locks';
import { Db, asRecordset } from '../platform/db';
import { AppError } from '../platform/problem';
import { RULE_USER, VaultEntry, VaultPort, vaultProblem } from './port';

/** Which files the vault keeps from being written. */
export class VaultLocks implements Locks {
  constructor(
    private readonly db: Db,
    private readonly port: VaultPort,
  ) {}

  /** Learns from the vault which files are locked. Where it does not answer, what was last known goes on to count. */
  async refresh(): Promise<void> {
    try {
      await this.store(await this.port.entries());
    } catch (error) {
      if (!(error instanceof AppError)) throw error;
      await this.db.run('UPDATE vault_said SET problem = $1', [error.message]);
    }
  }

  /** Keeps what the vault has said of its files. @throws AppError where that cannot be the whole of it */
  async store(entries: readonly VaultEntry[]): Promise<void> {
    // A vault that has lost all of its files is out of order; what it kept locked stays locked.
    if (entries.length === 0 && (await this.db.one('SELECT 1 FROM files WHERE workflow_state IS NOT NULL AND NOT removed LIMIT 1')))
      throw vaultProblem('The vault reports no files at all. Its last known state stays in force.');
    const locks = entries.map(({ path, state, checkedOutBy }) => ({
      path,
      state,
      lock:
        state === 'released'
          ? 'is released in the vault'
          : checkedOutBy !== null && checkedOutBy !== RULE_USER
            ? `is checked out by ${checkedOutBy} in the vault`
            : null,
    }));
    await this.db.transaction(async (sql) => {
      const rows = [asRecordset(entries.map(({ id, checkedOutBy, ...entry }) => ({ ...entry, entry: id, by: checkedOutBy })))];
      // What stays as it is is not touched. A path may have gone over from one entry to another: those that are gone give way first.
      await sql.run(
        `DELETE FROM vault_records r WHERE NOT EXISTS (SELECT 1 FROM jsonb_to_recordset($1::jsonb) AS n(entry int, path text) WHERE n.entry = r.entry_id AND n.path = r.path)`,
        rows,
      );
      await sql.run(
        `INSERT INTO vault_records AS r SELECT entry, path, version, state, by, record, hash FROM jsonb_to_recordset($1::jsonb) AS n(entry int, path text, version int, state text, by text, record jsonb, hash text)
         ON CONFLICT (entry_id) DO UPDATE SET version = excluded.version, state = excluded.state, checked_out_by = excluded.checked_out_by, record = excluded.record, hash = excluded.hash
         WHERE (r.version, r.state, r.checked_out_by, r.record, r.hash) IS DISTINCT FROM (excluded.version, excluded.state, excluded.checked_out_by, excluded.record, excluded.hash)`,
        rows,
      );
      // The same path in another library is another file.
      await sql.run(
        `UPDATE files f SET lock_reason = n.lock, workflow_state = n.state
         FROM (SELECT f2.id, l.lock, l.state FROM files f2 LEFT JOIN libraries lib ON lib.id = f2.library_id AND lib.in_vault
           LEFT JOIN jsonb_to_recordset($1::jsonb) AS l(path text, lock text, state text) ON l.path = f2.path AND lib.id IS NOT NULL) n
         WHERE f.id = n.id AND (f.lock_reason, f.workflow_state) IS DISTINCT FROM (n.lock, n.state)`,
        [asRecordset(locks)],
      );
      // A file whose bytes are those of the newest version is made from it, whatever becomes of it from now on.
      await sql.run(
        `INSERT INTO vault_bases AS b SELECT f.id, r.entry_id, r.version FROM vault_records r JOIN files f ON f.path = r.path AND f.hash = r.hash AND NOT f.removed
         JOIN libraries l ON l.id = f.library_id AND l.in_vault
         ON CONFLICT (file_id) DO UPDATE SET entry_id = excluded.entry_id, version = excluded.version WHERE (b.entry_id, b.version) IS DISTINCT FROM (excluded.entry_id, excluded.version)`,
      );
    });
  }

  /** Keeps what the vault has said of one file. */
  async note({ id, path, version, state, checkedOutBy, record, hash }: VaultEntry): Promise<void> {
    await this.db.run(
      `INSERT INTO vault_records VALUES ($1, $2, $3, $4, $5, $6::jsonb, $7)
       ON CONFLICT (entry_id) DO UPDATE SET path = excluded.path, version = excluded.version, state = excluded.state, checked_out_by = excluded.checked_out_by, record = excluded.record, hash = excluded.hash`,
      [id, path, version, state, checkedOutBy, JSON.stringify(record), hash],
    );
  }
}
