import { Sql } from '../platform/db';

/** Marks reserved numbers as used once a change set has written them. A revert does not release them. */
export const markUsed = (sql: Sql, changeSet: number): Promise<number> =>
  sql.run(
    `UPDATE series_numbers n SET state = 'used', file_id = l.file_id FROM change_lines l
       WHERE l.change_set_id = $1 AND l.state = 'applied' AND l.place IN ('property', 'field')
       AND n.text = l.proposed->>'text' AND n.state <> 'used' AND (n.file_id = l.file_id OR n.file_id IS NULL)`,
    [changeSet],
  );
