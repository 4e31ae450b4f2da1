import { NamesIn } from '@rule/contract/routes';
import { Handlers } from './router';
import { Services } from '../services';
import { uploadOf } from './upload';

/** Choice lists and number series. */
export function listHandlers(s: Services): Handlers<NamesIn<'Choice lists and number series'>> {
  return {
    'GET /lists': () => s.lists.list(),
    'POST /lists': ({ body }) => s.lists.save(null, body),
    'PUT /lists/{list}': ({ params, body }) => s.lists.save(params.list, body),
    'DELETE /lists/{list}': ({ params }) => s.lists.remove(params.list),
    'PUT /lists/{list}/source': ({ params, body }) => s.lists.setSource(params.list, body.source),
    'POST /lists/{list}/preview': ({ params }) => s.lists.preview(params.list, null),
    'POST /lists/{list}/load': ({ params, body }) => s.lists.load(params.list, body.token, null),
    'POST /lists/{list}/preview-file': ({ params, request }) => s.lists.preview(params.list, uploadOf(request)),
    'POST /lists/{list}/load-file': ({ params, request }) => s.lists.load(params.list, request.get('x-token') ?? '', uploadOf(request)),
    'POST /lists/{list}/replace': ({ user, params }) => s.lists.replace(user, params.list),
    'GET /series': () => s.series.list(),
    'POST /series': ({ body }) => s.series.save(null, body),
    'PUT /series/{series}': ({ params, body }) => s.series.save(params.series, body),
    'DELETE /series/{series}': ({ params }) => s.series.remove(params.series),
    'POST /series/{series}/draw': ({ user, params, body }) => s.series.draw(user, params.series, body.file, body.note),
    'POST /series/draw': ({ user, body }) => s.series.drawForFiles(user, body.property, body.files),
    'POST /series/numbers/{number}/release': ({ params }) => s.series.release(params.number),
  };
}
