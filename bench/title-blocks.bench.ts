import { PLAIN_CELL, newDraft } from '@rule/core/schema';
import { judgeWaiting } from '../apps/server/src/values/judgements';
import { cellsOnSheet, drawSheet } from '@rule/core/drawing';
import { scanDxf } from '@rule/core/files/dxf';
import { largeDrawing } from './large';
import { best, report } from './measure';
import { openServices } from './services';

/** 30,000 drawings of as many parts, with eight bound cells each. */
const DRAWINGS = 30_000;
const CELLS = ['TITLE', 'PARTNO', 'MATL', 'MASS', 'DRAWN', 'DATE', 'REV', 'SHEET'] as const;
const NAMES = ['Title', 'Part no', 'Material', 'Mass kg', 'Drawn by', 'Date', 'Revision'] as const;
const { services, db, close } = await openServices();

await db.run(`INSERT INTO libraries (name, root) VALUES ('Large', '/nowhere/at/all')`);
await db.run(
  `INSERT INTO files (library_id, path, folder, name, kind, size, mtime_ms, hash, format)
   SELECT 1, 'parts/P-' || n || '.step', 'parts', 'P-' || n || '.step', 'part', 1000, 0, md5(n::text), 'step' FROM generate_series(1, ${DRAWINGS}) n`,
);
await db.run(
  `INSERT INTO files (library_id, path, folder, name, kind, size, mtime_ms, hash, format, model_file_id, reading)
   SELECT 1, 'drawings/P-' || f.id || '.dxf', 'drawings', 'P-' || f.id || '.dxf', 'drawing', 1000, 0, md5(f.path), 'dxf', f.id, '{"sheets": [], "inserts": []}' FROM files f`,
);
await db.run(
  `INSERT INTO held_values (file_id, holder, place, name, kind, text, form, level)
   SELECT f.id, '', 'property', n.name, f.kind, CASE WHEN (f.id + n.at) % 11 = 0 THEN '' ELSE n.name || ' ' || f.id % 977 END, 'text', 'document'
   FROM files f, unnest($1::text[]) WITH ORDINALITY n(name, at) WHERE f.kind = 'part' OR n.at > 4`,
  [NAMES],
);
await db.run(`INSERT INTO holders (file_id, key, level, label) SELECT id, 'insert:1', 'sheet', 'FRAME' FROM files WHERE kind = 'drawing'`);
await db.run(
  `INSERT INTO held_values (file_id, holder, place, name, kind, text, form, level)
   SELECT f.id, 'insert:1', 'cell', n.tag, 'drawing', CASE WHEN (f.id + n.at) % 5 = 0 THEN 'old' ELSE coalesce(n.name, 'x') || ' ' || coalesce(f.model_file_id, f.id) % 977 END, 'text', 'sheet'
   FROM files f, unnest($1::text[], $2::text[]) WITH ORDINALITY n(tag, name, at) WHERE f.kind = 'drawing'`,
  [CELLS, [...NAMES, null]],
);
await db.run(`INSERT INTO sheets SELECT id, 'Layout1', 0, 0.5, 420, 297, 'mm' FROM files WHERE kind = 'drawing'`);
await db.run(`INSERT INTO placed_blocks SELECT id, 'insert:1', 'Layout1', 'FRAME', 'frame', NULL, '{}', '{}' FROM files WHERE kind = 'drawing'`);
await db.run(`INSERT INTO block_definitions VALUES ('b', $1::jsonb)`, [
  JSON.stringify({
    name: 'FRAME',
    shapes: [],
    cells: CELLS.map((tag, i) => ({
      tag,
      prompt: '',
      constant: false,
      multiline: false,
      at: { x: 2, y: 8 * i },
      height: 3.5,
      widthFactor: 1,
      rotation: 0,
      align: 'left',
      valign: 'baseline',
      font: { file: 'isocp.shx' },
      room: { left: 2, right: 40, below: 2, above: 6 },
    })),
  }),
]);
await db.run(`UPDATE files SET blocks = '{b}' WHERE kind = 'drawing'`);
const ids = await services.editions.add(
  null,
  NAMES.map((name, i) => ({ ...newDraft(name), kinds: i < 4 ? (['part'] as const) : (['part', 'drawing'] as const) })),
);
await services.editions.bind(
  null,
  CELLS.map((cell, i) => ({
    block: 'FRAME',
    cell,
    leads: false,
    shows:
      i === 7
        ? [{ fact: 'sheet number' as const, form: PLAIN_CELL }]
        : [{ property: ids[i]!, from: i < 4 ? ('model' as const) : ('drawing' as const), form: PLAIN_CELL }],
  })),
);
await services.editions.bringIntoForce(null, 'for a benchmark', null);
await db.run('ANALYZE');

const settling = await best('the first judgement of all files and cells', 1, async () => {
  await services.judgements.settle();
});
await db.run('VACUUM ANALYZE cell_states');
await db.run('VACUUM ANALYZE placed_blocks');
const n = (await db.one<{ n: number }>('SELECT count(*)::int AS n FROM cell_states'))!.n;
const reading = await best('counting the same rows, states and placed blocks: the floor', 5, () =>
  db
    .all('SELECT family, tag, state, count(*) FROM cell_states GROUP BY family, tag, state')
    .then(() => db.all('SELECT family, count(*) FROM placed_blocks GROUP BY family')),
);
const look = await best('the station: all families, their cells and states', 5, () => services.titleBlocks.list());
const sheets = await best('the first 500 sheets with a stale cell', 5, () =>
  services.titleBlocks.sheets({ block: 'frame', state: 'stale', offset: 0, limit: 500 }),
);
const [part] = await db.all<{ id: number }>(`SELECT id FROM files WHERE kind = 'part' ORDER BY id LIMIT 1`);
let turn = 0;
const change = async () => {
  await db.run(`UPDATE held_values SET text = 'changed ' || $2 WHERE file_id = $1 AND name = 'Title'`, [part!.id, ++turn]);
  await db.run('UPDATE files SET hash = $2 WHERE id = $1', [part!.id, `h${turn}`]);
};
let judged = 0;
const one = await best('one value of one part has changed: its cell is brought up to date, and the station looked at', 5, async () => {
  await change();
  await db.run(
    `WITH changed AS (UPDATE to_judge SET spread = true WHERE NOT spread RETURNING file_id)
     INSERT INTO to_judge (file_id, spread) SELECT f.id, true FROM files f JOIN changed c ON f.model_file_id = c.file_id`,
  );
  judged = await judgeWaiting(db, null, new Date());
  await services.titleBlocks.list();
});
report(`A look at ${n.toLocaleString('en')} cells of ${DRAWINGS.toLocaleString('en')} drawings (aim: under 200 ms, at most twice the floor)`, [
  reading,
  look,
  sheets,
  one,
]);
console.log(`One changed value: ${judged} files judged. ${settling.what}: ${(settling.ms / 1000).toFixed(1)} s.\n`);
await close();

// A 5 MB drawing: time to first picture.
const big = largeDrawing(5_000_000);
const megabytes = big.length / 1e6;
report(
  `A drawing of ${megabytes.toFixed(1)} MB is drawn (aim: under a second)`,
  [
    await best('its groups are found: the floor', 5, () => scanDxf(big)),
    await best('lines, areas and texts of its sheet', 5, () => drawSheet(big, 'model')),
    await best('and the cells of its blocks', 5, () => cellsOnSheet(big, 'model')),
  ],
  megabytes,
);
