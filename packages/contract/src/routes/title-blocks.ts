import { AnchorPlan, BareSheets, BlockCellPlan, BlockExchangePlan, BlockRow, BlockView, CellTrayAnswer, SheetPage, TakenUpAnswer, Tray } from '..';
import {
  anchorChange,
  blockCellChange,
  blockExchange,
  cellTray,
  holderQuery,
  sheetModel,
  sheetPageQuery,
  sheetsQuery,
  takeUpTexts,
  typedCell,
} from '../checks';
import { RouteTable, json, nothing } from '../route';

/** Title blocks. */
export const titleBlockRoutes = {
  'GET /title-blocks': { summary: 'Title block families with cells, bindings and cell states', role: 'viewer', answer: json<BlockRow[]>() },
  'GET /title-blocks/sheets': {
    summary: 'Sheets with a title block of a family',
    role: 'viewer',
    query: sheetsQuery,
    needs: ['block'] as const,
    answer: json<SheetPage>(),
  },
  'GET /title-blocks/bare': { summary: 'Sheets without any cell', role: 'viewer', query: sheetPageQuery, answer: json<BareSheets>() },
  'POST /title-blocks/anchors/plan': {
    summary: 'Which plain texts would become cells, or be let go, and which cannot',
    role: 'viewer',
    body: anchorChange,
    answer: json<AnchorPlan>(),
  },
  'POST /title-blocks/anchors': {
    summary: 'Make plain texts of drawings cells, or let them go, through your tray',
    role: 'editor',
    body: anchorChange,
    answer: json<CellTrayAnswer>(),
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
    summary: 'Add cells of a title block family to your tray: stale, lacking, or to be erased',
    role: 'editor',
    body: cellTray,
    answer: json<CellTrayAnswer>(),
  },
  'POST /title-blocks/cells/plan': {
    summary: 'What changing the cells of a title block would do',
    role: 'viewer',
    body: blockCellChange,
    answer: json<BlockCellPlan>(),
  },
  'POST /title-blocks/cells': {
    summary: 'Change the cells of a title block in all drawings that define it, through your tray',
    role: 'editor',
    body: blockCellChange,
    answer: json<CellTrayAnswer>(),
  },
  'POST /title-blocks/exchange/plan': {
    summary: 'What exchanging a title block for another would do: cells, texts that would be lost, drawings left out',
    role: 'viewer',
    body: blockExchange,
    answer: json<BlockExchangePlan>(),
  },
  'POST /title-blocks/exchange': {
    summary: 'Exchange a title block for another on many sheets, through your tray',
    role: 'editor',
    body: blockExchange,
    answer: json<CellTrayAnswer>(),
  },
  'POST /title-blocks/take-up': {
    summary: 'Adopt texts from title blocks as property values, through your tray',
    role: 'editor',
    body: takeUpTexts,
    answer: json<TakenUpAnswer>(),
  },
  'POST /files/{file}/cell': {
    summary: 'Type text into an unbound cell, through your tray',
    role: 'editor',
    body: typedCell,
    answer: json<Tray>(),
  },
} satisfies RouteTable;
