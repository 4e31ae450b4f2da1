import {
  ApplyTakeBack,
  CellQuery,
  CloseSendOut,
  DecideRequest,
  DeliveryDraft,
  LayoutContent,
  LayoutDraft,
  ReadingChoice,
  SendOutRequest,
  WatchedFolderDraft,
} from '@rule/contract';
import {
  applyTakeBack,
  cellQuery,
  closeSendOut,
  decideRequest,
  deliveryDraft,
  layoutCountRequest,
  layoutDraft,
  readingChoice,
  sendOutRequest,
  watchedFolderDraft,
} from '@rule/contract/checks';
import { invalid } from '../platform/problem';
import { headerName } from '../platform/file-name';
import { Route, route } from '../platform/route';
import { Services } from '../services';
import { sendTable } from './send';
import { LARGEST_TABLE } from './take-backs';

/** Routes of Exchange: layouts, tables that go out and come back, deliveries and watched folders. */
export function exchangeRoutes(s: Services): Route[] {
  return [
    route({
      method: 'get',
      path: '/exchange/layouts',
      summary: 'Saved layouts of tables, and suggestions for common purposes',
      role: 'viewer',
      action: async ({ user }) => {
        const [saved, purposes] = await Promise.all([s.layouts.list(user), s.layouts.purposes()]);
        return { saved, purposes };
      },
    }),
    route<LayoutDraft>({
      method: 'post',
      path: '/exchange/layouts',
      summary: 'Save a layout',
      role: 'viewer',
      body: layoutDraft,
      action: ({ user, body }) => s.layouts.save(user, null, body),
    }),
    route<LayoutDraft>({
      method: 'put',
      path: '/exchange/layouts/{layout}',
      summary: 'Change a layout',
      role: 'viewer',
      body: layoutDraft,
      action: ({ user, params, body }) => s.layouts.save(user, params['layout']!, body),
    }),
    route({
      method: 'delete',
      path: '/exchange/layouts/{layout}',
      summary: 'Remove a layout',
      role: 'viewer',
      action: ({ user, params }) => s.layouts.remove(user, params['layout']!),
    }),
    route<LayoutContent>({
      method: 'post',
      path: '/exchange/count',
      summary: 'How many rows a layout would have',
      role: 'viewer',
      body: layoutCountRequest,
      action: async ({ body }) => ({ rows: await s.sendOuts.count(body) }),
    }),

    route({ method: 'get', path: '/exchange/send-outs', summary: 'Tables that were sent out', role: 'viewer', action: ({ user }) => s.sendOuts.list(user) }),
    route<SendOutRequest>({
      method: 'post',
      path: '/exchange/send-outs',
      summary: 'Send values out as a workbook, CSV, JSON or XML; a job writes it',
      role: 'viewer',
      body: sendOutRequest,
      action: ({ user, body }) => s.sendOuts.start(user, body),
    }),
    route({
      method: 'get',
      path: '/exchange/send-outs/{sendOut}/file',
      summary: 'The file of a send-out',
      role: 'viewer',
      action: async ({ params, response }) => sendTable(response, await s.sendOuts.file(params['sendOut']!), true),
    }),
    route<CloseSendOut>({
      method: 'put',
      path: '/exchange/send-outs/{sendOut}/closed',
      summary: 'Say that a copy will not come back',
      role: 'editor',
      body: closeSendOut,
      action: ({ user, params, body }) => s.sendOuts.close(user, params['sendOut']!, body.closed),
    }),

    route({ method: 'get', path: '/exchange/take-backs', summary: 'Tables that were taken back', role: 'viewer', action: () => s.takeBacks.list() }),
    route({
      method: 'post',
      path: '/exchange/take-backs',
      summary: 'Take a workbook, CSV, JSON or XML file back; its name goes in the header x-file-name, percent-encoded',
      role: 'editor',
      upload: LARGEST_TABLE,
      action: ({ user, request }) => {
        const bytes: unknown = request.body;
        if (!(bytes instanceof Uint8Array)) throw invalid('empty-file', 'No file was sent.');
        return s.takeBacks.take(user, headerName(request.get('x-file-name')), bytes);
      },
    }),
    route({
      method: 'get',
      path: '/exchange/take-backs/{takeBack}',
      summary: 'What a table asks, or would change',
      role: 'viewer',
      action: ({ params }) => s.takeBacks.view(params['takeBack']!),
    }),
    route<ReadingChoice>({
      method: 'put',
      path: '/exchange/take-backs/{takeBack}/reading',
      summary: 'Answer what a table asks: encoding, sheet, columns, rows',
      role: 'editor',
      body: readingChoice,
      action: async ({ user, params, body }) => {
        await s.takeBacks.checkOwner(user, params['takeBack']!);
        return s.takeBacks.answer(user, params['takeBack']!, body);
      },
    }),
    route({
      method: 'post',
      path: '/exchange/take-backs/{takeBack}/reopen',
      summary: 'Go back to how a table is read, as long as none of its values has gone to the tray',
      role: 'editor',
      action: async ({ user, params }) => {
        await s.takeBacks.checkOwner(user, params['takeBack']!);
        return s.takeBacks.reopen(params['takeBack']!);
      },
    }),
    route<undefined, CellQuery>({
      method: 'get',
      path: '/exchange/take-backs/{takeBack}/cells',
      summary: 'A page of the cells that are not simply unchanged',
      role: 'viewer',
      query: cellQuery,
      action: ({ params, query }) => s.takeBacks.cells(params['takeBack']!, query),
    }),
    route<DecideRequest>({
      method: 'post',
      path: '/exchange/take-backs/{takeBack}/decisions',
      summary: 'Take or leave cells: those that are named, or all that a filter names',
      role: 'editor',
      body: decideRequest,
      action: async ({ user, params, body }) => {
        await s.takeBacks.checkOwner(user, params['takeBack']!);
        return s.takeBacks.decide(params['takeBack']!, body);
      },
    }),
    route({
      method: 'post',
      path: '/exchange/take-backs/{takeBack}/tray',
      summary: 'Put what is to be taken in your tray',
      role: 'editor',
      action: async ({ user, params }) => {
        await s.takeBacks.checkOwner(user, params['takeBack']!);
        return s.takeBacks.toTray(user, params['takeBack']!);
      },
    }),
    route<ApplyTakeBack>({
      method: 'post',
      path: '/exchange/take-backs/{takeBack}/apply',
      summary: 'Apply what is to be taken as a change set of its own, past your tray',
      role: 'editor',
      body: applyTakeBack,
      action: async ({ user, params, body }) => {
        const id = params['takeBack']!;
        await s.takeBacks.checkOwner(user, id);
        return s.changes.begin(user, await s.takeBacks.titleOfApply(id), (context) => s.takeBacks.apply(user, id, body.mode, context));
      },
    }),
    route({
      method: 'get',
      path: '/exchange/take-backs/{takeBack}/result',
      summary: 'The table as a workbook, with what happened to each row beside it',
      role: 'viewer',
      action: async ({ params, response }) => sendTable(response, await s.takeBacks.result(params['takeBack']!)),
    }),

    route({
      method: 'get',
      path: '/exchange/deliveries',
      summary: 'Regular deliveries to folders of the server',
      role: 'administrator',
      action: () => s.deliveries.list(),
    }),
    route<DeliveryDraft>({
      method: 'post',
      path: '/exchange/deliveries',
      summary: 'Set a delivery up',
      role: 'administrator',
      body: deliveryDraft,
      action: ({ user, body }) => s.deliveries.save(user, null, body),
    }),
    route<DeliveryDraft>({
      method: 'put',
      path: '/exchange/deliveries/{delivery}',
      summary: 'Change a delivery',
      role: 'administrator',
      body: deliveryDraft,
      action: ({ user, params, body }) => s.deliveries.save(user, params['delivery']!, body),
    }),
    route({
      method: 'delete',
      path: '/exchange/deliveries/{delivery}',
      summary: 'Remove a delivery',
      role: 'administrator',
      action: ({ params }) => s.deliveries.remove(params['delivery']!),
    }),
    route({
      method: 'post',
      path: '/exchange/deliveries/{delivery}/now',
      summary: 'Deliver now',
      role: 'administrator',
      action: ({ params }) => s.deliveries.deliver(params['delivery']!),
    }),
    route({ method: 'get', path: '/exchange/folders', summary: 'Watched folders', role: 'administrator', action: () => s.deliveries.folders() }),
    route<WatchedFolderDraft>({
      method: 'post',
      path: '/exchange/folders',
      summary: 'Watch a folder: tables that come there are taken back',
      role: 'administrator',
      body: watchedFolderDraft,
      action: ({ user, body }) => s.deliveries.saveFolder(user, null, body),
    }),
    route<WatchedFolderDraft>({
      method: 'put',
      path: '/exchange/folders/{folder}',
      summary: 'Change a watched folder',
      role: 'administrator',
      body: watchedFolderDraft,
      action: ({ user, params, body }) => s.deliveries.saveFolder(user, params['folder']!, body),
    }),
    route({
      method: 'delete',
      path: '/exchange/folders/{folder}',
      summary: 'Watch a folder no longer',
      role: 'administrator',
      action: ({ params }) => s.deliveries.removeFolder(params['folder']!),
    }),
  ];
}
