import type { SyntaxNode } from '@lezer/common';
import { distance } from 'fastest-levenshtein';
import { parser, trackVariables } from 'lezer-feel';

/** A problem at a location. Offsets count UTF-16 units. */
export interface RuleProblem {
  readonly severity: 'error' | 'warning';
  readonly code:
    | 'too-long'
    | 'too-deep'
    | 'syntax'
    | 'double-equals'
    | 'unknown-name'
    | 'unknown-function'
    | 'not-a-function'
    | 'arguments'
    | 'type'
    | 'never'
    | 'blank-spreads'
    | 'clock'
    | 'pattern'
    | 'result';
  readonly message: string;
  readonly from: number;
  readonly to: number;
  /** Replacement text for `from` to `to`, and its effect. */
  readonly fix?: { readonly label: string; readonly text: string };
}

export type BinaryOperator = '+' | '-' | '*' | '/' | '**' | '=' | '!=' | '<' | '<=' | '>' | '>=' | 'and' | 'or';

/** A syntax node with its location. */
export type Expr = { readonly from: number; readonly to: number } & (
  | { readonly type: 'literal'; readonly value: null | boolean | number | string }
  | { readonly type: 'moment'; readonly text: string }
  | { readonly type: 'name'; readonly name: string }
  | { readonly type: 'input' }
  | { readonly type: 'path'; readonly of: Expr; readonly name: string; readonly nameFrom: number }
  | { readonly type: 'negate'; readonly of: Expr }
  | { readonly type: 'binary'; readonly operator: BinaryOperator; readonly left: Expr; readonly right: Expr }
  /** Many operators of one rank, from the left to the right: `a + b - c …`. `to` is where the operand of each ends. */
  | { readonly type: 'chain'; readonly first: Expr; readonly rest: readonly { readonly operator: BinaryOperator; readonly right: Expr; readonly to: number }[] }
  | { readonly type: 'between'; readonly of: Expr; readonly low: Expr; readonly high: Expr }
  | { readonly type: 'in'; readonly of: Expr; readonly tests: readonly Expr[] }
  | { readonly type: 'if'; readonly condition: Expr; readonly then: Expr; readonly otherwise: Expr }
  | { readonly type: 'for'; readonly binders: readonly Binder[]; readonly body: Expr }
  | { readonly type: 'quantified'; readonly every: boolean; readonly binders: readonly Binder[]; readonly body: Expr }
  | { readonly type: 'filter'; readonly of: Expr; readonly by: Expr }
  | { readonly type: 'list'; readonly items: readonly Expr[] }
  | { readonly type: 'context'; readonly entries: readonly { readonly key: string; readonly value: Expr }[] }
  | { readonly type: 'range'; readonly low: Expr | null; readonly lowIncluded: boolean; readonly high: Expr | null; readonly highIncluded: boolean }
  | { readonly type: 'call'; readonly name: string; readonly callee: Expr | null; readonly args: readonly Expr[]; readonly names: readonly string[] | null }
  | { readonly type: 'function'; readonly parameters: readonly string[]; readonly body: Expr }
  | { readonly type: 'instance'; readonly of: Expr; readonly of_type: string }
  /** A unary test by comparison with the tested value, such as `> 3`. */
  | { readonly type: 'against'; readonly operator: BinaryOperator; readonly right: Expr }
  | { readonly type: 'any' }
  | { readonly type: 'none of'; readonly tests: readonly Expr[] }
);

/** `name in list`, or `name in low..high`. */
export interface Binder {
  readonly name: string;
  readonly list: Expr;
  /** End of an integer range. */
  readonly end: Expr | null;
}

export const LONGEST_RULE = 10_000;
/** Maximum nesting of brackets, conditions and functions. */
const DEEPEST = 150;
/** Number of equal operators kept as a chain; fewer give more detailed explanations. */
const CHAIN = 16;

/** Chained operators the grammar's parser handles reliably. */
const MOST_OPERATORS = 300;

/** Message for rules nested too deeply. */
export const TOO_DEEP = `The rule is nested more than ${DEEPEST} levels deep.`;

class Refused extends Error {
  constructor(readonly problem: RuleProblem) {
    super(problem.message);
  }
}

/** FEEL names with blanks are normalised to single blanks. */
const nameText = (text: string): string => text.replace(/\s+/gu, ' ').trim();

/** Unescapes a FEEL string literal. */
function unquote(literal: string): string {
  return literal.slice(1, -1).replace(/\\(?:u([0-9a-fA-F]{4})|U([0-9a-fA-F]{6})|(.))/gsu, (whole, four?: string, six?: string, one?: string) => {
    if (four ?? six) {
      const code = parseInt(four ?? six!, 16);
      return code <= 0x10ffff ? String.fromCodePoint(code) : whole;
    }
    return { n: '\n', r: '\r', t: '\t' }[one!] ?? one!;
  });
}

/** Chainable node kinds, with the operator if implied. */
const CHAINS: Readonly<Record<string, BinaryOperator | null>> = { ArithmeticExpression: null, Disjunction: 'or', Conjunction: 'and' };

/** Builds syntax nodes from the parser's tree. */
class Reader {
  constructor(private readonly source: string) {}

  private text = (node: SyntaxNode) => this.source.slice(node.from, node.to);
  private children(node: SyntaxNode): SyntaxNode[] {
    const list: SyntaxNode[] = [];
    for (let child = node.firstChild; child; child = child.nextSibling) if (child.name !== 'LineComment' && child.name !== 'BlockComment') list.push(child);
    return list;
  }
  /** Children that are expressions. */
  private parts = (node: SyntaxNode) => this.children(node).filter((child) => /^[A-Z]/.test(child.name) && !child.name.endsWith('Op'));

  private unknown(node: SyntaxNode): Refused {
    return new Refused({
      severity: 'error',
      code: 'syntax',
      message: `${JSON.stringify(this.text(node))} is not understood here.`,
      from: node.from,
      to: node.to,
    });
  }

  read(node: SyntaxNode, depth = 0): Expr {
    const at = { from: node.from, to: node.to };
    if (depth > DEEPEST) throw new Refused({ severity: 'error', code: 'too-deep', message: TOO_DEEP, ...at });
    const chain = this.chain(node, depth);
    if (chain) return chain;
    const sub = (child: SyntaxNode) => this.read(child, depth + 1);
    const all = this.children(node);
    const parts = this.parts(node);
    switch (node.name) {
      case 'ParenthesizedExpression': {
        const inner = all.find((child) => child.name !== '(' && child.name !== ')');
        if (!inner) throw this.unknown(node);
        return sub(inner);
      }
      case 'Expression':
      case 'PositiveUnaryTest': {
        if (all.length !== 1) throw this.unknown(node);
        return sub(all[0]!);
      }
      case 'null':
        return { type: 'literal', value: null, ...at };
      case 'BooleanLiteral':
        return { type: 'literal', value: this.text(node) === 'true', ...at };
      case 'NumericLiteral':
        return { type: 'literal', value: Number(this.text(node)), ...at };
      case 'StringLiteral':
        return { type: 'literal', value: unquote(this.text(node)).normalize('NFC'), ...at };
      case 'DateTimeLiteral': {
        const literal = all.find((child) => child.name === 'AtLiteral');
        if (literal) return { type: 'moment', text: unquote(this.text(literal.firstChild!)), ...at };
        return this.call(node, nameText(this.text(all[0]!)), null, all, depth);
      }
      case 'VariableName':
        return { type: 'name', name: nameText(this.text(node)), ...at };
      case '?':
        return { type: 'input', ...at };
      case 'PathExpression': {
        const [of, name] = [all[0]!, all[all.length - 1]!];
        return { type: 'path', of: sub(of), name: nameText(this.text(name)), nameFrom: name.from, ...at };
      }
      case 'ArithmeticExpression': {
        if (all.length === 2) return { type: 'negate', of: sub(all[1]!), ...at };
        return { type: 'binary', operator: this.text(all[1]!) as BinaryOperator, left: sub(all[0]!), right: sub(all[2]!), ...at };
      }
      case 'Disjunction':
      case 'Conjunction':
        return { type: 'binary', operator: node.name === 'Conjunction' ? 'and' : 'or', left: sub(all[0]!), right: sub(all[2]!), ...at };
      case 'Comparison': {
        const [left, operator] = [all[0]!, all[1]!];
        const word = this.text(operator);
        if (operator.name === 'between') return { type: 'between', of: sub(left), low: sub(all[2]!), high: sub(all[4]!), ...at };
        if (operator.name === 'in') {
          const rest = all.slice(2).filter((child) => child.name !== '(' && child.name !== ')');
          return { type: 'in', of: sub(left), tests: rest.flatMap((child) => this.tests(child, depth + 1)), ...at };
        }
        return { type: 'binary', operator: word as BinaryOperator, left: sub(left), right: sub(all[2]!), ...at };
      }
      case 'IfExpression': {
        const [condition, then, otherwise] = all.filter((child) => !['if', 'then', 'else'].includes(child.name));
        if (!otherwise) throw new Refused({ severity: 'error', code: 'syntax', message: 'An "if" needs "then" and "else".', ...at });
        return { type: 'if', condition: sub(condition!), then: sub(then!), otherwise: sub(otherwise), ...at };
      }
      case 'ForExpression':
      case 'QuantifiedExpression': {
        const inner = all.find((child) => child.name === 'InExpressions')!;
        const binders = this.children(inner)
          .filter((child) => child.name === 'InExpression')
          .map((child) => this.binder(child, depth));
        const body = sub(all[all.length - 1]!);
        if (node.name === 'ForExpression') return { type: 'for', binders, body, ...at };
        return { type: 'quantified', every: all[0]!.name === 'every', binders, body, ...at };
      }
      case 'FilterExpression':
        return { type: 'filter', of: sub(all[0]!), by: sub(all[2]!), ...at };
      case 'List':
        return { type: 'list', items: all.filter((child) => child.name !== '[' && child.name !== ']').map(sub), ...at };
      case 'Context':
        return {
          type: 'context',
          entries: parts.map((entry) => {
            const [key, value] = this.children(entry);
            const text = this.text(key!);
            return { key: text.startsWith('"') ? unquote(text) : nameText(text), value: sub(value!) };
          }),
          ...at,
        };
      case 'SimplePositiveUnaryTest': {
        if (all[0]!.name === 'CompareOp') return { type: 'against', operator: this.text(all[0]!) as BinaryOperator, right: sub(all[1]!), ...at };
        return sub(all[0]!);
      }
      case 'Interval': {
        const [open, low, , high, close] = all;
        return { type: 'range', low: sub(low!), lowIncluded: this.text(open!) === '[', high: sub(high!), highIncluded: this.text(close!) === ']', ...at };
      }
      case 'FunctionInvocation': {
        const callee = all[0]!;
        return this.call(
          node,
          nameText(this.text(callee)),
          callee.name === 'VariableName' || callee.name === 'SpecialFunctionName' ? null : sub(callee),
          all,
          depth,
        );
      }
      case 'FunctionDefinition': {
        const parameters = this.children(all.find((child) => child.name === 'FormalParameters') ?? node)
          .filter((child) => child.name === 'FormalParameter')
          .map((child) => nameText(this.text(child.firstChild!)));
        const body = all.find((child) => child.name === 'FunctionBody')?.firstChild;
        if (!body) throw this.unknown(node);
        return { type: 'function', parameters, body: sub(body), ...at };
      }
      case 'InstanceOfExpression':
        return { type: 'instance', of: sub(all[0]!), of_type: nameText(this.text(all[all.length - 1]!)), ...at };
      case 'Wildcard':
        return { type: 'any', ...at };
      default:
        throw this.unknown(node);
    }
  }

  /** Chained operators of one precedence; `null` if few. */
  private chain(node: SyntaxNode, depth: number): Expr | null {
    const rest: { operator: BinaryOperator; node: SyntaxNode; to: number }[] = [];
    let left = node;
    for (;;) {
      const operator = CHAINS[left.name];
      const all = operator === undefined ? [] : this.children(left);
      if (all.length !== 3) break;
      rest.push({ operator: operator ?? (this.text(all[1]!) as BinaryOperator), node: all[2]!, to: left.to });
      left = all[0]!;
    }
    if (rest.length < CHAIN) return null;
    return {
      type: 'chain',
      first: this.read(left, depth + 1),
      rest: rest.reverse().map(({ operator, node: right, to }) => ({ operator, right: this.read(right, depth + 1), to })),
      from: node.from,
      to: node.to,
    };
  }

  private binder(node: SyntaxNode, depth: number): Binder {
    const [name, , where] = this.children(node);
    const parts = this.children(where!).filter((child) => child.name !== '..');
    return { name: nameText(this.text(name!)), list: this.read(parts[0]!, depth + 1), end: parts[1] ? this.read(parts[1], depth + 1) : null };
  }

  private call(node: SyntaxNode, name: string, callee: Expr | null, all: readonly SyntaxNode[], depth: number): Expr {
    const at = { from: node.from, to: node.to };
    const named = all.find((child) => child.name === 'NamedParameters');
    if (named) {
      const list = this.children(named).filter((child) => child.name === 'NamedParameter');
      return {
        type: 'call',
        name,
        callee,
        args: list.map((child) => this.read(child.lastChild!, depth + 1)),
        names: list.map((child) => nameText(this.text(child.firstChild!))),
        ...at,
      };
    }
    const positional = all.find((child) => child.name === 'PositionalParameters');
    return { type: 'call', name, callee, args: positional ? this.children(positional).map((child) => this.read(child, depth + 1)) : [], names: null, ...at };
  }

  /** Tests of `x in (…)` or unary tests. */
  tests(node: SyntaxNode, depth: number): Expr[] {
    if (node.name === 'PositiveUnaryTests') return this.children(node).map((child) => this.read(child, depth));
    if (node.name === 'UnaryTests') {
      const all = this.children(node);
      if (all[0]?.name === 'not') {
        const inner = all.find((child) => child.name === 'PositiveUnaryTests');
        return [{ type: 'none of', tests: inner ? this.tests(inner, depth) : [], from: node.from, to: node.to }];
      }
      return all.flatMap((child) => this.tests(child, depth));
    }
    return [this.read(node, depth)];
  }
}

export type Parsed<T> = { readonly ok: true; readonly value: T } | { readonly ok: false; readonly problems: readonly RuleProblem[] };

/** Placeholder value for any name in scope. */
export type NameTree = { readonly [name: string]: NameTree | null };

/** The parser's scope: names only, nested for paths. */
const tracked = (names: NameTree): Record<string, unknown> =>
  Object.fromEntries(Object.entries(names).map(([name, inner]) => [name, inner === null ? 0 : tracked(inner)]));

/** The probably intended name: differing in case and blanks, a caption, or up to two letters. */
export function nearest(name: string, candidates: readonly string[], captions: Readonly<Record<string, string>>): string | null {
  const squeezed = (text: string) => text.toLowerCase().replace(/[\s_-]+/g, '');
  const wanted = squeezed(name);
  let best: string | null = null;
  let least = Math.max(1, Math.floor(wanted.length / 3)) + 1;
  for (const candidate of candidates) {
    for (const spelling of [candidate, captions[candidate]]) {
      if (spelling === undefined) continue;
      const apart = distance(wanted, squeezed(spelling));
      if (apart < least) [best, least] = [candidate, apart];
    }
  }
  return best;
}

/** The text with strings and comments blanked, for checking operators. */
const bare = (source: string): string =>
  source.replace(/"(?:[^"\\]|\\.)*"|\/\*[\s\S]*?\*\/|\/\/[^\n]*/g, (part) =>
    part.startsWith('"') ? `"${'_'.repeat(Math.max(0, part.length - 2))}"` : ' '.repeat(part.length),
  );

const CLOSES: Readonly<Record<string, string>> = { ')': '(', ']': '[', '}': '{' };

/** Maximum bracket depth, and the first unclosed bracket from the inside. */
function brackets(signs: string): { readonly deepest: number; readonly deepestAt: number; readonly open: number | null } {
  const stack: number[] = [];
  let [deepest, deepestAt] = [0, 0];
  for (let i = 0; i < signs.length; i++) {
    const c = signs[i]!;
    if (c === '(' || c === '[' || c === '{') {
      stack.push(i);
      if (stack.length > deepest) [deepest, deepestAt] = [stack.length, i];
    }
    // Ends of ranges may be turned outwards, `]1..2[`: which bracket closes which is then for the grammar to say.
    else if (CLOSES[c] !== undefined && stack.length > 0) stack.pop();
  }
  return { deepest, deepestAt, open: stack.at(-1) ?? null };
}

const problem = (code: RuleProblem['code'], message: string, from: number, to: number, fix?: RuleProblem['fix']) => ({
  ok: false as const,
  problems: [{ severity: 'error' as const, code, message, from, to, ...(fix ? { fix } : {}) }],
});

/** Explains what the grammar cannot parse, so it can be corrected. */
function syntaxProblem(source: string, signs: string, node: SyntaxNode, names: NameTree) {
  const end = source.trimEnd().length;
  const text = source.slice(node.from, node.to).trim();
  const word = text || source.slice(node.from).trimStart().slice(0, 12).trim();
  const to = Math.max(node.to, Math.min(source.length, node.from + 1));
  const first = (word || source[node.from - 1] || '')[0] ?? '';
  if (first === "'") return problem('syntax', 'Put text in double quotes.', node.from, to);
  if (first === '&') return problem('syntax', 'Write "and" between conditions.', node.from, to);
  if (first === '|') return problem('syntax', 'Write "or" between conditions.', node.from, to);
  for (let around: SyntaxNode | null = node.parent; around; around = around.parent) {
    if (around.name !== 'IfExpression') continue;
    const words = new Set<string>();
    for (let child = around.firstChild; child; child = child.nextSibling) if (child.to > child.from) words.add(child.name);
    if (!words.has('then')) return problem('syntax', 'After "if" and its condition, "then" and "else" are expected.', node.from, to);
    if (!words.has('else') && node.from >= end - 1)
      return problem('syntax', 'After "if … then …", "else" is expected: the value when the condition is false.', end, end, {
        label: 'Write else null',
        text: ' else null',
      });
    break;
  }
  const { open } = brackets(signs);
  if (open !== null && node.from >= end - 1) return problem('syntax', `The ${JSON.stringify(source[open])} is never closed.`, open, open + 1);
  // A misspelt name with blanks parses as unrelated words.
  const run = /[\p{L}_][\p{L}\p{N}_ ]*$/u.exec(signs.slice(0, node.from))?.[0] ?? '';
  const written = `${run}${/^[\p{L}\p{N}_ ]*/u.exec(signs.slice(node.from))![0]}`;
  const near = written.trim().includes(' ') ? nearest(written.trim(), Object.keys(names), {}) : null;
  if (near !== null) {
    const start = node.from - run.length;
    return problem(
      'unknown-name',
      `${JSON.stringify(written.trim())} is not a known name here. Did you mean ${JSON.stringify(near)}?`,
      start,
      start + written.trimEnd().length,
      {
        label: `Write ${near}`,
        text: near,
      },
    );
  }
  const before = signs.slice(0, node.from).trimEnd();
  const wantsValue = before === '' || /[-+*/=<>,([{:.]$|\b(?:and|or|if|then|else|in|return|satisfies|between|not)$/.test(before);
  const expected = wantsValue ? 'a value is expected, such as a name, a number or a text' : 'an operator such as "+" or "=" is expected, or the end';
  return problem('syntax', word === '' ? `The rule is incomplete: ${expected}.` : `${JSON.stringify(word)} is not understood: ${expected}.`, node.from, to);
}

function treeOf(source: string, names: NameTree, top: 'Expression' | 'UnaryTests'): Parsed<SyntaxNode> {
  if (source.trim() === '') return problem('syntax', 'The rule is empty.', 0, source.length);
  if (source.length > LONGEST_RULE) return problem('too-long', `A rule can have at most ${LONGEST_RULE} characters.`, LONGEST_RULE, source.length);
  const signs = bare(source);
  // Before parsing: parser time grows with the square of the depth.
  const { deepest, deepestAt } = brackets(signs);
  if (deepest > DEEPEST) return problem('too-deep', TOO_DEEP, deepestAt, deepestAt + 1);
  const root = parser.configure({ top, contextTracker: trackVariables(tracked(names)) }).parse(source).topNode;
  // The grammar reads `a == b` as `a = (= b)` and `a <> b` as `a < (> b)`; `&&`, `||` and single quotes do not parse.
  const doubled = /(?<![<>!=])==/.exec(signs);
  if (doubled) return problem('double-equals', 'Compare two values with a single "=".', doubled.index, doubled.index + 2, { label: 'Write =', text: '=' });
  const unequal = /<>/.exec(signs);
  if (unequal) return problem('syntax', 'Write "!=" for "not equal".', unequal.index, unequal.index + 2, { label: 'Write !=', text: '!=' });
  let wrong: SyntaxNode | null = null;
  root.tree!.iterate({
    enter: (node) => {
      if (node.type.isError && wrong === null) wrong = node.node;
    },
  });
  if (wrong === null) return { ok: true, value: root };
  // The parser gives up on large input and reports a false error.
  const at = wrong as SyntaxNode;
  let depth = 0;
  for (let node: SyntaxNode | null = at; node && depth <= DEEPEST; node = node.parent) depth++;
  if (depth > DEEPEST) return problem('too-deep', TOO_DEEP, at.from, at.from + 1);
  if (signs.split(/[-+*/=<>]|\b(?:and|or)\b/).length > MOST_OPERATORS)
    return problem(
      'too-long',
      `A rule can have at most ${MOST_OPERATORS} operators in a row; use a list instead: sum([…]), any([…]), x in (…).`,
      at.from,
      at.from + 1,
    );
  return syntaxProblem(source, signs, at, names);
}

const guarded = <T>(work: () => T): Parsed<T> => {
  try {
    return { ok: true, value: work() };
  } catch (error) {
    if (error instanceof Refused) return { ok: false, problems: [error.problem] };
    throw error;
  }
};

/** Parses an expression; `names` allows names with blanks. */
export function parseExpression(source: string, names: NameTree): Parsed<Expr> {
  const tree = treeOf(source, names, 'Expression');
  return tree.ok ? guarded(() => new Reader(source).read(tree.value)) : tree;
}

/** Parses unary tests such as `[1..10]`, `"A", "B"` or `not("X")`. One must hold. */
export function parseTests(source: string, names: NameTree): Parsed<readonly Expr[]> {
  const tree = treeOf(source, names, 'UnaryTests');
  return tree.ok ? guarded(() => new Reader(source).tests(tree.value, 0)) : tree;
}

/** Visits an expression and all its parts. */
export function walk(expr: Expr, visit: (expr: Expr) => void): void {
  visit(expr);
  for (const child of childrenOf(expr)) walk(child, visit);
}

/** Direct parts of an expression. */
export function childrenOf(expr: Expr): readonly Expr[] {
  switch (expr.type) {
    case 'path':
    case 'negate':
    case 'instance':
      return [expr.of];
    case 'binary':
      return [expr.left, expr.right];
    case 'chain':
      return [expr.first, ...expr.rest.map(({ right }) => right)];
    case 'between':
      return [expr.of, expr.low, expr.high];
    case 'in':
      return [expr.of, ...expr.tests];
    case 'if':
      return [expr.condition, expr.then, expr.otherwise];
    case 'for':
    case 'quantified':
      return [...expr.binders.flatMap((binder) => (binder.end ? [binder.list, binder.end] : [binder.list])), expr.body];
    case 'filter':
      return [expr.of, expr.by];
    case 'list':
      return expr.items;
    case 'context':
      return expr.entries.map((entry) => entry.value);
    case 'range':
      return [expr.low, expr.high].filter((end) => end !== null);
    case 'call':
      return expr.callee ? [expr.callee, ...expr.args] : expr.args;
    case 'function':
      return [expr.body];
    case 'against':
      return [expr.right];
    case 'none of':
      return expr.tests;
    default:
      return [];
  }
}
