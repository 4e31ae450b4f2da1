import { NamesIn } from '@rule/contract/routes';
import { Handlers } from './router';
import { Services } from '../services';

/** Comment line interval that keeps event streams open through proxies. */
const KEEP_ALIVE = 20_000;
/** Interval for checking whether listeners are still authorised, in milliseconds. */
const LOOK_EVERY = 5_000;

/** Long work. */
export function jobHandlers({ jobs, people }: Services): Handlers<NamesIn<'Long work'>> {
  return {
    'GET /jobs': () => jobs.list(),
    'GET /jobs/events': async ({ user, request, response, stillStands }) => {
      response.writeHead(200, { 'content-type': 'text/event-stream', 'cache-control': 'no-store', 'x-accel-buffering': 'no' });
      const send = (id: number) =>
        void jobs
          .get(id)
          .then((job) => response.write(`data: ${JSON.stringify(job)}\n\n`))
          .catch(() => undefined);
      jobs.changed.on('job', send);
      const alive = setInterval(() => response.write(': still here\n\n'), KEEP_ALIVE);
      // Event streams end with their session or token: immediately if it ended here, soon if elsewhere.
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
      // Running jobs are sent at once, so none is missed between query and subscription.
      for (const job of await jobs.list()) if (job.state === 'running' || job.state === 'waiting') response.write(`data: ${JSON.stringify(job)}\n\n`);
      response.write(': listening\n\n');
    },
    'GET /jobs/{job}': ({ params }) => jobs.get(params.job),
    'GET /jobs/{job}/errors': ({ params }) => jobs.errors(params.job),
    'POST /jobs/{job}/cancel': ({ user, params }) => jobs.cancel(user, params.job),
  };
}
