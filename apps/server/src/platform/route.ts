import { Role, mayActAs } from '@rule/contract';
import { Request, RequestHandler, Response, Router, json, raw } from 'express';
import Joi, { ObjectSchema } from 'joi';
import { User } from '../users/user';
import { AppError } from './problem';

/** JSON bodies: a tray of fifty thousand values fits. */
const LARGEST_JSON = '32mb';

/** What a route's action gets: checked input and the person who asks. */
export interface Call<Body = unknown, Query = unknown> {
  readonly user: User;
  readonly params: Readonly<Record<string, number>>;
  readonly query: Query;
  readonly body: Body;
  readonly request: Request;
  readonly response: Response;
  /** Whether the session or token still stands by which this was asked: for answers that go on. */
  readonly stillStands: () => Promise<boolean>;
}

/** One route of the API: everything that Express and the published description need to know of it. */
export interface Route {
  readonly method: 'get' | 'post' | 'put' | 'delete';
  /** Path below `/api`, with numeric parameters as `{name}`. */
  readonly path: string;
  readonly summary: string;
  readonly role: Role;
  readonly query?: ObjectSchema;
  readonly body?: ObjectSchema;
  /** Set for routes that take a file as the raw body; the limit in bytes. */
  readonly upload?: number;
  /** Set for routes that read the request's body as a stream themselves. */
  readonly stream?: boolean;
  /** Set for what people may do who still have their first password. */
  readonly beforeOwnPassword?: boolean;
  readonly action: (call: Call<never, never>) => Promise<unknown>;
}

/** Declares a route with the types of its input. */
export const route = <Body = undefined, Query = undefined>(
  definition: Omit<Route, 'action' | 'body' | 'query'> & {
    body?: ObjectSchema<Body>;
    query?: ObjectSchema<Query>;
    action: (call: Call<Body, Query>) => Promise<unknown>;
  },
): Route => definition;

/** Where something holds a text that is none: with the character U+0000, or half of a pair of surrogates. `null` where all texts are sound. */
export function oddText(value: unknown, at: string): string | null {
  if (typeof value === 'string') {
    if (value.includes('\0')) return `${at || 'it'} holds the character U+0000`;
    // Half a pair is no character, and stands in no encoding.
    return /[\ud800-\udbff](?![\udc00-\udfff])|(?<![\ud800-\udbff])[\udc00-\udfff]/.test(value) ? `${at || 'it'} holds half a character` : null;
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
  if (odd !== null) throw new AppError(400, 'bad-request', `The ${where} holds a text that cannot be kept: ${odd}.`);
  const checked = schema.validate(input ?? {}, { abortEarly: false, convert: where === 'query' });
  if (!checked.error) return checked.value as unknown;
  throw new AppError(
    400,
    'bad-request',
    `The ${where} is not as described.`,
    checked.error.details.map(({ path, type, message }) => ({ field: path.join('.'), code: type, message })),
  );
}

/** Builds the router of all routes. Roles are checked here, so that no route can forget it. */
export function routerOf(
  routes: readonly Route[],
  userOf: (request: Request) => User | undefined,
  stillStands: (request: Request) => Promise<boolean>,
): Router {
  const router = Router();
  const parseJson = json({ limit: LARGEST_JSON });
  for (const definition of routes) {
    const path = definition.path.replace(/\{(\w+)\}/g, ':$1');
    // Nothing of a body is read before it is known that the caller may send it.
    const guard: RequestHandler = (request, _response, next) => {
      const user = userOf(request);
      if (!user) throw new AppError(401, 'not-signed-in', 'Sign in first.');
      if (user.firstPassword && !definition.beforeOwnPassword) throw new AppError(403, 'first-password', 'Choose a password of your own first.');
      if (!mayActAs(user.role, definition.role))
        throw new AppError(403, 'not-allowed', `This needs the role ${definition.role}; you are signed in as ${user.role}.`);
      next();
    };
    const bodies = definition.stream ? [] : [definition.upload ? raw({ type: () => true, limit: definition.upload }) : parseJson];
    router[definition.method](path, guard, ...bodies, async (request, response) => {
      const user = userOf(request)!;
      const params = Object.fromEntries(
        Object.entries(request.params).map(([name, text]) => {
          if (!/^[1-9]\d{0,8}$/.test(String(text))) throw new AppError(400, 'bad-request', `${name} is not a number.`);
          return [name, Number(text)];
        }),
      );
      const query = check(definition.query, request.query, 'query');
      const body = definition.upload || definition.stream ? undefined : check(definition.body, request.body, 'body');
      const call: Call = { user, params, query, body, request, response, stillStands: () => stillStands(request) };
      const answer = await definition.action(call as Call<never, never>);
      if (!response.headersSent) response.json(answer ?? null);
    });
  }
  return router;
}

/** A Joi description as a JSON schema, as far as this API's schemas go. */
function jsonSchema(description: Joi.Description): Record<string, unknown> {
  const flags = (description.flags ?? {}) as { only?: boolean; default?: unknown };
  const allow = ((description['allow'] ?? []) as unknown[]).filter((value) => value !== '');
  const rule = (name: string) => ((description['rules'] ?? []) as { name: string; args?: { limit?: number } }[]).find((r) => r.name === name)?.args?.limit;
  const nullable = allow.includes(null);
  const wrap = (schema: Record<string, unknown>) => ({
    ...schema,
    ...(nullable && typeof schema['type'] === 'string' ? { type: [schema['type'], 'null'] } : {}),
    ...(flags.default !== undefined ? { default: flags.default } : {}),
  });
  if (flags.only) return wrap({ enum: allow });
  switch (description.type) {
    case 'object': {
      const keys = (description['keys'] ?? {}) as Record<string, Joi.Description>;
      const required = Object.entries(keys).filter(([, key]) => (key.flags as { presence?: string } | undefined)?.presence === 'required');
      return wrap({
        type: 'object',
        properties: Object.fromEntries(Object.entries(keys).map(([name, key]) => [name, jsonSchema(key)])),
        ...(required.length ? { required: required.map(([name]) => name) } : {}),
      });
    }
    case 'array':
      return wrap({ type: 'array', items: jsonSchema(((description['items'] ?? []) as Joi.Description[])[0] ?? { type: 'any' }) });
    case 'number':
      return wrap({
        type: rule('integer') !== undefined || ((description['rules'] ?? []) as { name: string }[]).some((r) => r.name === 'integer') ? 'integer' : 'number',
        ...(rule('min') !== undefined ? { minimum: rule('min') } : {}),
        ...(rule('max') !== undefined ? { maximum: rule('max') } : {}),
      });
    case 'string':
      return wrap({ type: 'string', ...(rule('max') !== undefined ? { maxLength: rule('max') } : {}) });
    case 'boolean':
      return wrap({ type: 'boolean' });
    default:
      return wrap({});
  }
}

/** The published description of the API (OpenAPI 3.1), made from the same definitions that the server runs on. */
export function openApi(routes: readonly Route[]): object {
  const paths: Record<string, Record<string, unknown>> = {};
  for (const { method, path, summary, role, query, body, upload, stream } of routes) {
    const parameters = [...path.matchAll(/\{(\w+)\}/g)].map(([, name]) => ({ name, in: 'path', required: true, schema: { type: 'integer', minimum: 1 } }));
    const queryKeys = query ? ((jsonSchema(query.describe())['properties'] ?? {}) as Record<string, Record<string, unknown>>) : {};
    const entry = (paths[`/api${path}`] ??= {});
    entry[method] = {
      summary,
      description: `Needs the role ${role}.`,
      parameters: [...parameters, ...Object.entries(queryKeys).map(([name, schema]) => ({ name, in: 'query', required: false, schema }))],
      ...(upload || stream
        ? { requestBody: { required: true, content: { 'application/octet-stream': {} } } }
        : body
          ? { requestBody: { required: true, content: { 'application/json': { schema: jsonSchema(body.describe()) } } } }
          : {}),
      responses: {
        200: { description: 'Done.' },
        default: { description: 'An error with a stable code.', content: { 'application/problem+json': { schema: { $ref: '#/components/schemas/Problem' } } } },
      },
    };
  }
  const text = { type: 'string' };
  const problem = {
    type: 'object',
    required: ['type', 'title', 'status', 'code', 'detail'],
    properties: {
      type: text,
      title: text,
      status: { type: 'integer' },
      code: text,
      detail: text,
      issues: { type: 'array', items: { type: 'object', properties: { field: text, code: text, message: text } } },
    },
  };
  return { openapi: '3.1.0', info: { title: 'Rule', version: '0.1.0' }, paths, components: { schemas: { Problem: problem } } };
}
