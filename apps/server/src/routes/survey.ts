import { NamesIn } from '@rule/contract/routes';
import { Handlers } from './router';
import { Services } from '../services';
import { sendTable } from './send';

/** Survey, foreign names and clean-up. */
export function surveyHandlers(s: Services): Handlers<NamesIn<'Survey'>> {
  return {
    'GET /survey': ({ query }) => s.surveys.survey(query),
    'GET /survey/remarks': () => s.surveys.remarks(),
    'GET /survey/coverage': ({ query }) => s.surveys.coverage(query),
    'GET /survey/twins': () => s.surveys.twins(),
    'GET /survey/other-names': () => s.surveys.otherNames(),
    'GET /survey/values': ({ query: { name, ...filter } }) => s.surveys.values(name, filter),
    'GET /survey/files': ({ query }) => s.surveys.files(query),
    'GET /survey/masses': () => s.geometries.remarks(),
    'GET /surveys': ({ query }) => s.surveys.kept(query),
    'POST /surveys': ({ user, body: { title, ...filter } }) => s.surveys.keep(user, title, filter),
    'GET /surveys/{survey}/comparison': ({ params }) => s.surveys.compare(params.survey),
    'POST /survey/drafts': ({ body }) => s.surveys.drafts(body.names),
    'POST /survey/table': async ({ user, body, response }) => sendTable(response, await s.sendOuts.survey(user, body), true),
    'GET /survey/learned': () => s.learning.learned(),
    'GET /foreign': () => s.foreign.list(),
    'POST /foreign': ({ body }) => s.foreign.save(null, body),
    'PUT /foreign/{mapping}': ({ params, body }) => s.foreign.save(params.mapping, body),
    'DELETE /foreign/{mapping}': ({ params }) => s.foreign.remove(params.mapping),
    'POST /foreign/preview': ({ body }) => s.foreign.preview(body),
    'POST /foreign/tray': ({ user, body }) => s.foreign.toTray(user, body),
    'POST /clean-up/preview': ({ body }) => s.cleanUps.preview(body),
    'POST /clean-up/tray': ({ user, body }) => s.cleanUps.toTray(user, body),
    'POST /clean-up/copy': ({ user, body }) => s.cleanUps.copy(user, body),
  };
}
