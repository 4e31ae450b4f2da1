import { BlockRow, BlockView, CellTrayAnswer, SheetPage } from '..';
import { cellTray, holderQuery, sheetModel, sheetsQuery } from '../checks';
import { RouteTable, json, nothing } from '../route';

/** Title blocks. */
export const titleBlockRoutes = {
  'GET /title-blocks': { summary: 'Families of title blocks with their cells, bindings and how they stand', role: 'viewer', answer: json<BlockRow[]>() },
  'GET /title-blocks/sheets': {
    summary: 'Sheets with a title block of a family',
    role: 'viewer',
    query: sheetsQuery,
    needs: ['block'] as const,
    answer: json<SheetPage>(),
  },
  'GET /files/{file}/title-block': {
    summary: "One sheet's title block, drawn and filled",
    role: 'viewer',
    query: holderQuery,
    needs: ['holder'] as const,
    answer: json<BlockView>(),
  },
  'PUT /files/{file}/sheet-model': { summary: 'Settle which model feeds a sheet of a drawing', role: 'editor', body: sheetModel, answer: nothing },
  'POST /title-blocks/tray': {
    summary: 'Put cells of a family of title blocks in your tray: stale ones, lacking ones, or those that would be erased',
    role: 'editor',
    body: cellTray,
    answer: json<CellTrayAnswer>(),
  },
} satisfies RouteTable;
