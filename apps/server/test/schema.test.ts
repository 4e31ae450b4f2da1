import { afterAll, afterEach, beforeAll, describe, expect, it } from '@jest/globals';
import {
  ChoiceListRow,
  DraftView,
  EditionRow,
  ExpressionResult,
  ListPreview,
  LockedOut,
  Overview,
  Problem,
  RolloutRow,
  SeriesNumber,
  SeriesRow,
  Tray,
  TryFinding,
  TrySummary,
} from '@rule/contract';
import { Property, PropertyDraft, SchemaChange, draftOf, newDraft, newSeries } from '@rule/core/schema';
import { StandardFinding } from '@rule/core/standards';
import sheetjs from '@e965/xlsx';
import { readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { run } from '../../cli/src/rule';
import { Person, Rule, startRule } from './harness';

let rule: Rule;
let varga: Person;
let okafor: Person;
beforeAll(async () => {
  rule = await startRule({ jobs: true });
  [varga, okafor] = [await rule.signIn('varga'), await rule.signIn('okafor')];
});
afterAll(() => rule.stop());

const draftView = async () => (await varga.get('/schema/draft')).body as DraftView;
const inDraft = async (name: string) => (await draftView()).schema.properties.find((property) => property.writtenName === name)!;
const add = (...properties: PropertyDraft[]) => varga.post('/schema/draft/properties', { properties });
const change = async (name: string, edit: Partial<PropertyDraft>, by = varga) => {
  const property = await inDraft(name);
  return by.put('/schema/draft/properties', {
    properties: [{ id: property.id, base: draftOf(property), draft: { ...draftOf(property), ...edit }, retired: property.retired }],
  });
};
const enact = async (note = 'for a test') => varga.post('/schema/draft/in-force', { note });
const tray = async (person = varga) => (await person.get('/tray')).body as Tray;
const empty = async (person = varga) => {
  const { lines } = await tray(person);
  if (lines.length) await person.post('/tray/drop', { lines: lines.map((line) => line.id) });
};
const apply = async (person = varga) => await person.apply();
const tryIt = async () => {
  const { id, job } = (await varga.post('/schema/tries')).body as { id: number; job: number };
  expect(await rule.services.jobs.ended(job)).toMatchObject({ state: 'done' });
  return id;
};
const findings = async (id: number, query = '') => ((await varga.get(`/schema/tries/${id}?${query}`)).body as { total: number; rows: TryFinding[] }).rows;

describe('the draft', () => {
  it('can be restored after it was discarded, with who did what in it, until another one begins', async () => {
    await add(newDraft('Torque class'));
    const before = await draftView();
    expect((await varga.delete('/schema/draft').expect(200)).body as DraftView).toMatchObject({ number: null, changes: [], discarded: { changes: 1 } });
    const back = (await varga.post('/schema/draft/reinstate').expect(200)).body as DraftView;
    expect([back.changes, back.edits.map((edit) => edit.what), back.discarded]).toEqual([before.changes, before.edits.map((edit) => edit.what), null]);
    await varga.delete('/schema/draft').expect(200);
    await add(newDraft('Another'));
    expect((await varga.post('/schema/draft/reinstate')).body as Problem).toMatchObject({ status: 409, code: 'draft-begun' });
    await varga.delete('/schema/draft').expect(200);
    expect((await okafor.post('/schema/draft/reinstate')).status).toBe(403);
  });
  it('begins with the first change, and is nobody else’s business until it is in force', async () => {
    expect(await draftView()).toMatchObject({ number: null, inForce: 1, changes: [] });
    const { ids } = (await add({ ...newDraft('Colour'), maxLength: 20 })).body as { ids: number[] };
    expect(await draftView()).toMatchObject({ number: 2, inForce: 1, changes: [{ type: 'property added', property: { writtenName: 'Colour' } }] });
    expect(((await varga.get('/properties')).body as Property[]).some((property) => property.writtenName === 'Colour')).toBe(false);
    expect((await varga.post('/schema/draft/in-force', { note: 'Colours', revision: 0 })).status).toBe(409);
    expect((await enact('Colours')).body).toEqual({ edition: 2 });
    expect(((await varga.get('/properties')).body as Property[]).find((property) => property.id === ids[0])).toMatchObject({
      writtenName: 'Colour',
      maxLength: 20,
    });
    expect(((await varga.get('/schema/editions')).body as EditionRow[]).map(({ number, state, note }) => [number, state, note])).toMatchObject([
      [2, 'in force', 'Colours'],
      [1, 'superseded', expect.any(String)],
    ]);
  });
  it('is for administrators, and says what is wrong with it', async () => {
    expect((await okafor.post('/schema/draft/properties', { properties: [newDraft('X')] })).status).toBe(403);
    expect(((await add(newDraft('Colour'))).body as Problem).detail).toBe('The schema already has "Colour".');
    await add({ ...newDraft('colour '), feed: 'ruled', rule: 'Mas * 2' });
    const { problems } = await draftView();
    expect(problems.filter((problem) => problem.severity === 'error').map((problem) => problem.code)).toEqual(['name-alike', 'name-odd', 'name-alike', 'rule']);
    expect((await enact()).body as Problem).toMatchObject({ status: 422, code: 'bad-draft' });
    const { id } = await inDraft('colour ');
    expect((await varga.delete(`/schema/draft/properties/${id}`)).status).toBe(200);
    expect(((await varga.delete(`/schema/draft/properties/${(await inDraft('Mass')).id}`)).body as Problem).code).toBe('was-in-force');
  });
  it('two at once lose nothing, and contradictions are named', async () => {
    const property = await inDraft('Colour');
    const edit = (draft: Partial<PropertyDraft>) =>
      varga.put('/schema/draft/properties', {
        properties: [{ id: property.id, base: draftOf(property), draft: { ...draftOf(property), ...draft }, retired: false }],
      });
    expect((await edit({ caption: 'Paint' })).status).toBe(200);
    // The second user has not seen the first one's caption.
    expect((await edit({ help: 'RAL' })).status).toBe(200);
    expect(await inDraft('Colour')).toMatchObject({ caption: 'Paint', help: 'RAL' });
    expect((await edit({ caption: 'Finish of the paint' })).body as Problem).toMatchObject({
      status: 409,
      code: 'changed-by-both',
      issues: [{ field: 'caption' }],
    });
    expect(await inDraft('Colour')).toMatchObject({ caption: 'Paint' });
    expect((await draftView()).edits[0]).toMatchObject({ by: 'Edda Varga', what: 'changed Colour' });
  });
  it('many begin and change it at the same time, and all of it stays', async () => {
    await varga.delete('/schema/draft');
    await Promise.all(Array.from({ length: 12 }, (_, i) => add(newDraft(`Parallel ${i}`))));
    expect((await draftView()).changes).toHaveLength(12);
    await varga.delete('/schema/draft');
  });
  it('goes back to an earlier edition without forgetting names', async () => {
    await varga.post('/schema/editions/1/draft');
    expect((await draftView()).changes).toMatchObject([{ type: 'property changed', fields: [{ field: 'retired', after: true }] }]);
    await enact('Back');
    expect((await varga.get('/schema/compare?from=2&to=3')).body as SchemaChange[]).toMatchObject([{ type: 'property changed', caption: 'Colour' }]);
    expect(((await add(newDraft('Colour'))).body as Problem).detail).toBe('The schema already has "Colour" (retired).');
  });
});

describe('trying a draft', () => {
  afterEach(async () => {
    await varga.delete('/schema/draft');
    await empty();
  });

  it('says by property and by file what would break, pass, change and lose its home; repairs are change sets', async () => {
    await change('Description', { maxLength: 8 });
    await change('Material', { required: false, writtenName: 'Werkstoff' });
    await add({ ...newDraft('Label'), feed: 'ruled', rule: 'text(Part number) + "/" + text(Revision)', kinds: ['part'] });
    const id = await tryIt();
    const { summary } = (await varga.get('/schema/tries')).body as { summary: TrySummary };
    expect(summary).toMatchObject({ id, done: true, outdated: false, files: expect.any(Number) });
    const count = (effect: string, property: number) => summary.effects.find((row) => row.effect === effect && row.property === property)?.files;
    const [description, material, label] = [(await inDraft('Description')).id, (await inDraft('Werkstoff')).id, (await inDraft('Label')).id];
    const parts = (await rule.db.one<{ n: number }>(`SELECT count(*)::int AS n FROM files WHERE kind = 'part' AND NOT removed AND problem IS NULL`))!.n;
    const held = (await rule.db.one<{ n: number }>(
      `SELECT count(*)::int AS n FROM held_values WHERE name = 'Material' AND kind = 'part' AND holder = '' AND place = 'property' AND text <> ''`,
    ))!.n;
    // Unchanged properties are not mentioned.
    expect(new Set(summary.effects.map((row) => row.property))).toEqual(new Set([description, material, label]));
    expect(count('loses', material)).toBe(held);
    const long = (await rule.db.one<{ n: number }>(
      `SELECT count(*)::int AS n FROM held_values WHERE name = 'Description' AND kind IN ('part','assembly','drawing') AND holder = '' AND place = 'property' AND length(text) BETWEEN 9 AND 40 AND NOT stand_in`,
    ))!.n;
    expect(count('breaks', description)).toBe(long);
    expect(count('changes', label)).toBe(parts);
    const drum = (await findings(id, `property=${label}&limit=1000`)).find((row) => row.path === 'DR-15/parts/drum.step')!;
    const own = Object.fromEntries(
      (
        await rule.db.all<{ name: string; text: string }>(`SELECT name, text FROM held_values WHERE file_id = $1 AND holder = '' AND place = 'property'`, [
          await rule.file('DR-15/parts/drum.step'),
        ])
      ).map(({ name, text }) => [name, text]),
    );
    expect(drum).toMatchObject({ effect: 'changes', before: null, after: `${own['Part number']}/${own['Revision']}` });
    expect((await findings(id, `effect=breaks&property=${description}`))[0]!.message).toMatch(/^Description may have 8 characters, has \d+\.$/);

    const { lines } = (await varga.post(`/schema/tries/${id}/repair`, { effect: 'loses', property: material })).body as { lines: number };
    const waiting = await tray();
    expect(lines).toBe(waiting.lines.filter((line) => !line.follows).length);
    expect(new Set(waiting.lines.filter((line) => line.place === 'property').map((line) => line.name))).toEqual(new Set(['Material', 'Werkstoff']));
    await empty();
    const lost = new Map((await findings(id, `effect=loses&property=${material}`)).map((row) => [row.file, row.path]));
    expect(lost.size).toBeGreaterThan(1);
    const [file, path] = [...lost][0]!;
    await rule.db.run(`UPDATE files SET lock_reason = 'is released in the vault' WHERE id = $1`, [file]);
    const rest = (await varga.post(`/schema/tries/${id}/repair`, { effect: 'loses', property: material })).body as { left: LockedOut[] };
    expect(rest.left).toContainEqual({ file, path, reason: 'The file is released in the vault.' });
    expect((await tray()).lines.filter((line) => line.file === file)).toEqual([]);
    await rule.db.run('UPDATE files SET lock_reason = NULL WHERE id = $1', [file]);
    await empty();
    expect(((await varga.post(`/schema/tries/${id}/repair`, { effect: 'breaks', property: description })).body as Problem).code).toBe('nothing-to-repair');
    await change('Label', { caption: 'Label of the part' });
    expect(((await varga.post(`/schema/tries/${id}/repair`, { effect: 'loses', property: material })).body as Problem).code).toBe('try-outdated');
    await varga.delete('/schema/draft');
  });
  it('finds values that would have to be unique and are not', async () => {
    await change('Material', { unique: 'library' });
    const id = await tryIt();
    const rows = await findings(id, 'effect=breaks');
    const repeated = (await rule.db.one<{ n: number }>(
      `SELECT coalesce(sum(n), 0)::int AS n FROM (SELECT count(*) AS n FROM held_values WHERE name = 'Material' AND kind = 'part' AND holder = '' AND place = 'property' AND text <> '' AND NOT stand_in GROUP BY text HAVING count(*) > 1) r`,
    ))!.n;
    expect(rows.length).toBe(repeated);
    expect(repeated).toBeGreaterThan(0);
    await varga.delete('/schema/draft');
  });
});

describe('what is in force', () => {
  it('keeps people from typing what is computed, unique elsewhere, closed or not for the class', async () => {
    const [label, serial, closed] = await rule.define(
      { ...newDraft('Label'), feed: 'ruled', rule: 'upper case(Description)', kinds: ['part'] },
      { ...newDraft('Serial'), unique: 'library' },
      { ...newDraft('Closed'), mayChange: { role: 'administrator', states: [], closedClasses: [] } },
    );
    const [drum, plate] = [await rule.file('DR-15/parts/drum.step'), await rule.file('face-plate.step')];
    const refused = async (values: object[], by = okafor) => ((await by.post('/tray', { values })).body as Problem).issues?.map((issue) => issue.code);
    expect(await refused([{ file: drum, property: label, text: 'x' }])).toEqual(['computed']);
    expect(await refused([{ file: drum, property: closed, text: 'x' }])).toEqual(['computed']);
    expect(
      await refused([
        { file: drum, property: serial, text: 'S1' },
        { file: plate, property: serial, text: 'S1' },
      ]),
    ).toEqual(['not-unique', 'not-unique']);
    await varga.post('/tray', {
      values: [
        { file: drum, property: closed, text: 'x' },
        { file: drum, property: serial, text: 'S1' },
      ],
    });
    expect((await tray()).lines.filter((line) => !line.follows)).toHaveLength(2);
    expect(await apply()).toMatchObject({ state: 'applied' });
    expect(await refused([{ file: plate, property: serial, text: 'S1' }])).toEqual(['not-unique']);
  });
  it('computes what follows from a change, from file to file, and writes it into the files', async () => {
    const [drum, property] = [await rule.file('DR-15/parts/drum.step'), await rule.property('Description')];
    await varga.post('/tray', { values: [{ file: drum, property, text: 'Drum, welded' }] });
    const following = (await tray()).lines.filter((line) => line.follows && line.place === 'property');
    expect(following.map(({ name, proposed, reason }) => [name, proposed?.text, reason])).toEqual([['Label', 'DRUM, WELDED', 'computed by the rule of Label']]);
    const report = await apply();
    expect(rule.bytes('DR-15/parts/drum.step').toString('latin1')).toContain("'DRUM, WELDED'");
    await varga.revert(report.changeSet);
    expect(rule.bytes('DR-15/parts/drum.step').toString('latin1')).not.toContain("'DRUM, WELDED'");
  });
  it('a drawing follows its model, an assembly its parts', async () => {
    await rule.define(
      { ...newDraft('Shown material'), kinds: ['drawing'], feed: 'ruled', rule: 'model.Material' },
      { ...newDraft('Heaviest'), kinds: ['assembly'], type: 'number', unit: 'kg', decimals: 3, feed: 'ruled', rule: 'max(parts[Mass != null].Mass)' },
    );
    const drawing = await rule.db.one<{ id: number; model: number; path: string }>(
      `SELECT id, model_file_id AS model, path FROM files WHERE kind = 'drawing' AND model_file_id IS NOT NULL AND lock_reason IS NULL ORDER BY id LIMIT 1`,
    );
    const material = await rule.property('Material');
    await varga.post('/tray', { values: [{ file: drawing!.model, property: material, text: 'DC01' }] });
    expect((await tray()).lines.filter((line) => line.name === 'Shown material')).toMatchObject([
      { file: drawing!.id, proposed: { text: 'DC01' }, follows: true },
    ]);
    await empty();
    const copy = await rule.db.one<{ assembly: number; part: number }>(
      `SELECT c.assembly_id AS assembly, c.part_id AS part FROM copies c JOIN files f ON f.id = c.assembly_id AND f.lock_reason IS NULL JOIN files p ON p.id = c.part_id AND p.lock_reason IS NULL WHERE f.path LIKE 'DR-15%' ORDER BY 1, 2 LIMIT 1`,
    );
    await varga.post('/tray', { values: [{ file: copy!.part, property: await rule.property('Mass'), text: '999' }] });
    expect((await tray()).lines.filter((line) => line.name === 'Heaviest' && line.file === copy!.assembly)).toMatchObject([
      { proposed: { text: '999', unit: 'kg' } },
    ]);
    await empty();
    expect((await tray()).lines).toEqual([]);
  });
  it('explains a rule on a file while it is being written', async () => {
    const drum = await rule.file('DR-15/parts/drum.step');
    const property = { ...newDraft('Test'), feed: 'ruled' as const, rule: 'if Mass > 1 then "heavy" else text(model.Material)' };
    const [result] = (await varga.post('/schema/explain', { property, id: null, files: [drum] })).body as ExpressionResult[];
    expect(result).toMatchObject({ file: drum, result: 'heavy', failure: null });
    expect(result!.steps.map(({ text, values }) => [text, values[0]])).toEqual([
      [property.rule, '"heavy"'],
      ['Mass > 1', 'true'],
      ['Mass', expect.stringMatching(/^\d/)],
    ]);
    expect(((await varga.post('/schema/explain', { property: { ...property, rule: 'Mas' }, id: null, files: [drum] })).body as Problem).code).toBe('bad-rule');
  });
});

describe('a rename midstream', () => {
  it('keeps the old name known, offers the change set, and leaves its trace in files and history', async () => {
    await change('Finish', { writtenName: 'Surface finish' });
    await enact('Surface finish it is');
    expect(await inDraft('Surface finish')).toMatchObject({ knownSpellings: ['Finish'] });
    const id = await rule.property('Surface finish');
    const row = async () => ((await varga.get('/schema/rollout')).body as RolloutRow[]).find((entry) => entry.property === id)!;
    const before = await row();
    expect(before).toMatchObject({ named: 0, filled: 0 });
    expect(before.otherName).toBeGreaterThan(0);
    await varga.post('/schema/rollout', { property: id, action: 'rename' });
    const report = await apply();
    expect(report).toMatchObject({ state: 'applied', failed: 0 });
    expect(rule.bytes('face-plate.step').toString('latin1')).toContain("'Surface finish'");
    const after = await row();
    expect([after.named, after.otherName]).toEqual([before.otherName - after.otherName, after.otherName]);
    const lines = (await varga.get(`/history/${report.changeSet}`)).body as { name: string }[];
    expect(new Set(lines.map((line) => line.name).filter((name) => name.includes('inish')))).toEqual(new Set(['Finish', 'Surface finish']));
  });
  it('a new property comes into files with its default or blank; those that cannot be written are listed', async () => {
    const [norm] = await rule.define({ ...newDraft('Tolerances'), default: 'ISO 2768-m', kinds: ['part'] });
    const [bare] = await rule.define({ ...newDraft('Hardness'), kinds: ['part'] });
    const rollout = async (id: number) => ((await varga.get('/schema/rollout')).body as RolloutRow[]).find((entry) => entry.property === id)!;
    for (const property of [norm!, bare!]) await varga.post('/schema/rollout', { property, action: 'add the name' });
    expect(await apply()).toMatchObject({ state: 'applied', failed: 0 });
    const [one, other] = [await rollout(norm!), await rollout(bare!)];
    expect(one.named).toBe(one.reached - one.barred);
    expect(one.filled).toBe(one.named);
    expect([other.named, other.filled]).toEqual([one.named, 0]);
    const missing = (await varga.get(`/schema/rollout/${norm}`)).body as { path: string; reason: string | null }[];
    expect(missing).toHaveLength(one.barred);
    expect(missing.every((file) => file.reason !== null)).toBe(true);
    await rule.amend('Tolerances', { retired: true });
    expect((await rollout(norm!)).left).toBe(one.named);
    await varga.post('/schema/rollout', { property: norm, action: 'remove' });
    await apply();
    expect((await rollout(norm!)).left).toBe(0);
  });
});

describe('choice lists', () => {
  it('are loaded from files, kept in step, and lend their choices to properties', async () => {
    const source = join(rule.data, '..', `suppliers-${process.pid}.csv`);
    writeFileSync(source, 'name;code\r\nOstrelle;O1\r\nKallio;K7\r\n');
    const list = (await varga.post('/lists', { name: 'Suppliers', columns: [], choices: [], goesWith: null })).body as ChoiceListRow;
    await varga.put(`/lists/${list.id}/source`, { source: { type: 'file', path: source, sheet: null } });
    const preview = (await varga.post(`/lists/${list.id}/preview`)).body as ListPreview;
    expect(preview).toMatchObject({ added: [{ value: 'Ostrelle' }, { value: 'Kallio' }], gone: [], problems: [] });
    writeFileSync(source, 'name;code\r\nOstrelle;O1\r\nKallio;K8\r\n');
    expect(((await varga.post(`/lists/${list.id}/load`, { token: preview.token })).body as Problem).code).toBe('source-changed');
    const again = (await varga.post(`/lists/${list.id}/preview`)).body as ListPreview;
    expect((await varga.post(`/lists/${list.id}/load`, { token: again.token })).body).toMatchObject({
      choices: [{ value: 'Ostrelle' }, { value: 'Kallio', columns: { code: 'K8' } }],
    });
    await rule.define(
      { ...newDraft('Maker'), type: 'choice', list: 'Suppliers' },
      { ...newDraft('Maker code'), feed: 'ruled', rule: 'lookup("Suppliers", Maker, "code")' },
    );
    const [drum, maker] = [await rule.file('DR-15/parts/drum.step'), await rule.property('Maker')];
    expect(((await okafor.post('/tray', { values: [{ file: drum, property: maker, text: 'Nobody' }] })).body as Problem).issues).toMatchObject([
      { code: 'not-a-choice' },
    ]);
    await varga.post('/tray', { values: [{ file: drum, property: maker, text: 'Kallio' }] });
    expect((await tray()).lines.find((line) => line.name === 'Maker code')).toMatchObject({ proposed: { text: 'K8' }, follows: true });
    await apply();
    expect(((await varga.delete(`/lists/${list.id}`)).body as Problem).code).toBe('list-in-use');
    // A retired choice is replaced by its successor.
    const now = ((await varga.get('/lists')).body as ChoiceListRow[])[0]!;
    const retired = now.choices.map((choice) => (choice.value === 'Kallio' ? { ...choice, retired: true, replacedBy: 'Ostrelle' } : choice));
    await varga.put(`/lists/${list.id}`, { name: now.name, columns: now.columns, choices: retired, goesWith: null });
    expect((await varga.post(`/lists/${list.id}/replace`)).body).toEqual({ lines: 1 });
    expect((await tray()).lines.find((line) => line.name === 'Maker')).toMatchObject({ base: { text: 'Kallio' }, proposed: { text: 'Ostrelle' } });
    await empty();
  });
  it('are looked at in their sources, and said to be no longer in step', async () => {
    const source = join(rule.data, '..', `finishes-${process.pid}.csv`);
    writeFileSync(source, 'name\r\nbrushed\r\n');
    const list = (await varga.post('/lists', { name: 'Finishes', columns: [], choices: [], goesWith: null })).body as ChoiceListRow;
    await varga.put(`/lists/${list.id}/source`, { source: { type: 'file', path: source, sheet: null } });
    const now = async () => ((await varga.get('/lists')).body as ChoiceListRow[]).find((row) => row.id === list.id)!;
    const toDo = async () => ((await varga.get('/overview')).body as Overview).toDo.find((item) => item.view === 'lists')?.count;
    await rule.services.lists.lookAtSources();
    // The supplier list was edited away from its source above.
    expect([(await now()).differs, await toDo()]).toEqual([1, 2]);
    const preview = (await varga.post(`/lists/${list.id}/preview`)).body as ListPreview;
    await varga.post(`/lists/${list.id}/load`, { token: preview.token });
    expect([(await now()).differs, await toDo()]).toEqual([0, 1]);
    rmSync(source);
    await rule.services.lists.lookAtSources();
    expect((await now()).trouble).toMatch(/is not a file on the server/);
    await varga.delete(`/lists/${list.id}`);
  });
  it('are loaded from a database, which is only read', async () => {
    await rule.db.run("CREATE TABLE makers (code text, name text); INSERT INTO makers VALUES ('A', 'Alpha'), ('B', NULL)");
    const list = (await varga.post('/lists', { name: 'Makers', columns: [], choices: [], goesWith: null })).body as ChoiceListRow;
    const reader = `reader_${process.pid}`;
    await rule.db.run(`CREATE ROLE ${reader} LOGIN PASSWORD 'p@ss:wo/rd'; GRANT SELECT ON makers TO ${reader}`);
    const address = new URL(rule.databaseUrl);
    [address.username, address.password] = [reader, 'p@ss:wo/rd'];
    const from = (query: string, url = address.toString()) => varga.put(`/lists/${list.id}/source`, { source: { type: 'database', url, query } });
    // No confirmation for users with permission, even for safe questions.
    await from('SELECT code FROM makers', rule.databaseUrl);
    expect(((await varga.post(`/lists/${list.id}/preview`)).body as Problem).code).toBe('source-may-write');
    await from('SELECT code, name FROM makers ORDER BY code');
    expect((await varga.post(`/lists/${list.id}/preview`)).body).toMatchObject({
      added: [
        { value: 'A', columns: { name: 'Alpha' } },
        { value: 'B', columns: { name: '' } },
      ],
    });
    for (const query of [
      'DELETE FROM makers RETURNING code',
      'SELEC',
      'SELECT 1; DROP TABLE makers',
      'SELECT 1; COMMIT; CREATE TABLE public.made (a int)',
      'SELECT 1) AS list; COMMIT; BEGIN; CREATE TABLE public.made (a int); SELECT (1',
      'WITH gone AS (DELETE FROM makers RETURNING code) SELECT code FROM gone',
    ]) {
      await from(query);
      expect(((await varga.post(`/lists/${list.id}/preview`)).body as Problem).code).toBe('source-failed');
    }
    expect(await rule.db.all('SELECT 1 FROM makers')).toHaveLength(2);
    expect((await rule.db.one<{ made: string | null }>(`SELECT to_regclass('public.made')::text AS made`))!.made).toBeNull();
    // Secrets stay on the server, wherever in an address, and survive unchanged fields.
    const shown = async () => JSON.stringify((await varga.get('/lists')).body);
    expect(await shown()).not.toMatch(/wo(\/|%2F)rd|p@ss|p%40ss/i);
    await from('SELECT code FROM makers', `${address.toString()}?sslpassword=hush`);
    expect(await shown()).not.toContain('hush');
    await from('SELECT code, name FROM makers ORDER BY code');
    const { source } = ((await varga.get('/lists')).body as ChoiceListRow[]).find((row) => row.id === list.id)!;
    await varga.put(`/lists/${list.id}/source`, { source: { ...source, query: 'SELECT code FROM makers' } });
    expect((await varga.post(`/lists/${list.id}/preview`)).status).toBe(200);
    await rule.db.run(`REVOKE ALL ON makers FROM ${reader}; DROP ROLE ${reader}`);
  });
  it('refuse what is no list', async () => {
    const list = ((await varga.get('/lists')).body as ChoiceListRow[]).find((row) => row.name === 'Makers')!;
    for (const [path, code] of [
      ['/no/such.csv', 'no-file'],
      [join(rule.data, 'store'), 'no-file'],
    ] as const) {
      await varga.put(`/lists/${list.id}/source`, { source: { type: 'file', path, sheet: null } });
      expect(((await varga.post(`/lists/${list.id}/preview`)).body as Problem).code).toBe(code);
    }
    expect(
      (
        (
          await varga.post('/lists', {
            name: 'Bad',
            columns: [],
            choices: [
              { value: 'a', columns: {}, retired: false, replacedBy: null },
              { value: 'A', columns: {}, retired: false, replacedBy: null },
            ],
            goesWith: null,
          })
        ).body as Problem
      ).issues,
    ).toMatchObject([{ field: 'choices.1' }]);
    expect(((await varga.upload(`/lists/${list.id}/preview-file`, 'x.xlsx', Buffer.from('no workbook'))).body as Problem).status).toBe(422);
  });
});

describe('number series', () => {
  const make = async (name: string, change = {}) => (await varga.post('/series', { ...newSeries(name), ...change })).body as SeriesRow;
  it('hand out a number once, to a hundred at the same time', async () => {
    const { id } = await make('Hundred', { parts: [{ type: 'text', text: 'H-' }, { type: 'count' }], digits: 3 });
    const drawn = await Promise.all(Array.from({ length: 100 }, () => okafor.post(`/series/${id}/draw`, {})));
    const texts = drawn.map((answer) => (answer.body as SeriesNumber).text);
    expect(new Set(texts).size).toBe(100);
    expect([...texts].sort()).toEqual(Array.from({ length: 100 }, (_, i) => `H-${String(i + 1).padStart(3, '0')}`));
  });
  it('pass over numbers that files hold, hand released ones out again, and never a used one', async () => {
    const { id } = await make('Parts', { parts: [{ type: 'text', text: 'DR15-' }, { type: 'count' }], digits: 3 });
    const [number] = await rule.define({ ...newDraft('Stock number'), feed: 'counted', series: 'Parts' });
    const files = [await rule.file('DR-15/parts/drum.step'), await rule.file('face-plate.step'), await rule.file('trier.step')];
    expect(((await okafor.post('/tray', { values: [{ file: files[0], property: number, text: 'DR15-999' }] })).body as Problem).issues).toMatchObject([
      { code: 'computed' },
    ]);
    expect((await okafor.post('/series/draw', { property: number, files })).body).toMatchObject({ lines: 3, skipped: [] });
    expect(
      (await tray(okafor)).lines
        .filter((line) => !line.follows)
        .map((line) => line.proposed?.text)
        .sort(),
    ).toEqual(['DR15-001', 'DR15-002', 'DR15-003']);
    const report = await apply(okafor);
    await okafor.revert(report.changeSet);
    // The change was reverted; the numbers stay used.
    const series = async () => ((await varga.get('/series')).body as SeriesRow[]).find((row) => row.id === id)!;
    expect((await series()).numbers.map((row) => row.state)).toEqual(['used', 'used', 'used']);
    const four = (await okafor.post(`/series/${id}/draw`, { note: 'trial' })).body as SeriesNumber;
    expect(four).toMatchObject({ text: 'DR15-004', state: 'reserved', note: 'trial' });
    expect((await okafor.post(`/series/numbers/${four.id}/release`)).status).toBe(200);
    expect((await okafor.post(`/series/${id}/draw`, {})).body).toMatchObject({ text: 'DR15-004' });
    const used = (await series()).numbers.find((row) => row.state === 'used')!;
    expect(((await okafor.post(`/series/numbers/${used.id}/release`)).body as Problem).code).toBe('not-reserved');
    expect(((await varga.delete(`/series/${id}`)).body as Problem).code).toBe('series-in-use');
    expect((await okafor.post('/series/draw', { property: number, files: [files[0]!] })).body).toMatchObject({ lines: 1 });
    await empty(okafor);
  });
  it('begin behind what stands in files already', async () => {
    const { id } = await make('Known', { parts: [{ type: 'text', text: 'DR15-' }, { type: 'count' }], digits: 3 });
    await rule.amend('Part number', { feed: 'counted', series: 'Known' });
    const highest = Math.max(
      ...(await rule.db.all<{ text: string }>(`SELECT text FROM held_values WHERE name = 'Part number' AND place = 'property' AND text ~ '^DR15-\\d{3}$'`)).map(
        (row) => Number(row.text.slice(5)),
      ),
    );
    expect((await okafor.post(`/series/${id}/draw`, {})).body).toMatchObject({ text: `DR15-${highest + 1}` });
    await rule.amend('Part number', { feed: 'typed', series: null });
  });
  it('take parts from the file’s own values', async () => {
    const { id } = await make('By material', { parts: [{ type: 'value', property: 'Material' }, { type: 'text', text: '/' }, { type: 'count' }], digits: 2 });
    const drum = await rule.file('DR-15/parts/drum.step');
    const { text } = (await rule.db.one<{ text: string }>(`SELECT text FROM held_values WHERE file_id = $1 AND name = 'Material' AND holder = ''`, [drum]))!;
    expect((await okafor.post(`/series/${id}/draw`, { file: drum })).body).toMatchObject({ text: `${text}/01` });
    expect(((await okafor.post(`/series/${id}/draw`, {})).body as Problem).detail).toBe(
      'No number of By material can be made: Material is blank, but the number needs it.',
    );
  });
  it('count revisions in each file by itself: the next after its own, the first where there is none', async () => {
    const { id } = await make('Revisions', { counts: 'letters', per: 'file' });
    const [property] = await rule.define({ ...newDraft('Issue letter'), kinds: ['part'], knownSpellings: [] });
    const files = [await rule.file('DR-15/parts/drum.step'), await rule.file('face-plate.step'), await rule.file('trier.step')] as [number, number, number];
    const values = [
      { file: files[0], property, text: 'H' },
      { file: files[1], property, text: 'Issue 3' },
    ];
    await okafor.post('/tray', { values });
    await apply(okafor);
    await rule.amend('Issue letter', { feed: 'counted', series: 'Revisions' });
    // Excluded letters are skipped; texts outside the sequence are not guessed.
    const drawn = (await okafor.post('/series/draw', { property, files })).body as { lines: number; skipped: { path: string; message: string }[] };
    expect([drawn.lines, drawn.skipped.map((skip) => skip.message)]).toEqual([2, ['"Issue 3" does not belong to Revisions.']]);
    const lines = (await tray(okafor)).lines
      .filter((line) => !line.follows)
      .map((line) => [line.file, line.base?.text ?? null, line.proposed?.text, line.verdict]);
    expect(lines.sort()).toEqual(
      [
        [files[0], 'H', 'J', 'apply'],
        [files[2], null, 'A', 'apply'],
      ].sort(),
    );
    expect((await apply(okafor)).failed).toBe(0);
    await okafor.post('/series/draw', { property, files: [files[0]] });
    expect((await tray(okafor)).lines.find((line) => line.file === files[0] && !line.follows)?.proposed?.text).toBe('K');
    await empty(okafor);
    const row = ((await varga.get('/series')).body as SeriesRow[]).find((series) => series.id === id)!;
    expect([row.numbers, row.counters]).toEqual([[], []]);
    expect(((await okafor.post(`/series/${id}/draw`, {})).body as Problem).code).toBe('counts-per-file');
  });
});

describe('a schema on its way', () => {
  it('goes out as JSON and comes in again as it was', async () => {
    const document = (await varga.get('/schema/document.json')).body as Record<string, unknown>;
    expect(document['$schema']).toBe('https://json-schema.org/draft/2020-12/schema');
    const take = (body: unknown, name = 'schema.json') => varga.upload('/schema/draft/document', name, Buffer.from(JSON.stringify(body)));
    expect((await take(document)).status).toBe(200);
    expect((await draftView()).changes).toEqual([]);
    const own = document['x-rule'] as { properties: (PropertyDraft & { retired: boolean })[] };
    await take({ ...own, properties: own.properties.map((property) => (property.writtenName === 'Supplier' ? { ...property, maxLength: 33 } : property)) });
    expect((await draftView()).changes).toMatchObject([{ type: 'property changed', caption: 'Supplier', fields: [{ field: 'maxLength', after: 33 }] }]);
    await varga.delete('/schema/draft');
    expect(((await take({ rule: 1, properties: [{ writtenName: 3 }] })).body as Problem).code).toBe('bad-document');
    expect(((await varga.upload('/schema/draft/document', 'x.json', Buffer.from('{'))).body as Problem).detail).toContain('x.json is not JSON');
  });
  it('goes out as a workbook that another program reads, and says what came back changed', async () => {
    const bytes = (
      await varga
        .get('/schema/document.xlsx')
        .buffer(true)
        .parse((response, done) => {
          const chunks: Buffer[] = [];
          response.on('data', (chunk: Buffer) => chunks.push(chunk)).on('end', () => done(null, Buffer.concat(chunks)));
        })
    ).body as Buffer;
    const book = sheetjs.read(bytes, { type: 'buffer' });
    const rows = sheetjs.utils.sheet_to_json<string[]>(book.Sheets['Schema']!, { header: 1, defval: '' });
    const [header] = rows as [string[], ...string[][]];
    const at = rows.findIndex((row) => row[0] === 'Supplier');
    rows[at]![header.indexOf('Longest')] = '44';
    book.Sheets['Schema'] = sheetjs.utils.aoa_to_sheet(rows);
    await varga.upload('/schema/draft/table', 'schema.xlsx', sheetjs.write(book, { type: 'buffer', bookType: 'xlsx' }) as Buffer);
    expect((await draftView()).changes).toMatchObject([{ type: 'property changed', caption: 'Supplier', fields: [{ field: 'maxLength', after: 44 }] }]);
    await varga.delete('/schema/draft');
    rows[at]![header.indexOf('Type')] = 'colour';
    book.Sheets['Schema'] = sheetjs.utils.aoa_to_sheet(rows);
    const refused = (await varga.upload('/schema/draft/table', 'schema.xlsx', sheetjs.write(book, { type: 'buffer', bookType: 'xlsx' }) as Buffer))
      .body as Problem;
    expect(refused.detail).toContain(`schema.xlsx, row ${at + 1}, Type: "colour" is not a type`);
  });
  it('starts from a starter, and is held against a standard', async () => {
    expect((await varga.post('/schema/draft/starter', { starter: 'iso-title-block' })).status).toBe(200);
    expect((await draftView()).changes.some((entry) => entry.type === 'property added' && entry.property.writtenName === 'Legal owner')).toBe(true);
    await varga.delete('/schema/draft');
    const found = (await varga.get('/schema/standards?practice=iso')).body as StandardFinding[];
    expect(found.filter((finding) => finding.about === 'field' && finding.severity === 'error').map((finding) => finding.subject)).toContain('Legal owner');
    expect(((await varga.post('/schema/draft/starter', { starter: 'moon' })).body as Problem).status).toBe(404);
  });
  it('is a page to print', async () => {
    const answer = await varga.get('/schema/page');
    expect(answer.headers['content-type']).toContain('text/html');
    expect(answer.text).toContain('Marrowby Roaster Works: properties');
  });
});

describe('the command line', () => {
  it('keeps a schema under version control: export, import, try', async () => {
    const { token } = (await varga.post('/tokens', { name: 'schema' })).body as { token: string };
    const call = async (...args: string[]) => {
      let [out, err] = ['', ''];
      const code = await run(
        ['schema', ...args, '--server', rule.url],
        { RULE_TOKEN: token },
        (text) => (out += text),
        (text) => (err += text),
      );
      return { code, out, err };
    };
    const file = join(rule.data, '..', `schema-${process.pid}.json`);
    expect(await call('export', file)).toMatchObject({ code: 0, out: '', err: expect.stringContaining('written to') });
    const text = readFileSync(file, 'utf8');
    expect((await call('export')).out).toBe(text);
    expect(await call('import', file)).toMatchObject({ code: 0, err: '0 changes against the edition in force\n' });
    const document = JSON.parse(text) as { 'x-rule': { properties: { writtenName: string; maxLength: number | null }[] } };
    document['x-rule'].properties.find((property) => property.writtenName === 'Description')!.maxLength = 9;
    writeFileSync(file, JSON.stringify(document));
    const imported = await call('import', file, '--output', 'json');
    expect([imported.code, JSON.parse(imported.out)]).toEqual([1, [{ subject: 'Description', change: 'maxLength', before: '40', after: '9' }]]);
    const tried = await call('try', '--output', 'csv');
    expect(tried.code).toBe(2);
    expect(tried.out).toMatch(/breaks,Description,\d+/);
    expect(await call('import', join(rule.data, 'nothing.json'))).toMatchObject({ code: 3 });
    expect(await call('sing')).toMatchObject({ code: 3 });
    await varga.delete('/schema/draft');
    expect(await call('try')).toMatchObject({ code: 3, err: expect.stringContaining('no draft') });
    // A folder is checked against an exported schema without a server.
    await call('export', file);
    let said = '';
    const code = await run(
      ['check', rule.library, '--schema', file, '--output', 'csv'],
      {},
      (out) => (said += out),
      () => undefined,
    );
    expect(code).toBe(2);
    expect(said).toContain('error,nearly,"Material ",');
  });
});
