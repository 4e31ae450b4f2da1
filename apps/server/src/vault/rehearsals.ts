import { KeptRehearsal, KeptRehearsalView, RehearsedFile } from '@rule/contract';
import { writeCsv } from '@rule/core/exchange';
import { Db } from '../platform/db';
import { notFound, refused } from '../platform/problem';
import { User, mayDecide } from '../users/user';
import { VaultRuns } from './runs';

/** A kept rehearsal without its files. */
const ROW = `r.id, r.title, r.at, r.vault_at AS "vaultAt", r.edition, r.by_name AS "by", coalesce(r.user_id = $1, false) AS mine, jsonb_array_length(r.content) AS files,
  (SELECT count(*)::int FROM jsonb_array_elements(r.content) f WHERE f->>'blocked' IS NOT NULL) AS blocked,
  (SELECT coalesce(sum((f->'counts'->>'ask')::int), 0)::int FROM jsonb_array_elements(r.content) f) AS asks`;

const ACTIONS: Readonly<Record<RehearsedFile['told'][number]['action'], string>> = {
  equal: 'nothing',
  in: 'file to record',
  out: 'record to file',
  ask: 'asks',
  stays: 'stays apart',
};

/** Rehearsals kept as evidence. */
export class KeptRehearsals {
  constructor(
    private readonly db: Db,
    private readonly runs: Pick<VaultRuns, 'rehearse'>,
    private readonly clock: () => Date,
  ) {}

  list(user: Pick<User, 'id'>): Promise<KeptRehearsal[]> {
    return this.db.all<KeptRehearsal>(`SELECT ${ROW} FROM vault_rehearsals r ORDER BY r.id DESC LIMIT 500`, [user.id]);
  }

  /** Rehearses a check-in of all files and stores every differing value. */
  async keep(user: { readonly id: number | null; readonly displayName: string }, title: string): Promise<KeptRehearsal> {
    const rows = await this.runs.rehearse(null, Infinity);
    const row = await this.db.one<{ id: number }>(
      `INSERT INTO vault_rehearsals (title, at, vault_at, edition, user_id, by_name, content)
       SELECT $1, $2, (SELECT at FROM vault_said WHERE at > 'epoch'), (SELECT number FROM editions WHERE state = 'in force'), $3, $4, $5::jsonb RETURNING id`,
      [title, this.clock(), user.id, user.displayName, JSON.stringify(rows).replaceAll('\\u0000', '\\ufffd')],
    );
    return this.get(user, row!.id);
  }

  /** @throws AppError if there is none */
  async get(user: { readonly id: number | null }, id: number): Promise<KeptRehearsalView> {
    const row = await this.db.one<KeptRehearsalView>(`SELECT ${ROW}, r.content AS rows FROM vault_rehearsals r WHERE r.id = $2`, [user.id, id]);
    if (!row) throw notFound(`Rehearsal ${id}`);
    return row;
  }

  /** One line per file and differing value; one line for other files. */
  async table(user: Pick<User, 'id'>, id: number): Promise<{ name: string; text: string }> {
    const kept = await this.get(user, id);
    const lines = kept.rows.flatMap(({ path, kind, state, version, changed, blocked, told }) => {
      const file = [path, kind, state, String(version), changed ? 'yes' : 'no', blocked ?? ''];
      if (told.length === 0) return [[...file, '', '', '', '', '']];
      return told.map((entry) => [...file, entry.field, entry.file ?? '', entry.record ?? '', ACTIONS[entry.action], entry.reason]);
    });
    const headers = ['File', 'Kind', 'State', 'Version', 'Bytes changed', 'Blocked', 'Record field', 'In the file', 'In the record', 'Outcome', 'Reason'];
    return { name: `${kept.title}.csv`, text: writeCsv([headers, ...lines]) };
  }

  /** Removes a rehearsal; only for its owner or an administrator. */
  async remove(user: User, id: number): Promise<void> {
    const row = await this.db.one<{ user: number | null }>('SELECT user_id AS "user" FROM vault_rehearsals WHERE id = $1', [id]);
    if (!row) throw notFound(`Rehearsal ${id}`);
    if (!mayDecide(user, row.user)) throw refused('not-yours', 'Only the person who kept a rehearsal or an administrator can remove it.');
    await this.db.run('DELETE FROM vault_rehearsals WHERE id = $1', [id]);
  }
}
