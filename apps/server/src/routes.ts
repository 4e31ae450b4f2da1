import {
  AcceptLines,
  ApplyTray,
  BindingRequest,
  BlockTray,
  CheckIn,
  FileFilter,
  GridQuery,
  Settings,
  SettleLine,
  SettleModel,
  SettlePart,
  TrayLines,
  TrayFiles,
  UndoStep,
  UpToDate,
  CheckQuery,
  HistoryQuery,
  TokenDraft,
  ProposedValues,
  BomColumns,
  ReplacementRequest,
  BomLayout,
  BlockQuery,
  CopyRequest,
  Naming,
  GridViewDraft,
  GroupBy,
  FileChoice,
  ValueSetDraft,
  WideDraft,
  WideMembers,
} from '@rule/contract';
import {
  checkQuery,
  upToDate,
  historyQuery,
  trayFiles,
  undoStep,
  tokenDraft,
  acceptLines,
  applyTray,
  fileFilter,
  bindingRequest,
  blockTray,
  bomLayout,
  bomColumns,
  checkIn,
  replacementRequest,
  gridQuery,
  linkDraft,
  proposedValues,
  settings,
  settleLine,
  settleModel,
  settlePart,
  trayLines,
  blockQuery,
  toDoFiles,
  copyRequest,
  naming,
  gridViewDraft,
  groupQuery,
  reasonQuery,
  favourite,
  fileChoice,
  valueSetDraft,
  wideDraft,
  wideMembers,
} from '@rule/contract/checks';
import { Link } from '@rule/core/vault';
import { whyCell } from './values/why';
import { Services } from './services';
import { peopleRoutes } from './users/routes';
import { jobRoutes } from './jobs/routes';
import { exchangeRoutes } from './exchange/routes';
import { schemaRoutes } from './schema/routes';
import { surveyRoutes } from './survey/routes';
import { disposition } from './exchange/send';
import { invalid } from './platform/problem';
import { Route, route } from './platform/route';
import { judgeStandIns } from './library/stand-ins';
import { readSettings, writeSettings } from './schema/settings';

/** All routes of the API. */
export function routesOf(s: Services): Route[] {
  return [
    route({ method: 'get', path: '/overview', summary: 'How far along the company is', role: 'viewer', action: () => s.overviews.overview() }),

    ...jobRoutes(s),
    ...peopleRoutes(s),
    ...surveyRoutes(s),
    route({ method: 'get', path: '/files/{file}', summary: 'What a file holds', role: 'viewer', action: ({ params }) => s.libraries.details(params['file']!) }),
    route<SettleModel>({
      method: 'put',
      path: '/files/{file}/model',
      summary: 'Settle which model a drawing shows',
      role: 'editor',
      body: settleModel,
      action: ({ params, body }) => s.libraries.settleModel(params['file']!, body.model),
    }),
    route<SettlePart>({
      method: 'put',
      path: '/files/{file}/part',
      summary: "Settle which part file an assembly's copy belongs to",
      role: 'editor',
      body: settlePart,
      action: ({ params, body }) => s.libraries.settlePart(params['file']!, body.product, body.part),
    }),

    ...schemaRoutes(s),
    ...exchangeRoutes(s),
    route({ method: 'get', path: '/settings', summary: 'Company-wide settings', role: 'viewer', action: () => readSettings(s.db) }),
    route<Settings>({
      method: 'put',
      path: '/settings',
      summary: 'Change company-wide settings',
      role: 'administrator',
      body: settings,
      action: async ({ body }) => {
        const before = await readSettings(s.db);
        await writeSettings(s.db, body);
        if (JSON.stringify(before.standIns) !== JSON.stringify(body.standIns)) await judgeStandIns(s.db, body.standIns);
        await s.libraries.rematch();
        return readSettings(s.db);
      },
    }),

    route<undefined, FileFilter>({
      method: 'get',
      path: '/values/count',
      summary: 'How many files a filter chooses',
      role: 'viewer',
      query: fileFilter,
      action: async ({ query }) => ({ files: (await s.grid.page({ ...query, sort: 'file', descending: false, offset: 0, limit: 1 })).total }),
    }),
    route<undefined, GridQuery>({
      method: 'get',
      path: '/values',
      summary: 'A page of the grid of files × properties',
      role: 'viewer',
      query: gridQuery,
      action: ({ query }) => s.grid.page(query),
    }),
    route<ReplacementRequest>({
      method: 'post',
      path: '/values/find',
      summary: 'Values that find and replace would change, with what they would be',
      role: 'editor',
      body: replacementRequest,
      action: ({ user, body }) => s.finder.find(user, body),
    }),
    route<undefined, FileFilter & { group: GroupBy }>({
      method: 'get',
      path: '/values/groups',
      summary: 'The groups of the grid with their numbers of files',
      role: 'viewer',
      query: groupQuery,
      action: ({ query }) => s.grid.groups(query),
    }),
    route<undefined, { property: number }>({
      method: 'get',
      path: '/files/{file}/why',
      summary: 'Why a value is as it is: typed by whom, ruled, inherited from where, stale, violating what',
      role: 'viewer',
      query: reasonQuery,
      action: ({ params, query }) => whyCell(s.db, s.derived, params['file']!, query.property, new Date()),
    }),
    route({
      method: 'get',
      path: '/values/views',
      summary: 'Views of the grid: your own, and those that are shared',
      role: 'viewer',
      action: ({ user }) => s.grid.views(user),
    }),
    route<GridViewDraft>({
      method: 'post',
      path: '/values/views',
      summary: 'Keep a view of the grid under a name',
      role: 'viewer',
      body: gridViewDraft,
      action: ({ user, body }) => s.grid.saveView(user, body),
    }),
    route({
      method: 'delete',
      path: '/values/views/{view}',
      summary: 'Remove a view of your own',
      role: 'viewer',
      action: ({ user, params }) => s.grid.removeView(user, params['view']!),
    }),
    route({ method: 'get', path: '/values/filters', summary: 'Folders and kinds with counts', role: 'viewer', action: () => s.grid.filters() }),

    route({ method: 'get', path: '/tray', summary: 'Your pending lines', role: 'editor', action: ({ user }) => s.trays.view(user) }),
    route<ProposedValues>({
      method: 'post',
      path: '/tray',
      summary: 'Put typed values in your tray',
      role: 'editor',
      body: proposedValues,
      action: async ({ user, body }) => {
        await s.trays.propose(user, body.values, body.reason);
        return s.trays.view(user);
      },
    }),
    route<UpToDate>({
      method: 'post',
      path: '/values/up-to-date',
      summary: 'Put the values in your tray that stale ones should be',
      role: 'editor',
      body: upToDate,
      action: ({ user, body }) => s.renewal.toTray(user, body),
    }),
    route<undefined, CheckQuery>({
      method: 'get',
      path: '/check',
      summary: 'What is to be said of the files of a library, page by page',
      role: 'viewer',
      query: checkQuery,
      action: ({ query }) => s.fileChecks.page(query),
    }),
    route<TrayFiles>({
      method: 'post',
      path: '/tray/pending',
      summary: 'Your pending lines for some files',
      role: 'editor',
      body: trayFiles,
      action: ({ user, body }) => s.trays.pendingFor(user, body.files),
    }),
    route<UndoStep>({
      method: 'post',
      path: '/tray/undo',
      summary: 'Take the last typed step back, or do it again',
      role: 'editor',
      body: undoStep,
      action: async ({ user, body }) => {
        await s.trays.undo(user, body.again);
        return s.trays.view(user);
      },
    }),
    route<TrayLines>({
      method: 'post',
      path: '/tray/drop',
      summary: 'Give pending lines up',
      role: 'editor',
      body: trayLines,
      action: async ({ user, body }) => {
        await s.trays.drop(user, body.lines);
        return s.trays.view(user);
      },
    }),
    route<AcceptLines>({
      method: 'post',
      path: '/tray/accept',
      summary: 'Accept lines or set them aside',
      role: 'editor',
      body: acceptLines,
      action: async ({ user, body }) => {
        await s.trays.accept(user, body.lines, body.accepted);
        return s.trays.view(user);
      },
    }),
    route<SettleLine>({
      method: 'post',
      path: '/tray/settle',
      summary: 'Settle a conflict',
      role: 'editor',
      body: settleLine,
      action: async ({ user, body }) => {
        await s.trays.settle(user, body.line, body.take);
        return s.trays.view(user);
      },
    }),
    route<ApplyTray>({
      method: 'post',
      path: '/tray/apply',
      summary: 'Apply the accepted lines of your tray',
      role: 'editor',
      body: applyTray,
      action: async ({ user, body }) => {
        await s.applying.checkTray(user);
        return s.changes.begin(user, body.title || 'Apply the tray', (context) => s.applying.applyTray(user, body.mode, body.title, context));
      },
    }),
    route<undefined, HistoryQuery>({
      method: 'get',
      path: '/history',
      summary: 'Change sets that were applied or put back, the newest first',
      role: 'viewer',
      query: historyQuery,
      action: ({ query }) => s.applying.history(query),
    }),
    route({
      method: 'get',
      path: '/history/{set}/set',
      summary: 'A change set by its number',
      role: 'viewer',
      action: ({ params }) => s.applying.changeSet(params['set']!),
    }),
    route({
      method: 'get',
      path: '/history/{set}',
      summary: 'The lines of a change set',
      role: 'viewer',
      action: ({ params }) => s.applying.lines(params['set']!),
    }),
    route({
      method: 'get',
      path: '/history/{set}/check',
      summary: 'Read the files of a change set anew and compare them with what was meant',
      role: 'viewer',
      action: ({ params }) => s.checks.check(params['set']!),
    }),
    route({
      method: 'post',
      path: '/history/{set}/revert',
      summary: 'Undo a change set by its inverse',
      role: 'editor',
      action: async ({ user, params }) => {
        const { title } = await s.applying.checkRevert(params['set']!);
        return s.changes.begin(user, `Revert ${title}`, (context) => s.applying.revert(user, params['set']!, context));
      },
    }),

    route({
      method: 'get',
      path: '/tokens',
      summary: 'Your tokens for programs; for administrators those of everybody',
      role: 'viewer',
      action: ({ user }) => s.tokens.list(user),
    }),
    route<TokenDraft>({
      method: 'post',
      path: '/tokens',
      summary: 'Make a token by which a program acts for you; it is said this once',
      role: 'viewer',
      body: tokenDraft,
      action: ({ user, body }) => s.tokens.make(user, body),
    }),
    route({
      method: 'delete',
      path: '/tokens/{token}',
      summary: 'Take a token back',
      role: 'viewer',
      action: ({ user, params }) => s.tokens.remove(user, params['token']!),
    }),

    route({
      method: 'get',
      path: '/title-blocks',
      summary: 'Title blocks with their cells, bindings and drawings',
      role: 'viewer',
      action: () => s.titleBlocks.list(),
    }),
    route<undefined, BlockQuery>({
      method: 'get',
      path: '/files/{file}/title-block',
      summary: "One drawing's title block, drawn and filled",
      role: 'viewer',
      query: blockQuery,
      action: async ({ user, params, query }) =>
        s.titleBlocks.view(params['file']!, query.block, await s.trays.accepted(user, await s.titleBlocks.around(params['file']!))),
    }),
    route<BindingRequest>({
      method: 'put',
      path: '/title-blocks/bindings',
      summary: 'Bind a cell to a property, or free it',
      role: 'administrator',
      body: bindingRequest,
      action: ({ body }) => s.titleBlocks.bind(body),
    }),
    route<BlockTray>({
      method: 'post',
      path: '/title-blocks/tray',
      summary: 'Put the stale cells of a block in your tray',
      role: 'editor',
      body: blockTray,
      action: async ({ user, body }) => {
        const pending = (await s.trays.accepted(user, null)).filter((line) => line.address.place !== 'cell');
        const lines = await s.titleBlocks.staleLines(body.block, body.drawings, pending);
        if (lines.length === 0) throw invalid('nothing-stale', 'No cell of these drawings is stale.');
        await s.trays.add(user, lines);
        return s.trays.view(user);
      },
    }),

    route({ method: 'get', path: '/file-names', summary: 'The rules by which files are named', role: 'viewer', action: () => s.fileNaming.read() }),
    route<Naming>({
      method: 'put',
      path: '/file-names',
      summary: 'Store the rules by which files are named',
      role: 'administrator',
      body: naming,
      action: ({ body }) => s.fileNaming.save(body),
    }),
    route({
      method: 'get',
      path: '/file-names/plan',
      summary: 'Files whose name is not the one that their rule gives, with what stands in the way and what names them',
      role: 'viewer',
      action: ({ user }) => s.fileNaming.plan(user),
    }),
    route<{ files: number[] }>({
      method: 'post',
      path: '/file-names/tray',
      summary: 'Put new names in your tray, with what has to follow',
      role: 'editor',
      body: toDoFiles,
      action: ({ user, body }) => s.fileNaming.toTray(user, body.files),
    }),
    route<CopyRequest>({
      method: 'post',
      path: '/file-names/copies',
      summary: 'Make copies under the names that pending values give, and leave the originals as they are',
      role: 'editor',
      body: copyRequest,
      action: ({ user, body }) => s.fileNaming.copy(user, body),
    }),
    route<FileChoice>({
      method: 'post',
      path: '/fill',
      summary: 'Files with all that filling them in needs: the edition in force with its forms, choice lists, and what the files look at',
      role: 'viewer',
      body: fileChoice,
      action: ({ user, body }) => s.fill.open(user, body),
    }),
    route({
      method: 'get',
      path: '/fill/sets',
      summary: 'Saved sets of values: your own, and those that are shared',
      role: 'viewer',
      action: ({ user }) => s.fill.valueSets(user),
    }),
    route<ValueSetDraft>({
      method: 'post',
      path: '/fill/sets',
      summary: 'Keep a set of values under a name',
      role: 'editor',
      body: valueSetDraft,
      action: ({ user, body }) => s.fill.saveValueSet(user, body),
    }),
    route({
      method: 'delete',
      path: '/fill/sets/{set}',
      summary: 'Remove a set of values of your own',
      role: 'editor',
      action: ({ user, params }) => s.fill.removeValueSet(user, params['set']!),
    }),
    route<{ property: number; text: string; on: boolean }>({
      method: 'post',
      path: '/fill/favourites',
      summary: 'Mark a value as a favourite of yours, or take the mark away',
      role: 'editor',
      body: favourite,
      action: ({ user, body }) => s.fill.favourite(user, body),
    }),

    route({ method: 'get', path: '/projects', summary: 'The company, projects and drawing sets', role: 'viewer', action: () => s.projects.list() }),
    route<WideDraft>({
      method: 'post',
      path: '/projects',
      summary: 'Begin a project or drawing set',
      role: 'administrator',
      body: wideDraft,
      action: ({ body }) => s.projects.save(null, body),
    }),
    route({
      method: 'get',
      path: '/projects/{project}',
      summary: 'A company, project or drawing set: its values, its files, and those that do not hold yet what they take from it',
      role: 'viewer',
      action: ({ params }) => s.projects.view(params['project']!),
    }),
    route<WideDraft>({
      method: 'put',
      path: '/projects/{project}',
      summary: 'Change the name and the rule of a project or drawing set',
      role: 'administrator',
      body: wideDraft,
      action: ({ params, body }) => s.projects.save(params['project']!, body),
    }),
    route({
      method: 'delete',
      path: '/projects/{project}',
      summary: 'Remove a project or drawing set; its files keep what they hold',
      role: 'administrator',
      action: ({ params }) => s.projects.remove(params['project']!),
    }),
    route<WideMembers>({
      method: 'post',
      path: '/projects/{project}/members',
      summary: 'Put files in by hand, take them out, or leave them to the rule',
      role: 'editor',
      body: wideMembers,
      action: ({ params, body }) => s.projects.members(params['project']!, body),
    }),
    route({
      method: 'post',
      path: '/projects/{project}/push',
      summary: 'Put the values that files take from here, and do not hold yet, in your tray',
      role: 'editor',
      action: ({ user, params }) => s.projects.push(user, params['project']!),
    }),
    route({
      method: 'get',
      path: '/to-dos',
      summary: 'Files that have come or changed and lack names or required values',
      role: 'viewer',
      action: ({ user }) => s.toDos.list(user),
    }),
    route<{ files: number[] }>({
      method: 'post',
      path: '/to-dos/tray',
      summary: 'Put the names that files lack in your tray',
      role: 'editor',
      body: toDoFiles,
      action: ({ user, body }) => s.toDos.toTray(user, body.files),
    }),
    route<{ files: number[] }>({
      method: 'post',
      path: '/to-dos/dismiss',
      summary: 'Take files off the list, whatever they lack',
      role: 'editor',
      body: toDoFiles,
      action: ({ body }) => s.toDos.dismiss(body.files),
    }),

    route({
      method: 'get',
      path: '/bom/assemblies',
      summary: 'Assemblies, with the number of parts that have no part file yet',
      role: 'viewer',
      action: () => s.boms.assemblies(),
    }),
    route({ method: 'get', path: '/bom/layouts', summary: 'BOM layouts', role: 'viewer', action: () => s.boms.layouts() }),
    route<Omit<BomLayout, 'id'>>({
      method: 'post',
      path: '/bom/layouts',
      summary: 'Add a BOM layout',
      role: 'administrator',
      body: bomLayout,
      action: ({ body }) => s.boms.saveLayout(null, body),
    }),
    route<Omit<BomLayout, 'id'>>({
      method: 'put',
      path: '/bom/layouts/{layout}',
      summary: 'Change a BOM layout',
      role: 'administrator',
      body: bomLayout,
      action: ({ params, body }) => s.boms.saveLayout(params['layout']!, body),
    }),
    route({
      method: 'get',
      path: '/files/{file}/bom',
      summary: 'The single-level BOM of an assembly',
      role: 'viewer',
      action: ({ params }) => s.boms.table(params['file']!),
    }),
    route<BomColumns>({
      method: 'post',
      path: '/files/{file}/bom.csv',
      summary: 'The single-level BOM as CSV',
      role: 'viewer',
      body: bomColumns,
      action: async ({ params, body, response }) => {
        const { name, text } = await s.boms.csv(params['file']!, body.columns);
        response.type('text/csv; charset=utf-8').setHeader('content-disposition', disposition(name));
        response.send(text);
      },
    }),

    route({
      method: 'get',
      path: '/vault',
      summary: "The vault's files, fields and own link table, and the links",
      role: 'viewer',
      action: () => s.vault.state(),
    }),
    route<Link>({
      method: 'post',
      path: '/vault/links',
      summary: 'Add a link',
      role: 'administrator',
      body: linkDraft,
      action: ({ body }) => s.vault.saveLink(null, body),
    }),
    route<Link>({
      method: 'put',
      path: '/vault/links/{link}',
      summary: 'Change a link',
      role: 'administrator',
      body: linkDraft,
      action: ({ params, body }) => s.vault.saveLink(params['link']!, body),
    }),
    route({
      method: 'delete',
      path: '/vault/links/{link}',
      summary: 'Remove a link',
      role: 'administrator',
      action: ({ params }) => s.vault.removeLink(params['link']!),
    }),
    route({
      method: 'get',
      path: '/files/{file}/record',
      summary: 'File, record and last agreed value of every link of a file, and what the next check-in does',
      role: 'viewer',
      action: ({ params }) => s.vault.file(params['file']!),
    }),
    route<CheckIn>({
      method: 'post',
      path: '/files/{file}/check-in',
      summary: 'Check a file in, passing values through its links',
      role: 'editor',
      body: checkIn,
      action: ({ user, params, body }) => s.vault.checkIn(user, params['file']!, body.settled),
    }),
  ];
}
