import { Overview, Settings } from '..';
import { settings } from '../checks';
import { RouteTable, json } from '../route';

/** The company as a whole. */
export const companyRoutes = {
  'GET /overview': { summary: 'Progress of the company', role: 'viewer', answer: json<Overview>() },
  'GET /settings': { summary: 'Company-wide settings', role: 'viewer', answer: json<Settings>() },
  'PUT /settings': { summary: 'Change company-wide settings', role: 'administrator', body: settings, answer: json<Settings>() },
} satisfies RouteTable;
