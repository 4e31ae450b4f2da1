import { rmSync } from 'node:fs';
import { best, report } from './measure';
import { inBrowser, reportScrolling } from './scrolling';
import { openServices } from './services';
import { FILES, fillWide, typed } from './wide';

const LINES = 1_000_000;

const { services, db, url, data, close } = await openServices();
await fillWide(db);
await services.editions.decree(null, 'the schema in force', typed);
const property = [...(await services.properties.active(db)).values()][0]!;
const user = (await db.one<{ id: number }>(
  `INSERT INTO users (name, display_name, role, password_hash) VALUES ('b', 'Bench', 'administrator', '') RETURNING id`,
))!;
const takeBack = (await db.one<{ id: number }>(
  `INSERT INTO take_backs (user_id, at, name, state, counts) VALUES ($1, now(), 'million.xlsx', 'compared', '{}') RETURNING id`,
  [user.id],
))!.id;
await db.run(
  `INSERT INTO take_back_cells (take_back_id, row, file_id, property_id, verdict, base, current, proposed, text, message, code, decision, n)
   SELECT $1, n, f.id, $2, CASE WHEN n % 50 = 0 THEN 'conflict' ELSE 'change' END, '{"text":"a","form":"text"}', '{"text":"a","form":"text"}', '{"text":"b","form":"text"}', 'b', 'changes the value', 'change', 'take', n
   FROM generate_series(1, $3::int) n JOIN (SELECT id, row_number() OVER (ORDER BY id) AS k FROM files) f ON f.k = n % ${FILES} + 1`,
  [takeBack, property.id, LINES],
);
await db.run('ANALYZE take_back_cells');
const pageAt = (offset: number) => services.takeBacks.cells(takeBack, { offset, limit: 200 });
report(`A page of 200 of ${LINES} lines of a review`, [
  await best('the SQL that reads 200 of them by their rows: the floor', 5, () =>
    db.all('SELECT * FROM take_back_cells WHERE take_back_id = $1 AND row BETWEEN 500001 AND 500200 ORDER BY row, id', [takeBack]),
  ),
  await best('the page as the review asks for it, with the count of all, from line 0', 5, () => pageAt(0)),
  await best('from line 500,000', 5, () => pageAt(500_000)),
  await best('from line 999,800', 5, () => pageAt(999_800)),
  await best('conflicts only, the last page', 5, () => services.takeBacks.cells(takeBack, { verdict: 'conflict', offset: 19_800, limit: 200 })),
  await best('the summary by property, folder and reason', 3, () => services.takeBacks.view(takeBack)),
  await best('deciding about all of one folder', 3, () =>
    services.takeBacks.decide(takeBack, { cells: null, filter: { folder: 'folder 3' }, decision: 'leave' }),
  ),
]);
await inBrowser(services, url, async (page) => {
  await page.evaluate(`history.pushState({}, '', '/exchange?back=${takeBack}')`);
  await page.reload();
  await page.getByRole('table', { name: 'Cells' }).getByRole('row').nth(5).waitFor();
  await page.waitForTimeout(2000);
  await reportScrolling(page, `Scrolling a review of ${LINES} lines in Chromium`, 'cdk-virtual-scroll-viewport', [
    { what: 'by 60 pixels a frame', perFrame: 60 },
    { what: 'by 600 pixels a frame, twenty lines', perFrame: 600 },
    { what: 'by 90,000 pixels a frame, to line 950,000', perFrame: 90_000 },
  ]);
});
await close();
rmSync(data, { recursive: true, force: true });
