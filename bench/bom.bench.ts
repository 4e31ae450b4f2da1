import { BomContent, factColumn, plainContent, propertyColumn } from '@rule/core/bom';
import { newDraft } from '@rule/core/schema';
import { best, report } from './measure';
import { inBrowser, reportScrolling } from './scrolling';
import { openServices } from './services';

/**
 * A five-level assembly: six sub-assemblies per level plus own parts, giving over 10,000 indented rows; pieces are counted independently by
 * multiplying.
 */
const { services, db, url, close } = await openServices();
const NAMES = ['Part no', 'Title', 'Material', 'Mass kg', 'Supplier'] as const;
const LEVELS = 5;
const WIDTH = 6;
const OWN_PARTS = 6;

interface Made {
  readonly id: number;
  readonly pieces: number;
}
const files: { id: number; path: string; kind: string; structure: object | null }[] = [];
const copies: { assembly: number; product: string; part: number }[] = [];
let next = 1;

/** Builds an assembly recursively; each is its own file. */
function assembly(level: number): Made {
  const children: { id: number; times: number; pieces: number }[] = [];
  if (level < LEVELS) for (let i = 0; i < WIDTH; i++) children.push({ ...assembly(level + 1), times: 1 + (i % 2) });
  for (let i = 0; i < OWN_PARTS; i++) {
    const id = next++;
    files.push({ id, path: `parts/P-${id}.step`, kind: 'part', structure: null });
    children.push({ id, times: 1 + (i % 3), pieces: 1 });
  }
  const id = next++;
  const occurrences = children.flatMap(({ id: child, times }) =>
    Array.from({ length: times }, (_, n) => ({ key: `o${child}-${n}`, label: '', parent: 'top', child: `p${child}` })),
  );
  files.push({
    id,
    path: `assemblies/A-${id}.step`,
    kind: 'assembly',
    structure: {
      products: [
        { key: 'top', id: `A-${id}`, name: '', externalFile: null },
        ...children.map((child) => ({ key: `p${child.id}`, id: `P-${child.id}`, name: '', externalFile: null })),
      ],
      occurrences,
      roots: ['top'],
    },
  });
  copies.push(...children.map((child) => ({ assembly: id, product: `p${child.id}`, part: child.id })));
  return { id, pieces: children.reduce((sum, child) => sum + child.times * child.pieces, 0) };
}
const top = assembly(1);

await db.run(`INSERT INTO libraries (name, root) VALUES ('Large', '/nowhere/at/all')`);
await db.run(
  `INSERT INTO files (id, library_id, path, folder, name, kind, size, mtime_ms, hash, format, reading)
   SELECT f.id, 1, f.path, split_part(f.path, '/', 1), split_part(f.path, '/', 2), f.kind, 1000, 0, md5(f.path), 'step', CASE WHEN f.structure IS NULL THEN '{}' ELSE jsonb_build_object('structure', f.structure) END
   FROM jsonb_to_recordset($1::jsonb) AS f(id int, path text, kind text, structure jsonb)`,
  [JSON.stringify(files)],
);
await db.run(
  `INSERT INTO copies (assembly_id, product, match, part_id) SELECT assembly, product, jsonb_build_object('state', 'matched', 'file', part, 'by', 'product id'), part
   FROM jsonb_to_recordset($1::jsonb) AS c(assembly int, product text, part int)`,
  [JSON.stringify(copies)],
);
await db.run(
  `INSERT INTO held_values (file_id, holder, place, name, kind, text, form, level)
   SELECT f.id, '', 'property', n.name, f.kind, CASE WHEN n.name = 'Mass kg' THEN (f.id % 97 / 10.0)::text ELSE n.name || ' ' || f.id % 977 END, 'text', 'document' FROM files f, unnest($1::text[]) n(name)`,
  [NAMES],
);
const ids = await services.editions.add(
  null,
  NAMES.map((name) => ({ ...newDraft(name), kinds: ['part', 'assembly'] as const, ...(name === 'Mass kg' ? { type: 'number' as const, unit: 'kg' } : {}) })),
);
await services.editions.bringIntoForce(null, 'for a benchmark', null);
await db.run('ANALYZE');
await services.judgements.settle();

const columns = [factColumn('item'), factColumn('quantity'), factColumn('part'), ...ids.map(propertyColumn)];
const content = (structure: BomContent['structure']): BomContent => ({ ...plainContent([]), structure, columns });
const user = { id: 0 };
const layout = (await services.bomLayouts.add(null, { name: 'Bench', purpose: '', shared: true, content: content('indented') })).id;

// Floor: reading the raw rows.
const floor = await best('reading the rows of the files below, their structure and their values alone', 5, async () => {
  const below = await db.all<{ id: number }>(
    `WITH RECURSIVE below(id) AS (SELECT $1::int UNION SELECT c.part_id FROM below b JOIN copies c ON c.assembly_id = b.id) SELECT f.id, f.path, f.kind, f.reading->'structure' AS structure FROM below b JOIN files f ON f.id = b.id`,
    [top.id],
  );
  const all = below.map((row) => row.id);
  await db.all('SELECT assembly_id, product, match FROM copies WHERE assembly_id = ANY($1::int[])', [all]);
  await db.all(`SELECT file_id, name, text, form, unit FROM held_values WHERE file_id = ANY($1::int[]) AND holder = ''`, [all]);
});
const numbered = await best('indented, the first time: every row is given a number', 1, () =>
  services.boms.table(user, top.id, { layout, content: content('indented') }),
);
let shown = 0;
const indented = await best('indented, with kept numbers', 5, async () => {
  shown = (await services.boms.table(user, top.id, { layout, content: content('indented') })).rows.length;
});
let pieces = 0;
const summed = await best('summed', 5, async () => {
  pieces = (await services.boms.table(user, top.id, { layout: null, content: content('summed') })).pieces;
});
if (pieces !== top.pieces) throw new Error(`The list counts ${pieces} pieces; by multiplying there are ${top.pieces}.`);
console.log(`  ${shown} rows indented, ${pieces} pieces (as counted without Rule)`);
report('Bill of materials: six assemblies in one another, five levels', [floor, numbered, indented, summed]);
await db.run('ANALYZE');
await inBrowser(services, url, async (page) => {
  await page.evaluate(`history.pushState({}, '', '/overview')`);
  await page.reload();
  await page.getByRole('navigation', { name: 'Stations' }).waitFor();
  await page.waitForTimeout(2000);
  // Times from selection to visible rows in the open page, and to all of them.
  const open = () =>
    page.evaluate<{ first: number; all: number }>(`new Promise((done) => {
      const from = performance.now();
      let first = 0;
      history.pushState({}, '', '/bom?assembly=${top.id}&layout=${layout}');
      dispatchEvent(new PopStateEvent('popstate', { state: {} }));
      const look = () => {
        if (!first && document.querySelectorAll('.list cdk-virtual-scroll-viewport [role=row]').length > 5) first = performance.now() - from;
        if (document.querySelector('[role=treegrid]')?.getAttribute('aria-rowcount') === '${shown + 1}') done({ first, all: performance.now() - from });
        else requestAnimationFrame(look);
      };
      look();
    })`);
  const away = () =>
    page.evaluate<void>(`new Promise((done) => {
      history.pushState({}, '', '/overview');
      dispatchEvent(new PopStateEvent('popstate', { state: {} }));
      const look = () => document.querySelector('.list cdk-virtual-scroll-viewport') ? requestAnimationFrame(look) : done();
      look();
    })`);
  const times: { first: number; all: number }[] = [];
  /** The last answer: how long it took, and its size. */
  const answer = () =>
    page.evaluate<{ ms: number; bytes: number }>(`(() => {
      const last = performance.getEntriesByType('resource').filter((entry) => entry.name.endsWith('/bom/packed')).at(-1);
      return { ms: last.responseEnd - last.startTime, bytes: last.encodedBodySize };
    })()`);
  for (let i = 0; i < 4; i++) {
    times.push(await open());
    if (i < 3) await away();
  }
  const { ms, bytes } = await answer();
  const list = (of: 'first' | 'all') => times.map((time) => time[of].toFixed(0)).join(', ');
  console.log(
    `  the first rows in the page after ${list('first')} ms, all ${shown} after ${list('all')}; the last answer took ${ms.toFixed(0)} ms, ${(bytes / 1e6).toFixed(1)} MB\n`,
  );
  await reportScrolling(page, `Scrolling ${shown} rows of a bill of materials in Chromium`, '.list cdk-virtual-scroll-viewport', [
    { what: 'by 60 pixels a frame', perFrame: 60 },
    { what: 'by 600 pixels a frame', perFrame: 600 },
    { what: 'by 3,000 pixels a frame', perFrame: 3000 },
  ]);
});
await close();
