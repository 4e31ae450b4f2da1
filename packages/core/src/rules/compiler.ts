import { Meter, RuleLimit } from './functions';
import { Binder, Expr, childrenOf } from './syntax';
import { ANY, FeelType, NULL, blankable, contextType, filled, join, listOf, plain, typeWord } from './type';
import { FeelContext, FeelFunction, FeelRange, FeelValue, contextOf, equal, isList, readDate, readDateTime, readDuration, readTime, typeName } from './value';

import { Calls } from './calls';
import { Frame, Piece, Run } from './scoped';
import { DURATIONS, both, ordered, passes, times, within } from './operators';

/** Largest range a `for` iterates. */
const LONGEST_RANGE = 10_000;

/** Whether a test refers to the tested value. */
const asksInput = (expr: Expr): boolean => expr.type === 'input' || childrenOf(expr).some(asksInput);

const numbersFrom = (from: number, to: number): number[] => {
  const size = Math.abs(to - from) + 1;
  if (size > LONGEST_RANGE) throw new RuleLimit(`A range can have at most ${LONGEST_RANGE} numbers.`);
  const step = to < from ? -1 : 1;
  return Array.from({ length: size }, (_, i) => from + i * step);
};

/** Compiles a parsed expression part by part, each with type and evaluation. */
export class Compiler extends Calls {
  piece(expr: Expr, frames: readonly Frame[]): Piece {
    const piece = this.build(expr, frames);
    const { spy } = this;
    if (!spy || expr.type === 'literal') return piece;
    return {
      type: piece.type,
      run: (names, locals, meter) => {
        const value = piece.run(names, locals, meter);
        spy(expr, value);
        return value;
      },
    };
  }

  protected build(expr: Expr, frames: readonly Frame[]): Piece {
    const sub = (child: Expr) => this.piece(child, frames);
    switch (expr.type) {
      case 'literal': {
        const { value } = expr;
        return { run: () => value, type: value === null ? NULL : plain(typeof value as 'number' | 'string' | 'boolean') };
      }
      case 'moment': {
        const value = readDate(expr.text) ?? readTime(expr.text) ?? readDateTime(expr.text) ?? readDuration(expr.text);
        if (value === null) this.complain(expr, 'type', `${JSON.stringify(expr.text)} is not a valid date, time or duration (ISO 8601).`);
        return { run: () => value, type: value === null ? ANY : plain(typeName(value) as FeelType['kind']) };
      }
      case 'input': {
        if (!this.scope.input) this.complain(expr, 'unknown-name', '"?" means the tested value; there is none here.');
        return { run: (names) => names['?'] ?? null, type: this.scope.input ?? ANY };
      }
      case 'name':
        return this.name(expr, expr.name, frames);
      case 'path':
        return this.path(expr, sub(expr.of));
      case 'negate': {
        const of = sub(expr.of);
        this.expect(expr.of, of.type, ['number', ...DURATIONS], 'A minus sign');
        return {
          run: (n, l, m) => times(of.run(n, l, m), -1),
          type: of.type,
        };
      }
      case 'binary': {
        const [left, right] = [sub(expr.left), sub(expr.right)];
        const { type, apply } = this.operation(expr, left.type, right.type);
        return { type, run: (n, l, m) => apply(left.run(n, l, m), right.run, n, l, m) };
      }
      case 'chain':
        return this.chain(
          expr,
          sub(expr.first),
          expr.rest.map(({ right }) => sub(right)),
        );
      case 'between': {
        const [of, low, high] = [sub(expr.of), sub(expr.low), sub(expr.high)];
        this.comparable(expr, of.type, low.type);
        this.comparable(expr, of.type, high.type);
        return {
          run: (n, l, m) => {
            const value = of.run(n, l, m);
            return both(ordered('>=', value, low.run(n, l, m)), ordered('<=', value, high.run(n, l, m)));
          },
          type: plain('boolean', true),
        };
      }
      case 'in': {
        const of = sub(expr.of);
        const tests = this.testsFor(expr.tests, of.type, frames);
        return { run: (n, l, m) => tests(of.run(n, l, m), n, l, m), type: plain('boolean', true) };
      }
      case 'if': {
        const [condition, then, otherwise] = [sub(expr.condition), sub(expr.then), sub(expr.otherwise)];
        this.expect(expr.condition, condition.type, ['boolean'], 'What follows "if"');
        const type = join(then.type, otherwise.type);
        if (type.kind === 'any' && then.type.kind !== 'any' && otherwise.type.kind !== 'any')
          this.complain(expr, 'type', `After "then" stands a ${typeWord(then.type)}, after "else" a ${typeWord(otherwise.type)}.`, undefined, 'warning');
        return { run: (n, l, m) => (condition.run(n, l, m) === true ? then.run(n, l, m) : otherwise.run(n, l, m)), type };
      }
      case 'for':
        return this.loop(expr.binders, expr.body, frames);
      case 'quantified': {
        const inner = this.loop(expr.binders, expr.body, frames);
        this.expect(expr.body, inner.type.item!, ['boolean'], 'What follows "satisfies"');
        const { every } = expr;
        return {
          run: (n, l, m) => {
            const list = inner.run(n, l, m);
            if (!isList(list)) return null;
            const decided = every ? list.includes(false) : list.includes(true);
            if (decided) return !every;
            return list.every((item) => item === every) ? every : null;
          },
          type: plain('boolean', true),
        };
      }
      case 'filter':
        return this.filter(expr, sub(expr.of), frames);
      case 'list': {
        const items = expr.items.map(sub);
        return {
          run: (n, l, m) => m.items(items.map((item) => item.run(n, l, m))),
          type: listOf(items.length ? items.map((item) => item.type).reduce(join) : ANY),
        };
      }
      case 'context':
        return this.context(expr, frames);
      case 'range': {
        const [low, high] = [expr.low ? sub(expr.low) : null, expr.high ? sub(expr.high) : null];
        if (low && high) this.comparable(expr, low.type, high.type);
        const { lowIncluded, highIncluded } = expr;
        return {
          run: (n, l, m) => new FeelRange(low?.run(n, l, m) ?? null, lowIncluded, high?.run(n, l, m) ?? null, highIncluded),
          type: { kind: 'range', blank: false, item: filled((low ?? high)?.type ?? ANY) },
        };
      }
      case 'call':
        return this.call(expr, frames);
      case 'function': {
        const first = this.slots;
        this.slots += expr.parameters.length;
        const locals = new Map(expr.parameters.map((name, i) => [name, { slot: first + i, type: ANY }] as const));
        const body = this.piece(expr.body, [...frames, { locals }]);
        const { parameters } = expr;
        return {
          run: (n, l, m) =>
            new FeelFunction(parameters, (args) => {
              m.spend(1);
              for (let i = 0; i < parameters.length; i++) l[first + i] = args[i] ?? null;
              return body.run(n, l, m);
            }),
          type: { kind: 'function', blank: false, result: body.type },
        };
      }
      case 'instance': {
        const of = sub(expr.of);
        const wanted = expr.of_type;
        const known = [
          'number',
          'string',
          'boolean',
          'date',
          'time',
          'date and time',
          'days and time duration',
          'years and months duration',
          'list',
          'context',
          'function',
          'Any',
          'null',
        ];
        if (!known.includes(wanted)) this.complain(expr, 'unknown-name', `${JSON.stringify(wanted)} is not a type.`);
        return {
          run: (n, l, m) => {
            const value = of.run(n, l, m);
            return wanted === 'Any' ? value !== null : typeName(value) === wanted;
          },
          type: plain('boolean'),
        };
      }
      case 'against':
      case 'any':
      case 'none of': {
        this.complain(expr, 'syntax', 'This test is only allowed after "in" or in a list of allowed values.');
        return { run: () => null, type: ANY };
      }
    }
  }

  protected loop(binders: readonly Binder[], body: Expr, frames: readonly Frame[]): Piece {
    const prepared: { slot: number; list: Run; end: Run | null }[] = [];
    let inner = frames;
    for (const binder of binders) {
      const list = this.piece(binder.list, inner);
      const end = binder.end ? this.piece(binder.end, inner) : null;
      if (end) {
        this.expect(binder.list, list.type, ['number'], 'A range');
        this.expect(binder.end!, end.type, ['number'], 'A range');
      } else if (!['list', 'range', 'any', 'null'].includes(list.type.kind))
        this.complain(binder.list, 'type', `${this.text(binder.list)} is a ${typeWord(list.type)}, not a list.`);
      const slot = this.slots++;
      prepared.push({ slot, list: list.run, end: end?.run ?? null });
      const type = end ? plain('number') : list.type.kind === 'list' ? (list.type.item ?? ANY) : ANY;
      inner = [...inner, { locals: new Map([[binder.name, { slot, type }]]) }];
    }
    // Previous results, for rules that use them.
    const soFar = this.slots++;
    const piece = this.piece(body, [...inner, { locals: new Map([['partial', { slot: soFar, type: listOf(ANY) }]]) }]);
    const run: Run = (n, l, m) => {
      const results: FeelValue[] = [];
      let refused = false;
      const step = (depth: number): void => {
        const binder = prepared[depth];
        if (!binder) {
          m.spend(1);
          l[soFar] = results;
          results.push(piece.run(n, l, m));
          return;
        }
        const start = binder.list(n, l, m);
        let items: readonly FeelValue[];
        if (binder.end) {
          const stop = binder.end(n, l, m);
          if (!Number.isInteger(start) || !Number.isInteger(stop)) return void (refused = true);
          items = numbersFrom(start as number, stop as number);
        } else if (start instanceof FeelRange) {
          if (!Number.isInteger(start.low) || !Number.isInteger(start.high)) return void (refused = true);
          items = numbersFrom(start.low as number, start.high as number).filter((item) => within(item, start) === true);
        } else if (start === null) return void (refused = true);
        else items = isList(start) ? start : [start];
        for (const item of items) {
          l[binder.slot] = item;
          step(depth + 1);
        }
      };
      step(0);
      return refused ? null : results;
    };
    return { run, type: listOf(piece.type, true) };
  }

  protected filter(expr: Extract<Expr, { type: 'filter' }>, of: Piece, frames: readonly Frame[]): Piece {
    const item = of.type.kind === 'list' ? (of.type.item ?? ANY) : of.type.kind === 'null' ? ANY : filled(of.type);
    const slot = this.slots++;
    const by = this.piece(expr.by, [...frames, { item: slot, type: item }]);
    const index = by.type.kind === 'number';
    if (!index) this.expect(expr.by, by.type, ['boolean'], 'What stands in [ ]');
    return {
      run: (n, l, m) => {
        const value = of.run(n, l, m);
        const list = isList(value) ? value : value === null ? [] : [value];
        const kept: FeelValue[] = [];
        for (const [i, one] of m.items(list).entries()) {
          l[slot] = one;
          const found = by.run(n, l, m);
          if (typeof found === 'number') {
            if (i === 0 && expr.by.type !== 'call') return list[found > 0 ? found - 1 : list.length + found] ?? null;
            if (found === i + 1) return one;
          } else if (found === true) kept.push(one);
        }
        return index ? null : kept;
      },
      type: index ? blankable(item) : listOf(item),
    };
  }

  protected context(expr: Extract<Expr, { type: 'context' }>, frames: readonly Frame[]): Piece {
    const pieces: { key: string; slot: number; run: Run }[] = [];
    const fields: Record<string, FeelType> = {};
    let inner = frames;
    for (const { key, value } of expr.entries) {
      const piece = this.piece(value, inner);
      const slot = this.slots++;
      pieces.push({ key, slot, run: piece.run });
      fields[key] = piece.type;
      inner = [...inner, { locals: new Map([[key, { slot, type: piece.type }]]) }];
    }
    return {
      run: (n, l, m) =>
        contextOf(
          pieces.map(({ key, slot, run }) => {
            const value = run(n, l, m);
            l[slot] = value;
            return [key, value] as const;
          }),
        ),
      type: contextType(fields),
    };
  }

  /** Compiles the tests of `in` and of permitted values into a function of the tested value. */
  testsFor(tests: readonly Expr[], type: FeelType, frames: readonly Frame[]): (value: FeelValue, n: FeelContext, l: FeelValue[], m: Meter) => boolean | null {
    const prepared = tests.map((test) => this.test(test, type, frames));
    return (value, n, l, m) => {
      let unsure = false;
      for (const test of prepared) {
        const found = test(value, n, l, m);
        if (found === true) return true;
        if (found === null) unsure = true;
      }
      return unsure ? null : false;
    };
  }

  protected test(test: Expr, type: FeelType, frames: readonly Frame[]): (value: FeelValue, n: FeelContext, l: FeelValue[], m: Meter) => boolean | null {
    if (test.type === 'any') return () => true;
    if (test.type === 'none of') {
      const inner = this.testsFor(test.tests, type, frames);
      return (value, n, l, m) => {
        const found = inner(value, n, l, m);
        return found === null ? null : !found;
      };
    }
    if (test.type === 'against') {
      const right = this.piece(test.right, frames);
      const { operator } = test;
      const orderly = operator !== '=' && operator !== '!=';
      this.comparable(test, type, right.type, orderly);
      return (value, n, l, m) => {
        const other = right.run(n, l, m);
        if (operator === '=' || operator === '!=') {
          const same = equal(value, other);
          return same === null ? null : same === (operator === '=');
        }
        return ordered(operator as '<', value, other);
      };
    }
    const piece = this.piece(test, frames);
    if (asksInput(test)) {
      this.expect(test, piece.type, ['boolean'], 'A test with "?"');
      return (_value, n, l, m) => {
        const found = piece.run(n, l, m);
        return typeof found === 'boolean' ? found : null;
      };
    }
    if (piece.type.kind !== 'list' && piece.type.kind !== 'range') this.comparable(test, type, piece.type, false);
    if (piece.type.kind === 'range') this.comparable(test, type, piece.type.item ?? ANY);
    return (value, n, l, m) => passes(value, piece.run(n, l, m), m);
  }
}
