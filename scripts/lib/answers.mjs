import { readFileSync, readdirSync } from 'node:fs';
import { join } from 'node:path';
import { path } from './shell.mjs';

/** An in-memory TypeScript file that names every route's answer type. */
const NAME = path('packages/contract/src/routes/answers-of-all-routes.ts');

/**
 * Answers of all routes as JSON Schema (draft 7) with definitions, derived from the routes' types.
 * @returns `{ properties: { 'GET /tray': … }, definitions: { … } }`
 */
export async function answerSchemas() {
  const { default: ts } = await import('typescript');
  const { SchemaGenerator, createFormatter, createParser } = await import('ts-json-schema-generator');
  const folder = path('packages/contract/src/routes');
  const imports = [];
  const members = [];
  for (const file of readdirSync(folder).filter((name) => name !== 'index.ts')) {
    const source = ts.createSourceFile(file, readFileSync(join(folder, file), 'utf8'), ts.ScriptTarget.Latest, true);
    source.forEachChild((node) => {
      if (ts.isImportDeclaration(node)) imports.push(node);
    });
    const visit = (node) => {
      const call = ts.isPropertyAssignment(node) && node.name.getText() === 'answer' ? node.initializer : undefined;
      // Files and pages have no schema.
      if (call && ts.isCallExpression(call) && /^(json|events)$/.test(call.expression.getText()))
        members.push({ route: node.parent.parent.name.text, type: call.typeArguments[0].getText() });
      ts.forEachChild(node, visit);
    };
    visit(source);
  }
  const from = new Map();
  for (const node of imports) {
    const module = node.moduleSpecifier.text;
    if (module !== '..' && !module.startsWith('@rule/core')) continue;
    for (const { name } of node.importClause.namedBindings.elements) from.set(name.text, module);
  }
  const text = [
    ...[...from].map(([name, module]) => `import type { ${name} } from '${module}';`),
    'export interface Answers {',
    ...members.map(({ route, type }) => `  '${route}': ${type};`),
    '}',
  ].join('\n');
  const { config } = ts.readConfigFile(path('packages/contract/tsconfig.json'), ts.sys.readFile);
  const { options } = ts.parseJsonConfigFileContent(config, ts.sys, path('packages/contract'));
  const host = ts.createCompilerHost(options);
  const { fileExists, readFile, getSourceFile } = host;
  host.fileExists = (name) => name === NAME || fileExists(name);
  host.readFile = (name) => (name === NAME ? text : readFile(name));
  host.getSourceFile = (name, target, ...rest) => (name === NAME ? ts.createSourceFile(name, text, target, true) : getSourceFile(name, target, ...rest));
  const program = ts.createProgram([NAME], options, host);
  const settings = {
    type: 'Answers',
    expose: 'export',
    jsDoc: 'basic',
    additionalProperties: true,
    topRef: false,
    sortProps: false,
    markdownDescription: false,
  };
  const { properties, definitions } = new SchemaGenerator(program, createParser(program, settings), createFormatter(settings), settings).createSchema(
    'Answers',
  );
  return { properties, definitions };
}
