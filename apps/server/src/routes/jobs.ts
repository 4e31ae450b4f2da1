import { NamesIn } from '@rule/contract/routes';
import { Handlers } from './router';
import { Services } from '../services';

/** A comment line this often keeps connections open through whatever stands between. */
const KEEP_ALIVE = 20_000;
/** So often it is looked whether who listens still may, in milliseconds. */
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
    'GET /jobs/{job}': ({ params }) => jobs.get(params.job),
    'GET /jobs/{job}/errors': ({ params }) => jobs.errors(params.job),
    'POST /jobs/{job}/cancel': ({ user, params }) => jobs.cancel(user, params.job),
  };
}
