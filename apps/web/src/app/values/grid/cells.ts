import { Signal } from '@angular/core';
import { GridRow, TrayLine } from '@rule/contract';
import { Change, Property, checkProposed, forClass, judge, whyNotChanged } from '@rule/core/schema';
import { HeldValue, StandIns, editText } from '@rule/core/values';
import { ShownCell, lineKey, lockWords, showCell } from '../../shared';
import { addressOf, cellKey, has, holderOf } from './rows';
import { ChosenCell, GridEdit } from './types';

/** How a cell is drawn. */
export interface CellView {
  readonly column: number;
  readonly property: Property;
  readonly shown: ShownCell;
  readonly line: TrayLine | null;
  readonly closed: string | null;
  readonly mark: string | null;
  readonly title: string;
  readonly num: boolean;
  /** Whether the only problem is staleness, and whether a required value is missing. */
  readonly stale: boolean;
  readonly missing: boolean;
}

export const isNumber = (property: Property): boolean => property.type === 'number' || property.type === 'whole';

/** Tooltip of a cell. */
function titleOf(shown: ShownCell, line: TrayLine | null, closed: string | null, mark: string | null): string {
  return [
    mark ? `not taken: ${mark}` : '',
    shown.kind === 'value' || shown.kind === 'unreadable' || shown.kind === 'stale' ? shown.text : '',
    shown.violations.map((violation) => violation.message).join('; '),
    line ? `pending, now ${line.current?.text ?? 'blank'}` : '',
    shown.kind === 'not-reached' ? '' : closed,
  ]
    .filter(Boolean)
    .join(' · ');
}

/** What the cells of a grid rest on. */
export interface CellGrounds {
  readonly columns: Signal<readonly Property[]>;
  readonly standIns: Signal<StandIns>;
  readonly pending: Signal<ReadonlyMap<string, TrayLine>>;
  readonly role: Signal<Change['role']>;
  /** Faults of a refused block, by cell. */
  readonly marks: Signal<ReadonlyMap<string, string>>;
}

/** What the cells of a grid hold and show, and what may be written into them. */
export class GridCells {
  private readonly known = new WeakMap<GridRow, Map<Property, { readonly line: TrayLine | null; readonly shown: ShownCell }>>();

  constructor(private readonly grid: CellGrounds) {}

  /** A cell as it is drawn; what it shows is worked out again only when its tray line changes. */
  at(row: GridRow, column: number): CellView {
    const property = this.grid.columns()[column - 1]!;
    const line = this.pendingOf(row, property);
    const known = this.known.get(row) ?? new Map<Property, { line: TrayLine | null; shown: ShownCell }>();
    this.known.set(row, known);
    let entry = known.get(property);
    if (entry?.line !== line) {
      entry = { line, shown: this.show(row, property) };
      known.set(property, entry);
    }
    const closed = this.closedBy(row, property);
    const mark = this.grid.marks().get(cellKey(row.file.id, holderOf(row, property), property.id)) ?? null;
    const { violations } = entry.shown;
    return {
      column,
      property,
      shown: entry.shown,
      line,
      closed,
      mark,
      title: titleOf(entry.shown, line, closed, mark),
      num: isNumber(property),
      stale: violations.length > 0 && violations.every((violation) => violation.code === 'stale'),
      missing: violations.some((violation) => violation.code === 'required'),
    };
  }

  /** Everything about a cell that is selected; without a property, about its file. */
  chosen(row: GridRow, property: Property | null): ChosenCell {
    return {
      row,
      property,
      held: property ? this.heldOf(row, property) : null,
      shown: property ? this.show(row, property) : null,
      pending: property ? this.pendingOf(row, property) : null,
    };
  }

  /** A cell's text for editing and copying. */
  textOf(row: GridRow | null, property: Property | null): string {
    if (!row) return '';
    if (!property) return row.holder ? `${row.file.path} · ${row.holder.label}` : row.file.path;
    if (!has(row, property)) return '';
    const cell = judge(this.heldOf(row, property), property, this.grid.standIns());
    return cell.state === 'value' ? editText(cell.value, property) : cell.state === 'blank' ? '' : cell.text;
  }

  /** Why a cell is not writable. */
  barred(row: GridRow, property: Property): string | null {
    if (!has(row, property)) return `does not apply to this ${row.holder?.level ?? row.file.kind}`;
    if (row.file.problem !== null) return 'the file could not be read';
    return this.closedBy(row, property) ?? (row.file.lock === null ? null : `the file ${lockWords(row.file)}`);
  }

  /** What is wrong with a text for a cell. */
  wrong(text: string, row: GridRow, property: Property): string | null {
    const check = checkProposed(text, forClass(property, row.file.class), this.grid.standIns());
    return check.ok ? null : check.violations.map((violation) => violation.message).join('; ');
  }

  edited(row: GridRow, property: Property, text: string): GridEdit {
    const holder = holderOf(row, property);
    return { file: row.file.id, ...(holder === '' ? {} : { holder }), property: property.id, text };
  }

  private pendingOf(row: GridRow, property: Property): TrayLine | null {
    return this.grid.pending().get(lineKey(addressOf(row, property))) ?? null;
  }
  private heldOf(row: GridRow, property: Property): HeldValue | null {
    const line = this.pendingOf(row, property);
    return line ? line.proposed : (row.held[property.id] ?? null);
  }
  private show(row: GridRow, property: Property): ShownCell {
    if (!has(row, property)) return { kind: 'not-reached', text: '', violations: [] };
    const own = forClass(property, row.file.class);
    const shown = showCell(this.heldOf(row, property), own, this.grid.standIns());
    if (this.pendingOf(row, property)) return shown;
    // The server's findings consider context; new entries are checked locally.
    const findings = row.findings.filter((finding) => finding.property === property.id);
    const stale = findings.find((finding) => finding.code === 'stale');
    const violations = findings.map(({ code, message }) => ({ code, message }));
    return stale?.wanted && shown.kind === 'placeholder'
      ? { ...showCell(stale.wanted, own, this.grid.standIns()), kind: 'stale', violations }
      : { ...shown, violations };
  }

  /** Why the user may not type here. */
  private closedBy(row: GridRow, property: Property): string | null {
    const { kind, class: className, state } = row.file;
    return whyNotChanged(property, { role: this.grid.role(), kind, className, state: state ?? null });
  }
}
