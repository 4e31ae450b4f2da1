import { BlockRow, BlockView, CellTrayAnswer, SheetPage, TakenUpAnswer, Tray } from '..';
import { cellTray, holderQuery, sheetModel, sheetsQuery, takeUpTexts, typedCell } from '../checks';
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
  'POST /title-blocks/take-up': {
    summary: 'Put texts that stand only in title blocks in your tray as values of the properties that their cells show',
    role: 'editor',
    body: takeUpTexts,
    answer: json<TakenUpAnswer>(),
  },
  'POST /files/{file}/cell': {
    summary: 'Type in a cell that shows no property: its text goes in your tray',
    role: 'editor',
    body: typedCell,
    answer: json<Tray>(),
  },
} satisfies RouteTable;
