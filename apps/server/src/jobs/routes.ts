import { Route, route } from '../platform/route';
import { Services } from '../services';

/** A comment line this often keeps connections open through whatever stands between. */
const KEEP_ALIVE = 20_000;
/** So often it is looked whether who listens still may, in milliseconds. */
const LOOK_EVERY = 5_000;

/** Routes that tell about long work. */
export function jobRoutes({ jobs, people }: Services): Route[] {
  return [
    route({ method: 'get', path: '/jobs', summary: 'Long work that waits or runs, and what ended last', role: 'viewer', action: () => jobs.list() }),
    route({
      method: 'get',
      path: '/jobs/events',
      summary: 'Changes of long work as server-sent events, one job row each',
      role: 'viewer',
      action: async ({ user, request, response, stillStands }) => {
        response.writeHead(200, { 'content-type': 'text/event-stream', 'cache-control': 'no-store', 'x-accel-buffering': 'no' });
        const send = (id: number) =>
          void jobs
            .get(id)
            .then((job) => response.write(`data: ${JSON.stringify(job)}\n\n`))
            .catch(() => undefined);
        jobs.changed.on('job', send);
        const alive = setInterval(() => response.write(': still here\n\n'), KEEP_ALIVE);
        // A session or token that has ended takes its streams along: at once where it ended here, soon where it ended elsewhere.
        const look = () =>
          void stillStands().then(
            (stands) => stands || response.end(),
            () => undefined,
          );
        const looking = setInterval(look, LOOK_EVERY);
        const ended = (id: number) => id === user.id && look();
        people.ended.on('person', ended);
        response.on('close', () => {
          clearInterval(alive);
          clearInterval(looking);
          jobs.changed.off('job', send);
          people.ended.off('person', ended);
        });
        request.on('error', () => response.end());
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
    route({
      method: 'post',
      path: '/jobs/{job}/cancel',
      summary: 'Cancel a job',
      role: 'editor',
      action: ({ user, params }) => jobs.cancel(user, params['job']!),
    }),
  ];
}
