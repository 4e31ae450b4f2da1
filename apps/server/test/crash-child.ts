import { APPLY_MODES } from '@rule/contract';
import { STEPS } from '../src/changes/apply';
import { KernelPool } from '../src/geometry/geometry';
import { Db } from '../src/platform/db';
import { buildServices, storeFolder } from '../src/services';
import { HttpVault } from '../src/vault/port';
import { WorkPool } from '../src/platform/pool';

/** Applies a tray and kills its own process at a given step, like a power failure. */
const [databaseUrl, data, vaultUrl, worker, step, mode, user] = process.argv.slice(2) as [string, string, string, string, string, string, string];
const db = new Db(databaseUrl);
const pool = new WorkPool(worker, { databaseUrl, storeRoot: storeFolder(data) }, 1);
const services = buildServices({
  db,
  databaseUrl,
  pool,
  kernel: new KernelPool('', { databaseUrl }),
  vaultPort: new HttpVault(vaultUrl, 'test-token'),
  dataFolder: data,
  at: (reached) => {
    if (reached === STEPS.find((candidate) => candidate === step)) process.kill(process.pid, 'SIGKILL');
    return Promise.resolve();
  },
});
await services.applying.applyTray(
  { id: Number(user), name: '', displayName: '', role: 'administrator' },
  APPLY_MODES.find((candidate) => candidate === mode)!,
  '',
);
process.exit(3);
