import { NamesIn } from '@rule/contract/routes';
import { Handlers } from './router';
import { Services } from '../services';
import { AppError } from '../platform/problem';
import { User } from '../users/user';

/** Managing people with a token requires that scope. */
function checkScope(user: User): void {
  if (user.scope && user.scope !== 'people') throw new AppError(403, 'token-scope', 'This token does not allow managing people. Create one with that scope.');
}

/** Only the user in a session, not a token. */
function checkInPerson(user: User): void {
  if (user.scope) throw new AppError(403, 'token-scope', 'This needs a signed-in person, not a token.');
}

/** People, one’s own profile, and tokens. */
export function peopleHandlers(s: Services): Handlers<NamesIn<'People and tokens'>> {
  const managed = <T>(user: User, work: () => Promise<T>): Promise<T> => {
    checkScope(user);
    return work();
  };
  return {
    'GET /tokens': ({ user }) => s.tokens.list(user),
    'POST /tokens': ({ user, body }) => s.tokens.make(user, body),
    'DELETE /tokens/{token}': ({ user, params }) => s.tokens.remove(user, params.token),
    'GET /people': ({ user }) => managed(user, () => s.people.list()),
    'POST /people': ({ user, body }) => managed(user, () => s.people.add(body)),
    'PUT /people/{person}': ({ user, params, body }) => managed(user, () => s.people.change(user, params.person, body)),
    'POST /people/{person}/password': ({ user, params }) => managed(user, () => s.people.reset(params.person)),
    'DELETE /people/{person}': ({ user, params }) => managed(user, () => s.people.remove(user, params.person)),
    'PUT /profile': ({ user, body }) => {
      checkInPerson(user);
      return s.people.rename(user, body.displayName);
    },
    'PUT /profile/password': ({ user, body, request }) => {
      checkInPerson(user);
      return s.people.changePassword(user, body.current, body.next, request.sessionID);
    },
  };
}
