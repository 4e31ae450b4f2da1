import { compareNames } from './names';

/** A permitted value with its columns. */
export interface Choice {
  readonly value: string;
  /** Texts by column. */
  readonly columns: Readonly<Record<string, string>>;
  readonly retired: boolean;
  /** Replacement for a retired value. */
  readonly replacedBy: string | null;
}

/** A choice list shared by properties. */
export interface ChoiceListDraft {
  readonly name: string;
  readonly columns: readonly string[];
  readonly choices: readonly Choice[];
  /** Column naming the values of another property a choice is for, separated by semicolons; blank means all. */
  readonly goesWith: string | null;
}

/** Selectable values in order. */
export const currentChoices = (list: Pick<ChoiceListDraft, 'choices'>): string[] =>
  list.choices.filter((choice) => !choice.retired).map((choice) => choice.value);

/** Values for a value of the narrowing property. */
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

/** A column's text for a value, including retired ones. */
export const choiceColumn = (list: Pick<ChoiceListDraft, 'choices'>, value: string, column: string): string | null =>
  list.choices.find((choice) => choice.value === value)?.columns[column] ?? null;

/** Problems of a choice list by row (from 1), or of the list (0). */
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

/** Changes from reloading a list's source. */
export interface ListComparison {
  readonly added: readonly Choice[];
  readonly changed: readonly { readonly value: string; readonly column: string; readonly before: string; readonly after: string }[];
  /** Choices missing in the source are retired, never removed: files may hold them. */
  readonly gone: readonly string[];
  /** Retired choices that reappear in the source. */
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
    // Columns that exist only in Rule are kept.
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
