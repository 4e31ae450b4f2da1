import { NamesIn } from '@rule/contract/routes';
import { Handlers } from './router';
import { Services } from '../services';
import { sendTable } from './send';
import { uploadOf } from './upload';

/** Layouts, send-outs, take-backs, deliveries and watched folders. */
export function exchangeHandlers(s: Services): Handlers<NamesIn<'Exchange'>> {
  return {
    'GET /exchange/layouts': async ({ user }) => {
      const [saved, purposes] = await Promise.all([s.layouts.list(user), s.layouts.purposes()]);
      return { saved, purposes };
    },
    'POST /exchange/layouts': ({ user, body }) => s.layouts.save(user, null, body),
    'PUT /exchange/layouts/{layout}': ({ user, params, body }) => s.layouts.save(user, params.layout, body),
    'DELETE /exchange/layouts/{layout}': ({ user, params }) => s.layouts.remove(user, params.layout),
    'POST /exchange/count': async ({ body }) => ({ rows: await s.sendOuts.count(body) }),
    'GET /exchange/send-outs': ({ user }) => s.sendOuts.list(user),
    'POST /exchange/send-outs': ({ user, body }) => s.sendOuts.start(user, body),
    'GET /exchange/send-outs/{sendOut}/file': async ({ params, response }) => sendTable(response, await s.sendOuts.file(params.sendOut), true),
    'PUT /exchange/send-outs/{sendOut}/closed': ({ user, params, body }) => s.sendOuts.close(user, params.sendOut, body.closed),
    'GET /exchange/take-backs': () => s.takeBacks.list(),
    'POST /exchange/take-backs': ({ user, request }) => {
      const { name, bytes } = uploadOf(request);
      return s.takeBacks.take(user, name, bytes);
    },
    'GET /exchange/take-backs/{takeBack}': ({ params }) => s.takeBacks.view(params.takeBack),
    'PUT /exchange/take-backs/{takeBack}/reading': async ({ user, params, body }) => {
      await s.takeBacks.checkOwner(user, params.takeBack);
      return s.takeBacks.answer(user, params.takeBack, body);
    },
    'POST /exchange/take-backs/{takeBack}/reopen': async ({ user, params }) => {
      await s.takeBacks.checkOwner(user, params.takeBack);
      return s.takeBacks.reopen(params.takeBack);
    },
    'GET /exchange/take-backs/{takeBack}/cells': ({ params, query }) => s.takeBacks.cells(params.takeBack, query),
    'POST /exchange/take-backs/{takeBack}/decisions': async ({ user, params, body }) => {
      await s.takeBacks.checkOwner(user, params.takeBack);
      return s.takeBacks.decide(params.takeBack, body);
    },
    'POST /exchange/take-backs/{takeBack}/tray': async ({ user, params }) => {
      await s.takeBacks.checkOwner(user, params.takeBack);
      return s.takeBacks.toTray(user, params.takeBack);
    },
    'POST /exchange/take-backs/{takeBack}/apply': async ({ user, params, body }) => {
      const id = params.takeBack;
      await s.takeBacks.checkOwner(user, id);
      return s.changes.begin(user, await s.takeBacks.titleOfApply(id), (context) => s.takeBacks.apply(user, id, body.mode, context));
    },
    'GET /exchange/take-backs/{takeBack}/result': async ({ params, response }) => sendTable(response, await s.takeBacks.result(params.takeBack)),
    'GET /exchange/deliveries': () => s.deliveries.list(),
    'POST /exchange/deliveries': ({ user, body }) => s.deliveries.save(user, null, body),
    'PUT /exchange/deliveries/{delivery}': ({ user, params, body }) => s.deliveries.save(user, params.delivery, body),
    'DELETE /exchange/deliveries/{delivery}': ({ params }) => s.deliveries.remove(params.delivery),
    'POST /exchange/deliveries/{delivery}/now': ({ params }) => s.deliveries.deliver(params.delivery),
    'GET /exchange/folders': () => s.deliveries.folders(),
    'POST /exchange/folders': ({ user, body }) => s.deliveries.saveFolder(user, null, body),
    'PUT /exchange/folders/{folder}': ({ user, params, body }) => s.deliveries.saveFolder(user, params.folder, body),
    'DELETE /exchange/folders/{folder}': ({ params }) => s.deliveries.removeFolder(params.folder),
  };
}
