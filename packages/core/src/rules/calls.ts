import { findUnit } from '../values';
import { BUILTINS, Builtin, builtin, callBuiltin } from './functions';
import { patternOf } from './pattern';
import { Expr, nearest } from './syntax';
import { ANY, FeelType, NULL, blankable, plain, typeWord } from './type';
import { FeelFunction, readDate, readDateTime, readDuration, readTime } from './value';

import { Operations } from './operations';
import { Frame, Piece, Run } from './scoped';

/** Calls of built-in and user-defined functions. */
export abstract class Calls extends Operations {
  protected call(expr: Extract<Expr, { type: 'call' }>, frames: readonly Frame[]): Piece {
    const shadowed = expr.callee === null ? this.shadow(expr.name, frames) : null;
    const known = expr.callee === null && !shadowed ? builtin(expr.name) : undefined;
    if (!known) {
      const callee = expr.callee ? this.piece(expr.callee, frames) : shadowed;
      if (!callee) {
        this.unknownFunction(expr, frames);
        return { run: () => null, type: ANY };
      }
      if (callee.type.kind !== 'function' && callee.type.kind !== 'any') {
        this.complain(expr, 'not-a-function', `${JSON.stringify(expr.name)} is a ${typeWord(callee.type)}; it cannot be called like a function.`);
        return { run: () => null, type: ANY };
      }
      const args = expr.args.map((arg) => this.piece(arg, frames));
      return {
        run: (n, l, m) => {
          const fn = callee.run(n, l, m);
          return fn instanceof FeelFunction ? fn.call(args.map((arg) => arg.run(n, l, m))) : null;
        },
        type: callee.type.result ?? ANY,
      };
    }
    return this.builtinCall(expr, known, frames);
  }

  /** A local or property with a function's name. */
  protected shadow(name: string, frames: readonly Frame[]): Piece | null {
    for (const frame of frames) if ('locals' in frame && frame.locals.has(name)) return this.lookUp(name, frames);
    return builtin(name) ? null : this.lookUp(name, frames);
  }

  protected unknownFunction(expr: Extract<Expr, { type: 'call' }>, frames: readonly Frame[]) {
    // A property named `Weight (kg)` parses as a call of `Weight`.
    const whole = this.source.slice(expr.from, expr.to);
    const property = Object.entries(this.scope.captions ?? {}).find(([, caption]) => caption.startsWith(`${expr.name} (`) || caption === whole);
    if (property) {
      this.complain(expr, 'unknown-name', `In rules this property is called ${JSON.stringify(property[0])}.`, {
        label: `Write ${property[0]}`,
        text: property[0],
      });
      return;
    }
    const near = nearest(
      expr.name,
      BUILTINS().map((entry) => entry.name),
      {},
    );
    for (const arg of expr.args) this.piece(arg, frames);
    this.complain(
      { from: expr.from, to: expr.from + expr.name.length },
      'unknown-function',
      `There is no function ${JSON.stringify(expr.name)}.${near === null ? '' : ` Did you mean ${JSON.stringify(near)}?`}`,
      near === null ? undefined : { label: `Write ${near}`, text: near },
    );
  }

  protected builtinCall(expr: Extract<Expr, { type: 'call' }>, known: Builtin, frames: readonly Frame[]): Piece {
    const { parameters } = known;
    let order: (Expr | null)[] = [...expr.args];
    if (expr.names) {
      order = parameters.map((parameter) => expr.args[expr.names!.indexOf(parameter.name)] ?? null);
      for (const [i, name] of expr.names.entries())
        if (!parameters.some((parameter) => parameter.name === name))
          this.complain(expr.args[i]!, 'arguments', `${known.name} has no ${JSON.stringify(name)}; it takes ${parameters.map((p) => p.name).join(', ')}.`);
      while (order.length && order[order.length - 1] === null) order.pop();
    }
    const least = parameters.filter((parameter) => !parameter.optional && !parameter.rest).length;
    const most = parameters.some((parameter) => parameter.rest) ? Infinity : parameters.length;
    const given = order.filter((arg) => arg !== null).length;
    if (given < least || given > most)
      this.complain(
        expr,
        'arguments',
        `${known.name}(${parameters.map((p) => (p.optional ? `${p.name}?` : p.rest ? `${p.name}, …` : p.name)).join(', ')}) was given ${given === 0 ? 'no arguments' : given}.`,
      );
    if (!this.scope.clock && (known.name === 'today' || known.name === 'now'))
      this.complain(expr, 'clock', `${known.name}() changes over time: use it in conditions and checks, not in a stored value.`);

    const pieces = order.map((arg) => (arg ? this.piece(arg, frames) : { run: () => null, type: NULL }));
    for (const [i, piece] of pieces.entries()) {
      const parameter = parameters[Math.min(i, parameters.length - 1)];
      const arg = order[i];
      if (!parameter || !arg || parameter.kinds[0] === 'any' || piece.type.kind === 'any' || piece.type.kind === 'null') continue;
      if (parameter.kinds.includes('list') || parameter.kinds.includes(piece.type.kind)) continue;
      const asText = parameter.kinds.includes('string');
      this.complain(
        arg,
        'type',
        `${known.name} needs a ${typeWord(plain(parameter.kinds[0]!))} as ${parameter.name}; ${this.text(arg)} is a ${typeWord(piece.type)}.`,
        asText ? { label: `Write text(${this.text(arg)})`, text: `text(${this.text(arg)})` } : undefined,
      );
    }
    this.literals(known, order);
    const runs = pieces.map((piece) => piece.run);
    const type = known.result(pieces.map((piece) => piece.type));
    const blank = !known.takesBlank && pieces.some((piece) => piece.type.blank);
    const result: FeelType = blank ? blankable(type) : type;
    switch (runs.length) {
      case 1: {
        const [first] = runs as [Run];
        return { run: (n, l, m) => callBuiltin(known, [first(n, l, m)], m), type: result };
      }
      default:
        return {
          run: (n, l, m) =>
            callBuiltin(
              known,
              runs.map((run) => run(n, l, m)),
              m,
            ),
          type: result,
        };
    }
  }

  /** Checks literal arguments: patterns and units can be wrong before evaluation. */
  protected literals(known: Builtin, args: readonly (Expr | null)[]) {
    const literal = (at: number) => {
      const arg = args[at];
      return arg?.type === 'literal' && typeof arg.value === 'string' ? { arg, text: arg.value } : null;
    };
    if (known.name === 'matches' || known.name === 'replace' || known.name === 'split') {
      const pattern = literal(1);
      if (pattern && !patternOf(pattern.text)) this.complain(pattern.arg, 'pattern', `${JSON.stringify(pattern.text)} is not a valid pattern.`);
    }
    if (known.name === 'convert') {
      const units = [literal(1), literal(2)];
      for (const unit of units) if (unit && !findUnit(unit.text)) this.complain(unit.arg, 'arguments', `${JSON.stringify(unit.text)} is not a known unit.`);
      const [from, to] = units.map((unit) => unit && findUnit(unit.text));
      if (from && to && from.quantity !== to.quantity)
        this.complain(args[2]!, 'arguments', `${from.code} measures ${from.quantity}, ${to.code} measures ${to.quantity}.`);
    }
    for (const [name, read] of [
      ['date', readDate],
      ['time', readTime],
      ['date and time', readDateTime],
      ['duration', readDuration],
    ] as const) {
      const text = known.name === name && args.length === 1 ? literal(0) : null;
      if (text && read(text.text) === null) this.complain(text.arg, 'type', `${JSON.stringify(text.text)} is not a valid ${name} (ISO 8601).`);
    }
  }
}
