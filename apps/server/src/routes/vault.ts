import { NamesIn } from '@rule/contract/routes';
import { Handlers } from './router';
import { Services } from '../services';
import { disposition } from './send';

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
    'POST /files/{file}/check-in': ({ user, params, body }) => s.vault.checkIn(user, params.file, body),
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
    'POST /vault/runs': async ({ user, body }) => ({ job: await s.vaultRuns.start(user, body) }),
  };
}
