import { NamesIn } from '@rule/contract/routes';
import { Handlers } from './router';
import { Services } from '../services';
import { changeSettings } from '../library/company';
import { readSettings } from '../platform/settings';

/** The company as a whole. */
export function companyHandlers(s: Services): Handlers<NamesIn<'Company'>> {
  return {
    'GET /overview': () => s.overviews.overview(),
    'GET /settings': () => readSettings(s.db),
    'PUT /settings': ({ body }) => changeSettings(s.db, body),
  };
}
