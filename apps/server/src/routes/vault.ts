import { NamesIn } from '@rule/contract/routes';
import { Handlers } from './router';
import { Services } from '../services';
import { disposition } from './send';
import { uploadOf } from './upload';

/** The vault: links and records. */
export function vaultHandlers(s: Services): Handlers<NamesIn<'Vault'>> {
  return {
    'GET /vault': () => s.vault.state(),
    'POST /vault/refresh': async () => {
      await s.vault.refresh();
      return s.vault.state();
    },
    'PUT /libraries/{library}/vault': ({ params, body }) => s.vault.stand(params.library, body.inVault),
    'GET /files/{file}/record': ({ params }) => s.vault.file(params.file),
    'POST /files/{file}/record/try': ({ params, body }) => s.vault.tryOut(params.file, body),
    'POST /files/{file}/check-in': ({ user, params, body }) => s.checkIns.checkIn(user, params.file, body),
    'POST /vault/rehearse': ({ body }) => s.vaultRuns.rehearse(body.files),
    'GET /vault/rehearsals': ({ user }) => s.keptRehearsals.list(user),
    'POST /vault/rehearsals': ({ user, body }) => s.keptRehearsals.keep(user, body.title),
    'GET /vault/rehearsals/{rehearsal}': ({ user, params }) => s.keptRehearsals.get(user, params.rehearsal),
    'GET /vault/rehearsals/{rehearsal}/table': async ({ user, params, response }) => {
      const { name, text } = await s.keptRehearsals.table(user, params.rehearsal);
      response.type('text/csv; charset=utf-8').setHeader('content-disposition', disposition(name));
      response.send(text);
    },
    'DELETE /vault/rehearsals/{rehearsal}': ({ user, params }) => s.keptRehearsals.remove(user, params.rehearsal),
    'POST /vault/newcomers': ({ body }) => s.vaultRuns.newcomers(body.folder),
    'GET /vault/definition': () => s.definitions.view(),
    'POST /vault/fields': async ({ body }) => {
      await s.definitions.order(body);
      return s.definitions.view();
    },
    'GET /vault/definition/table': async ({ response }) => {
      response.type('text/csv; charset=utf-8').setHeader('content-disposition', disposition('record fields.csv'));
      response.send(await s.definitions.handedOver());
    },
    'POST /vault/link-table/correct': async () => ({ corrected: await s.definitions.correctTable() }),
    'GET /vault/records': ({ query }) => s.records.page(query),
    'PUT /vault/records': ({ user, body }) => s.records.edit(user, body),
    'GET /vault/record-edits': () => s.records.history(),
    'POST /vault/record-edits/{edit}/undo': ({ user, params }) => s.records.undo(user, params.edit),
    'POST /vault/list-file': async ({ request }) => {
      const { name, bytes } = uploadOf(request);
      const { header, rows } = await s.records.openList(name, bytes);
      return { headers: [...header], rows: rows.map((row) => [...row]) };
    },
    'POST /vault/list/preview': ({ body }) => s.records.readList(body),
    'POST /vault/list': ({ user, body }) => s.records.takeList(user, body),
    'POST /vault/runs': async ({ user, body }) => ({ job: await s.vaultRuns.start(user, body) }),
  };
}
