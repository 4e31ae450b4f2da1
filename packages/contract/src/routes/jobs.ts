import { JobError, JobRow } from '..';
import { RouteTable, events, json } from '../route';

/** Long work. */
export const jobsRoutes = {
  'GET /jobs': { summary: 'Long work that waits or runs, and what ended last', role: 'viewer', answer: json<JobRow[]>() },
  'GET /jobs/events': { summary: 'Changes of long work as server-sent events, one job row each', role: 'viewer', answer: events<JobRow>() },
  'GET /jobs/{job}': { summary: 'How far a job is', role: 'viewer', answer: json<JobRow>() },
  'GET /jobs/{job}/errors': { summary: 'What went wrong with single files', role: 'viewer', answer: json<JobError[]>() },
  'POST /jobs/{job}/cancel': { summary: 'Cancel a job', role: 'editor', answer: json<JobRow>() },
} satisfies RouteTable;
