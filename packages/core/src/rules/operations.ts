import { arithmetic } from './decimals';
import { Expr } from './syntax';
import { ANY, FeelType, blankable, plain, typeWord } from './type';
import { equal } from './value';

import { Operation, Piece, Scoped } from './scoped';
import { DURATIONS, MOMENTS, both, either, minus, ordered, over, plus, times } from './operators';

/** Operators by operand types. */
export abstract class Operations extends Scoped {
  /** Chained operators of one precedence, evaluated in a loop: no deeper for a thousand than for one. */
  protected chain({ first, rest }: Extract<Expr, { type: 'chain' }>, start: Piece, pieces: readonly Piece[]): Piece {
    let { type } = start;
    const steps = rest.map(({ operator, right, to }, i) => {
      // The left operand is itself a binary expression; only the innermost is taken as written.
      const left = i === 0 ? first : ({ type: 'binary', operator, left: first, right: rest[i - 1]!.right, from: first.from, to: rest[i - 1]!.to } as const);
      const operation = this.operation({ type: 'binary', operator, left, right, from: first.from, to }, type, pieces[i]!.type);
      ({ type } = operation);
      return { apply: operation.apply, right: pieces[i]!.run };
    });
    return {
      type,
      run: (n, l, m) => {
        let value = start.run(n, l, m);
        for (const { apply, right } of steps) value = apply(value, right, n, l, m);
        return value;
      },
    };
  }

  /** An operator for operand types, with its evaluation. */
  protected operation(expr: Extract<Expr, { type: 'binary' }>, x: FeelType, y: FeelType): Operation {
    const open = (type: FeelType) => type.kind === 'any' || type.kind === 'null';
    switch (expr.operator) {
      case 'and':
      case 'or': {
        this.expect(expr.left, x, ['boolean'], `"${expr.operator}"`);
        this.expect(expr.right, y, ['boolean'], `"${expr.operator}"`);
        const type = plain('boolean', true);
        if (expr.operator === 'and')
          return {
            apply: (first, b, n, l, m) => (first === false ? false : both(first, b(n, l, m))),
            type,
          };
        return {
          apply: (first, b, n, l, m) => (first === true ? true : either(first, b(n, l, m))),
          type,
        };
      }
      case '=':
        this.comparable(expr, x, y, false);
        return { apply: (a, b, n, l, m) => equal(a, b(n, l, m)), type: plain('boolean', true) };
      case '!=':
        this.comparable(expr, x, y, false);
        return {
          apply: (a, b, n, l, m) => {
            const same = equal(a, b(n, l, m));
            return same === null ? null : !same;
          },
          type: plain('boolean', true),
        };
      case '<':
      case '<=':
      case '>':
      case '>=': {
        this.comparable(expr, x, y);
        const { operator } = expr;
        return { apply: (a, b, n, l, m) => ordered(operator, a, b(n, l, m)), type: plain('boolean', true) };
      }
      case '+': {
        const type = open(x) || open(y) ? { ...(open(x) ? y : x), blank: true } : this.sumType(expr, x, y);
        for (const [part, own] of [
          [expr.left, x],
          [expr.right, y],
        ] as const)
          if (type.kind === 'string' && own.kind === 'string' && own.blank && part.type !== 'binary')
            this.complain(
              part,
              'blank-spreads',
              `When ${this.text(part)} is blank, the whole text becomes blank.`,
              { label: `Write text(${this.text(part)})`, text: `text(${this.text(part)})` },
              'warning',
            );
        return { apply: (a, b, n, l, m) => plus(a, b(n, l, m), m), type };
      }
      case '-': {
        let type = plain('number', x.blank || y.blank);
        if (open(x) || open(y)) type = ANY;
        else if (MOMENTS.has(x.kind) && MOMENTS.has(y.kind)) type = plain('days and time duration', true);
        else if (MOMENTS.has(x.kind) && DURATIONS.has(y.kind)) type = blankable(x);
        else if (DURATIONS.has(x.kind) && x.kind === y.kind) type = blankable(x);
        else if (x.kind !== 'number' || y.kind !== 'number') this.wrongOperands(expr, x, y, 'be subtracted from');
        return { apply: (a, b, n, l, m) => minus(a, b(n, l, m)), type };
      }
      case '*':
      case '/': {
        let type = plain('number', x.blank || y.blank || expr.operator === '/');
        if (open(x) || open(y)) type = ANY;
        else if (DURATIONS.has(x.kind) && y.kind === 'number') type = blankable(x);
        else if (expr.operator === '*' && DURATIONS.has(y.kind) && x.kind === 'number') type = blankable(y);
        else if (expr.operator === '/' && DURATIONS.has(x.kind) && x.kind === y.kind) type = plain('number', true);
        else if (x.kind !== 'number' || y.kind !== 'number') this.wrongOperands(expr, x, y, expr.operator === '*' ? 'be multiplied with' : 'be divided by');
        return { apply: expr.operator === '*' ? (a, b, n, l, m) => times(a, b(n, l, m)) : (a, b, n, l, m) => over(a, b(n, l, m)), type };
      }
      case '**': {
        if (!open(x) && !open(y) && (x.kind !== 'number' || y.kind !== 'number')) this.wrongOperands(expr, x, y, 'be raised to');
        return {
          apply: (base, b, n, l, m) => {
            const power = b(n, l, m);
            return typeof base === 'number' && typeof power === 'number' ? arithmetic('power', base, power) : null;
          },
          type: plain('number', true),
        };
      }
    }
  }

  protected sumType(expr: Extract<Expr, { type: 'binary' }>, x: FeelType, y: FeelType): FeelType {
    const blank = x.blank || y.blank;
    if (x.kind === y.kind && (x.kind === 'number' || x.kind === 'string' || DURATIONS.has(x.kind))) return plain(x.kind, blank);
    if (MOMENTS.has(x.kind) && DURATIONS.has(y.kind)) return blankable(x);
    if (MOMENTS.has(y.kind) && DURATIONS.has(x.kind)) return blankable(y);
    const other = x.kind === 'string' ? expr.right : y.kind === 'string' ? expr.left : null;
    if (other) {
      const type = other === expr.right ? y : x;
      this.complain(other, 'type', `A ${typeWord(type)} can only be added to text after string().`, {
        label: `Write text(${this.text(other)})`,
        text: `text(${this.text(other)})`,
      });
      return plain('string', blank);
    }
    this.wrongOperands(expr, x, y, 'be added to');
    return ANY;
  }

  protected wrongOperands(expr: Expr, x: FeelType, y: FeelType, what: string) {
    this.complain(expr, 'type', `A ${typeWord(x)} cannot ${what} a ${typeWord(y)}.`);
  }
}
