import { setPriority } from 'node:os';
import { workerData } from 'node:worker_threads';
import { findTwins as twinsAmong, pictureOf as pictureOfValues } from '@rule/core/survey';
import * as preparing from './changes/prepare.thread';
import * as sending from './exchange/send-out.thread';
import * as comparing from './exchange/compare.thread';
import * as inspecting from './exchange/inspect.thread';
import * as telling from './exchange/result.thread';
import * as traying from './exchange/tray.thread';
import * as anchoring from './library/anchors.thread';
import * as carrying from './library/carry.thread';
import * as comparingFolders from './library/differences.thread';
import * as reading from './library/read.thread';
import { Db } from './platform/db';
import type { Tasks } from './platform/pool';
import { ThreadStore } from './platform/store';
import * as trying from './rollout/try.thread';
import * as listing from './vault/list.thread';
import { judgeWaiting } from './values/judgements';

// People come first: on Linux this lowers the priority of this thread only, so jobs do not slow down answers on a busy machine.
if (process.platform === 'linux') setPriority(0, 19);

const { databaseUrl, storeRoot } = workerData as { databaseUrl: string; storeRoot: string };
const store = new ThreadStore(storeRoot);
let db: Db | undefined;
/** Database connections of this worker, opened on demand. */
const database = () => (db ??= new Db(databaseUrl, 2, null));

/** All tasks of worker threads. */
const tasks: Tasks = {
  readFiles: reading.readFiles,
  hashFiles: reading.hashFiles,
  findTexts: anchoring.findTexts,
  carryBlock: carrying.carryBlock,
  changeCells: carrying.changeCells,
  findDifferences: (input) => comparingFolders.findDifferences(input, database()),
  scanFiles: (input) => reading.scanFiles(input, database()),
  findTwins: ({ names, abbreviations }) => Promise.resolve(twinsAmong(names, abbreviations)),
  pictureOf: ({ values, synonyms }) => Promise.resolve(pictureOfValues(values, synonyms)),
  prepareFile: (input) => preparing.prepareFile(input, store),
  movedIn: (input) => preparing.movedIn(input, store),
  sendOut: (input) => sending.sendOut(input, database()),
  countSubjects: ({ content }) => sending.countSubjects(database(), content),
  inspectTable: (input) => inspecting.inspectTable(input, database(), store),
  draftColumns: (input) => inspecting.draftColumns(input, database(), store),
  compareTable: (input) => comparing.compareTable(input, database(), store),
  resultTable: (input) => telling.resultTable(input, database(), store),
  toTray: (input) => traying.toTray(input, database()),
  judge: ({ only, now }) => judgeWaiting(database(), only, now),
  tryPage: (input) => trying.tryPage(input, database()),
  readList: (input) => listing.readList(input),
};

// Exported under the names used by the pool.
export const {
  readFiles,
  findTexts,
  carryBlock,
  changeCells,
  hashFiles,
  findDifferences,
  scanFiles,
  findTwins,
  pictureOf,
  prepareFile,
  movedIn,
  sendOut,
  countSubjects,
  inspectTable,
  draftColumns,
  compareTable,
  resultTable,
  toTray,
  judge,
  tryPage,
  readList,
} = tasks;
