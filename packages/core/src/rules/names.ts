import { BUILTINS } from './functions';
import { parseExpression } from './syntax';

/** Names for the surrounding holders; reserved in rules. */
export const GROUPS = ['file', 'document', 'model', 'assembly', 'part', 'parts', 'project', 'drawing set', 'item', 'partial'] as const;

/** Keywords of the language. */
const WORDS = [
  'if',
  'then',
  'else',
  'for',
  'in',
  'return',
  'some',
  'every',
  'satisfies',
  'and',
  'or',
  'not',
  'between',
  'instance',
  'of',
  'function',
  'external',
  'true',
  'false',
  'null',
];

const taken = (name: string): boolean =>
  (GROUPS as readonly string[]).includes(name) || WORDS.includes(name) || BUILTINS().some((entry) => entry.name === name);

/** Whether an expression can use this property name, alone, after a dot and before an operator. */
export function isRuleSafe(name: string): boolean {
  if (name === '' || name !== name.normalize('NFC') || name !== name.replace(/\s+/gu, ' ').trim() || taken(name)) return false;
  const names = { [name]: null, model: { [name]: null } };
  const alone = parseExpression(name, names);
  const summed = parseExpression(`${name} + 1`, names);
  const behind = parseExpression(`model.${name}`, names);
  return (
    alone.ok &&
    alone.value.type === 'name' &&
    alone.value.name === name &&
    summed.ok &&
    summed.value.type === 'binary' &&
    summed.value.left.type === 'name' &&
    summed.value.left.name === name &&
    behind.ok &&
    behind.value.type === 'path' &&
    behind.value.name === name
  );
}

/** Whether a name contains an operator: `Cost - Net` is read as one name, never as a subtraction. */
export const hidesSign = (name: string): boolean => /[-+*/.']/.test(name);

/** A name usable in expressions; the written name if it is valid. */
export function ruleNameFor(writtenName: string, others: readonly string[] = []): string {
  const free = (name: string) => isRuleSafe(name) && !others.includes(name);
  if (free(writtenName)) return writtenName;
  const words = writtenName
    .normalize('NFC')
    .replace(/&/g, ' and ')
    .replace(/%/g, ' percent ')
    .replace(/[^\p{L}\p{N}]+/gu, ' ')
    .trim();
  const base = [words, `The ${words}`, `Property ${words}`].find((name) => isRuleSafe(name)) ?? 'Property';
  if (free(base)) return base;
  for (let n = 2; ; n++) if (free(`${base} ${n}`)) return `${base} ${n}`;
}
