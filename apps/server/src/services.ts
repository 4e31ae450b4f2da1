import { join } from 'node:path';
import { Boms } from './bom/boms';
import { DrawnLists } from './bom/drawn';
import { KeptBoms } from './bom/kept';
import { BomLayouts } from './bom/layouts';
import { Changes } from './changes/begin';
import { Applying, Step } from './changes/apply';
import { Checks } from './changes/check';
import { Trays } from './changes/tray';
import { Deliveries } from './exchange/deliveries';
import { Layouts } from './exchange/layouts';
import { SendOuts } from './exchange/send-outs';
import { TakeBacks } from './exchange/take-backs';
import { ForeignMappings } from './foreign/foreign';
import { Learning } from './foreign/learned';
import { CleanUps } from './cleanup/cleanup';
import { Geometries, KernelPool } from './geometry/geometry';
import { Jobs } from './jobs/jobs';
import { Classes } from './library/classes';
import { AnchoredTexts } from './titleblocks/anchors';
import { BlockCells } from './titleblocks/block-cells';
import { BlockExchanges } from './titleblocks/exchanges';
import { CarriedBlocks } from './library/carried';
import { Libraries } from './library/library';
import { Scanner } from './library/scan';
import { Uploads } from './library/uploads';
import { Surveys } from './survey/survey';
import { Overviews } from './overview/overview';
import { FileNaming } from './naming/naming';
import { Db } from './platform/db';
import { Projects } from './projects/projects';
import { DiskStore, FileStore } from './platform/store';
import { Derived } from './schema/derive';
import { Editions } from './schema/editions';
import { SchemaDocuments } from './schema/documents';
import { ChoiceLists } from './lists/lists';
import { Properties } from './schema/properties';
import { Rollout } from './rollout/rollout';
import { NumberSeries } from './lists/series';
import { StartFiles } from './startfiles/start-files';
import { Tries } from './rollout/tries';
import { CellTexts } from './titleblocks/cell-texts';
import { CellOwners } from './titleblocks/owners';
import { TitleBlocks } from './titleblocks/titleblocks';
import { Fill } from './values/fill';
import { Finder } from './values/find';
import { Grid } from './values/grid';
import { FileChecks } from './survey/file-checks';
import { Judgements } from './values/judgements';
import { Renewal } from './upkeep/up-to-date';
import { ToDos } from './upkeep/to-dos';
import { SignInAttempts } from './users/attempts';
import { People } from './users/people';
import { Tokens } from './users/tokens';
import { Bases } from './vault/bases';
import { CheckIns } from './vault/check-ins';
import { LinkComparisons } from './vault/comparisons';
import { VaultPort } from './vault/port';
import { VaultLocks } from './vault/locks';
import { Definitions } from './vault/definitions';
import { Records } from './vault/records';
import { KeptRehearsals } from './vault/rehearsals';
import { VaultRuns } from './vault/runs';
import { Vault } from './vault/vault';
import { WorkPool } from './platform/pool';

/** Dependencies of the services. */
export interface Foundation {
  readonly db: Db;
  /** URL of the same database, for listening connections. */
  readonly databaseUrl: string;
  readonly pool: WorkPool;
  readonly kernel: KernelPool;
  readonly vaultPort: VaultPort;
  readonly dataFolder: string;
  readonly clock?: () => Date;
  /** Called between the steps of applying. */
  readonly at?: (step: Step) => Promise<void>;
  readonly store?: FileStore;
  /** Receives errors outside requests. */
  readonly warn?: (problem: unknown) => void;
}

/** Folder of stored versions. */
export const storeFolder = (dataFolder: string): string => join(dataFolder, 'store');

/** Builds all services. */
export function buildServices({
  db,
  databaseUrl,
  pool,
  kernel,
  vaultPort,
  dataFolder,
  clock = () => new Date(),
  at,
  store = new DiskStore(storeFolder(dataFolder)),
  warn = () => undefined,
}: Foundation) {
  const properties = new Properties();
  const editions = new Editions(db, clock);
  const derived = new Derived(clock);
  const jobs = new Jobs(db, databaseUrl, clock, warn);
  const uploadFolder = join(dataFolder, 'uploads');
  const own = [storeFolder(dataFolder), uploadFolder, join(dataFolder, 'postgres'), join(dataFolder, 'tmp')];
  const libraries = new Libraries(db, uploadFolder, own);
  const scanner = new Scanner(db, pool, clock);
  const geometries = new Geometries(db, kernel, jobs);
  const classes = new Classes(db, scanner);
  const uploads = new Uploads(db, store, join(dataFolder, 'tmp'));
  const surveys = new Surveys(db, pool, libraries, properties, clock);
  const finder = new Finder(db, properties);
  const judgements = new Judgements(db, pool, clock);
  const grid = new Grid(db, properties, judgements);
  const cellTexts = new CellTexts(clock);
  const cellOwners = new CellOwners(db, properties, editions, judgements);
  const titleBlocks = new TitleBlocks(db, properties, editions, libraries, judgements, cellOwners, clock);
  const trays = new Trays(db, properties, cellTexts, editions, derived, clock);
  const lists = new ChoiceLists(db, properties, trays, own, clock);
  const series = new NumberSeries(db, properties, trays, clock);
  const rollout = new Rollout(db, editions, trays, clock);
  const startFiles = new StartFiles(db, editions, derived, trays, join(dataFolder, 'start-files'), own, clock);
  const fileNaming = new FileNaming(db, derived, trays, scanner, pool, store);
  const fill = new Fill(db, editions, clock);
  const projects = new Projects(db, derived, trays);
  const toDos = new ToDos(db, derived, trays);
  const renewal = new Renewal(db, derived, judgements, trays);
  const fileChecks = new FileChecks(db, judgements);
  const tries = new Tries(db, pool, jobs, editions, trays, clock);
  const documents = new SchemaDocuments(db, editions, clock);
  const vaultLocks = new VaultLocks(db, vaultPort);
  const applying = new Applying(db, store, pool, trays, clock, vaultLocks, at, warn);
  const links = new LinkComparisons(db, properties, editions, judgements, clock);
  const bases = new Bases(db, vaultPort, store);
  const checkIns = new CheckIns(db, vaultPort, links, libraries, cellTexts, vaultLocks, applying, bases, clock);
  const vault = new Vault(db, vaultPort, links, properties, editions, libraries, vaultLocks, bases, checkIns, store, clock);
  const vaultRuns = new VaultRuns(db, vault, links, checkIns, bases, jobs, (context) => scanner.rescan(context));
  const definitions = new Definitions(db, vaultPort, editions, vault);
  const records = new Records(db, vaultPort, links, properties, vaultLocks, pool, jobs, clock);
  const keptRehearsals = new KeptRehearsals(db, vaultRuns, clock);
  const changes = new Changes(jobs, geometries);
  const cleanUps = new CleanUps(db, properties, trays, vaultLocks);
  const foreign = new ForeignMappings(db, properties, surveys, trays, vaultLocks);
  const learning = new Learning(db, pool, properties, titleBlocks);
  const checks = new Checks(db, pool);
  const tokens = new Tokens(db, clock);
  const people = new People(db);
  const attempts = new SignInAttempts(db, clock);
  const bomLayouts = new BomLayouts(db, properties);
  const boms = new Boms(db, properties, libraries, judgements, trays, bomLayouts);
  const carriedBlocks = new CarriedBlocks(db, pool);
  const drawnLists = new DrawnLists(db, boms, trays, carriedBlocks);
  const blockCells = new BlockCells(db, editions, carriedBlocks);
  const anchoredTexts = new AnchoredTexts(db, pool);
  const blockExchanges = new BlockExchanges(db, editions, carriedBlocks);
  const keptBoms = new KeptBoms(db, boms, bomLayouts, libraries, clock);
  const layouts = new Layouts(db, properties);
  const sendOuts = new SendOuts(db, pool, jobs, properties, surveys, editions, judgements, clock, join(dataFolder, 'send-outs'), (user, assembly, layout) =>
    boms.places({ id: user }, assembly, layout),
  );
  const takeBacks = new TakeBacks(db, pool, jobs, editions, applying, store, clock, join(dataFolder, 'tmp'));
  const deliveries = new Deliveries(db, layouts, sendOuts, takeBacks, [...own, join(dataFolder, 'send-outs')], clock);
  const overviews = new Overviews(db, properties, judgements, titleBlocks, boms, bomLayouts, vault, layouts, sendOuts, toDos);
  jobs.define<{ library: number | null }>('survey', async (context, { library }) => {
    const report = await scanner.rescan(context, library);
    context.progress('judging values', 0, 0);
    await judgements.settle();
    await geometries.startIfNeeded();
    return report;
  });
  jobs.define<{ library: number; archive: string }>('upload', async (context, { library, archive }) => {
    const outcomes = await uploads.unpack(library, archive, context);
    const report = await scanner.rescan(context, library);
    await geometries.startIfNeeded();
    return { outcomes, report };
  });
  return {
    db,
    jobs,
    judgements,
    renewal,
    fileChecks,
    properties,
    editions,
    derived,
    lists,
    series,
    rollout,
    tries,
    documents,
    startFiles,
    toDos,
    projects,
    fill,
    fileNaming,
    libraries,
    scanner,
    geometries,
    classes,
    uploads,
    surveys,
    cleanUps,
    foreign,
    learning,
    tokens,
    people,
    attempts,
    checks,
    grid,
    finder,
    titleBlocks,
    cellOwners,
    trays,
    applying,
    changes,
    boms,
    drawnLists,
    blockCells,
    anchoredTexts,
    blockExchanges,
    bomLayouts,
    keptBoms,
    vault,
    checkIns,
    vaultRuns,
    definitions,
    records,
    keptRehearsals,
    vaultLocks,
    layouts,
    sendOuts,
    takeBacks,
    deliveries,
    overviews,
  };
}

export type Services = ReturnType<typeof buildServices>;
