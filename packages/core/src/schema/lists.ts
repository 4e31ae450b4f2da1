import { compareNames } from './names';

/** One allowed value, with what else is known of it. */
export interface Choice {
  readonly value: string;
  /** Texts by column name. */
  readonly columns: Readonly<Record<string, string>>;
  readonly retired: boolean;
  /** The value that takes a retired one's place. */
  readonly replacedBy: string | null;
}

/** Allowed values that many properties share. */
export interface ChoiceListDraft {
  readonly name: string;
  readonly columns: readonly string[];
  readonly choices: readonly Choice[];
  /** The column that names the values of another property that a choice goes with, separated by semicolons; blank goes with all. */
  readonly goesWith: string | null;
}

/** The values that may be chosen, in their order. */
export const currentChoices = (list: Pick<ChoiceListDraft, 'choices'>): string[] =>
  list.choices.filter((choice) => !choice.retired).map((choice) => choice.value);

/** The values that go with a value of the narrowing property. */
export function choicesFor(list: Pick<ChoiceListDraft, 'choices' | 'goesWith'>, by: string): string[] {
  const { goesWith } = list;
  if (goesWith === null) return currentChoices(list);
  return list.choices
    .filter((choice) => {
      const with_ = (choice.columns[goesWith] ?? '').split(';').map((text) => text.trim());
      return !choice.retired && (with_.every((text) => text === '') || with_.includes(by));
    })
    .map((choice) => choice.value);
}

/** What is in a column beside a value; retired ones are still known. */
export const choiceColumn = (list: Pick<ChoiceListDraft, 'choices'>, value: string, column: string): string | null =>
  list.choices.find((choice) => choice.value === value)?.columns[column] ?? null;

/** What is wrong with a choice list, by the row it is about (counted from 1), or the list itself (0). */
export function checkList(list: ChoiceListDraft): { readonly row: number; readonly message: string }[] {
  const problems: { row: number; message: string }[] = [];
  if (list.name.trim() === '') problems.push({ row: 0, message: 'A choice list needs a name.' });
  if (new Set(list.columns).size < list.columns.length || list.columns.includes('')) problems.push({ row: 0, message: 'Every column needs a unique name.' });
  if (list.goesWith !== null && !list.columns.includes(list.goesWith))
    problems.push({ row: 0, message: `There is no column ${JSON.stringify(list.goesWith)}.` });
  const seen = new Map<string, string>();
  for (const [i, { value, replacedBy, retired }] of list.choices.entries()) {
    const row = i + 1;
    if (value === '' || value !== value.trim()) problems.push({ row, message: `Row ${row} is blank or has a space at its start or end.` });
    const key = value.trim().replace(/\s+/gu, ' ').toLowerCase();
    const twin = seen.get(key);
    if (twin !== undefined)
      problems.push({
        row,
        message: compareNames(twin, value) === 'same' ? `${JSON.stringify(value)} stands twice.` : `${JSON.stringify(value)} repeats ${JSON.stringify(twin)}.`,
      });
    seen.set(key, value);
    if (replacedBy !== null && !retired) problems.push({ row, message: `${JSON.stringify(value)} has a replacement but is not retired.` });
    if (replacedBy !== null && !list.choices.some((choice) => choice.value === replacedBy && !choice.retired))
      problems.push({ row, message: `${JSON.stringify(replacedBy)}, which replaces ${JSON.stringify(value)}, is not among the choices.` });
  }
  return problems;
}

/** What taking a list again from its source would change. */
export interface ListComparison {
  readonly added: readonly Choice[];
  readonly changed: readonly { readonly value: string; readonly column: string; readonly before: string; readonly after: string }[];
  /** Choices that the source does not have any more: they are retired, never dropped, for files may hold them. */
  readonly gone: readonly string[];
  /** Retired choices that the source has again. */
  readonly back: readonly string[];
  readonly same: number;
  readonly result: ChoiceListDraft;
}

/** Compares a list with a table whose first column holds the values. */
export function compareList(
  list: ChoiceListDraft,
  table: { readonly header: readonly string[]; readonly rows: readonly (readonly string[])[] },
): ListComparison {
  const columns = table.header.slice(1);
  const loaded = new Map<string, Readonly<Record<string, string>>>();
  for (const row of table.rows) {
    const value = (row[0] ?? '').trim();
    if (value !== '' && !loaded.has(value)) loaded.set(value, Object.fromEntries(columns.map((column, i) => [column, (row[i + 1] ?? '').trim()])));
  }
  const known = new Map(list.choices.map((choice) => [choice.value, choice]));
  const changed: ListComparison['changed'][number][] = [];
  const back: string[] = [];
  let same = 0;
  const choices: Choice[] = [...loaded].map(([value, texts]) => {
    const old = known.get(value);
    if (!old) return { value, columns: texts, retired: false, replacedBy: null };
    // Columns that only Rule has stay as they are.
    const merged = { ...old.columns, ...texts };
    const differences = columns.filter((column) => (old.columns[column] ?? '') !== texts[column]);
    for (const column of differences) changed.push({ value, column, before: old.columns[column] ?? '', after: texts[column]! });
    if (old.retired) back.push(value);
    else if (differences.length === 0) same++;
    return { value, columns: merged, retired: false, replacedBy: null };
  });
  const gone = list.choices.filter((choice) => !loaded.has(choice.value));
  return {
    added: choices.filter((choice) => !known.has(choice.value)),
    changed,
    gone: gone.filter((choice) => !choice.retired).map((choice) => choice.value),
    back,
    same,
    result: {
      ...list,
      columns: [...new Set([...columns, ...list.columns])],
      choices: [...choices, ...gone.map((choice) => ({ ...choice, retired: true }))],
    },
  };
}
