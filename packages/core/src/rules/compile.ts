import { findUnit } from '../values';
import { arithmetic } from './decimals';
import { BUILTINS, Builtin, Host, Meter, RuleLimit, builtin, callBuiltin } from './functions';
import { patternOf } from './pattern';
import { Binder, Expr, Parsed, RuleProblem, TOO_DEEP, childrenOf, nearest, parseExpression, parseTests } from './syntax';
import { ANY, FeelType, NULL, RuleScope, blankable, contextType, filled, join, listOf, namesOf, plain, typeWord } from './type';
import {
  DaysDuration,
  FeelContext,
  FeelDate,
  FeelDateTime,
  FeelFunction,
  FeelRange,
  FeelTime,
  FeelValue,
  MonthsDuration,
  LAST_YEAR,
  addMonths,
  civil,
  compare,
  contextOf,
  daysOf,
  equal,
  isContext,
  isList,
  readDate,
  readDateTime,
  readDuration,
  readTime,
  typeName,
} from './value';

/** A prepared piece of an expression. `locals` holds what `for` and functions name, by slot. */
type Run = (names: FeelContext, locals: FeelValue[], meter: Meter) => FeelValue;

interface Piece {
  readonly run: Run;
  readonly type: FeelType;
}

/** An operator between two types. The right side is run only where the left one does not decide. */
interface Operation {
  readonly apply: (left: FeelValue, right: Run, names: FeelContext, locals: FeelValue[], meter: Meter) => FeelValue;
  readonly type: FeelType;
}

/** What a rule looks at: a name of its scope, or a name of one of the groups around it (`model`, `parts` …). */
export interface Use {
  readonly group: string | null;
  readonly name: string;
}

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

/** The largest range that `for` goes through. */
const LONGEST_RANGE = 10_000;

const ORDERED = new Set(['number', 'string', 'date', 'time', 'date and time', 'days and time duration', 'years and months duration']);
const DURATIONS = new Set(['days and time duration', 'years and months duration']);
const MOMENTS = new Set(['date', 'date and time', 'time']);

type Frame = { readonly locals: ReadonlyMap<string, { readonly slot: number; readonly type: FeelType }> } | { readonly item: number; readonly type: FeelType };

const PROPERTIES: Readonly<Record<string, Readonly<Record<string, FeelType>>>> = {
  date: { year: plain('number'), month: plain('number'), day: plain('number'), weekday: plain('number') },
  'date and time': {
    year: plain('number'),
    month: plain('number'),
    day: plain('number'),
    weekday: plain('number'),
    hour: plain('number'),
    minute: plain('number'),
    second: plain('number'),
    'time offset': plain('days and time duration', true),
  },
  time: { hour: plain('number'), minute: plain('number'), second: plain('number'), 'time offset': plain('days and time duration', true) },
  'days and time duration': { days: plain('number'), hours: plain('number'), minutes: plain('number'), seconds: plain('number') },
  'years and months duration': { years: plain('number'), months: plain('number') },
  range: { start: ANY, end: ANY, 'start included': plain('boolean'), 'end included': plain('boolean') },
};

/** A value's own parts: the year of a date, the hours of a duration … */
function partOf(value: FeelValue, name: string): FeelValue {
  if (value instanceof FeelDate || value instanceof FeelDateTime) {
    const at = civil(value.days);
    if (name === 'year' || name === 'month' || name === 'day') return at[name];
    if (name === 'weekday') return ((((value.days + 3) % 7) + 7) % 7) + 1;
  }
  if (value instanceof FeelTime || value instanceof FeelDateTime) {
    if (name === 'hour') return Math.floor(value.seconds / 3600);
    if (name === 'minute') return Math.floor(value.seconds / 60) % 60;
    if (name === 'second') return value.seconds % 60;
    if (name === 'time offset') return value.offset === null ? null : new DaysDuration(value.offset);
  }
  if (value instanceof DaysDuration) {
    const [sign, size] = [Math.sign(value.seconds) + 0 || 1, Math.abs(value.seconds)];
    const parts: Readonly<Record<string, number>> = {
      days: Math.floor(size / 86_400),
      hours: Math.floor(size / 3600) % 24,
      minutes: Math.floor(size / 60) % 60,
      seconds: size % 60,
    };
    return name in parts ? sign * parts[name]! + 0 : null;
  }
  if (value instanceof MonthsDuration) {
    if (name === 'years') return Math.trunc(value.months / 12) + 0;
    if (name === 'months') return (value.months % 12) + 0;
  }
  if (value instanceof FeelRange) {
    const parts: Readonly<Record<string, FeelValue>> = {
      start: value.low,
      end: value.high,
      'start included': value.lowIncluded,
      'end included': value.highIncluded,
    };
    return parts[name] ?? null;
  }
  return null;
}

function path(value: FeelValue, name: string, meter: Meter): FeelValue {
  if (value === null) return null;
  if (isList(value)) return meter.items(value).map((item) => path(item, name, meter));
  return isContext(value) ? (value[name] ?? null) : partOf(value, name);
}

function plus(a: FeelValue, b: FeelValue, meter: Meter): FeelValue {
  if (typeof a === 'number' && typeof b === 'number') return arithmetic('plus', a, b);
  if (typeof a === 'string' && typeof b === 'string') return meter.text(a + b);
  return moved(a, b, 1) ?? moved(b, a, 1) ?? sumOf(a, b, 1);
}

const beyond = () => new RuleLimit(`A date lies outside the years -${LAST_YEAR} to ${LAST_YEAR}.`);

/** A number of days since 1970-01-01 that is a date. @throws RuleLimit when no calendar reaches there */
function inReach(days: number): number {
  if (!(days >= daysOf(-LAST_YEAR, 1, 1)! && days <= daysOf(LAST_YEAR, 12, 31)!)) throw beyond();
  return days;
}

/** A date or time moved by a duration. @throws RuleLimit for a date that no calendar reaches */
function moved(a: FeelValue, by: FeelValue, sign: 1 | -1): FeelValue {
  if (by instanceof MonthsDuration) {
    if (!(a instanceof FeelDate || a instanceof FeelDateTime)) return null;
    const days = addMonths(a.days, sign * by.months);
    if (days === null) throw beyond();
    return a instanceof FeelDate ? new FeelDate(days) : new FeelDateTime(days, a.seconds, a.offset);
  }
  if (!(by instanceof DaysDuration)) return null;
  const seconds = sign * by.seconds;
  if (a instanceof FeelDate) return new FeelDate(inReach(a.days + Math.floor(seconds / 86_400)));
  if (a instanceof FeelTime) return new FeelTime((((a.seconds + seconds) % 86_400) + 86_400) % 86_400, a.offset);
  if (!(a instanceof FeelDateTime)) return null;
  const total = a.seconds + seconds;
  return new FeelDateTime(inReach(a.days + Math.floor(total / 86_400)), ((total % 86_400) + 86_400) % 86_400, a.offset);
}

function sumOf(a: FeelValue, b: FeelValue, sign: 1 | -1): FeelValue {
  if (a instanceof DaysDuration && b instanceof DaysDuration) return new DaysDuration(a.seconds + sign * b.seconds);
  if (a instanceof MonthsDuration && b instanceof MonthsDuration) return new MonthsDuration(a.months + sign * b.months);
  return null;
}

const instantOf = (value: FeelValue): number | null =>
  value instanceof FeelDateTime
    ? value.instant
    : value instanceof FeelDate
      ? value.days * 86_400
      : value instanceof FeelTime
        ? value.seconds - (value.offset ?? 0)
        : null;

function minus(a: FeelValue, b: FeelValue): FeelValue {
  if (typeof a === 'number' && typeof b === 'number') return arithmetic('minus', a, b);
  const shifted = moved(a, b, -1) ?? sumOf(a, b, -1);
  if (shifted !== null) return shifted;
  const [x, y] = [instantOf(a), instantOf(b)];
  return x === null || y === null || a instanceof FeelTime !== b instanceof FeelTime ? null : new DaysDuration(x - y);
}

function times(a: FeelValue, b: FeelValue): FeelValue {
  if (typeof a === 'number' && typeof b === 'number') return arithmetic('times', a, b);
  const [duration, n] = typeof a === 'number' ? [b, a] : [a, b];
  if (typeof n !== 'number') return null;
  if (duration instanceof DaysDuration) return new DaysDuration(duration.seconds * n);
  return duration instanceof MonthsDuration ? new MonthsDuration(Math.trunc(duration.months * n)) : null;
}

function over(a: FeelValue, b: FeelValue): FeelValue {
  if (typeof b === 'number') return b === 0 ? null : typeof a === 'number' ? arithmetic('over', a, b) : times(a, 1 / b);
  if (a instanceof DaysDuration && b instanceof DaysDuration) return b.seconds === 0 ? null : a.seconds / b.seconds;
  return a instanceof MonthsDuration && b instanceof MonthsDuration && b.months !== 0 ? a.months / b.months : null;
}

const both = (a: FeelValue, b: FeelValue): FeelValue => (a === false || b === false ? false : a === true && b === true ? true : null);
const either = (a: FeelValue, b: FeelValue): FeelValue => (a === true || b === true ? true : a === false && b === false ? false : null);

function ordered(operator: '<' | '<=' | '>' | '>=', a: FeelValue, b: FeelValue): boolean | null {
  const order = compare(a, b);
  if (order === null) return null;
  return operator === '<' ? order < 0 : operator === '<=' ? order <= 0 : operator === '>' ? order > 0 : order >= 0;
}

/** Whether a value lies in a range. */
function within(value: FeelValue, range: FeelRange): boolean | null {
  const low = range.low === null ? true : ordered(range.lowIncluded ? '>=' : '>', value, range.low);
  const high = range.high === null ? true : ordered(range.highIncluded ? '<=' : '<', value, range.high);
  return both(low, high) as boolean | null;
}

/** Whether a value passes one test by what the test came to. */
function passes(value: FeelValue, test: FeelValue, meter: Meter): boolean | null {
  if (test instanceof FeelRange) return within(value, test);
  if (isList(test) && !isList(value)) {
    let unsure = false;
    for (const item of meter.items(test)) {
      const found = passes(value, item, meter);
      if (found === true) return true;
      if (found === null) unsure = true;
    }
    return unsure ? null : false;
  }
  return equal(value, test);
}

class Compiler {
  readonly problems: RuleProblem[] = [];
  private readonly uses = new Map<string, Use>();
  private readonly groups = new Map<object, string>();
  private slots = 0;

  constructor(
    private readonly source: string,
    private readonly scope: RuleScope,
    private readonly spy: ((expr: Expr, value: FeelValue) => void) | null = null,
  ) {
    for (const [name, type] of Object.entries(scope.names)) {
      const fields = type.kind === 'list' ? type.item?.fields : type.fields;
      if (fields) this.groups.set(fields, name);
    }
  }

  used = (): Use[] => [...this.uses.values()];
  /** How many locals an evaluation needs. */
  get locals(): number {
    return this.slots;
  }

  private text = (expr: Expr) => this.source.slice(expr.from, expr.to);
  private complain(
    at: { from: number; to: number },
    code: RuleProblem['code'],
    message: string,
    fix?: RuleProblem['fix'],
    severity: RuleProblem['severity'] = 'error',
  ) {
    this.problems.push({ severity, code, message, from: at.from, to: at.to, ...(fix ? { fix } : {}) });
  }
  private use(group: string | null, name: string) {
    this.uses.set(`${group ?? ''}\n${name}`, { group, name });
  }

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

  private build(expr: Expr, frames: readonly Frame[]): Piece {
    const sub = (child: Expr) => this.piece(child, frames);
    switch (expr.type) {
      case 'literal': {
        const { value } = expr;
        return { run: () => value, type: value === null ? NULL : plain(typeof value as 'number' | 'string' | 'boolean') };
      }
      case 'moment': {
        const value = readDate(expr.text) ?? readTime(expr.text) ?? readDateTime(expr.text) ?? readDuration(expr.text);
        if (value === null) this.complain(expr, 'type', `${JSON.stringify(expr.text)} is no date, time or duration as ISO 8601 writes them.`);
        return { run: () => value, type: value === null ? ANY : plain(typeName(value) as FeelType['kind']) };
      }
      case 'input': {
        if (!this.scope.input) this.complain(expr, 'unknown-name', '"?" stands for the tested value, and there is none here.');
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
        this.complain(expr, 'syntax', 'A test such as this stands behind "in" or in a list of allowed values.');
        return { run: () => null, type: ANY };
      }
    }
  }

  private lookUp(name: string, frames: readonly Frame[]): Piece | null {
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

  private global(name: string): Piece | null {
    const { names } = this.scope;
    if (!Object.hasOwn(names, name)) return null;
    const type = names[name]!;
    if (!type.fields && !type.item?.fields) this.use(null, name);
    return { run: (all) => all[name] ?? null, type };
  }

  private useField(fields: object, name: string) {
    const group = this.groups.get(fields);
    if (group !== undefined) this.use(group, name);
  }

  private name(expr: Expr, name: string, frames: readonly Frame[]): Piece {
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
    const local = frames.flatMap((frame) => ('locals' in frame ? [...frame.locals.keys()] : Object.keys(frame.type.fields ?? {})));
    this.unknown(expr, name, [...local, ...Object.keys(this.scope.names)]);
    return { run: () => null, type: ANY };
  }

  private unknown(at: { from: number; to: number }, name: string, candidates: readonly string[]) {
    const { captions = {} } = this.scope;
    const near = nearest(name, candidates, captions);
    this.complain(
      at,
      'unknown-name',
      `${JSON.stringify(name)} is not a name that a rule can use here.${near === null ? '' : ` Did you mean ${JSON.stringify(near)}?`}`,
      near === null ? undefined : { label: `Write ${near}`, text: near },
    );
  }

  private path(expr: Extract<Expr, { type: 'path' }>, of: Piece): Piece {
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

  /** Says when an operand cannot be what is wanted. */
  private expect(expr: Expr, type: FeelType, kinds: readonly string[], what: string) {
    if (type.kind === 'any' || type.kind === 'null' || kinds.includes(type.kind)) return;
    this.complain(expr, 'type', `${what} needs a ${typeWord(plain(kinds[0] as FeelType['kind']))}; ${this.text(expr)} is a ${typeWord(type)}.`);
  }

  private comparable(expr: Expr, a: FeelType, b: FeelType, orderly = true) {
    const open = (type: FeelType) => type.kind === 'any' || type.kind === 'null';
    if (open(a) || open(b)) return;
    if (a.kind !== b.kind) this.complain(expr, 'type', `A ${typeWord(a)} and a ${typeWord(b)} cannot be compared: this would never hold.`);
    else if (orderly && !ORDERED.has(a.kind)) this.complain(expr, 'type', `A ${typeWord(a)} is neither smaller nor larger than another.`);
  }

  /** Many operators of one rank, one after the other: computed in a loop, so that a thousand of them are no deeper than one. */
  private chain({ first, rest }: Extract<Expr, { type: 'chain' }>, start: Piece, pieces: readonly Piece[]): Piece {
    let { type } = start;
    const steps = rest.map(({ operator, right, to }, i) => {
      // What stands before an operator is a binary expression of its own: only the first one is what it is written as.
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

  /** What an operator gives for operands of some types, and how it is applied to the value on its left and what stands on its right. */
  private operation(expr: Extract<Expr, { type: 'binary' }>, x: FeelType, y: FeelType): Operation {
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

  private sumType(expr: Extract<Expr, { type: 'binary' }>, x: FeelType, y: FeelType): FeelType {
    const blank = x.blank || y.blank;
    if (x.kind === y.kind && (x.kind === 'number' || x.kind === 'string' || DURATIONS.has(x.kind))) return plain(x.kind, blank);
    if (MOMENTS.has(x.kind) && DURATIONS.has(y.kind)) return blankable(x);
    if (MOMENTS.has(y.kind) && DURATIONS.has(x.kind)) return blankable(y);
    const other = x.kind === 'string' ? expr.right : y.kind === 'string' ? expr.left : null;
    if (other) {
      const type = other === expr.right ? y : x;
      this.complain(other, 'type', `A ${typeWord(type)} joins a text only as a text itself.`, {
        label: `Write text(${this.text(other)})`,
        text: `text(${this.text(other)})`,
      });
      return plain('string', blank);
    }
    this.wrongOperands(expr, x, y, 'be added to');
    return ANY;
  }

  private wrongOperands(expr: Expr, x: FeelType, y: FeelType, what: string) {
    this.complain(expr, 'type', `A ${typeWord(x)} cannot ${what} a ${typeWord(y)}.`);
  }

  private loop(binders: readonly Binder[], body: Expr, frames: readonly Frame[]): Piece {
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
    // What came before, for rules that build on it.
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

  private filter(expr: Extract<Expr, { type: 'filter' }>, of: Piece, frames: readonly Frame[]): Piece {
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

  private context(expr: Extract<Expr, { type: 'context' }>, frames: readonly Frame[]): Piece {
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

  /** The tests of `in` and of allowed values, as one function of the tested value. */
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

  private test(test: Expr, type: FeelType, frames: readonly Frame[]): (value: FeelValue, n: FeelContext, l: FeelValue[], m: Meter) => boolean | null {
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

  private call(expr: Extract<Expr, { type: 'call' }>, frames: readonly Frame[]): Piece {
    const shadowed = expr.callee === null ? this.shadow(expr.name, frames) : null;
    const known = expr.callee === null && !shadowed ? builtin(expr.name) : undefined;
    if (!known) {
      const callee = expr.callee ? this.piece(expr.callee, frames) : shadowed;
      if (!callee) {
        this.unknownFunction(expr, frames);
        return { run: () => null, type: ANY };
      }
      if (callee.type.kind !== 'function' && callee.type.kind !== 'any') {
        this.complain(expr, 'not-a-function', `${JSON.stringify(expr.name)} is a ${typeWord(callee.type)}; nothing can stand in brackets behind it.`);
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

  /** A local or a property that carries the name of a function. */
  private shadow(name: string, frames: readonly Frame[]): Piece | null {
    for (const frame of frames) if ('locals' in frame && frame.locals.has(name)) return this.lookUp(name, frames);
    return builtin(name) ? null : this.lookUp(name, frames);
  }

  private unknownFunction(expr: Extract<Expr, { type: 'call' }>, frames: readonly Frame[]) {
    // A property named `Weight (kg)` reads as a call of `Weight`.
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

  private builtinCall(expr: Extract<Expr, { type: 'call' }>, known: Builtin, frames: readonly Frame[]): Piece {
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
        `${known.name}(${parameters.map((p) => (p.optional ? `${p.name}?` : p.rest ? `${p.name}, …` : p.name)).join(', ')}) has ${given === 0 ? 'nothing' : given} in its brackets.`,
      );
    if (!this.scope.clock && (known.name === 'today' || known.name === 'now'))
      this.complain(expr, 'clock', `${known.name}() changes by itself, so it may stand in conditions and checks but not in a value that is stored.`);

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

  /** Looks at what is written out in a call: patterns and units can be wrong before anything runs. */
  private literals(known: Builtin, args: readonly (Expr | null)[]) {
    const literal = (at: number) => {
      const arg = args[at];
      return arg?.type === 'literal' && typeof arg.value === 'string' ? { arg, text: arg.value } : null;
    };
    if (known.name === 'matches' || known.name === 'replace' || known.name === 'split') {
      const pattern = literal(1);
      if (pattern && !patternOf(pattern.text)) this.complain(pattern.arg, 'pattern', `${JSON.stringify(pattern.text)} is not a pattern that Rule can run.`);
    }
    if (known.name === 'convert') {
      const units = [literal(1), literal(2)];
      for (const unit of units)
        if (unit && !findUnit(unit.text)) this.complain(unit.arg, 'arguments', `${JSON.stringify(unit.text)} is not a unit that Rule knows.`);
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
      if (text && read(text.text) === null) this.complain(text.arg, 'type', `${JSON.stringify(text.text)} is not a ${name} as ISO 8601 writes it.`);
    }
  }
}

/** Whether a test mentions the tested value itself. */
const asksInput = (expr: Expr): boolean => expr.type === 'input' || childrenOf(expr).some(asksInput);

const numbersFrom = (from: number, to: number): number[] => {
  const size = Math.abs(to - from) + 1;
  if (size > LONGEST_RANGE) throw new RuleLimit(`A range may have ${LONGEST_RANGE} numbers at most.`);
  const step = to < from ? -1 : 1;
  return Array.from({ length: size }, (_, i) => from + i * step);
};

const failed = (error: unknown): Outcome => {
  if (error instanceof RuleLimit) return { ok: false, message: error.message };
  if (error instanceof RangeError && /call stack/i.test(error.message)) return { ok: false, message: TOO_DEEP };
  throw error;
};

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
