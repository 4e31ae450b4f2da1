import { DefinitionView } from '@rule/core/vault';
import {
  CheckInReport,
  JobStarted,
  KeptRehearsal,
  KeptRehearsalView,
  LegacyRow,
  LinkValues,
  Newcomer,
  RecordEditRow,
  RecordPage,
  RecordsStarted,
  RehearsedFile,
  VaultFile,
  VaultState,
} from '..';
import { checkIn, fieldOrder, folderOf, inVault, keepRehearsal, legacyList, recordEdits, recordsQuery, rehearseRun, tryValues, vaultRun } from '../checks';
import { LARGEST_DOCUMENT } from '../media';
import { RouteTable, bytes, json, nothing } from '../route';

/** The vault: links and records. */
export const vaultRoutes = {
  'GET /vault': { summary: "The vault's files, fields and link table as last fetched, and the links", role: 'viewer', answer: json<VaultState>() },
  'POST /vault/refresh': { summary: 'Refresh from the vault', role: 'viewer', answer: json<VaultState>() },
  'PUT /libraries/{library}/vault': { summary: 'Mark a library as a working copy of the vault', role: 'administrator', body: inVault, answer: nothing },
  'GET /files/{file}/record': {
    summary: 'File, record and agreed value of every link of a file, with the outcome of the next check-in',
    role: 'viewer',
    answer: json<VaultFile>(),
  },
  'POST /files/{file}/record/try': {
    summary: 'What the next check-in would do if file and record held other values; nothing is written',
    role: 'viewer',
    body: tryValues,
    answer: json<LinkValues[]>(),
  },
  'POST /files/{file}/check-in': { summary: 'Check a file in, passing values through its links', role: 'editor', body: checkIn, answer: json<CheckInReport>() },
  'POST /vault/rehearse': {
    summary: 'Preview of a check-in, by file; nothing is written',
    role: 'viewer',
    body: rehearseRun,
    answer: json<RehearsedFile[]>(),
  },
  'GET /vault/rehearsals': { summary: 'Kept rehearsals, newest first', role: 'viewer', answer: json<KeptRehearsal[]>() },
  'POST /vault/rehearsals': {
    summary: 'Rehearse a check-in of all files and keep the result as evidence',
    role: 'editor',
    body: keepRehearsal,
    answer: json<KeptRehearsal>(),
  },
  'GET /vault/rehearsals/{rehearsal}': { summary: 'A kept rehearsal with its files', role: 'viewer', answer: json<KeptRehearsalView>() },
  'GET /vault/rehearsals/{rehearsal}/table': {
    summary: 'A kept rehearsal as CSV, one line per file and link',
    role: 'viewer',
    answer: bytes('text/csv'),
  },
  'DELETE /vault/rehearsals/{rehearsal}': { summary: 'Remove a kept rehearsal', role: 'editor', answer: nothing },
  'POST /vault/newcomers': {
    summary: "Files of the vault's library that are not in the vault, with the record that each would get",
    role: 'viewer',
    body: folderOf,
    answer: json<Newcomer[]>(),
  },
  'GET /vault/definition': { summary: "The vault's record fields beside the properties of the draft", role: 'viewer', answer: json<DefinitionView>() },
  'POST /vault/fields': {
    summary: 'Make a record field from a property, or change, rename or retire one',
    role: 'administrator',
    body: fieldOrder,
    answer: json<DefinitionView>(),
  },
  'GET /vault/definition/table': { summary: "What only the vault's administrator can change, as CSV", role: 'viewer', answer: bytes('text/csv') },
  'POST /vault/link-table/correct': {
    summary: "Correct names in the vault's own link table that are nearly right",
    role: 'administrator',
    answer: json<{ corrected: number }>(),
  },
  'GET /vault/records': { summary: 'Records of the vault as last fetched', role: 'viewer', query: recordsQuery, answer: json<RecordPage>() },
  'PUT /vault/records': { summary: 'Change values in records', role: 'editor', body: recordEdits, answer: json<RecordsStarted>() },
  'GET /vault/record-edits': { summary: 'Changes made to records, newest first', role: 'viewer', answer: json<RecordEditRow[]>() },
  'POST /vault/record-edits/{edit}/undo': { summary: 'Undo a change of records', role: 'editor', answer: json<RecordsStarted>() },
  'POST /vault/list-file': {
    summary: 'Headers and rows of a list from elsewhere',
    role: 'editor',
    upload: LARGEST_DOCUMENT,
    answer: json<{ headers: string[]; rows: string[][] }>(),
  },
  'POST /vault/list/preview': {
    summary: 'What a list from elsewhere would change in records, row by row',
    role: 'editor',
    body: legacyList,
    answer: json<LegacyRow[]>(),
  },
  'POST /vault/list': { summary: 'Take a list from elsewhere into records', role: 'editor', body: legacyList, answer: json<RecordsStarted>() },
  'POST /vault/runs': { summary: 'Check in, check out, pass values or bring in many files', role: 'editor', body: vaultRun, answer: json<JobStarted>() },
} satisfies RouteTable;
