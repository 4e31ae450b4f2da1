import { NamesIn } from '@rule/contract/routes';
import { Handlers } from './router';
import { Services } from '../services';

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
    'POST /vault/runs': async ({ user, body }) => ({ job: await s.vaultRuns.start(user, body) }),
  };
}
