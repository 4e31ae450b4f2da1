import { Change, Property, checkProposed, compareNames, forClass, reaches, whyNotChanged } from '../schema';
import { HeldValue, StandIns, readHeld, sameHeld } from '../values';
import { Table, TableCell, TableError } from './table';

/** Headers of the columns that say which file a row is about. */
export const IDENTITY_HEADER = 'Rule identity';
export const FILE_HEADER = 'File';

/** The mark by which a sent-out row is known again: send-out and file. Spreadsheet programs leave it alone. */
export const identityMark = (sendOut: number, file: number): string => `S${sendOut}-F${file}`;

/** Reads an identity mark. */
export function readIdentityMark(text: string): { sendOut: number; file: number } | null {
  const m = /^S(\d{1,9})-F(\d{1,9})$/.exec(text.trim());
  return m ? { sendOut: Number(m[1]), file: Number(m[2]) } : null;
}

/** A file as taking back needs it. */
export interface KnownFile {
  readonly id: number;
  readonly path: string;
  readonly kind: Property['kinds'][number];
  readonly className: string | null;
  /** Workflow state; `null` where no vault holds the file. */
  readonly state: string | null;
  /** Why nothing may be written into the file, if so. */
  readonly lock: string | null;
}

/** What taking back compares with. */
export interface TakeBackContext {
  readonly properties: readonly Property[];
  readonly standIns: StandIns;
  readonly file: (id: number) => KnownFile | undefined;
  readonly filesAt: (path: string) => readonly KnownFile[];
  /** The value as sent out; `undefined` when this send-out did not hold the cell. */
  readonly base: (sendOut: number, file: number, property: number) => HeldValue | null | undefined;
  readonly current: (file: number, property: number) => HeldValue | null;
  /** Role of the person who takes the table back. */
  readonly role: Change['role'];
}

/** What becomes of one cell. */
export type CellVerdict = 'unchanged' | 'change' | 'same' | 'conflict' | 'error';

/** One cell that is not simply unchanged. `row` counts from 1 as spreadsheets do. */
export interface TakeBackCell {
  readonly row: number;
  readonly file: number;
  readonly property: number;
  readonly verdict: Exclude<CellVerdict, 'unchanged'>;
  readonly base: HeldValue | null;
  readonly current: HeldValue | null;
  readonly proposed: HeldValue | null;
  /** The text as the table holds it. */
  readonly text: string;
  readonly code: string;
  readonly message: string;
}

/** A row or column as a whole that cannot be taken. */
export interface TakeBackIssue {
  readonly row: number | null;
  readonly column: string | null;
  readonly code: 'unknown-file' | 'ambiguous-file' | 'row-twice' | 'unknown-column' | 'column-alike' | 'retired-column';
  readonly message: string;
  /** Cells of known columns that are left out because of this. */
  readonly cells: number;
}

/** What a table would do. The counts add up to `total`, the cells of known columns in rows that are not empty. */
export interface TakeBack {
  readonly cells: readonly TakeBackCell[];
  readonly issues: readonly TakeBackIssue[];
  readonly counts: Readonly<Record<CellVerdict | 'notTaken' | 'total', number>>;
  readonly sendOuts: readonly number[];
}

interface Column {
  readonly at: number;
  readonly property: Property;
}

/** Finds the table with a header that names files, the first one otherwise. @throws TableError when there is none */
export function chooseTable(tables: readonly Table[]): Table {
  const isHeader = (table: Table) => (table.rows[0] ?? []).some((cell) => cell.text === IDENTITY_HEADER || cell.text === FILE_HEADER);
  const table = tables.find(isHeader);
  if (table) return table;
  throw new TableError(
    'no-file-column',
    `No sheet has a column ${JSON.stringify(IDENTITY_HEADER)} or ${JSON.stringify(FILE_HEADER)} in its first row, so Rule cannot tell which files the rows are about.`,
  );
}

/** Whether a cell still says what was sent out, whatever the spreadsheet program did to its type. */
function says(cell: TableCell, held: HeldValue | null, property: Property): boolean {
  if (held === null || held.text === '') return cell.text === '';
  if (cell.text === held.text && held.form !== 'measure') return true;
  const before = readHeld(held, property);
  if (!before.ok) return cell.text === held.text;
  const now = readHeld({ text: cell.text, form: 'text' }, property);
  return now.ok && now.value === before.value;
}

/**
 * Compares a table that came back with what was sent out and what holds now, cell by cell.
 * @throws TableError when the header is unusable
 */
export function takeBack(table: Table, context: TakeBackContext): TakeBack {
  const header = (table.rows[0] ?? []).map((cell) => cell.text);
  const issues: TakeBackIssue[] = [];
  const columns: Column[] = [];
  let identityAt = -1;
  let fileAt = -1;
  const seen = new Map<string, number>();
  for (const [at, name] of header.entries()) {
    if (name === '') continue;
    const first = seen.get(name);
    if (first !== undefined) throw new TableError('header-twice', `The header ${JSON.stringify(name)} stands twice, in columns ${first + 1} and ${at + 1}.`);
    seen.set(name, at);
    if (name === IDENTITY_HEADER) identityAt = at;
    else if (name === FILE_HEADER) fileAt = at;
    else {
      const property = context.properties.find((candidate) => candidate.writtenName === name);
      if (property && !property.retired) columns.push({ at, property });
      else if (property)
        issues.push({ row: null, column: name, code: 'retired-column', message: `${JSON.stringify(name)} is retired; the column is left out.`, cells: 0 });
      else {
        const near = context.properties.find((candidate) => compareNames(candidate.writtenName, name) !== 'different');
        issues.push(
          near
            ? {
                row: null,
                column: name,
                code: 'column-alike',
                message: `${JSON.stringify(name)} differs from ${JSON.stringify(near.writtenName)} in ${compareNames(near.writtenName, name)}; the column is left out.`,
                cells: 0,
              }
            : {
                row: null,
                column: name,
                code: 'unknown-column',
                message: `The schema has no property ${JSON.stringify(name)}; the column is left out.`,
                cells: 0,
              },
        );
      }
    }
  }
  if (identityAt < 0 && fileAt < 0) throw new TableError('no-file-column', 'The first row names no file column.');

  const cells: TakeBackCell[] = [];
  const counts = { unchanged: 0, change: 0, same: 0, conflict: 0, error: 0, notTaken: 0, total: 0 };
  const sendOuts = new Set<number>();
  const rowOf = new Map<number, number>();
  for (let r = 1; r < table.rows.length; r++) {
    const cellsOfRow = table.rows[r]!;
    if (cellsOfRow.every((cell) => cell.text === '')) continue;
    const row = r + 1;
    counts.total += columns.length;
    const reject = (code: TakeBackIssue['code'], message: string) => {
      counts.notTaken += columns.length;
      issues.push({ row, column: null, code, message, cells: columns.length });
    };
    const identity = cellsOfRow[identityAt]?.text ?? '';
    const path = cellsOfRow[fileAt]?.text ?? '';
    const mark = readIdentityMark(identity);
    let file: KnownFile | undefined;
    if (mark) file = context.file(mark.file);
    else {
      const found = path === '' ? [] : context.filesAt(path);
      if (found.length > 1) {
        reject('ambiguous-file', `${JSON.stringify(path)} names ${found.length} files: write the path with its folders.`);
        continue;
      }
      file = found[0];
    }
    if (!file) {
      reject('unknown-file', `No file ${JSON.stringify(path || identity)} is in the library.`);
      continue;
    }
    const earlier = rowOf.get(file.id);
    if (earlier !== undefined) {
      reject('row-twice', `${file.path} stands in row ${earlier} already.`);
      continue;
    }
    rowOf.set(file.id, row);
    if (mark) sendOuts.add(mark.sendOut);
    for (const { at, property } of columns) {
      const verdict = judgeCell(cellsOfRow[at] ?? { text: '', is: 'blank' }, file, property, mark?.sendOut ?? null, context, row);
      counts[verdict === 'unchanged' ? 'unchanged' : verdict.verdict]++;
      if (verdict !== 'unchanged') cells.push(verdict);
    }
  }
  return { cells, issues, counts, sendOuts: [...sendOuts] };
}

function judgeCell(
  cell: TableCell,
  file: KnownFile,
  property: Property,
  sendOut: number | null,
  context: TakeBackContext,
  row: number,
): TakeBackCell | 'unchanged' {
  const current = context.current(file.id, property.id);
  const sent = sendOut === null ? undefined : context.base(sendOut, file.id, property.id);
  const base = sent === undefined ? current : sent;
  if (says(cell, base, property)) return 'unchanged';
  const shared = { row, file: file.id, property: property.id, base, current, text: cell.text };
  const error = (code: string, message: string): TakeBackCell => ({ ...shared, verdict: 'error', proposed: null, code, message });
  if (!property.kinds.includes(file.kind)) return error('not-reached', `${property.caption} does not apply to a ${file.kind}.`);
  if (!reaches(property, file.kind, file.className))
    return error('not-reached', `${property.caption} does not apply to files of the class ${file.className ?? 'none'}.`);
  const closed = whyNotChanged(forClass(property, file.className), { role: context.role, kind: file.kind, className: file.className, state: file.state });
  if (closed !== null) return error('computed', `${property.caption} ${closed}.`);
  if (file.lock !== null) return error('locked', `${file.path} ${file.lock}.`);
  if (cell.is === 'error') return error('error-cell', `The cell holds the error ${cell.text}.`);
  const check = checkProposed(cell.text, forClass(property, file.className), context.standIns);
  if (!check.ok) return error(check.violations[0]!.code, `${property.caption}: ${check.violations.map((v) => v.message).join('; ')}.`);
  const done = (verdict: 'change' | 'same' | 'conflict', code: string, message: string): TakeBackCell => ({
    ...shared,
    verdict,
    proposed: check.held,
    code,
    message,
  });
  if (says(cell, current, property)) return done('same', 'same', 'Rule holds this value already.');
  if (!sameHeld(base, current)) return done('conflict', 'conflict', 'Changed in Rule since it was sent out.');
  return done('change', 'change', base === null || base.text === '' ? 'fills a blank' : check.held === null ? 'blanks the value' : 'changes the value');
}
