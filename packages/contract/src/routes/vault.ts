import { CheckInReport, JobStarted, RehearsedFile, VaultFile, VaultState } from '..';
import { checkIn, inVault, rehearseRun, vaultRun } from '../checks';
import { RouteTable, json, nothing } from '../route';

/** The vault: links and records. */
export const vaultRoutes = {
  'GET /vault': { summary: "The vault's files, fields and own link table as it last said, and the links", role: 'viewer', answer: json<VaultState>() },
  'POST /vault/refresh': { summary: 'Ask the vault anew', role: 'viewer', answer: json<VaultState>() },
  'PUT /libraries/{library}/vault': { summary: 'Say whether a library stands for the vault', role: 'administrator', body: inVault, answer: nothing },
  'GET /files/{file}/record': {
    summary: 'File, record and last agreed value of every link of a file, and what the next check-in does',
    role: 'viewer',
    answer: json<VaultFile>(),
  },
  'POST /files/{file}/check-in': { summary: 'Check a file in, passing values through its links', role: 'editor', body: checkIn, answer: json<CheckInReport>() },
  'POST /vault/rehearse': {
    summary: 'What checking files in would do, file by file; nothing is written',
    role: 'viewer',
    body: rehearseRun,
    answer: json<RehearsedFile[]>(),
  },
  'POST /vault/runs': { summary: 'Check files in, one after the other', role: 'editor', body: vaultRun, answer: json<JobStarted>() },
} satisfies RouteTable;
