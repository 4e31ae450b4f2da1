import { StandIns } from '../values';
import { JudgeGround } from './facts';
import { ChoiceListDraft, choiceColumn, choicesFor, currentChoices } from './lists';
import { Schema } from './schema';

/** Default workflow states, in order (common practice). */
export const DEFAULT_STATES: readonly string[] = ['open', 'in check', 'released'];

/** Builds the judging context from stand-ins and choice lists. */
export function groundOn(
  standIns: StandIns,
  lists: readonly ChoiceListDraft[],
  states: readonly string[],
  /** Seconds since 1970-01-01 UTC. */
  instant: number,
): JudgeGround {
  const byName = new Map(lists.map((list) => [list.name, list]));
  return {
    standIns,
    states,
    instant,
    lookup: (list, value, column) => {
      const content = byName.get(list);
      const text = content ? choiceColumn(content, value, column) : null;
      // Columns hold texts; plain numbers are treated as numbers, so a density can be multiplied.
      return text === null || text === '' ? null : /^-?\d+(\.\d+)?$/.test(text) && !/^-?0\d/.test(text) ? Number(text) : text;
    },
    narrowed: (list, by) => {
      const content = byName.get(list);
      return content && content.goesWith !== null ? choicesFor(content, by) : null;
    },
  };
}

/** A schema with list choices resolved. */
export function withChoices(schema: Schema, lists: readonly ChoiceListDraft[]): Schema {
  const choices = new Map(lists.map((list) => [list.name, currentChoices(list)]));
  return {
    ...schema,
    properties: schema.properties.map((property) => (property.list === null ? property : { ...property, choices: choices.get(property.list) ?? [] })),
  };
}
