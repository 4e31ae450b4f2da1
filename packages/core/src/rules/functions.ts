import { convert, dateInForm, findUnit, firstUpper, isDateForm, plainNumber, shortPerson, titleCase } from '../values';
import { arithmetic, sumOf } from './decimals';
import { patternOf } from './pattern';
import { RELATIONS, relate } from './ranges';
import { FeelType, ANY, listOf, plain, TypeKind } from './type';
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

const table = new Map<string, Builtin>();
function add(
  name: string,
  parameters: string,
  result: string | ((args: readonly FeelType[]) => FeelType),
  help: string,
  call: Builtin['call'],
  takesBlank = false,
): void {
  const list = parameters
    .split(',')
    .map((part) => part.trim())
    .filter(Boolean)
    .map((part): Parameter => {
      const [word, kind] = part.split(':') as [string, string];
      return { name: word.trim(), kinds: KIND[kind[0]!]!, optional: kind.endsWith('?'), rest: kind.endsWith('*') };
    });
  table.set(name, { name, parameters: list, help, result: typeof result === 'string' ? () => RESULT[result]! : result, call, takesBlank });
}

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

/** A function by name. */
export const builtin = (name: string): Builtin | undefined => table.get(name);
/** All functions by name. */
export const BUILTINS = (): readonly Builtin[] => [...table.values()].sort((a, b) => a.name.localeCompare(b.name));

/* ---- texts ---- */

const letters = (text: unknown) => [...(text as string)];
/** A value as text: plain numbers, ISO 8601 dates. */
export function textOf(value: FeelValue): string | null {
  if (value === null || value instanceof FeelFunction) return null;
  if (typeof value === 'string') return value;
  if (typeof value === 'number') return plainNumber(value);
  if (typeof value === 'boolean') return String(value);
  const inner = (item: FeelValue) => (item === null ? 'null' : typeof item === 'string' ? JSON.stringify(item) : (textOf(item) ?? ''));
  if (isList(value)) return `[${value.map(inner).join(', ')}]`;
  if (value instanceof FeelRange) return `${value.lowIncluded ? '[' : '('}${inner(value.low)}..${inner(value.high)}${value.highIncluded ? ']' : ')'}`;
  if (isContext(value))
    return `{${Object.entries(value)
      .map(([name, item]) => `${name}: ${inner(item)}`)
      .join(', ')}}`;
  return String(value);
}

function substring(text: string, start: number, length: number | null): FeelValue {
  const all = letters(text);
  if (!Number.isInteger(start) || start === 0 || (length !== null && length < 1)) return start === 0 ? null : '';
  const from = start > 0 ? start - 1 : Math.max(0, all.length + start);
  return all.slice(from, length === null ? undefined : from + Math.floor(length)).join('');
}

add('substring', 'string:s, start position:n, length:n?', 's', 'Part of a text, counted from 1; a negative start counts from the end.', ([s, n, m]) =>
  substring(s as string, n as number, (m ?? null) as number | null),
);
add('string length', 'string:s', 'n', 'Number of characters.', ([s]) => letters(s).length);
add('upper case', 'string:s', 's', 'The text in upper case.', ([s], m) => m.text((s as string).toUpperCase()));
add('lower case', 'string:s', 's', 'The text in lower case.', ([s], m) => m.text((s as string).toLowerCase()));
add('title case', 'string:s', 's', 'Each word capitalised.', ([s]) => titleCase(s as string));
add('first upper', 'string:s', 's', 'The first letter capitalised.', ([s]) => firstUpper(s as string));
add('trim', 'string:s', 's', 'The text without spaces at its ends.', ([s]) => (s as string).trim());
add('pad left', 'string:s, length:n, with:s?', 's', 'Pads the start of a text, with zeros by default.', ([s, n, w], m) => {
  const [wanted, fill] = [n as number, (w ?? '0') as string];
  if (!(wanted >= 0) || wanted > 1000 || fill === '') return null;
  return m.text((s as string).padStart(Math.floor(wanted), fill));
});
add('short person', 'string:s', 's', 'Initials and surname of a person.', ([s]) => shortPerson(s as string));
add('substring before', 'string:s, match:s', 's', 'The text before the first match.', ([s, match]) => {
  const at = (s as string).indexOf(match as string);
  return at < 0 ? '' : (s as string).slice(0, at);
});
add('substring after', 'string:s, match:s', 's', 'The text after the first match.', ([s, match]) => {
  const at = (s as string).indexOf(match as string);
  return at < 0 ? '' : (s as string).slice(at + (match as string).length);
});
add('contains', 'string:s, match:s', 'b', 'Whether a text contains another.', ([s, match]) => (s as string).includes(match as string));
add('starts with', 'string:s, match:s', 'b', 'Whether a text starts with another.', ([s, match]) => (s as string).startsWith(match as string));
add('ends with', 'string:s, match:s', 'b', 'Whether a text ends with another.', ([s, match]) => (s as string).endsWith(match as string));
add('matches', 'input:s, pattern:s, flags:s?', 'b', 'Whether a pattern is found in a text.', ([s, p, f], m) => {
  m.spend((s as string).length);
  return (
    patternOf(p as string, (f ?? '') as string)
      ?.matcher(s as string)
      .find() ?? null
  );
});
add('replace', 'input:s, pattern:s, replacement:s, flags:s?', 's', 'Replaces the matches of a pattern; $1 is the first group.', ([s, p, r, f], m) => {
  m.spend((s as string).length);
  const pattern = patternOf(p as string, (f ?? '') as string);
  if (!pattern) return null;
  try {
    const text = r as string;
    // With flag q the replacement is literal too.
    return m.text(pattern.matcher(s as string).replaceAll(((f ?? '') as string).includes('q') ? () => text : text));
  } catch {
    return null;
  }
});
add('split', 'string:s, delimiter:s', 'S', 'The parts of a text between the matches of a pattern.', ([s, d], m) => {
  m.spend((s as string).length);
  const pattern = patternOf(d as string);
  if (!pattern || pattern.matcher('').find()) return null;
  const parts: string[] = [];
  const matcher = pattern.matcher(s as string);
  let at = 0;
  while (matcher.find()) {
    parts.push((s as string).slice(at, matcher.start()));
    at = matcher.end();
  }
  return [...parts, (s as string).slice(at)];
});
add('string join', 'list:l, delimiter:s?', 's', 'The texts of a list joined; blanks are skipped.', ([list, d], m) => {
  const items = (list as readonly FeelValue[]).filter((item) => item !== null);
  if (!items.every((item) => typeof item === 'string')) return null;
  m.spend(items.reduce((n, item) => n + item.length, 0));
  return m.text(items.join((d ?? '') as string));
});
add('string', 'from:a', 's', 'A value as text; blank stays blank.', ([v], m) => {
  const text = textOf(v!);
  return text === null ? null : m.text(text);
});
add('text', 'value:a', 's', 'A value as text; a blank becomes an empty text.', ([v], m) => m.text(textOf(v!) ?? ''), true);
add(
  'coalesce',
  'value:a*',
  (args) =>
    args.length === 0
      ? ANY
      : args.reduce((a, b) =>
          a.kind === b.kind ? { ...b, blank: a.blank && b.blank } : a.kind === 'null' ? b : b.kind === 'null' ? a : { ...ANY, blank: a.blank && b.blank },
        ),
  'The first of several values that is not blank.',
  (args) => args.find((value) => value !== null && value !== '') ?? null,
  true,
);
add('is blank', 'value:a', 'b', 'Whether there is no value.', ([v]) => v === null || v === '', true);

/* ---- numbers ---- */

/** Rounds to decimals; `up` decides on the discarded digit: away from zero, half, or half even. */
export function roundTo(value: number, decimals: number, how: 'half even' | 'half up' | 'half down' | 'up' | 'down' | 'floor' | 'ceiling'): number | null {
  if (!Number.isInteger(decimals) || Math.abs(decimals) > 300 || !Number.isFinite(value)) return null;
  // Shifting the decimal exponent keeps 1.005 exact.
  const shift = (n: number, by: number) => {
    const [digits, exponent = '0'] = String(n).split('e') as [string, string?];
    return Number(`${digits}e${Number(exponent) + by}`);
  };
  const scaled = shift(value, decimals);
  if (!Number.isFinite(scaled)) return null;
  const size = Math.abs(scaled);
  const whole = Math.floor(size);
  const rest = size - whole;
  const up = { 'half even': rest > 0.5 || (rest === 0.5 && whole % 2 === 1), 'half up': rest >= 0.5, 'half down': rest > 0.5, up: rest > 0, down: false };
  let result: number;
  if (how === 'floor') result = Math.floor(scaled);
  else if (how === 'ceiling') result = Math.ceil(scaled);
  else result = Math.sign(scaled) * (up[how] ? whole + 1 : whole);
  return shift(result, -decimals) + 0;
}
add('decimal', 'n:n, scale:n', 'n', 'A number rounded to decimals, halves to the even digit.', ([n, s]) => roundTo(n as number, s as number, 'half even'));
for (const how of ['up', 'down', 'half up', 'half down'] as const)
  add(`round ${how}`, 'n:n, scale:n', 'n', `A number rounded ${how} to decimals.`, ([n, s]) => roundTo(n as number, s as number, how));
add('floor', 'n:n, scale:n?', 'n', 'The next number below.', ([n, s]) => roundTo(n as number, (s ?? 0) as number, 'floor'));
add('ceiling', 'n:n, scale:n?', 'n', 'The next number above.', ([n, s]) => roundTo(n as number, (s ?? 0) as number, 'ceiling'));
add(
  'abs',
  'n:a',
  (args) => args[0]!,
  'The absolute value of a number or duration.',
  ([n]) => {
    if (typeof n === 'number') return Math.abs(n);
    if (n instanceof DaysDuration) return new DaysDuration(Math.abs(n.seconds));
    return n instanceof MonthsDuration ? new MonthsDuration(Math.abs(n.months)) : null;
  },
);
const finite = (n: number): number | null => (Number.isFinite(n) ? n : null);
/** a − b·⌊a ÷ b⌋ in decimals. */
function remainder(a: number, b: number): number | null {
  const quotient = arithmetic('over', a, b);
  const part = quotient === null ? null : arithmetic('times', b, Math.floor(quotient));
  return part === null ? null : arithmetic('minus', a, part);
}
add('modulo', 'dividend:n, divisor:n', 'n', 'The remainder of a division, with the sign of the divisor.', ([a, b]) =>
  b === 0 ? null : remainder(a as number, b as number),
);
add('sqrt', 'number:n', 'n', 'The square root.', ([n]) => finite(Math.sqrt(n as number)));
add('log', 'number:n', 'n', 'The natural logarithm.', ([n]) => finite(Math.log(n as number)));
add('exp', 'number:n', 'n', "Euler's number raised to a power.", ([n]) => finite(Math.exp(n as number)));
add('odd', 'number:n', 'b', 'Whether a number is odd.', ([n]) => (Number.isInteger(n) ? Math.abs((n as number) % 2) === 1 : null));
add('even', 'number:n', 'b', 'Whether a number is even.', ([n]) => (Number.isInteger(n) ? (n as number) % 2 === 0 : null));
add('number', 'from:s, grouping separator:s?, decimal separator:s?', 'n', 'Reads a number from a text.', ([s, group, point]) => {
  if (
    (group != null && ![' ', ',', '.'].includes(group as string)) ||
    (point != null && !['.', ','].includes(point as string)) ||
    (group != null && group === point)
  )
    return null;
  let text = s as string;
  if (group) text = text.split(group as string).join('');
  if (point) text = text.replace(point as string, '.');
  return /^-?(\d+(\.\d+)?|\.\d+)([eE][+-]?\d+)?$/.test(text) ? finite(Number(text)) : null;
});
add('convert', 'value:n, from:s, to:s', 'n', `Converts a number between units, such as convert(Mass, "kg", "lb").`, ([n, from, to]) => {
  const [a, b] = [findUnit(from as string), findUnit(to as string)];
  return a && b?.quantity === a.quantity ? convert(n as number, a.code, b.code) : null;
});
add('format number', 'value:n, decimals:n, decimal sign:s?', 's', 'A number with a fixed number of decimals, as text.', ([n, d, sign]) => {
  const rounded = roundTo(n as number, d as number, 'half up');
  if (rounded === null || (d as number) < 0 || (d as number) > 15 || ![undefined, null, '.', ','].includes(sign as string)) return null;
  return rounded.toFixed(d as number).replace('.', (sign ?? '.') as string);
});

/* ---- yes or no ---- */

add('not', 'negand:b', 'b', 'The opposite of a condition.', ([b]) => !b);
const allTrue = (list: readonly FeelValue[]) => (list.includes(false) ? false : list.every((item) => item === true) ? true : null);
const anyTrue = (list: readonly FeelValue[]) => (list.includes(true) ? true : list.every((item) => item === false) ? false : null);
add('all', 'list:l*', 'b', 'Whether all conditions hold.', ([l]) => allTrue(l as readonly FeelValue[]));
add('any', 'list:l*', 'b', 'Whether any condition holds.', ([l]) => anyTrue(l as readonly FeelValue[]));

/* ---- lists ---- */

const numbers = (list: FeelValue): readonly number[] | null =>
  (list as readonly FeelValue[]).every((item) => typeof item === 'number') ? (list as readonly number[]) : null;
const extreme = (list: readonly FeelValue[], sign: 1 | -1): FeelValue => {
  let best: FeelValue = list[0] ?? null;
  for (const item of list) {
    const order = compare(item, best);
    if (order === null) return null;
    if (order * sign > 0) best = item;
  }
  return best;
};
const itemType = (args: readonly FeelType[]): FeelType => {
  const first = args[0];
  if (!first) return ANY;
  return args.length === 1 && first.kind === 'list' ? { ...(first.item ?? ANY), blank: true } : { ...first, blank: true };
};
const sameList = (args: readonly FeelType[]): FeelType => (args[0]?.kind === 'list' ? args[0] : listOf(ANY));
const mean = (list: readonly number[]): number | null => {
  const total = sumOf(list);
  return total === null ? null : arithmetic('over', total, list.length);
};
add('count', 'list:l', 'n', 'Number of items.', ([l]) => (l as readonly FeelValue[]).length);
add('min', 'list:l*', itemType, 'The smallest item.', ([l]) => extreme(l as readonly FeelValue[], -1));
add('max', 'list:l*', itemType, 'The largest item.', ([l]) => extreme(l as readonly FeelValue[], 1));
add(
  'sum',
  'list:l*',
  () => plain('number', true),
  'The total; blank when an item is blank.',
  ([l]) => {
    const list = numbers(l!);
    return list?.length ? sumOf(list) : null;
  },
);
add(
  'product',
  'list:l*',
  () => plain('number', true),
  'The product of numbers.',
  ([l]) => {
    const list = numbers(l!);
    return list?.length ? list.reduce<number | null>((a, b) => (a === null ? null : arithmetic('times', a, b)), 1) : null;
  },
);
add(
  'mean',
  'list:l*',
  () => plain('number', true),
  'The average.',
  ([l]) => {
    const list = numbers(l!);
    return list?.length ? mean(list) : null;
  },
);
add(
  'median',
  'list:l*',
  () => plain('number', true),
  'The middle of the numbers.',
  ([l]) => {
    const list = numbers(l!);
    if (!list?.length) return null;
    const sorted = [...list].sort((a, b) => a - b);
    const half = sorted.length >> 1;
    return sorted.length % 2 ? sorted[half]! : mean(sorted.slice(half - 1, half + 1));
  },
);
add(
  'stddev',
  'list:l*',
  () => plain('number', true),
  'The standard deviation of a sample.',
  ([l]) => {
    const list = numbers(l!);
    if (!list || list.length < 2) return null;
    const middle = mean(list);
    const squares = middle === null ? null : sumOf(list.map((n) => (n - middle) ** 2));
    return squares === null ? null : finite(Math.sqrt(squares / (list.length - 1)));
  },
);
add('mode', 'list:l*', 'L', 'The numbers that occur most often.', ([l]) => {
  const list = numbers(l!);
  if (!list) return null;
  const counts = new Map<number, number>();
  for (const n of list) counts.set(n, (counts.get(n) ?? 0) + 1);
  const most = Math.max(0, ...counts.values());
  return [...counts]
    .filter(([, n]) => n === most)
    .map(([n]) => n)
    .sort((a, b) => a - b);
});
add(
  'list contains',
  'list:l, element:a',
  'b',
  'Whether an item is in a list.',
  ([l, e]) => (l as readonly FeelValue[]).some((item) => equal(item, e!) === true),
  true,
);
add('sublist', 'list:l, start position:n, length:n?', sameList, 'Part of a list, counted from 1.', ([l, n, length]) => {
  const list = l as readonly FeelValue[];
  const start = n as number;
  if (start === 0 || Math.abs(start) > list.length) return null;
  const from = start > 0 ? start - 1 : list.length + start;
  return list.slice(from, length == null ? undefined : from + (length as number));
});
add('append', 'list:l, item:a*', sameList, 'A list with items added.', ([l, ...rest], m) => m.items([...(l as readonly FeelValue[]), ...rest]), true);
add('concatenate', 'list:l*', 'L', 'Several lists as one.', () => null);
add('union', 'list:l*', 'L', 'Several lists as one, each item once.', () => null);
add(
  'insert before',
  'list:l, position:n, newItem:a',
  sameList,
  'A list with an item inserted.',
  ([l, n, item]) => {
    const list = [...(l as readonly FeelValue[])];
    const at = n as number;
    if (at === 0 || Math.abs(at) > list.length) return null;
    list.splice(at > 0 ? at - 1 : list.length + at, 0, item!);
    return list;
  },
  true,
);
add('remove', 'list:l, position:n', sameList, 'A list without one item.', ([l, n]) => {
  const list = [...(l as readonly FeelValue[])];
  const at = n as number;
  if (at === 0 || Math.abs(at) > list.length) return null;
  list.splice(at > 0 ? at - 1 : list.length + at, 1);
  return list;
});
add(
  'list replace',
  'list:l, position:p, newItem:a',
  sameList,
  'A list with an item replaced, by position or by a condition.',
  ([l, at, item], m) => {
    const list = l as readonly FeelValue[];
    if (at instanceof FeelFunction) return m.items(list).map((old) => (at.call([old, item!]) === true ? item! : old));
    const position = at as number;
    if (!Number.isInteger(position) || position === 0 || Math.abs(position) > list.length) return null;
    return list.with(position > 0 ? position - 1 : list.length + position, item!);
  },
  true,
);
add('reverse', 'list:l', sameList, 'A list reversed.', ([l]) => [...(l as readonly FeelValue[])].reverse());
add(
  'index of',
  'list:l, match:a',
  'L',
  'Where an item stands in a list, counted from 1.',
  ([l, e]) => (l as readonly FeelValue[]).flatMap((item, i) => (equal(item, e!) === true ? [i + 1] : [])),
  true,
);
const distinct = (list: readonly FeelValue[], meter: Meter): FeelValue[] => {
  const plainOnes = new Set<FeelValue>();
  const kept: FeelValue[] = [];
  for (const item of list) {
    if (item === null || typeof item !== 'object') {
      if (plainOnes.has(item)) continue;
      plainOnes.add(item);
    } else {
      meter.spend(kept.length);
      if (kept.some((other) => equal(other, item) === true)) continue;
    }
    kept.push(item);
  }
  return kept;
};
add('distinct values', 'list:l', sameList, 'Each item once.', ([l], m) => distinct(l as readonly FeelValue[], m));
const flat = (list: readonly FeelValue[], meter: Meter): FeelValue[] => {
  const result: FeelValue[] = [];
  for (const item of meter.items(list)) {
    if (isList(item)) for (const inner of flat(item, meter)) result.push(inner);
    else result.push(item);
  }
  return result;
};
add('flatten', 'list:l', 'L', 'Nested lists as one flat list.', ([l], m) => flat(l as readonly FeelValue[], m));
add('sort', 'list:l, precedes:f?', sameList, 'A list sorted.', ([l, f], m) => {
  const list = [...(l as readonly FeelValue[])];
  m.spend(list.length * Math.ceil(Math.log2(list.length + 2)));
  if (f instanceof FeelFunction) return list.sort((a, b) => (f.call([a, b]) === true ? -1 : f.call([b, a]) === true ? 1 : 0));
  return list.every((item) => item === list[0] || compare(item, list[0]!) !== null) ? list.sort((a, b) => compare(a, b)!) : null;
});
// These take lists individually, so the common single-list handling does not apply.
const asLists = (args: readonly FeelValue[]) => args.map((item) => (isList(item) ? item : [item]));
table.set('concatenate', {
  ...table.get('concatenate')!,
  parameters: [{ name: 'list', kinds: ['any'], optional: false, rest: true }],
  call: (args, m) => m.items(asLists(args).flat()),
  takesBlank: true,
});
table.set('union', {
  ...table.get('union')!,
  parameters: [{ name: 'list', kinds: ['any'], optional: false, rest: true }],
  call: (args, m) => distinct(m.items(asLists(args).flat()), m),
  takesBlank: true,
});

/* ---- contexts ---- */

add('get value', 'context:c, key:s', 'a', 'One value of a group, by name.', ([c, key]) => (c as FeelContext)[key as string] ?? null);
/** A context with one value set, at a path of names. */
function put(context: FeelContext, [key, ...rest]: readonly string[], value: FeelValue): FeelValue {
  const inner = context[key!] ?? null;
  const set = rest.length === 0 ? value : put(isContext(inner) ? inner : contextOf([]), rest, value);
  return contextOf([...Object.entries(context).filter(([name]) => name !== key), [key!, set]]);
}
add(
  'context put',
  'context:c, key:k, value:a',
  'a',
  'A group of values with one of them set, by name or path of names.',
  ([c, key, value], m) => {
    const keys = (isList(key!) ? m.items(key) : [key!]).filter((name) => typeof name === 'string');
    if (!isContext(c!) || keys.length === 0 || keys.length > 20 || keys.length < (isList(key!) ? key.length : 1)) return null;
    m.spend(Object.keys(c).length);
    return put(c, keys, value!);
  },
  true,
);
function mergedOf(list: readonly FeelContext[], meter: Meter): FeelContext {
  const entries = list.flatMap((one) => Object.entries(one));
  meter.spend(entries.length);
  return contextOf(entries);
}
add('context merge', 'contexts:l', 'a', 'Several groups of values as one; the last one counts.', ([l], m) =>
  (l as readonly FeelValue[]).every(isContext) ? mergedOf(l as readonly FeelContext[], m) : null,
);
add('context', 'entries:l', 'a', 'A group of values from a list of keys and values.', ([l]) => {
  const entries = (l as readonly FeelValue[]).map((entry) => (isContext(entry) ? ([entry['key'] ?? null, entry['value'] ?? null] as const) : null));
  const names = new Set(entries.map((entry) => entry?.[0]));
  if (names.size < entries.length || !entries.every((entry) => typeof entry?.[0] === 'string')) return null;
  return contextOf(entries as readonly (readonly [string, FeelValue])[]);
});
add('get entries', 'context:c', 'L', 'The names and values of a group.', ([c], m) =>
  m.items(
    Object.entries(c as FeelContext).map(([key, value]) =>
      contextOf([
        ['key', key],
        ['value', value],
      ]),
    ),
  ),
);
add(
  'lookup',
  'list:s, value:a, column:s',
  () => plain('any', true),
  'The entry of a choice list for a value, from one of its columns.',
  ([list, value, column], m) => {
    const text = textOf(value!);
    return text === null ? null : (m.host.lookup?.(list as string, text, column as string) ?? null);
  },
);

/* ---- ranges ---- */

for (const [name, { help }] of Object.entries(RELATIONS))
  add(
    name,
    'first:a, second:a',
    () => plain('boolean', true),
    help,
    ([a, b]) => relate(name, a!, b!),
  );
add(
  'range',
  'from:s',
  () => ({ kind: 'range', blank: true }),
  'A range from a text such as "[1..10)".',
  ([s]) => readRange(s as string),
);
add(
  'is',
  'first:a, second:a',
  () => plain('boolean'),
  'Whether two values are the same in type and value.',
  ([a, b]) => {
    if (typeName(a!) !== typeName(b!)) return false;
    const offset = (value: FeelValue) => (value instanceof FeelTime || value instanceof FeelDateTime ? value.offset : null);
    return offset(a!) === offset(b!) && equal(a!, b!) === true;
  },
  true,
);

/** An endpoint of a written range: a number, quoted text, or a date, time or duration with or without its sign or function. */
function readEnd(written: string): FeelValue | undefined {
  const text = written.trim();
  if (text === '' || text === 'null') return null;
  if (/^-?(\d+(\.\d+)?|\.\d+)$/.test(text)) return Number(text);
  const inner = /^(?:@|(?:date|time|date and time|duration)\()?"([^"\\]*)"\)?$/.exec(text);
  if (!inner) return undefined;
  if (text.startsWith('"')) return inner[1]!;
  return readDate(inner[1]!) ?? readTime(inner[1]!) ?? readDateTime(inner[1]!) ?? readDuration(inner[1]!) ?? undefined;
}

/** Parses a FEEL range; `null` if invalid. */
function readRange(text: string): FeelRange | null {
  const parts = /^\s*([[(\]])(.*)\.\.(.*)([\])[])\s*$/s.exec(text);
  if (!parts) return null;
  const [low, high] = [readEnd(parts[2]!), readEnd(parts[3]!)];
  const [lowIncluded, highIncluded] = [parts[1] === '[', parts[4] === ']'];
  if (low === undefined || high === undefined || (low === null && (high === null || lowIncluded)) || (high === null && highIncluded)) return null;
  const order = low === null || high === null ? -1 : compare(low, high);
  return order === null || order > 0 ? null : new FeelRange(low, lowIncluded, high, highIncluded);
}

/* ---- dates and times ---- */

const typed = (kind: TypeKind) => () => plain(kind, true);
add('date', 'from:a, month:n?, day:n?', typed('date'), 'A date from a text, or from year, month and day.', (args) => {
  const [from, month, day] = args;
  if (args.length === 3) {
    const days = daysOf(from as number, month as number, day as number);
    return days === null ? null : new FeelDate(days);
  }
  if (args.length !== 1) return null;
  if (typeof from === 'string') return readDate(from);
  if (from instanceof FeelDate) return from;
  return from instanceof FeelDateTime ? new FeelDate(from.days) : null;
});
add('time', 'from:a, minute:n?, second:n?, offset:t?', typed('time'), 'A time from a text, or from hour, minute and second.', (args) => {
  const [from, minute, second, offset] = args;
  if (args.length >= 3) {
    const [h, m, s] = [from, minute, second] as number[];
    if (!(h! >= 0 && h! < 24 && m! >= 0 && m! < 60 && s! >= 0 && s! < 60)) return null;
    return new FeelTime(h! * 3600 + m! * 60 + s!, offset instanceof DaysDuration ? offset.seconds : null);
  }
  if (typeof from === 'string') return readTime(from);
  if (from instanceof FeelTime) return from;
  if (from instanceof FeelDate) return new FeelTime(0, 0);
  return from instanceof FeelDateTime ? new FeelTime(from.seconds, from.offset) : null;
});
add('date and time', 'from:a, time:a?', typed('date and time'), 'A date and time from a text, or from a date and a time.', (args) => {
  const [from, time] = args;
  if (args.length === 2) {
    if (!(from instanceof FeelDate || from instanceof FeelDateTime) || !(time instanceof FeelTime)) return null;
    return new FeelDateTime(from.days, time.seconds, time.offset);
  }
  if (typeof from === 'string') return readDateTime(from);
  if (from instanceof FeelDate) return new FeelDateTime(from.days, 0, null);
  return from instanceof FeelDateTime ? from : null;
});
add(
  'duration',
  'from:s',
  () => ANY,
  'A duration from a text such as "P3D" or "P1Y".',
  ([s]) => readDuration(s as string),
);
add('years and months duration', 'from:d, to:d', typed('years and months duration'), 'Whole months between two dates.', ([a, b]) => {
  const [from, to] = [a as FeelDate | FeelDateTime, b as FeelDate | FeelDateTime];
  const sign = from.days > to.days ? -1 : 1;
  const [x, y] = sign > 0 ? [civil(from.days), civil(to.days)] : [civil(to.days), civil(from.days)];
  const months = (y.year - x.year) * 12 + y.month - x.month - (y.day < x.day ? 1 : 0);
  return new MonthsDuration(months === 0 ? 0 : sign * months);
});
const DAYS = ['Sunday', 'Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday'];
const MONTHS = ['January', 'February', 'March', 'April', 'May', 'June', 'July', 'August', 'September', 'October', 'November', 'December'];
const dayNumber = (v: FeelValue) => (v as FeelDate | FeelDateTime).days;
const weekday = (days: number) => (((days + 4) % 7) + 7) % 7;
add('day of week', 'date:d', 's', 'The day of the week in English.', ([d]) => DAYS[weekday(dayNumber(d!))]!);
add('month of year', 'date:d', 's', 'The month in English.', ([d]) => MONTHS[civil(dayNumber(d!)).month - 1]!);
const dayOfYear = (days: number) => days - daysOf(civil(days).year, 1, 1)! + 1;
add('day of year', 'date:d', 'n', 'The day counted from the first of January.', ([d]) => dayOfYear(dayNumber(d!)));
add('week of year', 'date:d', 'n', 'The ISO 8601 week: week 1 has the first Thursday.', ([d]) => {
  const thursday = dayNumber(d!) - ((weekday(dayNumber(d!)) + 6) % 7) + 3;
  return Math.floor((dayOfYear(thursday) - 1) / 7) + 1;
});
add('format date', 'date:d, form:s', 's', 'A date in a format of YYYY, YY, MM, DD and separators.', ([d, form]) => formatDays(dayNumber(d!), form as string));
const now = (m: Meter) => {
  if (m.host.instant === null) return null;
  const days = Math.floor(m.host.instant / 86_400);
  return new FeelDateTime(days, m.host.instant - days * 86_400, 0);
};
add('today', '', typed('date'), 'Today.', (_, m) => {
  const at = now(m);
  return at && new FeelDate(at.days);
});
add('now', '', typed('date and time'), 'The current date and time.', (_, m) => now(m));

/** Formats a date with `YYYY`, `YY`, `MM`, `DD` and separators; `null` if the format is invalid. */
const formatDays = (days: number, form: string): string | null => (isDateForm(form) ? dateInForm(String(new FeelDate(days)), form) : null);
