import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { BlockRow, BlockView, CellTrayAnswer, DraftView, GridPage, Problem, SheetPage, Tray, TryFinding, TrySummary } from '@rule/contract';
import { readSchemaDocument } from '@rule/contract/checks';
import { formatOf } from '@rule/core/files';
import { Hop } from '@rule/core/trace';
import { Binding, CellPiece, PLAIN_CELL, newDraft } from '@rule/core/schema';
import { execFileSync } from 'node:child_process';
import { mkdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { Person, Rule, startRule } from './harness';

/** Drawings by ezdxf: three layouts with two block families, an anonymous variant, a nested block, a constant cell, one drawing in R12. */
const DRAW = String.raw`
import sys
import ezdxf
folder = sys.argv[1]
def attributes(block, *tags):
    for i, tag in enumerate(tags):
        block.add_attdef(tag, (2, 2 + 8 * i), dxfattribs={'height': 3.5, 'prompt': tag.lower()})
for name, version, texts in (('cover', 'R2018', ('old title', '', 'Ingo')), ('plain', 'R12', ('', '', '')), ('third', 'R2000', ('Cover plate', 'by hand', ''))):
    doc = ezdxf.new(version, setup=True)
    front = doc.blocks.new('Frame-A')
    attributes(front, 'TITLE', 'NOTE', 'WHO', 'PAGE')
    front.add_attdef('MAKER', (2, 40), text='Marrowby', dxfattribs={'flags': 2, 'height': 3.5})
    side = doc.blocks.new('SIDE')
    attributes(side, 'NAME', 'OF')
    stamp = doc.blocks.new('STAMP')
    attributes(stamp, 'TITLE')
    border = doc.blocks.new('BORDER')
    border.add_blockref('STAMP', (9, 9)).add_auto_attribs({'TITLE': 'stamped'})
    layout = doc.layout('Layout1')
    ref = layout.add_blockref('FRAME-A', (0, 0))
    for tag, text in zip(('TITLE', 'NOTE', 'WHO'), texts):
        ref.add_attrib(tag, text, (2, 2), dxfattribs={'height': 3.5})
    layout.add_blockref('BORDER', (0, 0))
    if version != 'R12':
        doc.header.custom_vars.append('Model', 'cover.step')
        variant = doc.blocks.new('*U9')
        attributes(variant, 'NAME', 'OF')
        variant.block_record.set_xdata('AcDbBlockRepBTag', [(1070, 1), (1005, side.block_record.dxf.handle)])
        doc.appids.add('AcDbBlockRepBTag')
        doc.layouts.new('Back').add_blockref('SIDE', (5, 5)).add_auto_attribs({'NAME': '', 'OF': ''})
        doc.layouts.new('Last').add_blockref('*U9', (5, 5)).add_auto_attribs({'NAME': 'x', 'OF': ''})
    doc.saveas(f'{folder}/{name}.dxf')
`;
const AUDIT = String.raw`
import sys, json
import ezdxf
print(json.dumps([[str(e.message) for e in ezdxf.readfile(path).audit().errors] for path in sys.argv[1:]]))
`;
const python = (script: string, ...args: string[]) => execFileSync('/usr/bin/python3', ['-c', script, ...args], { encoding: 'utf8' });

let rule: Rule;
let varga: Person;
let okafor: Person;
let folder: string;
beforeAll(async () => {
  rule = await startRule({
    jobs: true,
    prepareLibrary: (library) => {
      folder = join(library, 'frames');
      mkdirSync(folder);
      python(DRAW, folder);
    },
  });
  [varga, okafor] = await Promise.all([rule.signIn('varga'), rule.signIn('okafor')]);
  await rule.services.scanner.rescan();
});
afterAll(() => rule.stop());

const file = (name: string) => rule.file(`frames/${name}.dxf`);
const blocks = async () => (await okafor.get('/title-blocks').expect(200)).body as BlockRow[];
const family = async (name: string) => (await blocks()).find((row) => row.family === name)!;
const sheets = async (query: string) => (await okafor.get(`/title-blocks/sheets?${query}`).expect(200)).body as SheetPage;
const view = async (of: number, holder: string) =>
  (await okafor.get(`/files/${of}/title-block?holder=${encodeURIComponent(holder)}`).expect(200)).body as BlockView;
const put = async (block: string, ...wishes: string[]) =>
  (await okafor.post('/title-blocks/tray', { block, cells: null, drawings: null, wishes })).body as CellTrayAnswer & Problem;
const tray = async () => (await okafor.get('/tray')).body as Tray;
const cells = (name: string) =>
  Object.fromEntries(
    formatOf('x.dxf')!
      .read(new Uint8Array(readFileSync(join(folder, `${name}.dxf`))))
      .holders.filter((holder) => holder.level === 'sheet')
      .map((holder) => [holder.label, Object.fromEntries(holder.values.map((value) => [value.name, value.held.text]))]),
  );
const piece = async (name: string, from: Extract<CellPiece, { from: unknown }>['from']): Promise<CellPiece> => ({
  property: await rule.property(name),
  from,
  form: PLAIN_CELL,
});
const shows = (block: string | null, cell: string, pieces: readonly CellPiece[], leads = false): Omit<Binding, 'id'> => ({ block, cell, leads, shows: pieces });

describe('sheets and their blocks', () => {
  it('are found wherever they stand: on every layout, in another case, as anonymous variants, in other blocks, in the paper space of R12', async () => {
    const found = (await blocks()).filter(({ family: name }) => ['frame-a', 'side', 'stamp'].includes(name));
    expect(found.map(({ family: name, drawings, sheets: n, cells: own }) => [name, drawings, n, own.map((cell) => cell.tag).sort()])).toEqual([
      ['frame-a', 3, 3, ['MAKER', 'NOTE', 'PAGE', 'TITLE', 'WHO']],
      ['stamp', 3, 3, ['TITLE']],
      ['side', 2, 4, ['NAME', 'OF']],
    ]);
    const { rows } = await sheets('block=side');
    expect(rows.map(({ path, layout, number, sheets: n }) => [path, layout, number, n])).toEqual([
      ['frames/cover.dxf', 'Back', 2, 3],
      ['frames/cover.dxf', 'Last', 3, 3],
      ['frames/third.dxf', 'Back', 2, 3],
      ['frames/third.dxf', 'Last', 3, 3],
    ]);
  });
});

describe('bindings', () => {
  it('count when their edition is in force, and are tried, compared and listed before', async () => {
    await rule.define(
      { ...newDraft('Cover title'), kinds: ['part', 'drawing'] },
      { ...newDraft('Page'), kinds: ['drawing'], level: 'sheet', maxLength: 9 },
      { ...newDraft('House note'), kinds: ['drawing'], level: 'company' },
      { ...newDraft('Long title'), kinds: ['drawing'], feed: 'ruled', rule: '"Drawing of " + model.Description', classes: [] },
    );
    const body = {
      cells: [
        shows('frame-a', 'TITLE', [await piece('Cover title', 'model')]),
        shows('Frame-A', 'NOTE', [await piece('House note', 'company')]),
        shows('Frame-A', 'WHO', [{ fact: 'file name', form: { ...PLAIN_CELL, letters: 'capitals' } }]),
        shows('Frame-A', 'PAGE', [await piece('Page', 'sheet')], true),
        shows('SIDE', 'NAME', [await piece('Long title', 'drawing')]),
        shows(null, 'OF', [{ words: 'Sheet ' }, { fact: 'sheet number', form: PLAIN_CELL }, { words: ' of ' }, { fact: 'number of sheets', form: PLAIN_CELL }]),
        shows('STAMP', 'TITLE', [await piece('Part number', 'model')]),
        shows('Frame-A', 'MAKER', [{ words: 'somebody else' }]),
      ],
    };
    expect((await okafor.put('/schema/draft/bindings', body)).status).toBe(403);
    const draft = (await varga.put('/schema/draft/bindings', body).expect(200)).body as DraftView;
    expect(draft.changes.map((change) => change.type)).toEqual(Array.from({ length: 8 }, () => 'binding added'));
    const before = await family('frame-a');
    expect(before.cells.map(({ tag, binding, drafted }) => [tag, binding, drafted !== null]).sort()).toEqual([
      ['MAKER', null, true],
      ['NOTE', null, true],
      ['PAGE', null, true],
      ['TITLE', null, true],
      ['WHO', null, true],
    ]);
    const { job } = (await varga.post('/schema/tries').expect(200)).body as { job: number };
    expect(await rule.services.jobs.ended(job)).toMatchObject({ state: 'done' });
    const { summary } = (await varga.get('/schema/tries').expect(200)).body as { summary: TrySummary };
    const effects = summary.effects.filter(({ effect }) => effect === 'shows');
    expect(effects.map(({ cell, files }) => [cell, files]).sort()).toEqual([
      ['MAKER of frame-a', 3],
      ['NAME of side', 2],
      ['NOTE of frame-a', 3],
      ['OF of side', 2],
      ['PAGE of frame-a', 3],
      ['TITLE of frame-a', 3],
      ['TITLE of stamp', 3],
      ['WHO of frame-a', 3],
    ]);
    const { rows } = (await varga.get(`/schema/tries/${summary.id}?effect=shows&cell=${encodeURIComponent('OF of side')}`)).body as { rows: TryFinding[] };
    expect(rows[0]).toMatchObject({ before: '', after: 'Sheet 2 of 3', message: 'The cell OF of SIDE on Back holds nothing and would show "Sheet 2 of 3".' });
    await varga.post('/schema/draft/in-force', { note: 'frames', revision: null }).expect(200);
    expect((await family('frame-a')).cells.every(({ binding }) => binding !== null)).toBe(true);
  });

  it('are refused where they cannot work, before they are saved', async () => {
    const refused = async (...wrong: Omit<Binding, 'id'>[]) => ((await varga.put('/schema/draft/bindings', { cells: wrong })).body as Problem).detail;
    expect(await refused(shows('SIDE', 'NAME', [{ property: 99_999, from: 'model', form: PLAIN_CELL }]))).toBe(
      'The cell NAME of SIDE shows a property that is not in the schema.',
    );
    expect(await refused(shows('SIDE', 'NAME', [await piece('Page', 'drawing')]))).toMatch(/takes Page from the drawing; it can only come from the sheet/);
    expect(await refused(shows('SIDE', 'NAME', [await piece('Cover title', 'model')], true))).toMatch(/can be the home of one sheet-level property only/);
    expect(((await varga.get('/schema/draft')).body as DraftView).number).toBeNull();
  });

  it('travel with the schema, and come back with an earlier edition', async () => {
    const document = (await varga.get('/schema/document.json')).body as { 'x-rule': { bindings: object[]; links: object[] } };
    expect(document['x-rule'].bindings).toContainEqual(shows('STAMP', 'TITLE', [{ property: 'Part number', from: 'model', form: PLAIN_CELL } as never]));
    expect(document['x-rule'].links).toContainEqual(
      expect.objectContaining({ field: 'Title', kinds: ['part', 'assembly'], at: [{ property: 'Description' }] }),
    );
    const taken = await varga.upload('/schema/draft/document', 'schema.json', Buffer.from(JSON.stringify(document)));
    expect([taken.status, (taken.body as DraftView).changes]).toEqual([200, []]);
    // An earlier version stored one link per kind, with one address.
    const old = { field: 'Title', kind: 'part', at: { property: 'Description' }, in: 'always', out: 'never', onClash: 'ask' };
    const read = readSchemaDocument({ ...document['x-rule'], links: [old] });
    expect(read.ok && read.document.links).toMatchObject([{ field: 'Title', kinds: ['part'], classes: [], at: [{ property: 'Description' }], step: null }]);
    const { number } = await rule.services.editions.inForce(rule.db);
    const back = (await varga.post(`/schema/editions/${number - 1}/draft`).expect(200)).body as DraftView;
    expect(back.changes.filter((change) => change.type === 'binding removed')).toHaveLength(8);
    await varga.delete('/schema/draft').expect(200);
  });
});

describe('the state of cells', () => {
  it('is kept, and follows values of every source', async () => {
    const frame = async () => Object.fromEntries((await family('frame-a')).cells.map(({ tag, states }) => [tag, states]));
    expect(await frame()).toEqual({
      TITLE: { 'no model': 3 },
      NOTE: { blank: 2, 'would be erased': 1 },
      WHO: { stale: 3 },
      PAGE: { lacking: 3 },
      MAKER: { fixed: 3 },
    });
    // The model is assigned to one sheet; other sheets keep theirs.
    const cover = await file('cover');
    const plate = await rule.file('parts/face-plate.step');
    expect((await okafor.put(`/files/${cover}/sheet-model`, { layout: 'Nowhere', model: plate })).status).toBe(404);
    await okafor.put(`/files/${cover}/sheet-model`, { layout: 'Layout1', model: plate }).expect(200);
    expect((await frame()).TITLE).toEqual({ 'no model': 2, 'would be erased': 1 });
    await okafor.post('/tray', { values: [{ file: plate, property: await rule.property('Cover title'), text: 'Face plate' }] }).expect(200);
    await okafor.apply();
    // No changes without a previous binding: the title existed before its source.
    expect((await frame()).TITLE).toEqual({ 'no model': 2, right: 1 });
    const { rows } = await sheets('block=frame-a&cell=TITLE&state=right');
    expect(rows.map((row) => row.path)).toEqual(['frames/cover.dxf']);
    const shown = await view(cover, rows[0]!.holder);
    expect(shown.model).toMatchObject({ file: plate, settled: true });
    expect(shown.cells.find((cell) => cell.tag === 'TITLE')).toMatchObject({ stored: 'Face plate', bound: { state: 'right' } });
    const way = (await okafor.get(`/properties/${await rule.property('Cover title')}/way`)).body as Hop[];
    expect(way.find((hop) => /^Title block frame-a, cell TITLE$/i.test(hop.title))).toMatchObject({
      state: 'good',
      detail: 'from the model that the sheet shows, 3 drawings',
    });
  });

  it('shows what is ruled, held above files and composed, by the judgement that the grid goes by', async () => {
    const company = (await rule.services.projects.list()).find((row) => row.level === 'company')!;
    await varga.post('/tray', { values: [{ file: -company.id, property: await rule.property('House note'), text: 'Not to scale' }] }).expect(200);
    const waiting = ((await varga.get('/tray')).body as Tray).lines.filter((line) => line.follows);
    // Pending changes include cells with a different or missing text at once; a released drawing is skipped.
    expect(waiting.map((line) => [line.path, line.name, line.proposed?.text]).sort()).toEqual([
      ['frames/cover.dxf', 'NOTE', 'Not to scale'],
      ['frames/plain.dxf', 'NOTE', 'Not to scale'],
      ['frames/third.dxf', 'NOTE', 'Not to scale'],
    ]);
    await varga.apply();
    expect((await family('frame-a')).cells.find((cell) => cell.tag === 'NOTE')!.states).toEqual({ right: 3 });
    const { rows } = await sheets('block=side');
    const { cells: own } = await view(rows[0]!.file, rows[0]!.holder);
    expect(own.map(({ tag, bound }) => [tag, bound?.state, bound?.shown])).toEqual([
      ['NAME', 'blank', { state: 'blank', placeholder: '', why: 'Long title is blank' }],
      ['OF', 'stale', { state: 'value', text: 'Sheet 2 of 3' }],
    ]);
  });
});

describe('the grid', () => {
  it('has a row for every sheet where that is asked for, with its values and those of its file, filtered, sorted and typed', async () => {
    const page = await rule.property('Page');
    const look = async (query: string) => (await okafor.get(`/values?level=sheet&folder=frames&${query}`).expect(200)).body as GridPage;
    expect((await okafor.get('/values/filters')).body).toMatchObject({ levels: ['occurrence', 'sheet'] });
    const { total, rows } = await look('');
    expect(total).toBe(10);
    expect(rows.map(({ file, holder }) => `${file.name} · ${holder!.label}`)).toEqual([
      'cover.dxf · Layout1',
      'cover.dxf · Layout1',
      'cover.dxf · Back',
      'cover.dxf · Last',
      'plain.dxf · paper',
      'plain.dxf · paper',
      'third.dxf · Layout1',
      'third.dxf · Layout1',
      'third.dxf · Back',
      'third.dxf · Last',
    ]);
    // A block without the cell has no page number; the model's name is shown as the file's own.
    const homes = rows.filter((row) => row.holder!.homes[page] !== undefined);
    expect(homes.map((row) => [row.file.name, row.holder!.homes[page]])).toEqual([
      ['cover.dxf', 'PAGE'],
      ['plain.dxf', 'PAGE'],
      ['third.dxf', 'PAGE'],
    ]);
    const wrong = rows.find((row) => row.holder!.homes[page] === undefined)!;
    const refused = (await okafor.post('/tray', { values: [{ file: wrong.file.id, holder: wrong.holder!.key, property: page, text: '1' }] })).body as Problem;
    expect(refused.detail).toMatch(/no cell of the title block/);
    const values = homes.slice(0, 2).map(({ file: { id }, holder }, i) => ({ file: id, holder: holder!.key, property: page, text: `${9 - i}/2` }));
    await okafor.post('/tray', { values, reason: 'typed in the grid' }).expect(200);
    expect((await tray()).lines.map(({ holderLevel, holderLabel, name, proposed }) => [holderLevel, holderLabel?.toLowerCase(), name, proposed?.text])).toEqual(
      [
        ['sheet', 'frame-a', 'PAGE', '9/2'],
        ['sheet', 'frame-a', 'PAGE', '8/2'],
      ],
    );
    const report = await okafor.apply();
    expect(report.state).toBe('applied');
    const typed = await look(`sort=${page}`);
    expect(typed.rows.slice(0, 2).map((row) => row.held[page]?.text)).toEqual(['8/2', '9/2']);
    const where = encodeURIComponent(JSON.stringify([{ subject: 'value', name: 'Page', operator: 'starts with', text: '9' }]));
    expect((await look(`where=${where}`)).rows.map((row) => [row.file.name, row.held[page]?.text])).toEqual([['cover.dxf', '9/2']]);
    expect((await okafor.revert(report.changeSet)).state).toBe('applied');
    expect((await okafor.get('/values?level=floor')).status).toBe(400);
  });
});

describe('putting cells in order', () => {
  it('leaves locked drawings out with the reason, never empties a text, and touches no fixed one', async () => {
    await rule.db.run(`UPDATE files SET lock_reason = 'is released in the vault' WHERE path = 'frames/third.dxf'`);
    await rule.db.run(`UPDATE cell_states SET state = state`);
    const answer = await put('frame-a', 'stale');
    expect(answer).toMatchObject({ cells: 2, left: [{ path: 'frames/third.dxf', reason: 'The file is released in the vault.', cells: 1 }] });
    expect((await tray()).lines.map((line) => [line.path, line.name, line.proposed?.text])).toEqual([
      ['frames/cover.dxf', 'WHO', 'COVER.DXF'],
      ['frames/plain.dxf', 'WHO', 'PLAIN.DXF'],
    ]);
    expect((await okafor.apply()).state).toBe('applied');
    expect(cells('cover')['FRAME-A']).toMatchObject({ WHO: 'COVER.DXF', TITLE: 'Face plate' });
    await rule.db.run(`UPDATE files SET lock_reason = NULL WHERE path = 'frames/third.dxf'`);
    await okafor.post('/tray/drop', { lines: 'all' });
  });

  it('gives drawings the cells that they lack, goes into variants and nested blocks, is clean to ezdxf, and is taken back to the byte', async () => {
    const names = ['cover', 'plain', 'third'];
    const bytes = () => names.map((name) => readFileSync(join(folder, `${name}.dxf`)));
    await rule.define({ ...newDraft('Cover page'), kinds: ['drawing'], level: 'sheet', feed: 'sheet', sheetFact: 'sheet size' });
    await rule.bind(
      shows('Frame-A', 'PAGE', [{ words: 'P' }, { fact: 'sheet number', form: PLAIN_CELL }]),
      shows('STAMP', 'TITLE', [{ fact: 'sheet name', form: PLAIN_CELL }]),
    );
    const before = bytes();
    expect(await put('frame-a', 'stale', 'lacking')).toMatchObject({ cells: 4, left: [] });
    expect(await put('side', 'stale')).toMatchObject({ cells: 4 });
    expect(await put('stamp', 'stale')).toMatchObject({ cells: 3 });
    const report = await okafor.apply();
    expect(report.state).toBe('applied');
    expect(cells('cover')).toMatchObject({ 'FRAME-A': { PAGE: 'P1' }, SIDE: { OF: expect.stringMatching(/^Sheet [23] of 3$/) }, STAMP: { TITLE: 'Layout1' } });
    expect(cells('plain')['FRAME-A']).toMatchObject({ PAGE: 'P1' });
    expect(JSON.parse(python(AUDIT, ...names.map((name) => join(folder, `${name}.dxf`))))).toEqual([[], [], []]);
    // Again: nothing is left to do.
    for (const block of ['frame-a', 'side', 'stamp']) expect(await put(block, 'stale', 'lacking')).toMatchObject({ code: 'nothing-to-do' });
    expect((await okafor.revert(report.changeSet)).state).toBe('applied');
    for (const [i, after] of bytes().entries()) expect(Buffer.compare(after, before[i]!)).toBe(0);
  });

  it('empties texts whose source is blank when that was asked for alone', async () => {
    const third = cells('third')['FRAME-A']!;
    expect(third.TITLE).toBe('Cover plate');
    await okafor.put(`/files/${await file('third')}/sheet-model`, { layout: 'Layout1', model: await rule.file('parts/drum.step') }).expect(200);
    const state = async () => (await family('frame-a')).cells.find((cell) => cell.tag === 'TITLE')!.states;
    expect(await state()).toEqual({ 'no model': 1, right: 1, 'would be erased': 1 });
    expect((await put('frame-a', 'stale')).code === 'nothing-to-do' || !(await tray()).lines.some((line) => line.name === 'TITLE')).toBe(true);
    await okafor.post('/tray/drop', { lines: 'all' });
    expect(await put('frame-a', 'would be erased')).toMatchObject({ cells: 1 });
    await okafor.apply();
    expect(cells('third')['FRAME-A']!.TITLE).toBe('');
    expect(await state()).toEqual({ 'no model': 1, right: 1, blank: 1 });
  });

  it('follows a property under another name, and keeps what the drawings hold meanwhile', async () => {
    await rule.amend('Cover title', { writtenName: 'Benennung' });
    // Files hold the old name, which is known: no cell is cleared or stale.
    expect((await family('frame-a')).cells.find((cell) => cell.tag === 'TITLE')!.states).toEqual({ 'no model': 1, right: 1, blank: 1 });
  });
});
