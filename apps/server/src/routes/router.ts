import { mayActAs, methodAndPath } from '@rule/contract';
import { Answered, BodyOf, Events, Lines, ParamsOf, QueryOf, ROUTES, RouteName, RouteShape, Routes, takesFile } from '@rule/contract/routes';
import { Request, RequestHandler, Response, Router, json, raw } from 'express';
import { ObjectSchema } from 'joi';
import { User } from '../users/user';
import { AppError } from '../platform/problem';

/** Size limit of JSON bodies: fits a tray of 50,000 values. */
const LARGEST_JSON = '32mb';
/** Size limit of JSON bodies before authentication. */
const LARGEST_OF_STRANGERS = '10kb';

/** Arguments of a handler: checked input and the user. */
export interface Call<Name extends RouteName> {
  /** Public routes may have no user. */
  readonly user: Routes[Name]['role'] extends null ? User | undefined : User;
  readonly params: ParamsOf<Name>;
  readonly query: QueryOf<Routes[Name]>;
  readonly body: BodyOf<Routes[Name]>;
  readonly request: Request;
  readonly response: Response;
  /** Whether the session or token is still valid; for long-running answers. */
  readonly stillStands: () => Promise<boolean>;
}

/** Files, pages, lines and event streams are written by the handler itself. */
type Handled<Answer> = [Answer] extends [null] | [Uint8Array] | [Events<unknown>] | [Lines<unknown>] ? void : Answer;

/** Handlers of some routes. A missing or mismatching handler does not compile. */
export type Handlers<Names extends RouteName> = { readonly [Name in Names]: (call: Call<Name>) => Promise<Handled<Answered<Name>>> };

/** Path of an invalid text, with U+0000 or a lone surrogate; `null` if all are valid. */
export function oddText(value: unknown, at: string): string | null {
  if (typeof value === 'string') {
    if (value.includes('\0')) return `${at || 'it'} contains the character U+0000`;
    // A lone surrogate is not a character in any encoding.
    return /[\ud800-\udbff](?![\udc00-\udfff])|(?<![\ud800-\udbff])[\udc00-\udfff]/.test(value) ? `${at || 'it'} contains an incomplete character` : null;
  }
  if (value === null || typeof value !== 'object') return null;
  for (const [key, part] of Object.entries(value)) {
    const found = oddText(key, at) ?? oddText(part, at ? `${at}.${key}` : key);
    if (found !== null) return found;
  }
  return null;
}

function check(schema: ObjectSchema | undefined, input: unknown, where: string): unknown {
  if (!schema) return undefined;
  const odd = oddText(input, '');
  if (odd !== null) throw new AppError(400, 'bad-request', `The ${where} contains text that cannot be stored: ${odd}.`);
  const checked = schema.validate(input ?? {}, { abortEarly: false, convert: where === 'query' });
  if (!checked.error) return checked.value as unknown;
  throw new AppError(
    400,
    'bad-request',
    `The ${where} is not valid.`,
    checked.error.details.map(({ path, type, message }) => ({ field: path.join('.'), code: type, message })),
  );
}

/** Builds the router. Roles are checked here for all routes. */
export function routerOf(
  handlers: Handlers<RouteName>,
  userOf: (request: Request) => User | undefined,
  stillStands: (request: Request) => Promise<boolean>,
): Router {
  const router = Router();
  const parseJson = json({ limit: LARGEST_JSON });
  const parseLittle = json({ limit: LARGEST_OF_STRANGERS });
  for (const [name, definition] of Object.entries(ROUTES) as [RouteName, RouteShape][]) {
    const handle = handlers[name] as (call: Call<RouteName>) => Promise<unknown>;
    const { role } = definition;
    // Bodies are read only after the caller is authorised.
    const guard: RequestHandler = (request, _response, next) => {
      if (role === null) {
        next();
        return;
      }
      const user = userOf(request);
      if (!user) throw new AppError(401, 'not-signed-in', 'Sign in first.');
      if (user.firstPassword && !definition.beforeOwnPassword) throw new AppError(403, 'first-password', 'Choose your own password first.');
      if (!mayActAs(user.role, role)) throw new AppError(403, 'not-allowed', `This needs the role ${role}; you are signed in as ${user.role}.`);
      next();
    };
    const parse = definition.upload ? raw({ type: () => true, limit: definition.upload }) : role === null ? parseLittle : parseJson;
    const { method, path } = methodAndPath(name);
    const isFile = takesFile(definition);
    router[method.toLowerCase() as 'get' | 'post' | 'put' | 'delete'](
      path.replace(/\{(\w+)\}/g, ':$1'),
      guard,
      ...(definition.stream ? [] : [parse]),
      async (request, response) => {
        const params = Object.fromEntries(
          Object.entries(request.params).map(([key, text]) => {
            if (!/^[1-9]\d{0,8}$/.test(String(text))) throw new AppError(400, 'bad-request', `${key} is not a number.`);
            return [key, Number(text)];
          }),
        );
        const query = check(definition.query, request.query, 'query');
        const body = isFile ? undefined : check(definition.body, request.body, 'body');
        const call = { user: userOf(request), params, query, body, request, response, stillStands: () => stillStands(request) };
        const answer = await handle(call as unknown as Call<RouteName>);
        if (!response.headersSent) response.json(answer ?? null);
      },
    );
  }
  return router;
}
