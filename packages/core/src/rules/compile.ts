import { Host, Meter, RuleLimit } from './functions';
import { Expr, Parsed, RuleProblem, TOO_DEEP, childrenOf, parseExpression, parseTests } from './syntax';
import { ANY, FeelType, RuleScope, namesOf } from './type';
import { FeelContext, FeelValue } from './value';

import { Compiler } from './compiler';
import { Piece, Use } from './scoped';

export type { Use } from './scoped';

/** The result of one evaluation: a value, or why there is none. */
export type Outcome = { readonly ok: true; readonly value: FeelValue } | { readonly ok: false; readonly message: string };

/** What a piece of an expression came to, for the people who ask why. */
export interface Step {
  readonly from: number;
  readonly to: number;
  readonly text: string;
  readonly depth: number;
  /** Values in the order in which they came; more than one inside a loop. At most {@link MOST_VALUES} are kept. */
  readonly values: readonly FeelValue[];
  readonly times: number;
}

export const MOST_VALUES = 5;

/** An expression that is ready to run. */
export interface CompiledRule {
  readonly source: string;
  readonly type: FeelType;
  readonly uses: readonly Use[];
  /** Doubts that do not stop the rule from running. */
  readonly warnings: readonly RuleProblem[];
  readonly evaluate: (names: FeelContext, host: Host) => Outcome;
  /** Evaluates and tells what each part came to. */
  readonly explain: (names: FeelContext, host: Host) => { readonly outcome: Outcome; readonly steps: readonly Step[] };
}

/** Unary tests that are ready to run: whether a value is among what is allowed. */
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

/** The tree of an expression, for those that show it in another way; `null` where it cannot be read. */
export function treeOf(source: string, scope: RuleScope): Expr | null {
  const parsed = parseExpression(source, namesOf(scope.names));
  return parsed.ok ? parsed.value : null;
}

/** Prepares an expression; problems with severity `error` stop it. */
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

/** Prepares unary tests: what is allowed of a value of the scope's `input`. */
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
