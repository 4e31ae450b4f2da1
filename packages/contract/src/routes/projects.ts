import { WideRow, WideView } from '..';
import { wideDraft, wideMembers } from '../checks';
import { RouteTable, json, nothing } from '../route';

/** The company, projects and drawing sets. */
export const projectsRoutes = {
  'GET /projects': { summary: 'The company, projects and drawing sets', role: 'viewer', answer: json<WideRow[]>() },
  'POST /projects': { summary: 'Begin a project or drawing set', role: 'administrator', body: wideDraft, answer: json<WideRow>() },
  'GET /projects/{project}': {
    summary: 'A company, project or drawing set: its values, its files, and files still without its values',
    role: 'viewer',
    answer: json<WideView>(),
  },
  'PUT /projects/{project}': {
    summary: 'Change the name and the rule of a project or drawing set',
    role: 'administrator',
    body: wideDraft,
    answer: json<WideRow>(),
  },
  'DELETE /projects/{project}': { summary: 'Remove a project or drawing set; its files keep what they hold', role: 'administrator', answer: nothing },
  'POST /projects/{project}/members': {
    summary: 'Add or remove files by hand, or leave them to the rule',
    role: 'editor',
    body: wideMembers,
    answer: nothing,
  },
  'POST /projects/{project}/push': {
    summary: 'Add the values that files still lack to your tray',
    role: 'editor',
    answer: json<{ lines: number; barred: number }>(),
  },
} satisfies RouteTable;
