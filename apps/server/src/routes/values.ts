import { NamesIn } from '@rule/contract/routes';
import { Handlers } from './router';
import { Services } from '../services';
import { whyCell } from '../values/why';

/** Values: the grid, forms, checks, names of files. */
export function valueHandlers(s: Services): Handlers<NamesIn<'Values'>> {
  return {
    'GET /values/count': async ({ query }) => ({ files: (await s.grid.page({ ...query, sort: 'file', descending: false, offset: 0, limit: 1 })).total }),
    'GET /values': ({ query }) => s.grid.page(query),
    'POST /values/find': ({ user, body }) => s.finder.find(user, body),
    'GET /values/groups': ({ query }) => s.grid.groups(query),
    'GET /files/{file}/why': ({ params, query }) => whyCell(s.db, s.derived, params.file, query.property, new Date()),
    'GET /values/views': ({ user }) => s.grid.views(user),
    'POST /values/views': ({ user, body }) => s.grid.saveView(user, body),
    'DELETE /values/views/{view}': ({ user, params }) => s.grid.removeView(user, params.view),
    'GET /values/filters': () => s.grid.filters(),
    'POST /values/up-to-date': ({ user, body }) => s.renewal.toTray(user, body),
    'GET /check': ({ query }) => s.fileChecks.page(query),
    'GET /file-names': () => s.fileNaming.read(),
    'PUT /file-names': ({ body }) => s.fileNaming.save(body),
    'GET /file-names/plan': ({ user }) => s.fileNaming.plan(user),
    'POST /file-names/tray': ({ user, body }) => s.fileNaming.toTray(user, body.files),
    'POST /file-names/copies': ({ user, body }) => s.fileNaming.copy(user, body),
    'POST /fill': ({ user, body }) => s.fill.open(user, body),
    'GET /fill/sets': ({ user }) => s.fill.valueSets(user),
    'POST /fill/sets': ({ user, body }) => s.fill.saveValueSet(user, body),
    'DELETE /fill/sets/{set}': ({ user, params }) => s.fill.removeValueSet(user, params.set),
    'POST /fill/at-hand': ({ user, body }) => s.fill.keepAtHand(user, body),
    'GET /to-dos': ({ user }) => s.toDos.list(user),
    'POST /to-dos/tray': ({ user, body }) => s.toDos.toTray(user, body.files),
    'POST /to-dos/dismiss': ({ body }) => s.toDos.dismiss(body.files),
  };
}
