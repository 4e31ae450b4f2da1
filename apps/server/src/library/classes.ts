import { ClassDraft, ClassRow } from '@rule/contract';
import { Db, Sql } from '../platform/db';
import { notFound, refused } from '../platform/problem';
import { clausesSql } from './filter';
import type { Scanner } from './scan';

/** The classes in matching order. */
export const readClasses = (sql: Sql): Promise<ClassRow[]> =>
  sql.all<ClassRow>(
    `SELECT c.id, c.name, c.clauses, c.stated_mass AS "statedMass", (SELECT count(*)::int FROM files f WHERE f.class_id = c.id AND NOT f.removed) AS files
     FROM classes c ORDER BY c.position, c.id`,
  );

/** Assigns every file its first matching class, in one statement. */
export async function assignClasses(sql: Sql, files: readonly number[] | null): Promise<void> {
  const classes = await sql.all<{ id: number; clauses: ClassRow['clauses'] }>('SELECT id, clauses FROM classes ORDER BY position, id');
  const bind: unknown[] = [files];
  const cases = classes.map(({ id, clauses }) => {
    const condition = clausesSql(clauses, bind.length + 1);
    bind.push(...condition.bind);
    return `WHEN ${condition.sql} THEN ${id}`;
  });
  const chosen = cases.length ? `(CASE ${cases.join(' ')} END)::int` : 'NULL::int';
  await sql.run(
    `UPDATE files t SET class_id = n.class
     FROM (SELECT f.id, ${chosen} AS class FROM files f WHERE NOT f.removed AND ($1::int[] IS NULL OR f.id = ANY($1::int[]))) n
     WHERE t.id = n.id AND t.class_id IS DISTINCT FROM n.class`,
    bind,
  );
}

/** The company's own classification of files. */
export class Classes {
  constructor(
    private readonly db: Db,
    private readonly scanner: Pick<Scanner, 'settle'>,
  ) {}

  list(): Promise<ClassRow[]> {
    return readClasses(this.db);
  }

  /** Stores all classes in order; omitted ones are deleted. */
  async save(drafts: readonly (ClassDraft & { readonly id?: number })[]): Promise<ClassRow[]> {
    const names = new Set(drafts.map((draft) => draft.name));
    if (names.size < drafts.length) throw refused('class-taken', 'Two classes have the same name.');
    await this.db.transaction(async (sql) => {
      const known = new Set((await sql.all<{ id: number }>('SELECT id FROM classes')).map((row) => row.id));
      for (const draft of drafts) if (draft.id !== undefined && !known.has(draft.id)) throw notFound(`Class ${draft.id}`);
      const kept = drafts.flatMap((draft) => draft.id ?? []);
      await sql.run('DELETE FROM classes WHERE NOT (id = ANY($1::int[]))', [kept]);
      // Temporary names, since names may be swapped.
      await sql.run(`UPDATE classes SET name = id || chr(1)`);
      for (const [position, { id, name, clauses, statedMass }] of drafts.entries())
        if (id === undefined)
          await sql.run('INSERT INTO classes (name, position, clauses, stated_mass) VALUES ($1, $2, $3::jsonb, $4)', [
            name,
            position,
            JSON.stringify(clauses),
            statedMass,
          ]);
        else
          await sql.run('UPDATE classes SET name = $2, position = $3, clauses = $4::jsonb, stated_mass = $5 WHERE id = $1', [
            id,
            name,
            position,
            JSON.stringify(clauses),
            statedMass,
          ]);
      await assignClasses(sql, null);
    });
    await this.scanner.settle();
    return this.list();
  }
}
