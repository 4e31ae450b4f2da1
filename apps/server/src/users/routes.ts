import { PasswordChange, PersonChange, PersonDraft, ProfileChange } from '@rule/contract';
import { passwordChange, personChange, personDraft, profileChange } from '@rule/contract/checks';
import { AppError } from '../platform/problem';
import { Route, route } from '../platform/route';
import { Services } from '../services';
import { User } from './user';

/** Programs manage people only with a token that says so. */
function checkScope(user: User): void {
  if (user.scope && user.scope !== 'people') throw new AppError(403, 'token-scope', 'This token is not for managing people. Make one whose scope says so.');
}

/** Only the person themselves, at the keyboard. */
function checkInPerson(user: User): void {
  if (user.scope) throw new AppError(403, 'token-scope', 'A token does not do this. Sign in.');
}

/** Routes about people and about oneself. */
export function peopleRoutes({ people }: Services): Route[] {
  const managed = <T>(user: User, work: () => Promise<T>): Promise<T> => {
    checkScope(user);
    return work();
  };
  return [
    route({
      method: 'get',
      path: '/people',
      summary: 'The people of the company',
      role: 'administrator',
      action: ({ user }) => managed(user, () => people.list()),
    }),
    route<PersonDraft>({
      method: 'post',
      path: '/people',
      summary: 'Add a person; the first password is said this once',
      role: 'administrator',
      body: personDraft,
      action: ({ user, body }) => managed(user, () => people.add(body)),
    }),
    route<PersonChange>({
      method: 'put',
      path: '/people/{person}',
      summary: 'Change what a person is called and may do, lock or unlock them',
      role: 'administrator',
      body: personChange,
      action: ({ user, params, body }) => managed(user, () => people.change(user, params['person']!, body)),
    }),
    route({
      method: 'post',
      path: '/people/{person}/password',
      summary: 'Give a person a new first password, said this once, and end their sessions',
      role: 'administrator',
      action: ({ user, params }) => managed(user, () => people.reset(params['person']!)),
    }),
    route({
      method: 'delete',
      path: '/people/{person}',
      summary: 'Remove a person; history keeps the name',
      role: 'administrator',
      action: ({ user, params }) => managed(user, () => people.remove(user, params['person']!)),
    }),
    route<ProfileChange>({
      method: 'put',
      path: '/profile',
      summary: 'Change the name by which others know you',
      role: 'viewer',
      body: profileChange,
      action: ({ user, body }) => {
        checkInPerson(user);
        return people.rename(user, body.displayName);
      },
    }),
    route<PasswordChange>({
      method: 'put',
      path: '/profile/password',
      summary: 'Change your password; your other sessions end',
      role: 'viewer',
      beforeOwnPassword: true,
      body: passwordChange,
      action: ({ user, body, request }) => {
        checkInPerson(user);
        return people.changePassword(user, body.current, body.next, request.sessionID);
      },
    }),
  ];
}
