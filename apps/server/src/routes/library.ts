import { NamesIn } from '@rule/contract/routes';
import { Handlers } from './router';
import { sendOpen } from './send';
import { Services } from '../services';
import { headerName, headerText } from '../platform/file-name';

/** Libraries, classes and single files. */
export function libraryHandlers(s: Services): Handlers<NamesIn<'Libraries'>> {
  const read = (user: Parameters<Services['jobs']['start']>[0], id: number | null, name: string) =>
    s.jobs.start(user, 'survey', `Read ${name}`, { library: id }).then((job) => ({ job }));
  return {
    'GET /files/{file}': ({ params }) => s.libraries.details(params.file),
    'PUT /files/{file}/model': ({ params, body }) => s.libraries.settleModel(params.file, body.model),
    'PUT /files/{file}/part': ({ params, body }) => s.libraries.settlePart(params.file, body.product, body.part),
    'GET /files/{file}/geometry': ({ params }) => s.geometries.of(params.file),
    'GET /files/{file}/picture': async ({ params, query, response }) => {
      const picture = await s.geometries.picture(params.file, query.body);
      response.type('image/png').setHeader('cache-control', 'private, max-age=60');
      response.send(picture);
    },
    'GET /files/{file}/content': async ({ params, response }) => sendOpen(response, await s.libraries.open(params.file)),
    'GET /libraries': () => s.libraries.list(),
    'POST /libraries': async ({ user, body }) => read(user, await s.libraries.add(body.name, body.path), body.name),
    'PUT /libraries/{library}/place': async ({ user, params, body }) => {
      await s.libraries.place(params.library, body.path);
      return read(user, params.library, 'a library');
    },
    'POST /libraries/rescan': ({ user }) => read(user, null, 'all libraries'),
    'POST /libraries/{library}/rescan': ({ user, params }) => read(user, params.library, 'a library'),
    'POST /libraries/uploads': async ({ body }) => ({ library: await s.libraries.addUpload(body.name) }),
    'POST /libraries/{library}/files': ({ params, request }) => s.uploads.take(params.library, headerText(request.get('x-file-name')), request),
    'POST /libraries/{library}/archive': async ({ user, params, request }) => {
      const archive = await s.uploads.keepArchive(params.library, request);
      return { job: await s.jobs.start(user, 'upload', `Unpack ${headerName(request.get('x-file-name'))}`, { library: params.library, archive }) };
    },
    'GET /classes': () => s.classes.list(),
    'PUT /classes': ({ body }) => s.classes.save(body.classes),
  };
}
