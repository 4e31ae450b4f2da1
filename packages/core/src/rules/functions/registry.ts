import { FeelType, ANY, listOf, plain, TypeKind } from '../type';
import { DaysDuration, FeelDate, FeelDateTime, FeelFunction, FeelRange, FeelTime, FeelValue, MonthsDuration, isList } from '../value';

/** Raised when an expression exceeds a limit. */
export class RuleLimit extends Error {}

/** Work limit per evaluation, in items and characters. */
const BUDGET = 1_000_000;
/** Longest text a rule may produce. */
const LONGEST_TEXT = 100_000;

/** Environment of functions. */
export interface Host {
  /** Instant of `today()` and `now()`, seconds since 1970-01-01 UTC; `null` if there is no clock. */
  readonly instant: number | null;
  /** Looks up a choice list row by list name, value and column. */
  readonly lookup?: (list: string, value: string, column: string) => FeelValue;
}

/** Counts work, so every evaluation ends. */
export class Meter {
  private left = BUDGET;
  constructor(readonly host: Host) {}
  spend(n: number): void {
    this.left -= n;
    if (this.left < 0) throw new RuleLimit('The rule exceeded its computation limit.');
  }
  text(value: string): string {
    if (value.length > LONGEST_TEXT) throw new RuleLimit(`A rule can produce at most ${LONGEST_TEXT} characters of text.`);
    this.spend(value.length >> 4);
    return value;
  }
  items<T extends readonly FeelValue[]>(list: T): T {
    this.spend(list.length);
    return list;
  }
}

/** A parameter: name, types, whether optional or variadic. */
export interface Parameter {
  readonly name: string;
  readonly kinds: readonly TypeKind[];
  readonly optional: boolean;
  readonly rest: boolean;
}

/** A function available to rules. */
export interface Builtin {
  readonly name: string;
  readonly parameters: readonly Parameter[];
  readonly help: string;
  /** Result type for argument types. */
  readonly result: (args: readonly FeelType[]) => FeelType;
  readonly call: (args: readonly FeelValue[], meter: Meter) => FeelValue;
  /** Whether it handles blanks; otherwise a blank argument gives a blank result. */
  readonly takesBlank: boolean;
}

const KIND: Readonly<Record<string, readonly TypeKind[]>> = {
  s: ['string'],
  n: ['number'],
  b: ['boolean'],
  d: ['date', 'date and time'],
  D: ['date', 'date and time', 'time', 'string'],
  t: ['days and time duration', 'years and months duration'],
  l: ['list'],
  c: ['context'],
  k: ['string', 'list'],
  f: ['function'],
  r: ['range'],
  p: ['number', 'function'],
  a: ['any'],
};
const RESULT: Readonly<Record<string, FeelType>> = {
  s: plain('string'),
  n: plain('number'),
  b: plain('boolean'),
  d: plain('date'),
  a: ANY,
  L: listOf(ANY),
  S: listOf(plain('string')),
};

/**
 * Makes a function that adds to a collection. Parameters are written `name:kind`, separated by commas, with a letter of {@link KIND};
 * `?` marks an optional one, `*` the rest. Results are a letter of {@link RESULT} or depend on the types of arguments.
 */
export const collected =
  (into: Builtin[]) =>
  (
    name: string,
    parameters: string,
    result: string | ((args: readonly FeelType[]) => FeelType),
    help: string,
    call: Builtin['call'],
    takesBlank = false,
  ): void => {
    const list = parameters
      .split(',')
      .map((part) => part.trim())
      .filter(Boolean)
      .map((part): Parameter => {
        const [word, kind] = part.split(':') as [string, string];
        return { name: word.trim(), kinds: KIND[kind[0]!]!, optional: kind.endsWith('?'), rest: kind.endsWith('*') };
      });
    into.push({ name, parameters: list, help, result: typeof result === 'string' ? () => RESULT[result]! : result, call, takesBlank });
  };

const fits = (value: FeelValue, kinds: readonly TypeKind[]): boolean => {
  if (kinds[0] === 'any') return true;
  switch (typeof value) {
    case 'string':
      return kinds.includes('string');
    case 'number':
      return kinds.includes('number');
    case 'boolean':
      return kinds.includes('boolean');
    default:
      if (value === null) return false;
      if (isList(value)) return kinds.includes('list');
      if (value instanceof FeelDate) return kinds.includes('date');
      if (value instanceof FeelDateTime) return kinds.includes('date and time');
      if (value instanceof FeelTime) return kinds.includes('time');
      if (value instanceof DaysDuration) return kinds.includes('days and time duration');
      if (value instanceof MonthsDuration) return kinds.includes('years and months duration');
      if (value instanceof FeelFunction) return kinds.includes('function');
      if (value instanceof FeelRange) return kinds.includes('range');
      return kinds.includes('context');
  }
};

/** Calls a function with positional arguments; a wrong type gives blank, as in FEEL. */
export function callBuiltin(builtin: Builtin, args: readonly FeelValue[], meter: Meter): FeelValue {
  const { parameters } = builtin;
  let given = args;
  // List functions also take items singly: max(1, 2) equals max([1, 2]).
  if (parameters.length === 1 && parameters[0]!.rest && parameters[0]!.kinds[0] === 'list') {
    given = [args.length === 1 && isList(args[0]!) ? args[0] : args];
    meter.items(given[0] as readonly FeelValue[]);
  } else {
    for (const [i, value] of args.entries()) {
      const parameter = parameters[Math.min(i, parameters.length - 1)]!;
      if (parameter.kinds[0] === 'list' && !isList(value) && value !== null) given = given.map((item, at) => (at === i ? [item] : item));
      else if (value === null && parameter.optional) continue;
      else if (!fits(value, parameter.kinds)) return null;
      else if (isList(value)) meter.items(value);
    }
  }
  return builtin.call(given, meter);
}
