import { NamesIn } from '@rule/contract/routes';
import { Handlers } from './router';
import { Services } from '../services';

/** The vault: links and records. */
export function vaultHandlers(s: Services): Handlers<NamesIn<'Vault'>> {
  return {
    'GET /vault': () => s.vault.state(),
    'POST /vault/links': ({ body }) => s.vault.saveLink(null, body),
    'PUT /vault/links/{link}': ({ params, body }) => s.vault.saveLink(params.link, body),
    'DELETE /vault/links/{link}': ({ params }) => s.vault.removeLink(params.link),
    'GET /files/{file}/record': ({ params }) => s.vault.file(params.file),
    'POST /files/{file}/check-in': ({ user, params, body }) => s.vault.checkIn(user, params.file, body.settled),
  };
}
