import { rmSync, truncateSync, utimesSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import {
  BomTable,
  FileDetails,
  ReplacementPreview,
  GridPage,
  MOST_TRAY_LINES,
  Overview,
  Problem,
  Remark,
  RescanReport,
  Survey,
  Tray,
  TrayLine,
} from '@rule/contract';
import { plainContent } from '@rule/core/bom';
import { newDraft } from '@rule/core/schema';
import { Hop } from '@rule/core/trace';
import request from 'supertest';
import { DEMO_PASSWORD } from '@rule/demo';
import { Person, Rule, startRule } from './harness';

let rule: Rule;
let varga: Person;
let okafor: Person;
let haas: Person;
let guest: Person;

beforeAll(async () => {
  rule = await startRule({ jobs: true, prepareLibrary: (folder) => writeFileSync(join(folder, 'broken.step'), 'ISO-10303-21;\nHEADER;\n') });
  [varga, okafor, haas, guest] = (await Promise.all(['varga', 'okafor', 'haas', 'guest'].map((name) => rule.signIn(name)))) as [Person, Person, Person, Person];
}, 60_000);
afterAll(() => rule.stop());

const reread = async () => (await okafor.job(await okafor.post('/libraries/rescan'))).result as RescanReport;
const draft = (change: object) => ({ ...newDraft('Colour'), ...change });

describe('the door', () => {
  it('asks for a sign-in, a token with every change, and a role', async () => {
    const stranger = await request(rule.url).get('/api/values');
    expect([stranger.status, stranger.type, (stranger.body as Problem).code]).toEqual([401, 'application/problem+json', 'not-signed-in']);
    const agent = request.agent(rule.url);
    // A session starts at sign-in, and a foreign page's form cannot sign anyone in.
    expect((await agent.get('/api/session')).headers['set-cookie']).toBeUndefined();
    expect((await agent.post('/api/session').type('form').send({ name: 'varga', password: DEMO_PASSWORD })).status).toBe(400);
    await agent.post('/api/session').send({ name: 'varga', password: DEMO_PASSWORD }).expect(200);
    expect(((await agent.post('/api/tray/drop').send({ lines: 'all' })).body as Problem).code).toBe('csrf');
    // Bodies of unauthorised senders are not read.
    for (const [person, status] of [
      [request(rule.url).post('/api/tray').set('content-type', 'application/json').send('{ this is no JSON'), 401],
      [guest.post('/tray', {}), 403],
    ] as const)
      expect((await person).status).toBe(status);
    const file = await rule.file('drum.step');
    const property = await rule.property('Finish');
    for (const [person, status] of [
      [guest, 403],
      [haas, 403],
      [okafor, 200],
    ] as const)
      expect((await person.post('/tray', { values: [{ file, property, text: 'polished' }] })).status).toBe(status);
    await okafor.post('/tray/drop', { lines: ((await okafor.get('/tray')).body as { lines: { id: number }[] }).lines.map((line) => line.id) });
    expect((await okafor.post('/schema/draft/properties', { properties: [draft({})] })).status).toBe(403);
    expect((await haas.get('/values')).status).toBe(200);
  });
  it('takes a role away at once', async () => {
    await rule.db.run(`UPDATE users SET role = 'viewer' WHERE name = 'lindqvist'`);
    const lindqvist = await rule.signIn('lindqvist');
    expect((await lindqvist.post('/libraries/rescan')).status).toBe(403);
    await rule.db.run(`UPDATE users SET role = 'editor' WHERE name = 'lindqvist'`);
    expect((await lindqvist.get('/tray')).status).toBe(200);
  });
  it('lets nobody guess passwords for long', async () => {
    const agent = request.agent(rule.url);
    const codes: string[] = [];
    for (let i = 0; i < 7; i++) codes.push(((await agent.post('/api/session').send({ name: 'varga', password: `guess ${i}` })).body as Problem).code);
    expect(codes.slice(0, 5)).toEqual(Array(5).fill('wrong-sign-in'));
    expect(codes.slice(5)).toEqual(['too-many-attempts', 'too-many-attempts']);
    // Other users behind the same address are not blocked.
    await request(rule.url).post('/api/session').send({ name: 'okafor', password: DEMO_PASSWORD }).expect(200);
  });
  it('sends a strict policy and describes itself', async () => {
    const answer = await request(rule.url).get('/api/openapi.json');
    expect(answer.headers['content-security-policy']).toMatch(/default-src 'none'.*script-src 'self';/);
    const paths = (answer.body as { openapi: string; paths: Record<string, Record<string, { summary: string; requestBody?: object }>> }).paths;
    expect(Object.keys(paths).length).toBeGreaterThan(30);
    expect(paths['/api/tray']!['post']!.requestBody).toMatchObject({
      content: {
        'application/json': {
          schema: { type: 'object', required: ['values'], properties: { values: { type: 'array', items: { required: ['file', 'property', 'text'] } } } },
        },
      },
    });
  });
  it('answers what it does not know with a code', async () => {
    expect(((await varga.get('/nothing')).body as Problem).code).toBe('no-such-route');
    expect(((await varga.get('/files/999999')).body as Problem).code).toBe('not-found');
    expect(((await varga.get('/files/x')).body as Problem).code).toBe('bad-request');
    const bad = await varga.post('/tray', { values: [{ file: 'x', property: 1, text: '' }], more: 1 });
    expect([bad.status, (bad.body as Problem).issues!.map((issue) => issue.field)]).toEqual([400, ['values.0.file', 'more']]);
  });
});

describe('a library', () => {
  it('is read whole, and a broken file stops nothing', async () => {
    const survey = (await varga.get('/survey')).body as Survey;
    expect(survey.libraries).toMatchObject([{ name: 'Workshop', files: 23, unread: 1 }]);
    expect(survey.remarks).toBe(((await varga.get('/survey/remarks')).body as Remark[]).length);
    expect(((await varga.get('/survey/remarks')).body as Remark[]).filter((remark) => remark.about === 'cannot be read')).toEqual([
      expect.objectContaining({ path: 'broken.step', message: expect.stringContaining('The file ends') }),
    ]);
    const names = survey.names.filter((row) => row.name.startsWith('Material')).map(({ name, level, kind, files }) => [name, level, kind, files]);
    expect(names).toEqual([
      ['Material', 'copy', 'assembly', 1],
      ['Material', 'document', 'part', 14],
      ['Material ', 'document', 'part', 1],
    ]);
    expect(survey.names.find((row) => row.name === 'Finish')).toMatchObject({ files: 11, filled: 10, standIns: 1 });
    expect(survey.names.filter((row) => row.level === 'occurrence').map((row) => [row.name, row.distinct])).toEqual([
      ['Lubrication interval', 2],
      ['Tightening torque', 2],
    ]);
  });
  it('is read again only where something changed', async () => {
    expect(await reread()).toMatchObject({ added: 0, changed: 0, removed: 0, unchanged: 23 });
    const broken = join(rule.library, 'broken.step');
    writeFileSync(broken, rule.bytes('parts/drum.step'));
    utimesSync(broken, new Date(), new Date(Date.now() + 2000));
    writeFileSync(join(rule.library, 'notes.txt'), 'not a CAD file');
    writeFileSync(join(rule.library, '.hidden'), 'x');
    expect(await reread()).toMatchObject({ added: 1, changed: 1, unchanged: 22, passedOver: 1, failed: [] });
    rmSync(broken);
    expect(await reread()).toMatchObject({ removed: 1, unchanged: 23 });
    expect(((await okafor.get('/values')).body as GridPage).total).toBe(23);
    rmSync(join(rule.library, 'notes.txt'));
    expect(await reread()).toMatchObject({ removed: 1, unchanged: 22 });
  });
  it('does not read a file over the limit, and names it', async () => {
    const huge = join(rule.library, 'huge.step');
    writeFileSync(huge, 'ISO-10303-21;');
    // A sparse file takes no disk space.
    truncateSync(huge, 513 * 1024 * 1024);
    expect(await reread()).toMatchObject({
      added: 1,
      failed: [{ path: 'huge.step', message: 'The file is 513 MiB; the limit is 512 MiB.' }],
    });
    rmSync(huge);
    await reread();
  });
  it('refuses folders that are none, are taken or are its own', async () => {
    const add = async (path: string) => ((await varga.post('/libraries', { name: 'Other', path })).body as Problem).code;
    expect(await add('/no/such/folder')).toBe('no-folder');
    expect(await add(join(rule.library, 'DR-15'))).toBe('library-taken');
    expect(await add(rule.data)).toBe('own-folder');
  });
});

describe('the schema', () => {
  it('shows the way of a property with its breaks', async () => {
    const hops = (await haas.get(`/properties/${await rule.property('Material')}/way`)).body as Hop[];
    expect(hops.map((hop) => [hop.station, hop.state])).toEqual([
      ['schema', 'good'],
      ['values', 'good'],
      ['survey', 'broken'],
      ['forms', 'good'],
      ['title-blocks', 'broken'],
      ['bom', 'good'],
      ['bom', 'good'],
      ['bom', 'good'],
      ['exchange', 'good'],
      ['vault', 'good'],
      ['vault', 'broken'],
    ]);
    expect(hops.at(-1)!.why).toContain('"Material "');
    // Counted by hand in the demo's records.
    expect(hops.find((hop) => hop.station === 'vault')!.detail).toBe('part: in always, out always; filled in 6 of 16 records');
  });
});

describe('values', () => {
  it('are looked through for a replacement, with what waits in the own tray, and nothing is written', async () => {
    const [finish, supplier, saved] = [await rule.property('Finish'), await rule.property('Supplier'), await rule.property('Saved by')];
    const ask = async (body: object, person = okafor) =>
      (await person.post('/values/find', { filter: {}, properties: [finish, supplier], find: '', by: '', whole: false, matchCase: false, ...body }))
        .body as ReplacementPreview;
    const brushed = await ask({ find: 'BRUSH', by: 'polish' });
    expect(brushed.more).toBe(false);
    expect(brushed.values.length).toBeGreaterThan(2);
    expect(new Set(brushed.values.map((found) => [found.before, found.after, found.problem ?? ''].join('/')))).toEqual(new Set(['brushed/polished/']));
    expect([...brushed.values].sort((a, b) => (a.path < b.path ? -1 : 1))).toEqual(brushed.values);
    expect((await ask({ find: 'BRUSH', by: 'polish', matchCase: true })).values).toEqual([]);
    expect((await ask({ find: 'brush', by: 'polish', whole: true })).values).toEqual([]);
    // Schema violations are shown with the reason; pattern characters are literal.
    expect((await ask({ find: 'brushed', by: 'no such finish' })).values[0]!.problem).not.toBeNull();
    expect((await ask({ find: '%' })).values).toEqual([]);
    // Own pending changes count as present, others' do not.
    const { file } = brushed.values[0]!;
    await okafor.post('/tray', { values: [{ file, property: supplier, text: 'Kolbe Öfen' }] });
    expect((await ask({ find: 'ÖFEN', by: 'Ovens' })).values).toEqual([
      { file, path: brushed.values[0]!.path, property: supplier, before: 'Kolbe Öfen', after: 'Kolbe Ovens', problem: null },
    ]);
    expect((await ask({ find: 'öfen' }, varga)).values).toEqual([]);
    await okafor.post('/tray/drop', { lines: 'all' });
    // Blanks match as whole values; computed values are not replaced; a folder filter is exact.
    const blanks = await ask({ whole: true, by: 'raw', properties: [finish], filter: { folder: 'DR-15' } });
    expect(blanks.values.every((found) => found.before === '' && found.path.startsWith('DR-15/'))).toBe(true);
    expect((await ask({ find: 'Okafor', by: 'X', properties: [saved] })).values.every((found) => found.problem?.includes('taken from the file'))).toBe(true);
    expect((await okafor.post('/values/find', { filter: {}, properties: [] })).status).toBe(400);
    expect((await guest.post('/values/find', { filter: {}, properties: [finish], find: 'a', by: '', whole: false, matchCase: false })).status).toBe(403);
  });
  it('come page by page, sorted and filtered', async () => {
    const mass = await rule.property('Mass');
    const page = (await guest.get(`/values?sort=${mass}&descending=true&limit=3&kind=part`)).body as GridPage;
    expect([page.total, page.rows.map((row) => row.held[mass]?.text)]).toEqual([16, ['9.447', '7.961', '5.31']]);
    const blanksLast = (await guest.get(`/values?sort=${mass}&limit=50`)).body as GridPage;
    expect(blanksLast.rows.slice(-6).every((row) => row.held[mass] === undefined)).toBe(true);
    expect(((await guest.get('/values?folder=DR-15')).body as GridPage).total).toBe(19);
    expect(((await guest.get('/values?folder=DR_15')).body as GridPage).total).toBe(0);
    expect(((await guest.get('/values?search=0062042')).body as GridPage).rows.map((row) => row.file.name)).toEqual(['drum-bearing.step']);
    expect(((await guest.get('/values?search=100%25')).body as GridPage).total).toBe(0);
    const savedBy = await rule.property('Saved by');
    expect(((await guest.get('/values?search=trier.step')).body as GridPage).rows[0]!.held[savedBy]).toEqual({ text: 'T. Okafor', form: 'text' });
  });
  it('add up in the overview', async () => {
    const overview = (await guest.get('/overview')).body as Overview;
    for (const { files, filled, standIns, blank } of overview.coverage) {
      expect(filled + standIns + blank).toBe(files);
      expect(blank).toBeGreaterThanOrEqual(0);
    }
    const finish = await rule.property('Finish');
    expect(overview.coverage.filter((entry) => entry.property === finish)).toEqual([
      { property: finish, kind: 'part', files: 16, filled: 10, standIns: 1, blank: 5 },
    ]);
    expect(overview.toDo.find((item) => item.text.includes('required'))!.count).toBe(2);
  });
});

describe('the log', () => {
  it('tells requests, but no value of any property', async () => {
    await okafor.post('/tray', { values: [{ file: await rule.file('drum.step'), property: await rule.property('Supplier'), text: 'Quillmere Castings' }] });
    await okafor.get('/values?search=Quillmere');
    const log = rule.logged.join('');
    expect(log).toContain('"path":"/api/tray"');
    expect(log).toMatch(/"status":200/);
    expect(log).not.toContain('Quillmere');
    await okafor.post('/tray/drop', { lines: ((await okafor.get('/tray')).body as { lines: { id: number }[] }).lines.map((line) => line.id) });
  });
});

describe('identity', () => {
  it('remembers what a person settled', async () => {
    const assembly = await rule.file('roaster.step');
    const motor = await rule.file('bought parts/gear-motor.step');
    expect((await okafor.put(`/files/${assembly}/part`, { product: 'BP-GM40', part: motor })).status).toBe(200);
    await reread();
    const table = (await guest.post(`/files/${assembly}/bom`, { layout: null, content: plainContent([]) })).body as BomTable;
    expect(table.rows[10]!.match).toEqual({ state: 'matched', file: motor, by: 'settled' });
    expect(((await okafor.put(`/files/${assembly}/part`, { product: 'BP-GM40', part: assembly })).body as Problem).code).toBe('not-a-part');
    await okafor.put(`/files/${assembly}/part`, { product: 'BP-GM40', part: null });
  });
  it('knows the model of a drawing by property, by base name, or by decision', async () => {
    const [plate, hopper, drum] = [await rule.file('face-plate.dxf'), await rule.file('bean hopper.dxf'), await rule.file('parts/drum.step')];
    expect(((await guest.get(`/files/${plate}`)).body as FileDetails).model).toMatchObject({ state: 'matched', by: 'base name' });
    expect(((await guest.get(`/files/${hopper}`)).body as FileDetails).model).toMatchObject({ state: 'matched', by: 'document property' });
    await okafor.put(`/files/${plate}/model`, { model: drum });
    expect(((await guest.get(`/files/${plate}`)).body as FileDetails).model).toEqual({ state: 'matched', file: drum, by: 'settled' });
    await okafor.put(`/files/${plate}/model`, { model: null });
  });
});

describe('a full tray', () => {
  it('counts all of its lines, shows the first ones with decisions before the others, and takes “all” for an answer', async () => {
    const [arm, released] = [await rule.file('agitator-arm.step'), await rule.file('chimney-stub.step')];
    const user = (await rule.db.one<{ id: number }>(`SELECT id FROM users WHERE name = 'okafor'`))!.id;
    const set = await rule.services.trays.pendingSet(rule.db, { id: user });
    await rule.db.run(
      `INSERT INTO change_lines (change_set_id, file_id, holder, place, name, base, proposed, reason)
       SELECT $1, $2, '', 'property', 'Stray ' || n, NULL, '{"text":"x","form":"text"}', 'many' FROM generate_series(1, 6000) n`,
      [set, arm],
    );
    // Two need a decision: a value changed meanwhile, and a released file.
    await rule.db.run(
      `INSERT INTO change_lines (change_set_id, file_id, holder, place, name, base, proposed, reason)
       VALUES ($1, $2, '', 'property', 'Description', '{"text":"never so","form":"text"}', '{"text":"y","form":"text"}', 'one'), ($1, $3, '', 'property', 'Stray 1', NULL, '{"text":"x","form":"text"}', 'one')`,
      [set, arm, released],
    );
    const tray = async () => (await okafor.get('/tray')).body as Tray;
    const full = await tray();
    expect(full.counts).toEqual({ lines: 6002, accepted: 6002, files: 2, undecided: 2 });
    expect(full.lines).toHaveLength(MOST_TRAY_LINES);
    expect(full.lines.slice(0, 2).map((line) => [line.name, line.verdict, line.refused !== null])).toEqual([
      ['Description', 'conflict', false],
      ['Stray 1', 'apply', true],
    ]);
    expect(full.lines.slice(2).every((line) => line.verdict === 'apply' && line.refused === null)).toBe(true);
    expect((await okafor.post('/tray/accept', { lines: 'all', accepted: false })).body).toMatchObject({ counts: { accepted: 0, undecided: 0 } });
    expect((await okafor.post('/tray/drop', { lines: 'all' })).body).toEqual({
      counts: { lines: 0, accepted: 0, files: 0, undecided: 0 },
      steps: { undo: 0, redo: 0 },
      lines: [],
    });
  });

  it('tells what is pending for some files, and undoes and redoes what was typed, however much waits before it', async () => {
    const [arm, hopper] = [await rule.file('agitator-arm.step'), await rule.file('bean-hopper.step')];
    const user = (await rule.db.one<{ id: number }>(`SELECT id FROM users WHERE name = 'okafor'`))!.id;
    const set = await rule.services.trays.pendingSet(rule.db, { id: user });
    await rule.db.run(
      `INSERT INTO change_lines (change_set_id, file_id, holder, place, name, base, proposed, reason)
       SELECT $1, $2, '', 'property', 'Stray ' || n, NULL, '{"text":"x","form":"text"}', 'many' FROM generate_series(1, 5200) n`,
      [set, arm],
    );
    const description = await rule.property('Description');
    const type = (text: string) => okafor.post('/tray', { values: [{ file: hopper, property: description, text }], reason: 'typed in the grid' }).expect(200);
    const pending = async () => ((await okafor.post('/tray/pending', { files: [hopper] }).expect(200)).body as TrayLine[]).filter((line) => !line.follows);
    const texts = async () => (await pending()).map((line) => line.proposed?.text);
    const first = (await type('once')).body as Tray;
    expect([first.counts.lines > MOST_TRAY_LINES, first.lines.some((line) => line.file === hopper && !line.follows)]).toEqual([true, false]);
    await type('twice');
    expect(await texts()).toEqual(['twice']);
    expect((await pending())[0]).toMatchObject({ name: 'Description', holder: '', holderLevel: null, verdict: 'apply' });
    const undo = (again: boolean) => okafor.post('/tray/undo', { again });
    expect((await undo(false).expect(200)).body).toMatchObject({ steps: { undo: 1, redo: 1 } });
    expect(await texts()).toEqual(['once']);
    await undo(false).expect(200);
    expect(await texts()).toEqual([]);
    expect((await undo(false).expect(409)).body).toMatchObject({ code: 'no-step' });
    await undo(true).expect(200);
    await undo(true).expect(200);
    expect(await texts()).toEqual(['twice']);
    await undo(false).expect(200);
    // New entries discard the redo history.
    expect((await type('anew')).body).toMatchObject({ steps: { undo: 2, redo: 0 } });
    // Undo does not restore lines discarded in the tray.
    await okafor.post('/tray/drop', { lines: (await pending()).map((line) => line.id) }).expect(200);
    await undo(false).expect(200);
    expect(await texts()).toEqual([]);
    await okafor.post('/tray/drop', { lines: 'all' }).expect(200);
  });
});

describe('a long history', () => {
  it('is listed page by page, and any change set of it can be looked at and reverted', async () => {
    const arm = await rule.file('agitator-arm.step');
    await okafor.post('/tray', { values: [{ file: arm, property: await rule.property('Description'), text: 'An old change' }], reason: 'old' }).expect(200);
    const { changeSet } = await okafor.apply('whole', 'old');
    await rule.db.run(
      `INSERT INTO change_sets (title, user_id, state, at, mode) SELECT 'later ' || n, (SELECT id FROM users WHERE name = 'okafor'), 'put back', now(), 'whole' FROM generate_series(1, 1200) n`,
    );
    const page = async (query: string) => (await okafor.get(`/history${query}`).expect(200)).body as { id: number }[];
    const newest = await page('');
    expect([newest.length, newest.some((set) => set.id === changeSet)]).toEqual([200, false]);
    const next = await page(`?before=${newest.at(-1)!.id}&limit=1000`);
    expect(next[0]!.id).toBe(newest.at(-1)!.id - 1);
    expect((await okafor.get(`/history/${changeSet}/set`).expect(200)).body).toMatchObject({ id: changeSet, title: 'old', state: 'applied' });
    expect(await okafor.revert(changeSet)).toMatchObject({ state: 'applied' });
    await okafor.get('/history/999999/set').expect(404);
  });
  it('keeps surveys of which more than a page were kept comparable', async () => {
    const { id } = (await okafor.post('/surveys', { title: 'the first' }).expect(200)).body as { id: number };
    await rule.db.run(
      `INSERT INTO surveys (title, user_id, at, filter, files, counts) SELECT 'later ' || n, user_id, at, filter, files, counts FROM surveys, generate_series(1, 250) n WHERE id = $1`,
      [id],
    );
    expect((await okafor.get('/surveys').expect(200)).body as { id: number }[]).toHaveLength(200);
    expect((await okafor.get(`/surveys/${id}/comparison`).expect(200)).body).toMatchObject({ then: { id, title: 'the first' } });
  });
});
