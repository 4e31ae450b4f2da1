import { Settings } from '@rule/contract';
import { DEFAULT_ABBREVIATIONS, DEFAULT_SYNONYMS } from '@rule/core/survey';
import { DEFAULT_STATES } from '@rule/core/schema';
import { DEFAULT_STAND_INS } from '@rule/core/values';
import { Sql, asRecordset } from './db';

const DEFAULTS: Settings = {
  company: 'My company',
  workflowStates: DEFAULT_STATES,
  standIns: DEFAULT_STAND_INS,
  modelProperty: 'Model',
  massProperty: 'Mass',
  materialProperty: 'Material',
  densities: [],
  abbreviations: DEFAULT_ABBREVIATIONS,
  synonyms: DEFAULT_SYNONYMS,
};

/** Company settings, with defaults. */
export const readSettings = (sql: Sql): Promise<Settings> => sql.kept('settings', look);

async function look(sql: Sql): Promise<Settings> {
  const kept = await sql.all<{ key: string; value: unknown }>('SELECT key, value FROM settings');
  return { ...DEFAULTS, ...(Object.fromEntries(kept.filter(({ key }) => key in DEFAULTS).map(({ key, value }) => [key, value])) as Partial<Settings>) };
}

export async function writeSettings(sql: Sql, settings: Settings): Promise<void> {
  const list = Object.entries(settings).map(([key, value]) => ({ key, value: value as unknown }));
  await sql.run(
    `INSERT INTO settings SELECT key, value FROM jsonb_to_recordset($1::jsonb) AS n(key text, value jsonb) ON CONFLICT (key) DO UPDATE SET value = excluded.value`,
    [asRecordset(list)],
  );
}
