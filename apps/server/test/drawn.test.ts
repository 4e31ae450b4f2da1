import { afterAll, beforeAll, describe, expect, it, jest } from '@jest/globals';
import { BlockRow, BomLayout, BomRequest, DrawnBlock, DrawnBom, DrawnSheet, GridPage, Problem, ProposedAnswer, Tray } from '@rule/contract';
import { execFileSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';
import { Person, Rule, startRule } from './harness';

jest.setTimeout(120_000);

const DRAWING = 'DR-15/drawings/DR15-200 drum unit.dxf';

let rule: Rule;
let varga: Person;
let okafor: Person;
let unit: number;
let sheetFile: number;
let layout: BomLayout;
const request = (): BomRequest => ({ layout: layout.id, content: layout.content });
beforeAll(async () => {
  rule = await startRule();
  [varga, okafor] = (await Promise.all(['varga', 'okafor'].map((name) => rule.signIn(name)))) as [Person, Person];
  [unit, sheetFile] = [await rule.file('drum-unit.step'), await rule.file(DRAWING)];
  layout = ((await varga.get('/bom/layouts')).body as BomLayout[]).find((row) => row.name === 'Parts list')!;
});
afterAll(() => rule.stop());

const path = () => join(rule.library, DRAWING);
const look = async (): Promise<DrawnSheet> => {
  const answer = await varga.post(`/files/${unit}/bom/drawn`, request());
  expect([answer.status, answer.body]).toEqual([200, expect.anything()]);
  return (answer.body as DrawnBom).sheets[0]!;
};
const said = ({ differences }: DrawnSheet) =>
  differences.map(({ kind, item, cells }) => `${item} ${kind}${cells.map(({ tag, now, should }) => ` ${tag} ${now}→${should}`).join(',')}`);
const apply = async (person: Person) => {
  const report = await person.apply();
  expect([report.state, report.failures]).toEqual(['applied', []]);
  return report.changeSet;
};

/** Rows and marks as read by ezdxf, and its audit findings. */
function seen(file = path()): { errors: number; rows: (string | number)[][]; marks: string[] } {
  const code = `
import ezdxf, json, sys
doc = ezdxf.readfile(sys.argv[1])
space = doc.layout('Sheet 1')
rows = sorted([[round(i.dxf.insert.x, 3), round(i.dxf.insert.y, 3)] + [a.dxf.text for a in i.attribs] for i in space.query('INSERT[name=="MRW-PART-ROW"]')], key=lambda r: r[1])
marks = sorted(i.attribs[0].dxf.text for i in space.query('INSERT[name=="MRW-MARK"]'))
print(json.dumps({'errors': len(doc.audit().errors), 'rows': rows, 'marks': marks}))`;
  return JSON.parse(execFileSync('/usr/bin/python3', ['-c', code, file], { encoding: 'utf8' })) as ReturnType<typeof seen>;
}

describe('the parts list on a drawing', () => {
  it('is read from its row blocks and compared with the bill of materials row by row', async () => {
    const sheet = await look();
    // Compared with the demo's hand-made drawing: missing shaft, one arm too few, an old description, a removed seal.
    expect([sheet.path, sheet.layout, sheet.rows, sheet.defined, said(sheet)]).toEqual([
      DRAWING,
      'Sheet 1',
      4,
      true,
      [
        '1 same',
        '2 added POS →2, QTY →1, PARTNO →DR15-112, DESCR →Drum shaft, MATL →1.4301',
        '3 changed QTY 3→4',
        '4 changed DESCR Drum bearing→Drum bearing, sealed',
        '5 removed',
      ],
    ]);
    expect(sheet.marks.map(({ number, state }) => `${number} ${state}`).sort()).toEqual(['1 right', '3 right', '4 right', '5 no row']);
    expect(sheet.without.map((row) => `${row.item} ${row.label}`)).toEqual(['2 Drum shaft']);
    // Rows and marks are not title blocks.
    const families = ((await varga.get('/title-blocks')).body as BlockRow[]).map((row) => row.family);
    expect([families.includes('mrw-title'), families.includes('mrw-part-row'), families.includes('mrw-mark')]).toEqual([true, false, false]);
    const sheets = (await varga.get(`/values?level=sheet&search=${encodeURIComponent('DR15-200')}`)).body as GridPage;
    expect(sheets.rows.map((row) => row.file.path)).toEqual([DRAWING]);
    const blocks = (await varga.get('/bom/blocks')).body as DrawnBlock[];
    expect(blocks.find((block) => block.name === 'MRW-PART-ROW')?.tags).toEqual(['POS', 'QTY', 'PARTNO', 'DESCR', 'MATL']);
  });

  it('is no title block: what every block with such a cell shows leaves its rows alone', async () => {
    await rule.bind({
      block: null,
      cell: 'DESCR',
      leads: false,
      shows: [{ property: await rule.property('Description'), from: 'model', form: { letters: 'as they are', unit: false } }],
    });
    await varga.get('/title-blocks').expect(200);
    expect(await rule.db.all(`SELECT DISTINCT family FROM cell_states WHERE tag IN ('DESCR', 'MATL')`)).toEqual([{ family: 'mrw-title' }]);
  });

  it('is put in order through the tray, clean to ezdxf, and taken back to the byte', async () => {
    const before = readFileSync(path());
    const answer = await okafor.post(`/files/${unit}/bom/drawn/tray`, { ...request(), drawing: sheetFile, sheet: 'Sheet 1', corner: null, erase: false });
    expect([answer.status, (answer.body as ProposedAnswer).left]).toEqual([200, []]);
    const set = await apply(okafor);
    expect(seen()).toEqual({
      errors: 0,
      rows: [
        [404, 58, '1', '1', 'DR15-110', 'Drum, 15 kg', '1.4301'],
        [404, 65, '2', '1', 'DR15-112', 'Drum shaft', '1.4301'],
        [404, 72, '3', '4', 'DR15-115', 'Agitator arm', '1.4301'],
        [404, 79, '4', '2', 'BP-6204', 'Drum bearing, sealed', '100Cr6'],
      ],
      marks: ['1', '3', '4', '5'],
    });
    expect(said(await look())).toEqual(['1 same', '2 same', '3 same', '4 same']);
    const again = await okafor.post(`/files/${unit}/bom/drawn/tray`, { ...request(), drawing: null, sheet: null, corner: null, erase: false });
    expect([again.status, (again.body as Problem).detail]).toEqual([422, 'The lists on these drawings are up to date.']);
    expect((await okafor.revert(set)).state).toBe('applied');
    expect(readFileSync(path()).equals(before)).toBe(true);
    expect(said(await look())).toContain('5 removed');
  });

  it('grows and shrinks by whole rows, and rows that come and go keep what is in them', async () => {
    // Without the class of bought parts the bearing is omitted; two rows of the drawing are left over.
    const classes = (await varga.get('/classes')).body as { id: number; name: string }[];
    const bought = classes.find((entry) => entry.name === 'bought part')!.id;
    const made: BomRequest = { ...request(), content: { ...layout.content, classes: [{ class: bought, rule: 'leave out', property: null }] } };
    expect((await okafor.post(`/files/${unit}/bom/drawn/tray`, { ...made, drawing: sheetFile, sheet: 'Sheet 1', corner: null, erase: false })).status).toBe(
      200,
    );
    // Pending changes are not planned twice.
    const twice = await okafor.post(`/files/${unit}/bom/drawn/tray`, { ...made, drawing: sheetFile, sheet: 'Sheet 1', corner: null, erase: false });
    expect([twice.status, (twice.body as Problem).detail]).toEqual([
      422,
      `${DRAWING}: Blocks of this drawing are already pending in your tray. Apply or discard them first.`,
    ]);
    const set = await apply(okafor);
    expect([seen().errors, seen().rows.length]).toEqual([0, 3]);
    // After another change to the file, a revert restores rows one by one, with texts.
    await okafor.post('/tray', { values: [{ file: sheetFile, property: await rule.property('Revision'), text: 'C' }] });
    await apply(okafor);
    expect((await okafor.revert(set)).state).toBe('applied');
    expect(seen()).toMatchObject({ errors: 0, rows: expect.arrayContaining([[404, 79, '5', '2', 'BP-FELT12', 'Felt seal', 'wool']]) as unknown });
    expect(seen().rows.length).toBe(4);
    await okafor.post('/tray', { values: [{ file: sheetFile, property: await rule.property('Revision'), text: 'B' }] });
    await apply(okafor);
  });

  it('is placed where there is none, at the title block or a corner, in columns that the layout allows', async () => {
    // The mark block used as row block: the sheet has four, and new ones follow the last.
    const drawn = { ...layout.content.drawn!, marks: null };
    const put = (more: object, corner: unknown) =>
      okafor.post(`/files/${unit}/bom/drawn/tray`, {
        ...request(),
        content: { ...layout.content, drawn: { ...drawn, ...more } },
        drawing: sheetFile,
        sheet: 'Sheet 1',
        corner,
        erase: false,
      });
    const refused = await put({ block: 'NOT-THERE' }, 'title block');
    expect([refused.status, (refused.body as Problem).detail]).toEqual([
      422,
      `${DRAWING}: The drawing does not define the block NOT-THERE, and no other can lend it.`,
    ]);
    // Without its rows, the list is placed anew.
    const rows = await rule.db.all<{ holder: string }>(`SELECT holder FROM placed_blocks WHERE file_id = $1 AND family = 'mrw-part-row'`, [sheetFile]);
    await rule.db.run(`UPDATE placed_blocks SET family = 'somebody else''s row' WHERE file_id = $1 AND holder = ANY($2)`, [
      sheetFile,
      rows.map((row) => row.holder),
    ]);
    expect((await put({}, null)).body).toMatchObject({ detail: `${DRAWING}, Sheet 1: choose where the list starts.` });
    const places = async (more: object, corner: unknown) => {
      const answer = await put(more, corner);
      expect([answer.status, answer.body]).toEqual([200, expect.anything()]);
      const found = (answer.body as Tray).lines.filter((line) => line.place === 'placed').map((line) => line.proposed!.text.slice('MRW-PART-ROW at '.length));
      await okafor.post('/tray/drop', { lines: 'all' });
      return found;
    };
    // An A2 sheet: title block of 180 × 48 mm in the border's corner, rows of 180 × 7 mm.
    expect(await places({}, 'title block')).toEqual(['404 58', '404 65', '404 72', '404 79'].map((at) => `${at} on Sheet 1`));
    expect(await places({ growth: 'down', rowsPerColumn: 3 }, 'top right')).toEqual(
      ['404 403', '404 396', '404 389', '224 403'].map((at) => `${at} on Sheet 1`),
    );
    expect(await places({ side: 'right', rowsPerColumn: 2 }, 'bottom left')).toEqual(['20 10', '20 17', '200 10', '200 17'].map((at) => `${at} on Sheet 1`));
    expect((await places({}, { x: 1.5, y: 2 }))[0]).toBe('1.5 2 on Sheet 1');
    await rule.db.run(`UPDATE placed_blocks SET family = 'mrw-part-row' WHERE file_id = $1 AND holder = ANY($2)`, [sheetFile, rows.map((row) => row.holder)]);
  });
});

describe('item marks', () => {
  it('that a renumbered list leaves behind are known, and set to their rows', async () => {
    const table = (await varga.post(`/files/${unit}/bom`, request())).body as { rows: { id: string; item: string }[] };
    const row = (item: string) => table.rows.find((each) => each.item === item)!.id;
    expect((await okafor.put(`/files/${unit}/bom/number`, { ...request(), row: row('3'), number: 30 })).status).toBeLessThan(300);
    expect((await look()).marks.map(({ number, state, should }) => `${number} ${state} ${should ?? ''}`).sort()).toEqual([
      '1 right 1',
      '3 wrong number 30',
      '4 right 4',
      '5 no row ',
    ]);
    const all = await okafor.put(`/files/${unit}/bom/drawn/marks`, { ...request(), drawing: sheetFile, sheet: 'Sheet 1', holder: null, row: null });
    expect(all.status).toBe(200);
    await apply(okafor);
    expect(seen().marks).toEqual(['1', '30', '4', '5']);
    // A mark gets a missing row.
    const lost = (await look()).marks.find((mark) => mark.state === 'no row')!.holder;
    const one = { ...request(), drawing: sheetFile, sheet: 'Sheet 1', holder: lost };
    expect((await okafor.put(`/files/${unit}/bom/drawn/marks`, { ...one, row: null })).status).toBe(422);
    expect((await okafor.put(`/files/${unit}/bom/drawn/marks`, { ...one, row: row('2') })).status).toBe(200);
    await apply(okafor);
    expect(seen().marks).toEqual(['1', '2', '30', '4']);
    expect(await look()).toMatchObject({ without: [] });
    const none = await okafor.post(`/files/${unit}/bom/drawn/marks`, { ...request(), drawing: sheetFile, sheet: 'Sheet 1', edge: 'top', view: 0 });
    expect([none.status, (none.body as Problem).detail]).toEqual([422, 'Every row has a mark on this sheet.']);
  });

  it('are placed for rows without one, in their order along an edge of the view', async () => {
    await rule.db.run(`DELETE FROM mark_rows`);
    const sheet = await look();
    const two = sheet.marks.filter((mark) => mark.number === '2' || mark.number === '4');
    for (const mark of two) {
      const row = sheet.marks.find((each) => each.number === '1')!.row;
      expect(
        (await okafor.put(`/files/${unit}/bom/drawn/marks`, { ...request(), drawing: sheetFile, sheet: 'Sheet 1', holder: mark.holder, row })).status,
      ).toBe(200);
    }
    await apply(okafor);
    expect((await look()).without.map((row) => row.item)).toEqual(['2', '4']);
    const placed = await okafor.post(`/files/${unit}/bom/drawn/marks`, { ...request(), drawing: sheetFile, sheet: 'Sheet 1', edge: 'bottom', view: 0 });
    expect(placed.status).toBe(200);
    const lines = (placed.body as Tray).lines.filter((line) => line.place === 'placed').map((line) => line.proposed!.text);
    // The view is 534 × 320 mm around (302, 230): half of each, 14 mm below its edge.
    expect(lines).toEqual(['MRW-MARK at 168.5 56 on Sheet 1', 'MRW-MARK at 435.5 56 on Sheet 1']);
    await apply(okafor);
    expect([seen().errors, seen().marks]).toEqual([0, ['1', '1', '1', '2', '30', '4']]);
    expect((await look()).without).toEqual([]);
  });

  it('and lists of locked drawings are left alone', async () => {
    await rule.db.run(`UPDATE files SET lock_reason = 'is released in the vault' WHERE id = ${sheetFile}`);
    const answer = await okafor.put(`/files/${unit}/bom/drawn/marks`, { ...request(), drawing: sheetFile, sheet: 'Sheet 1', holder: null, row: null });
    expect([answer.status, (answer.body as Problem).detail]).toEqual([409, `${DRAWING}: The file is released in the vault.`]);
    const list = await okafor.post(`/files/${unit}/bom/drawn/tray`, { ...request(), drawing: null, sheet: null, corner: null, erase: false });
    expect([list.status, (list.body as Problem).detail]).toEqual([422, `${DRAWING}: The file is released in the vault.`]);
    await rule.db.run(`UPDATE files SET lock_reason = NULL WHERE id = ${sheetFile}`);
  });
});

describe('a drawing that lacks the blocks', () => {
  const OTHER = 'DR-15/drawings/DR15-115 agitator arm.dxf';

  it('gets them from one that has them, with the list and the marks, and gives them back to the byte', async () => {
    const other = await rule.file(OTHER);
    await rule.db.run('UPDATE files SET model_file_id = $1 WHERE id = $2', [unit, other]);
    await rule.db.run('UPDATE sheet_models SET model_file_id = $1 WHERE file_id = $2', [unit, other]);
    const before = readFileSync(join(rule.library, OTHER));
    const lookAt = async () => {
      const view = (await varga.post(`/files/${unit}/bom/drawn`, request())).body as DrawnBom;
      return view.sheets.find((sheet) => sheet.path === OTHER)!;
    };
    expect(await lookAt()).toMatchObject({ defined: false, marksDefined: false, lent: { list: DRAWING, marks: DRAWING }, rows: 0 });
    const put = await okafor.post(`/files/${unit}/bom/drawn/tray`, { ...request(), drawing: other, sheet: 'Sheet 1', corner: 'title block', erase: false });
    expect([put.status, (put.body as Problem).detail]).toEqual([200, undefined]);
    const report = await apply(okafor);
    const after = await lookAt();
    expect([after.defined, after.differences.every((row) => row.kind === 'same'), after.lent.list]).toEqual([true, true, null]);
    const { errors, rows } = seen(join(rule.library, OTHER));
    expect([errors, rows.length]).toEqual([0, after.rows]);
    // The mark uses another block, brought along with the first mark.
    const marks = await okafor.post(`/files/${unit}/bom/drawn/marks`, { ...request(), drawing: other, sheet: 'Sheet 1', edge: 'top', view: 0 });
    expect(marks.status).toBe(200);
    expect((marks.body as Tray).lines.filter((line) => line.place === 'block').map((line) => [line.name, line.base])).toEqual([['MRW-MARK', null]]);
    const second = await apply(okafor);
    expect([seen(join(rule.library, OTHER)).errors, (await lookAt()).without]).toEqual([0, []]);
    for (const set of [second, report]) expect((await okafor.revert(set)).state).toBe('applied');
    expect(Buffer.compare(readFileSync(join(rule.library, OTHER)), before)).toBe(0);
    expect((await lookAt()).defined).toBe(false);
  });

  it('says so where none can lend them', async () => {
    await rule.db.run(`UPDATE sheets SET unit = 'in' WHERE file_id = $1`, [await rule.file(OTHER)]);
    const view = (await varga.post(`/files/${unit}/bom/drawn`, request())).body as DrawnBom;
    expect(view.sheets.find((sheet) => sheet.path === OTHER)!.lent).toEqual({ list: null, marks: null });
    const put = await okafor.post(`/files/${unit}/bom/drawn/tray`, {
      ...request(),
      drawing: await rule.file(OTHER),
      sheet: 'Sheet 1',
      corner: 'title block',
      erase: false,
    });
    expect([put.status, (put.body as Problem).detail]).toEqual([
      422,
      `${OTHER}: The drawing does not define the block MRW-PART-ROW, and no other can lend it.`,
    ]);
  });
});
