import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { createConfig, lintFromString } from '@redocly/openapi-core';
import { createHash } from 'node:crypto';
import pg from 'pg';
import { Sequelize } from 'sequelize';
import request from 'supertest';
import { describeApi, vaultApp } from '../src/api';
import { has, newField, nextRevision, whyNotHeld } from '../src/definition';
import { VaultStore } from '../src/vault';

const name = `vault_test_${process.pid}`;
let sequelize: Sequelize;
let vault: VaultStore;

async function admin(sql: string): Promise<void> {
  const client = new pg.Client({ connectionString: process.env['RULE_TEST_DATABASE_URL'] });
  await client.connect();
  await client.query(sql).finally(() => client.end());
}

beforeAll(async () => {
  await admin(`CREATE DATABASE ${name}`);
  sequelize = new Sequelize(process.env['RULE_TEST_DATABASE_URL']!.replace(/\/[^/]*$/, `/${name}`), { dialect: 'postgres', logging: false });
  vault = new VaultStore(sequelize);
  await vault.migrate();
  const files = ['a/plate.step', 'a/arm.step', 'b/stub.step'].map((path) => ({
    path,
    content: Buffer.from(`content of ${path}`),
    kind: 'part' as const,
    state: path === 'b/stub.step' ? 'released' : 'open',
    record: { Number: path.slice(2, -5) },
  }));
  const content = {
    fields: [
      newField('Number', { length: 8, required: true }),
      newField('Title'),
      newField('Grade', { type: 'list', choices: ['1.4301', 'DC01'], initial: 'DC01', kinds: ['part'] }),
      newField('Released by', { fixed: true }),
    ],
    table: [{ field: 'Number', kind: 'part', name: 'Part number ' }],
    sets: { release: { 'Released by': '{person} on {date}' } },
    files,
  };
  await vault.fill(content);
  // Filling needs an empty vault: a second start changes nothing.
  await vault.fill({ ...content, files: [] });
  await vault.migrate();
});
afterAll(async () => {
  await sequelize.close();
  await admin(`DROP DATABASE ${name} WITH (FORCE)`);
});

const call = (method: 'get' | 'post' | 'put' | 'delete', path: string) =>
  request(vaultApp(vault, 'secret'))[method](`/api${path}`).set('authorization', 'Bearer secret');
const meta = (value: object) => Buffer.from(JSON.stringify(value)).toString('base64url');
const idOf = async (path: string) => ((await call('post', '/files/query').send({ paths: [path] })).body as { id: number }[])[0]!.id;
const said = async (answer: Promise<{ status: number; body: unknown }>) => {
  const { status, body } = await answer;
  return [status, (body as { message?: string }).message];
};
const checkIn = (id: number, by: string, record: object, content = 'new content') =>
  call('post', `/files/${id}/check-in`)
    .set('x-check-in', meta({ by, comment: '', record }))
    .type('application/octet-stream')
    .send(Buffer.from(content));
const add = (path: string, more: object = {}) =>
  call('post', '/files')
    .set('x-add', meta({ by: 'Ann', path, kind: 'part', comment: '', record: {}, ...more }))
    .type('application/octet-stream')
    .send(Buffer.from('bytes'));

describe('the vault stand-in', () => {
  it('opens to its token alone', async () => {
    const app = vaultApp(vault, 'secret');
    expect((await request(app).get('/api/definition')).status).toBe(401);
    expect((await request(app).get('/api/definition').set('authorization', 'Bearer other')).status).toBe(401);
    expect((await request(app).get('/api/openapi.json')).status).toBe(200);
  });
  it('lists files with versions, hashes, records and what it keeps itself, and its own link table to the letter', async () => {
    const all = await call('post', '/files/query').send({ paths: null });
    expect(all.headers['x-total-count']).toBe('3');
    expect(all.body).toMatchObject([
      { path: 'a/arm.step', version: 1, state: 'open', checkedOutBy: null, hash: createHash('sha256').update('content of a/arm.step').digest('hex') },
      { path: 'a/plate.step', record: { Number: 'plate', State: 'open', Revision: 'A', 'Record number': expect.stringMatching(/^R-0{5}\d$/) } },
      { path: 'b/stub.step', state: 'released' },
    ]);
    expect((await call('get', '/link-table')).body).toEqual([{ field: 'Number', kind: 'part', name: 'Part number ' }]);
  });
  it('finds by text, folder and state', async () => {
    const found = async (search: object) => ((await call('post', '/files/query').send(search)).body as { path: string }[]).map((entry) => entry.path);
    expect(await found({ text: 'PLATE' })).toEqual(['a/plate.step']);
    expect(await found({ folder: 'b' })).toEqual(['b/stub.step']);
    expect(await found({ folder: 'a', text: 'step' })).toEqual(['a/arm.step', 'a/plate.step']);
    expect(await found({ state: 'released' })).toEqual(['b/stub.step']);
    // SQL pattern characters are literal.
    expect(await found({ text: '%' })).toEqual([]);
  });
  it('lets one person at a time check a file out, and takes it in from that person only', async () => {
    const id = await idOf('a/plate.step');
    expect((await checkIn(id, 'Ann', {})).status).toBe(409);
    expect((await call('post', `/files/${id}/check-out`).send({ by: 'Ann' })).body).toMatchObject({ checkedOutBy: 'Ann', checkedOutAt: expect.any(String) });
    expect((await call('post', `/files/${id}/check-out`).send({ by: 'Bo' })).body).toEqual({ message: 'the file is checked out by Ann' });
    expect((await call('post', `/files/${id}/undo-check-out`).send({ by: 'Bo' })).status).toBe(409);
    expect(await said(call('put', `/files/${id}/record`).send({ by: 'Bo', record: { Title: 'x' } }))).toEqual([409, 'the file is checked out by Ann']);
    expect((await checkIn(id, 'Ann', { Title: 'Plate' })).body).toMatchObject({
      version: 2,
      checkedOutBy: null,
      checkedOutAt: null,
      record: { Title: 'Plate' },
    });
    expect((await call('get', `/files/${id}/versions`)).body).toMatchObject([
      { version: 1, size: 23 },
      { version: 2, by: 'Ann', size: 11 },
    ]);
    const text = async (query = '') => ((await call('get', `/files/${id}/content${query}`)).body as Buffer).toString();
    expect([await text(), await text('?version=1')]).toEqual(['new content', 'content of a/plate.step']);
    expect(await said(call('get', `/files/${id}/content?version=9`))).toEqual([404, 'the file has no version 9']);
  });
  it('walks its workflow, whose steps set fields, and keeps released files as they are', async () => {
    const id = await idOf('b/stub.step');
    const take = (step: string, by = 'Jo') => call('post', `/files/${id}/steps`).send({ by, step });
    expect(await said(call('post', `/files/${id}/check-out`).send({ by: 'Ann' }))).toEqual([409, 'the file is released']);
    expect(await said(call('put', `/files/${id}/record`).send({ record: { Title: 'x' } }))).toEqual([409, 'the file is released']);
    expect(await said(take('release'))).toEqual([409, 'the file is released; release begins at in check']);
    expect(await said(take('melt'))).toEqual([400, 'the workflow has no step melt']);
    expect((await take('revise')).body).toMatchObject({ state: 'open', stateBy: 'Jo', record: { Revision: 'B' } });
    await take('submit');
    expect((await take('return')).body).toMatchObject({ state: 'open' });
    await call('post', `/files/${id}/check-out`).send({ by: 'Ann' });
    expect(await said(take('submit'))).toEqual([409, 'the file is checked out by Ann']);
    await call('post', `/files/${id}/undo-check-out`).send({ by: 'Ann' });
    await take('submit');
    expect((await take('release')).body).toMatchObject({
      state: 'released',
      record: { 'Released by': `Jo on ${new Date().toISOString().slice(0, 10)}`, Revision: 'B' },
    });
  });
  it('keeps folders, adds files with initial values, renames and moves them', async () => {
    await call('post', '/folders').send({ path: 'c/empty' });
    expect((await call('get', '/folders')).body).toEqual([
      { path: 'a', files: 2 },
      { path: 'b', files: 1 },
      { path: 'c', files: 0 },
      { path: 'c/empty', files: 0 },
    ]);
    const added = (await add('c/new.step', { record: { Number: 'N-1' } })).body as { id: number };
    expect(added).toMatchObject({ version: 1, state: 'open', kind: 'part', record: { Number: 'N-1', Grade: 'DC01' } });
    expect(await said(add('c/new.step'))).toEqual([409, 'c/new.step is in the vault already']);
    expect(await said(add('c/empty'))).toEqual([409, 'c/empty is in the vault already']);
    for (const path of ['../out.step', '/c/x.step', 'c//x.step', 'c/ x.step', 'c\\x.step']) expect((await add(path)).status).toBe(400);
    expect((await add('c/sheet.dxf', { kind: 'drawing', record: { Grade: 'DC01' } })).body).toEqual({ message: 'records of a drawing have no field Grade' });
    expect((await call('put', `/files/${added.id}/path`).send({ by: 'Ann', path: 'a/moved.step' })).body).toMatchObject({
      id: added.id,
      path: 'a/moved.step',
      version: 1,
    });
    expect(await said(call('put', `/files/${added.id}/path`).send({ by: 'Ann', path: 'a/arm.step' }))).toEqual([409, 'a/arm.step is in the vault already']);
    expect(await said(call('delete', '/folders?path=c'))).toEqual([409, 'c is not empty']);
    expect((await call('delete', '/folders?path=c/empty')).status).toBe(204);
    // A required field cannot be released blank, nor cleared.
    const blank = (await add('a/blank.step')).body as { id: number };
    await call('post', `/files/${blank.id}/steps`).send({ by: 'Ann', step: 'submit' });
    expect(await said(call('post', `/files/${blank.id}/steps`).send({ by: 'Ann', step: 'release' }))).toEqual([409, 'Number must be filled in before release']);
    expect(await said(call('put', `/files/${added.id}/record`).send({ record: { Number: null } }))).toEqual([400, 'Number cannot be emptied']);
  });
  it('takes in records what their fields take', async () => {
    const id = await idOf('a/arm.step');
    const put = (record: object) => said(call('put', `/files/${id}/record`).send({ record }));
    expect(await put({ Colour: 'red' })).toEqual([400, 'records have no field Colour']);
    expect(await put({ Number: 'far too long' })).toEqual([400, 'Number takes 8 characters at most']);
    expect(await put({ Grade: 'tin' })).toEqual([400, 'Grade takes one of: 1.4301, DC01']);
    expect(await put({ Revision: 'Z' })).toEqual([400, 'Revision is kept by the vault itself']);
    expect(await said(call('put', '/files/999/record').send({ record: {} }))).toEqual([404, 'there is no file 999']);
    expect((await call('post', '/files/x/check-out').send({ by: 'Ann' })).status).toBe(400);
    expect((await call('post', `/files/${id}/check-in`).set('x-check-in', 'nonsense').send(Buffer.from('x'))).status).toBe(400);
  });
  it('changes the definition of fields as far as records allow, and where it may be changed', async () => {
    const field = (more: object) => ({ name: 'Weight', type: 'number', ...more });
    expect((await call('post', '/fields').send(field({}))).status).toBe(200);
    expect(await said(call('post', '/fields').send(field({ name: 'weight' })))).toEqual([409, 'records have a field weight already']);
    expect(await said(call('post', '/fields').send({ name: 'State', type: 'text' }))).toEqual([409, 'State is kept by the vault itself']);
    expect(await said(call('post', '/fields').send({ name: 'Shop', type: 'list' }))).toEqual([400, 'the list of Shop offers nothing']);
    expect((await said(call('post', '/fields').send({ name: 'Made', type: 'date', initial: 'soon' })))[1]).toMatch(
      /initial value does not fit: Made takes a date/,
    );
    const id = await idOf('a/arm.step');
    await call('put', `/files/${id}/record`).send({ record: { Weight: '2.5', Title: 'Arm' } });
    expect(await said(call('put', '/fields/Weight').send(field({ type: 'yes or no' })))).toEqual([409, 'a/arm.step holds "2.5": Weight takes yes or no']);
    // A rename keeps the values.
    expect((await call('put', '/fields/Weight').send(field({ name: 'Mass' }))).status).toBe(200);
    expect((await call('get', `/files/${id}`)).body).toMatchObject({ record: { Mass: '2.5' } });
    await call('put', '/fields/Mass').send(field({ name: 'Mass', retired: true }));
    expect(await said(call('put', `/files/${id}/record`).send({ record: { Mass: '3' } }))).toEqual([400, 'the field Mass is retired']);
    expect(await said(call('put', '/fields/Released%20by').send({ name: 'Released by', type: 'text' }))).toEqual([
      403,
      "only the vault's administrator changes Released by",
    ]);
    expect((await call('put', '/link-table').send({ rows: [{ field: 'Number', kind: 'part', name: 'Part number' }] })).body).toEqual([
      { field: 'Number', kind: 'part', name: 'Part number' },
    ]);
    const closed = request(vaultApp(new VaultStore(sequelize, false), 'secret'))
      .post('/api/fields')
      .set('authorization', 'Bearer secret');
    expect(await said(closed.send({ name: 'Open', type: 'text' }))).toEqual([403, "only the vault's administrator changes fields and the link table"]);
  });
  it('misbehaves when it is told to, for as long as it is told', async () => {
    const app = vaultApp(vault, 'secret');
    const ask = () => request(app).get('/api/definition').set('authorization', 'Bearer secret');
    const told = (faults: object) => request(app).post('/api/faults').set('authorization', 'Bearer secret').send(faults);
    await told({ failNext: 1, delayMs: 120 });
    const began = Date.now();
    expect((await ask()).status).toBe(500);
    expect(Date.now() - began).toBeGreaterThanOrEqual(115);
    await told({ skip: 1, dropNext: 1 });
    expect((await ask()).status).toBe(200);
    await expect(ask()).rejects.toThrow();
    expect((await ask()).status).toBe(200);
    // Done, but the answer was lost.
    await told({ loseNext: 1 });
    await expect(request(app).post('/api/folders').set('authorization', 'Bearer secret').send({ path: 'lost' })).rejects.toThrow();
    expect(await vault.folders()).toContainEqual({ path: 'lost', files: 0 });
  });
  it('is described by OpenAPI as it is', async () => {
    const config = await createConfig({
      extends: ['recommended'],
      rules: { 'no-server-example.com': 'off', 'no-unused-components': 'off', 'operation-4xx-response': 'error' },
    });
    const found = await lintFromString({ source: JSON.stringify(describeApi(vault)), config });
    expect(found.filter((problem) => problem.severity === 'error').map((problem) => problem.message)).toEqual([]);
    const { paths } = describeApi(vault) as { paths: Record<string, Record<string, { operationId: string }>> };
    expect(Object.entries(paths).flatMap(([path, ways]) => Object.keys(ways).map((way) => `${way} ${path}`))).toContain('post /api/files/{id}/check-in');
  });
});

describe('fields', () => {
  it('know what they take', () => {
    const of = (type: Parameters<typeof newField>[1]) => newField('F', type);
    for (const [field, good, bad] of [
      [of({ type: 'number' }), ['0', '-1.5', '1e3'], ['', '1,5', '0x1', 'one']],
      [of({ type: 'date' }), ['2024-02-29'], ['2023-02-29', '29.02.2024', '2024-2-9']],
      [of({ type: 'yes or no' }), ['yes', 'no'], ['true', 'Yes']],
      [of({ type: 'text', length: 2 }), ['ab', '😀😀'], ['abc']],
    ] as const) {
      for (const text of good) expect(whyNotHeld(field, text)).toBeNull();
      for (const text of bad) expect(whyNotHeld(field, text)).toMatch(/^F takes/);
    }
  });
  it('belong to kinds and classes', () => {
    expect(has(newField('F'), 'part', null)).toBe(true);
    expect(has(newField('F', { kinds: ['drawing'] }), 'part', null)).toBe(false);
    expect(has(newField('F', { classes: ['bought'] }), 'part', null)).toBe(false);
    expect(has(newField('F', { classes: ['bought'] }), 'part', 'bought')).toBe(true);
  });
  it('have revisions that go on after Z', () => {
    expect(['A', 'Y', 'Z', 'AZ', 'ZZ'].map(nextRevision)).toEqual(['B', 'Z', 'AA', 'BA', 'AAA']);
  });
});
