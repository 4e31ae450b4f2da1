import { expect, it } from '@jest/globals';
import { newDraft } from '@rule/core/schema';
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
    expect(await new Properties(db).list()).toEqual([mass, old]);
    const editions = new Editions(db, () => new Date());
    expect(await editions.inForce()).toMatchObject({ number: 1, schema: { properties: [mass, old], checks: [] } });
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
