import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { createConfig, lintFromString } from '@redocly/openapi-core';
import { SessionState, Tray } from '@rule/contract';
import { ROUTES, RouteShape } from '@rule/contract/routes';
import { DEMO_PASSWORD } from '@rule/demo';
import { Ajv2020 } from 'ajv/dist/2020.js';
import createClient from 'openapi-fetch';
import openapiTS, { astToString } from 'openapi-typescript';
import ts from 'typescript';
import { neededKeys } from '../src/routes/openapi';
import { Person, Rule, startRule } from './harness';

interface Operation {
  readonly operationId: string;
  readonly tags: readonly string[];
  readonly security: readonly object[];
  readonly responses: { readonly 200: { readonly content: Readonly<Record<string, { readonly schema?: object }>> } };
}
interface Description {
  readonly paths: Readonly<Record<string, Readonly<Record<string, Operation>>>>;
  readonly components: { readonly schemas: Readonly<Record<string, object>> };
}

let rule: Rule;
let varga: Person;
let description: Description;
beforeAll(async () => {
  rule = await startRule();
  varga = await rule.signIn('varga');
  description = (await varga.get('/openapi.json')).body as Description;
}, 120_000);
afterAll(() => rule.stop());

const operations = () =>
  Object.entries(description.paths).flatMap(([path, methods]) => Object.entries(methods).map(([method, operation]) => ({ path, method, operation })));

describe('the published description', () => {
  it('has every route of the table, each under an id of its own, with who may ask and what comes back', () => {
    expect(operations()).toHaveLength(Object.keys(ROUTES).length);
    expect(new Set(operations().map(({ operation }) => operation.operationId)).size).toBe(operations().length);
    for (const { operation } of operations()) {
      expect(operation.tags).toHaveLength(1);
      expect(Object.values(operation.responses[200].content)).toHaveLength(1);
    }
    const open = operations().filter(({ operation }) => operation.security.length === 0);
    expect(open.map(({ method, path }) => `${method} ${path}`).sort()).toEqual([
      'delete /api/session',
      'get /api/health',
      'get /api/openapi.json',
      'get /api/session',
      'post /api/session',
    ]);
  });

  it('says of every query what must be given, as the checks do', () => {
    for (const [name, route] of Object.entries(ROUTES) as [string, RouteShape][])
      expect([name, [...(route.needs ?? [])].sort()]).toEqual([name, route.query ? neededKeys(route.query).sort() : []]);
  });

  // OpenAPI Specification 3.1, as checked by Redocly.
  it('is without an error for a published checker', async () => {
    const problems = await lintFromString({ source: JSON.stringify(description), config: await createConfig({ extends: ['recommended'] }) });
    expect(problems.filter((problem) => problem.severity === 'error').map((problem) => [problem.message, problem.location[0]?.pointer])).toEqual([]);
  });

  // JSON Schema 2020-12, which OpenAPI 3.1 adopts, by another implementation.
  it('is kept to by what the server answers', async () => {
    const ajv = new Ajv2020({ strict: false, validateFormats: false });
    ajv.addSchema({ $id: 'rule', components: description.components });
    let checked = 0;
    const differing: unknown[] = [];
    for (const { path, method, operation } of operations()) {
      const schema = operation.responses[200].content['application/json']?.schema;
      const needs = (ROUTES as Record<string, RouteShape>)[`GET ${path.slice('/api'.length)}`]?.needs;
      if (method !== 'get' || !schema || path.includes('{') || needs) continue;
      const answer = await varga.get(path.slice('/api'.length));
      const validate = ajv.compile(JSON.parse(JSON.stringify(schema).replaceAll('#/components', 'rule#/components')) as object);
      if (!validate(answer.body)) differing.push([path, validate.errors?.[0]]);
      checked++;
    }
    expect(differing).toEqual([]);
    expect(checked).toBeGreaterThan(40);
  });
});

describe('a client that a common generator makes of it', () => {
  const folder = join(import.meta.dirname, '../dist-test/client');
  const errorsOf = (name: string, text: string): string[] => {
    writeFileSync(join(folder, name), text);
    const program = ts.createProgram([join(folder, name)], {
      strict: true,
      noEmit: true,
      skipLibCheck: true,
      target: ts.ScriptTarget.ES2022,
      module: ts.ModuleKind.ESNext,
      moduleResolution: ts.ModuleResolutionKind.Bundler,
      lib: ['lib.es2022.d.ts', 'lib.dom.d.ts'],
      types: [],
    });
    return ts.getPreEmitDiagnostics(program).map(({ messageText }) => ts.flattenDiagnosticMessageText(messageText, ' '));
  };

  it('compiles, and refuses what the server would refuse', async () => {
    mkdirSync(folder, { recursive: true });
    writeFileSync(join(folder, 'rule.ts'), astToString(await openapiTS(JSON.stringify(description))));
    const head = `import createClient from 'openapi-fetch';\nimport type { paths } from './rule';\nconst client = createClient<paths>({ baseUrl: '/' });\n`;
    expect(
      errorsOf(
        'right.ts',
        `${head}export async function names(): Promise<string[]> {
          await client.POST('/api/session', { body: { name: 'n', password: 'p' } });
          const { data } = await client.GET('/api/properties', {});
          return (data ?? []).map((property) => property.writtenName);
        }`,
      ),
    ).toEqual([]);
    expect(errorsOf('wrong.ts', `${head}export const wrong = client.POST('/api/session', { body: { name: 1 } });`)).not.toEqual([]);
  }, 120_000);

  it('signs in and changes something', async () => {
    // The generated file types the paths; it does not exist yet here, so they are untyped.
    const client = createClient<Record<string, never>>({ baseUrl: rule.url }) as unknown as Record<
      'GET' | 'POST',
      (path: string, given: object) => Promise<{ data?: unknown; error?: unknown; response: Response }>
    >;
    const signedIn = await client.POST('/api/session', { body: { name: 'okafor', password: DEMO_PASSWORD } });
    const { user, csrf } = signedIn.data as SessionState;
    expect(user?.displayName).toBe('Tobe Okafor');
    const cookie = signedIn.response.headers.get('set-cookie')!.split(';')[0]!;
    const headers = { cookie, 'x-rule-csrf': csrf };
    const file = await rule.file('agitator-arm.step');
    const put = { values: [{ file, property: await rule.property('Description'), text: 'By a made client' }], reason: 'grid' };
    expect((await client.POST('/api/tray', { headers: { cookie }, body: put })).error).toMatchObject({ code: 'csrf' });
    const { lines } = (await client.POST('/api/tray', { headers, body: put })).data as Tray;
    expect(lines[0]!.proposed).toEqual({ text: 'By a made client', form: 'text' });
    expect((await client.GET('/api/tray', { headers })).data).toMatchObject({ lines });
  });
});
