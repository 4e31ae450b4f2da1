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
    }
  }

  /** Keeps what the vault has said of its files. @throws AppError where that cannot be the whole of it */
  async store(entries: readonly VaultEntry[]): Promise<void> {
    // A vault that has lost all of its files is out of order; what it kept locked stays locked.
    if (entries.length === 0 && (await this.db.one('SELECT 1 FROM files WHERE workflow_state IS NOT NULL AND NOT removed LIMIT 1')))
      throw vaultProblem('The vault says that it holds no files at all. What was last known of it stays in force.');
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
    await this.db.run(
      `UPDATE files f SET lock_reason = n.lock, workflow_state = n.state
       FROM (SELECT f2.id, l.lock, l.state FROM files f2 LEFT JOIN jsonb_to_recordset($1::jsonb) AS l(path text, lock text, state text) ON l.path = f2.path) n
       WHERE f.id = n.id AND (f.lock_reason, f.workflow_state) IS DISTINCT FROM (n.lock, n.state)`,
      [asRecordset(locks)],
    );
  }
}
