import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { AnchorChange, AnchorPlan, BareSheets, BlockRow, CellTrayAnswer, Problem, SheetPage, Tray } from '@rule/contract';
import { PLAIN_CELL, PLAIN_OUTLINES } from '@rule/core/schema';
import { execFileSync } from 'node:child_process';
import { mkdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { Person, Rule, startRule } from './harness';

/** Floor plans by ezdxf: rooms with a label each, as a block and as loose text, and sheets with loose texts alone. */
const DRAW = String.raw`
import sys
import ezdxf
folder = sys.argv[1]
doc = ezdxf.new('R2010', setup=True)
doc.header['$INSUNITS'] = 6
tag = doc.blocks.new('TAG')
tag.add_attdef('NAME', (0, 0.5), dxfattribs={'height': 0.3})
tag.add_attdef('AREA', (0, 0), dxfattribs={'height': 0.3})
msp = doc.modelspace()
for i, name in enumerate(('Hall', 'Store')):
    msp.add_lwpolyline([(10 * i, 0), (10 * i + 8, 0), (10 * i + 8, 5), (10 * i, 5)], close=True, dxfattribs={'layer': 'ROOM'})
    msp.add_blockref('TAG', (10 * i + 1, 1)).add_auto_attribs({'NAME': name, 'AREA': '?'})
    msp.add_text(f'{11 + i},5 m2', dxfattribs={'height': 0.2, 'layer': 'NOTES'}).set_placement((10 * i + 4, 3))
msp.add_text('not a number', dxfattribs={'height': 0.2, 'layer': 'NOTES'}).set_placement((4, 4))
doc.saveas(f'{folder}/plan.dxf')
for name, x in (('one', 300), ('two', 300.4), ('three', 300), ('other', 250)):
    doc = ezdxf.new('R2010', setup=True)
    sheet = doc.layout('Layout1')
    sheet.page_setup(size=(420, 297) if name != 'three' else (297, 210), margins=(0, 0, 0, 0))
    sheet.add_text(f'Sheet of {name}', dxfattribs={'height': 5}).set_placement((x, 20))
    doc.saveas(f'{folder}/{name}.dxf')
`;
const WIDEN = String.raw`
import sys, ezdxf
doc = ezdxf.readfile(sys.argv[1])
doc.modelspace().query('LWPOLYLINE')[1].set_points([(10, 0), (20, 0), (20, 5), (10, 5)])
doc.saveas(sys.argv[1])
`;
const READ = String.raw`
import sys, json, ezdxf
doc = ezdxf.readfile(sys.argv[1])
print(json.dumps({'cells': [a.dxf.text for i in doc.modelspace().query('INSERT') for a in i.attribs if a.dxf.tag == 'AREA'],
  'texts': [t.dxf.text for l in doc.layouts for t in l.query('TEXT')], 'errors': [e.message for e in doc.audit().errors]}))
`;
const python = (script: string, ...args: string[]) => execFileSync('/usr/bin/python3', ['-c', script, ...args], { encoding: 'utf8' });

let rule: Rule;
let okafor: Person;
let folder: string;
beforeAll(async () => {
  rule = await startRule({
    jobs: true,
    prepareLibrary: (library) => {
      folder = join(library, 'site');
      mkdirSync(folder);
      python(DRAW, folder);
    },
  });
  okafor = await rule.signIn('okafor');
  await rule.services.scanner.rescan();
});
afterAll(() => rule.stop());

const path = (name: string) => join(folder, `${name}.dxf`);
const seen = (name: string) => JSON.parse(python(READ, path(name))) as { cells: string[]; texts: string[]; errors: string[] };
const family = async (name: string) => ((await okafor.get('/title-blocks').expect(200)).body as BlockRow[]).find((row) => row.family === name);
const put = async (block: string) =>
  (await okafor.post('/title-blocks/tray', { block, cells: null, drawings: null, wishes: ['stale'] })).body as CellTrayAnswer & Problem;

describe('labels that show the area around them', () => {
  it('are bound once for all, told apart by their texts, and follow outlines that are changed elsewhere', async () => {
    const form = { ...PLAIN_CELL, unit: true, decimals: 1, outlines: { ...PLAIN_OUTLINES, layer: 'ROOM' } };
    await rule.bind({ block: 'TAG', cell: 'AREA', leads: false, shows: [{ fact: 'outline area', form }] });
    expect(await family('tag')).toMatchObject({ sheets: 1, placed: 2, cells: [{ tag: 'NAME' }, { tag: 'AREA', states: { stale: 2 } }] });
    const { rows } = (await okafor.get('/title-blocks/sheets?block=tag').expect(200)).body as SheetPage;
    expect(rows.map((row) => [row.layout, row.label])).toEqual([
      ['model', 'Hall · ?'],
      ['model', 'Store · ?'],
    ]);
    expect(await put('tag')).toMatchObject({ cells: 2 });
    expect((await okafor.apply()).state).toBe('applied');
    expect(seen('plan')).toMatchObject({ cells: ['40.0 m²', '40.0 m²'], errors: [] });
    python(WIDEN, path('plan'));
    await rule.services.scanner.rescan();
    expect((await family('tag'))!.cells[1]!.states).toEqual({ right: 1, stale: 1 });
    await put('tag');
    await okafor.apply();
    expect(seen('plan').cells).toEqual(['40.0 m²', '50.0 m²']);
  });
});

describe('loose texts', () => {
  const named = async (name: string, text: string, layout: string): Promise<Pick<AnchorChange, 'file' | 'name'>> => {
    const file = await rule.file(`site/${name}.dxf`);
    return { file, name: `${text} on ${layout}` };
  };
  const plan = async (change: AnchorChange) => (await okafor.post('/title-blocks/anchors/plan', change)).body as AnchorPlan & Problem;
  const anchor = async (change: AnchorChange) => (await okafor.post('/title-blocks/anchors', change)).body as CellTrayAnswer & Problem;

  it('alone on a sheet are listed, so that somebody finds them', async () => {
    const { rows } = (await okafor.get('/title-blocks/bare').expect(200)).body as BareSheets;
    expect(rows.filter((row) => row.path.startsWith('site/')).map((row) => [row.path, row.layout])).toEqual(
      ['one', 'other', 'three', 'two'].map((name) => [`site/${name}.dxf`, 'Layout1']),
    );
  });

  it('that differ in their numbers alone become labels at once, which then show what they stand in; undone to the byte', async () => {
    const before = readFileSync(path('plan'));
    const change: AnchorChange = {
      ...(await named('plan', '4 3', 'model')),
      anchor: { kind: 'label', name: 'Area' },
      among: 'texts like it',
      in: 'this drawing',
    };
    expect(await plan(change)).toMatchObject({ drawings: 1, texts: 2, examples: [{ text: '11,5 m2' }, { text: '12,5 m2' }], left: [] });
    expect(await plan({ ...change, among: 'same place' })).toMatchObject({ code: 'in-model' });
    expect(await anchor(change)).toMatchObject({ cells: 2 });
    const { lines } = (await okafor.get('/tray')).body as Tray;
    expect(lines.map((line) => [line.place, line.name, line.base, line.proposed?.text]).sort()).toEqual([
      ['anchor', '14 3 on model', null, 'label Area'],
      ['anchor', '4 3 on model', null, 'label Area'],
    ]);
    const report = await okafor.apply();
    expect(report.state).toBe('applied');
    expect(await family('labels')).toMatchObject({ placed: 2, cells: [{ tag: 'Area', binding: null }] });
    await rule.bind({
      block: 'Labels',
      cell: 'Area',
      leads: false,
      shows: [{ fact: 'outline area', form: { ...PLAIN_CELL, decimalSign: 'comma', decimals: 1 } }, { words: ' m2' }],
    });
    expect((await family('labels'))!.cells[0]!.states).toEqual({ stale: 2 });
    await put('labels');
    const written = await okafor.apply();
    expect(seen('plan')).toMatchObject({ texts: ['40,0 m2', '50,0 m2', 'not a number'], errors: [] });
    expect(await anchor(change)).toMatchObject({ code: 'nothing-to-do' });
    expect((await okafor.revert(written.changeSet)).state).toBe('applied');
    expect((await okafor.revert(report.changeSet)).state).toBe('applied');
    expect(Buffer.compare(readFileSync(path('plan')), before)).toBe(0);
    expect(await family('labels')).toBeUndefined();
  });

  it('at the same place become a cell of every sheet of that size; drawings that nobody may write are left out', async () => {
    await rule.db.run(`UPDATE files SET lock_reason = 'is released in the vault' WHERE path = 'site/two.dxf'`);
    const change: AnchorChange = {
      ...(await named('one', '300 20', 'Layout1')),
      anchor: { kind: 'cell', name: 'Title' },
      among: 'same place',
      in: 'its folder',
    };
    expect(await plan(change)).toMatchObject({
      drawings: 1,
      texts: 1,
      examples: [{ path: 'site/one.dxf', text: 'Sheet of one' }],
      left: [{ path: 'site/two.dxf', reason: 'The file is released in the vault.' }],
    });
    await rule.db.run(`UPDATE files SET lock_reason = NULL WHERE path = 'site/two.dxf'`);
    expect(await anchor(change)).toMatchObject({ cells: 2, left: [] });
    await okafor.apply();
    expect(await family('plain texts')).toMatchObject({ cells: expect.arrayContaining([expect.objectContaining({ tag: 'Title' })]) });
    await rule.bind({ block: 'Plain texts', cell: 'Title', leads: false, shows: [{ fact: 'file name', form: PLAIN_CELL }] });
    await put('plain texts');
    await okafor.apply();
    expect([seen('one').texts, seen('two').texts, seen('three').texts, seen('other').texts]).toEqual([
      ['one.dxf'],
      ['two.dxf'],
      ['Sheet of three'],
      ['Sheet of other'],
    ]);
    const { rows } = (await okafor.get('/title-blocks/bare')).body as BareSheets;
    expect(rows.filter((row) => row.path.startsWith('site/')).map((row) => row.path)).toEqual(['site/other.dxf', 'site/three.dxf']);
    // Let go, they are plain texts again, with what was written.
    expect(await anchor({ ...change, anchor: null })).toMatchObject({ cells: 2 });
    await okafor.apply();
    expect(((await okafor.get('/title-blocks/bare')).body as BareSheets).rows.filter((row) => row.path.startsWith('site/'))).toHaveLength(4);
    expect(seen('one')).toMatchObject({ texts: ['one.dxf'], errors: [] });
  });

  it('that are gone, and names that cannot be, are refused', async () => {
    const change: AnchorChange = { ...(await named('one', '1 1', 'Layout1')), anchor: { kind: 'cell', name: 'Title' }, among: 'this text', in: 'this drawing' };
    expect(await plan(change)).toMatchObject({ status: 404, detail: expect.stringContaining('site/one.dxf') });
    expect(await plan({ ...change, anchor: { kind: 'cell', name: 'a\nb' } })).toMatchObject({ status: 400 });
    expect(await plan({ ...change, anchor: { kind: 'cell', name: 'x'.repeat(61) } })).toMatchObject({ status: 400 });
  });
});
