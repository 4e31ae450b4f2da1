import { ApplyStarted, CellPage, Delivery, LayoutCount, Layouts, SendOutRow, SendOutStarted, TakeBackRow, TakeBackView, WatchedFolder } from '..';
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
} from '../checks';
import { LARGEST_TABLE, XLSX } from '../media';
import { RouteTable, bytes, json, nothing } from '../route';

/** Exchange: layouts, tables that go out and come back, deliveries and watched folders. */
export const exchangeRoutes = {
  'GET /exchange/layouts': { summary: 'Saved layouts of tables, and suggestions for common purposes', role: 'viewer', answer: json<Layouts>() },
  'POST /exchange/layouts': { summary: 'Save a layout', role: 'viewer', body: layoutDraft, answer: json<{ id: number }>() },
  'PUT /exchange/layouts/{layout}': { summary: 'Change a layout', role: 'viewer', body: layoutDraft, answer: json<{ id: number }>() },
  'DELETE /exchange/layouts/{layout}': { summary: 'Remove a layout', role: 'viewer', answer: nothing },
  'POST /exchange/count': { summary: 'How many rows a layout would have', role: 'viewer', body: layoutCountRequest, answer: json<LayoutCount>() },
  'GET /exchange/send-outs': { summary: 'Tables that were sent out', role: 'viewer', answer: json<SendOutRow[]>() },
  'POST /exchange/send-outs': {
    summary: 'Send values out as a workbook, CSV, JSON or XML; a job writes it',
    role: 'viewer',
    body: sendOutRequest,
    answer: json<SendOutStarted>(),
  },
  'GET /exchange/send-outs/{sendOut}/file': { summary: 'The file of a send-out', role: 'viewer', answer: bytes('application/octet-stream') },
  'PUT /exchange/send-outs/{sendOut}/closed': { summary: 'Mark a copy as not returning', role: 'editor', body: closeSendOut, answer: nothing },
  'GET /exchange/take-backs': { summary: 'Tables that were taken back', role: 'viewer', answer: json<TakeBackRow[]>() },
  'POST /exchange/take-backs': {
    summary: 'Take a workbook, CSV, JSON or XML file back; its name goes in the header x-file-name, percent-encoded',
    role: 'editor',
    upload: LARGEST_TABLE,
    answer: json<TakeBackView>(),
  },
  'GET /exchange/take-backs/{takeBack}': { summary: 'What a table asks, or would change', role: 'viewer', answer: json<TakeBackView>() },
  'PUT /exchange/take-backs/{takeBack}/reading': {
    summary: 'Answer what a table asks: encoding, sheet, columns, rows',
    role: 'editor',
    body: readingChoice,
    answer: json<TakeBackView>(),
  },
  'POST /exchange/take-backs/{takeBack}/reopen': {
    summary: 'Return to the reading of a table while none of its values is in the tray',
    role: 'editor',
    answer: json<TakeBackView>(),
  },
  'GET /exchange/take-backs/{takeBack}/cells': {
    summary: 'A page of the cells that are not simply unchanged',
    role: 'viewer',
    query: cellQuery,
    needs: ['offset', 'limit'] as const,
    answer: json<CellPage>(),
  },
  'POST /exchange/take-backs/{takeBack}/decisions': {
    summary: 'Take or skip cells, by list or by filter',
    role: 'editor',
    body: decideRequest,
    answer: json<TakeBackView>(),
  },
  'POST /exchange/take-backs/{takeBack}/tray': { summary: 'Add the accepted cells to your tray', role: 'editor', answer: json<TakeBackView>() },
  'POST /exchange/take-backs/{takeBack}/apply': {
    summary: 'Apply the accepted cells as a separate change set, bypassing your tray',
    role: 'editor',
    body: applyTakeBack,
    answer: json<ApplyStarted>(),
  },
  'GET /exchange/take-backs/{takeBack}/result': {
    summary: 'The table as a workbook with the result per row',
    role: 'viewer',
    answer: bytes(XLSX),
  },
  'GET /exchange/deliveries': { summary: 'Regular deliveries to folders of the server', role: 'administrator', answer: json<Delivery[]>() },
  'POST /exchange/deliveries': { summary: 'Set a delivery up', role: 'administrator', body: deliveryDraft, answer: json<{ id: number }>() },
  'PUT /exchange/deliveries/{delivery}': { summary: 'Change a delivery', role: 'administrator', body: deliveryDraft, answer: json<{ id: number }>() },
  'DELETE /exchange/deliveries/{delivery}': { summary: 'Remove a delivery', role: 'administrator', answer: nothing },
  'POST /exchange/deliveries/{delivery}/now': { summary: 'Deliver now', role: 'administrator', answer: json<NonNullable<Delivery['last']>>() },
  'GET /exchange/folders': { summary: 'Watched folders', role: 'administrator', answer: json<WatchedFolder[]>() },
  'POST /exchange/folders': {
    summary: 'Watch a folder and take back tables placed in it',
    role: 'administrator',
    body: watchedFolderDraft,
    answer: json<{ id: number }>(),
  },
  'PUT /exchange/folders/{folder}': { summary: 'Change a watched folder', role: 'administrator', body: watchedFolderDraft, answer: json<{ id: number }>() },
  'DELETE /exchange/folders/{folder}': { summary: 'Stop watching a folder', role: 'administrator', answer: nothing },
} satisfies RouteTable;
