import { expect, it } from '@jest/globals';
import { newDraft } from '@rule/core/schema';
import { BLOCKS_OF_F } from '../src/library/blocks';
import { Db } from '../src/platform/db';
import { migrate } from '../src/platform/migrations';
import { Editions } from '../src/schema/editions';
import { Properties } from '../src/schema/properties';
import { freshDatabase } from './harness';

it('a schema from before there were editions becomes the first one, with nothing lost', async () => {
  const { url, drop } = await freshDatabase();
  const db = new Db(url);
  try {
    await migrate(db.sequelize, '0002-survey');
    await db.run(
      `INSERT INTO properties ("writtenName", caption, help, type, unit, decimals, kinds, feed, required, choices, placeholder, searched, min, retired)
       VALUES ('Mass', 'Net mass', 'h', 'number', 'kg', 3, '{part}', 'typed', true, '{}', '0.000', false, 0, false), ('Old', 'Old', '', 'choice', null, null, '{part,drawing}', 'typed', false, '{a,b}', '', true, null, true)`,
    );
    await migrate(db.sequelize);
    const mass = {
      ...newDraft('Mass'),
      caption: 'Net mass',
      help: 'h',
      type: 'number',
      unit: 'kg',
      decimals: 3,
      required: true,
      placeholder: '0.000',
      searched: false,
      min: 0,
      id: 1,
      retired: false,
    };
    const old = { ...newDraft('Old'), type: 'choice', kinds: ['part', 'drawing'], choices: ['a', 'b'], id: 2, retired: true };
    expect(await new Properties().list(db)).toEqual([mass, old]);
    const editions = new Editions(db, () => new Date());
    expect(await editions.inForce(db)).toMatchObject({ number: 1, schema: { properties: [mass, old], checks: [] } });
    expect(await editions.decree(null, 'next', [newDraft('New')])).toEqual([3]);
    expect((await editions.list()).map(({ number, state }) => [number, state])).toEqual([
      [2, 'in force'],
      [1, 'superseded'],
    ]);
  } finally {
    await db.close();
    await drop();
  }
});

it('blocks that every reading held are kept once, in their order, and are shown as before', async () => {
  const { url, drop } = await freshDatabase();
  const db = new Db(url);
  try {
    await migrate(db.sequelize, '0007-quick-reading');
    const block = (name: string) => ({ name, cells: [{ tag: 'TITLE' }], shapes: [{ shape: 'line', points: [] }] });
    const reading = (...blocks: object[]) => JSON.stringify({ version: 'AC1032', structure: null, blocks, inserts: [], sheets: [], problems: [] });
    await db.run(`INSERT INTO libraries (name, root) VALUES ('Old', '/old')`);
    await db.run(
      `INSERT INTO files (library_id, path, folder, name, kind, format, size, mtime_ms, hash, reading)
       SELECT l.id, n.path, '', n.path, 'drawing', 'dxf', 1, 1, '', n.reading FROM libraries l, jsonb_to_recordset($1::jsonb) AS n(path text, reading jsonb)`,
      [
        `[{"path":"a","reading":${reading(block('B'), block('A'))}},{"path":"b","reading":${reading(block('A'))}},{"path":"c","reading":${reading()}},{"path":"d","reading":null}]`,
      ],
    );
    await migrate(db.sequelize);
    expect((await db.one<{ n: number }>('SELECT count(*)::int AS n FROM block_definitions'))!.n).toBe(2);
    expect(
      await db.all(
        `SELECT f.path, f.reading->'blocks' AS old, f.reading->>'version' AS version, (SELECT coalesce(jsonb_agg(b.block ORDER BY b.position), '[]') FROM ${BLOCKS_OF_F} b) AS blocks FROM files f ORDER BY f.path`,
      ),
    ).toEqual([
      { path: 'a', old: null, version: 'AC1032', blocks: [block('B'), block('A')] },
      { path: 'b', old: null, version: 'AC1032', blocks: [block('A')] },
      { path: 'c', old: null, version: 'AC1032', blocks: [] },
      { path: 'd', old: null, version: null, blocks: [] },
    ]);
  } finally {
    await db.close();
    await drop();
  }
});

it('bindings, homes in cells and links from before they stood in editions stand in every edition that has their property', async () => {
  const { url, drop } = await freshDatabase();
  const db = new Db(url);
  try {
    await migrate(db.sequelize, '0015-law-stamps');
    const stored = (id: number, draft: object) => ({ ...newDraft(''), id, retired: false, ...draft });
    const properties = [
      stored(1, { writtenName: 'Material', kinds: ['part', 'drawing'] }),
      stored(2, { writtenName: 'Sheet no', kinds: ['drawing'], level: 'sheet', homes: { drawing: { place: 'cell', name: 'SHEET' } } }),
      stored(3, { writtenName: 'Number', kinds: ['part'], feed: 'file', fileField: 'product id' }),
    ];
    const schema = (list: object[]) => JSON.stringify({ properties: list, checks: [], forms: [], strangers: {} });
    await db.run(
      `INSERT INTO editions (number, state, schema, at) VALUES (1, 'superseded', $1::jsonb, now()), (2, 'in force', $2::jsonb, now()), (3, 'draft', $2::jsonb, now())`,
      [schema(properties.slice(1)), schema(properties)],
    );
    await db.run(`INSERT INTO properties (id, retired, position, definition) SELECT (p->>'id')::int, false, 0, p FROM jsonb_array_elements($1::jsonb) p`, [
      JSON.stringify(properties),
    ]);
    await db.run(
      `INSERT INTO bindings VALUES ('A3', 'MATL', 1, 'model', 'upper case'), ('A3', 'SHEET', 2, 'drawing', 'plain'), ('B', 'NO', 2, 'drawing', 'with unit')`,
    );
    await db.run(
      `INSERT INTO links (id, field, kind, place, name, "in", "out", "onClash") VALUES (7, 'Material', 'part', 'property', 'Material', 'always', 'never', 'ask'),
         (8, 'Number', 'part', 'field', 'product id', 'always', 'never', 'ask'), (9, 'Old', 'part', 'property', 'Gone', 'never', 'always', 'ask')`,
    );
    await db.run(`INSERT INTO libraries (name, root) VALUES ('Old', '/old')`);
    await db.run(
      `INSERT INTO files (library_id, path, folder, name, kind, format, size, mtime_ms, hash, reading)
       SELECT id, 'a.dxf', '', 'a.dxf', 'drawing', 'dxf', 1, 1, 'h', $1::jsonb FROM libraries`,
      [
        JSON.stringify({
          version: 'AC1032',
          sheets: [{ layout: 'Front', scales: [], outlines: [], paper: { width: 420, height: 297 }, unit: 'mm' }],
          inserts: [{ block: 'A3 ', holder: 'insert:1', layout: 'Front', missing: ['REV'] }],
        }),
      ],
    );
    await migrate(db.sequelize);
    const editions = new Editions(db, () => new Date());
    const { schema: now } = await editions.inForce(db);
    const shows = (property: number, from: string, letters = 'as they are', unit = false) => [{ property, from, form: { letters, unit } }];
    expect(now.bindings).toEqual([
      { id: 1, block: 'A3', cell: 'MATL', leads: false, shows: shows(1, 'model', 'capitals') },
      // The home cell shows the value once.
      { id: 3, block: 'B', cell: 'NO', leads: false, shows: shows(2, 'sheet', 'as they are', true) },
      { id: 4, block: null, cell: 'SHEET', leads: true, shows: shows(2, 'sheet') },
    ]);
    expect(now.properties[1]!.homes).toEqual({});
    expect(now.links.map(({ id, at }) => [id, at])).toEqual([
      [7, [{ property: 1 }]],
      [8, [{ property: 3 }]],
      [9, [{ place: 'property', name: 'Gone' }]],
    ]);
    expect((await editions.draft()).changes).toEqual([]);
    // An edition without a property has none of its cells.
    expect((await editions.schemaOf(1)).bindings.map((binding) => binding.cell)).toEqual(['NO', 'SHEET']);
    expect((await editions.schemaOf(1)).links.map(({ at }) => at)).toEqual([
      [{ place: 'property', name: 'Material' }],
      [{ property: 3 }],
      [{ place: 'property', name: 'Gone' }],
    ]);
    expect(await db.all('SELECT layout, position, width, unit FROM sheets')).toEqual([{ layout: 'Front', position: 0, width: 420, unit: 'mm' }]);
    expect(await db.all('SELECT block, family, missing FROM placed_blocks')).toEqual([{ block: 'A3 ', family: 'a3', missing: ['REV'] }]);
    expect(await db.all('SELECT read_by FROM files')).toEqual([{ read_by: 1 }]);
    // Numbering continues after the numbers in use.
    const fresh = { field: 'New', kinds: ['part' as const], classes: [], at: [{ property: 1 }], states: [], step: null };
    expect(await editions.saveLink(null, null, { ...fresh, in: 'always', out: 'never', onClash: 'ask' })).toBe(10);
  } finally {
    await db.close();
    await drop();
  }
});
