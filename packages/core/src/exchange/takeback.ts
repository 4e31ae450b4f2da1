import { Change, Property, PropertyLevel, checkProposed, forClass, isHeldAt, reaches, whyNotChanged } from '../schema';
import { HeldValue, StandIns, readHeld, sameHeld } from '../values';
import { TableShape } from './columns';
import { DECIMAL_SIGNS } from './csv-form';
import { spoiled } from './spoiled';
import { BLANK_CELL, TableCell } from './table';

/** Identity of a sent row: send-out and row number. */
export const identityMark = (sendOut: number, row: number): string => `S${sendOut}-R${row}`;

/** Parses an identity mark. Older copies use file numbers (`F`) instead of row numbers. */
export function readIdentityMark(text: string): { sendOut: number; row: number } | null {
  const m = /^S(\d{1,9})-[RF](\d{1,9})$/.exec(text.trim());
  return m ? { sendOut: Number(m[1]), row: Number(m[2]) } : null;
}

/** A file for taking back. */
export interface KnownFile {
  readonly id: number;
  readonly path: string;
  readonly kind: Property['kinds'][number];
  readonly className: string | null;
  /** Workflow state; `null` outside the vault. */
  readonly state: string | null;
  /** Why it cannot be written. */
  readonly lock: string | null;
}

/** Subject named by a row. */
export interface RowIdentity {
  readonly mark: { readonly sendOut: number; readonly row: number } | null;
  readonly path: string;
  /** Label of the holder; empty for the file. */
  readonly holder: string;
}

/** A row's subject with sent and current values. */
export interface FoundRow {
  readonly file: KnownFile;
  /** Holder key; empty for the document. */
  readonly holder: string;
  readonly level: PropertyLevel;
  readonly sendOut: number | null;
  /** The sent value; `undefined` if not sent. */
  readonly base: (property: number) => HeldValue | null | undefined;
  readonly current: (property: number) => HeldValue | null;
  /** Whether the column was editable when sent. */
  readonly editable: (property: number) => boolean;
}

/** Why a row cannot be taken. */
export interface LostRow {
  readonly code: 'unknown-file' | 'ambiguous-file' | 'unknown-holder';
  readonly message: string;
}

/** Inputs of a comparison. */
export interface TakeBackContext {
  readonly shape: TableShape;
  readonly standIns: StandIns;
  /** Role of the user. */
  readonly role: Change['role'];
  /** The file's decimal sign; `null` for either. */
  readonly decimal: (typeof DECIMAL_SIGNS)[number] | null;
  /** Whether to fill blanks only. */
  readonly onlyBlanks: boolean;
  /** Properties by name, for tables with one row per value. */
  readonly named: (name: string) => Property | undefined;
}

/** Verdicts on cells. */
export type CellVerdict = 'unchanged' | 'change' | 'same' | 'conflict' | 'spoiled' | 'error';

/** A changed cell. `row` counts from 1. */
export interface TakeBackCell {
  readonly row: number;
  readonly file: number;
  readonly holder: string;
  readonly property: number;
  readonly verdict: Exclude<CellVerdict, 'unchanged'>;
  readonly base: HeldValue | null;
  readonly current: HeldValue | null;
  /** The value to write; `null` for blank, or if not takeable. */
  readonly proposed: HeldValue | null;
  readonly takeable: boolean;
  /** Whether the sent value proves the alteration. */
  readonly proven: boolean;
  /** The cell's text. */
  readonly text: string;
  readonly code: string;
  readonly message: string;
}

/** A row that cannot be taken. */
export interface TakeBackIssue {
  readonly row: number;
  readonly code: LostRow['code'] | 'row-twice' | 'unknown-column';
  readonly message: string;
  /** Cells affected. */
  readonly cells: number;
}

/** Cells by verdict, adding up to `total`: all cells with headers, except identifying ones, in non-empty rows. */
export type TakeBackCounts = Readonly<Record<CellVerdict | 'ignored' | 'notTaken' | 'rows' | 'total', number>>;

/** Whether a cell is unchanged, ignoring type and line ends. */
function says(cell: TableCell, held: HeldValue | null, property: Property): boolean {
  if (held === null || held.text === '') return cell.text === '';
  if (cell.text === held.text && held.form !== 'measure') return true;
  const before = readHeld(held, property);
  if (!before.ok) return lines(cell.text) === lines(held.text);
  const now = readHeld({ text: cell.text, form: 'text' }, property);
  return now.ok && (now.value === before.value || (typeof now.value === 'string' && lines(now.value) === lines(String(before.value))));
}

const lines = (text: string) => (text.includes('\r') ? text.replace(/\r\n?/g, '\n') : text);

/** Converts a number with the file's decimal sign. */
function inPlainForm(cell: TableCell, property: Property, decimal: TakeBackContext['decimal']): TableCell {
  if (decimal === null || cell.is !== 'text' || property.type !== 'number') return cell;
  const [sign, group] = decimal === ',' ? [',', '.'] : ['.', ','];
  const text = cell.text.trim();
  if (!/^[+-]?[\d.,]+(\D.*)?$/.test(text)) return cell;
  const m = /^([+-]?)([\d.,]+)(.*)$/.exec(text)!;
  const [whole, part, ...more] = m[2]!.split(sign);
  if (more.length || (part ?? '').includes(group) || !new RegExp(`^\\d+$|^\\d{1,3}(\\${group}\\d{3})+$`).test(whole!)) return cell;
  return { ...cell, text: `${m[1]}${whole!.replaceAll(group, '')}${part === undefined ? '' : `.${part}`}${m[3]}` };
}

/** Compares a returned table with sent and current values, row by row. */
export class Comparison {
  private readonly seen = new Map<string, number>();
  private readonly tally = { unchanged: 0, change: 0, same: 0, conflict: 0, spoiled: 0, error: 0, ignored: 0, notTaken: 0, rows: 0, total: 0 };
  private readonly backs = new Set<number>();

  constructor(private readonly context: TakeBackContext) {}

  get counts(): TakeBackCounts {
    return this.tally;
  }

  /** Send-outs of the returned rows. */
  get sendOuts(): number[] {
    return [...this.backs];
  }

  private get long(): boolean {
    return this.context.shape.valueAt >= 0 && this.context.shape.propertyAt >= 0;
  }

  /** A row's subject; `null` for empty rows. */
  identify(cells: readonly TableCell[]): RowIdentity | null {
    if (cells.every((cell) => cell.text === '')) return null;
    const { identityAt, fileAt, holderAt } = this.context.shape;
    return {
      mark: readIdentityMark(cells[identityAt]?.text ?? ''),
      path: cells[fileAt]?.text ?? '',
      holder: cells[holderAt]?.text ?? '',
    };
  }

  /** Judges a non-empty row. */
  take(row: number, cells: readonly TableCell[], found: FoundRow | LostRow): { readonly cells: TakeBackCell[]; readonly issue: TakeBackIssue | null } {
    const { shape } = this.context;
    this.tally.rows++;
    const own = this.long ? 1 : shape.columns.length;
    this.tally.ignored += shape.ignored.length;
    this.tally.total += own + shape.ignored.length;
    const lost = (code: TakeBackIssue['code'], message: string) => {
      this.tally.notTaken += own;
      return { cells: [], issue: { row, code, message, cells: own } };
    };
    if ('message' in found) return lost(found.code, found.message);
    let columns: readonly { readonly at: number; readonly property: Property }[] = shape.columns;
    if (this.long) {
      const name = cells[shape.propertyAt]?.text ?? '';
      const property = this.context.named(name);
      if (!property) return lost('unknown-column', `The schema has no property ${JSON.stringify(name)}.`);
      columns = [{ at: shape.valueAt, property }];
    }
    const key = `${found.file.id}/${found.holder}${this.long ? `/${columns[0]!.property.id}` : ''}`;
    const earlier = this.seen.get(key);
    if (earlier !== undefined) return lost('row-twice', `${found.file.path} is already in row ${earlier}.`);
    this.seen.set(key, row);
    if (found.sendOut !== null) this.backs.add(found.sendOut);
    const told: TakeBackCell[] = [];
    for (const { at, property } of columns) {
      const verdict = judgeCell(cells[at] ?? BLANK_CELL, property, found, this.context, row);
      this.tally[verdict === 'unchanged' ? 'unchanged' : verdict.verdict]++;
      if (verdict !== 'unchanged') told.push(verdict);
    }
    return { cells: told, issue: null };
  }
}

function judgeCell(written: TableCell, property: Property, found: FoundRow, context: TakeBackContext, row: number): TakeBackCell | 'unchanged' {
  const { file } = found;
  const cell = inPlainForm(written, property, context.decimal);
  const current = found.current(property.id);
  const sent = found.base(property.id);
  const base = sent === undefined ? current : sent;
  if (says(cell, base, property)) return 'unchanged';
  const shared = { row, file: file.id, holder: found.holder, property: property.id, base, current, text: written.text, proven: false };
  const error = (code: string, message: string): TakeBackCell => ({ ...shared, verdict: 'error', proposed: null, takeable: false, code, message });
  const own = forClass(property, file.className);
  const odd = spoiled(cell, base?.text ?? null, property.type);
  const reach = () => {
    if (!property.kinds.includes(file.kind)) return error('not-reached', `${property.caption} does not apply to a ${file.kind}.`);
    if (!reaches(property, file.kind, file.className))
      return error('not-reached', `${property.caption} does not apply to files of the class ${file.className ?? 'none'}.`);
    if (!isHeldAt(property, found.level)) return error('not-reached', `${property.caption} is held at ${property.level} level, not by a ${found.level}.`);
    const closed = whyNotChanged(own, { role: context.role, kind: file.kind, className: file.className, state: file.state });
    if (closed !== null) return error('computed', `${property.caption} ${closed}.${property.system ? ' Store imported values in a separate property.' : ''}`);
    if (!found.editable(property.id)) return error('read-only', `${property.caption} was sent out read-only.`);
    if (file.lock !== null) return error('locked', `${file.path} ${file.lock}.`);
    return null;
  };
  const shut = reach();
  if (shut && !odd?.proven) return shut;
  if (!odd && says(cell, current, property))
    return { ...shared, verdict: 'same', proposed: current, takeable: false, code: 'same', message: 'Rule already holds this value.' };
  if (odd) {
    const check = odd.code === 'error cell' || odd.code === 'unreadable cell' ? null : checkProposed(cell.text, own, context.standIns);
    return {
      ...shared,
      verdict: 'spoiled',
      proposed: check?.ok ? check.held : null,
      takeable: (check?.ok ?? false) && shut === null,
      proven: odd.proven,
      code: odd.code,
      message: check && !check.ok ? `${odd.message} As it is, it ${check.violations[0]!.message}.` : odd.message,
    };
  }
  const check = checkProposed(cell.text, own, context.standIns);
  if (!check.ok) return error(check.violations[0]!.code, `${property.caption}: ${check.violations.map((v) => v.message).join('; ')}.`);
  if (context.onlyBlanks && current !== null && current.text !== '' && !context.standIns.matches(current.text))
    return error('filled-already', 'Rule already holds a value, and only blanks are filled.');
  const done = (verdict: 'change' | 'conflict', code: string, message: string): TakeBackCell => ({
    ...shared,
    verdict,
    proposed: check.held,
    takeable: true,
    code,
    message,
  });
  if (!sameHeld(base, current)) return done('conflict', 'conflict', 'Changed in Rule after it was sent out.');
  return done('change', 'change', base === null || base.text === '' ? 'fills a blank' : check.held === null ? 'blanks the value' : 'changes the value');
}
