import { NamesIn } from '@rule/contract/routes';
import { Handlers } from './router';
import { Services } from '../services';

/** The company, projects and drawing sets. */
export function projectHandlers(s: Services): Handlers<NamesIn<'Projects and drawing sets'>> {
  return {
    'GET /projects': () => s.projects.list(),
    'POST /projects': ({ body }) => s.projects.save(null, body),
    'GET /projects/{project}': ({ params }) => s.projects.view(params.project),
    'PUT /projects/{project}': ({ params, body }) => s.projects.save(params.project, body),
    'DELETE /projects/{project}': ({ params }) => s.projects.remove(params.project),
    'POST /projects/{project}/members': ({ params, body }) => s.projects.members(params.project, body),
    'POST /projects/{project}/push': ({ user, params }) => s.projects.push(user, params.project),
  };
}
