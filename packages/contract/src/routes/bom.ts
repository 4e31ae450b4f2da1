import { BomLayout, BomTable } from '..';
import { bomColumns, bomLayout } from '../checks';
import { RouteTable, bytes, json } from '../route';

/** Bills of materials. */
export const bomRoutes = {
  'GET /bom/assemblies': {
    summary: 'Assemblies, with the number of parts that have no part file yet',
    role: 'viewer',
    answer: json<{ id: number; path: string; unmatched: number }[]>(),
  },
  'GET /bom/layouts': { summary: 'BOM layouts', role: 'viewer', answer: json<BomLayout[]>() },
  'POST /bom/layouts': { summary: 'Add a BOM layout', role: 'administrator', body: bomLayout, answer: json<BomLayout>() },
  'PUT /bom/layouts/{layout}': { summary: 'Change a BOM layout', role: 'administrator', body: bomLayout, answer: json<BomLayout>() },
  'GET /files/{file}/bom': { summary: 'The single-level BOM of an assembly', role: 'viewer', answer: json<BomTable>() },
  'POST /files/{file}/bom.csv': { summary: 'The single-level BOM as CSV', role: 'viewer', body: bomColumns, answer: bytes('text/csv') },
} satisfies RouteTable;
