import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { NamingPlan, Tray } from '@rule/contract';
import { formatOf } from '@rule/core/files';
import { Step } from '../src/changes/apply';
import { Person, Rule, startRule } from './harness';

let rule: Rule;
let varga: Person;
let okafor: Person;
let stopAt: Step | null = null;
/** Files outside the vault: copies of the demo's, in their own library. */
const at = (path: string) => join(rule.data, 'yard', path);
beforeAll(async () => {
  rule = await startRule({
    jobs: true,
    at: (step) => (step === stopAt ? Promise.reject(new Error(`stopped at ${step}`)) : Promise.resolve()),
  });
  [varga, okafor] = await Promise.all([rule.signIn('varga'), rule.signIn('okafor')]);
  mkdirSync(at('parts'), { recursive: true });
  for (const [name, number, source] of [
    ['kettle.step', 'YD-110', 'drum.step'],
    ['probe.step', 'YD-120', 'trier.step'],
    ['cover.step', 'YD-130', 'face-plate.step'],
  ]) {
    const bytes = readFileSync(join(rule.library, 'DR-15/parts', source!), 'latin1');
    writeFileSync(
      at(`parts/${name}`),
      bytes
        .replace(/PRODUCT\('[^']*'/, `PRODUCT('${number}'`)
        .replace(/DESCRIPTIVE_REPRESENTATION_ITEM\('Part number','[^']*'\)/, `DESCRIPTIVE_REPRESENTATION_ITEM('Part number','${number}')`),
      'latin1',
    );
  }
  // One drawing names its model, the other shares its base name.
  const drawing = readFileSync(join(rule.library, 'DR-15/drawings/DR15-115 agitator arm.dxf'), 'utf8');
  writeFileSync(at('parts/sheet 1.dxf'), drawing.replace('agitator-arm.step', 'kettle.step'));
  writeFileSync(at('parts/probe.dxf'), readFileSync(join(rule.library, 'DR-15/drawings/face-plate.dxf')));
  // An assembly referring to the cover's file.
  writeFileSync(
    at('parts/unit.step'),
    `ISO-10303-21;
HEADER;
FILE_DESCRIPTION((''),'2;1');
FILE_NAME('unit','2026-01-01T00:00:00',(''),(''),'','','');
FILE_SCHEMA(('AUTOMOTIVE_DESIGN'));
ENDSEC;
DATA;
#1=PRODUCT('YD-900','Unit','',());
#2=PRODUCT_DEFINITION_FORMATION('','',#1);
#3=PRODUCT_DEFINITION('design','',#2,$);
#4=PRODUCT('C-1','Lid','',());
#5=PRODUCT_DEFINITION_FORMATION('','',#4);
#6=PRODUCT_DEFINITION('design','',#5,$);
#7=NEXT_ASSEMBLY_USAGE_OCCURRENCE('1','Lid','',#3,#6,$);
#8=DOCUMENT_FILE('../parts/cover.step','',$,#9,'',$);
#9=DOCUMENT_TYPE('geometry');
#10=APPLIED_DOCUMENT_REFERENCE(#8,'',(#6));
ENDSEC;
END-ISO-10303-21;
`,
  );
  await varga.job(await varga.post('/libraries', { name: 'Yard', path: join(rule.data, 'yard') }));
});
afterAll(() => rule.stop());

const rules = (mode: 'rename' | 'copy', folder = '', text = 'Part number') => ({ rules: [{ kinds: ['part'], classes: [], rule: text, mode, folder }] });
const plan = async () => ((await okafor.get('/file-names/plan').expect(200)).body as NamingPlan).rows.filter((row) => row.path.startsWith('parts/'));
const id = async (path: string) => (await rule.db.one<{ id: number }>('SELECT id FROM files WHERE path = $1 AND NOT removed', [path]))!.id;
const apply = async () => await okafor.apply();
const property = (path: string, name: string) =>
  formatOf(path)!
    .read(readFileSync(at(path)))
    .holders[0]!.values.find((value) => value.place === 'property' && value.name === name)?.held.text;
const model = async (path: string) =>
  (await rule.db.one<{ path: string | null }>('SELECT m.path FROM files f LEFT JOIN files m ON m.id = f.model_file_id WHERE f.path = $1 AND NOT f.removed', [
    path,
  ]))!.path;

describe('names of files', () => {
  it('are what a rule makes of their values, and shown before anything happens', async () => {
    await varga.put('/file-names', rules('rename', '', 'Part nmber')).expect(422);
    await okafor.put('/file-names', rules('rename')).expect(403);
    await varga.put('/file-names', rules('rename')).expect(200);
    const rows = await plan();
    expect(rows.map((row) => [row.path, row.wanted, row.problem])).toEqual([
      ['parts/cover.step', 'YD-130.step', null],
      ['parts/kettle.step', 'YD-110.step', null],
      ['parts/probe.step', 'YD-120.step', null],
    ]);
    expect(rows[1]!.links.map((link) => [link.path, link.how])).toEqual([['parts/sheet 1.dxf', expect.stringContaining('shows it')]]);
    const kept = ((await okafor.get('/file-names/plan')).body as NamingPlan).rows.find((row) => row.path === 'DR-15/parts/trier.step')!;
    expect(kept.problem).toBe('the vault keeps the file under this name');
  });

  it('change as lines of the tray, and drawings go on finding their models', async () => {
    const files = (await plan()).map((row) => row.file);
    await okafor.post('/file-names/tray', { files }).expect(200);
    const { lines } = (await okafor.get('/tray')).body as Tray;
    expect(lines.filter((line) => line.name === 'file name').map((line) => [line.base!.text, line.proposed!.text, line.verdict])).toEqual([
      ['cover.step', 'YD-130.step', 'apply'],
      ['kettle.step', 'YD-110.step', 'apply'],
      ['probe.step', 'YD-120.step', 'apply'],
    ]);
    const before = readFileSync(at('parts/kettle.step'));
    expect(await apply()).toMatchObject({ state: 'applied', failed: 0 });
    expect([existsSync(at('parts/kettle.step')), readFileSync(at('parts/YD-110.step')).equals(before)]).toEqual([false, true]);
    expect(property('parts/sheet 1.dxf', 'Model')).toBe('YD-110.step');
    expect(property('parts/probe.dxf', 'Model')).toBe('YD-120.step');
    const unit = formatOf('a.step')!.read(readFileSync(at('parts/unit.step')));
    expect(unit.structure!.products.map((product) => product.externalFile)).toEqual([null, '../parts/YD-130.step']);
    expect([await model('parts/sheet 1.dxf'), await model('parts/probe.dxf')]).toEqual(['parts/YD-110.step', 'parts/YD-120.step']);
    // The next reading finds no changes.
    const report = (await varga.job(await varga.post('/libraries/rescan'))).result as { added: number; moved: number; removed: number };
    expect([report.added, report.moved, report.removed]).toEqual([0, 0, 0]);
    expect(await plan()).toEqual([]);
  });

  it('come back when the change set is reverted', async () => {
    const [set] = (await okafor.get('/history')).body as { id: number }[];
    expect(await okafor.revert(set!.id)).toMatchObject({ state: 'applied' });
    expect(existsSync(at('parts/kettle.step'))).toBe(true);
    expect(property('parts/sheet 1.dxf', 'Model')).toBe('kettle.step');
    expect(await model('parts/probe.dxf')).toBe('parts/probe.step');
  });

  it('of two files that change places are both given, with values changed in the same go', async () => {
    const [kettle, probe] = [await id('parts/kettle.step'), await id('parts/probe.step')];
    const number = await rule.property('Part number');
    await okafor
      .post('/tray', {
        values: [
          { file: kettle, property: number, text: 'probe' },
          { file: probe, property: number, text: 'kettle-x' },
        ],
      })
      .expect(200);
    await okafor.post('/tray/drop', { lines: 'all' });
    await varga
      .put('/file-names', rules('rename', '', 'if Part number = "YD-110" then "probe" else if Part number = "YD-120" then "kettle" else "cover"'))
      .expect(200);
    await okafor.post('/file-names/tray', { files: [kettle, probe] }).expect(200);
    await okafor.post('/tray', { values: [{ file: kettle, property: await rule.property('Description'), text: 'Was the kettle' }] }).expect(200);
    expect(await apply()).toMatchObject({ state: 'applied' });
    expect(property('parts/probe.step', 'Part number')).toBe('YD-110');
    expect(property('parts/probe.step', 'Description')).toBe('Was the kettle');
    expect(property('parts/kettle.step', 'Part number')).toBe('YD-120');
    expect([await id('parts/probe.step'), await id('parts/kettle.step')]).toEqual([kettle, probe]);
    const [set] = (await okafor.get('/history')).body as { id: number }[];
    await okafor.revert(set!.id);
    expect(property('parts/kettle.step', 'Part number')).toBe('YD-110');
  });

  it('that are taken by another file are refused, before and at the moment of writing', async () => {
    await varga.put('/file-names', rules('rename', '', '"same"')).expect(200);
    expect((await plan()).map((row) => row.problem)).toEqual([
      'kettle.step would get the same name',
      'cover.step would get the same name',
      'cover.step would get the same name',
    ]);
    await varga.put('/file-names', rules('rename')).expect(200);
    const kettle = await id('parts/kettle.step');
    await okafor.post('/file-names/tray', { files: [kettle] }).expect(200);
    writeFileSync(at('parts/YD-110.step'), 'someone else');
    const report = await apply();
    expect(report).toMatchObject({ state: 'put back', applied: 0 });
    expect(report.failures[0]!.message).toBe('A file with the new name already exists.');
    expect([existsSync(at('parts/kettle.step')), readFileSync(at('parts/YD-110.step'), 'utf8')]).toEqual([true, 'someone else']);
    expect(property('parts/sheet 1.dxf', 'Model')).toBe('kettle.step');
    rmSync(at('parts/YD-110.step'));
    await okafor.post('/tray/drop', { lines: 'all' });
  });

  it.each<Step>(['staged', 'swapping', 'swapped one', 'swapped'])('are all old or all new after the server stopped at %s', async (step) => {
    const kettle = await id('parts/kettle.step');
    await okafor.post('/file-names/tray', { files: [kettle] }).expect(200);
    stopAt = step;
    await okafor.apply();
    stopAt = null;
    await rule.services.applying.recover();
    const [old, fresh] = [existsSync(at('parts/kettle.step')), existsSync(at('parts/YD-110.step'))];
    expect(old).toBe(!fresh);
    expect(property('parts/sheet 1.dxf', 'Model')).toBe(fresh ? 'YD-110.step' : 'kettle.step');
    expect(await id(fresh ? 'parts/YD-110.step' : 'parts/kettle.step')).toBe(kettle);
    const [set] = (await okafor.get('/history')).body as { id: number; state: string }[];
    if (fresh) await okafor.revert(set!.id);
    await okafor.post('/tray/drop', { lines: 'all' });
    expect(existsSync(at('parts/kettle.step'))).toBe(true);
  });
});

describe('copies under a new name', () => {
  it('take the pending values, leave the original as it is, and take its place where that is wanted', async () => {
    await varga.put('/file-names', rules('copy', 'issued', 'Part number + "_" + Revision')).expect(200);
    await varga.put('/file-names', rules('copy', '../out')).expect(422);
    const kettle = await id('parts/kettle.step');
    const before = readFileSync(at('parts/kettle.step'));
    await okafor.post('/tray', { values: [{ file: kettle, property: await rule.property('Revision'), text: 'D' }] }).expect(200);
    const done = (await okafor.post('/file-names/copies', { files: [kettle], replace: true }).expect(200)).body as {
      copied: { from: string; to: string }[];
      lines: number;
    };
    expect(done.copied).toEqual([{ from: 'parts/kettle.step', to: 'issued/YD-110_D.step' }]);
    expect(readFileSync(at('parts/kettle.step')).equals(before)).toBe(true);
    expect(property('issued/YD-110_D.step', 'Revision')).toBe('D');
    const { lines } = (await okafor.get('/tray')).body as Tray;
    expect(lines.map((line) => [line.path, line.name, line.proposed!.text])).toEqual([['parts/sheet 1.dxf', 'Model', 'YD-110_D.step']]);
    await apply();
    expect(await model('parts/sheet 1.dxf')).toBe('issued/YD-110_D.step');
    await okafor.post('/tray', { values: [{ file: kettle, property: await rule.property('Revision'), text: 'D' }] }).expect(200);
    expect(((await okafor.post('/file-names/copies', { files: [kettle], replace: false }).expect(422)).body as { detail: string }).detail).toMatch(
      /already exists/,
    );
    await okafor.post('/tray/drop', { lines: 'all' });
  });
});
