import { Settings } from '@rule/contract';
import { Db } from '../platform/db';
import { readSettings, writeSettings } from '../platform/settings';
import { matchIdentities } from './identities';
import { judgeStandIns } from './stand-ins';

/** Stores the company's settings with what follows from them for files: which values stand in for others, which model a drawing shows. Whole or not at all. */
export const changeSettings = (db: Db, settings: Settings): Promise<Settings> =>
  db.transaction(async (sql) => {
    const before = await readSettings(sql);
    await writeSettings(sql, settings);
    if (JSON.stringify(before.standIns) !== JSON.stringify(settings.standIns)) await judgeStandIns(sql, settings.standIns);
    await matchIdentities(sql, settings.modelProperty);
    return readSettings(sql);
  });
