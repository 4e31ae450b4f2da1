import { ChoiceListDraft } from '@rule/core/schema';
import { Sql } from '../platform/db';

/** The company's choice lists. */
export const choiceListsOf = (sql: Sql): Promise<ChoiceListDraft[]> =>
  sql.kept('choice lists', async (own) =>
    (await own.all<{ name: string; content: ChoiceListDraft }>('SELECT name, content FROM choice_lists')).map(({ name, content }) => ({ ...content, name })),
  );
