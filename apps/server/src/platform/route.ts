import { Role, mayActAs } from '@rule/contract';
import { Request, Response, Router, raw } from 'express';
import Joi, { ObjectSchema } from 'joi';
import { User } from '../users/user';
import { AppError } from './problem';

/** What a route's action gets: checked input and the person who asks. */
export interface Call<Body = unknown, Query = unknown> {
  readonly user: User;
  readonly params: Readonly<Record<string, number>>;
  readonly query: Query;
  readonly body: Body;
  readonly request: Request;
  readonly response: Response;
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

function check(schema: ObjectSchema | undefined, input: unknown, where: string): unknown {
  if (!schema) return undefined;
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
export function routerOf(routes: readonly Route[], userOf: (request: Request) => User | undefined): Router {
  const router = Router();
  for (const definition of routes) {
    const path = definition.path.replace(/\{(\w+)\}/g, ':$1');
    const before = definition.upload ? [raw({ type: () => true, limit: definition.upload })] : [];
    router[definition.method](path, ...before, async (request, response) => {
      const user = userOf(request);
      if (!user) throw new AppError(401, 'not-signed-in', 'Sign in first.');
      if (!mayActAs(user.role, definition.role))
        throw new AppError(403, 'not-allowed', `This needs the role ${definition.role}; you are signed in as ${user.role}.`);
      const params = Object.fromEntries(
        Object.entries(request.params).map(([name, text]) => {
          if (!/^[1-9]\d{0,8}$/.test(String(text))) throw new AppError(400, 'bad-request', `${name} is not a number.`);
          return [name, Number(text)];
        }),
      );
      const query = check(definition.query, request.query, 'query');
      const body = definition.upload || definition.stream ? undefined : check(definition.body, request.body, 'body');
      const answer = await definition.action({ user, params, query, body, request, response } as Call<never, never>);
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
