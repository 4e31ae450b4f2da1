import { InnerLevel } from '@rule/core/schema';
import { BroughtUpToDate, CellReason, CheckPage, FillData, GridGroup, GridPage, GridView, Naming, NamingPlan, ReplacementPreview, ToDo, ValueSetRow } from '..';
import {
  checkQuery,
  copyRequest,
  keepAtHand,
  fileChoice,
  fileFilter,
  gridQuery,
  gridViewDraft,
  groupQuery,
  naming,
  reasonQuery,
  replacementRequest,
  toDoFiles,
  upToDate,
  valueSetDraft,
} from '../checks';
import { RouteTable, json, nothing } from '../route';

/** Values: the grid, forms, checks, names of files. */
export const valuesRoutes = {
  'GET /values/count': { summary: 'Number of files that match a filter', role: 'viewer', query: fileFilter, answer: json<{ files: number }>() },
  'GET /values': { summary: 'A page of the grid of files × properties', role: 'viewer', query: gridQuery, answer: json<GridPage>() },
  'POST /values/find': {
    summary: 'Preview of find and replace',
    role: 'editor',
    body: replacementRequest,
    answer: json<ReplacementPreview>(),
  },
  'GET /values/groups': {
    summary: 'Groups of the grid with file counts',
    role: 'viewer',
    query: groupQuery,
    needs: ['group'] as const,
    answer: json<GridGroup[]>(),
  },
  'GET /files/{file}/why': {
    summary: 'Why a value is as it is: author, rule, inheritance, staleness, violations',
    role: 'viewer',
    query: reasonQuery,
    needs: ['property'] as const,
    answer: json<CellReason>(),
  },
  'GET /values/views': { summary: 'Views of the grid: your own, and those that are shared', role: 'viewer', answer: json<GridView[]>() },
  'POST /values/views': { summary: 'Keep a view of the grid under a name', role: 'viewer', body: gridViewDraft, answer: json<GridView[]>() },
  'DELETE /values/views/{view}': { summary: 'Remove a view of your own', role: 'viewer', answer: nothing },
  'GET /values/filters': {
    summary: 'Folders and kinds with counts, and the levels inside files at which values are held',
    role: 'viewer',
    answer: json<{ folders: { folder: string; files: number }[]; kinds: { kind: string; files: number }[]; levels: InnerLevel[] }>(),
  },
  'POST /values/up-to-date': {
    summary: 'Add corrections of stale values to your tray',
    role: 'editor',
    body: upToDate,
    answer: json<BroughtUpToDate>(),
  },
  'GET /check': {
    summary: 'Remarks on the files of a library, by page',
    role: 'viewer',
    query: checkQuery,
    needs: ['library'] as const,
    answer: json<CheckPage>(),
  },
  'GET /file-names': { summary: 'File naming rules', role: 'viewer', answer: json<Naming>() },
  'PUT /file-names': { summary: 'Store the file naming rules', role: 'administrator', body: naming, answer: json<Naming>() },
  'GET /file-names/plan': {
    summary: 'Files whose name differs from their naming rule, with obstacles and references',
    role: 'viewer',
    answer: json<NamingPlan>(),
  },
  'POST /file-names/tray': {
    summary: 'Add new file names to your tray, with dependent changes',
    role: 'editor',
    body: toDoFiles,
    answer: json<{ lines: number; barred: number }>(),
  },
  'POST /file-names/copies': {
    summary: 'Copy files under the names given by pending values; originals stay as they are',
    role: 'editor',
    body: copyRequest,
    answer: json<{ copied: { from: string; to: string }[]; lines: number }>(),
  },
  'POST /fill': {
    summary: 'Files with everything needed to fill them in: forms, choice lists and dependencies',
    role: 'viewer',
    body: fileChoice,
    answer: json<FillData>(),
  },
  'GET /fill/sets': { summary: 'Saved sets of values: your own, and those that are shared', role: 'viewer', answer: json<ValueSetRow[]>() },
  'POST /fill/sets': { summary: 'Keep a set of values under a name', role: 'editor', body: valueSetDraft, answer: json<ValueSetRow[]>() },
  'DELETE /fill/sets/{set}': { summary: 'Remove a set of values of your own', role: 'editor', answer: nothing },
  'POST /fill/at-hand': { summary: 'Pin or unpin a value for yourself', role: 'editor', body: keepAtHand, answer: nothing },
  'GET /to-dos': { summary: 'New or changed files that lack names or required values', role: 'viewer', answer: json<ToDo[]>() },
  'POST /to-dos/tray': { summary: 'Put the names that files lack in your tray', role: 'editor', body: toDoFiles, answer: json<{ lines: number }>() },
  'POST /to-dos/dismiss': { summary: 'Remove files from the list, whatever they lack', role: 'editor', body: toDoFiles, answer: nothing },
} satisfies RouteTable;
