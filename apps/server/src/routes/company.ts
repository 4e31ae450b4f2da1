import { NamesIn } from '@rule/contract/routes';
import { Handlers } from './router';
import { Services } from '../services';
import { judgeStandIns } from '../library/stand-ins';
import { readSettings, writeSettings } from '../platform/settings';

/** The company as a whole. */
export function companyHandlers(s: Services): Handlers<NamesIn<'Company'>> {
  return {
    'GET /overview': () => s.overviews.overview(),
    'GET /settings': () => readSettings(s.db),
    'PUT /settings': async ({ body }) => {
      const before = await readSettings(s.db);
      await writeSettings(s.db, body);
      if (JSON.stringify(before.standIns) !== JSON.stringify(body.standIns)) await judgeStandIns(s.db, body.standIns);
      await s.libraries.rematch();
      return readSettings(s.db);
    },
  };
}
