import { WideRow, WideView } from '..';
import { wideDraft, wideMembers } from '../checks';
import { RouteTable, json, nothing } from '../route';

/** The company, projects and drawing sets. */
export const projectsRoutes = {
  'GET /projects': { summary: 'The company, projects and drawing sets', role: 'viewer', answer: json<WideRow[]>() },
  'POST /projects': { summary: 'Begin a project or drawing set', role: 'administrator', body: wideDraft, answer: json<WideRow>() },
  'GET /projects/{project}': {
    summary: 'A company, project or drawing set: its values, its files, and those that do not hold yet what they take from it',
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
    summary: 'Put files in by hand, take them out, or leave them to the rule',
    role: 'editor',
    body: wideMembers,
    answer: nothing,
  },
  'POST /projects/{project}/push': {
    summary: 'Put the values that files take from here, and do not hold yet, in your tray',
    role: 'editor',
    answer: json<{ lines: number; barred: number }>(),
  },
} satisfies RouteTable;
