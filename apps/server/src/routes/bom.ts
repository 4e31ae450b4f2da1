import { Response } from 'express';
import { BomTable } from '@rule/contract';
import { LineOf, NamesIn } from '@rule/contract/routes';
import { packList } from '@rule/core/bom';
import { Handlers } from './router';
import { Services } from '../services';
import { XLSX, disposition, sendLine } from './send';

/** Answers with a complete table. */
function send(response: Response, { name, bytes }: { readonly name: string; readonly bytes: Uint8Array }): void {
  response.type(name.endsWith('.csv') ? 'text/csv; charset=utf-8' : XLSX).setHeader('content-disposition', disposition(name));
  response.send(Buffer.from(bytes));
}

/** Bills of materials. */
export function bomHandlers(s: Services): Handlers<NamesIn<'BOM'>> {
  return {
    'GET /bom/assemblies': () => s.boms.assemblies(),
    'GET /bom/layouts': ({ user }) => s.bomLayouts.list(user),
    'POST /bom/layouts': ({ user, body }) => s.bomLayouts.add(user, body),
    'PUT /bom/layouts/{layout}': ({ user, params, body }) => s.bomLayouts.change(user, params.layout, body),
    'DELETE /bom/layouts/{layout}': ({ user, params }) => s.bomLayouts.remove(user, params.layout),
    'POST /files/{file}/bom': ({ user, params, body }) => s.boms.table(user, params.file, body),
    'POST /files/{file}/bom/packed': async ({ user, params, body, response }) => {
      const send = (table: BomTable, rows: number, whole: boolean) =>
        sendLine(response, { whole, rows, table: { ...table, ...packList(table) } } satisfies LineOf<'POST /files/{file}/bom/packed'>);
      const table = await s.boms.table(user, params.file, body, (first, rows) => send(first, rows, false));
      send(table, table.rows.length, true);
      response.end();
    },
    'POST /files/{file}/bom/members': ({ user, params, body }) => s.boms.members(user, params.file, body),
    'POST /files/{file}/bom/value': async ({ user, params, body }) => {
      const left = await s.boms.type(user, params.file, body);
      return { ...(await s.trays.view(user)), left };
    },
    'PUT /files/{file}/bom/number': ({ user, params, body }) => s.drawnLists.number(user, params.file, body),
    'POST /files/{file}/bom/renumber': ({ user, params, body }) => s.drawnLists.renumber(user, params.file, body),
    'GET /bom/blocks': () => s.drawnLists.blocks(),
    'POST /files/{file}/bom/drawn': ({ user, params, body }) => s.drawnLists.view(user, params.file, body),
    'POST /files/{file}/bom/drawn/tray': async ({ user, params, body }) => {
      const left = await s.drawnLists.put(user, params.file, body);
      return { ...(await s.trays.view(user)), left };
    },
    'PUT /files/{file}/bom/drawn/marks': async ({ user, params, body }) => {
      await s.drawnLists.setMarks(user, params.file, body);
      return { ...(await s.trays.view(user)), left: [] };
    },
    'POST /files/{file}/bom/drawn/marks': async ({ user, params, body }) => {
      await s.drawnLists.placeMarks(user, params.file, body);
      return { ...(await s.trays.view(user)), left: [] };
    },
    'POST /files/{file}/bom/table': async ({ user, params, body, response }) => send(response, await s.keptBoms.table(user, params.file, body)),
    'POST /files/{file}/bom/kept': ({ user, params, body }) => s.keptBoms.keep(user, params.file, body),
    'GET /bom/kept': ({ query }) => s.keptBoms.list(query.assembly ?? null),
    'GET /bom/kept/{kept}': ({ params }) => s.keptBoms.get(params.kept),
    'GET /bom/kept/{kept}/table': async ({ params, query, response }) => send(response, await s.keptBoms.keptTable(params.kept, query.format)),
    'DELETE /bom/kept/{kept}': ({ user, params }) => s.keptBoms.remove(user, params.kept),
    'POST /bom/compare': ({ user, body }) => s.keptBoms.compare(user, body),
    'GET /files/{file}/where-used': ({ params }) => s.boms.whereUsed(params.file),
  };
}
