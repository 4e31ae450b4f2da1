import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { Db, Sql } from '../src/platform/db';
import { migrate } from '../src/platform/migrations';
import { freshDatabase } from './harness';

let here: Db;
let elsewhere: Db;
let drop: () => Promise<void>;
beforeAll(async () => {
  const made = await freshDatabase();
  drop = made.drop;
  here = new Db(made.url);
  elsewhere = new Db(made.url);
  await migrate(here.sequelize);
}, 60_000);
afterAll(async () => {
  await here.close();
  await elsewhere.close();
  await drop();
});

let reads = 0;
const company = (sql: Sql): Promise<string> =>
  sql.kept('company', async (own) => {
    reads++;
    return (await own.one<{ value: string }>(`SELECT value FROM settings WHERE key = 'company'`))?.value ?? 'none';
  });
const call = (sql: Sql, name: string) =>
  sql.run(`INSERT INTO settings VALUES ('company', to_jsonb($1::text)) ON CONFLICT (key) DO UPDATE SET value = excluded.value`, [name]);
/** Number of reads while work is done. */
async function readsOf(work: () => Promise<unknown>): Promise<number> {
  const before = reads;
  await work();
  return reads - before;
}

describe('what the company has laid down', () => {
  it('is read once for all who ask, until somebody writes it, on whichever server', async () => {
    expect(await company(here)).toBe('none');
    expect(await readsOf(() => Promise.all(Array.from({ length: 20 }, () => company(here))))).toBe(0);
    await call(elsewhere, 'Bright');
    expect(await company(here)).toBe('Bright');
    // A read after a write sees it, even alongside earlier reads.
    for (let n = 0; n < 30; n++) {
      const before = company(here);
      await call(elsewhere, `Bright ${n}`);
      expect(await company(here)).toBe(`Bright ${n}`);
      await before;
    }
    // Other tables do not cause another read.
    await elsewhere.run(`INSERT INTO classes (name, position, clauses) VALUES ('a class', 1, '[]')`);
    expect(await readsOf(() => company(here))).toBe(0);
  });

  it('is seen by a transaction as it has written it, and by nobody else before it ends', async () => {
    await call(here, 'Before');
    await company(here);
    await expect(
      here.transaction(async (sql) => {
        expect(await company(sql)).toBe('Before');
        await call(sql, 'Inside');
        expect(await company(sql)).toBe('Inside');
        expect(await elsewhere.kept('company', () => Promise.resolve('read elsewhere'))).toBe('read elsewhere');
        throw new Error('taken back');
      }),
    ).rejects.toThrow('taken back');
    // Another write raises the version to the one rolled back.
    expect(await company(here)).toBe('Before');
    await call(elsewhere, 'After');
    expect(await company(here)).toBe('After');
    await here.transaction(async (sql) => {
      expect(await readsOf(() => company(sql))).toBe(0);
      await call(sql, 'Kept');
    });
    expect(await company(here)).toBe('Kept');
  });

  it('is never half of what was and half of what is, for nobody who asks meanwhile', async () => {
    await call(here, 'first');
    const nameNow = async (sql: Sql) => (await sql.one<{ value: string }>(`SELECT value FROM settings WHERE key = 'company'`))!.value;
    let written = false;
    let others: Promise<string> | undefined;
    const twice = async (own: Sql) => {
      const before = await nameNow(own);
      if (!written) {
        written = true;
        // A read before the write gets the same answer.
        others = here.kept('twice', twice);
        await nameNow(here);
        await call(elsewhere, 'second');
      }
      return `${before} ${await nameNow(own)}`;
    };
    expect(await here.kept('twice', twice)).toBe('second second');
    expect(['first first', 'second second']).toContain(await others);
  });
});
