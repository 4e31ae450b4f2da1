import { CheckInReport, LinkRow, VaultFile, VaultState } from '..';
import { checkIn, linkDraft } from '../checks';
import { RouteTable, json, nothing } from '../route';

/** The vault: links and records. */
export const vaultRoutes = {
  'GET /vault': { summary: "The vault's files, fields and own link table, and the links", role: 'viewer', answer: json<VaultState>() },
  'POST /vault/links': { summary: 'Add a link', role: 'administrator', body: linkDraft, answer: json<LinkRow>() },
  'PUT /vault/links/{link}': { summary: 'Change a link', role: 'administrator', body: linkDraft, answer: json<LinkRow>() },
  'DELETE /vault/links/{link}': { summary: 'Remove a link', role: 'administrator', answer: nothing },
  'GET /files/{file}/record': {
    summary: 'File, record and last agreed value of every link of a file, and what the next check-in does',
    role: 'viewer',
    answer: json<VaultFile>(),
  },
  'POST /files/{file}/check-in': { summary: 'Check a file in, passing values through its links', role: 'editor', body: checkIn, answer: json<CheckInReport>() },
} satisfies RouteTable;
