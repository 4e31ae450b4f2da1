import { RouteName } from '@rule/contract/routes';
import { bomHandlers } from './bom';
import { changeHandlers } from './changes';
import { exchangeHandlers } from './exchange';
import { jobHandlers } from './jobs';
import { libraryHandlers } from './library';
import { companyHandlers } from './company';
import { AnswerSchemas } from './openapi';
import { Handlers } from './router';
import { projectHandlers } from './projects';
import { listHandlers } from './lists';
import { schemaHandlers } from './schema';
import { Services } from '../services';
import { surveyHandlers } from './survey';
import { titleBlockHandlers } from './title-blocks';
import { peopleHandlers } from './people';
import { sessionHandlers } from './session';
import { valueHandlers } from './values';
import { vaultHandlers } from './vault';

/**
 * Handlers of all routes.
 * @param answers descriptions of answers for the API description
 */
export const handlersOf = (s: Services, answers: AnswerSchemas): Handlers<RouteName> => ({
  ...sessionHandlers(s, answers),
  ...companyHandlers(s),
  ...libraryHandlers(s),
  ...surveyHandlers(s),
  ...schemaHandlers(s),
  ...listHandlers(s),
  ...valueHandlers(s),
  ...projectHandlers(s),
  ...changeHandlers(s),
  ...titleBlockHandlers(s),
  ...bomHandlers(s),
  ...vaultHandlers(s),
  ...exchangeHandlers(s),
  ...jobHandlers(s),
  ...peopleHandlers(s),
});
