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
