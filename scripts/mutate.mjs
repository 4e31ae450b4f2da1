/**
 * Mutation test of the core: changes one operator or word at a time and checks whether a test fails. `npm run mutate` samples each folder
 * (`--each 40`, `--seed 1`) in copies of the project and prints the survivors; `--only changes,forms` selects folders. Survivors are for
 * reading, not scoring.
 */
import { spawn } from 'node:child_process';
import { cpSync, mkdtempSync, readFileSync, readdirSync, rmSync, symlinkSync, writeFileSync } from 'node:fs';
import { cpus, tmpdir } from 'node:os';
import { join, relative } from 'node:path';
import ts from 'typescript';
import { main, path } from './lib/shell.mjs';

/** Folders of the core and the test files tried first; survivors are tried with all others. */
const FOLDERS = {
  changes: 'changes',
  exchange: 'exchange',
  forms: 'forms',
  schema: 'schema|editions|judges|areas',
  survey: 'survey|learn',
  titleblocks: 'mapping',
  bom: 'mapping',
  vault: 'mapping',
};

const OPERATORS = {
  '===': '!==', '!==': '===', '<': '<=', '<=': '<', '>': '>=', '>=': '>', '&&': '||', '||': '&&', '??': '&&', '+': '-', '-': '+', '*': '/', '/': '*', '+=': '-=',
}; // prettier-ignore
const METHODS = { some: 'every', every: 'some', min: 'max', max: 'min', startsWith: 'endsWith', endsWith: 'startsWith', toLowerCase: 'toUpperCase' };

/** All single mutations of a file: position, original, replacement. */
function mutationsOf(file) {
  const text = readFileSync(file, 'utf8');
  const source = ts.createSourceFile(file, text, ts.ScriptTarget.ESNext, true);
  const found = [];
  const put = (node, to) => found.push({ file, from: node.getStart(source), to: node.getEnd(), by: to });
  const visit = (node) => {
    if (ts.isTypeNode(node) || ts.isInterfaceDeclaration(node) || ts.isTypeAliasDeclaration(node) || ts.isImportDeclaration(node)) return;
    if (ts.isBinaryExpression(node)) {
      const sign = node.operatorToken.getText(source);
      if (OPERATORS[sign] && !(sign === '+' && [node.left, node.right].some((side) => ts.isStringLiteralLike(side) || ts.isTemplateExpression(side)))) put(node.operatorToken, OPERATORS[sign]);
    } else if (ts.isConditionalExpression(node) || ts.isIfStatement(node)) {
      const condition = ts.isIfStatement(node) ? node.expression : node.condition;
      put(condition, 'true');
      put(condition, 'false');
    } else if (node.kind === ts.SyntaxKind.TrueKeyword) put(node, 'false');
    else if (node.kind === ts.SyntaxKind.FalseKeyword) put(node, 'true');
    else if (ts.isNumericLiteral(node)) put(node, String(Number(node.text) + 1));
    else if (ts.isPrefixUnaryExpression(node) && node.operator === ts.SyntaxKind.ExclamationToken) put(node, node.operand.getText(source));
    else if (ts.isPropertyAccessExpression(node) && ts.isCallExpression(node.parent) && node.parent.expression === node && METHODS[node.name.text]) put(node.name, METHODS[node.name.text]);
    else if (ts.isCallExpression(node) && ts.isPropertyAccessExpression(node.expression) && node.expression.name.text === 'filter') put(node, node.expression.expression.getText(source));
    ts.forEachChild(node, visit);
  };
  visit(source);
  return found;
} // prettier-ignore

/** Seeded random numbers from 0 to 1, for repeatable samples. */
function randomBy(seed) {
  let state = seed >>> 0;
  return () => {
    state = (state + 0x6d2b79f5) | 0;
    let t = Math.imul(state ^ (state >>> 15), 1 | state);
    t = (t + Math.imul(t ^ (t >>> 7), 61 | t)) ^ t;
    return ((t ^ (t >>> 14)) >>> 0) / 4294967296;
  };
}

const sourcesIn = (folder) =>
  readdirSync(folder, { recursive: true, encoding: 'utf8' })
    .filter((name) => name.endsWith('.ts') && !name.endsWith('index.ts'))
    .map((name) => join(folder, name))
    .sort();

const LIMIT_MS = 240_000;

/** Whether tests pass in a copy; running forever counts as failure. */
function passes(copy, patterns) {
  return new Promise((done) => {
    const args = ['--experimental-vm-modules', '--no-warnings', 'node_modules/jest/bin/jest.js', '--selectProjects', 'core', '--bail', '--silent', '-w', '1', '--testPathPatterns', patterns];
    const child = spawn(process.execPath, args, { cwd: copy, stdio: 'ignore' });
    const clock = setTimeout(() => child.kill('SIGKILL'), LIMIT_MS);
    child.on('exit', (code) => {
      clearTimeout(clock);
      done(code === 0);
    });
  });
} // prettier-ignore

await main(async () => {
  const option = (name, otherwise) => (process.argv.includes(`--${name}`) ? process.argv[process.argv.indexOf(`--${name}`) + 1] : otherwise);
  const each = Number(option('each', '40'));
  const random = randomBy(Number(option('seed', '1')));
  const only = option('only', Object.keys(FOLDERS).join()).split(',');
  const work = [];
  for (const [folder, tests] of Object.entries(FOLDERS)) {
    const all = sourcesIn(path('packages/core/src', folder)).flatMap(mutationsOf);
    const drawn = all.map((mutation) => ({ mutation, at: random() })).sort((a, b) => a.at - b.at);
    if (only.includes(folder)) work.push(...drawn.slice(0, each).map(({ mutation }) => ({ ...mutation, folder, tests })));
  }
  const found = Object.fromEntries(only.map((folder) => [folder, { killed: 0, lived: [] }]));
  const worker = async () => {
    const copy = mkdtempSync(join(tmpdir(), 'rule-mutate-'));
    for (const part of ['packages', 'jest.config.mjs', 'package.json', 'scripts', 'apps/web/jest.config.mjs', 'apps/web/src/test', 'apps/web/tsconfig.spec.json']) cpSync(path(part), join(copy, part), { recursive: true, filter: (from) => !from.includes('node_modules') });
    symlinkSync(path('node_modules'), join(copy, 'node_modules'));
    if (!(await passes(copy, 'test/'))) throw new Error('The tests of the core do not pass as they are: nothing can be told from changes.');
    for (let one = work.pop(); one; one = work.pop()) {
      const { file, from, to, by, folder, tests } = one;
      const text = readFileSync(file, 'utf8');
      const there = join(copy, relative(path(), file));
      writeFileSync(there, text.slice(0, from) + by + text.slice(to));
      const lives = (await passes(copy, `test/(${tests})\\.`)) && (await passes(copy, 'test/'));
      writeFileSync(there, text);
      if (!lives) found[folder].killed++;
      else {
        const line = text.slice(0, from).split('\n').length;
        found[folder].lived.push(`${relative(path(), file)}:${line}  ${text.split('\n')[line - 1].trim().slice(0, 150)}  |  ${text.slice(from, to).slice(0, 60)} → ${by.slice(0, 40)}`);
        console.log(found[folder].lived.at(-1));
      }
    }
    rmSync(copy, { recursive: true, force: true });
  }; // prettier-ignore
  await Promise.all(Array.from({ length: Math.max(1, Math.min(4, cpus().length)) }, worker));
  console.log('\n| folder | mutations | noticed | share |\n| --- | ---: | ---: | ---: |');
  let [killed, total] = [0, 0];
  for (const [folder, { killed: dead, lived }] of Object.entries(found)) {
    const count = dead + lived.length;
    [killed, total] = [killed + dead, total + count];
    if (count > 0) console.log(`| ${folder} | ${count} | ${dead} | ${Math.round((100 * dead) / count)} % |`);
  }
  console.log(`| **all** | ${total} | ${killed} | ${Math.round((100 * killed) / total)} % |`);
});
