import { firstUpper, plainNumber, shortPerson, titleCase } from '../../values';
import { patternOf } from '../pattern';
import { ANY } from '../type';
import { FeelFunction, FeelRange, FeelValue, isContext, isList } from '../value';
import { Builtin, collected } from './registry';

/** Functions on texts. */
export const TEXTS: Builtin[] = [];
const add = collected(TEXTS);

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
