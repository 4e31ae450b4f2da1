import { timingSafeEqual } from 'node:crypto';
import express, { Express, NextFunction, Request, Response } from 'express';
import Joi from 'joi';
import describe from 'joi-to-swagger';
import { ENTRY_KINDS, FIELD_TYPES, Field, STATES, SYSTEM_FIELDS } from './definition';
import { LinkTableRow, RecordChanges, Refusal, Search, VaultStore } from './vault';

/** Largest file accepted. */
const LARGEST = '512mb';

/** Injected faults, for tests. */
interface Faults {
  /** Delay of every answer. */
  readonly delayMs: number;
  /** Calls that succeed first. */
  readonly skip: number;
  /** Then: calls that fail, dropped connections, and calls whose answer is lost. */
  readonly failNext: number;
  readonly dropNext: number;
  readonly loseNext: number;
}

const many = () => Joi.number().integer().min(0).default(0);
const faultsCheck = Joi.object<Faults>({ delayMs: many().max(60_000), skip: many(), failNext: many(), dropNext: many(), loseNext: many() }).required();

const person = Joi.string().max(100);
const name = Joi.string().max(100).trim();
const path = Joi.string().max(1000);
const nullable = (schema: Joi.Schema) => schema.allow(null).default(null);
const record = Joi.object().pattern(Joi.string().max(100), Joi.string().max(10_000).allow('', null)).description('values by the names of fields; null empties');
const kind = Joi.string().valid(...ENTRY_KINDS);
const state = Joi.string().valid(...STATES);

const field = Joi.object({
  name: name.required(),
  type: Joi.string()
    .valid(...FIELD_TYPES)
    .required(),
  length: nullable(Joi.number().integer().min(1).max(10_000)),
  choices: Joi.array().items(Joi.string().max(500)).unique().max(5000).default([]),
  initial: nullable(Joi.string().max(10_000)),
  required: Joi.boolean().default(false),
  kinds: Joi.array().items(kind).unique().default([]),
  classes: Joi.array().items(Joi.string().max(100)).unique().default([]),
  fixed: Joi.boolean().default(false),
  retired: Joi.boolean().default(false),
}).meta({ className: 'Field' });
const tableRow = Joi.object({ field: name.required(), kind: Joi.string().max(100).required(), name: Joi.string().max(500).allow('').required() }).meta({
  className: 'LinkTableRow',
});
const instant = Joi.string().isoDate();
const entry = Joi.object({
  id: Joi.number().integer().required(),
  path: path.required(),
  kind: kind.required(),
  class: Joi.string().allow(null).required(),
  state: state.required(),
  stateBy: person.required(),
  stateAt: instant.required(),
  checkedOutBy: person.allow(null).required(),
  checkedOutAt: instant.allow(null).required(),
  version: Joi.number().integer().required(),
  hash: Joi.string().required().description('SHA-256 of the bytes, in hexadecimal'),
  versionAt: instant.required(),
  versionBy: person.required(),
  record: record.required(),
}).meta({ className: 'Entry' });
const step = Joi.object({
  name: name.required(),
  from: state.required(),
  to: state.required(),
  sets: Joi.object().pattern(Joi.string(), Joi.string()).required(),
  nextRevision: Joi.boolean().required(),
}).meta({ className: 'Step' });
const version = Joi.object({
  version: Joi.number().integer().required(),
  hash: Joi.string().required(),
  comment: Joi.string().allow('').required(),
  by: person.required(),
  at: instant.required(),
  size: Joi.number().integer().required(),
}).meta({ className: 'Version' });
const folder = Joi.object({ path: path.required(), files: Joi.number().integer().required() }).meta({ className: 'Folder' });
const definition = Joi.object({
  fields: Joi.array().items(field).required(),
  systemFields: Joi.array().items(Joi.string()).required(),
  kinds: Joi.array().items(kind).required(),
  states: Joi.array().items(state).required(),
  steps: Joi.array().items(step).required(),
  mayDefine: Joi.boolean().required(),
}).meta({ className: 'Definition' });

/** A call of the API, used by server and description. */
interface Call {
  readonly method: 'get' | 'post' | 'put' | 'delete';
  readonly path: string;
  readonly summary: string;
  readonly body?: Joi.ObjectSchema;
  /** Header with metadata of an upload: JSON as base64url. */
  readonly beside?: { readonly header: string; readonly check: Joi.ObjectSchema };
  readonly query?: Joi.ObjectSchema;
  /** `bytes` for a file; absent for no answer. */
  readonly answer?: Joi.Schema | 'bytes';
  readonly work: (given: {
    readonly id: number;
    readonly name: string;
    readonly body: unknown;
    readonly beside: unknown;
    readonly query: unknown;
    readonly bytes: Uint8Array;
  }) => Promise<unknown>;
}

const WHO = Joi.object({ by: person.required() }).required();

function calls(store: VaultStore): Call[] {
  return [
    {
      method: 'get',
      path: '/api/definition',
      summary: 'Fields of records, kinds, states and steps of the workflow',
      answer: definition,
      work: async () => ({
        fields: await store.fields(),
        systemFields: SYSTEM_FIELDS,
        kinds: ENTRY_KINDS,
        states: STATES,
        steps: await store.steps(),
        mayDefine: store.mayDefine,
      }),
    },
    { method: 'post', path: '/api/fields', summary: 'Add a field', body: field.required(), answer: field, work: ({ body }) => store.addField(body as Field) },
    {
      method: 'put',
      path: '/api/fields/{name}',
      summary: 'Change, rename or retire a field',
      body: field.required(),
      answer: field,
      work: ({ name: field, body }) => store.changeField(field, body as Field),
    },
    {
      method: 'get',
      path: '/api/link-table',
      summary: 'Names that the vault looks for in files',
      answer: Joi.array().items(tableRow),
      work: () => store.table(),
    },
    {
      method: 'put',
      path: '/api/link-table',
      summary: 'Replace the link table',
      body: Joi.object({ rows: Joi.array().items(tableRow).max(10_000).required() }).required(),
      answer: Joi.array().items(tableRow),
      work: ({ body }) => store.setTable((body as { rows: LinkTableRow[] }).rows),
    },
    { method: 'get', path: '/api/folders', summary: 'Folders with the number of their files', answer: Joi.array().items(folder), work: () => store.folders() },
    {
      method: 'post',
      path: '/api/folders',
      summary: 'Add a folder',
      body: Joi.object({ path: path.required() }).required(),
      work: ({ body }) => store.addFolder((body as { path: string }).path),
    },
    {
      method: 'delete',
      path: '/api/folders',
      summary: 'Remove an empty folder',
      query: Joi.object({ path: path.required() }).required(),
      work: ({ query }) => store.removeFolder((query as { path: string }).path),
    },
    {
      method: 'post',
      path: '/api/files/query',
      summary: 'Search files; the header x-total-count states how many there are',
      body: Joi.object({
        paths: nullable(Joi.array().items(Joi.string())),
        text: nullable(Joi.string().max(200)),
        folder: nullable(path),
        state: nullable(state),
      }).required(),
      answer: Joi.array().items(entry),
      work: ({ body }) => store.search(body as Search),
    },
    {
      method: 'post',
      path: '/api/files',
      summary: 'Add a file',
      beside: {
        header: 'x-add',
        check: Joi.object({
          by: person.required(),
          path: path.required(),
          kind: kind.required(),
          class: nullable(Joi.string().max(100)),
          comment: Joi.string().max(1000).allow('').required(),
          record: record.required(),
        }).required(),
      },
      answer: entry,
      work: ({ beside, bytes }) => {
        const meta = beside as { path: string } & Parameters<VaultStore['add']>[2];
        return store.add(meta.path, bytes, meta);
      },
    },
    { method: 'get', path: '/api/files/{id}', summary: 'A file', answer: entry, work: ({ id }) => store.entry(id) },
    {
      method: 'get',
      path: '/api/files/{id}/versions',
      summary: 'Versions of a file',
      answer: Joi.array().items(version),
      work: ({ id }) => store.versions(id),
    },
    {
      method: 'get',
      path: '/api/files/{id}/content',
      summary: "A version's bytes; the newest unless one is named",
      query: Joi.object({ version: nullable(Joi.number().integer().min(1)) }).required(),
      answer: 'bytes',
      work: ({ id, query }) => store.content(id, (query as { version: number | null }).version),
    },
    {
      method: 'put',
      path: '/api/files/{id}/path',
      summary: 'Rename or move a file',
      body: Joi.object({ by: person.required(), path: path.required() }).required(),
      answer: entry,
      work: ({ id, body }) => store.move(id, (body as { by: string }).by, (body as { path: string }).path),
    },
    {
      method: 'post',
      path: '/api/files/{id}/check-out',
      summary: 'Check a file out',
      body: WHO,
      answer: entry,
      work: ({ id, body }) => store.checkOut(id, (body as { by: string }).by),
    },
    {
      method: 'post',
      path: '/api/files/{id}/undo-check-out',
      summary: 'Undo a check-out',
      body: WHO,
      answer: entry,
      work: ({ id, body }) => store.undoCheckOut(id, (body as { by: string }).by),
    },
    {
      method: 'post',
      path: '/api/files/{id}/check-in',
      summary: 'Check a new version in',
      beside: {
        header: 'x-check-in',
        check: Joi.object({ by: person.required(), comment: Joi.string().max(1000).allow('').required(), record: record.required() }).required(),
      },
      answer: entry,
      work: ({ id, beside, bytes }) => store.checkIn(id, bytes, beside as Parameters<VaultStore['checkIn']>[2]),
    },
    {
      method: 'put',
      path: '/api/files/{id}/record',
      summary: 'Change a record',
      body: Joi.object({ by: person.default('vault'), record: record.required() }).required(),
      answer: entry,
      work: ({ id, body }) => store.changeRecord(id, (body as { by: string }).by, (body as { record: RecordChanges }).record),
    },
    {
      method: 'post',
      path: '/api/files/{id}/steps',
      summary: 'Take a step of the workflow',
      body: Joi.object({ by: person.required(), step: name.required() }).required(),
      answer: entry,
      work: ({ id, body }) => store.takeStep(id, (body as { by: string }).by, (body as { step: string }).step),
    },
  ];
}

function checked<T>(schema: Joi.Schema<T> | undefined, input: unknown): T {
  if (!schema) return undefined as T;
  const result = schema.validate(input ?? {});
  if (result.error) throw new Refusal(400, result.error.message);
  return result.value;
}

function readBeside(header: string | undefined, called: string): unknown {
  try {
    return JSON.parse(Buffer.from(header ?? '', 'base64url').toString('utf8'));
  } catch {
    throw new Refusal(400, `the header ${called} cannot be read`);
  }
}

/** The OpenAPI description, generated from the same table. */
export function describeApi(store: VaultStore): object {
  const schemas: Record<string, unknown> = {};
  const schemaOf = (schema: Joi.Schema): object => {
    const { swagger, components } = describe(schema, schemas);
    Object.assign(schemas, components?.schemas ?? {});
    return swagger;
  };
  const paths: Record<string, Record<string, object>> = {};
  for (const call of calls(store)) {
    const inPath = [...call.path.matchAll(/\{(\w+)\}/g)].map(([, key]) => ({
      in: 'path',
      name: key,
      required: true,
      schema: key === 'id' ? { type: 'integer', minimum: 1 } : { type: 'string' },
    }));
    const queried = Object.entries((call.query?.describe()['keys'] ?? {}) as Record<string, Joi.Description>).map(([key, at]) => ({
      in: 'query',
      name: key,
      required: (at.flags as { presence?: string } | undefined)?.presence === 'required',
      schema: schemaOf(call.query!.extract(key)),
    }));
    const beside = call.beside
      ? [
          {
            in: 'header',
            name: call.beside.header,
            required: true,
            description: `JSON as base64url: ${Object.keys(call.beside.check.describe()['keys'] as object).join(', ')}`,
            schema: { type: 'string' },
          },
        ]
      : [];
    const content = call.beside
      ? { 'application/octet-stream': { schema: { type: 'string', format: 'binary' } } }
      : call.body
        ? { 'application/json': { schema: schemaOf(call.body) } }
        : null;
    const failure = { description: 'A refusal', content: { 'application/json': { schema: { $ref: '#/components/schemas/Refusal' } } } };
    const parameters = [...inPath, ...queried, ...beside];
    (paths[call.path] ??= {})[call.method] = {
      summary: call.summary,
      operationId: `${call.method} ${call.path.slice(5)}`.replace(/\W+(\w)/g, (_, letter: string) => letter.toUpperCase()).replace(/\W/g, ''),
      ...(parameters.length ? { parameters } : {}),
      ...(content ? { requestBody: { required: true, content } } : {}),
      responses: {
        ...(call.answer === undefined
          ? { '204': { description: 'Done' } }
          : {
              '200': {
                description: 'Done',
                content:
                  call.answer === 'bytes'
                    ? { 'application/octet-stream': { schema: { type: 'string', format: 'binary' } } }
                    : { 'application/json': { schema: schemaOf(call.answer) } },
              },
            }),
        '4XX': failure,
        '5XX': failure,
      },
    };
  }
  schemas['Refusal'] = { type: 'object', required: ['message'], properties: { message: { type: 'string' } } };
  return {
    openapi: '3.0.3',
    info: { title: 'Document vault (stand-in)', version: '2', license: { name: 'unlicensed', url: 'https://example.com' } },
    servers: [{ url: 'http://127.0.0.1:4311' }],
    security: [{ token: [] }],
    paths,
    components: { schemas, securitySchemes: { token: { type: 'http', scheme: 'bearer' } } },
  };
}

/** The vault's HTTP API, independent of its clients. */
export function vaultApp(store: VaultStore, token: string): Express {
  let faults: Faults = { delayMs: 0, skip: 0, failNext: 0, dropNext: 0, loseNext: 0 };
  const app = express();
  app.disable('x-powered-by');
  app.get('/api/openapi.json', (_request, response) => void response.json(describeApi(store)));
  app.use((request: Request, _response: Response, next: NextFunction) => {
    const given = Buffer.from(request.get('authorization') ?? '');
    const wanted = Buffer.from(`Bearer ${token}`);
    if (given.length !== wanted.length || !timingSafeEqual(given, wanted)) throw new Refusal(401, 'the token is wrong');
    next();
  });
  app.post('/api/faults', express.json(), (request, response) => {
    faults = checked(faultsCheck, request.body);
    response.json(faults);
  });
  app.use(async (request: Request, response: Response, next: NextFunction) => {
    const { delayMs, skip, failNext, dropNext, loseNext } = faults;
    if (delayMs) await new Promise((resolve) => setTimeout(resolve, delayMs));
    if (skip > 0) faults = { ...faults, skip: skip - 1 };
    else if (dropNext > 0) {
      faults = { ...faults, dropNext: dropNext - 1 };
      request.socket.destroy();
      return;
    } else if (failNext > 0) {
      faults = { ...faults, failNext: failNext - 1 };
      throw new Refusal(500, 'the vault has an inner fault');
    } else if (loseNext > 0) {
      faults = { ...faults, loseNext: loseNext - 1 };
      response.locals['lost'] = true;
    }
    next();
  });
  const json = express.json({ limit: '16mb' });
  const raw = express.raw({ type: () => true, limit: LARGEST });
  for (const call of calls(store))
    app[call.method](call.path.replace(/\{(\w+)\}/g, ':$1'), call.beside ? raw : json, async (request: Request, response: Response) => {
      const id = Number(request.params['id'] ?? 1);
      if (!Number.isInteger(id) || id < 1 || id > 2 ** 31 - 1) throw new Refusal(400, 'a file has a number');
      const beside: unknown = call.beside && checked(call.beside.check, readBeside(request.get(call.beside.header), call.beside.header));
      const bytes: unknown = request.body;
      if (call.beside && (!(bytes instanceof Uint8Array) || bytes.length === 0)) throw new Refusal(400, 'the file is empty');
      const answer = await call.work({
        id,
        name: String(request.params['name'] ?? ''),
        body: call.beside ? null : checked(call.body, request.body),
        beside,
        query: checked(call.query, request.query),
        bytes: bytes as Uint8Array,
      });
      // The work is done, but the answer is lost.
      if (response.locals['lost']) request.socket.destroy();
      else if (call.answer === undefined) response.status(204).end();
      else if (call.answer === 'bytes') response.type('application/octet-stream').send(answer);
      // Whoever asks can tell a whole answer from a part of one.
      else response.set(Array.isArray(answer) ? { 'x-total-count': String(answer.length) } : {}).json(answer);
    });
  app.use((error: unknown, _request: Request, response: Response, next: NextFunction) => {
    if (response.headersSent) {
      next(error);
      return;
    }
    if (response.locals['lost']) {
      response.req.socket.destroy();
      return;
    }
    const status = error instanceof Refusal ? error.status : ((error as { status?: number }).status ?? 500);
    if (status >= 500 && !(error instanceof Refusal)) console.error(error);
    response.status(status).json({ message: error instanceof Refusal || status < 500 ? (error as Error).message : 'the vault has an inner fault' });
  });
  return app;
}
