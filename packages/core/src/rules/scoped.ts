import { Meter, builtin, callBuiltin } from './functions';
import { Expr, RuleProblem, nearest } from './syntax';
import { ANY, FeelType, RuleScope, blankable, listOf, plain, typeWord } from './type';
import { FeelContext, FeelFunction, FeelValue, isContext } from './value';

import { ORDERED, PROPERTIES, path } from './operators';

/** A compiled part. `locals` holds variables of `for` and functions, by slot. */
export type Run = (names: FeelContext, locals: FeelValue[], meter: Meter) => FeelValue;

/** A compiled part with its type. */
export interface Piece {
  readonly run: Run;
  readonly type: FeelType;
}

/** An operator between two types. The right operand is evaluated only if needed. */
export interface Operation {
  readonly apply: (left: FeelValue, right: Run, names: FeelContext, locals: FeelValue[], meter: Meter) => FeelValue;
  readonly type: FeelType;
}

/** Names bound around a part: variables of `for` and functions, or a filter's item. */
export type Frame =
  { readonly locals: ReadonlyMap<string, { readonly slot: number; readonly type: FeelType }> } | { readonly item: number; readonly type: FeelType };

/** What a rule reads: a name in scope, or in a group (`model`, `parts` …). */
export interface Use {
  readonly group: string | null;
  readonly name: string;
}

/** Name resolution: permitted names, names used, and problems. */
export abstract class Scoped {
  readonly problems: RuleProblem[] = [];

  protected readonly uses = new Map<string, Use>();

  protected readonly groups = new Map<object, string>();

  protected slots = 0;

  constructor(
    protected readonly source: string,
    protected readonly scope: RuleScope,
    protected readonly spy: ((expr: Expr, value: FeelValue) => void) | null = null,
  ) {
    for (const [name, type] of Object.entries(scope.names)) {
      const fields = type.kind === 'list' ? type.item?.fields : type.fields;
      if (fields) this.groups.set(fields, name);
    }
  }

  used = (): Use[] => [...this.uses.values()];

  /** Number of locals. */
  get locals(): number {
    return this.slots;
  }

  protected text = (expr: Expr) => this.source.slice(expr.from, expr.to);

  protected complain(
    at: { from: number; to: number },
    code: RuleProblem['code'],
    message: string,
    fix?: RuleProblem['fix'],
    severity: RuleProblem['severity'] = 'error',
  ) {
    this.problems.push({ severity, code, message, from: at.from, to: at.to, ...(fix ? { fix } : {}) });
  }

  protected use(group: string | null, name: string) {
    this.uses.set(`${group ?? ''}\n${name}`, { group, name });
  }

  /** Compiles an expression. */
  abstract piece(expr: Expr, frames: readonly Frame[]): Piece;

  protected lookUp(name: string, frames: readonly Frame[]): Piece | null {
    for (let i = frames.length - 1; i >= 0; i--) {
      const frame = frames[i]!;
      if ('locals' in frame) {
        const local = frame.locals.get(name);
        if (local) {
          const { slot } = local;
          return { run: (_, l) => l[slot] ?? null, type: local.type };
        }
      } else {
        const slot = frame.item;
        if (name === 'item') return { run: (_, l) => l[slot] ?? null, type: frame.type };
        const { fields } = frame.type;
        if (fields && name in fields) {
          this.useField(fields, name);
          return {
            run: (_, l) => {
              const item = l[slot]!;
              return isContext(item) ? (item[name] ?? null) : null;
            },
            type: fields[name]!,
          };
        }
        if (!fields && (frame.type.kind === 'context' || frame.type.kind === 'any')) {
          const outer = this.lookUp(name, frames.slice(0, i)) ?? this.global(name);
          return {
            run: (n, l, m) => {
              const item = l[slot]!;
              return isContext(item) && name in item ? item[name]! : (outer?.run(n, l, m) ?? null);
            },
            type: ANY,
          };
        }
      }
    }
    return this.global(name);
  }

  protected global(name: string): Piece | null {
    const { names } = this.scope;
    if (!Object.hasOwn(names, name)) return null;
    const type = names[name]!;
    if (!type.fields && !type.item?.fields) this.use(null, name);
    return { run: (all) => all[name] ?? null, type };
  }

  protected useField(fields: object, name: string) {
    const group = this.groups.get(fields);
    if (group !== undefined) this.use(group, name);
  }

  protected name(expr: Expr, name: string, frames: readonly Frame[]): Piece {
    const found = this.lookUp(name, frames);
    if (found) return found;
    const known = builtin(name);
    if (known)
      return {
        run: (_n, _l, m) =>
          new FeelFunction(
            known.parameters.map((p) => p.name),
            (args) => callBuiltin(known, args, m),
          ),
        type: { kind: 'function', blank: false, result: known.result([]) },
      };
    // yes and no stand for FEEL's true and false; a property of that name takes precedence.
    if (/^(yes|no)$/i.test(name)) {
      const said = name.toLowerCase() === 'yes';
      return { run: () => said, type: plain('boolean') };
    }
    const local = frames.flatMap((frame) => ('locals' in frame ? [...frame.locals.keys()] : Object.keys(frame.type.fields ?? {})));
    this.unknown(expr, name, [...local, ...Object.keys(this.scope.names)]);
    return { run: () => null, type: ANY };
  }

  protected unknown(at: { from: number; to: number }, name: string, candidates: readonly string[]) {
    const { captions = {} } = this.scope;
    const near = nearest(name, candidates, captions);
    this.complain(
      at,
      'unknown-name',
      `${JSON.stringify(name)} is not a known name here.${near === null ? '' : ` Did you mean ${JSON.stringify(near)}?`}`,
      near === null ? undefined : { label: `Write ${near}`, text: near },
    );
  }

  protected path(expr: Extract<Expr, { type: 'path' }>, of: Piece): Piece {
    const { name } = expr;
    const run: Run = (n, l, m) => path(of.run(n, l, m), name, m);
    const base = of.type.kind === 'list' ? (of.type.item ?? ANY) : of.type;
    const wrap = (type: FeelType) => (of.type.kind === 'list' ? listOf(type, of.type.blank) : of.type.blank ? blankable(type) : type);
    const fields = base.fields ?? PROPERTIES[base.kind];
    if (base.kind === 'any' || (base.kind === 'context' && !fields)) return { run, type: wrap(ANY) };
    if (!fields) {
      this.complain(expr, 'type', `A ${typeWord(base)} has no parts.`);
      return { run, type: wrap(ANY) };
    }
    if (!Object.hasOwn(fields, name)) {
      this.unknown({ from: expr.nameFrom, to: expr.to }, name, Object.keys(fields));
      return { run, type: wrap(ANY) };
    }
    this.useField(fields, name);
    return { run, type: wrap(fields[name]!) };
  }

  /** Reports an operand that cannot have the wanted type. */
  protected expect(expr: Expr, type: FeelType, kinds: readonly string[], what: string) {
    if (type.kind === 'any' || type.kind === 'null' || kinds.includes(type.kind)) return;
    this.complain(expr, 'type', `${what} needs a ${typeWord(plain(kinds[0] as FeelType['kind']))}; ${this.text(expr)} is a ${typeWord(type)}.`);
  }

  protected comparable(expr: Expr, a: FeelType, b: FeelType, orderly = true) {
    const open = (type: FeelType) => type.kind === 'any' || type.kind === 'null';
    if (open(a) || open(b)) return;
    if (a.kind !== b.kind) this.complain(expr, 'type', `A ${typeWord(a)} and a ${typeWord(b)} cannot be compared: this would never hold.`);
    else if (orderly && !ORDERED.has(a.kind)) this.complain(expr, 'type', `Values of type ${typeWord(a)} cannot be ordered.`);
  }
}
