import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { BlockRow, BlockView, CellTrayAnswer, Problem, SheetPage, TakenUpAnswer, Tray } from '@rule/contract';
import { cellsOnSheet, drawSheet } from '@rule/core/drawing';
import { Binding, CellPiece, PLAIN_CELL, newDraft } from '@rule/core/schema';
import { CellState } from '@rule/core/titleblocks';
import { execFileSync } from 'node:child_process';
import { run } from '../../cli/src/rule';
import { mkdirSync, readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { Person, Rule, startRule } from './harness';

/** Drawings by ezdxf: a narrow block in millimetres and one in inches, on sheets of the same or different models. */
const DRAW = String.raw`
import sys
import ezdxf
folder = sys.argv[1]
for name, units, size, height, title, who, model in (
    ('metric', 4, 60, 3.5, 'Face plate', 'T. Okafor', 'parts/face-plate.step'),
    ('second', 4, 60, 3.5, 'Face plate', 'M. Haas', 'parts/face-plate.step'),
    ('drum', 4, 60, 3.5, 'Drum', 'E. Lindqvist', 'parts/drum.step'),
    ('inch', 1, 2.5, 1 / 8, 'Drum', 'E. Lindqvist', 'parts/drum.step'),
):
    doc = ezdxf.new('R2010', setup=True)
    doc.header['$INSUNITS'] = units
    doc.header.custom_vars.append('Model', model.split('/')[1])
    doc.styles.add('ARIAL', font='arial.ttf')
    block = doc.blocks.new('NARROW')
    high = size / 6
    block.add_lwpolyline([(0, 0), (size, 0), (size, 2 * high), (0, 2 * high)], close=True)
    block.add_line((0, high), (size, high))
    for i, tag in enumerate(('TITLE', 'WHO')):
        block.add_attdef(tag, (size / 30, i * high + high / 4), dxfattribs={'height': height, 'style': 'ARIAL'})
    block.add_attdef('LOOSE', (0, 3 * high), dxfattribs={'height': height, 'style': 'ARIAL'})
    doc.layout('Layout1').add_blockref('NARROW', (10, 10)).add_auto_attribs({'TITLE': title, 'WHO': who, 'LOOSE': 'as drawn'})
    doc.saveas(f'{folder}/{name}.dxf')
`;
const READ = String.raw`
import sys, json, ezdxf
doc = ezdxf.readfile(sys.argv[1])
print(json.dumps({'cells': {a.dxf.tag: [a.dxf.text, round(a.dxf.height, 6), round(a.dxf.get('width', 1), 6)] for i in doc.layout('Layout1').query('INSERT') for a in i.attribs}, 'errors': [e.message for e in doc.audit().errors]}))
`;
const python = (script: string, ...args: string[]) => execFileSync('/usr/bin/python3', ['-c', script, ...args], { encoding: 'utf8' });

let rule: Rule;
let okafor: Person;
let guest: Person;
let folder: string;
beforeAll(async () => {
  rule = await startRule({
    jobs: true,
    prepareLibrary: (library) => {
      folder = join(library, 'narrow');
      mkdirSync(folder);
      python(DRAW, folder);
    },
  });
  [okafor, guest] = await Promise.all([rule.signIn('okafor'), rule.signIn('guest')]);
  await rule.services.scanner.rescan();
});
afterAll(() => rule.stop());

const file = (name: string) => rule.file(`narrow/${name}.dxf`);
const seen = (name: string) => JSON.parse(python(READ, join(folder, `${name}.dxf`))) as { cells: Record<string, [string, number, number]>; errors: string[] };
const states = async (tag: string): Promise<Partial<Record<CellState, number>>> =>
  ((await okafor.get('/title-blocks').expect(200)).body as BlockRow[]).find((row) => row.family === 'narrow')!.cells.find((cell) => cell.tag === tag)!.states;
const holderOf = async (name: string) =>
  ((await okafor.get('/title-blocks/sheets?block=narrow')).body as SheetPage).rows.find((row) => row.path === `narrow/${name}.dxf`)!.holder;
const view = async (name: string) =>
  (await okafor.get(`/files/${await file(name)}/title-block?holder=${encodeURIComponent(await holderOf(name))}`).expect(200)).body as BlockView;
const put = async (wishes: readonly string[], drawings: readonly number[] | null = null) =>
  (await okafor.post('/title-blocks/tray', { block: 'narrow', cells: null, drawings, wishes })).body as CellTrayAnswer & Problem;
const piece = async (name: string, from: Extract<CellPiece, { from: unknown }>['from']): Promise<CellPiece> => ({
  property: await rule.property(name),
  from,
  form: PLAIN_CELL,
});
const shows = (cell: string, pieces: readonly CellPiece[], more: Partial<Binding> = {}): Omit<Binding, 'id'> => ({
  block: 'NARROW',
  cell,
  leads: false,
  shows: pieces,
  ...more,
});

describe('a drawing', () => {
  it('is given out as it stands, to be drawn: byte for byte, and to people who are signed in', async () => {
    const id = await file('metric');
    const answer = await guest
      .get(`/files/${id}/content`)
      .buffer(true)
      .parse((response, done) => {
        const parts: Buffer[] = [];
        response.on('data', (part: Buffer) => parts.push(part));
        response.on('end', () => done(null, Buffer.concat(parts)));
      });
    expect([answer.status, answer.headers['content-type']]).toEqual([200, 'application/octet-stream']);
    const bytes = new Uint8Array(answer.body as Buffer);
    expect(Buffer.compare(bytes, readFileSync(join(folder, 'metric.dxf')))).toBe(0);
    expect(drawSheet(bytes, 'Layout1').sheet.texts.map((text) => text.text)).toEqual(expect.arrayContaining(['Face plate', 'T. Okafor']));
    expect(cellsOnSheet(bytes, 'Layout1').map((cell) => [cell.holder, cell.tag])).toEqual(
      ['TITLE', 'WHO', 'LOOSE'].map((tag) => [expect.stringMatching(/^insert:/), tag]),
    );
    expect((await guest.get('/files/999999/content')).status).toBe(404);
  });

  it('that is gone from the disk is said to be', async () => {
    const path = join(folder, 'gone.dxf');
    python(DRAW.replaceAll("f'{folder}/{name}.dxf'", "f'{folder}/gone.dxf'"), folder);
    await rule.services.scanner.rescan();
    const id = await file('gone');
    rmSync(path);
    const answer = await okafor.get(`/files/${id}/content`);
    expect([answer.status, (answer.body as Problem).detail]).toEqual([404, expect.stringContaining('narrow/gone.dxf')]);
    await rule.services.scanner.rescan();
  });
});

describe('texts that do not fit', () => {
  it('are told with their measure, and made to fit through the tray by the next lower height: in millimetres and in inches, undone to the byte', async () => {
    await rule.define({ ...newDraft('Long title'), kinds: ['drawing'] }, { ...newDraft('Checked by'), kinds: ['part'] });
    await rule.bind(shows('TITLE', [await piece('Long title', 'drawing')], { fit: { steps: ['lower height'], narrowest: 0.7, abbreviations: [] } }));
    const title = 'Face plate with 6 bore holes and an O-ring';
    const values = await Promise.all(
      ['metric', 'inch', 'drum'].map(async (name) => ({
        file: await file(name),
        property: await rule.property('Long title'),
        text: name === 'drum' ? 'Drum' : title,
      })),
    );
    expect((await okafor.post('/tray', { values, reason: 'test' })).status).toBe(200);
    // Cell texts follow.
    expect((await okafor.apply()).state).toBe('applied');
    expect(seen('metric').cells.TITLE).toEqual([title, 3.5, 1]);
    expect(await states('TITLE')).toEqual({ 'does not fit': 2, right: 1, 'would be erased': 1 });
    const [{ bound }] = (await view('inch')).cells.filter((cell) => cell.tag === 'TITLE') as [BlockView['cells'][number]];
    expect(bound).toMatchObject({
      state: 'does not fit',
      fit: { unit: 'in', height: 0.125, exact: true, font: 'arial.ttf', remedy: { by: ['lower height'] } },
    });
    expect(bound!.fit!.ratio).toBeGreaterThan(1);
    const names = ['metric', 'inch'];
    const before = names.map((name) => readFileSync(join(folder, `${name}.dxf`)));
    expect(await put(['does not fit'])).toMatchObject({ cells: 2, left: [] });
    const { lines } = (await okafor.get('/tray')).body as Tray;
    expect(lines.map((line) => [line.path, line.place, line.name, line.base, line.proposed?.text]).sort()).toEqual([
      ['narrow/inch.dxf', 'lettering', 'TITLE height', null, expect.stringMatching(/^0\.0(9375|625)$/)],
      ['narrow/metric.dxf', 'lettering', 'TITLE height', null, expect.stringMatching(/^(2\.5|1\.8)$/)],
    ]);
    // Pending changes are measured as if applied.
    expect((await view('metric')).cells.find((cell) => cell.tag === 'TITLE')!.bound).toMatchObject({ state: 'right', fit: { held: { height: 3.5 } } });
    const report = await okafor.apply();
    expect(report.state).toBe('applied');
    expect(seen('inch')).toMatchObject({ errors: [], cells: { TITLE: [title, Number(lines.find((line) => line.path.includes('inch'))!.proposed!.text), 1] } });
    expect(await states('TITLE')).toEqual({ right: 3, 'would be erased': 1 });
    expect(await put(['does not fit'])).toMatchObject({ code: 'nothing-to-do' });
    expect((await okafor.revert(report.changeSet)).state).toBe('applied');
    for (const [i, name] of names.entries()) expect(Buffer.compare(readFileSync(join(folder, `${name}.dxf`)), before[i]!)).toBe(0);
    expect(await states('TITLE')).toEqual({ 'does not fit': 2, right: 1, 'would be erased': 1 });
  });

  it('are abbreviated as agreed, and an agreed form counts as what the cell should show', async () => {
    const rules = {
      steps: ['abbreviations' as const],
      narrowest: 0.7,
      abbreviations: [
        { word: 'with 6 bore holes and an O-ring', short: '6× bore, O-ring' },
        { word: 'face plate', short: 'Plate' },
      ],
    };
    await rule.bind(shows('TITLE', [await piece('Long title', 'drawing')], { fit: rules }));
    expect(await put(['does not fit'], [await file('metric')])).toMatchObject({ cells: 1 });
    await okafor.apply();
    expect(seen('metric').cells.TITLE![0]).toBe('Face plate 6× bore, O-ring');
    expect((await view('metric')).cells.find((cell) => cell.tag === 'TITLE')!.bound).toMatchObject({ state: 'right' });
  });

  it('lie still while nobody may write their drawing', async () => {
    await rule.db.run(`UPDATE files SET lock_reason = 'is released in the vault' WHERE path = 'narrow/inch.dxf'`);
    expect(await put(['does not fit'], [await file('inch')])).toMatchObject({ status: 422, detail: expect.stringContaining('narrow/inch.dxf') });
    await rule.db.run(`UPDATE files SET lock_reason = NULL WHERE path = 'narrow/inch.dxf'`);
  });
});

describe('what is typed in a title block', () => {
  it('has its owner named: the file, the property, its value, and why it cannot be typed', async () => {
    await rule.bind(shows('WHO', [{ words: 'chk ' }, await piece('Checked by', 'model')]));
    const metric = await view('metric');
    const owner = (tag: string) => metric.cells.find((cell) => cell.tag === tag)!.owner;
    expect(owner('TITLE')).toMatchObject({ of: 'narrow/metric.dxf', text: 'Face plate with 6 bore holes and an O-ring', closed: null });
    expect(owner('WHO')).toMatchObject({ of: expect.stringMatching(/face-plate\.step$/), before: 'chk ', behind: '', text: '', closed: null });
    expect(owner('LOOSE')).toBeNull();
    const asGuest = (await guest.get(`/files/${await file('metric')}/title-block?holder=${encodeURIComponent(metric.holder)}`)).body as BlockView;
    expect(asGuest.cells.find((cell) => cell.tag === 'TITLE')!.owner!.closed).not.toBeNull();
  });

  it('goes into the drawing alone where the cell shows no property, and is refused where it shows one', async () => {
    const [id, holder] = [await file('metric'), await holderOf('metric')];
    const type = (tag: string, text: string) => okafor.post(`/files/${id}/cell`, { holder, tag, text });
    const answer = (await type('LOOSE', 'by hand').expect(200)).body as Tray;
    expect(answer.lines).toMatchObject([{ path: 'narrow/metric.dxf', name: 'LOOSE', base: { text: 'as drawn' }, proposed: { text: 'by hand' } }]);
    expect(answer.steps.undo).toBeGreaterThan(0);
    expect((await type('TITLE', 'x')).body).toMatchObject({ status: 422, code: 'cell-bound' });
    expect((await type('NONE', 'x')).status).toBe(404);
    await okafor.apply();
    expect(seen('metric').cells.LOOSE![0]).toBe('by hand');
  });
});

describe('texts that stand in title blocks alone', () => {
  it('are taken up as values of their properties; those that contradict each other are listed, and nothing is taken twice', async () => {
    await rule.bind(shows('WHO', [await piece('Checked by', 'model')]));
    expect(await states('WHO')).toEqual({ 'would be erased': 4 });
    const take = async () => (await okafor.post('/title-blocks/take-up', { block: 'narrow', cells: null, drawings: null })).body as TakenUpAnswer & Problem;
    const taken = await take();
    // Two drawings of the face plate have different names, both of the drum the same; one drawing has its own title.
    expect(taken.values).toBe(2);
    expect(taken.conflicts.map(({ path, tag, why }) => [path, tag, why]).sort()).toEqual([
      ['narrow/metric.dxf', 'WHO', 'Sheets show different texts for the same value: “T. Okafor”, “M. Haas”.'],
      ['narrow/second.dxf', 'WHO', 'Sheets show different texts for the same value: “T. Okafor”, “M. Haas”.'],
    ]);
    expect((await okafor.apply()).state).toBe('applied');
    expect(await states('WHO')).toEqual({ right: 2, 'would be erased': 2 });
    expect(await states('TITLE')).toMatchObject({ 'does not fit': 1, right: 3 });
    expect(await take()).toMatchObject({ status: 422, code: 'nothing-to-do' });
  });

  it('are not taken by who may only look', async () => {
    expect((await guest.post('/title-blocks/take-up', { block: 'narrow', cells: null, drawings: null })).status).toBe(403);
  });
});

describe('the sheets of a drawing set', () => {
  it('are numbered through its drawings in their order, and anew when one leaves it', async () => {
    const set = { level: 'drawing set' as const, name: 'Narrow sheets' };
    await rule.services.projects.save(null, { ...set, clauses: [{ subject: 'folder', operator: 'is', text: 'narrow' }] });
    const form = PLAIN_CELL;
    await rule.bind(shows('LOOSE', [{ words: 'Sheet ' }, { fact: 'sheet number in set', form }, { words: ' of ' }, { fact: 'number of sheets in set', form }]));
    const shown = async () => {
      await states('LOOSE');
      const rows = await rule.db.all<{ path: string; shown: string | null; why: string }>(
        `SELECT f.path, c.shown, c.why FROM cell_states c JOIN files f ON f.id = c.file_id WHERE c.family = 'narrow' AND c.tag = 'LOOSE' ORDER BY f.path`,
      );
      return rows.map((row) => [row.path, row.shown ?? row.why]);
    };
    expect(await shown()).toEqual([
      ['narrow/drum.dxf', 'Sheet 1 of 4'],
      ['narrow/inch.dxf', 'Sheet 2 of 4'],
      ['narrow/metric.dxf', 'Sheet 3 of 4'],
      ['narrow/second.dxf', 'Sheet 4 of 4'],
    ]);
    await rule.db.run(`UPDATE files SET set_id = NULL WHERE path = 'narrow/inch.dxf'`);
    expect(await shown()).toEqual([
      ['narrow/drum.dxf', 'Sheet 1 of 3'],
      ['narrow/inch.dxf', 'the sheet number in set is not known'],
      ['narrow/metric.dxf', 'Sheet 2 of 3'],
      ['narrow/second.dxf', 'Sheet 3 of 3'],
    ]);
  });
});

describe('the command line', () => {
  let token: string;
  const said = async (...args: string[]) => {
    let [out, err] = ['', ''];
    const exit = await run(
      [...args, '--output', 'json'],
      { RULE_TOKEN: token, RULE_SERVER: rule.url },
      (text) => void (out += text),
      (text) => void (err += text),
    );
    return { exit, rows: out ? (JSON.parse(out) as Record<string, unknown>[]) : [], err: err.trim() };
  };
  beforeAll(async () => {
    ({ token } = (await okafor.post('/tokens', { name: 'blocks' }).expect(200)).body as { token: string });
    await rule.bind(shows('LOOSE', [{ fact: 'file name', form: PLAIN_CELL }]));
  });

  it('lists title blocks with what their cells show and how they stand', async () => {
    const { exit, rows, err } = await said('title-blocks', 'list');
    expect(rows).toContainEqual(expect.objectContaining({ block: 'NARROW', cell: 'LOOSE', shows: 'file name', stale: 4, right: 0 }));
    expect([exit, err]).toEqual([1, expect.stringMatching(/cells? to look at$/)]);
  });

  it('shows the sheets with a cell in a state', async () => {
    const { exit, rows } = await said('title-blocks', 'show', 'narrow', '--state', 'does not fit');
    expect([exit, rows]).toEqual([1, [expect.objectContaining({ file: 'narrow/inch.dxf', sheet: 'Layout1', 'does not fit': 1 })]]);
    expect((await said('title-blocks', 'show', 'nothing')).err).toContain('There is no title block "nothing".');
    expect(await said('title-blocks', 'show', 'narrow', '--state', 'odd')).toMatchObject({
      exit: 3,
      err: expect.stringContaining('--state takes "right", "stale"'),
    });
  });

  it('puts cells in order, in the drawings where that is asked for, and leaves a tray that holds something alone', async () => {
    await rule.db.run(`UPDATE files SET lock_reason = 'is released in the vault' WHERE path = 'narrow/second.dxf'`);
    const { exit, rows, err } = await said('title-blocks', 'put', 'NARROW');
    expect([exit, rows, err]).toEqual([
      1,
      [{ file: 'narrow/second.dxf', cells: 1, reason: 'The file is released in the vault.' }],
      '3 cells added to your tray, 1 drawing left out',
    ]);
    expect(await said('title-blocks', 'put', 'NARROW', '--apply')).toMatchObject({ exit: 3, err: expect.stringContaining('Your tray holds 3 pending lines') });
    await okafor.post('/tray/drop', { lines: 'all' });
    expect(await said('title-blocks', 'put', 'NARROW', '--fit', '--apply')).toMatchObject({ exit: 1, err: '4 cells written, 1 drawing left out' });
    expect(seen('drum').cells.LOOSE![0]).toBe('drum.dxf');
    expect(seen('second').cells.LOOSE![0]).toBe('as drawn');
    await rule.db.run(`UPDATE files SET lock_reason = NULL WHERE path = 'narrow/second.dxf'`);
  });
});
