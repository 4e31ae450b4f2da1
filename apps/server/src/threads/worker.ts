import { workerData } from 'node:worker_threads';
import { Db } from '../platform/db';
import { DiskStore } from '../platform/store';
import * as prepare from './prepare';
import * as found from '@rule/core/survey';
import { Abbreviation, ValueCount } from '@rule/core/survey';
import { LayoutContent } from '@rule/contract';
import * as read from './read';
import * as sending from './send-out';
import * as taking from './take-back';
import * as traying from './tray';
import * as trying from './try';
import { judgeWaiting } from '../values/judgements';

const { databaseUrl, storeRoot } = workerData as { databaseUrl: string; storeRoot: string };
const store = new DiskStore(storeRoot);
let db: Db | undefined;
/** The worker's own connections, one a task, opened when a task first needs one. */
const database = () => (db ??= new Db(databaseUrl, 2));

const tasks = {
  readFiles: read.readFiles,
  hashFiles: read.hashFiles,
  scanFiles: (input: read.ScanInput) => read.scanFiles(input, database()),
  findTwins: ({ names, abbreviations }: { readonly names: readonly string[]; readonly abbreviations: readonly Abbreviation[] }) =>
    Promise.resolve(found.findTwins(names, abbreviations)),
  pictureOf: ({ values, synonyms }: { readonly values: readonly ValueCount[]; readonly synonyms: readonly (readonly string[])[] }) =>
    Promise.resolve(found.pictureOf(values, synonyms)),
  prepareFile: (input: prepare.PrepareInput) => prepare.prepareFile(input, store),
  movedIn: (input: Parameters<typeof prepare.movedIn>[0]) => prepare.movedIn(input, store),
  sendOut: (input: sending.SendOutInput) => sending.sendOut(input, database()),
  countSubjects: ({ content }: { readonly content: LayoutContent }) => sending.countSubjects(database(), content),
  inspectTable: (input: taking.TableInput) => taking.inspectTable(input, database(), store),
  draftColumns: (input: taking.TableInput & { readonly columns: readonly number[] }) => taking.draftColumns(input, database(), store),
  compareTable: (input: taking.CompareInput) => taking.compareTable(input, database(), store),
  resultTable: (input: taking.ResultInput) => taking.resultTable(input, database(), store),
  toTray: (input: traying.TrayInput) => traying.toTray(input, database()),
  judge: ({ only, now }: { readonly only: readonly number[] | null; readonly now: Date }) => judgeWaiting(database(), only, now),
  tryPage: (input: trying.TryPageInput) => trying.tryPage(input, database()),
};

export type Tasks = typeof tasks;
export const {
  readFiles,
  hashFiles,
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
} = tasks;
