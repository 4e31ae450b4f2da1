import { compileStandIns } from '@rule/core/values';
import { Sql } from '../platform/db';
import { recountAll } from './counts';

/** Re-evaluates stand-ins after the company's list changed, once per distinct text. */
export async function judgeStandIns(sql: Sql, patterns: readonly string[]): Promise<void> {
  const standIns = compileStandIns(patterns);
  const texts = await sql.all<{ text: string }>(`SELECT DISTINCT text FROM held_values WHERE form = 'text' AND text <> ''`);
  const matching = texts.map((row) => row.text).filter((text) => standIns.matches(text));
  await sql.run(`UPDATE held_values SET stand_in = (form = 'text' AND text = ANY($1::text[])) WHERE stand_in <> (form = 'text' AND text = ANY($1::text[]))`, [
    matching,
  ]);
  await recountAll(sql);
}
