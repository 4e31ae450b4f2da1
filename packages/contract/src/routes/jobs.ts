import { JobError, JobRow } from '..';
import { RouteTable, events, json } from '../route';

/** Long work. */
export const jobsRoutes = {
  'GET /jobs': { summary: 'Waiting and running jobs, and those that ended last', role: 'viewer', answer: json<JobRow[]>() },
  'GET /jobs/events': { summary: 'Job progress as server-sent events', role: 'viewer', answer: events<JobRow>() },
  'GET /jobs/{job}': { summary: 'Progress of a job', role: 'viewer', answer: json<JobRow>() },
  'GET /jobs/{job}/errors': { summary: 'Problems with single files', role: 'viewer', answer: json<JobError[]>() },
  'POST /jobs/{job}/cancel': { summary: 'Cancel a job', role: 'editor', answer: json<JobRow>() },
} satisfies RouteTable;
