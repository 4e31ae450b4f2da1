import { RELATIONS, relate } from '../ranges';
import { plain } from '../type';
import { FeelDateTime, FeelRange, FeelTime, FeelValue, compare, equal, readDate, readDateTime, readDuration, readTime, typeName } from '../value';
import { Builtin, collected } from './registry';

/** Functions on ranges. */
export const RANGES: Builtin[] = [];
const add = collected(RANGES);

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
