import { ROLES, methodAndPath } from '@rule/contract';
import { AREAS, RouteShape, takesFile } from '@rule/contract/routes';
import Joi from 'joi';
import { readFileSync } from 'node:fs';

/** The parts of a JSON Schema used here. */
type JsonSchema = Record<string, unknown>;

/** Schemas of answers, generated from the route types at build time. */
export interface AnswerSchemas {
  /** By route name. */
  readonly properties: Readonly<Record<string, JsonSchema>>;
  readonly definitions: Readonly<Record<string, JsonSchema>>;
}

/** Reads them from the generated file. */
export const readAnswers = (file: string): AnswerSchemas => JSON.parse(readFileSync(file, 'utf8')) as AnswerSchemas;

interface Rule {
  readonly name: string;
  readonly args?: { readonly limit?: number };
}

/** Joi checks as JSON Schema, as far as this API uses them. */
function schemaOfCheck(description: Joi.Description): JsonSchema {
  const flags = (description.flags ?? {}) as { only?: boolean; default?: unknown };
  const allow = ((description['allow'] ?? []) as unknown[]).filter((value) => value !== '');
  const rules = (description['rules'] ?? []) as readonly Rule[];
  const has = (name: string) => rules.some((rule) => rule.name === name);
  const limits = (names: Readonly<Record<string, string>>): JsonSchema =>
    Object.fromEntries(
      Object.entries(names).flatMap(([name, keyword]) => {
        const limit = rules.find((rule) => rule.name === name)?.args?.limit;
        return typeof limit === 'number' ? [[keyword, limit]] : [];
      }),
    );
  const wrap = (schema: JsonSchema): JsonSchema => ({
    ...schema,
    ...(allow.includes(null) && typeof schema['type'] === 'string' ? { type: [schema['type'], 'null'] } : {}),
    ...(flags.default !== undefined && typeof flags.default !== 'function' ? { default: flags.default } : {}),
  });
  if (flags.only) return wrap({ enum: allow });
  switch (description.type) {
    case 'object': {
      const keys = Object.entries((description['keys'] ?? {}) as Record<string, Joi.Description>);
      const required = keys.filter(([, key]) => isNeeded(key)).map(([name]) => name);
      return wrap({
        type: 'object',
        properties: Object.fromEntries(keys.map(([name, key]) => [name, schemaOfCheck(key)])),
        ...(required.length ? { required } : {}),
      });
    }
    case 'array': {
      const items = (description['items'] ?? []) as Joi.Description[];
      const each = items.length > 1 ? { anyOf: items.map(schemaOfCheck) } : items[0] ? schemaOfCheck(items[0]) : {};
      return wrap({ type: 'array', items: each, ...limits({ min: 'minItems', max: 'maxItems' }) });
    }
    case 'alternatives': {
      const matches = ((description['matches'] ?? []) as { schema?: Joi.Description }[]).flatMap(({ schema }) => (schema ? [schemaOfCheck(schema)] : []));
      return wrap(matches.length ? { anyOf: [...matches, ...(allow.includes(null) ? [{ type: 'null' }] : [])] } : {});
    }
    case 'number':
      return wrap({ type: has('integer') ? 'integer' : 'number', ...limits({ min: 'minimum', max: 'maximum' }) });
    case 'string':
      return wrap({ type: 'string', ...limits({ min: 'minLength', max: 'maxLength' }) });
    case 'boolean':
      return wrap({ type: 'boolean' });
    default:
      return wrap({});
  }
}

const isNeeded = (description: Joi.Description): boolean => (description.flags as { presence?: string } | undefined)?.presence === 'required';

/** Required query keys. */
export const neededKeys = (check: Joi.ObjectSchema): string[] =>
  Object.entries((check.describe()['keys'] ?? {}) as Record<string, Joi.Description>).flatMap(([name, key]) => (isNeeded(key) ? [name] : []));

/** Component names allow only letters, digits, dots, hyphens and underscores. */
const componentName = (name: string): string => name.replace(/[^\w.-]+/g, '_').replace(/_+$/, '');

/** Converts a draft 7 schema to 2020-12, with references to components. */
function atHome(schema: unknown): unknown {
  if (Array.isArray(schema)) return schema.map(atHome);
  if (schema === null || typeof schema !== 'object') return schema;
  return Object.fromEntries(
    Object.entries(schema).map(([key, value]) =>
      key === '$ref' && typeof value === 'string'
        ? [key, `#/components/schemas/${componentName(decodeURIComponent(value.replace('#/definitions/', '')))}`]
        : [key === 'items' && Array.isArray(value) ? 'prefixItems' : key, atHome(value)],
    ),
  );
}

/** `GET /files/{file}/title-block` is `getFilesByFileTitleBlock`. */
const operationId = (method: string, path: string): string =>
  method.toLowerCase() +
  path
    .split('/')
    .filter(Boolean)
    .map((part) => part.replace(/\{(\w+)\}/, 'by-$1').replace(/(^|[^A-Za-z0-9]+)([A-Za-z0-9])/g, (_whole, _between, letter: string) => letter.toUpperCase()))
    .join('');

const PROBLEM: JsonSchema = {
  type: 'object',
  description: 'A problem as in RFC 9457, with a stable code.',
  required: ['type', 'title', 'status', 'code', 'detail'],
  properties: {
    type: { type: 'string' },
    title: { type: 'string' },
    status: { type: 'integer' },
    code: { type: 'string' },
    detail: { type: 'string' },
    issues: {
      type: 'array',
      items: { type: 'object', properties: { field: { type: 'string' }, code: { type: 'string' }, message: { type: 'string' } } },
    },
  },
};

const FAILED = {
  description: 'A problem with a plain explanation.',
  content: { 'application/problem+json': { schema: { $ref: '#/components/schemas/Problem' } } },
};

function operation(name: string, route: RouteShape, tag: string, answers: AnswerSchemas): JsonSchema {
  const { method, path } = methodAndPath(name);
  const numbers = [...path.matchAll(/\{(\w+)\}/g)].map(([, key]) => ({ name: key, in: 'path', required: true, schema: { type: 'integer', minimum: 1 } }));
  const needed = new Set(route.query ? neededKeys(route.query) : []);
  const keys = route.query ? ((schemaOfCheck(route.query.describe())['properties'] ?? {}) as Record<string, JsonSchema>) : {};
  const asked = Object.entries(keys).map(([key, schema]) => ({ name: key, in: 'query', required: needed.has(key), schema }));
  const isFile = takesFile(route);
  const { media } = route.answer;
  const schema = answers.properties[name];
  const answer =
    media === 'application/json'
      ? { schema: schema ? atHome(schema) : { type: 'null' } }
      : media === 'text/event-stream' || media === 'application/x-ndjson'
        ? { schema: { type: 'string' } }
        : {};
  return {
    operationId: operationId(method, path),
    summary: route.summary,
    ...(route.role === null ? {} : { description: `Needs the role ${route.role}.` }),
    tags: [tag],
    security: route.role === null ? [] : method === 'GET' ? [{ token: [] }, { session: [] }] : [{ token: [] }, { session: [], csrf: [] }],
    parameters: [
      ...numbers,
      ...asked,
      ...(isFile
        ? [{ name: 'x-file-name', in: 'header', required: true, description: 'The name of the file, percent-encoded.', schema: { type: 'string' } }]
        : []),
    ],
    ...(isFile
      ? { requestBody: { required: true, content: { 'application/octet-stream': {} } } }
      : route.body
        ? { requestBody: { required: true, content: { 'application/json': { schema: schemaOfCheck(route.body.describe()) } } } }
        : {}),
    responses: { 200: { description: 'Done.', content: { [media]: answer } }, '4XX': FAILED, '5XX': FAILED },
  };
}

/** The API description (OpenAPI 3.1), generated from the route table. */
export function openApi(answers: AnswerSchemas): Record<string, unknown> {
  const paths: Record<string, JsonSchema> = {};
  for (const [tag, routes] of Object.entries(AREAS))
    for (const [name, route] of Object.entries(routes) as [string, RouteShape][]) {
      const { method, path } = methodAndPath(name);
      (paths[`/api${path}`] ??= {})[method.toLowerCase()] = operation(name, route, tag, answers);
    }
  const schemas = Object.fromEntries(Object.entries(answers.definitions).map(([name, schema]) => [componentName(name), atHome(schema)]));
  return {
    openapi: '3.1.0',
    info: {
      title: 'Rule',
      version: '0.1.0',
      description: `Custom properties of CAD files: their schema, values and where they go. Roles, each with what the ones before it may do: ${ROLES.join(', ')}.`,
      license: { name: 'Proprietary', url: '/' },
    },
    servers: [{ url: '/', description: 'The server that sent this description.' }],
    tags: Object.keys(AREAS).map((name) => ({ name })),
    paths,
    components: {
      schemas: { ...schemas, Problem: PROBLEM },
      securitySchemes: {
        token: { type: 'http', scheme: 'bearer', description: 'A token from Settings, for programs.' },
        session: { type: 'apiKey', in: 'cookie', name: 'rule.sid', description: 'The session started by signing in.' },
        csrf: { type: 'apiKey', in: 'header', name: 'x-rule-csrf', description: "The session's token, required for every change." },
      },
    },
  };
}
