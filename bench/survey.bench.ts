import { Clause } from '@rule/contract';
import { recount } from '../apps/server/src/library/counts';
import { Measured, best, report } from './measure';
import { openServices } from './services';

const FILES = 100_000;
const NAMES = 30;
const { services, db, close } = await openServices();

/** Inserts documents directly: thirty values each, with blanks, stand-ins and variants. */
await db.run(`INSERT INTO libraries (name, root) VALUES ('Large', '/nowhere/at/all')`);
await db.run(
  `INSERT INTO files (library_id, path, folder, name, kind, size, mtime_ms, hash, format)
   SELECT 1, 'folder ' || n / 500 || '/P-' || n || '.step', 'folder ' || n / 500, 'P-' || n || '.step', CASE WHEN n % 5 = 4 THEN 'drawing' ELSE 'part' END, 1000, 0, md5(n::text), CASE WHEN n % 5 = 4 THEN 'dxf' ELSE 'step' END
   FROM generate_series(0, ${FILES - 1}) n`,
);
await db.run(`INSERT INTO holders (file_id, key, level, label) SELECT id, '', 'document', '' FROM files`);
await db.run(
  `INSERT INTO held_values (file_id, holder, place, name, kind, text, form, unit, number, level, stand_in)
   SELECT f.id, '', 'property', CASE WHEN k = 3 AND f.id % 7 = 0 THEN 'Name 03' ELSE 'Name ' || k END, f.kind,
     CASE WHEN (f.id + k) % 11 = 0 THEN '' WHEN (f.id + k) % 13 = 0 THEN '-' WHEN k < 3 THEN 'text ' || f.id || ' of ' || k WHEN k % 4 = 0 THEN ((f.id * k) % 9999)::text ELSE 'value ' || (f.id + k) % 40 END,
     'text', NULL, CASE WHEN k >= 3 AND k % 4 = 0 AND (f.id + k) % 11 <> 0 AND (f.id + k) % 13 <> 0 THEN (f.id * k) % 9999 END, 'document', (f.id + k) % 11 <> 0 AND (f.id + k) % 13 = 0
   FROM files f, generate_series(0, ${NAMES - 1}) k`,
);
await db.run('ANALYZE');
const counting = await best('counting everything anew, after a survey', 1, () => recount(db, null));
await db.run('ANALYZE');
console.log(`${FILES} documents × ${NAMES} values; ${counting.what}: ${(counting.ms / 1000).toFixed(1)} s\n`);

const RUNS = 5;
/** Survey answers compared with the fastest known SQL. */
async function compare(title: string, sql: string, bind: unknown[], work: () => Promise<unknown>): Promise<void> {
  const rows: Measured[] = [await best('the SQL alone: the floor', RUNS, () => db.all(sql, bind)), await best('the answer as Survey gives it', RUNS, work)];
  report(title, rows);
}

const folder = 'folder 7';
const is: Clause[] = [{ subject: 'value', name: 'Name 5', operator: 'is', text: 'value 12' }];
await compare(
  'All names with their counts',
  `SELECT c.name, c.level, c.kind, sum(c.files)::int, sum(c.filled)::int, sum(c.stand_ins)::int, f.distinct_values, f.examples, f.guess FROM name_counts c JOIN name_facts f USING (name, level, kind) GROUP BY 1, 2, 3, 7, 8, 9`,
  [],
  () => services.surveys.names({}),
);
await compare(
  'Names in one folder (500 documents)',
  `SELECT name, level, kind, count(DISTINCT file_id), count(DISTINCT file_id) FILTER (WHERE text <> '' AND NOT stand_in), count(DISTINCT text) FROM held_values
   WHERE place = 'property' AND file_id IN (SELECT id FROM files WHERE folder = $1 AND NOT removed) GROUP BY 1, 2, 3`,
  [folder],
  () => services.surveys.names({ folder }),
);
await compare(
  'Coverage of all names by folder',
  `SELECT name, library_id, folder, sum(files)::int, sum(filled)::int, sum(stand_ins)::int FROM name_counts WHERE level = 'document' GROUP BY 1, 2, 3`,
  [],
  () => services.surveys.coverage({ of: 'names', by: 'folder' }),
);
await compare(
  'Coverage by kind, limited by a value',
  `SELECT name, v.kind, count(*), count(*) FILTER (WHERE text <> '' AND NOT stand_in) FROM held_values v WHERE place = 'property' AND level = 'document'
   AND file_id IN (SELECT file_id FROM held_values WHERE place = 'property' AND name = 'Name 5' AND text = 'value 12') GROUP BY 1, 2`,
  [],
  () => services.surveys.coverage({ of: 'names', by: 'kind', where: is }),
);
await compare(
  'Values of one name (40 distinct)',
  `SELECT text, form, unit, stand_in, count(*) FROM held_values WHERE place = 'property' AND name = $1 GROUP BY 1, 2, 3, 4 ORDER BY 5 DESC`,
  ['Name 5'],
  () => services.surveys.values('Name 5', {}),
);
await compare(
  'Values of one name (90,000 distinct, the most frequent 5,000 looked at)',
  `SELECT text, form, unit, stand_in, count(*) FROM held_values WHERE place = 'property' AND name = $1 GROUP BY 1, 2, 3, 4 ORDER BY 5 DESC, 1 LIMIT 5000`,
  ['Name 1'],
  () => services.surveys.values('Name 1', {}),
);
await compare(
  'Files by a value: the first page and how many there are',
  `SELECT f.id, f.path, count(*) OVER () FROM held_values v JOIN files f ON f.id = v.file_id WHERE v.place = 'property' AND v.name = 'Name 5' AND v.text = 'value 12' AND NOT f.removed ORDER BY f.path, f.id LIMIT 200`,
  [],
  () => services.surveys.files({ where: is, offset: 0, limit: 200 }),
);
await compare(
  'Files by the size of a number',
  `SELECT f.id, f.path, count(*) OVER () FROM held_values v JOIN files f ON f.id = v.file_id WHERE v.place = 'property' AND v.name = 'Name 4' AND v.number > 9900 AND NOT f.removed ORDER BY f.path, f.id LIMIT 200`,
  [],
  () => services.surveys.files({ where: [{ subject: 'value', name: 'Name 4', operator: '>', text: '9900' }], offset: 0, limit: 200 }),
);
await compare(
  'Twins, with the places in which they contradict each other',
  `SELECT name, sum(files)::int, sum(filled)::int FROM name_counts GROUP BY name`,
  [],
  () => services.surveys.twins(),
);
await compare(
  'Remarks on files',
  `SELECT id, path FROM files WHERE NOT removed AND (problem IS NOT NULL OR jsonb_array_length(reading->'problems') > 0) UNION ALL SELECT min(id), min(path) FROM files WHERE NOT removed GROUP BY name HAVING count(*) > 1 UNION ALL SELECT min(id), min(path) FROM files WHERE NOT removed GROUP BY hash HAVING count(*) > 1`,
  [],
  () => services.surveys.remarks(),
);
await close();
