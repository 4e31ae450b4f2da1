import { BomAssembly, BomComparison, BomLayout, BomMember, BomRenumbered, BomTable, KeptBom, KeptBomView, ProposedAnswer, WhereUsed } from '..';
import {
  bomLayout,
  bomLayoutChange,
  bomNumber,
  bomRenumber,
  bomRequest,
  bomRowRequest,
  bomTyped,
  compareBomsBody,
  keepBom,
  keptBomFormat,
  keptBomsQuery,
  sendBom,
} from '../checks';
import { RouteTable, bytes, json, nothing } from '../route';

/** Bills of materials. */
export const bomRoutes = {
  'GET /bom/assemblies': {
    summary: 'Assemblies, with the number of parts that have no part file yet',
    role: 'viewer',
    answer: json<BomAssembly[]>(),
  },
  'GET /bom/layouts': { summary: 'BOM layouts, shared ones and your own', role: 'viewer', answer: json<BomLayout[]>() },
  'POST /bom/layouts': { summary: 'Add a BOM layout', role: 'viewer', body: bomLayout, answer: json<BomLayout>() },
  'PUT /bom/layouts/{layout}': {
    summary: 'Change a BOM layout; refused where somebody else saved it meanwhile',
    role: 'viewer',
    body: bomLayoutChange,
    answer: json<BomLayout>(),
  },
  'DELETE /bom/layouts/{layout}': { summary: 'Remove a BOM layout with the numbers kept under it', role: 'viewer', answer: nothing },
  'POST /files/{file}/bom': { summary: 'The bill of materials of an assembly', role: 'viewer', body: bomRequest, answer: json<BomTable>() },
  'POST /files/{file}/bom/members': { summary: 'The members of a row', role: 'viewer', body: bomRowRequest, answer: json<BomMember[]>() },
  'POST /files/{file}/bom/value': { summary: 'Put a value typed in a row in your tray', role: 'editor', body: bomTyped, answer: json<ProposedAnswer>() },
  'PUT /files/{file}/bom/number': { summary: 'Give a row an item number', role: 'editor', body: bomNumber, answer: nothing },
  'POST /files/{file}/bom/renumber': {
    summary: 'Renumber rows in the order shown, or preview it',
    role: 'editor',
    body: bomRenumber,
    answer: json<BomRenumbered>(),
  },
  'POST /files/{file}/bom/table': {
    summary: 'The bill of materials as a table (CSV or XLSX)',
    role: 'viewer',
    body: sendBom,
    answer: bytes('application/octet-stream'),
  },
  'POST /files/{file}/bom/kept': { summary: 'Keep the bill of materials as it is now', role: 'editor', body: keepBom, answer: json<KeptBom>() },
  'GET /bom/kept': { summary: 'Kept bills of materials', role: 'viewer', query: keptBomsQuery, answer: json<KeptBom[]>() },
  'GET /bom/kept/{kept}': { summary: 'A kept bill of materials', role: 'viewer', answer: json<KeptBomView>() },
  'GET /bom/kept/{kept}/table': {
    summary: 'A kept bill of materials as a table (CSV or XLSX)',
    role: 'viewer',
    query: keptBomFormat,
    answer: bytes('application/octet-stream'),
  },
  'DELETE /bom/kept/{kept}': { summary: 'Remove a kept bill of materials', role: 'editor', answer: nothing },
  'POST /bom/compare': { summary: 'What differs between two bills of materials', role: 'viewer', body: compareBomsBody, answer: json<BomComparison>() },
  'GET /files/{file}/where-used': { summary: 'All paths from a part to its top assemblies', role: 'viewer', answer: json<WhereUsed>() },
} satisfies RouteTable;
