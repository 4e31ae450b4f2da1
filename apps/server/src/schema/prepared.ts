import { ChoiceListDraft, JudgeGround, PreparedSchema, Schema, choiceColumn, choicesFor } from '@rule/core/schema';
import { compileStandIns } from '@rule/core/values';
import { Sql } from '../platform/db';
import { readSettings } from './settings';
import { WORKFLOW_STATES } from './states';

/** What schemas are judged with: stand-ins, choice lists, workflow states and the present instant. */
export async function groundOf(sql: Sql, now: Date): Promise<JudgeGround> {
  const [settings, lists] = await Promise.all([
    readSettings(sql),
    sql.all<{ name: string; content: ChoiceListDraft }>('SELECT name, content FROM choice_lists'),
  ]);
  const byName = new Map(lists.map(({ name, content }) => [name, content]));
  return {
    standIns: compileStandIns(settings.standIns),
    states: WORKFLOW_STATES,
    instant: now.getTime() / 1000,
    lookup: (list, value, column) => {
      const content = byName.get(list);
      const text = content ? choiceColumn(content, value, column) : null;
      // Columns hold texts; one that is a plain number counts as one, so that a density can be multiplied.
      return text === null || text === '' ? null : /^-?\d+(\.\d+)?$/.test(text) && !/^-?0\d/.test(text) ? Number(text) : text;
    },
    narrowed: (list, by) => {
      const content = byName.get(list);
      return content && content.goesWith !== null ? choicesFor(content, by) : null;
    },
  };
}

/** A schema with the choices of its lists filled in. */
export async function withChoices(sql: Sql, schema: Schema): Promise<Schema> {
  const lists = await sql.all<{ name: string; content: ChoiceListDraft }>('SELECT name, content FROM choice_lists');
  const choices = new Map(lists.map(({ name, content }) => [name, content.choices.filter((choice) => !choice.retired).map((choice) => choice.value)]));
  return {
    ...schema,
    properties: schema.properties.map((property) => (property.list === null ? property : { ...property, choices: choices.get(property.list) ?? [] })),
  };
}

/** A schema made ready to judge files as they are now. */
export const prepare = async (sql: Sql, schema: Schema, now: Date): Promise<PreparedSchema> =>
  new PreparedSchema(await withChoices(sql, schema), await groundOf(sql, now));
