import { existsSync, mkdirSync, readFileSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { OlderStart, Problem, StartComparison, StartFilesView, ToDo } from '@rule/contract';
import { formatOf } from '@rule/core/files';
import { newDraft } from '@rule/core/schema';
import { Person, Rule, startRule } from './harness';

let rule: Rule;
let varga: Person;
let okafor: Person;
beforeAll(async () => {
  rule = await startRule({ jobs: true });
  [varga, okafor] = await Promise.all([rule.signIn('varga'), rule.signIn('okafor')]);
});
afterAll(() => rule.stop());

const plan = { folder: '', sheets: ['A3', 'A4'], block: 'MRW-TITLE', unit: 'mm' };
const folder = () => join(rule.data, 'start-files');
const namesIn = (name: string) =>
  formatOf(name)!
    .read(readFileSync(join(folder(), name)))
    .holders.find((holder) => holder.key === '')!
    .values.filter((value) => value.place === 'property');

describe('start files', () => {
  it('are published from the edition in force, every reached name in place', async () => {
    const compared = (await varga.post('/start-files/compare', plan).expect(200)).body as StartComparison[];
    expect(compared.every((row) => row.effect === 'new')).toBe(true);
    expect(existsSync(join(folder(), 'start part.step'))).toBe(false);
    await varga.post('/start-files/publish', plan).expect(200);
    const properties = (await rule.services.properties.list(rule.db)).filter(
      (property) => !property.retired && property.kinds.includes('part') && property.classes.length === 0,
    );
    const names = namesIn('start part.step').map((value) => value.name);
    expect(names).toEqual(properties.filter((property) => property.feed !== 'file' && property.level === 'document').map((property) => property.writtenName));
    const drawing = formatOf('a.dxf')!.read(readFileSync(join(folder(), 'start drawing A3.dxf')));
    expect(drawing.inserts.map((insert) => insert.block)).toEqual(['MRW-TITLE']);
    const view = (await okafor.get('/start-files').expect(200)).body as StartFilesView;
    expect(view.files.map((file) => file.stands)).toEqual(view.files.map(() => 'as published'));
    const sent = await okafor
      .get(`/start-files/file?name=${encodeURIComponent('start part.step')}`)
      .buffer()
      .expect(200);
    expect(Buffer.from(sent.body as Buffer).equals(readFileSync(join(folder(), 'start part.step')))).toBe(true);
  });

  it('that nothing has changed stay untouched when they are published again', async () => {
    const before = readFileSync(join(folder(), 'start part.step'));
    const again = (await varga.post('/start-files/publish', plan).expect(200)).body as StartComparison[];
    expect(new Set(again.map((row) => row.effect))).toEqual(new Set(['unchanged']));
    expect(readFileSync(join(folder(), 'start part.step')).equals(before)).toBe(true);
  });

  it("copy a company's own drawing where one is chosen, which takes the place of the one made for its size", async () => {
    const path = 'own/Office A3.dxf';
    mkdirSync(join(rule.library, 'own'));
    writeFileSync(join(rule.library, path), readFileSync(join(folder(), 'start drawing A3.dxf'), 'latin1').replace(/\nSHEET\r/g, '\nOFFICE\r'), 'latin1');
    await varga.job(await varga.post('/libraries/rescan'));
    const own = { ...plan, drawings: [await rule.file(path)] };
    const compared = (await varga.post('/start-files/compare', own).expect(200)).body as StartComparison[];
    expect(compared.filter((row) => row.effect === 'replaced').map((row) => row.name)).toEqual(
      compared.filter((row) => row.name.endsWith('A3.dxf')).map((row) => row.name),
    );
    await varga.post('/start-files/publish', own).expect(200);
    expect(readFileSync(join(folder(), 'start drawing A3.dxf'), 'latin1')).toContain('OFFICE');
    const view = (await okafor.get('/start-files').expect(200)).body as StartFilesView;
    expect(view).toMatchObject({ plan: { drawings: own.drawings }, drawings: [{ path }] });
    // A drawing of the library has something in its model.
    const [full] = await rule.db.all<{ id: number; path: string }>(`SELECT id, path FROM files WHERE path LIKE 'DR-15/drawings/%.dxf' ORDER BY path LIMIT 1`);
    const answer = (await varga.post('/start-files/compare', { ...plan, drawings: [full!.id] })).body as Problem;
    expect(answer).toMatchObject({ status: 422, code: 'not-empty', detail: expect.stringContaining(full!.path) });
    expect((await varga.post('/start-files/compare', { ...plan, sheets: [], drawings: [] })).body).toMatchObject({ code: 'no-sheet' });
    rmSync(join(rule.library, 'own'), { recursive: true });
    await varga.job(await varga.post('/libraries/rescan'));
    expect((await varga.post('/start-files/compare', own)).body).toMatchObject({ code: 'no-drawing' });
    await varga.post('/start-files/publish', plan).expect(200);
  });

  it('of a newer edition replace the old ones, with a warning where someone has changed one; files of the old ones are known', async () => {
    // Made from this edition's start file by copying and filling in.
    mkdirSync(join(rule.library, 'new'));
    writeFileSync(join(rule.library, 'new/from-start.step'), readFileSync(join(folder(), 'start part.step')));
    await varga.job(await varga.post('/libraries/rescan'));
    writeFileSync(join(folder(), 'start assembly.step'), `${readFileSync(join(folder(), 'start assembly.step'), 'latin1')}\n`);
    await rule.define({ ...newDraft('Weld class'), kinds: ['part'], default: 'B' });
    const compared = (await varga.post('/start-files/compare', plan).expect(200)).body as StartComparison[];
    const of = (name: string) => compared.find((row) => row.name === name)!;
    expect(of('start part.step')).toEqual({ name: 'start part.step', effect: 'replaced', added: ['Weld class'], removed: [], warning: null });
    expect(of('start assembly.step').warning).toMatch(/changed this file after/);
    expect(of('start drawing A3.dxf').effect).toBe('unchanged');
    await varga.post('/start-files/publish', plan).expect(200);
    expect(namesIn('start part.step').find((value) => value.name === 'Weld class')!.held.text).toBe('B');

    const older = (await okafor.get('/start-files/older').expect(200)).body as { files: OlderStart[] };
    const mine = older.files.find((file) => file.path === 'new/from-start.step')!;
    expect(mine.lacks).toEqual(['Weld class']);
    const { lines } = (await okafor.post('/start-files/bring-up', { files: [mine.file] }).expect(200)).body as { lines: number };
    expect(lines).toBe(1);
    await okafor.apply();
    const now = formatOf('a.step')!.read(rule.bytes('from-start.step'));
    expect(now.holders[0]!.values.some((value) => value.name === 'Weld class')).toBe(true);
  });

  it('that are made no more go, unless someone has changed them', async () => {
    writeFileSync(join(folder(), 'start drawing A4.dxf'), 'mine');
    const fewer = { ...plan, sheets: ['A2'] };
    const done = (await varga.post('/start-files/publish', fewer).expect(200)).body as StartComparison[];
    expect(done.find((row) => row.name === 'start drawing A3.dxf')!.effect).toBe('removed');
    expect(done.find((row) => row.name === 'start drawing A4.dxf')!.effect).toBe('kept');
    expect(readdirSync(folder()).sort()).toEqual(['start assembly.step', 'start drawing A2.dxf', 'start drawing A4.dxf', 'start part.step']);
  });

  it('go into no folder of Rule and into none that is not there, and are published by administrators alone', async () => {
    await varga.post('/start-files/publish', { ...plan, folder: join(rule.data, 'nowhere') }).expect(422);
    mkdirSync(join(rule.data, 'store'), { recursive: true });
    await varga.post('/start-files/publish', { ...plan, folder: join(rule.data, 'store') }).expect(422);
    await varga.post('/start-files/publish', { ...plan, block: 'NO-SUCH' }).expect(404);
    await okafor.post('/start-files/publish', plan).expect(403);
    await okafor.get('/start-files/file?name=..%2Fsecret').expect(404);
  });
});

describe('files that arrive', () => {
  it('come to the list of whoever drew them, with the names that they lack as a proposed change', async () => {
    const source = rule.bytes('drum.step').toString('latin1').replaceAll('E. Varga', 'T. Okafor');
    writeFileSync(join(rule.library, 'new/arrived.step'), source.replace("'DR15-110'", "'DR15-999'"), 'latin1');
    await varga.job(await varga.post('/libraries/rescan'));
    const mine = ((await okafor.get('/to-dos').expect(200)).body as ToDo[]).find((entry) => entry.path === 'new/arrived.step')!;
    expect(mine).toMatchObject({ how: 'new', mine: true, owner: 'Tobe Okafor' });
    expect(mine.lacks).toContain('Weld class');
    expect(((await varga.get('/to-dos').expect(200)).body as ToDo[]).find((entry) => entry.path === 'new/arrived.step')!.mine).toBe(false);

    await okafor.post('/to-dos/tray', { files: [mine.file] }).expect(200);
    const tray = (await okafor.get('/tray')).body as { lines: { name: string; proposed: { text: string } }[] };
    expect(tray.lines.find((line) => line.name === 'Weld class')!.proposed.text).toBe('B');
    await okafor.apply();
    const after = ((await okafor.get('/to-dos')).body as ToDo[]).find((entry) => entry.path === 'new/arrived.step');
    expect(after?.lacks ?? []).toEqual([]);
  });

  it('that only changed are listed when a required value is missing, and leave the list when someone says so', async () => {
    await rule.define({ ...newDraft('Inspection plan'), kinds: ['part'], required: true });
    const path = join(rule.library, 'DR-15/parts/chimney-stub.step');
    writeFileSync(path, readFileSync(path, 'latin1').replace('ENDSEC;', '/* saved again */ENDSEC;'), 'latin1');
    await varga.job(await varga.post('/libraries/rescan'));
    const entry = ((await varga.get('/to-dos')).body as ToDo[]).find((found) => found.path.endsWith('chimney-stub.step'))!;
    expect(entry).toMatchObject({ how: 'changed', lacks: [] });
    expect(entry.missing).toContain('Inspection plan');
    await varga.post('/to-dos/dismiss', { files: [entry.file] }).expect(200);
    expect(((await varga.get('/to-dos')).body as ToDo[]).some((found) => found.file === entry.file)).toBe(false);
  });

  it('of a library that is read for the first time are no news', async () => {
    const before = ((await varga.get('/to-dos')).body as ToDo[]).length;
    const other = join(rule.data, 'other');
    mkdirSync(other);
    writeFileSync(join(other, 'a.step'), rule.bytes('drum.step'));
    await varga.job(await varga.post('/libraries', { name: 'Other', path: other }));
    expect(((await varga.get('/to-dos')).body as ToDo[]).length).toBe(before);
    rmSync(other, { recursive: true });
  });
});
