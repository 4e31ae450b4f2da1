import { Route, route } from '../platform/route';
import { Services } from '../services';

/** A comment line this often keeps connections open through whatever stands between. */
const KEEP_ALIVE = 20_000;

/** Routes that tell about long work. */
export function jobRoutes({ jobs }: Services): Route[] {
  return [
    route({ method: 'get', path: '/jobs', summary: 'Long work that waits or runs, and what ended last', role: 'viewer', action: () => jobs.list() }),
    route({
      method: 'get',
      path: '/jobs/events',
      summary: 'Changes of long work as server-sent events, one job row each',
      role: 'viewer',
      action: async ({ request, response }) => {
        response.writeHead(200, { 'content-type': 'text/event-stream', 'cache-control': 'no-store', 'x-accel-buffering': 'no' });
        const send = (id: number) =>
          void jobs
            .get(id)
            .then((job) => response.write(`data: ${JSON.stringify(job)}\n\n`))
            .catch(() => undefined);
        jobs.changed.on('job', send);
        const alive = setInterval(() => response.write(': still here\n\n'), KEEP_ALIVE);
        request.on('close', () => {
          clearInterval(alive);
          jobs.changed.off('job', send);
        });
        // What runs already is told at once, so that nothing falls between asking and listening.
        for (const job of await jobs.list()) if (job.state === 'running' || job.state === 'waiting') response.write(`data: ${JSON.stringify(job)}\n\n`);
        response.write(': listening\n\n');
      },
    }),
    route({ method: 'get', path: '/jobs/{job}', summary: 'How far a job is', role: 'viewer', action: ({ params }) => jobs.get(params['job']!) }),
    route({
      method: 'get',
      path: '/jobs/{job}/errors',
      summary: 'What went wrong with single files',
      role: 'viewer',
      action: ({ params }) => jobs.errors(params['job']!),
    }),
    route({ method: 'post', path: '/jobs/{job}/cancel', summary: 'Cancel a job', role: 'editor', action: ({ params }) => jobs.cancel(params['job']!) }),
  ];
}
