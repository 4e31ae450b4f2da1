import { LineRow } from '@rule/contract';
import { Line } from '@rule/core/changes';
import { Sql, asRecordset } from '../platform/db';

/** The columns of a line row; needs {@link LINE_FROM}. */
export const LINE_ROW = `l.id, l.file_id AS file, f.path, l.holder, h.level AS "holderLevel", h.label AS "holderLabel", l.place, l.name, l.base, l.proposed, l.reason, l.follows, l.accepted, l.state, l.message`;

/** Source of line rows: lines with their files and holders. */
export const LINE_FROM = `change_lines l JOIN targets f ON f.id = l.file_id LEFT JOIN holders h ON h.file_id = l.file_id AND h.key = l.holder AND l.holder <> ''`;

/** The lines of a change set in their order. */
export const linesOf = (sql: Sql, changeSet: number): Promise<LineRow[]> =>
  sql.all<LineRow>(`SELECT ${LINE_ROW} FROM ${LINE_FROM} WHERE l.change_set_id = $1 ORDER BY l.id`, [changeSet]);

/** A line without what is looked up elsewhere for people: path and holder. */
export type StoredLine = Pick<LineRow, 'id' | 'file' | 'holder' | 'place' | 'name' | 'base' | 'proposed' | 'reason' | 'follows' | 'accepted'> & {
  readonly byRule: boolean;
};

/** The columns of a stored line `l`. */
export const STORED_LINE = 'l.id, l.file_id AS file, l.holder, l.place, l.name, l.base, l.proposed, l.reason, l.follows, l.accepted, l.by_rule AS "byRule"';

/** The stored lines of a change set in their order. */
export const storedLines = (sql: Sql, changeSet: number): Promise<StoredLine[]> =>
  sql.all<StoredLine>(`SELECT ${STORED_LINE} FROM change_lines l WHERE l.change_set_id = $1 ORDER BY l.id`, [changeSet]);

/** A stored line as the core knows lines. */
export const toLine = ({ file, holder, place, name, base, proposed, reason, follows }: Omit<StoredLine, 'id' | 'accepted' | 'byRule'>): Line => ({
  address: { file, holder, place, name },
  base,
  proposed,
  reason,
  follows,
});

/** A pending line, and whether it is accepted. */
export interface PendingLine {
  readonly line: Line;
  readonly accepted: boolean;
  /** Whether the schema asks for it, not a person: it needs nobody's permission. */
  readonly byRule?: boolean;
}

/** Adds the lines `$2` ({@link asLines}) to the change set `$1`. */
export const INSERT_LINES = `INSERT INTO change_lines (change_set_id, file_id, holder, place, name, base, proposed, reason, follows, accepted, by_rule)
  SELECT $1, file, holder, place, name, nullif(base, 'null'), nullif(proposed, 'null'), reason, follows, accepted, by_rule
  FROM jsonb_to_recordset($2::jsonb) AS n(file int, holder text, place text, name text, base jsonb, proposed jsonb, reason text,
      follows boolean, accepted boolean, by_rule boolean)`;

/** Lines as the parameter of {@link INSERT_LINES}. */
export const asLines = (lines: readonly PendingLine[]): string =>
  asRecordset(lines.map(({ line: { address, ...line }, accepted, byRule = false }) => ({ ...address, ...line, accepted, by_rule: byRule })));

/** A line that is accepted until somebody says otherwise. */
export const asAccepted = (line: Line): PendingLine => ({ line, accepted: true });

/** Accepted lines of a change set that a person made, whose permission counts when they are applied. */
export const typedLines = (sql: Sql, changeSet: number): Promise<StoredLine[]> =>
  sql.all<StoredLine>(`SELECT ${STORED_LINE} FROM change_lines l WHERE l.change_set_id = $1 AND l.accepted AND NOT l.follows AND NOT l.by_rule ORDER BY l.id`, [
    changeSet,
  ]);

/** Adds lines to a change set with one statement. */
export async function insertLines(sql: Sql, changeSet: number, lines: readonly PendingLine[]): Promise<void> {
  if (lines.length) await sql.run(INSERT_LINES, [changeSet, asLines(lines)]);
}
