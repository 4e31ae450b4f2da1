import { arithmetic, sumOf } from '../decimals';
import { ANY, FeelType, listOf, plain } from '../type';
import { FeelFunction, FeelValue, compare, equal, isList } from '../value';
import { finite } from './numbers';
import { Builtin, Meter, collected } from './registry';

/** Functions on lists. */
export const LISTS: Builtin[] = [];
const add = collected(LISTS);

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
add('concatenate', 'list:a*', 'L', 'Several lists as one.', (args, m) => m.items(asLists(args).flat()), true);
add('union', 'list:a*', 'L', 'Several lists as one, each item once.', (args, m) => distinct(m.items(asLists(args).flat()), m), true);
