import { join } from 'node:path';
import { Boms } from './bom/boms';
import { Applying, Step } from './changes/apply';
import { Trays } from './changes/tray';
import { Exchange } from './exchange/exchange';
import { Libraries } from './library/library';
import { Overviews } from './overview/overview';
import { Db } from './platform/db';
import { DiskStore, FileStore } from './platform/store';
import { Properties } from './schema/properties';
import { TitleBlocks } from './titleblocks/titleblocks';
import { Grid } from './values/grid';
import { VaultPort } from './vault/port';
import { Vault } from './vault/vault';
import { WorkPool } from './threads/pool';

/** What the services are built on. */
export interface Ground {
  readonly db: Db;
  readonly pool: WorkPool;
  readonly vaultPort: VaultPort;
  readonly dataFolder: string;
  readonly clock?: () => Date;
  /** Called between the steps of applying. */
  readonly at?: (step: Step) => Promise<void>;
  readonly store?: FileStore;
}

/** Folder of the kept versions below the data folder. */
export const storeFolder = (dataFolder: string): string => join(dataFolder, 'store');

/** Builds all services. */
export function buildServices({ db, pool, vaultPort, dataFolder, clock = () => new Date(), at, store = new DiskStore(storeFolder(dataFolder)) }: Ground) {
  const properties = new Properties(db);
  const libraries = new Libraries(db, pool, clock, [storeFolder(dataFolder), join(dataFolder, 'postgres'), join(dataFolder, 'tmp')]);
  const grid = new Grid(db, properties);
  const titleBlocks = new TitleBlocks(db, properties, libraries);
  const trays = new Trays(db, properties, titleBlocks, clock);
  const vault: Vault = new Vault(db, vaultPort, properties, libraries, titleBlocks, () => applying, clock);
  const applying = new Applying(db, store, pool, trays, clock, () => vault.refreshLocks(), at);
  const boms = new Boms(db, properties, libraries);
  const exchange = new Exchange(db, pool, properties, trays, clock, join(dataFolder, 'tmp'));
  const overviews = new Overviews(db, properties, titleBlocks, boms, vault, exchange);
  return { db, properties, libraries, grid, titleBlocks, trays, applying, boms, vault, exchange, overviews };
}

export type Services = ReturnType<typeof buildServices>;
