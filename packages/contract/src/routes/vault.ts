import { CheckInReport, JobStarted, KeptRehearsal, KeptRehearsalView, RehearsedFile, VaultFile, VaultState } from '..';
import { checkIn, inVault, keepRehearsal, rehearseRun, vaultRun } from '../checks';
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
  'POST /vault/runs': { summary: 'Check in many files', role: 'editor', body: vaultRun, answer: json<JobStarted>() },
} satisfies RouteTable;
