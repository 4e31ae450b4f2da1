import { Clause } from '@rule/contract';
import { Sql } from '../platform/db';
import { clausesSql } from './filter';

/**
 * Assigns every file its project and drawing set: by manual choice, or else the first matching rule that nobody excluded it from. One
 * statement per level.
 */
export async function assignWide(sql: Sql, files: readonly number[] | null): Promise<void> {
  const holders = await sql.all<{ id: number; level: string; clauses: readonly Clause[] }>(
    `SELECT id, level, clauses FROM wide_holders WHERE NOT removed AND level <> 'company' ORDER BY position, id`,
  );
  for (const [level, column] of [
    ['project', 'project_id'],
    ['drawing set', 'set_id'],
  ] as const) {
    const bind: unknown[] = [files, level];
    const cases = holders
      .filter((holder) => holder.level === level && holder.clauses.length > 0)
      .map(({ id, clauses }) => {
        const condition = clausesSql(clauses, bind.length + 1);
        bind.push(...condition.bind);
        return `WHEN (${condition.sql}) AND NOT EXISTS (SELECT 1 FROM wide_members x WHERE x.holder_id = ${id} AND x.file_id = f.id AND NOT x.member) THEN ${id}`;
      });
    const byRule = cases.length ? `(CASE ${cases.join(' ')} END)` : 'NULL';
    // Only drawings belong to drawing sets.
    const kinds = level === 'drawing set' ? `f.kind = 'drawing' AND ` : '';
    await sql.run(
      `UPDATE files t SET ${column} = n.holder FROM (
         SELECT f.id, (CASE WHEN ${kinds} true THEN coalesce(
           (SELECT m.holder_id FROM wide_members m JOIN wide_holders w ON w.id = m.holder_id AND w.level = $2 AND NOT w.removed
               WHERE m.file_id = f.id AND m.member ORDER BY w.position, w.id LIMIT 1),
           ${byRule}) END)::int AS holder
         FROM files f WHERE NOT f.removed AND ($1::int[] IS NULL OR f.id = ANY($1::int[]))) n
       WHERE t.id = n.id AND t.${column} IS DISTINCT FROM n.holder`,
      bind,
    );
  }
}
