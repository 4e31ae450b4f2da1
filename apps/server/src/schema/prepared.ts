import { ChoiceListDraft, JudgeGround, PreparedSchema, Schema, groundOn, withChoices } from '@rule/core/schema';
import { compileStandIns } from '@rule/core/values';
import { Sql } from '../platform/db';
import { readSettings } from './settings';

/** The company's choice lists. */
export const choiceListsOf = async (sql: Sql): Promise<ChoiceListDraft[]> =>
  (await sql.all<{ name: string; content: ChoiceListDraft }>('SELECT name, content FROM choice_lists')).map(({ name, content }) => ({ ...content, name }));

/** What schemas are judged with: stand-ins, choice lists, workflow states and the present instant. */
export async function groundOf(sql: Sql, now: Date): Promise<JudgeGround> {
  const [settings, lists] = await Promise.all([readSettings(sql), choiceListsOf(sql)]);
  return groundOn(compileStandIns(settings.standIns), lists, settings.workflowStates, now.getTime() / 1000);
}

/** A schema made ready to judge files as they are now. */
export const prepare = async (sql: Sql, schema: Schema, now: Date): Promise<PreparedSchema> =>
  new PreparedSchema(withChoices(schema, await choiceListsOf(sql)), await groundOf(sql, now));
