import { get } from 'node:http';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { ChangeSetRow, FirstPassword, NewToken, PersonRow, Problem, SessionState, TokenRow } from '@rule/contract';
import { DEMO_PASSWORD } from '@rule/demo';
import { pino } from 'pino';
import request from 'supertest';
import { buildApp } from '../src/app';
import { readConfig } from '../src/config';
import { run } from '../../cli/src/rule';
import { ANSWERS, Person, Rule, startRule } from './harness';

let rule: Rule;
let varga: Person;
let okafor: Person;
beforeAll(async () => {
  rule = await startRule();
  [varga, okafor] = [await rule.signIn('varga'), await rule.signIn('okafor')];
}, 60_000);
afterAll(() => rule.stop());

const people = async () => (await varga.get('/people')).body as PersonRow[];
const named = async (name: string) => (await people()).find((person) => person.name === name)!;
const codeOf = async (answer: PromiseLike<{ body: unknown }>) => ((await answer).body as Problem).code;
/** Signs in with a password; returns the answer and a client. */
async function comeIn(name: string, password: string) {
  const agent = request.agent(rule.url);
  const answer = await agent.post('/api/session').send({ name, password });
  return { agent, status: answer.status, state: answer.body as SessionState };
}

describe('people', () => {
  it('are added with a first password, and choose their own before anything else', async () => {
    const draft = { name: 'b.marsh', displayName: 'Bea Marsh', role: 'editor' };
    expect((await okafor.post('/people', draft)).status).toBe(403);
    const { password } = (await varga.post('/people', draft).expect(200)).body as FirstPassword;
    expect(await codeOf(varga.post('/people', draft))).toBe('name-taken');
    const { agent, state } = await comeIn('b.marsh', password);
    expect(state.user).toEqual({ name: 'b.marsh', displayName: 'Bea Marsh', role: 'editor', firstPassword: true });
    expect(await codeOf(agent.get('/api/values'))).toBe('first-password');
    const change = (current: string, next: string) => agent.put('/api/profile/password').set('x-rule-csrf', state.csrf).send({ current, next });
    expect(await codeOf(change('wrong', 'a long new one'))).toBe('wrong-password');
    expect(await codeOf(change(password, 'short'))).toBe('short-password');
    expect(await codeOf(change(password, password))).toBe('same-password');
    expect(await codeOf(change(password, 'my B.Marsh word'))).toBe('name-in-password');
    const elsewhere = await comeIn('b.marsh', password);
    await change(password, 'tin roof rusted').expect(200);
    await agent.get('/api/values').expect(200);
    expect((await elsewhere.agent.get('/api/values')).status).toBe(401);
    expect((await comeIn('b.marsh', password)).status).toBe(401);
    expect(await named('b.marsh')).toMatchObject({ firstPassword: false, locked: false, tokens: 0, signedInAt: expect.any(String) });
  });

  it('get other roles, are locked and let in again, at once', async () => {
    const { id } = await named('b.marsh');
    const { agent, state } = await comeIn('b.marsh', 'tin roof rusted');
    const set = (change: object) => varga.put(`/people/${id}`, { displayName: 'Bea Marsh', role: 'viewer', locked: false, ...change });
    await set({}).expect(200);
    expect((await agent.post('/api/libraries/rescan').set('x-rule-csrf', state.csrf).send({})).status).toBe(403);
    await set({ locked: true }).expect(200);
    expect((await agent.get('/api/values')).status).toBe(401);
    expect((await comeIn('b.marsh', 'tin roof rusted')).status).toBe(401);
    await set({ role: 'editor' }).expect(200);
    expect((await comeIn('b.marsh', 'tin roof rusted')).status).toBe(200);
    const { password } = (await varga.post(`/people/${id}/password`).expect(200)).body as FirstPassword;
    expect([(await comeIn('b.marsh', 'tin roof rusted')).status, (await comeIn('b.marsh', password)).status]).toEqual([401, 200]);
  });

  it('always have an administrator among them', async () => {
    const me = await named('varga');
    const change = { displayName: me.displayName, role: 'administrator', locked: false };
    expect(await codeOf(varga.put(`/people/${me.id}`, { ...change, role: 'editor' }))).toBe('last-administrator');
    expect(await codeOf(varga.put(`/people/${me.id}`, { ...change, locked: true }))).toBe('yourself');
    expect(await codeOf(varga.delete(`/people/${me.id}`))).toBe('yourself');
    // Two administrators demote each other at once: one remains.
    const other = await named('okafor');
    await varga.put(`/people/${other.id}`, { displayName: other.displayName, role: 'administrator', locked: false }).expect(200);
    await Promise.all([
      varga.put(`/people/${other.id}`, { displayName: other.displayName, role: 'editor', locked: false }),
      okafor.put(`/people/${me.id}`, { ...change, role: 'editor' }),
    ]);
    const left = await rule.db.all<{ name: string }>(`SELECT name FROM users WHERE role = 'administrator' AND state = 'active'`);
    expect(left).toHaveLength(1);
    await rule.db.run(`UPDATE users SET role = CASE name WHEN 'varga' THEN 'administrator' ELSE 'editor' END WHERE name IN ('varga', 'okafor')`);
  });

  it('who are removed stay in history by their name, and cannot come back', async () => {
    const { id, password } = (await varga.post('/people', { name: 'leaver', displayName: 'Len Leaver', role: 'editor' })).body as FirstPassword;
    const { agent, state } = await comeIn('leaver', password);
    await agent.put('/api/profile/password').set('x-rule-csrf', state.csrf).send({ current: password, next: 'goodbye to all that' }).expect(200);
    const body = { values: [{ file: await rule.file('parts/drum.step'), property: await rule.property('Finish'), text: 'polished' }] };
    await agent.post('/api/tray').set('x-rule-csrf', state.csrf).send(body).expect(200);
    await agent.post('/api/tray/apply').set('x-rule-csrf', state.csrf).send({ mode: 'whole' }).expect(200);
    await varga.delete(`/people/${id}`).expect(200);
    expect((await agent.get('/api/values')).status).toBe(401);
    expect((await comeIn('leaver', 'goodbye to all that')).status).toBe(401);
    expect(((await varga.get('/history')).body as ChangeSetRow[])[0]!.by).toBe('Len Leaver');
    expect(await named('leaver')).toBeUndefined();
    // The name is free again.
    await varga.post('/people', { name: 'leaver', displayName: 'Another', role: 'viewer' }).expect(200);
    expect((await varga.delete(`/people/${id}`)).status).toBe(404);
  });
});

describe('tokens', () => {
  const asks = (token: string, path = '/values', method: 'get' | 'post' = 'get', body?: object) =>
    request(rule.url)[method](`/api${path}`).set('authorization', `Bearer ${token}`).send(body);
  const make = async (person: Person, draft: object) => (await person.post('/tokens', draft).expect(200)).body as NewToken;

  it('end by themselves, do what they are for, and make no others', async () => {
    const read = await make(okafor, { name: 'report', scope: 'read', days: 1 });
    const work = await make(okafor, { name: 'nightly' });
    const { id: mine } = await named('okafor');
    expect(((await okafor.get('/tokens')).body as TokenRow[]).map(({ name, scope, mine: own }) => [name, scope, own])).toEqual([
      ['nightly', 'work', true],
      ['report', 'read', true],
    ]);
    expect([(await asks(read.token)).status, (await asks(read.token, '/libraries/rescan', 'post', {})).status]).toEqual([200, 403]);
    expect(await codeOf(asks(work.token, '/tokens', 'post', { name: 'another' }))).toBe('token-by-token');
    await rule.db.run(`UPDATE api_tokens SET expires_at = now() WHERE id = $1`, [read.id]);
    expect(await codeOf(asks(read.token))).toBe('wrong-token');
    const administrators = await make(varga, { name: 'work', scope: 'work' });
    expect(await codeOf(asks(administrators.token, '/people'))).toBe('token-scope');
    // Administrators see and end all of them.
    expect(((await varga.get('/tokens')).body as TokenRow[]).map((row) => row.by)).toContain('Tobe Okafor');
    expect((await okafor.delete(`/tokens/${administrators.id}`)).status).toBe(404);
    await varga.delete(`/tokens/${work.id}`).expect(200);
    expect((await asks(work.token)).status).toBe(401);
    const locked = await make(okafor, { name: 'locked' });
    await varga.put(`/people/${mine}`, { displayName: 'Tobe Okafor', role: 'editor', locked: true }).expect(200);
    expect((await asks(locked.token)).status).toBe(401);
    await varga.put(`/people/${mine}`, { displayName: 'Tobe Okafor', role: 'editor', locked: false }).expect(200);
    okafor = await rule.signIn('okafor');
  });

  it('and sessions take their event streams along when they end', async () => {
    const { id, token } = await make(okafor, { name: 'listens' });
    const { agent, state } = await comeIn('okafor', DEMO_PASSWORD);
    const cookie = ((await agent.get('/api/session')).headers['set-cookie'] as unknown as string[] | undefined)?.[0] ?? '';
    /** Opens a stream; resolves at its end. */
    const stream = (headers: Record<string, string>) =>
      new Promise<{ ended: Promise<void> }>((done) => {
        get(`${rule.url}/api/jobs/events`, { headers }, (response) => {
          expect(response.statusCode).toBe(200);
          response.resume();
          done({ ended: new Promise((end) => response.on('end', end)) });
        });
      });
    const byToken = await stream({ authorization: `Bearer ${token}` });
    const bySession = await stream({ cookie: cookie.split(';')[0]! });
    await okafor.delete(`/tokens/${id}`).expect(200);
    await agent.delete('/api/session').set('x-rule-csrf', state.csrf).expect(200);
    await Promise.all([byToken.ended, bySession.ended]);
  });

  it('of the scope people manage people from the command line', async () => {
    const { token } = await make(varga, { name: 'people', scope: 'people' });
    const rule_ = async (...args: string[]) => {
      let [out, err] = ['', ''];
      const env = { RULE_TOKEN: token, RULE_SERVER: rule.url };
      const exit = await run(
        args,
        env,
        (text) => void (out += text),
        (text) => void (err += text),
      );
      return { exit, out, err };
    };
    const added = await rule_('people', 'add', 'c.ling', 'Cho Ling', '--role', 'checker');
    expect(added.exit).toBe(0);
    expect(added.out).toMatch(/c\.ling.*[a-z2-9]{4}-[a-z2-9]{4}-[a-z2-9]{4}-[a-z2-9]{4}/s);
    expect((await rule_('people', 'role', 'c.ling', 'editor')).exit).toBe(0);
    expect((await rule_('people', 'lock', 'c.ling')).exit).toBe(0);
    expect(JSON.parse((await rule_('people', '--output', 'json')).out)).toContainEqual(
      expect.objectContaining({ name: 'c.ling', role: 'editor', state: 'locked' }),
    );
    expect((await rule_('people', 'unlock', 'c.ling')).exit).toBe(0);
    expect((await rule_('people', 'reset', 'c.ling')).out).toMatch(/[a-z2-9]{4}(-[a-z2-9]{4}){3}/);
    expect((await rule_('people', 'remove', 'c.ling')).exit).toBe(0);
    expect(await rule_('people', 'lock', 'c.ling')).toMatchObject({ exit: 3, err: expect.stringContaining('There is no sign-in name c.ling') });
  });
});

describe('what people share', () => {
  it('is decided by its owner and by administrators, and seen by the others', async () => {
    const lindqvist = await rule.signIn('lindqvist');
    const view = (await rule.db.one<{ id: number }>(
      `INSERT INTO grid_views (name, user_id, shared, content) SELECT 'Shared', id, true, '{}' FROM users WHERE name = 'okafor' RETURNING id`,
    ))!;
    expect((await lindqvist.delete(`/values/views/${view.id}`)).status).toBe(404);
    await varga.delete(`/values/views/${view.id}`).expect(200);
    const table = Buffer.from('File,Finish\nDR-15/parts/trier.step,brushed\n');
    const { takeBack } = (await okafor.upload('/exchange/take-backs', 'finish.csv', table).expect(200)).body as { takeBack: { id: number } };
    expect(await codeOf(lindqvist.post(`/exchange/take-backs/${takeBack.id}/apply`, { mode: 'whole' }))).toBe('not-yours');
    await lindqvist.get(`/exchange/take-backs/${takeBack.id}`).expect(200);
    expect(await varga.applyTable(takeBack.id)).toMatchObject({ state: 'applied', applied: 1 });
  });
});

describe('behind a proxy', () => {
  it('addresses are taken from it where it is named, and cookies go by HTTPS alone', async () => {
    const { app, close } = buildApp({
      services: rule.services,
      databaseUrl: rule.databaseUrl,
      sessionSecret: 'test',
      webFolder: null,
      answers: ANSWERS,
      log: pino({ level: 'silent' }),
      reach: { proxies: 1, https: true },
    });
    try {
      const come = (address: string, password: string) =>
        request(app).post('/api/session').set('x-forwarded-for', address).set('x-forwarded-proto', 'https').send({ name: 'haas', password });
      for (let i = 0; i < 5; i++) await come('192.0.2.1', 'guess');
      expect([(await come('192.0.2.1', DEMO_PASSWORD)).status, (await come('192.0.2.2', DEMO_PASSWORD)).status]).toEqual([429, 200]);
      const answer = await come('192.0.2.3', DEMO_PASSWORD);
      expect([answer.headers['set-cookie']?.[0], answer.headers['strict-transport-security']]).toEqual([expect.stringContaining('Secure'), expect.any(String)]);
    } finally {
      await close();
    }
  });
  it('settings that cannot be are refused by name', () => {
    const before = { ...process.env };
    Object.assign(process.env, { RULE_DATABASE_URL: 'x', RULE_VAULT_TOKEN: 'x', RULE_SESSION_SECRET: 'x' });
    try {
      process.env['RULE_PROXIES'] = '127.0.0.1, 10.0.0.0/8';
      expect(readConfig().reach).toEqual({ proxies: ['127.0.0.1', '10.0.0.0/8'], https: false });
      process.env['RULE_PROXIES'] = 'everybody';
      expect(() => readConfig()).toThrow('RULE_PROXIES holds everybody');
      delete process.env['RULE_PROXIES'];
      process.env['RULE_HTTPS'] = 'yes';
      expect(() => readConfig()).toThrow('RULE_HTTPS needs RULE_PROXIES');
      process.env['RULE_HTTPS'] = 'maybe';
      expect(() => readConfig()).toThrow('RULE_HTTPS is maybe');
    } finally {
      process.env = before;
    }
  });
});

describe('input that is no text', () => {
  it('is refused with a sentence', async () => {
    const file = await rule.file('parts/drum.step');
    const property = await rule.property('Finish');
    for (const text of ['a\u0000b', 'half \ud83d']) {
      const answer = await okafor.post('/tray', { values: [{ file, property, text }] });
      expect([answer.status, (answer.body as Problem).detail]).toEqual([400, expect.stringContaining('values.0.text')]);
    }
    expect((await okafor.get('/values?search=%00')).status).toBe(400);
    const bad = await request(rule.url).post('/api/session').set('content-type', 'application/json').send('{"name":"a\\u0000","password":"x"}');
    expect([bad.status, typeof (bad.body as Problem).detail]).toEqual([400, 'string']);
  });
});
