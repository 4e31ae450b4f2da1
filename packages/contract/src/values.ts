import { Place } from '@rule/core/files';
import { InnerLevel, Kind, Origin, PropertyLevel, Violation } from '@rule/core/schema';
import { Verdict } from '@rule/core/changes';
import { Severity } from '@rule/core/survey';
import { HeldValue } from '@rule/core/values';
import { FileRow } from './files';

/** Subjects of clauses: file name, folder, kind, class, a value by written name, a field of the file, or a record field. */
export const SUBJECTS = ['file name', 'folder', 'kind', 'class', 'value', 'field', 'record field'] as const;

/** Subjects that need a name beside them. */
export const NAMED_SUBJECTS: readonly Clause['subject'][] = ['value', 'field', 'record field'];

/** Subjects available when files are read; records may change at any time. */
export const FILE_SUBJECTS = SUBJECTS.filter((subject) => subject !== 'record field');

/** Operators. The last four compare numbers and ISO 8601 dates by size; the first two compare exact text. */
export const OPERATORS = ['is', 'is not', 'contains', 'starts with', 'ends with', 'is filled', 'is blank', 'is a stand-in', '<', '≤', '≥', '>'] as const;

/** A condition on a file. All clauses of a list must hold. */
export interface Clause {
  readonly subject: (typeof SUBJECTS)[number];
  /** Name for the last three subjects. */
  readonly name?: string;
  readonly operator: (typeof OPERATORS)[number];
  readonly text?: string;
}

/** A file filter. */
export interface FileFilter {
  readonly library?: number;
  readonly folder?: string;
  readonly kind?: Kind;
  /** Class number; 0 for none. */
  readonly class?: number;
  readonly search?: string;
  readonly where?: readonly Clause[];
  /** Assembly number: files below it. */
  readonly assembly?: number;
  /** Project or drawing set number. */
  readonly within?: number;
  /** Files with missing, stale or invalid values. */
  readonly finding?: FindingKind;
}

/** Kinds of findings for filters and counts. */
export const FINDING_KINDS = ['missing', 'stale', 'wrong'] as const;

/** One of {@link FINDING_KINDS}. */
export type FindingKind = (typeof FINDING_KINDS)[number];

/** Operators without text. */
const TEXTLESS: readonly Clause['operator'][] = ['is filled', 'is blank', 'is a stand-in'];

/** What is missing in a condition; `null` if complete. */
export function clauseProblem({ subject, name = '', operator, text = '' }: Clause): string | null {
  const named = NAMED_SUBJECTS.includes(subject);
  if (named && name.trim() === '') return 'Enter the value to compare.';
  if (TEXTLESS.includes(operator) || text !== '') return null;
  // The top folder has an empty name.
  if (subject === 'folder' && (operator === 'is' || operator === 'is not')) return null;
  return `Enter what to compare with${named ? ', or choose "is blank"' : ''}.`;
}

/** Grouping of rows: folder, kind, class, or a property's number. */
export type GroupBy = 'folder' | 'kind' | 'class' | `${number}`;

/** Groups in order; an empty text is the group of blanks. */
export interface GridGroup {
  readonly text: string;
  readonly files: number;
}

/** Set-up of the grid. */
export interface GridViewContent {
  /** Columns by property number; all applicable if empty. */
  readonly columns: readonly number[];
  /** Frozen columns. */
  readonly frozen: number;
  readonly widths: Readonly<Record<number, number>>;
  readonly sort: string;
  readonly descending: boolean;
  readonly group: GroupBy | null;
  /** Level of rows; absent in older views. */
  readonly level?: InnerLevel | null;
  readonly filter: FileFilter;
}

/** A view to save. */
export interface GridViewDraft {
  readonly name: string;
  readonly shared: boolean;
  readonly content: GridViewContent;
}

/** A saved view with its owner. */
export interface GridView extends GridViewDraft {
  readonly id: number;
  readonly by: string;
  readonly mine: boolean;
}

/** Why a cell has its value. */
export interface CellReason {
  readonly held: HeldValue | null;
  readonly value: HeldValue | null;
  readonly origin: Origin;
  /** The name actually holding the value, if different. */
  readonly otherName: string | null;
  readonly violations: readonly string[];
  /** Target value by rule, model or inheritance. */
  readonly wanted: HeldValue | null;
  readonly stale: boolean;
  /** Source of inheritance: model path, or holder name. */
  readonly from: string | null;
  readonly rule: string | null;
  readonly steps: readonly { readonly text: string; readonly depth: number; readonly values: readonly string[] }[];
  readonly failure: string | null;
  /** Last change made through Rule. */
  readonly changed: { readonly by: string; readonly at: string; readonly changeSet: number; readonly title: string; readonly before: string | null } | null;
  /** Last external change and author, if stated. */
  readonly savedBy: string | null;
}

/** A grid query. */
export interface GridQuery extends FileFilter {
  /** Level of rows; files if absent. */
  readonly level?: InnerLevel;
  readonly group?: GroupBy;
  /** `file`, or a property number. */
  readonly sort: string;
  readonly descending: boolean;
  readonly offset: number;
  readonly limit: number;
}

/** A finding about a value. */
export interface CellFinding {
  readonly property: number;
  readonly code: Violation['code'];
  readonly message: string;
  /** Target of a stale or renamed value; `null` for blank or unknown. */
  readonly wanted: HeldValue | null;
}

/** A holder with its own row. */
export interface GridHolder {
  readonly key: string;
  readonly level: InnerLevel;
  readonly label: string;
  /** Home cells of sheet values, by property number. */
  readonly homes: Readonly<Record<number, string>>;
}

/** A file or holder with values by property number; the file's own values are separate. */
export interface GridRow {
  readonly file: FileRow;
  readonly holder?: GridHolder;
  readonly held: Readonly<Record<number, HeldValue>>;
  /** Findings, including those about missing values. */
  readonly findings: readonly CellFinding[];
}

/** A page of the grid with the total. */
export interface GridPage {
  readonly total: number;
  readonly rows: readonly GridRow[];
}

/** A value to write, as text; empty to clear. */
export interface ProposedValue {
  /** A file's number, or negative for a wide holder. */
  readonly file: number;
  /** Holder key; absent for the document. */
  readonly holder?: string;
  readonly property: number;
  readonly text: string;
}

/** Typed values for the tray. */
export interface ProposedValues {
  readonly values: readonly ProposedValue[];
  readonly reason: string;
}

/** Maximum values per request. */
export const MOST_FOUND = 50_000;

/** Search and replacement; see `replaceIn` in the core. */
export interface ReplacementRequest {
  readonly filter: FileFilter;
  readonly properties: readonly number[];
  readonly find: string;
  readonly by: string;
  /** Whether the whole value must match. Required for an empty search, which matches blanks. */
  readonly whole: boolean;
  readonly matchCase: boolean;
}

/** A value that would be replaced. */
export interface ReplacementLine {
  readonly file: number;
  readonly path: string;
  readonly property: number;
  readonly before: string;
  readonly after: string;
  /** Why it cannot be replaced. */
  readonly problem: string | null;
}

/** Preview of find and replace. */
export interface ReplacementPreview {
  readonly values: readonly ReplacementLine[];
  /** Whether there are more. */
  readonly more: boolean;
}

/** States of lines. */
export type LineState = 'pending' | 'applied' | 'failed';

/** A line of a change set. */
export interface LineRow {
  readonly id: number;
  readonly file: number;
  readonly path: string;
  readonly holder: string;
  /** Level of the holder; `null` for the file and for removed holders. */
  readonly holderLevel: PropertyLevel | null;
  readonly holderLabel: string | null;
  readonly place: Place;
  readonly name: string;
  readonly base: HeldValue | null;
  readonly proposed: HeldValue | null;
  readonly reason: string;
  readonly follows: boolean;
  readonly accepted: boolean;
  readonly state: LineState;
  readonly message: string | null;
}

/** A pending line with the current value. */
export interface TrayLine extends LineRow {
  readonly current: HeldValue | null;
  readonly verdict: Verdict;
  /** Why it cannot be applied: a lock, or a retired property. */
  readonly refused: string | null;
  /** Other users with a pending line at this address. */
  readonly alsoPending: readonly string[];
}

/** Counts of pending lines. */
export interface TrayCounts {
  readonly lines: number;
  readonly accepted: number;
  readonly files: number;
  /** Accepted lines that cannot be applied. */
  readonly undecided: number;
}

/** Maximum lines in an answer; undecided ones come first. */
export const MOST_TRAY_LINES = 5000;

/** Steps that can be undone and redone. */
export interface TraySteps {
  readonly undo: number;
  readonly redo: number;
}

/** A user's pending changes. */
export interface Tray {
  readonly counts: TrayCounts;
  readonly steps: TraySteps;
  readonly lines: readonly TrayLine[];
}

/** A file left out of an action, with the reason. */
export interface LockedOut {
  readonly file: number;
  readonly path: string;
  readonly reason: string;
}

/** The tray after adding values, with files left out. */
export interface ProposedAnswer extends Tray {
  readonly left: readonly LockedOut[];
}

/** `whole`: all or none. `file by file`: each file separately. */
export const APPLY_MODES = ['whole', 'file by file'] as const;

/** One of {@link APPLY_MODES}. */
export type ApplyMode = (typeof APPLY_MODES)[number];

/** Mode and title of an apply. */
export interface ApplyTray {
  readonly mode: ApplyMode;
  readonly title: string;
}

/** Pending lines by number, or all. */
export interface TrayLines {
  /** Line numbers, or all. */
  readonly lines: readonly number[] | 'all';
}

/** Lines to accept or deselect. */
export interface AcceptLines extends TrayLines {
  readonly accepted: boolean;
}

/** Files, or wide holders by negative numbers. */
export interface TrayFiles {
  readonly files: readonly number[];
}

/** Whether to undo or redo. */
export interface UndoStep {
  /** Whether to redo. */
  readonly again: boolean;
}

/** A page of history, before a number. */
export interface HistoryQuery {
  /** Only older sets. */
  readonly before?: number;
  readonly limit: number;
}

/** How to settle a conflict. */
export interface SettleLine {
  readonly line: number;
  readonly take: 'mine' | 'theirs';
}

/** Values to update: of some files, or all matching a filter. */
export interface UpToDate {
  readonly files?: readonly number[];
  readonly filter?: FileFilter;
  /** Properties; all computed ones if absent. */
  readonly properties?: readonly number[];
}

/** Outcome: added lines, locked files, and values that would become blank. */
export interface BroughtUpToDate {
  readonly lines: number;
  readonly barred: number;
  readonly blanks: number;
}

/** A finding of a check. */
export interface CheckRow {
  readonly file: number;
  readonly path: string;
  readonly severity: Severity;
  readonly code: string;
  readonly name: string | null;
  readonly message: string;
}

/** A page of a check; `null` at the end. */
export interface CheckPage {
  readonly files: number;
  readonly last: number | null;
  readonly rows: readonly CheckRow[];
}

/** A page of files after a number. */
export interface CheckQuery {
  readonly library: number;
  readonly after: number;
}

/** Outcome of a change set. */
export interface ApplyReport {
  readonly changeSet: number;
  readonly state: 'applied' | 'partly applied' | 'put back';
  readonly applied: number;
  readonly failed: number;
  readonly files: number;
  readonly failures: readonly { readonly path: string; readonly message: string }[];
}

/** A started apply: its report if it finished soon, or the job. */
export interface ApplyStarted {
  readonly job: number;
  readonly report: ApplyReport | null;
}

/** A change set in history. */
export interface ChangeSetRow {
  readonly id: number;
  readonly title: string;
  readonly by: string;
  readonly at: string;
  readonly mode: ApplyMode;
  /** `applying`: being written, or interrupted and not recovered yet. */
  readonly state: 'applying' | 'applied' | 'partly applied' | 'put back';
  /** Why it is not recovered yet. */
  readonly problem: string | null;
  readonly lines: number;
  readonly files: number;
  readonly revertOf: number | null;
  readonly revertedBy: number | null;
}
