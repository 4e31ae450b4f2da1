import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import pg from 'pg';
import { Sequelize } from 'sequelize';
import request from 'supertest';
import { VaultStandIn } from '../src/vault';

const name = `vault_test_${process.pid}`;
let sequelize: Sequelize;
let vault: VaultStandIn;

async function admin(sql: string): Promise<void> {
  const client = new pg.Client({ connectionString: process.env['RULE_TEST_DATABASE_URL'] });
  await client.connect();
  await client.query(sql).finally(() => client.end());
}

beforeAll(async () => {
  await admin(`CREATE DATABASE ${name}`);
  sequelize = new Sequelize(process.env['RULE_TEST_DATABASE_URL']!.replace(/\/[^/]*$/, `/${name}`), { dialect: 'postgres', logging: false });
  vault = new VaultStandIn(sequelize, 'secret');
  await vault.migrate();
  const files = ['a/plate.step', 'a/arm.step', 'b/stub.step'].map((path) => ({
    path,
    content: Buffer.from(`content of ${path}`),
    state: path === 'b/stub.step' ? 'released' : 'open',
    record: { Number: path.slice(2, -5) },
  }));
  const content = { fields: ['Number', 'Title'], table: [{ field: 'Number', kind: 'part', name: 'Part number ' }], files };
  await vault.fill(content);
  // Filling is for an empty vault: a second start changes nothing.
  await vault.fill({ ...content, files: [] });
});
afterAll(async () => {
  await sequelize.close();
  await admin(`DROP DATABASE ${name} WITH (FORCE)`);
});

const call = (method: 'get' | 'post' | 'put', path: string) => request(vault.app())[method](`/api${path}`).set('authorization', 'Bearer secret');
const meta = (value: object) => Buffer.from(JSON.stringify(value)).toString('base64url');
const idOf = async (path: string) => ((await call('post', '/files/query').send({ paths: [path] })).body as { id: number }[])[0]!.id;

describe('the vault stand-in', () => {
  it('opens to its token alone', async () => {
    expect((await request(vault.app()).get('/api/fields')).status).toBe(401);
    expect((await request(vault.app()).get('/api/fields').set('authorization', 'Bearer other')).status).toBe(401);
    expect((await call('get', '/fields')).body).toEqual(['Number', 'Title']);
  });
  it('lists files with versions and records, and its own link table to the letter', async () => {
    expect((await call('post', '/files/query').send({ paths: null })).body).toMatchObject([
      { path: 'a/arm.step', version: 1, state: 'open', checkedOutBy: null },
      { path: 'a/plate.step', record: { Number: 'plate' } },
      { path: 'b/stub.step', state: 'released' },
    ]);
    expect((await call('get', '/link-table')).body).toEqual([{ field: 'Number', kind: 'part', name: 'Part number ' }]);
  });
  it('lets one person at a time check a file out, and takes it in from that person only', async () => {
    const id = await idOf('a/plate.step');
    expect(
      (
        await call('post', `/files/${id}/check-in`)
          .set('x-check-in', meta({ by: 'Ann', comment: '', record: {} }))
          .send(Buffer.from('new'))
      ).status,
    ).toBe(409);
    expect((await call('post', `/files/${id}/check-out`).send({ by: 'Ann' })).body).toMatchObject({ checkedOutBy: 'Ann' });
    expect((await call('post', `/files/${id}/check-out`).send({ by: 'Bo' })).body).toEqual({ message: 'the file is checked out by Ann' });
    expect((await call('post', `/files/${id}/undo-check-out`).send({ by: 'Bo' })).status).toBe(409);
    const answer = await call('post', `/files/${id}/check-in`)
      .set('x-check-in', meta({ by: 'Ann', comment: 'set 7', record: { Title: 'Plate', Number: null } }))
      .type('application/octet-stream')
      .send(Buffer.from('new content'));
    expect(answer.body).toMatchObject({ version: 2, checkedOutBy: null, record: { Title: 'Plate' } });
    expect((await call('get', `/files/${id}/versions`)).body).toMatchObject([
      { version: 1, size: 23 },
      { version: 2, comment: 'set 7', by: 'Ann', size: 11 },
    ]);
    expect(((await call('get', `/files/${id}/content`)).body as Buffer).toString()).toBe('new content');
  });
  it('keeps released files as they are until their state is set back', async () => {
    const id = await idOf('b/stub.step');
    expect((await call('post', `/files/${id}/check-out`).send({ by: 'Ann' })).body).toEqual({ message: 'the file is released' });
    await call('put', `/files/${id}/state`).send({ state: 'open' });
    expect((await call('post', `/files/${id}/check-out`).send({ by: 'Ann' })).status).toBe(200);
    expect((await call('put', `/files/${id}/state`).send({ state: 'lost' })).status).toBe(400);
  });
  it('refuses what it does not know', async () => {
    const id = await idOf('a/arm.step');
    expect((await call('put', `/files/${id}/record`).send({ record: { Colour: 'red' } })).body).toEqual({ message: 'records have no field Colour' });
    expect((await call('put', '/files/999/record').send({ record: {} })).status).toBe(404);
    expect((await call('post', '/files/x/check-out').send({ by: 'Ann' })).status).toBe(400);
    await call('post', `/files/${id}/check-out`).send({ by: 'Ann' });
    expect((await call('post', `/files/${id}/check-in`).set('x-check-in', 'nonsense').send(Buffer.from('x'))).status).toBe(400);
  });
  it('misbehaves when it is told to, for as long as it is told', async () => {
    const app = vault.app();
    const ask = () => request(app).get('/api/fields').set('authorization', 'Bearer secret');
    await request(app).post('/api/faults').set('authorization', 'Bearer secret').send({ failNext: 1, delayMs: 120 });
    const began = Date.now();
    expect((await ask()).status).toBe(500);
    expect(Date.now() - began).toBeGreaterThanOrEqual(115);
    await request(app).post('/api/faults').set('authorization', 'Bearer secret').send({ dropNext: 1 });
    await expect(ask()).rejects.toThrow();
    expect((await ask()).status).toBe(200);
  });
});
