import { BUILTINS } from './functions';
import { parseExpression } from './syntax';

/** The names by which a rule reaches the holders around its own. No property can have one of them in rules. */
export const GROUPS = ['file', 'document', 'model', 'assembly', 'part', 'parts', 'project', 'drawing set', 'item', 'partial'] as const;

/** Words of the language itself. */
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

/** Whether an expression can name a property by this name, alone, after a dot and before a sign. */
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

/** Whether a name hides a sign of FEEL: `Cost - Net` is read as one name, never as a subtraction. */
export const hidesSign = (name: string): boolean => /[-+*/.']/.test(name);

/** A name that an expression can use for a written name that it cannot; the written name itself where it can. */
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
