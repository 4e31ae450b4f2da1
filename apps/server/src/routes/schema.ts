import { NamesIn } from '@rule/contract/routes';
import { Handlers } from './router';
import { Services } from '../services';
import { STARTERS } from '@rule/core/standards';
import { disposition } from './send';
import { XLSX } from '@rule/contract';
import { invalid, notFound } from '../platform/problem';
import { explainRule } from '../schema/explain';
import { schemaPlaces } from '../schema/places';
import { standardsOf } from '../schema/standards';
import { uploadOf } from './upload';

/** The schema: its draft and editions, tries, rollout, start files, documents and standards. */
export function schemaHandlers(s: Services): Handlers<NamesIn<'Schema'>> {
  return {
    'GET /properties': () => s.properties.list(s.db),
    'GET /properties/{property}/way': ({ params }) => s.overviews.way(params.property),
    'GET /schema/editions': () => s.editions.list(),
    'GET /schema/compare': ({ query }) => s.editions.compare(query.from, query.to),
    'GET /schema/draft': () => s.editions.draft(),
    'POST /schema/draft/properties': async ({ user, body }) => {
      const ids = await s.editions.add(user, body.properties);
      return { ids, draft: await s.editions.draft() };
    },
    'PUT /schema/draft/properties': async ({ user, body }) => {
      await s.editions.edit(user, body.properties);
      return s.editions.draft();
    },
    'DELETE /schema/draft/properties/{property}': async ({ user, params }) => {
      await s.editions.remove(user, params.property);
      return s.editions.draft();
    },
    'PUT /schema/draft/order': async ({ user, body }) => {
      await s.editions.order(user, body.ids);
      return s.editions.draft();
    },
    'PUT /schema/draft/checks': async ({ user, body }) => {
      await s.editions.saveChecks(user, body.checks);
      return s.editions.draft();
    },
    'PUT /schema/draft/forms': async ({ user, body }) => ({ id: await s.editions.saveForm(user, body), draft: await s.editions.draft() }),
    'DELETE /schema/draft/forms/{form}': async ({ user, params }) => {
      await s.editions.removeForm(user, params.form);
      return s.editions.draft();
    },
    'PUT /schema/draft/forms/order': async ({ user, body }) => {
      await s.editions.orderForms(user, body.ids);
      return s.editions.draft();
    },
    'PUT /schema/draft/bindings': async ({ user, body }) => {
      await s.editions.bind(user, body.cells);
      return s.editions.draft();
    },
    'POST /schema/draft/links': async ({ user, body }) => {
      await s.vault.checkField(body.field);
      return { id: await s.editions.saveLink(user, null, body), draft: await s.editions.draft() };
    },
    'PUT /schema/draft/links/{link}': async ({ user, params, body }) => {
      await s.vault.checkField(body.field);
      await s.editions.saveLink(user, params.link, body);
      return s.editions.draft();
    },
    'DELETE /schema/draft/links/{link}': async ({ user, params }) => {
      await s.editions.removeLink(user, params.link);
      return s.editions.draft();
    },
    'PUT /schema/draft/strangers': async ({ user, body }) => {
      await s.editions.saveStrangers(user, body.strangers);
      return s.editions.draft();
    },
    'DELETE /schema/draft': async ({ user }) => (await s.editions.discard(user), s.editions.draft()),
    'POST /schema/draft/reinstate': async () => (await s.editions.reinstate(), s.editions.draft()),
    'POST /schema/draft/in-force': async ({ user, body }) => ({ edition: await s.editions.bringIntoForce(user, body.note, body.revision) }),
    'POST /schema/editions/{edition}/draft': async ({ user, params }) => {
      await s.editions.goBack(user, params.edition);
      return s.editions.draft();
    },
    'GET /schema/starters': () => Promise.resolve(STARTERS),
    'POST /schema/draft/starter': async ({ user, body }) => {
      const starter = STARTERS.find((candidate) => candidate.id === body.starter);
      if (!starter) throw notFound(`The starter ${body.starter}`);
      const { schema } = await s.editions.draft();
      const taken = new Set(schema.properties.flatMap((property) => [property.writtenName, ...property.knownSpellings]));
      const fresh = starter.properties.filter(
        (property) => !taken.has(property.writtenName) && (body.names === null || body.names.includes(property.writtenName)),
      );
      if (fresh.length === 0) throw invalid('nothing-new', 'The schema already has all of these properties.');
      await s.editions.add(user, fresh);
      return s.editions.draft();
    },
    'GET /schema/standards': ({ query }) => standardsOf(s.db, s.editions, query.practice),
    'POST /schema/tries': ({ user }) => s.tries.start(user),
    'GET /schema/tries': async () => ({ summary: await s.tries.summary() }),
    'GET /schema/tries/{try}': ({ params, query }) => s.tries.findings(params.try, query),
    'POST /schema/tries/{try}/repair': ({ user, params, body }) => s.tries.repair(user, params.try, body.effect, body.property),
    'POST /schema/explain': ({ body }) => explainRule(s.db, s.editions, body, new Date()),
    'GET /schema/rollout': () => s.rollout.rows(),
    'GET /schema/rollout/{property}': ({ params }) => s.rollout.missing(params.property),
    'POST /schema/rollout': ({ user, body }) => s.rollout.toTray(user, body.property, body.action),
    'GET /schema/places': () => schemaPlaces(s.db),
    'GET /start-files': () => s.startFiles.view(),
    'POST /start-files/compare': ({ body }) => s.startFiles.compare(body),
    'POST /start-files/publish': ({ user, body }) => s.startFiles.publish(user, body),
    'GET /start-files/file': async ({ query, response }) => {
      const bytes = await s.startFiles.file(query.name);
      response.type('application/octet-stream').setHeader('content-disposition', disposition(query.name));
      response.send(Buffer.from(bytes));
    },
    'GET /start-files/older': () => s.startFiles.older(),
    'POST /start-files/bring-up': ({ user, body }) => s.startFiles.bringUp(user, body.files),
    'GET /schema/document.json': ({ query }) => s.documents.json(query.edition),
    'POST /schema/draft/document': async ({ user, request }) => {
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
    'GET /schema/document.xlsx': async ({ query, response }) => {
      const { name, bytes } = await s.documents.workbook(query.edition);
      response.type(XLSX).setHeader('content-disposition', disposition(name));
      response.send(bytes);
    },
    'POST /schema/draft/table': async ({ user, request }) => {
      const { name, bytes } = uploadOf(request);
      await s.documents.importTable(user, name, bytes);
      return s.editions.draft();
    },
    'GET /schema/page': async ({ query, response }) => {
      response.type('text/html; charset=utf-8').setHeader('content-security-policy', "default-src 'none'; style-src 'unsafe-inline'");
      response.send(await s.documents.page(query.edition));
    },
  };
}
