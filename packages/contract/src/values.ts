import { Place } from '@rule/core/files';
import { InnerLevel, Kind, Origin, PropertyLevel, Violation } from '@rule/core/schema';
import { Verdict } from '@rule/core/changes';
import { Severity } from '@rule/core/survey';
import { HeldValue } from '@rule/core/values';
import { FileRow } from './files';

/** What a clause looks at: the file's own name, folder, kind or class, a value by its written name, one of the file's own fields, or a field of its record. */
export const SUBJECTS = ['file name', 'folder', 'kind', 'class', 'value', 'field', 'record field'] as const;

/** Subjects that need a name beside them. */
export const NAMED_SUBJECTS: readonly Clause['subject'][] = ['value', 'field', 'record field'];

/** Subjects for what is worked out when a file is read: the vault may change a record at any time. */
export const FILE_SUBJECTS = SUBJECTS.filter((subject) => subject !== 'record field');

/** Comparisons. Numbers and dates (ISO 8601) compare by size with the last four; text to the letter with the first two. */
export const OPERATORS = ['is', 'is not', 'contains', 'starts with', 'ends with', 'is filled', 'is blank', 'is a stand-in', '<', '≤', '≥', '>'] as const;

/** One condition on a file. All clauses of a list must hold. */
export interface Clause {
  readonly subject: (typeof SUBJECTS)[number];
  /** Written name or field, for the last three subjects. */
  readonly name?: string;
  readonly operator: (typeof OPERATORS)[number];
  readonly text?: string;
}

/** Which files a view is about. */
export interface FileFilter {
  readonly library?: number;
  readonly folder?: string;
  readonly kind?: Kind;
  /** Number of a class; 0 for files that belong to none. */
  readonly class?: number;
  readonly search?: string;
  readonly where?: readonly Clause[];
  /** Number of an assembly: the files of the parts and assemblies below it. */
  readonly assembly?: number;
  /** Number of a project or drawing set. */
  readonly within?: number;
  /** Files that lack a required value, hold a stale one, or one that breaks the schema. */
  readonly finding?: FindingKind;
}

/** What can be the matter with values, as files are filtered and counted by it. */
export const FINDING_KINDS = ['missing', 'stale', 'wrong'] as const;

/** One of {@link FINDING_KINDS}. */
export type FindingKind = (typeof FINDING_KINDS)[number];

/** Comparisons that need no text. */
const TEXTLESS: readonly Clause['operator'][] = ['is filled', 'is blank', 'is a stand-in'];

/** What keeps a condition from saying anything: a name or a text that is missing. `null` when it is whole. */
export function clauseProblem({ subject, name = '', operator, text = '' }: Clause): string | null {
  const named = NAMED_SUBJECTS.includes(subject);
  if (named && name.trim() === '') return 'Enter the value to compare.';
  if (TEXTLESS.includes(operator) || text !== '') return null;
  // Files in the top folder of a library are in the folder with the empty name.
  if (subject === 'folder' && (operator === 'is' || operator === 'is not')) return null;
  return `Enter what to compare with${named ? ', or choose "is blank"' : ''}.`;
}

/** What rows of the grid are grouped by: a folder, kind or class, or a property's number. */
export type GroupBy = 'folder' | 'kind' | 'class' | `${number}`;

/** Groups of the grid's rows, in their order. An empty text is the group of blanks. */
export interface GridGroup {
  readonly text: string;
  readonly files: number;
}

/** How the grid is set up, to be kept under a name. */
export interface GridViewContent {
  /** Properties by number, in the order of their columns; all that apply when empty. */
  readonly columns: readonly number[];
  /** Columns beside the file name that stay in sight. */
  readonly frozen: number;
  readonly widths: Readonly<Record<number, number>>;
  readonly sort: string;
  readonly descending: boolean;
  readonly group: GroupBy | null;
  /** What inside files has a row of its own; absent in views that earlier versions kept. */
  readonly level?: InnerLevel | null;
  readonly filter: FileFilter;
}

/** A set-up of the grid to be kept under a name. */
export interface GridViewDraft {
  readonly name: string;
  readonly shared: boolean;
  readonly content: GridViewContent;
}

/** A kept set-up of the grid, with whose it is. */
export interface GridView extends GridViewDraft {
  readonly id: number;
  readonly by: string;
  readonly mine: boolean;
}

/** Why a cell of the grid is as it is. */
export interface CellReason {
  readonly held: HeldValue | null;
  readonly value: HeldValue | null;
  readonly origin: Origin;
  /** The written name under which the value stands, where that is another one. */
  readonly otherName: string | null;
  readonly violations: readonly string[];
  /** What a rule, a model or what stands above says it should be. */
  readonly wanted: HeldValue | null;
  readonly stale: boolean;
  /** What it is inherited from: the model's path, or the name of the project or set. */
  readonly from: string | null;
  readonly rule: string | null;
  readonly steps: readonly { readonly text: string; readonly depth: number; readonly values: readonly string[] }[];
  readonly failure: string | null;
  /** The last change that came through Rule. */
  readonly changed: { readonly by: string; readonly at: string; readonly changeSet: number; readonly title: string; readonly before: string | null } | null;
  /** When the file was last written by another program, and who its program names, where it says so. */
  readonly savedBy: string | null;
}

/** A page of the grid: which files, in which order. */
export interface GridQuery extends FileFilter {
  /** Rows are what is inside files at this level; files themselves when absent. */
  readonly level?: InnerLevel;
  readonly group?: GroupBy;
  /** `file`, or a property's number. */
  readonly sort: string;
  readonly descending: boolean;
  readonly offset: number;
  readonly limit: number;
}

/** Something that is to be said of a value: what is missing, stale, or breaks the schema. */
export interface CellFinding {
  readonly property: number;
  readonly code: Violation['code'];
  readonly message: string;
  /** What should be there, of a value that is stale or is under another name; `null` for a blank, and where nothing is known. */
  readonly wanted: HeldValue | null;
}

/** A holder inside a file, where the grid has a row for each. */
export interface GridHolder {
  readonly key: string;
  readonly level: InnerLevel;
  readonly label: string;
  /** Cells that are the homes of values of a sheet, by property number. */
  readonly homes: Readonly<Record<number, string>>;
}

/** One file, or one holder inside it, with what it holds for the properties of the schema, by property number. What the file itself holds is beside. */
export interface GridRow {
  readonly file: FileRow;
  readonly holder?: GridHolder;
  readonly held: Readonly<Record<number, HeldValue>>;
  /** What is to be said of its values; of a value that is blank because it is missing, too. */
  readonly findings: readonly CellFinding[];
}

/** One page of the grid, with how many files there are. */
export interface GridPage {
  readonly total: number;
  readonly rows: readonly GridRow[];
}

/** A value that someone wants to write, as text. An empty text blanks the property. */
export interface ProposedValue {
  /** A file's number, or the negative number of a company, project or drawing set. */
  readonly file: number;
  /** Key of a holder inside the file; the document itself when absent. */
  readonly holder?: string;
  readonly property: number;
  readonly text: string;
}

/** Values that someone typed, for the tray. */
export interface ProposedValues {
  readonly values: readonly ProposedValue[];
  readonly reason: string;
}

/** Values that can be proposed at once at most; as many are found at once for a replacement. */
export const MOST_FOUND = 50_000;

/** What is looked for in the values of files, and what takes its place; see `replaceIn` in the core. */
export interface ReplacementRequest {
  readonly filter: FileFilter;
  readonly properties: readonly number[];
  readonly find: string;
  readonly by: string;
  /** Whether the whole value must be what is looked for. Only then may it be nothing: blanks. */
  readonly whole: boolean;
  readonly matchCase: boolean;
}

/** A value that find and replace would change. */
export interface ReplacementLine {
  readonly file: number;
  readonly path: string;
  readonly property: number;
  readonly before: string;
  readonly after: string;
  /** Why it cannot be replaced. */
  readonly problem: string | null;
}

/** What find and replace would change. */
export interface ReplacementPreview {
  readonly values: readonly ReplacementLine[];
  /** Whether there are more than one answer lists. */
  readonly more: boolean;
}

/** What a line is doing in the tray or how it fared. */
export type LineState = 'pending' | 'applied' | 'failed';

/** A line of a change set. */
export interface LineRow {
  readonly id: number;
  readonly file: number;
  readonly path: string;
  readonly holder: string;
  /** What the holder inside the file is: a body, an occurrence …; `null` for the file itself, and for a holder that is there no more. */
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

/** A pending line with what is at its address now. */
export interface TrayLine extends LineRow {
  readonly current: HeldValue | null;
  readonly verdict: Verdict;
  /** Why the line cannot be applied although nobody changed the value: a lock, a retired property. */
  readonly refused: string | null;
  /** Others who have a pending line to the same address. */
  readonly alsoPending: readonly string[];
}

/** What waits in a tray, all lines counted. */
export interface TrayCounts {
  readonly lines: number;
  readonly accepted: number;
  readonly files: number;
  /** Accepted lines that cannot be applied as they are. */
  readonly undecided: number;
}

/** Lines that an answer holds at most; those that need a decision come first. */
export const MOST_TRAY_LINES = 5000;

/** Typed steps that can be undone, and those that can be done again. */
export interface TraySteps {
  readonly undo: number;
  readonly redo: number;
}

/** What waits for a person. */
export interface Tray {
  readonly counts: TrayCounts;
  readonly steps: TraySteps;
  readonly lines: readonly TrayLine[];
}

/** A file that an action left out because it cannot be written now, with the reason as a sentence. */
export interface LockedOut {
  readonly file: number;
  readonly path: string;
  readonly reason: string;
}

/** The tray after typed values were put in it, and the files that were left out. */
export interface ProposedAnswer extends Tray {
  readonly left: readonly LockedOut[];
}

/** `whole`: all accepted lines or none. `file by file`: every file for itself. */
export const APPLY_MODES = ['whole', 'file by file'] as const;

/** One of {@link APPLY_MODES}. */
export type ApplyMode = (typeof APPLY_MODES)[number];

/** How the tray is applied, and under which title. */
export interface ApplyTray {
  readonly mode: ApplyMode;
  readonly title: string;
}

/** Pending lines by their numbers, or all. */
export interface TrayLines {
  /** Numbers of lines, or all that wait. */
  readonly lines: readonly number[] | 'all';
}

/** Pending lines to be accepted or set aside. */
export interface AcceptLines extends TrayLines {
  readonly accepted: boolean;
}

/** Files, or projects and sets by their negative numbers, whose pending lines are asked for. */
export interface TrayFiles {
  readonly files: readonly number[];
}

/** Whether the last typed step is taken back or done again. */
export interface UndoStep {
  /** Whether the last undone step is done again. */
  readonly again: boolean;
}

/** A page of what was kept, before some number. */
export interface HistoryQuery {
  /** Only change sets older than the one of this number. */
  readonly before?: number;
  readonly limit: number;
}

/** How a conflict is settled. */
export interface SettleLine {
  readonly line: number;
  readonly take: 'mine' | 'theirs';
}

/** Values that are to be brought up to date: of some files, or of all that a filter takes in. */
export interface UpToDate {
  readonly files?: readonly number[];
  readonly filter?: FileFilter;
  /** Properties; all that are computed when absent. */
  readonly properties?: readonly number[];
}

/** What came of it: lines in the tray, files that cannot be written now, and values that would become blank and stay. */
export interface BroughtUpToDate {
  readonly lines: number;
  readonly barred: number;
  readonly blanks: number;
}

/** One finding of a check, by file. */
export interface CheckRow {
  readonly file: number;
  readonly path: string;
  readonly severity: Severity;
  readonly code: string;
  readonly name: string | null;
  readonly message: string;
}

/** A page of a check: the files after one number, and the last of them; `null` behind the end. */
export interface CheckPage {
  readonly files: number;
  readonly last: number | null;
  readonly rows: readonly CheckRow[];
}

/** A page of the files of a library, after some number. */
export interface CheckQuery {
  readonly library: number;
  readonly after: number;
}

/** What happened to a change set. */
export interface ApplyReport {
  readonly changeSet: number;
  readonly state: 'applied' | 'partly applied' | 'put back';
  readonly applied: number;
  readonly failed: number;
  readonly files: number;
  readonly failures: readonly { readonly path: string; readonly message: string }[];
}

/** An apply that was begun: what came of it where it ended soon, or else the job that goes on. */
export interface ApplyStarted {
  readonly job: number;
  readonly report: ApplyReport | null;
}

/** A change set in the history. */
export interface ChangeSetRow {
  readonly id: number;
  readonly title: string;
  readonly by: string;
  readonly at: string;
  readonly mode: ApplyMode;
  /** `applying`: files are being written, or it was interrupted and waits to be finished or put back. */
  readonly state: 'applying' | 'applied' | 'partly applied' | 'put back';
  /** Why an interrupted set could not be finished so far. */
  readonly problem: string | null;
  readonly lines: number;
  readonly files: number;
  readonly revertOf: number | null;
  readonly revertedBy: number | null;
}
