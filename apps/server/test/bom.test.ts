import { afterAll, beforeAll, describe, expect, it, jest } from '@jest/globals';
import {
  BomComparison,
  BomLayout,
  BomMember,
  BomPart,
  BomRenumbered,
  BomTable,
  BomTableRow,
  KeptBom,
  KeptBomView,
  Problem,
  ProposedAnswer,
  WhereUsed,
} from '@rule/contract';
import { BomColumn, BomContent, factColumn, plainContent, propertyColumn, unpackList } from '@rule/core/bom';
import ExcelJS from 'exceljs';
import { mkdirSync, mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { run } from '../../cli/src/rule';
import { BomData } from '../src/bom/sources';
import { UNWATCHED } from '../src/jobs/jobs';
import { Person, Rule, startRule } from './harness';
import { assemblyOf, variants } from './variants';

jest.setTimeout(120_000);

let rule: Rule;
let varga: Person;
let okafor: Person;
let guest: Person;
let roaster: number;
let unit: number;
let layouts: BomLayout[];
beforeAll(async () => {
  rule = await startRule();
  [varga, okafor, guest] = (await Promise.all(['varga', 'okafor', 'guest'].map((name) => rule.signIn(name)))) as [Person, Person, Person];
  [roaster, unit] = [await rule.file('roaster.step'), await rule.file('drum-unit.step')];
  layouts = (await guest.get('/bom/layouts')).body as BomLayout[];
});
afterAll(() => rule.stop());

const columnsOf = async (...names: string[]): Promise<BomColumn[]> => Promise.all(names.map(async (name) => propertyColumn(await rule.property(name))));
const content = (more: Partial<BomContent> = {}): BomContent => ({ ...plainContent([]), ...more });
const ask = async (file: number, more: Partial<BomContent> = {}, layout: number | null = null, person = guest) => {
  const answer = await person.post(`/files/${file}/bom`, { layout, content: content(more) });
  expect([answer.status, answer.body]).toEqual([200, expect.anything()]);
  return answer.body as BomTable;
};
const leaf = (row: BomTableRow) => (row.path ?? row.label).split('/').at(-1)!;
const said = (table: BomTable) => table.rows.map((row) => `${row.item} ${leaf(row)}: ${row.quantity}/${row.total}`);
const buffer = async (test: ReturnType<Person['post']>) =>
  (
    await test.buffer(true).parse((response, done) => {
      const pieces: Buffer[] = [];
      response.on('data', (piece: Buffer) => pieces.push(piece));
      response.on('end', () => done(null, Buffer.concat(pieces)));
    })
  ).body as Buffer;

describe('the rows of an assembly', () => {
  it('single-level, with parts that are matched, ambiguous and not there, and copies that contradict', async () => {
    const table = await ask(roaster, { columns: [factColumn('item'), ...(await columnsOf('Material'))] });
    expect(table.rows.map((row) => [row.item, row.quantity, row.match.state])).toEqual([
      ['1', 1, 'matched'],
      ['2', 1, 'matched'],
      ['3', 1, 'matched'],
      ['4', 1, 'matched'],
      ['5', 1, 'matched'],
      ['6', 1, 'matched'],
      ['7', 1, 'matched'],
      ['8', 1, 'matched'],
      ['9', 4, 'matched'],
      ['10', 2, 'matched'],
      ['11', 1, 'ambiguous'],
      ['12', 2, 'unmatched'],
      ['13', 4, 'matched'],
    ]);
    expect(table.rows[2]!.cells[1]).toMatchObject({ text: '1.4301', copy: 'DC01' });
    expect(table.rows[10]!.candidates.length).toBeGreaterThan(1);
    expect(table.rows[11]!.cells[1]).toMatchObject({ text: '', state: 'unknown' });
  });

  it('indented through the files of sub-assemblies, and summed over all levels to the same pieces', async () => {
    const indented = await ask(roaster, { structure: 'indented' });
    const inside = indented.rows.filter(
      (row) => row.parent !== null && indented.rows.find((other) => other.id === row.parent)!.path?.endsWith('drum-unit.step'),
    );
    // Counted by hand in the demo: one drum unit of a drum, a shaft, four arms and two bearings.
    expect(inside.map((row) => `${leaf(row)} ${row.quantity}/${row.total}`)).toEqual([
      'drum.step 1/1',
      'drum-shaft.step 1/1',
      'agitator-arm.step 4/4',
      'drum-bearing.step 2/2',
    ]);
    const summed = await ask(roaster, { structure: 'summed' });
    const leaves = indented.rows.filter((row) => !row.open);
    const counts = new Map<string, number>();
    for (const row of leaves) counts.set(leaf(row), (counts.get(leaf(row)) ?? 0) + row.total);
    expect(new Map(summed.rows.map((row) => [leaf(row), row.total]))).toEqual(counts);
    expect(summed.pieces).toBe(leaves.reduce((sum, row) => sum + row.total, 0));
  });

  it('values of placed parts stand in columns, and a row whose members differ says so and opens to them', async () => {
    const request = {
      layout: null,
      content: content({ columns: [factColumn('quantity'), ...(await columnsOf('Tightening torque', 'Lubrication interval'))] }),
    };
    const table = (await guest.post(`/files/${unit}/bom`, request)).body as BomTable;
    const row = table.rows.find((entry) => leaf(entry) === 'drum-bearing.step')!;
    // The demo's two bearings are tightened with 18 and 12 N·m.
    expect(row.cells.slice(0, 2).map((cell) => cell.text)).toEqual(['2', 'differs (2 values)']);
    const members = (await guest.post(`/files/${unit}/bom/members`, { ...request, row: row.id })).body as BomMember[];
    expect(members.map((member) => member.cells[1]!.text).sort()).toEqual(['12', '18']);
    expect(row.cells[1]!.differs!.map(({ text, pieces }) => [text, pieces]).sort()).toEqual([
      ['12', 1],
      ['18', 1],
    ]);
  });

  it('masses by geometry come without a property, and are summed', async () => {
    await rule.services.geometries.measureAll(UNWATCHED);
    const table = await ask(unit, { columns: [factColumn('part'), { ...factColumn('mass'), sum: true }] });
    expect(table.headers).toEqual(['Part file', 'Mass by geometry, kg']);
    const total = table.totals[1]!;
    const known = table.rows.flatMap((row) => (row.cells[1]!.number === undefined ? [] : [row.cells[1]!.number * row.total]));
    expect(known.length).toBeGreaterThan(0);
    expect(total.value).toBeCloseTo(
      known.reduce((sum, mass) => sum + mass, 0),
      9,
    );
    expect(total.without).toBe(table.rows.filter((row) => row.cells[1]!.number === undefined).reduce((sum, row) => sum + row.total, 0));
  });

  it('refuses what is no assembly, and what it cannot find', async () => {
    const part = await rule.file('parts/drum.step');
    expect(((await guest.post(`/files/${part}/bom`, { layout: null, content: content() })).body as Problem).code).toBe('not-an-assembly');
    expect((await guest.post(`/files/${roaster}/bom`, { layout: 4711, content: content() })).status).toBe(404);
    expect((await guest.post(`/files/${roaster}/bom`, { layout: null, root: 'nothing', content: content() })).status).toBe(404);
    expect((await guest.post(`/files/${roaster}/bom`, { layout: null, content: { ...content(), structure: 'upside down' } })).status).toBe(400);
    // A removed property leaves a column saying so; the list still works.
    const gone = await ask(roaster, { columns: [propertyColumn(4711)] });
    expect([gone.gone, gone.headers, gone.rows[0]!.cells[0]!.state]).toEqual([[4711], ['gone from the schema'], 'unknown']);
  });
});

describe('item numbers', () => {
  it('are kept with the layout, typed, and never the same for two rows', async () => {
    const layout = layouts.find((entry) => entry.name === 'Parts list')!;
    const request = { layout: layout.id, content: layout.content };
    const first = (await guest.post(`/files/${unit}/bom`, request)).body as BomTable;
    expect(said(first)).toEqual(['1 drum.step: 1/1', '2 drum-shaft.step: 1/1', '3 agitator-arm.step: 4/4', '4 drum-bearing.step: 2/2']);
    const [drum, shaft] = first.rows;
    expect((await guest.put(`/files/${unit}/bom/number`, { ...request, row: drum!.id, number: 9 })).status).toBe(403);
    const taken = await okafor.put(`/files/${unit}/bom/number`, { ...request, row: drum!.id, number: 2 });
    expect([taken.status, (taken.body as Problem).code, (taken.body as Problem).detail]).toEqual([409, 'number-taken', expect.stringContaining('Item 2 is')]);
    expect((await okafor.put(`/files/${unit}/bom/number`, { ...request, row: drum!.id, number: 9 })).status).toBe(200);
    expect((await okafor.put(`/files/${unit}/bom/number`, { ...request, row: shaft!.id, number: 1 })).status).toBe(200);
    const typed = (await guest.post(`/files/${unit}/bom`, request)).body as BomTable;
    expect(typed.rows.map((row) => [row.number, leaf(row)])).toEqual([
      [1, 'drum-shaft.step'],
      [3, 'agitator-arm.step'],
      [4, 'drum-bearing.step'],
      [9, 'drum.step'],
    ]);
    // Renumbering is announced first.
    const told = (await okafor.post(`/files/${unit}/bom/renumber`, { ...request, write: false })).body as BomRenumbered;
    expect(told.changes.map((change) => [change.before, change.after])).toEqual([
      [3, 2],
      [4, 3],
      [9, 4],
    ]);
    expect(((await guest.post(`/files/${unit}/bom`, request)).body as BomTable).rows.map((row) => row.number)).toEqual([1, 3, 4, 9]);
    await okafor.post(`/files/${unit}/bom/renumber`, { ...request, write: true });
    expect(((await guest.post(`/files/${unit}/bom`, request)).body as BomTable).rows.map((row) => row.number)).toEqual([1, 2, 3, 4]);
    expect(((await okafor.put(`/files/${unit}/bom/number`, { ...request, layout: null, row: drum!.id, number: 9 })).body as Problem).code).toBe('not-saved');
  });
  it('of two who look at a new list at once are the same', async () => {
    const layout = layouts.find((entry) => entry.name === 'Structure')!;
    const request = { layout: layout.id, content: layout.content };
    const tables = (await Promise.all(Array.from({ length: 6 }, () => guest.post(`/files/${roaster}/bom`, request)))).map((answer) => answer.body as BomTable);
    expect(new Set(tables.map((table) => JSON.stringify(said(table)))).size).toBe(1);
    expect((await rule.db.one<{ n: number }>('SELECT count(*)::int AS n FROM bom_numbers WHERE layout_id = $1', [layout.id]))!.n).toBe(tables[0]!.rows.length);
  });
});

describe('layouts', () => {
  it('are own or shared, and saved against the version that was opened', async () => {
    const draft = { name: 'My list', purpose: '', shared: false, content: content({ key: [await rule.property('Part number')] }) };
    const own = (await okafor.post('/bom/layouts', draft)).body as BomLayout;
    expect(own).toMatchObject({ name: 'My list', version: 1, mine: true, shared: false });
    expect(((await guest.get('/bom/layouts')).body as BomLayout[]).some((layout) => layout.id === own.id)).toBe(false);
    expect((await guest.post(`/files/${unit}/bom`, { layout: own.id, content: own.content })).status).toBe(404);
    expect(((await okafor.put(`/bom/layouts/${own.id}`, { ...draft, shared: true, version: 1 })).body as Problem).code).toBe('not-shared');
    expect(((await okafor.post('/bom/layouts', { ...draft, name: 'Parts list' })).body as Problem).code).toBe('name-taken');
    const changed = (await okafor.put(`/bom/layouts/${own.id}`, { ...draft, name: 'My better list', version: 1 })).body as BomLayout;
    expect(changed).toMatchObject({ name: 'My better list', version: 2 });
    const late = await okafor.put(`/bom/layouts/${own.id}`, { ...draft, version: 1 });
    expect([late.status, (late.body as Problem).code]).toEqual([409, 'changed-meanwhile']);
    expect(((await okafor.put(`/bom/layouts/${layouts[0]!.id}`, { ...draft, version: 1 })).body as Problem).code).toBe('not-yours');
    expect(((await okafor.post('/bom/layouts', { ...draft, name: 'x', content: content({ key: [4711] }) })).body as Problem).code).toBe('unknown-property');
    expect((await varga.put(`/bom/layouts/${own.id}`, { ...draft, shared: true, version: 2 })).status).toBe(200);
    expect((await okafor.delete(`/bom/layouts/${own.id}`)).status).toBe(200);
  });
});

describe('values typed in a row', () => {
  it('go through the tray to what holds them: the part, or every occurrence that the row counts', async () => {
    const [description, torque] = [await rule.property('Description'), await rule.property('Tightening torque')];
    const request = { layout: null, content: content({ columns: await columnsOf('Description', 'Tightening torque') }) };
    const rows = ((await okafor.post(`/files/${unit}/bom`, request)).body as BomTable).rows;
    const bearing = rows.find((row) => leaf(row) === 'drum-bearing.step')!;
    expect((await guest.post(`/files/${unit}/bom/value`, { ...request, row: bearing.id, property: description, text: 'x' })).status).toBe(403);
    const put = (await okafor.post(`/files/${unit}/bom/value`, { ...request, row: bearing.id, property: torque, text: '31' })).body as ProposedAnswer;
    expect(put.lines.map((line) => [line.path.split('/').at(-1), line.holder !== ''])).toEqual([
      ['drum-unit.step', true],
      ['drum-unit.step', true],
    ]);
    await okafor.post(`/files/${unit}/bom/value`, { ...request, row: bearing.id, property: description, text: 'Ball bearing for drums' });
    expect(await okafor.apply()).toMatchObject({ state: 'applied', failed: 0 });
    const after = ((await okafor.post(`/files/${unit}/bom`, request)).body as BomTable).rows.find((row) => row.id === bearing.id)!;
    expect(after.cells.map((cell) => cell.text)).toEqual(['Ball bearing for drums', '31']);
    const unknown = ((await okafor.post(`/files/${roaster}/bom`, request)).body as BomTable).rows.find((row) => row.match.state === 'unmatched')!;
    expect(((await okafor.post(`/files/${roaster}/bom/value`, { ...request, row: unknown.id, property: description, text: 'x' })).body as Problem).code).toBe(
      'no-holder',
    );
  });
});

describe('lists that leave Rule', () => {
  it('as CSV, in which blanks stay blank', async () => {
    const answer = await guest.post(`/files/${unit}/bom/table`, {
      format: 'csv',
      layout: null,
      content: content({ columns: [factColumn('item'), factColumn('quantity'), factColumn('part'), ...(await columnsOf('Part number', 'Mass'))] }),
    });
    expect(answer.text.split('\r\n')).toEqual([
      '\ufeffItem,Quantity,Part file,Part number,"Mass, kg"',
      '1,1,drum.step,DR15-110,7.961',
      '2,1,drum-shaft.step,DR15-112,2.500',
      '3,4,agitator-arm.step,DR15-115,0.142',
      '4,2,drum-bearing.step,BP-6204,0.156',
      '',
    ]);
  });
  it('as a workbook with totals, folding levels and pictures, which another library reads', async () => {
    await rule.services.geometries.measureAll(UNWATCHED);
    const mass = await rule.property('Mass');
    const bytes = await buffer(
      okafor.post(`/files/${roaster}/bom/table`, {
        format: 'xlsx',
        layout: null,
        content: content({
          structure: 'indented',
          columns: [
            factColumn('item'),
            factColumn('picture'),
            factColumn('part'),
            factColumn('total'),
            { of: { property: mass }, header: 'Weight', width: 140, sum: true },
          ],
        }),
      }),
    );
    const book = new ExcelJS.Workbook();
    await book.xlsx.load(bytes as never);
    const sheet = book.worksheets[0]!;
    expect([sheet.name, (sheet.getRow(1).values as string[]).slice(1)]).toEqual(['roaster', ['Item', 'Picture', 'Part file', 'Total quantity', 'Weight']]);
    expect(sheet.getColumn(5).width).toBe(20);
    const table = await ask(roaster, { structure: 'indented', columns: [factColumn('item'), { ...propertyColumn(mass), sum: true }] });
    expect(sheet.rowCount).toBe(table.rows.length + 2);
    table.rows.forEach((row, i) => {
      const written = sheet.getRow(i + 2);
      expect([written.getCell(1).value, written.getCell(4).value, written.outlineLevel]).toEqual([row.item, row.total, row.level - 1]);
    });
    expect([sheet.getRow(sheet.rowCount).getCell(1).value, table.totals[1]!.value]).toEqual(['Total', expect.any(Number)]);
    expect(sheet.getImages().length).toBe(table.rows.filter((row) => row.match.state === 'matched').length);
    expect(book.model.media.every((media) => (media as unknown as { extension: string }).extension === 'png')).toBe(true);
  });
  it('are kept as they were, and compared with what is there later', async () => {
    const request = {
      layout: null,
      content: content({ columns: [factColumn('item'), factColumn('quantity'), factColumn('part'), ...(await columnsOf('Material'))] }),
    };
    const kept = (await okafor.post(`/files/${unit}/bom/kept`, { ...request, title: 'Before the change' })).body as KeptBom;
    expect(kept).toMatchObject({ title: 'Before the change', assembly: unit, rows: 4, edition: 1, by: 'Tobe Okafor' });
    const arm = await rule.file('agitator-arm.step');
    await okafor.post('/tray', { values: [{ file: arm, property: await rule.property('Material'), text: '1.4404' }] });
    await okafor.apply();
    const compared = (await guest.post('/bom/compare', { before: { kept: kept.id }, after: { assembly: unit, ...request } })).body as BomComparison;
    expect(compared.differences).toEqual([{ what: 'value', label: 'agitator-arm.step', item: '3', column: 'Material', before: '1.4301', after: '1.4404' }]);
    // A kept list does not change.
    const view = (await guest.get(`/bom/kept/${kept.id}`)).body as KeptBomView;
    expect([view.headers, view.lines[2]!.cells, view.lines[2]!.hash]).toEqual([
      ['Item', 'Quantity', 'Part file', 'Material'],
      ['3', '4', 'agitator-arm.step', '1.4301'],
      expect.stringMatching(/^[0-9a-f]{64}$/),
    ]);
    expect((await guest.get(`/bom/kept/${kept.id}/table?format=csv`)).text).toContain('3,4,agitator-arm.step,1.4301');
    const other = (await guest.post('/bom/compare', { before: { kept: kept.id }, after: { assembly: roaster, ...request } })).body as BomComparison;
    expect(new Set(other.differences.map((difference) => difference.what))).toEqual(new Set(['removed', 'added']));
    expect((await guest.delete(`/bom/kept/${kept.id}`)).status).toBe(403);
    expect((await okafor.delete(`/bom/kept/${kept.id}`)).status).toBe(200);
    // The demo's own list is still there.
    expect(((await guest.get('/bom/kept')).body as KeptBom[]).map((row) => row.title)).toEqual(['Drum unit, first batch']);
  });
});

describe('where a part is used', () => {
  it('every assembly up to the top, with quantities', async () => {
    const arm = await rule.file('agitator-arm.step');
    const { ways, more } = (await guest.get(`/files/${arm}/where-used`)).body as WhereUsed;
    expect(more).toBe(false);
    expect(ways.map((way) => [way.total, ...way.assemblies.map((entry) => `${entry.path.split('/').at(-1)} ${entry.times}`)])).toContainEqual([
      4,
      'drum-unit.step 4',
      'roaster.step 1',
    ]);
  });
});

describe('on the command line', () => {
  const folder = mkdtempSync(join(tmpdir(), 'rule-bom-'));
  const ruled = async (...args: string[]) => {
    let [out, err] = ['', ''];
    const { token } = (await okafor.post('/tokens', { name: `bom ${args.join(' ').slice(0, 60)}` })).body as { token: string };
    const exit = await run(
      args,
      { RULE_TOKEN: token, RULE_SERVER: rule.url },
      (text) => void (out += text),
      (text) => void (err += text),
    );
    return { exit, out, err };
  };
  it('a list is shown, sent to a file, kept, compared, and a part looked up', async () => {
    const shown = await ruled('bom', 'show', 'drum-unit.step', '--layout', 'Structure', '--output', 'json');
    expect((JSON.parse(shown.out) as { 'Part file': string }[]).map((row) => row['Part file'])).toEqual([
      'drum.step',
      'drum-shaft.step',
      'agitator-arm.step',
      'drum-bearing.step',
    ]);
    expect((await ruled('bom', 'show', 'roaster.step')).exit).toBe(1);
    const file = join(folder, 'list.csv');
    expect((await ruled('bom', 'send', 'drum-unit.step', file, '--layout', 'Structure')).exit).toBe(0);
    expect(readFileSync(file, 'utf8')).toContain('drum-bearing.step');
    expect((await ruled('bom', 'keep', 'drum-unit.step', 'Nightly')).err).toContain('Nightly kept: 4 rows');
    const same = await ruled('bom', 'compare', 'Nightly', 'drum-unit.step');
    expect([same.exit, same.err]).toEqual([0, expect.stringContaining('0 differences')]);
    expect((await ruled('bom', 'compare', 'Nightly', 'roaster.step')).exit).toBe(1);
    expect((await ruled('bom', 'used', 'drum-bearing.step', '--output', 'csv')).out).toContain('roaster.step');
    const wrong = await ruled('bom', 'show', 'nothing.step');
    expect([wrong.exit, wrong.err]).toEqual([3, 'rule: There is no assembly "nothing.step".\n']);
    expect((await ruled('bom', 'send', 'drum-unit.step', 'x.pdf')).err).toContain('must end in .csv or .xlsx');
  });
});

describe('parts that are variants in one file', () => {
  it('have rows and values of their own, and typed ones go to the variant', async () => {
    mkdirSync(join(rule.library, 'sized'));
    writeFileSync(join(rule.library, 'sized/pins.step'), variants('1.4301', '1.4301', 'DC01'));
    writeFileSync(join(rule.library, 'sized/plate.step'), assemblyOf('PLATE', ['V-1', 2], ['V-2', 1], ['V-3', 3]));
    await rule.amend('Material', { level: 'variant' });
    await rule.services.scanner.rescan(UNWATCHED);
    const plate = await rule.file('sized/plate.step');
    const columns = [factColumn('part'), ...(await columnsOf('Material')), factColumn('mass')];
    const material = await rule.property('Material');
    const rows = (table: BomTable) => table.rows.map((row) => [row.total, ...row.cells.map((cell) => cell.text)]);
    const table = await ask(plate, { columns });
    expect(rows(table)).toEqual([
      [2, 'pins.step', '1.4301', ''],
      [1, 'pins.step, V-2', '1.4301', ''],
      [3, 'pins.step, V-3', 'DC01', ''],
    ]);
    // Merged by material, two variants of the same steel are one row.
    expect(rows(await ask(plate, { columns, key: [material] })).map(([total]) => total)).toEqual([3, 3]);
    const request = { layout: null, content: content({ columns }), row: table.rows[1]!.id, property: material, text: 'S235JR' };
    const tray = (await okafor.post(`/files/${plate}/bom/value`, request)).body as ProposedAnswer;
    expect(tray.lines.filter((line) => !line.follows).map(({ path, holder, proposed }) => [path, holder, proposed?.text])).toEqual([
      ['sized/pins.step', 'variant:V-2', 'S235JR'],
    ]);
    await okafor.post('/tray/drop', { lines: 'all' });
  });
  it('show the common value of their file where their own is blank, unless the property says otherwise', async () => {
    writeFileSync(join(rule.library, 'sized/pins.step'), variants('1.4301', '1.4301', ''));
    await rule.services.scanner.rescan(UNWATCHED);
    const plate = await rule.file('sized/plate.step');
    const columns = await columnsOf('Material');
    const last = async () => (await ask(plate, { columns })).rows.at(-1)!.cells[0]!.text;
    await rule.amend('Material', { level: 'variant', fallback: true });
    expect(await last()).toBe('1.4301');
    await rule.amend('Material', { level: 'variant', fallback: false });
    expect(await last()).toBe('');
    await rule.amend('Material', { level: 'document' });
  });
});

describe('a long list', () => {
  const bought = (prefix: string) => Array.from({ length: 250 }, (_, i) => [`${prefix}-${i}`, 1] as const);
  const linesOf = async (file: number, request: object) => {
    const text = (await buffer(okafor.post(`/files/${file}/bom/packed`, request))).toString();
    return text
      .trimEnd()
      .split('\n')
      .map((line) => JSON.parse(line) as BomPart & { problem?: Problem });
  };

  it('comes with its first rows before the others, each as in the whole list', async () => {
    mkdirSync(join(rule.library, 'long'));
    writeFileSync(join(rule.library, 'long/pins.step'), variants('1.4301', 'DC01').replaceAll("'V-", "'W-"));
    writeFileSync(join(rule.library, 'long/rack.step'), assemblyOf('RACK', ['W-1', 200], ...bought('FIRST'), ['W-2', 200], ...bought('MORE')));
    await rule.services.scanner.rescan(UNWATCHED);
    const rack = await rule.file('long/rack.step');
    const columns = [factColumn('part'), ...(await columnsOf('Material')), { ...factColumn('quantity'), sum: true }];
    const plain = await ask(rack, { columns });
    const lines = await linesOf(rack, { layout: null, content: content({ columns }) });
    expect(lines.map(({ whole, rows, table }) => [whole, rows, unpackList(table).rows.length, table.pieces])).toEqual([
      [false, plain.rows.length, 200, plain.pieces],
      [true, plain.rows.length, plain.rows.length, plain.pieces],
    ]);
    expect(unpackList(lines[0]!.table).rows).toEqual(plain.rows.slice(0, 200));
    expect(unpackList(lines[1]!.table)).toEqual({ rows: plain.rows, groups: plain.groups });
    expect([lines[0]!.table.totals, lines[1]!.table.totals[2]]).toEqual([[null, null, null], plain.totals[2]]);
    // Where values decide what comes first, there is the whole list alone, and it may be short.
    const sorted = [{ of: columns[1]!.of, descending: false }];
    expect((await linesOf(rack, { layout: null, content: content({ columns, sort: sorted }) })).map(({ whole }) => whole)).toEqual([true]);
    expect((await linesOf(unit, { layout: null, content: content({ columns }) })).map(({ whole }) => whole)).toEqual([true]);
  });

  it('ends with the problem where the others cannot be read', async () => {
    const rack = await rule.file('long/rack.step');
    const load = jest.spyOn(BomData.prototype, 'load').mockImplementation((only) => (only ? Promise.resolve() : Promise.reject(new Error('gone'))));
    try {
      const lines = await linesOf(rack, { layout: null, content: content({ columns: [factColumn('part')] }) });
      expect(lines.map(({ whole, problem }) => whole ?? problem?.code)).toEqual([false, 'internal']);
    } finally {
      load.mockRestore();
    }
  });
});
