import { SessionState } from '@rule/contract';
import { NamesIn } from '@rule/contract/routes';
import { randomBytes } from 'node:crypto';
import { Request } from 'express';
import { AnswerSchemas, openApi } from './openapi';
import { AppError } from '../platform/problem';
import { Handlers } from './router';
import { readSettings } from '../platform/settings';
import { Services } from '../services';
import { User } from '../users/user';
import { authenticate } from '../users/users';

/** Adapts a Node callback to a promise. */
const settle = (resolve: () => void, reject: (error: Error) => void) => (failure?: unknown) =>
  failure ? reject(failure instanceof Error ? failure : new Error('The session could not be stored.')) : resolve();

/** Signing in and out, and what anybody may ask. */
export function sessionHandlers(s: Services, answers: AnswerSchemas): Handlers<NamesIn<'Sessions'>> {
  let description: Record<string, unknown> | undefined;
  const state = async (request: Request, user: User | undefined): Promise<SessionState> => ({
    user: user ? { name: user.name, displayName: user.displayName, role: user.role, firstPassword: user.firstPassword === true } : null,
    // Token requests have no session.
    csrf: (request.session as Request['session'] | undefined)?.csrf ?? '',
    company: (await readSettings(s.db)).company,
  });
  return {
    'GET /health': async () => {
      await s.db.one('SELECT 1 AS up');
      return { up: true };
    },
    'GET /openapi.json': () => Promise.resolve((description ??= openApi(answers))),
    'GET /session': ({ request, user }) => state(request, user),
    'POST /session': async ({ request, response, body: { name, password } }) => {
      const address = request.ip ?? '';
      const wait = await s.attempts.begin(name, address);
      if (wait > 0) {
        response.set('retry-after', String(wait));
        throw new AppError(
          429,
          'too-many-attempts',
          `Too many failed sign-in attempts. Wait ${wait === 1 ? 'a second' : `${wait} seconds`} before you try again.`,
        );
      }
      const user = await authenticate(s.db, name, password);
      if (!user) throw new AppError(401, 'wrong-sign-in', 'Name or password is wrong.');
      await s.attempts.succeeded(name, address);
      await s.db.run('UPDATE users SET signed_in_at = now() WHERE id = $1', [user.id]);
      // Prevents session fixation.
      await new Promise<void>((resolve, reject) => request.session.regenerate(settle(resolve, reject)));
      request.session.userId = user.id;
      request.session.csrf = randomBytes(24).toString('base64url');
      return state(request, user);
    },
    'DELETE /session': async ({ request, response }) => {
      await new Promise<void>((resolve, reject) => request.session.destroy(settle(resolve, reject)));
      response.clearCookie('rule.sid');
    },
  };
}
