import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { cpSync } from 'node:fs';
import { join } from 'node:path';
import { Settings, Tray, WideRow, WideView } from '@rule/contract';
import { formatOf } from '@rule/core/files';
import { PLAIN_CELL, newDraft } from '@rule/core/schema';
import { DEMO_LIBRARY, Person, Rule, startRule } from './harness';

let rule: Rule;
let varga: Person;
let okafor: Person;
beforeAll(async () => {
  rule = await startRule({
    // A floor plan with a title block on paper and labels of rooms in the model.
    prepareLibrary: (folder) => {
      const plan = 'projects/Halden Mill/drawings/HM-01 floor plan.dxf';
      cpSync(join(DEMO_LIBRARY, '../inherited', plan), join(folder, plan));
    },
  });
  [varga, okafor] = await Promise.all([rule.signIn('varga'), rule.signIn('okafor')]);
  for (const { id, level } of await rule.services.projects.list()) if (level !== 'company') await rule.services.projects.remove(id);
  await rule.define(
    { ...newDraft('Client'), kinds: ['part', 'drawing'], feed: 'inherited', inheritFrom: 'project', maxLength: 30 },
    { ...newDraft('Label'), kinds: ['part'], feed: 'ruled', rule: 'project.Client + ", " + Revision' },
    {
      ...newDraft('Set title'),
      kinds: ['drawing'],
      level: 'sheet',
      feed: 'inherited',
      inheritFrom: 'drawing set',
      homes: { drawing: { place: 'cell', name: 'OWNER' } },
    },
    { ...newDraft('Sheet mark'), kinds: ['drawing'], level: 'sheet', maxLength: 6 },
    { ...newDraft('Main scale'), kinds: ['drawing'], level: 'sheet', feed: 'sheet', sheetFact: 'scale', homes: { drawing: { place: 'cell', name: 'SCALE' } } },
    { ...newDraft('Site'), kinds: ['part'], level: 'company' },
  );
  // The demo's sheet number makes way.
  await rule.bind({ block: null, cell: 'SHEET', leads: true, shows: [{ property: await rule.property('Sheet mark'), from: 'sheet', form: PLAIN_CELL }] });
});
afterAll(() => rule.stop());

const list = async () => (await okafor.get('/projects').expect(200)).body as WideRow[];
const view = async (id: number) => (await okafor.get(`/projects/${id}`).expect(200)).body as WideView;
const tray = async () => (await okafor.get('/tray')).body as Tray;
const apply = () => okafor.apply();
const valuesOf = (path: string, place: string, holder = '') =>
  Object.fromEntries(
    formatOf(path)!
      .read(rule.bytes(path))
      .holders.filter((found) => (holder === 'sheet' ? found.level === 'sheet' : found.key === holder))
      .flatMap((found) => found.values.filter((value) => value.place === place).map((value) => [value.name, value.held.text])),
  );

describe('a project', () => {
  let id: number;
  it('takes its files by rule, and by hand against the rule', async () => {
    id = (
      (await varga.post('/projects', { level: 'project', name: 'Tern Street', clauses: [{ subject: 'folder', operator: 'is', text: 'DR-15/parts' }] }))
        .body as WideRow
    ).id;
    const files = (await view(id)).members;
    expect(files.length).toBeGreaterThan(5);
    expect(new Set(files.map((file) => file.how))).toEqual(new Set(['by rule']));
    const drum = await rule.file('parts/drum.step');
    const gear = await rule.file('hex-bolt-m8x25.step');
    await okafor.post(`/projects/${id}/members`, { files: [drum], member: false }).expect(200);
    await okafor.post(`/projects/${id}/members`, { files: [gear], member: true }).expect(200);
    const after = await view(id);
    expect(after.takenOut.map((file) => file.file)).toEqual([drum]);
    expect(after.members.filter((file) => file.how === 'by hand').map((file) => file.file)).toEqual([gear]);
    await okafor.post(`/projects/${id}/members`, { files: [drum, gear], member: null }).expect(200);
    expect((await view(id)).members.map((file) => file.file)).toEqual(files.map((file) => file.file));
  });

  it('passes a value on to all its files, through the tray, and what is computed from it follows', async () => {
    await okafor.post('/tray', { values: [{ file: -id, property: await rule.property('Client'), text: 'Tern Street Roasters' }] }).expect(200);
    const { lines, counts } = await tray();
    expect(lines.find((line) => line.file === -id)).toMatchObject({ path: 'project Tern Street', name: 'Client', follows: false });
    const { members } = await view(id);
    const following = lines.filter((line) => line.follows && line.name === 'Client').map((line) => line.file);
    const released = await rule.file('chimney-stub.step');
    expect(following.sort()).toEqual(
      members
        .map((file) => file.file)
        .filter((file) => file !== released)
        .sort(),
    );
    expect(counts.lines).toBe(lines.length);
    await apply();
    expect(valuesOf('parts/drum.step', 'property')).toMatchObject({
      Client: 'Tern Street Roasters',
      Label: expect.stringMatching(/^Tern Street Roasters, ./) as unknown,
    });
    expect((await view(id)).held).toEqual({ [await rule.property('Client')]: { text: 'Tern Street Roasters', form: 'text' } });
  });

  it('lists files that were not reached until they are', async () => {
    const { behind } = await view(id);
    expect(behind.map((entry) => entry.path)).toEqual(['DR-15/parts/chimney-stub.step', 'DR-15/parts/chimney-stub.step']);
    expect(behind[0]!.reason).toMatch(/released/);
    // A file that joins later needs updating.
    const gear = await rule.file('hex-bolt-m8x25.step');
    await okafor.post(`/projects/${id}/members`, { files: [gear], member: true }).expect(200);
    expect((await view(id)).behind.some((entry) => entry.file === gear && entry.reason === null)).toBe(true);
    const pushed = (await okafor.post(`/projects/${id}/push`).expect(200)).body as { lines: number; barred: number };
    expect(pushed).toEqual({ lines: 2, barred: 2 });
    await apply();
    expect((await view(id)).behind.some((entry) => entry.file === gear)).toBe(false);
    await okafor.post(`/projects/${id}/push`).expect(409);
  });

  it('gives its value back with everything that followed when the change set is reverted', async () => {
    const before = valuesOf('parts/drum.step', 'property');
    await okafor.post('/tray', { values: [{ file: -id, property: await rule.property('Client'), text: 'Someone else' }] }).expect(200);
    const { changeSet } = await apply();
    expect(valuesOf('parts/drum.step', 'property')['Client']).toBe('Someone else');
    await okafor.revert(changeSet);
    expect(valuesOf('parts/drum.step', 'property')).toEqual(before);
    expect(Object.values((await view(id)).held).map((held) => held.text)).toEqual(['Tern Street Roasters']);
    const check = (await okafor.get(`/history/${changeSet}/check`)).body as { different: unknown[] };
    expect(check.different.length).toBeGreaterThan(0);
  });

  it('refuses what files hold themselves, what breaks the schema, and a value typed where it is inherited', async () => {
    const refused = async (file: number, property: string, text: string) =>
      ((await okafor.post('/tray', { values: [{ file, property: await rule.property(property), text }] }).expect(422)).body as { detail: string }).detail;
    expect(await refused(-id, 'Material', 'DC01')).toBe('project Tern Street, Material: is held at document level, not by a project.');
    expect(await refused(-id, 'Client', 'Roaster '.repeat(4) + 'x')).toMatch(/may have 30 characters/);
    expect(await refused(await rule.file('parts/drum.step'), 'Client', 'x')).toMatch(/inherited from the project and cannot be overridden/);
    expect(await refused(await rule.file('parts/drum.step'), 'Site', 'x')).toMatch(/held at company level/);
    expect(await refused(-4711, 'Client', 'x')).toMatch(/is not in the library/);
  });

  it('is known by one name only, and leaves its values in the files when it goes', async () => {
    await varga.post('/projects', { level: 'project', name: 'Tern Street', clauses: [] }).expect(409);
    await okafor.post('/projects', { level: 'project', name: 'Other', clauses: [] }).expect(403);
    const other = ((await varga.post('/projects', { level: 'project', name: 'Halden Mill', clauses: [] })).body as WideRow).id;
    await varga.delete(`/projects/${other}`).expect(200);
    expect((await list()).map((row) => row.name)).toEqual(['the company', 'Tern Street']);
    await varga.delete(`/projects/${(await list())[0]!.id}`).expect(409);
  });
});

describe('a drawing set', () => {
  let id: number;
  it('holds drawings alone, with a value for the set in the cell of every sheet', async () => {
    id = (
      (await varga.post('/projects', { level: 'drawing set', name: 'DR-15 issue', clauses: [{ subject: 'folder', operator: 'starts with', text: 'DR-15' }] }))
        .body as WideRow
    ).id;
    const { members, sheets } = await view(id);
    expect(new Set(members.map((file) => file.kind))).toEqual(new Set(['drawing']));
    expect(sheets.map((sheet) => sheet.path)).toEqual(members.map((file) => file.path));
    await okafor.post(`/projects/${id}/members`, { files: [await rule.file('parts/drum.step')], member: true }).expect(422);
    await okafor.post('/tray', { values: [{ file: -id, property: await rule.property('Set title'), text: 'Roaster, issue 2' }] }).expect(200);
    await apply();
    for (const { path } of members) expect(valuesOf(path, 'cell', 'sheet')['OWNER']).toBe('Roaster, issue 2');
  });

  it('has sheets with values of their own, each typed for itself, and what the sheet says of itself', async () => {
    const { sheets } = await view(id);
    const property = await rule.property('Sheet mark');
    await okafor.post('/tray', { values: sheets.map(({ file, holder }, i) => ({ file, holder, property, text: `${i + 1}/${sheets.length}` })) }).expect(200);
    await apply();
    const again = (await view(id)).sheets;
    expect(again.map((sheet) => sheet.held[property]!.text)).toEqual(sheets.map((_, i) => `${i + 1}/${sheets.length}`));
    expect(valuesOf(sheets[1]!.path, 'cell', 'sheet')['SHEET']).toBe(`2/${sheets.length}`);
    const long = await okafor.post('/tray', { values: [{ file: sheets[0]!.file, holder: sheets[0]!.holder, property, text: 'too long by far' }] }).expect(422);
    expect((long.body as { detail: string }).detail).toMatch(/may have 6 characters/);
    // The scale comes from the viewport: 1:2 for the face plate; nobody types it.
    const scale = await rule.property('Main scale');
    const face = sheets.find((sheet) => sheet.path.endsWith('face-plate.dxf'))!;
    await okafor.post('/tray', { values: [{ file: face.file, holder: face.holder, property: scale, text: '1:1' }] }).expect(422);
    expect(face.held[scale]!.text).toBe('1:2');
  });

  it('does not take the labels of rooms for sheets', async () => {
    const clauses = [{ subject: 'folder', operator: 'starts with', text: 'projects/Halden Mill' }];
    const mill = ((await varga.post('/projects', { level: 'drawing set', name: 'Mill issue', clauses })).body as WideRow).id;
    const { members, sheets } = await view(mill);
    const plan = members.find((file) => file.path.endsWith('HM-01 floor plan.dxf'))!;
    const { inserts } = (await rule.services.db.one<{ inserts: number }>(`SELECT jsonb_array_length(reading->'inserts') AS inserts FROM files WHERE id = $1`, [
      plan.file,
    ]))!;
    expect(inserts).toBeGreaterThan(1);
    expect(sheets.filter((sheet) => sheet.file === plan.file).map((sheet) => sheet.label)).toEqual(['paper']);
    await varga.delete(`/projects/${mill}`).expect(200);
  });
});

describe('values of single occurrences', () => {
  it('are typed one by one, and stand in the assembly file where the part is placed', async () => {
    const assembly = await rule.file('drum-unit.step');
    const holders = await rule.db.all<{ key: string; label: string }>(
      `SELECT key, label FROM holders WHERE file_id = $1 AND level = 'occurrence' ORDER BY key`,
      [assembly],
    );
    const bearings = holders.filter((holder) => /bearing/i.test(holder.label) || holder.key.includes('6204'));
    expect(bearings.length).toBe(2);
    const property = await rule.property('Tightening torque');
    const values = bearings.map(({ key }, i) => ({ file: assembly, holder: key, property, text: String(20 + i * 5) }));
    await okafor.post('/tray', { values }).expect(200);
    await apply();
    expect(bearings.map(({ key }) => valuesOf('drum-unit.step', 'property', key)['Tightening torque'])).toEqual(['20', '25']);
    const refused = async (holder: string) =>
      ((await okafor.post('/tray', { values: [{ file: assembly, holder, property, text: '1' }] }).expect(422)).body as { detail: string }).detail;
    expect(await refused('')).toMatch(/held at occurrence level/);
    expect(await refused('occurrence:gone')).toMatch(/no longer has this holder/);
  });
});

describe('a try', () => {
  it('looks into files as well: what single occurrences hold, breaks or passes by the draft', async () => {
    const { schema } = await rule.services.editions.draft();
    const torque = schema.properties.find((property) => property.writtenName === 'Tightening torque')!;
    const { id, retired, ...draft } = torque;
    await rule.services.editions.edit(null, [{ id, base: null, draft: { ...draft, max: 22 }, retired }]);
    await rule.services.jobs.open();
    const started = (await varga.post('/schema/tries').expect(200)).body as { id: number; job: number };
    await rule.services.jobs.ended(started.job);
    const { rows } = (await varga.get(`/schema/tries/${started.id}?effect=breaks&property=${id}`).expect(200)).body as {
      rows: { path: string; message: string }[];
    };
    expect(rows.map((row) => [row.path, row.message])).toEqual([
      ['DR-15/assemblies/drum-unit.step', expect.stringMatching(/^occurrence .*: Tightening torque is above 22/) as unknown],
    ]);
    await rule.services.editions.discard(null);
  });
});

describe('workflow states', () => {
  it('are those of the company, also in conditions of requirement', async () => {
    const settings = (await varga.get('/settings')).body as Settings;
    expect(settings.workflowStates).toEqual(['open', 'in check', 'released']);
    await varga.put('/settings', { ...settings, workflowStates: ['draft', 'checked', 'issued'] }).expect(200);
    const [added] = await rule.services.editions.add(null, [{ ...newDraft('Stamp'), kinds: ['part'], requiredFrom: 'released' }]);
    const problems = (await rule.services.editions.draft()).problems.filter((problem) => problem.property === added);
    expect(problems.map((problem) => problem.message)).toEqual(['Stamp: The company has no workflow state "released".']);
    await varga.put('/settings', { ...settings, workflowStates: ['open', 'open'] }).expect(400);
    await varga.put('/settings', settings).expect(200);
    await rule.services.editions.discard(null);
  });
});
