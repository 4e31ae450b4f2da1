import {
  AddedProperties,
  ChangedProperties,
  ListSource,
  RolloutAction,
  SavedChecks,
  TryExpression,
  TryQuery,
  SavedForm,
  StartPlan,
  Effect,
} from '@rule/contract';
import {
  addedProperties,
  bringIntoForce,
  changedProperties,
  choiceListDraft,
  drawForFiles,
  drawNumber,
  listLoad,
  listSource,
  propertyOrder,
  rolloutRequest,
  savedChecks,
  savedStrangers,
  formOrder,
  savedForm,
  startPlan,
  toDoFiles,
  seriesDraft,
  tryExpression,
  tryQuery,
  tryRepair,
} from '@rule/contract/checks';
import { ChoiceListDraft, Schema, SeriesDraft } from '@rule/core/schema';
import { PRACTICES, Practice, STARTERS } from '@rule/core/standards';
import Joi from 'joi';
import { XLSX, disposition } from '../exchange/send';
import { invalid, notFound } from '../platform/problem';
import { headerName } from '../platform/file-name';
import { Route, route } from '../platform/route';
import { schemaPlaces } from './places';
import { Services } from '../services';
import { explainRule } from './explain';
import { standardsOf } from './standards';

const LARGEST_DOCUMENT = 20 * 1024 * 1024;

const editionQuery = Joi.object<{ edition: number | null }>({ edition: Joi.number().integer().min(0).allow(null).default(null) });
const comparison = Joi.object<{ from: number; to: number }>({ from: Joi.number().integer().min(0).required(), to: Joi.number().integer().min(0).required() });
const practiceQuery = Joi.object<{ practice: Practice }>({ practice: Joi.valid(...PRACTICES).default('iso') });
const startFileQuery = Joi.object<{ name: string }>({ name: Joi.string().max(300).required() });
const starterRequest = Joi.object<{ starter: string; names: string[] | null }>({
  starter: Joi.string().max(50).required(),
  names: Joi.array().items(Joi.string().max(255)).max(200).allow(null).default(null),
}).required();

const uploadOf = (request: { readonly body: unknown; get(name: string): string | undefined }): { name: string; bytes: Uint8Array } => {
  const bytes: unknown = request.body;
  if (!(bytes instanceof Uint8Array) || bytes.length === 0) throw invalid('empty-file', 'No file was sent.');
  return { name: headerName(request.get('x-file-name')), bytes };
};

/** Routes of the schema: its draft and editions, tries, choice lists, number series, rollout, documents and standards. */
export function schemaRoutes(s: Services): Route[] {
  return [
    route({
      method: 'get',
      path: '/properties',
      summary: 'All properties of the edition in force, retired ones included',
      role: 'viewer',
      action: () => s.properties.list(s.db),
    }),
    route({
      method: 'get',
      path: '/properties/{property}/way',
      summary: 'The way of a property: where it is defined, which files hold it, which cell, column and field use it',
      role: 'viewer',
      action: ({ params }) => s.overviews.way(params['property']!),
    }),

    route({ method: 'get', path: '/schema/editions', summary: 'All editions, the newest first', role: 'viewer', action: () => s.editions.list() }),
    route<undefined, { from: number; to: number }>({
      method: 'get',
      path: '/schema/compare',
      summary: 'What leads from one edition to another',
      role: 'viewer',
      query: comparison,
      action: ({ query }) => s.editions.compare(query.from, query.to),
    }),
    route({
      method: 'get',
      path: '/schema/draft',
      summary: 'The draft, or what is in force where there is none',
      role: 'viewer',
      action: () => s.editions.draft(),
    }),
    route<AddedProperties>({
      method: 'post',
      path: '/schema/draft/properties',
      summary: 'Define properties in the draft',
      role: 'administrator',
      body: addedProperties,
      action: async ({ user, body }) => {
        const ids = await s.editions.add(user, body.properties);
        return { ids, draft: await s.editions.draft() };
      },
    }),
    route<ChangedProperties>({
      method: 'put',
      path: '/schema/draft/properties',
      summary: 'Change properties of the draft; what others changed meanwhile stays, contradictions are refused',
      role: 'administrator',
      body: changedProperties,
      action: async ({ user, body }) => {
        await s.editions.edit(user, body.properties);
        return s.editions.draft();
      },
    }),
    route({
      method: 'delete',
      path: '/schema/draft/properties/{property}',
      summary: 'Take a property that was never in force out of the draft',
      role: 'administrator',
      action: async ({ user, params }) => {
        await s.editions.remove(user, params['property']!);
        return s.editions.draft();
      },
    }),
    route<{ ids: number[] }>({
      method: 'put',
      path: '/schema/draft/order',
      summary: 'Put the properties of the draft in an order',
      role: 'administrator',
      body: propertyOrder,
      action: async ({ user, body }) => {
        await s.editions.order(user, body.ids);
        return s.editions.draft();
      },
    }),
    route<SavedChecks>({
      method: 'put',
      path: '/schema/draft/checks',
      summary: 'Save the checks across properties',
      role: 'administrator',
      body: savedChecks,
      action: async ({ user, body }) => {
        await s.editions.saveChecks(user, body.checks);
        return s.editions.draft();
      },
    }),
    route<SavedForm>({
      method: 'put',
      path: '/schema/draft/forms',
      summary: 'Store a form in the draft; what somebody else has changed since its author saw it stays',
      role: 'administrator',
      body: savedForm,
      action: async ({ user, body }) => ({ id: await s.editions.saveForm(user, body), draft: await s.editions.draft() }),
    }),
    route({
      method: 'delete',
      path: '/schema/draft/forms/{form}',
      summary: 'Take a form out of the draft',
      role: 'administrator',
      action: async ({ user, params }) => {
        await s.editions.removeForm(user, params['form']!);
        return s.editions.draft();
      },
    }),
    route<{ ids: number[] }>({
      method: 'put',
      path: '/schema/draft/forms/order',
      summary: 'Put the forms in the order in which they are tried for a file',
      role: 'administrator',
      body: formOrder,
      action: async ({ user, body }) => {
        await s.editions.orderForms(user, body.ids);
        return s.editions.draft();
      },
    }),
    route<{ strangers: Schema['strangers'] }>({
      method: 'put',
      path: '/schema/draft/strangers',
      summary: 'Say what names outside the schema may do, kind by kind',
      role: 'administrator',
      body: savedStrangers,
      action: async ({ user, body }) => {
        await s.editions.saveStrangers(user, body.strangers);
        return s.editions.draft();
      },
    }),
    route({
      method: 'delete',
      path: '/schema/draft',
      summary: 'Discard the draft',
      role: 'administrator',
      action: async ({ user }) => (await s.editions.discard(user), s.editions.draft()),
    }),
    route({
      method: 'post',
      path: '/schema/draft/reinstate',
      summary: 'Take the last discarded draft back',
      role: 'administrator',
      action: async () => (await s.editions.reinstate(), s.editions.draft()),
    }),
    route<{ note: string; revision: number | null }>({
      method: 'post',
      path: '/schema/draft/in-force',
      summary: 'Bring the draft into force, whole or not at all',
      role: 'administrator',
      body: bringIntoForce,
      action: async ({ user, body }) => ({ edition: await s.editions.bringIntoForce(user, body.note, body.revision) }),
    }),
    route({
      method: 'post',
      path: '/schema/editions/{edition}/draft',
      summary: 'Make an earlier edition the draft',
      role: 'administrator',
      action: async ({ user, params }) => {
        await s.editions.goBack(user, params['edition']!);
        return s.editions.draft();
      },
    }),
    route({ method: 'get', path: '/schema/starters', summary: 'Schemas to start from', role: 'viewer', action: () => Promise.resolve(STARTERS) }),
    route<{ starter: string; names: string[] | null }>({
      method: 'post',
      path: '/schema/draft/starter',
      summary: 'Take properties of a starter into the draft; names that the schema has already are passed over',
      role: 'administrator',
      body: starterRequest,
      action: async ({ user, body }) => {
        const starter = STARTERS.find((candidate) => candidate.id === body.starter);
        if (!starter) throw notFound(`The starter ${body.starter}`);
        const { schema } = await s.editions.draft();
        const taken = new Set(schema.properties.flatMap((property) => [property.writtenName, ...property.knownSpellings]));
        const fresh = starter.properties.filter(
          (property) => !taken.has(property.writtenName) && (body.names === null || body.names.includes(property.writtenName)),
        );
        if (fresh.length === 0) throw invalid('nothing-new', 'The schema has all of these properties already.');
        await s.editions.add(user, fresh);
        return s.editions.draft();
      },
    }),
    route<undefined, { practice: Practice }>({
      method: 'get',
      path: '/schema/standards',
      summary: 'What the draft and the drawings miss of ISO or of ASME practice',
      role: 'viewer',
      query: practiceQuery,
      action: ({ query }) => standardsOf(s.db, s.editions, query.practice),
    }),

    route({
      method: 'post',
      path: '/schema/tries',
      summary: 'Try the draft on all files, as a job',
      role: 'administrator',
      action: ({ user }) => s.tries.start(user),
    }),
    route({
      method: 'get',
      path: '/schema/tries',
      summary: 'The newest try: files by effect and property',
      role: 'viewer',
      action: async () => ({ summary: await s.tries.summary() }),
    }),
    route<undefined, TryQuery>({
      method: 'get',
      path: '/schema/tries/{try}',
      summary: 'What a try has found, file by file',
      role: 'viewer',
      query: tryQuery,
      action: ({ params, query }) => s.tries.findings(params['try']!, query),
    }),
    route<{ effect: Effect; property: number }>({
      method: 'post',
      path: '/schema/tries/{try}/repair',
      summary: 'Put repairs of what a try has found of a property in your tray',
      role: 'administrator',
      body: tryRepair,
      action: ({ user, params, body }) => s.tries.repair(user, params['try']!, body.effect, body.property),
    }),
    route<TryExpression>({
      method: 'post',
      path: '/schema/explain',
      summary: 'Run a rule as it is being written on files, and tell what each part came to',
      role: 'viewer',
      body: tryExpression,
      action: ({ body }) => explainRule(s.db, s.editions, body, new Date()),
    }),

    route({
      method: 'get',
      path: '/schema/rollout',
      summary: 'How far every property in force has come into the files',
      role: 'viewer',
      action: () => s.rollout.rows(),
    }),
    route({
      method: 'get',
      path: '/schema/rollout/{property}',
      summary: "Files that lack a property's name, with the reason where they cannot be written",
      role: 'viewer',
      action: ({ params }) => s.rollout.missing(params['property']!),
    }),
    route<{ property: number; action: RolloutAction }>({
      method: 'post',
      path: '/schema/rollout',
      summary: 'Put lines in your tray that carry a property on into the files',
      role: 'editor',
      body: rolloutRequest,
      action: ({ user, body }) => s.rollout.toTray(user, body.property, body.action),
    }),

    route({
      method: 'get',
      path: '/schema/places',
      summary: 'Fields, cells, layers and texts that files have, for homes and feeds',
      role: 'viewer',
      action: () => schemaPlaces(s.db),
    }),
    route({ method: 'get', path: '/lists', summary: 'Choice lists', role: 'viewer', action: () => s.lists.list() }),
    route<ChoiceListDraft>({
      method: 'post',
      path: '/lists',
      summary: 'Add a choice list',
      role: 'administrator',
      body: choiceListDraft,
      action: ({ body }) => s.lists.save(null, body),
    }),
    route<ChoiceListDraft>({
      method: 'put',
      path: '/lists/{list}',
      summary: 'Change a choice list',
      role: 'administrator',
      body: choiceListDraft,
      action: ({ params, body }) => s.lists.save(params['list']!, body),
    }),
    route({
      method: 'delete',
      path: '/lists/{list}',
      summary: 'Remove a choice list that no property uses',
      role: 'administrator',
      action: ({ params }) => s.lists.remove(params['list']!),
    }),
    route<{ source: ListSource | null }>({
      method: 'put',
      path: '/lists/{list}/source',
      summary: 'Say where a choice list is kept in step with',
      role: 'administrator',
      body: listSource,
      action: ({ params, body }) => s.lists.setSource(params['list']!, body.source),
    }),
    route({
      method: 'post',
      path: '/lists/{list}/preview',
      summary: 'What loading a choice list from its source would change',
      role: 'administrator',
      action: ({ params }) => s.lists.preview(params['list']!, null),
    }),
    route<{ token: string }>({
      method: 'post',
      path: '/lists/{list}/load',
      summary: 'Load a choice list from its source as a preview has shown it',
      role: 'administrator',
      body: listLoad,
      action: ({ params, body }) => s.lists.load(params['list']!, body.token, null),
    }),
    route({
      method: 'post',
      path: '/lists/{list}/preview-file',
      summary: 'What loading a choice list from a file would change',
      role: 'administrator',
      upload: LARGEST_DOCUMENT,
      action: ({ params, request }) => s.lists.preview(params['list']!, uploadOf(request)),
    }),
    route({
      method: 'post',
      path: '/lists/{list}/load-file',
      summary: 'Load a choice list from a file; the token of its preview goes in the header x-token',
      role: 'administrator',
      upload: LARGEST_DOCUMENT,
      action: ({ params, request }) => s.lists.load(params['list']!, request.get('x-token') ?? '', uploadOf(request)),
    }),
    route({
      method: 'post',
      path: '/lists/{list}/replace',
      summary: 'Put the replacements of retired choices in your tray',
      role: 'editor',
      action: ({ user, params }) => s.lists.replace(user, params['list']!),
    }),

    route({ method: 'get', path: '/series', summary: 'Number series with what they have handed out', role: 'viewer', action: () => s.series.list() }),
    route<SeriesDraft>({
      method: 'post',
      path: '/series',
      summary: 'Add a number series',
      role: 'administrator',
      body: seriesDraft,
      action: ({ body }) => s.series.save(null, body),
    }),
    route<SeriesDraft>({
      method: 'put',
      path: '/series/{series}',
      summary: 'Change a number series',
      role: 'administrator',
      body: seriesDraft,
      action: ({ params, body }) => s.series.save(params['series']!, body),
    }),
    route({
      method: 'delete',
      path: '/series/{series}',
      summary: 'Remove a number series that was never used',
      role: 'administrator',
      action: ({ params }) => s.series.remove(params['series']!),
    }),
    route<{ file: number | null; note: string }>({
      method: 'post',
      path: '/series/{series}/draw',
      summary: 'Reserve the next number',
      role: 'editor',
      body: drawNumber,
      action: ({ user, params, body }) => s.series.draw(user, params['series']!, body.file, body.note),
    }),
    route<{ property: number; files: number[] }>({
      method: 'post',
      path: '/series/draw',
      summary: 'Reserve numbers of a counted property for files and put them in your tray',
      role: 'editor',
      body: drawForFiles,
      action: ({ user, body }) => s.series.drawForFiles(user, body.property, body.files),
    }),
    route({
      method: 'post',
      path: '/series/numbers/{number}/release',
      summary: 'Give a reserved number back',
      role: 'editor',
      action: ({ params }) => s.series.release(params['number']!),
    }),

    route({
      method: 'get',
      path: '/start-files',
      summary: 'The start files that are published, where they stand and whether anyone has changed them',
      role: 'viewer',
      action: () => s.startFiles.view(),
    }),
    route<StartPlan>({
      method: 'post',
      path: '/start-files/compare',
      summary: 'What publishing start files from the edition in force would do',
      role: 'administrator',
      body: startPlan,
      action: ({ body }) => s.startFiles.compare(body),
    }),
    route<StartPlan>({
      method: 'post',
      path: '/start-files/publish',
      summary: 'Publish start files from the edition in force',
      role: 'administrator',
      body: startPlan,
      action: ({ user, body }) => s.startFiles.publish(user, body),
    }),
    route<undefined, { name: string }>({
      method: 'get',
      path: '/start-files/file',
      summary: 'One start file',
      role: 'viewer',
      query: startFileQuery,
      action: async ({ query, response }) => {
        const bytes = await s.startFiles.file(query.name);
        response.type('application/octet-stream').setHeader('content-disposition', disposition(query.name));
        response.send(Buffer.from(bytes));
      },
    }),
    route({
      method: 'get',
      path: '/start-files/older',
      summary: 'Files that were made from the start file of an older edition, with the names that they lack',
      role: 'viewer',
      action: () => s.startFiles.older(),
    }),
    route<{ files: number[] }>({
      method: 'post',
      path: '/start-files/bring-up',
      summary: 'Put the names that files of older start files lack in your tray',
      role: 'editor',
      body: toDoFiles,
      action: ({ user, body }) => s.startFiles.bringUp(user, body.files),
    }),

    route<undefined, { edition: number | null }>({
      method: 'get',
      path: '/schema/document.json',
      summary: 'The draft or an edition as JSON: JSON Schema for the values, and the whole definition beside it',
      role: 'viewer',
      query: editionQuery,
      action: ({ query }) => s.documents.json(query.edition),
    }),
    route({
      method: 'post',
      path: '/schema/draft/document',
      summary: 'Take a JSON document into the draft',
      role: 'administrator',
      upload: LARGEST_DOCUMENT,
      action: async ({ user, request }) => {
        const { name, bytes } = uploadOf(request);
        let body: unknown;
        try {
          body = JSON.parse(
            Buffer.from(bytes)
              .toString('utf8')
              .replace(/^\ufeff/, ''),
          );
        } catch (error) {
          throw invalid('bad-document', `${name} is not JSON: ${error instanceof Error ? error.message : ''}.`);
        }
        await s.documents.importJson(user, body);
        return s.editions.draft();
      },
    }),
    route<undefined, { edition: number | null }>({
      method: 'get',
      path: '/schema/document.xlsx',
      summary: 'The draft or an edition as a workbook to be discussed',
      role: 'viewer',
      query: editionQuery,
      action: async ({ query, response }) => {
        const { name, bytes } = await s.documents.workbook(query.edition);
        response.type(XLSX).setHeader('content-disposition', disposition(name));
        response.send(bytes);
      },
    }),
    route({
      method: 'post',
      path: '/schema/draft/table',
      summary: 'Take a workbook or CSV file back into the draft',
      role: 'administrator',
      upload: LARGEST_DOCUMENT,
      action: async ({ user, request }) => {
        const { name, bytes } = uploadOf(request);
        await s.documents.importTable(user, name, bytes);
        return s.editions.draft();
      },
    }),
    route<undefined, { edition: number | null }>({
      method: 'get',
      path: '/schema/page',
      summary: 'The draft or an edition as a page to be printed',
      role: 'viewer',
      query: editionQuery,
      action: async ({ query, response }) => {
        response.type('text/html; charset=utf-8').setHeader('content-security-policy', "default-src 'none'; style-src 'unsafe-inline'");
        response.send(await s.documents.page(query.edition));
      },
    }),
  ];
}
