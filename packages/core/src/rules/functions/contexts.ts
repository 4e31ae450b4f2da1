import { plain } from '../type';
import { FeelContext, FeelValue, contextOf, isContext, isList } from '../value';
import { Builtin, Meter, collected } from './registry';
import { textOf } from './texts';

/** Functions on groups of values. */
export const CONTEXTS: Builtin[] = [];
const add = collected(CONTEXTS);

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
