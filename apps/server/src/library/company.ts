import { Settings } from '@rule/contract';
import { Db } from '../platform/db';
import { readSettings, writeSettings } from '../platform/settings';
import { matchIdentities } from './identities';
import { judgeStandIns } from './stand-ins';

/** Stores company settings and updates what depends on them, in one transaction. */
export const changeSettings = (db: Db, settings: Settings): Promise<Settings> =>
  db.transaction(async (sql) => {
    const before = await readSettings(sql);
    await writeSettings(sql, settings);
    if (JSON.stringify(before.standIns) !== JSON.stringify(settings.standIns)) await judgeStandIns(sql, settings.standIns);
    await matchIdentities(sql, settings.modelProperty);
    return readSettings(sql);
  });
