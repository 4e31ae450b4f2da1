import { StandIns } from '../values';
import { JudgeGround } from './judge';
import { ChoiceListDraft, choiceColumn, choicesFor, currentChoices } from './lists';
import { Schema } from './schema';

/** Workflow states that documents have where a company says nothing of its own, in their order (common practice). */
export const DEFAULT_STATES: readonly string[] = ['open', 'in check', 'released'];

/** Makes the ground that schemas are judged on out of the company's stand-ins and choice lists. */
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
export function withChoices(schema: Schema, lists: readonly ChoiceListDraft[]): Schema {
  const choices = new Map(lists.map((list) => [list.name, currentChoices(list)]));
  return {
    ...schema,
    properties: schema.properties.map((property) => (property.list === null ? property : { ...property, choices: choices.get(property.list) ?? [] })),
  };
}
