import { Sql } from '../platform/db';

const UNFINISHED = `FROM change_sets s JOIN journal j ON j.change_set_id = s.id WHERE s.state = 'applying'`;

/** Files that a change set is writing or was interrupted at, with its number. They are excluded from reading and writing. */
export async function unfinishedFiles(sql: Sql): Promise<Map<number, number>> {
  const found = await sql.all<{ file: number; set: number }>(`SELECT j.file_id AS file, s.id AS set ${UNFINISHED}`);
  return new Map(found.map(({ file, set }) => [file, set]));
}

/** Full paths such files have, had or will get. */
export async function unfinishedPaths(sql: Sql): Promise<Set<string>> {
  const found = await sql.all<{ target: string; moved: string | null }>(`SELECT j.target, j.moved_to AS moved ${UNFINISHED}`);
  return new Set(found.flatMap(({ target, moved }) => (moved === null ? [target] : [target, moved])));
}
