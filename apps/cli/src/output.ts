import { writeCsv } from '@rule/core/exchange';

export const OUTPUTS = ['table', 'csv', 'json'] as const;
export type Output = (typeof OUTPUTS)[number];

/** A table of results: columns by key; numbers stay numbers. */
export type Row = Readonly<Record<string, string | number | null>>;

const WIDEST = 60;
const text = (value: string | number | null): string => (value === null ? '' : String(value));
/** Control characters could move the terminal cursor. */
const plain = (value: string): string => value.replace(/[\x00-\x1f\x7f-\x9f]/g, '·');

/** Writes rows for people, for spreadsheets or for programs. */
export function show(rows: readonly Row[], columns: readonly string[], output: Output): string {
  if (output === 'json') return `${JSON.stringify(rows, null, 2)}\n`;
  if (output === 'csv') return writeCsv([[...columns], ...rows.map((row) => columns.map((column) => text(row[column] ?? null)))]);
  const cells = rows.map((row) =>
    columns.map((column) => plain(text(row[column] ?? null))).map((cell) => (cell.length > WIDEST ? `${cell.slice(0, WIDEST - 1)}…` : cell)),
  );
  const widths = columns.map((column, i) => Math.max(column.length, ...cells.map((row) => row[i]!.length)));
  const numeric = columns.map((column) => rows.length > 0 && rows.every((row) => typeof row[column] === 'number'));
  const line = (row: readonly string[]) =>
    row
      .map((cell, i) => (numeric[i] ? cell.padStart(widths[i]!) : cell.padEnd(widths[i]!)))
      .join('  ')
      .trimEnd();
  return [line(columns), line(widths.map((width) => '-'.repeat(width))), ...cells.map(line)].join('\n') + '\n';
}
