import { count } from '@rule/core/words';
import { BroughtUpToDate, UpToDate } from '@rule/contract';
import { Line } from '@rule/core/changes';
import { sameHeld } from '@rule/core/values';
import { Trays } from '../changes/tray';
import { Db } from '../platform/db';
import { refused } from '../platform/problem';
import { BATCH, Derived, linesOf } from '../schema/derive';
import { loadFacts, surroundingsOf } from '../schema/facts';
import { User } from '../users/user';
import { filterSql } from '../library/filter';
import { Judgements } from '../values/judgements';

/** Values updated at a time. */
const MOST_LINES = 300_000;

/** Updates values from rules, models, sheets and wide holders, for a selection. */
export class Renewal {
  constructor(
    private readonly db: Db,
    private readonly derived: Derived,
    private readonly judgements: Judgements,
    private readonly trays: Trays,
  ) {}

  /** Adds updates of stale values to the tray. Values that would only be emptied stay: that needs a separate decision. */
  async toTray(user: User, { files, filter, properties }: UpToDate): Promise<BroughtUpToDate> {
    await this.judgements.settle(files ?? null);
    const { sql, bind } = filterSql(filter ?? {}, 3);
    const stale = await this.db.all<{ id: number; lock: boolean }>(
      `SELECT f.id, f.lock_reason IS NOT NULL AS lock FROM files f WHERE ${sql} AND ($1::int[] IS NULL OR f.id = ANY($1::int[]))
         AND EXISTS (SELECT 1 FROM findings s WHERE s.file_id = f.id AND s.code = 'stale' AND ($2::int[] IS NULL OR s.property_id = ANY($2::int[])))
         ORDER BY f.id`,
      [files ?? null, properties ?? null, ...bind],
    );
    const free = stale.filter((file) => !file.lock).map((file) => file.id);
    const prepared = await this.derived.prepared(this.db);
    const around = surroundingsOf([prepared]);
    const wanted = properties ? new Set(properties) : null;
    const lines: Line[] = [];
    let blanks = 0;
    for (let at = 0; at < free.length; at += BATCH)
      for (const file of (await loadFacts(this.db, free.slice(at, at + BATCH), around)).values())
        for (const line of linesOf(prepared, file, wanted, (property) => `${property.caption} brought up to date`, false)) {
          if (sameHeld(line.base, line.proposed)) continue;
          if (line.proposed === null || line.proposed.text === '') blanks += line.base === null || line.base.text === '' ? 0 : 1;
          else lines.push(line);
        }
    const barred = stale.length - free.length;
    if (lines.length === 0) {
      const why = [
        barred ? `${count(barred, 'file')} with stale values cannot be changed now` : '',
        blanks ? `${count(blanks, 'value')} would only be cleared` : '',
      ].filter(Boolean);
      throw refused('nothing-to-do', why.length ? `Nothing to bring up to date: ${why.join(', ')}.` : 'All computed values are up to date.');
    }
    if (lines.length > MOST_LINES) throw refused('too-many', `This would change ${lines.length} values at once (up to ${MOST_LINES}).`);
    await this.trays.add(user, lines, 'by rule');
    return { lines: lines.length, barred, blanks };
  }
}
