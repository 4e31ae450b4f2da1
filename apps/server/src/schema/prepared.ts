import { JudgeGround, PreparedSchema, Schema, groundOn, withChoices } from '@rule/core/schema';
import { compileStandIns } from '@rule/core/values';
import { Sql } from '../platform/db';
import { choiceListsOf } from './choices';
import { inForceOf } from './editions';
import { readSettings } from '../platform/settings';

/** Context for judging: stand-ins, choice lists, workflow states and the time. */
export async function groundOf(sql: Sql, now: Date): Promise<JudgeGround> {
  const [settings, lists] = await Promise.all([readSettings(sql), choiceListsOf(sql)]);
  return groundOn(compileStandIns(settings.standIns), lists, settings.workflowStates, now.getTime() / 1000);
}

/** A schema prepared to judge current files. */
export const prepare = async (sql: Sql, schema: Schema, now: Date): Promise<PreparedSchema> =>
  new PreparedSchema(withChoices(schema, await choiceListsOf(sql)), await groundOf(sql, now));

/** The prepared schema in force, at the current time. One statement unless something changed. */
export async function preparedInForce(sql: Sql, now: Date): Promise<PreparedSchema> {
  const kept = await sql.kept('prepared', async (own) => {
    const [{ schema }, lists, settings] = [await inForceOf(own), await choiceListsOf(own), await readSettings(own)];
    return { schema: withChoices(schema, lists), lists, settings, latest: null as { second: number; prepared: PreparedSchema } | null };
  });
  const second = Math.floor(now.getTime() / 1000);
  if (kept.latest?.second !== second) {
    const { lists, settings } = kept;
    const ground = groundOn(compileStandIns(settings.standIns), lists, settings.workflowStates, now.getTime() / 1000);
    kept.latest = { second, prepared: new PreparedSchema(kept.schema, ground) };
  }
  return kept.latest.prepared.copy();
}
