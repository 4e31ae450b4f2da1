import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { KernelPool } from '../apps/server/src/geometry/geometry';
import { Db } from '../apps/server/src/platform/db';
import { migrate } from '../apps/server/src/platform/migrations';
import { Services, buildServices, storeFolder } from '../apps/server/src/services';
import { WorkPool } from '../apps/server/src/platform/pool';
import { HttpVault } from '../apps/server/src/vault/port';
import pg from 'pg';

const serverUrl = process.env['RULE_BENCH_DATABASE_URL'] ?? '';
if (!serverUrl) throw new Error('RULE_BENCH_DATABASE_URL is not set: measure with npm run bench.');

/** Services on their own database. */
export async function openServices(threads = 2): Promise<{ services: Services; db: Db; data: string; url: string; close: () => Promise<void> }> {
  const name = `rule_bench_${process.pid}_${Math.random().toString(36).slice(2, 7)}`;
  const admin = async (sql: string) => {
    const client = new pg.Client({ connectionString: serverUrl });
    await client.connect();
    await client.query(sql).finally(() => client.end());
  };
  await admin(`CREATE DATABASE ${name}`);
  const url = serverUrl.replace(/\/[^/]*$/, `/${name}`);
  const db = new Db(url);
  await migrate(db.sequelize);
  const data = mkdtempSync(join(tmpdir(), 'rule-bench-'));
  const dist = join(import.meta.dirname, '../apps/server/dist');
  const pool = new WorkPool(join(dist, 'worker.mjs'), { databaseUrl: url, storeRoot: storeFolder(data) }, threads);
  const kernel = new KernelPool(join(dist, 'geometry.mjs'), { databaseUrl: url });
  const services = buildServices({ db, databaseUrl: url, pool, kernel, vaultPort: new HttpVault('http://127.0.0.1:9', 'none', 100), dataFolder: data });
  return {
    services,
    db,
    data,
    url,
    close: async () => {
      await services.applying.recovery.close();
      await kernel.close();
      await pool.close();
      await db.close();
      await admin(`DROP DATABASE ${name} WITH (FORCE)`);
    },
  };
}
