import { Host, Meter, RuleLimit } from './functions';
import { Expr, Parsed, RuleProblem, TOO_DEEP, childrenOf, parseExpression, parseTests } from './syntax';
import { ANY, FeelType, RuleScope, namesOf } from './type';
import { FeelContext, FeelValue } from './value';

import { Compiler } from './compiler';
import { Piece, Use } from './scoped';

export type { Use } from './scoped';

/** Result of an evaluation: a value, or why there is none. */
export type Outcome = { readonly ok: true; readonly value: FeelValue } | { readonly ok: false; readonly message: string };

/** Value of a part of an expression, for explanations. */
export interface Step {
  readonly from: number;
  readonly to: number;
  readonly text: string;
  readonly depth: number;
  /** Values in order; several inside loops. At most {@link MOST_VALUES}. */
  readonly values: readonly FeelValue[];
  readonly times: number;
}

export const MOST_VALUES = 5;

/** A compiled expression. */
export interface CompiledRule {
  readonly source: string;
  readonly type: FeelType;
  readonly uses: readonly Use[];
  /** Warnings that do not prevent evaluation. */
  readonly warnings: readonly RuleProblem[];
  readonly evaluate: (names: FeelContext, host: Host) => Outcome;
  /** Evaluates and records the value of each part. */
  readonly explain: (names: FeelContext, host: Host) => { readonly outcome: Outcome; readonly steps: readonly Step[] };
}

/** Compiled unary tests: whether a value is permitted. */
export interface CompiledTests {
  readonly source: string;
  readonly uses: readonly Use[];
  readonly warnings: readonly RuleProblem[];
  readonly allows: (value: FeelValue, names: FeelContext, host: Host) => Outcome;
}

const failed = (error: unknown): Outcome => {
  if (error instanceof RuleLimit) return { ok: false, message: error.message };
  if (error instanceof RangeError && /call stack/i.test(error.message)) return { ok: false, message: TOO_DEEP };
  throw error;
};

/** Parsed expression, for other presentations; `null` if it cannot be parsed. */
export function treeOf(source: string, scope: RuleScope): Expr | null {
  const parsed = parseExpression(source, namesOf(scope.names));
  return parsed.ok ? parsed.value : null;
}

/** Compiles an expression; problems of severity `error` prevent it. */
export function compileRule(source: string, scope: RuleScope): Parsed<CompiledRule> {
  const parsed = parseExpression(source, namesOf(scope.names));
  if (!parsed.ok) return parsed;
  const compiler = new Compiler(source, scope);
  const piece = compiler.piece(parsed.value, []);
  if (compiler.problems.some((problem) => problem.severity === 'error')) return { ok: false, problems: inOrder(compiler.problems) };
  const locals = compiler.locals;
  const run = (piece: Piece, names: FeelContext, host: Host): Outcome => {
    try {
      return { ok: true, value: piece.run(names, locals ? new Array<FeelValue>(locals).fill(null) : NONE, new Meter(host)) };
    } catch (error) {
      return failed(error);
    }
  };
  return {
    ok: true,
    value: {
      source,
      type: piece.type,
      uses: compiler.used(),
      warnings: inOrder(compiler.problems),
      evaluate: (names, host) => run(piece, names, host),
      explain: (names, host) => {
        const seen = new Map<Expr, { values: FeelValue[]; times: number }>();
        const spied = new Compiler(source, scope, (expr, value) => {
          const entry = seen.get(expr) ?? { values: [], times: 0 };
          entry.times++;
          if (entry.values.length < MOST_VALUES) entry.values.push(value);
          seen.set(expr, entry);
        });
        const outcome = run(spied.piece(parsed.value, []), names, host);
        const steps: Step[] = [];
        const tell = (expr: Expr, depth: number) => {
          const entry = seen.get(expr);
          if (entry) steps.push({ from: expr.from, to: expr.to, text: source.slice(expr.from, expr.to), depth, ...entry });
          for (const child of childrenOf(expr)) tell(child, depth + (entry ? 1 : 0));
        };
        tell(parsed.value, 0);
        return { outcome, steps };
      },
    },
  };
}

const NONE: FeelValue[] = [];

const inOrder = (problems: readonly RuleProblem[]): RuleProblem[] => [...problems].sort((a, b) => a.from - b.from || (a.severity === 'error' ? -1 : 1));

/** Compiles unary tests on the scope's `input`. */
export function compileTests(source: string, scope: RuleScope): Parsed<CompiledTests> {
  const parsed = parseTests(source, namesOf(scope.names));
  if (!parsed.ok) return parsed;
  const compiler = new Compiler(source, scope);
  const tests = compiler.testsFor(parsed.value, scope.input ?? ANY, []);
  if (compiler.problems.some((problem) => problem.severity === 'error')) return { ok: false, problems: inOrder(compiler.problems) };
  const locals = compiler.locals;
  return {
    ok: true,
    value: {
      source,
      uses: compiler.used(),
      warnings: inOrder(compiler.problems),
      allows: (value, names, host) => {
        try {
          const seen = Object.assign(Object.create(null) as Record<string, FeelValue>, names, { '?': value });
          return { ok: true, value: tests(value, seen, new Array<FeelValue>(locals).fill(null), new Meter(host)) };
        } catch (error) {
          return failed(error);
        }
      },
    },
  };
}
