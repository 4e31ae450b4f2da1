import { BlockRow, BlockView, Tray } from '..';
import { bindingRequest, blockQuery, blockTray } from '../checks';
import { RouteTable, json, nothing } from '../route';

/** Title blocks. */
export const titleBlockRoutes = {
  'GET /title-blocks': { summary: 'Title blocks with their cells, bindings and drawings', role: 'viewer', answer: json<BlockRow[]>() },
  'GET /files/{file}/title-block': {
    summary: "One drawing's title block, drawn and filled",
    role: 'viewer',
    query: blockQuery,
    needs: ['block'] as const,
    answer: json<BlockView>(),
  },
  'PUT /title-blocks/bindings': { summary: 'Bind a cell to a property, or free it', role: 'administrator', body: bindingRequest, answer: nothing },
  'POST /title-blocks/tray': { summary: 'Put the stale cells of a block in your tray', role: 'editor', body: blockTray, answer: json<Tray>() },
} satisfies RouteTable;
