import { BesideColumn } from '@rule/core/exchange';
import { execFileSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, readFileSync, readdirSync, rmSync, utimesSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import * as sheetjs from '@e965/xlsx';
import { afterAll, beforeAll, describe, expect, it, jest } from '@jest/globals';
import {
  CellFilter,
  CellPage,
  Delivery,
  LayoutContent,
  Layouts,
  Problem,
  ReadingChoice,
  SendOutRow,
  SendOutStarted,
  TableFormat,
  TakeBackView,
  Tray,
  WHOLE_LIBRARY,
  WatchedFolder,
} from '@rule/contract';
import { IDENTITY_HEADER, readCsv, writeCsv } from '@rule/core/exchange';
import { newDraft } from '@rule/core/schema';
import Papa from 'papaparse';
import { run } from '../../cli/src/rule';
import { nextDue } from '../src/exchange/deliveries';
import { Person, Rule, startRule } from './harness';

jest.setTimeout(120_000);

let rule: Rule;
let okafor: Person;
let lindqvist: Person;
const folder = mkdtempSync(join(tmpdir(), 'rule-exchange-'));

beforeAll(async () => {
  rule = await startRule({ jobs: true });
  [okafor, lindqvist] = [await rule.signIn('okafor'), await rule.signIn('lindqvist')];
});
afterAll(async () => {
  await rule.stop();
  rmSync(folder, { recursive: true, force: true });
});

const content = (change: Partial<LayoutContent> = {}): LayoutContent => ({ ...WHOLE_LIBRARY, ...change });
const bytesOf = async (path: string, person = okafor): Promise<Buffer> => {
  const answer = await person
    .get(path)
    .buffer(true)
    .parse((response, done) => {
      const chunks: Buffer[] = [];
      response.on('data', (chunk: Buffer) => chunks.push(chunk)).on('end', () => done(null, Buffer.concat(chunks)));
    });
  expect(answer.status).toBe(200);
  return answer.body as Buffer;
};
const sendOut = async (format: TableFormat, change: Partial<LayoutContent> = {}, recipient = ''): Promise<Buffer> => {
  const started = await okafor.post('/exchange/send-outs', { format, content: content(change), layout: null, recipient });
  expect(await okafor.job(started)).toMatchObject({ state: 'done' });
  return bytesOf(`/exchange/send-outs/${(started.body as SendOutStarted).id}/file`);
};
const takeBack = async (name: string, bytes: Uint8Array, person = okafor) => (await person.upload('/exchange/take-backs', name, bytes)).body as TakeBackView;
const cellsOf = async ({ takeBack: { id } }: TakeBackView, query = '') =>
  ((await okafor.get(`/exchange/take-backs/${id}/cells?offset=0&limit=500${query}`)).body as CellPage).cells;
const answer = async (view: TakeBackView, choice: ReadingChoice, person = okafor) =>
  (await person.put(`/exchange/take-backs/${view.takeBack.id}/reading`, choice)).body as TakeBackView;
const refused = async (name: string, bytes: Uint8Array) => (await okafor.upload('/exchange/take-backs', name, bytes)).body as Problem;
const decide = async (view: TakeBackView, decision: 'take' | 'leave' | null, filter: CellFilter = {}, cells: number[] | null = null) =>
  (await okafor.post(`/exchange/take-backs/${view.takeBack.id}/decisions`, { cells, filter, decision })).body as TakeBackView;
const leaf = (path: string) => path.split('/').at(-1)!;

/** Opens a file in LibreOffice and saves it unchanged. */
function throughLibreOffice(bytes: Uint8Array, from: string, to: string): Buffer {
  const source = join(folder, `sent.${from}`);
  writeFileSync(source, bytes);
  execFileSync('soffice', ['--headless', `-env:UserInstallation=file://${folder}/profile`, '--convert-to', to, '--outdir', join(folder, 'out'), source], {
    stdio: 'pipe',
    timeout: 90_000,
  });
  return readFileSync(join(folder, 'out', `sent.${to.split(':')[0]}`));
}

/** Edits first-sheet cells with another library. */
function edit(
  bytes: Uint8Array,
  changes: (set: (file: string, header: string, value: string | number | null) => void, sheet: sheetjs.WorkSheet) => void,
): Buffer {
  const book = sheetjs.read(bytes, { type: 'buffer', cellNF: true, cellStyles: true });
  const sheet = book.Sheets[book.SheetNames[0]!]!;
  const rows = sheetjs.utils.sheet_to_json<string[]>(sheet, { header: 1, raw: false, defval: '' });
  changes((file, header, value) => {
    const r = rows.findIndex((row) => row[1]!.endsWith(file));
    const c = rows[0]!.indexOf(header);
    if (r < 0 || c < 0) throw new Error(`${file} ${header} not found`);
    const address = sheetjs.utils.encode_cell({ r, c });
    if (value === null) delete sheet[address];
    else sheet[address] = typeof value === 'number' ? { t: 'n', v: value } : { t: 's', v: value };
  }, sheet);
  return sheetjs.write(book, { type: 'buffer', bookType: 'xlsx' }) as Buffer;
}

describe('a workbook that was sent out', () => {
  it('opens in LibreOffice with every value as it is in the files', async () => {
    const csv = throughLibreOffice(
      await sendOut('xlsx', { filter: { kind: 'part' } }),
      'xlsx',
      'csv:Text - txt - csv (StarCalc):44,34,76,1,,0,false,false',
    ).toString('utf8');
    const rows = Papa.parse<string[]>(csv.trim()).data;
    const header = rows[0]!;
    const cell = (file: string, name: string) => rows.find((row) => row[1]!.endsWith(file))![header.indexOf(name)];
    expect(header.slice(0, 4)).toEqual(['Rule identity', 'File', 'Part number', 'Description']);
    expect(rows).toHaveLength(17);
    // Leading zeros and date-like texts are preserved; numbers are numbers.
    expect(cell('drum-bearing.step', 'Order number')).toBe('0062042');
    expect(cell('hex-bolt-m8x25.step', 'Order number')).toBe('3-4');
    expect([
      cell('face-plate.step', 'Mass'),
      cell('drum.step', 'Food contact'),
      cell('burner-rail.step', 'Finish'),
      cell('bean-hopper.step', 'Finish'),
    ]).toEqual(['9.447 kg', 'yes', '-', '']);
  });
  it('offers choices, freezes its header and keeps text as text', async () => {
    const raw = join(folder, 'sent-raw.xlsx');
    writeFileSync(raw, await sendOut('xlsx', { filter: { kind: 'part' } }));
    const part = execFileSync('unzip', ['-p', raw, 'xl/worksheets/sheet1.xml'], { encoding: 'utf8' });
    expect(part).toMatch(/<pane[^>]*xSplit="2"[^>]*ySplit="1"[^>]*state="frozen"/);
    expect(part).toMatch(/<dataValidation type="list"[^>]*sqref="F2:F17"><formula1>'Choices'!\$A\$2:\$A\$8<\/formula1>/);
    const choices = sheetjs.utils.sheet_to_json<string[]>(sheetjs.read(readFileSync(raw), { type: 'buffer' }).Sheets['Choices']!, { header: 1 });
    expect(choices.slice(1).map((row) => row[0])).toEqual(['1.4301', '1.4404', 'S235JR', 'DC01', '100Cr6', 'steel 8.8', 'various']);
    // The spreadsheet program itself marks blank required cells and invalid values.
    expect(part).toContain('NOT(LEN(TRIM($C2))&gt;0)');
    expect(part).toContain('LEN($D2)&gt;40');
    expect(part).toContain('prompt="In the words of the BOM, singular, no part number. Required. Up to 40 characters."');
  });
  it('keeps choices with commas on a sheet of their own', async () => {
    const choices = Array.from({ length: 60 }, (_, i) => `alloy ${i}, hardened`);
    const id = (await rule.define({ ...newDraft('Alloy'), type: 'choice', choices }))[0]!;
    const sent = await sendOut('xlsx', {
      filter: { kind: 'part' },
      columns: [await rule.property('Part number'), id].map((property) => ({ property, header: '', editable: true })),
    });
    const book = sheetjs.read(sent, { type: 'buffer' });
    expect(sheetjs.utils.sheet_to_json<string[]>(book.Sheets['Choices']!, { header: 1 }).flat()).toEqual(['Alloy', ...choices]);
    const back = edit(sent, (set) => set('drum.step', 'Alloy', 'alloy 7, hardened'));
    expect(await cellsOf(await takeBack('choices.xlsx', back))).toMatchObject([{ verdict: 'change', proposed: { text: 'alloy 7, hardened' } }]);
    await rule.amend('Alloy', { retired: true });
  });
  it('changes nothing when it comes back untouched, in any form, also after LibreOffice has saved it', async () => {
    const sent = await sendOut('xlsx');
    const total = (await takeBack('untouched.xlsx', sent)).takeBack.counts!.total;
    expect(total).toBeGreaterThan(350);
    const untouched = { unchanged: total, change: 0, same: 0, conflict: 0, spoiled: 0, error: 0, ignored: 0, notTaken: 0, rows: 22, total };
    const forms: [string, Uint8Array][] = [
      ['saved.xlsx', throughLibreOffice(sent, 'xlsx', 'xlsx')],
      ['a.csv', await sendOut('csv')],
      ['b.csv', await sendOut('csv', { csv: { delimiter: ';', decimal: ',', encoding: 'windows-1252' } })],
      ['c.csv', await sendOut('csv', { csv: { delimiter: '\t', decimal: ',', encoding: 'utf-16le' } })],
      ['a.json', await sendOut('json')],
      ['a.xml', await sendOut('xml')],
    ];
    for (const [name, bytes] of forms) {
      const view = await takeBack(name, bytes);
      expect([name, view.takeBack.state, view.takeBack.counts, await cellsOf(view)]).toEqual([name, 'compared', untouched, []]);
    }
  });
  it('changes nothing either when LibreOffice makes a CSV file of the workbook', async () => {
    const csv = throughLibreOffice(await sendOut('xlsx', { filter: { kind: 'part' } }), 'xlsx', 'csv:Text - txt - csv (StarCalc):44,34,76,1,,0,false,false');
    const view = await takeBack('from office.csv', csv);
    expect(await cellsOf(view)).toEqual([]);
    expect(view.takeBack.counts).toMatchObject({ rows: 16, change: 0, spoiled: 0, notTaken: 0 });
  });
  it('may hold one row a value, and then comes back just the same', async () => {
    for (const format of ['xlsx', 'csv'] as const) {
      const sent = await sendOut(format, { shape: 'long', filter: { folder: 'DR-15/parts' } });
      const view = await takeBack(`long.${format}`, sent);
      expect(view.takeBack.counts).toMatchObject({ change: 0, notTaken: 0, error: 0 });
      expect(view.takeBack.counts!.unchanged).toBe(view.takeBack.counts!.rows);
    }
    const rows = readCsv(new Uint8Array(await sendOut('csv', { shape: 'long', filter: { search: 'trier' } }))).rows.map((row) => row.map((cell) => cell.text));
    const finish = rows.find((row) => row[2] === 'Finish')!;
    finish[3] = 'bead blasted';
    rows.push([...finish.slice(0, 2), 'Nothing of this name', 'x']);
    const view = await takeBack('long.csv', new TextEncoder().encode(writeCsv(rows)));
    expect(await cellsOf(view)).toMatchObject([{ verdict: 'change', text: 'bead blasted' }]);
    expect(view.issues).toMatchObject([{ code: 'unknown-column' }]);
  });
  it('may hold one row an occurrence, with the values that each has of its own', async () => {
    const sent = await sendOut('xlsx', { level: 'occurrence', filter: { search: 'drum-unit' } });
    const rows = sheetjs.utils.sheet_to_json<string[]>(sheetjs.read(sent, { type: 'buffer' }).Sheets['Values']!, { header: 1, raw: false, defval: '' });
    expect(rows[0]).toEqual([IDENTITY_HEADER, 'File', 'Holder', 'Tightening torque', 'Lubrication interval']);
    const book = sheetjs.read(sent, { type: 'buffer' });
    const bearing = rows.findIndex((row) => /bearing/i.test(row[2]!));
    book.Sheets['Values']![sheetjs.utils.encode_cell({ r: bearing, c: 3 })] = { t: 'n', v: 23.5 };
    const view = await takeBack('torques.xlsx', sheetjs.write(book, { type: 'buffer', bookType: 'xlsx' }) as Buffer);
    expect(await cellsOf(view)).toMatchObject([{ verdict: 'change', holder: rows[bearing]![2], proposed: { text: '23.5', unit: 'N·m' } }]);
    const report = await okafor.applyTable(view.takeBack.id);
    expect(report).toMatchObject({ state: 'applied', applied: 1 });
    expect((await cellsOf(view))[0]).toMatchObject({ outcome: 'tray' });
    const after = (await okafor.get(`/exchange/take-backs/${view.takeBack.id}`)).body as TakeBackView;
    expect([after.inTray, after.ready, (await cellsOf(after))[0]!.outcome]).toEqual([0, 0, 'applied']);
  });
  it('has only the rows that lack something, where that is asked for', async () => {
    const sent = readCsv(new Uint8Array(await sendOut('csv', { rows: 'missing' }))).rows;
    const at = sent[0]!.findIndex((cell) => cell.text === 'Description');
    expect(sent.length).toBeGreaterThan(1);
    expect(sent.length).toBeLessThan(22);
    expect(sent[0]!.map((cell) => cell.text)).toContain('Material');
    expect(at).toBeGreaterThan(0);
  });
  it('brings changes back, shows every one, and refuses what cannot be taken', async () => {
    const sent = await sendOut('xlsx');
    const width = readCsv(new Uint8Array(await sendOut('csv'))).rows[0]!.length - 2;
    await lindqvist.post('/tray', { values: [{ file: await rule.file('trier.step'), property: await rule.property('Finish'), text: 'bead blasted' }] });
    await lindqvist.apply();
    const back = edit(sent, (set) => {
      set('bean-hopper.step', 'Finish', 'brushed');
      set('drum.step', 'Mass', 8.125);
      set('bought parts/gear-motor.step', 'Supplier', 'Otterby Drives');
      set('trier.step', 'Finish', 'brushed');
      set('tray-rail.step', 'Material', 'steel');
      set('chimney-stub.step', 'Revision', 'B');
      set('frame-leg.step', 'Saved by', 'me');
      set('drum-shaft.step', 'Description', null);
      set('agitator-arm.step', 'Rule identity', 'S1-R99999');
      set('agitator-arm.step', 'File', 'nowhere/agitator-arm.step');
    });
    const view = await takeBack('edited.xlsx', back);
    const cells = await cellsOf(view);
    expect(cells.map((cell) => [leaf(cell.path), cell.verdict, cell.message])).toEqual(
      expect.arrayContaining([
        ['bean-hopper.step', 'change', 'fills a blank'],
        ['drum.step', 'change', 'changes the value'],
        ['gear-motor.step', 'change', 'fills a blank'],
        ['trier.step', 'conflict', 'Changed in Rule after it was sent out.'],
        ['tray-rail.step', 'error', 'Material: "steel" is not among the choices.'],
        ['chimney-stub.step', 'error', 'DR-15/parts/chimney-stub.step is released in the vault.'],
        ['frame-leg.step', 'error', 'Saved by is taken from the file and is read-only.'],
        ['drum-shaft.step', 'error', 'Description: is required and cannot be blanked.'],
      ]),
    );
    expect(cells).toHaveLength(8);
    expect(view.issues).toMatchObject([{ code: 'unknown-file', cells: width }]);
    const { counts } = view.takeBack;
    expect(counts).toEqual({
      unchanged: 21 * width - 8,
      change: 3,
      same: 0,
      conflict: 1,
      spoiled: 0,
      error: 4,
      ignored: 0,
      notTaken: width,
      rows: 22,
      total: 22 * width,
    });
    // Counts by property, folder and reason have equal sums.
    const sum = (list: readonly { counts: Readonly<Record<string, number>> }[]) =>
      list.reduce((all, { counts: own }) => all + Object.values(own).reduce((a, b) => a + b, 0), 0);
    expect([sum(view.byProperty), sum(view.byFolder), view.byCode.reduce((all, { count }) => all + count, 0), view.ready, view.open]).toEqual([8, 8, 8, 3, 1]);

    // Refused values cannot be applied by anyone.
    expect((await decide(view, 'take', { verdict: 'error' })).ready).toBe(3);
    expect((await decide(view, 'leave', { folder: 'DR-15/parts', verdict: 'change' })).ready).toBe(1);
    expect((await decide(view, 'take', { verdict: 'change' })).ready).toBe(3);
    const settled = await decide(view, 'take', { decision: 'open' });
    expect([settled.ready, settled.open]).toEqual([4, 0]);
    const after = (await okafor.post(`/exchange/take-backs/${view.takeBack.id}/tray`)).body as TakeBackView;
    expect([after.ready, after.inTray]).toEqual([0, 4]);
    const pending = ((await okafor.get('/tray')).body as Tray).lines.filter((line) => !line.follows);
    expect(pending.map((line) => [leaf(line.path), line.base?.text ?? null, line.proposed?.text, line.verdict])).toEqual(
      expect.arrayContaining([
        ['bean-hopper.step', null, 'brushed', 'apply'],
        ['drum.step', '7.961', '8.125', 'apply'],
        ['gear-motor.step', null, 'Otterby Drives', 'apply'],
        ['trier.step', 'bead blasted', 'brushed', 'apply'],
      ]),
    );
    expect(await okafor.apply()).toMatchObject({ state: 'applied', applied: expect.any(Number) });

    // A separate workbook says what happened to each row.
    const result = sheetjs.read(await bytesOf(`/exchange/take-backs/${view.takeBack.id}/result`), { type: 'buffer' }).Sheets['Result']!;
    const told = new Map(sheetjs.utils.sheet_to_json<string[]>(result, { header: 1 }).map((row) => [leaf(String(row[3])), [row[0], row[1]]]));
    expect(told.get('bean-hopper.step')).toEqual(['1 applied', 'Finish: applied']);
    expect(told.get('frame-leg.step')).toEqual(['1 refused', 'Saved by: refused (Saved by is taken from the file and is read-only.)']);
    expect(told.get('agitator-arm.step')).toEqual(['row skipped', 'The library has no file "nowhere/agitator-arm.step".']);
    expect(told.get('face-plate.step')![0]).toBe('unchanged');

    // The same file again changes nothing and is recognised.
    const again = await takeBack('edited.xlsx', back);
    expect(again.takeBack.counts).toMatchObject({ change: 0, same: 4, conflict: 0, error: 4 });
    expect(again.warnings).toEqual(expect.arrayContaining([expect.stringMatching(/^This file was already taken back on .* by Tobe Okafor\.$/)]));
  });
  it('says what other copies have changed in the meantime, and which are still out', async () => {
    const older = await sendOut('csv', { filter: { folder: 'bought parts' } });
    const newer = await sendOut('csv', { filter: { folder: 'bought parts' } }, 'purchasing');
    const rows = readCsv(new Uint8Array(newer)).rows.map((row) => row.map((cell) => cell.text));
    const later = await sendOut('csv', { filter: { folder: 'bought parts' } }, 'planning');
    expect(later.length).toBeGreaterThan(0);
    rows.find((row) => row[1]!.endsWith('gear-motor.step'))![rows[0]!.indexOf('Supplier')] = 'Gearwright';
    const theirs = await takeBack('purchasing.csv', new TextEncoder().encode(writeCsv(rows)), lindqvist);
    await lindqvist.applyTable(theirs.takeBack.id);
    const mine = await takeBack('mine.csv', older);
    expect(mine.warnings).toEqual([
      expect.stringMatching(
        /^While this copy was out, Maj Lindqvist took purchasing\.csv back on .*: one of its files changed\.$|^While this copy was out, .* took purchasing\.csv back/,
      ),
      expect.stringMatching(/^A later copy, values-\d+\.csv, is still out with planning and holds \d+ of the same files\.$/),
    ]);
    // An unedited copy does not undo another one's changes.
    expect(mine.takeBack.counts).toMatchObject({ change: 0, conflict: 0 });
  });
  it('is listed as out until it comes back', async () => {
    await sendOut('csv', { filter: { kind: 'drawing' } }, 'document control');
    const outs = (await okafor.get('/exchange/send-outs')).body as SendOutRow[];
    expect(outs[0]).toMatchObject({ files: 4, rows: 4, takenBackAt: null, recipient: 'document control', mine: true });
    expect(outs.some((out) => out.takenBackAt !== null)).toBe(true);
    await okafor.put(`/exchange/send-outs/${outs[0]!.id}/closed`, { closed: true });
    expect(((await okafor.get('/exchange/send-outs')).body as SendOutRow[])[0]!.closedAt).not.toBeNull();
  });
});

describe('a file that cannot be taken back', () => {
  it('is refused with its name and the reason', async () => {
    expect(await refused('list.xlsx', Buffer.from('not a workbook'))).toMatchObject({
      status: 422,
      code: 'xlsx-not',
      detail: 'list.xlsx: This is not an XLSX workbook.',
    });
    expect(await refused('empty.csv', Buffer.alloc(0))).toMatchObject({ code: 'empty-file' });
    const zip = await sendOut('xlsx');
    expect(await refused('cut.xlsx', zip.subarray(0, zip.length / 2))).toMatchObject({ code: 'xlsx-broken' });
  });
  it('is refused when it is larger than Rule takes', async () => {
    expect(await refused('huge.csv', Buffer.alloc(129 * 1024 * 1024, 65))).toMatchObject({ status: 413, code: 'too-large' });
  });
});

describe('columns for reading', () => {
  const table = async (content: object) =>
    new TextDecoder()
      .decode(await sendOut('csv', content))
      .replace('\uFEFF', '')
      .trim()
      .split(/\r?\n/)
      .map((line) => line.split(',').slice(1));
  const columns = async () => [{ property: await rule.property('Description'), header: '', editable: true }];

  it('say where a file stands in the vault, and what its record says', async () => {
    await okafor.post('/vault/refresh').expect(200);
    const beside = [{ fact: 'vault state' }, { fact: 'vault version' }, { fact: 'checked out by' }, { record: 'Number' }, { record: 'Gone' }];
    const rows = await table({ filter: { folder: 'DR-15/parts' }, columns: await columns(), beside });
    expect(rows[0]).toEqual(['File', 'Vault state', 'Vault version', 'Checked out by', 'Record: Number', 'Record: Gone', 'Description']);
    const of = (path: string) => rows.find((row) => row[0]!.endsWith(path))!.slice(1, 6);
    expect([of('chimney-stub.step').slice(0, 2), of('face-plate.step')]).toEqual([
      ['released', '1'],
      ['open', '1', '', 'DR15-101', ''],
    ]);
  });

  it('say what the cells of sheets show and what is the matter with them, sheet by sheet or for the drawing, and are passed over when they come back', async () => {
    const beside: BesideColumn[] = [{ cell: 'TITLE' }, { fact: 'cell states' }];
    const rows = await table({ filter: { kind: 'drawing', folder: 'DR-15/drawings' }, columns: await columns(), beside });
    const stored = await rule.db.all<{ path: string; text: string }>(
      `SELECT f.path, string_agg(DISTINCT v.text, '; ') AS text FROM held_values v JOIN files f ON f.id = v.file_id
       WHERE v.place = 'cell' AND v.name = 'TITLE' AND v.text <> '' AND f.path LIKE 'DR-15/drawings/%' GROUP BY f.path`,
    );
    expect(stored.length).toBeGreaterThan(0);
    for (const { path, text } of stored) expect(rows.find((row) => row[0] === path)![1]).toBe(text);
    const states = await rule.db.all<{ path: string; state: string; n: number }>(
      `SELECT f.path, s.state, count(*)::int AS n FROM cell_states s JOIN files f ON f.id = s.file_id WHERE s.state <> 'right' AND f.path LIKE 'DR-15/drawings/%' GROUP BY 1, 2`,
    );
    expect(states.length).toBeGreaterThan(0);
    for (const { path, state, n } of states) expect(rows.find((row) => row[0] === path)![2]).toContain(`${n} ${state}`);
    // Documents describe the same columns, and are ignored on return.
    for (const format of ['json', 'xml'] as const) {
      const sent = await sendOut(format, { filter: { kind: 'drawing', folder: 'DR-15/drawings' }, columns: await columns(), beside });
      expect(sent.toString()).toMatch(format === 'json' ? /"reading":\{"Cell: TITLE":"/ : /<reading name="Cell: TITLE">[^<]+<\/reading>/);
      expect((await takeBack(`drawings.${format}`, sent)).takeBack.counts).toMatchObject({ error: 0, change: 0 });
    }
    const back = await takeBack('drawings.csv', await sendOut('csv', { filter: { kind: 'drawing' }, columns: await columns(), beside }));
    expect(back.takeBack.counts).toMatchObject({ error: 0, change: 0 });
  });
});

describe('the table of a bill of materials', () => {
  it('has item numbers and quantities for reading, and comes back as any table', async () => {
    const [unit, structure] = [
      await rule.file('drum-unit.step'),
      ((await okafor.get('/bom/layouts')).body as { id: number; name: string }[]).find((row) => row.name === 'Structure')!.id,
    ];
    const description = await rule.property('Description');
    const columns = [{ property: description, header: '', editable: true }];
    const bytes = await sendOut('csv', { filter: { assembly: unit }, columns, bom: { layout: structure } });
    const rows = new TextDecoder()
      .decode(bytes)
      .trim()
      .split(/\r?\n/)
      .map((line) => line.split(','));
    // By hand: drum, shaft, four arms, two bearings, by path.
    expect(rows.map((row) => row.slice(1, 4).join(' '))).toEqual([
      'File BOM item BOM quantity',
      'DR-15/parts/agitator-arm.step 3 4',
      'DR-15/parts/drum-shaft.step 2 1',
      'DR-15/parts/drum.step 1 1',
      'bought parts/drum-bearing.step 4 2',
    ]);
    const book = sheetjs.read(await sendOut('xlsx', { filter: { assembly: unit }, columns, bom: { layout: null } }), { type: 'buffer' });
    const cells = sheetjs.utils.sheet_to_json<(string | number)[]>(book.Sheets['Values']!, { header: 1 });
    expect(cells.slice(0, 2).map((row) => row.slice(1, 4))).toEqual([
      ['File', 'BOM item', 'BOM quantity'],
      ['DR-15/parts/agitator-arm.step', '3', 4],
    ]);
    // Entries in them are ignored without questions.
    const text = new TextDecoder().decode(bytes).replace(/(agitator-arm\.step),3,4,[^\r\n]*/, '$1,33,44,Straight arm');
    const view = await takeBack('bom.csv', new TextEncoder().encode(text));
    expect([view.takeBack.state, (await cellsOf(view)).map((cell) => [cell.verdict, cell.proposed?.text])]).toEqual(['compared', [['change', 'Straight arm']]]);
  });
});

describe('a list from elsewhere', () => {
  it('in a guessed encoding is shown first, and read as somebody says', async () => {
    const asked = await takeBack('liste.csv', Buffer.from('File;Description\r\nDR-15/parts/drum.step;Trommel für 15 kg\r\n', 'latin1'));
    expect(asked.inspection).toMatchObject({
      encoding: 'windows-1252',
      delimiter: ';',
      asks: ['encoding'],
      sample: [['DR-15/parts/drum.step', 'Trommel für 15 kg']],
    });
    const view = await answer(asked, { encoding: 'windows-1252' });
    expect(await cellsOf(view)).toMatchObject([{ verdict: 'change', proposed: { text: 'Trommel für 15 kg' } }]);
  });
  it('asks which column names the files, and what unknown columns are; nothing is made silently', async () => {
    const bytes = new TextEncoder().encode('Teil;Beschreibung;Material;Lagerort\r\nDR-15/parts/drum.step;Trommel;1.4404;Halle 3\r\n');
    const asked = await takeBack('liste.csv', bytes);
    expect(asked.inspection!.asks).toEqual(['columns']);
    expect(asked.inspection!.columns.map((column) => [column.header, column.use, column.ask])).toEqual([
      ['Teil', 'file', true],
      ['Beschreibung', 'ignored', true],
      ['Material', 'property', false],
      ['Lagerort', 'ignored', true],
    ]);
    const columns: ReadingChoice['columns'] = { 0: { use: 'file' }, 1: { use: 'property', property: await rule.property('Description') }, 3: { use: 'draft' } };
    expect((await okafor.put(`/exchange/take-backs/${asked.takeBack.id}/reading`, { columns })).status).toBe(403);
    const varga = await rule.signIn('varga');
    const view = await answer(asked, { columns }, varga);
    expect((await cellsOf(view)).map((cell) => [cell.name, cell.text, cell.verdict])).toEqual([
      [null, 'Trommel', 'change'],
      [null, '1.4404', 'change'],
      ['Lagerort', 'Halle 3', 'change'],
    ]);
    expect((await rule.services.editions.draft()).schema.properties.map((property) => property.writtenName)).toContain('Lagerort');
    await varga.delete('/schema/draft');
  });
  it('makes drafts that reach what their rows are about, and reads the next table with the same header in the same way', async () => {
    const varga = await rule.signIn('varga');
    const text = (length: string) =>
      new TextEncoder().encode(
        `Teil;Zuschnitt;Ablage\nDR-15/parts/frame-leg.step;${length};Halle 3\nDR-15/drawings/face-plate.dxf;;Halle 4\nbought parts/drum-bearing.step;820;\n`,
      );
    const asked = await takeBack('zuschnitt.csv', text('720'));
    const columns: ReadingChoice['columns'] = { 0: { use: 'file' }, 1: { use: 'draft' }, 2: { use: 'draft' } };
    await answer(asked, { columns }, varga);
    const drafts = (await rule.services.editions.draft()).schema.properties.filter((property) => ['Zuschnitt', 'Ablage'].includes(property.writtenName));
    expect(drafts.map(({ writtenName, kinds, type, level }) => [writtenName, kinds, type, level])).toEqual([
      ['Zuschnitt', ['part'], 'whole', 'document'],
      ['Ablage', ['part', 'drawing'], 'text', 'document'],
    ]);
    const again = await takeBack('zuschnitt 2.csv', text('725'));
    expect([again.takeBack.state, again.warnings]).toEqual(['compared', [`Its columns are read as in take-back ${asked.takeBack.id}.`]]);
    expect((await cellsOf(again)).map((cell) => [cell.name, cell.text])).toContainEqual(['Zuschnitt', '725']);
    await varga.delete('/schema/draft');
  });
  it('with a bad byte in the midst of UTF-8 is shown with the line, and asked about', async () => {
    const bytes = Buffer.concat([Buffer.from('File,Description\nDR-15/parts/drum.step,Größe Ä\nDR-15/parts/trier.step,'), Buffer.from([0xfc, 10])]);
    const asked = await takeBack('odd.csv', bytes);
    expect(asked.inspection).toMatchObject({ asks: ['encoding'], doubt: expect.stringMatching(/^Line 3 is not valid UTF-8/) as unknown });
    const view = await answer(asked, { encoding: 'utf-8' });
    expect((await cellsOf(view)).map((cell) => [cell.row, cell.verdict, cell.takeable])).toEqual([
      [2, 'change', true],
      [3, 'spoiled', false],
    ]);
  });
  it('a file name that several files have is asked about, never guessed', async () => {
    const bytes = new TextEncoder().encode('File,Order number\ngear-motor.step,OM-1\ntrier.step,OM-2\nnothing.step,OM-3\n');
    const asked = await takeBack('orders.csv', bytes);
    expect(asked.inspection).toMatchObject({ asks: ['rows'], ambiguous: [{ name: 'gear-motor.step', rows: 1 }] });
    const files = asked.inspection!.ambiguous[0]!.files;
    expect(files.length).toBe(2);
    const none = await answer(asked, { files: { 'gear-motor.step': 0 } });
    expect(none.issues.map((issue) => [issue.row, issue.code])).toEqual([
      [2, 'ambiguous-file'],
      [4, 'unknown-file'],
    ]);
    const chosen = await answer(asked, { files: { 'gear-motor.step': files[1]!.id } });
    expect((await cellsOf(chosen)).map((cell) => cell.path)).toContain(files[1]!.path);
    expect(chosen.issues.map((issue) => issue.code)).toEqual(['unknown-file']);
    // Only blanks are filled, if chosen.
    const blanks = await answer(asked, { files: { 'gear-motor.step': files[1]!.id }, onlyBlanks: true });
    expect((await cellsOf(blanks)).every((cell) => cell.verdict === 'change' || cell.code === 'filled-already')).toBe(true);
  });
  it('a renamed and moved column of a workbook is known by its values, and asked about', async () => {
    const rows = readCsv(new Uint8Array(await sendOut('csv', { filter: { folder: 'DR-15/parts' } }))).rows.map((row) => row.map((cell) => cell.text));
    const at = rows[0]!.indexOf('Description');
    const moved = rows.map((row, i) => [i === 0 ? 'What it is' : row[at]!, ...row.filter((_, k) => k !== at)]).reverse();
    const header = moved.pop()!;
    const asked = await takeBack('moved.csv', new TextEncoder().encode(writeCsv([header, ...moved])));
    expect(asked.inspection!.columns[0]).toMatchObject({
      header: 'What it is',
      use: 'property',
      by: 'values',
      ask: true,
      property: await rule.property('Description'),
    });
    const view = await answer(asked, { columns: { 0: { use: 'property', property: await rule.property('Description') } } });
    expect(view.takeBack.counts).toMatchObject({ change: 0, unchanged: view.takeBack.counts!.total });
  });
});

describe('values of an older system', () => {
  it('in several files: blanks are filled, what is ambiguous or unknown is reported row by row, everything else is done', async () => {
    const lists = [
      'Part file;Supplier;Warehouse\r\nframe-leg.step;Tube & Co;3\r\ngear-motor.step;Otterby;4\r\n',
      'Part file;Supplier\r\ntray-rail.step;Tube & Co\r\nhex-bolt-m8x25.step;Nobody\r\ngone.step;X\r\n',
    ];
    const ends: unknown[] = [];
    for (const [i, text] of lists.entries()) {
      const asked = await takeBack(`old ${i + 1}.csv`, new TextEncoder().encode(text));
      const view = await answer(asked, {
        ...(i === 0 ? { columns: { 2: { use: 'ignored' as const } } } : {}),
        files: { 'gear-motor.step': 0 },
        onlyBlanks: true,
      });
      ends.push(await okafor.applyTable(view.takeBack.id, 'file by file'));
      const rows = sheetjs.utils.sheet_to_json<string[]>(
        sheetjs.read(await bytesOf(`/exchange/take-backs/${view.takeBack.id}/result`), { type: 'buffer' }).Sheets['Result']!,
        { header: 1 },
      );
      ends.push(rows.slice(1).map((row) => `${row[2]}: ${row[0]}`));
    }
    expect(ends).toEqual([
      expect.objectContaining({ state: 'applied', applied: 1 }),
      ['frame-leg.step: 1 applied', 'gear-motor.step: row skipped'],
      expect.objectContaining({ state: 'applied', applied: 1 }),
      ['tray-rail.step: 1 applied', 'hex-bolt-m8x25.step: 1 refused', 'gone.step: row skipped'],
    ]);
  });
});

describe('what a spreadsheet program spoils', () => {
  it('is named, proven by what was sent out, and left as it was unless somebody takes it', async () => {
    const sent = await sendOut('xlsx', { filter: { kind: 'part' } });
    const back = edit(sent, (set, sheet) => {
      set('drum-bearing.step', 'Order number', 62042);
      set('hex-bolt-m8x25.step', 'Order number', 'x');
      const cell = Object.entries(sheet).find(([, entry]) => (entry as sheetjs.CellObject).v === 'x')![0];
      // 3-4 as the program reads it: 3 April, as a date.
      sheet[cell] = { t: 'n', v: 46115, z: 'dd.mm.yyyy' };
      set('drum.step', 'Description', 'Drum,  15 kg ');
    });
    const view = await takeBack('spoiled.xlsx', back);
    expect((await cellsOf(view, '&verdict=spoiled')).map((cell) => [leaf(cell.path), cell.code, cell.proven, cell.base?.text, cell.decision])).toEqual(
      expect.arrayContaining([
        ['drum-bearing.step', 'zeros', true, '0062042', 'leave'],
        ['hex-bolt-m8x25.step', 'date', true, '3-4', 'leave'],
        ['drum.step', 'blanks', true, 'Drum, 15 kg', 'leave'],
      ]),
    );
    expect([view.takeBack.counts!.spoiled, view.ready]).toEqual([3, 0]);
    expect((await decide(view, 'take', { code: 'zeros' })).ready).toBe(1);
  });
});

describe('layouts', () => {
  it('are suggested for common purposes, saved, shared and changed by who may', async () => {
    const { purposes } = (await okafor.get('/exchange/layouts')).body as Layouts;
    expect(purposes.map((layout) => layout.name)).toEqual(['Whole library', 'Purchasing', 'Missing required values', 'Survey of strays']);
    const purchasing = purposes[1]!;
    const { id } = (await okafor.post('/exchange/layouts', { ...purchasing, name: 'For Hanna', shared: false })).body as { id: number };
    const names = async (person: Person) => ((await person.get('/exchange/layouts')).body as Layouts).saved.map((layout) => layout.name);
    expect([await names(okafor), await names(lindqvist)].map((list) => list.includes('For Hanna'))).toEqual([true, false]);
    expect((await lindqvist.put(`/exchange/layouts/${id}`, purchasing)).status).toBe(409);
    expect((await okafor.put(`/exchange/layouts/${id}`, { ...purchasing, name: 'For Hanna' })).status).toBe(200);
    expect(await names(lindqvist)).toContain('For Hanna');
    // Read-only columns sent out are refused on return.
    const started = await okafor.post('/exchange/send-outs', { format: 'csv', content: purchasing.content, layout: id, recipient: 'Hanna' });
    await okafor.job(started);
    const rows = readCsv(new Uint8Array(await bytesOf(`/exchange/send-outs/${(started.body as SendOutStarted).id}/file`))).rows.map((row) =>
      row.map((cell) => cell.text),
    );
    expect(rows[0]).toEqual([IDENTITY_HEADER, 'File', 'Part number', 'Description', 'Material', 'Supplier', 'Order number']);
    rows[1]![2] = 'X-1';
    rows[1]![5] = 'Otterby Drives';
    const view = await takeBack('hanna.csv', new TextEncoder().encode(writeCsv(rows)));
    expect((await cellsOf(view)).map((cell) => [cell.verdict, cell.message])).toEqual(
      expect.arrayContaining([['error', 'Part number was sent out read-only.']]),
    );
    expect((await okafor.delete(`/exchange/layouts/${id}`)).status).toBe(200);
  });
});

describe('deliveries and watched folders', () => {
  it('are due by the clock', () => {
    const at = (text: string) => new Date(`${text}:00Z`);
    const due = (when: 'hourly' | 'daily' | 'weekly', minute: number, weekday: number, after: string) =>
      nextDue({ when, minute, weekday }, at(after))!.toISOString().slice(0, 16);
    expect(due('hourly', 20, 0, '2026-11-25T10:30')).toBe('2026-11-25T11:20');
    expect(due('daily', 125, 0, '2026-11-25T02:05')).toBe('2026-11-26T02:05');
    expect(due('daily', 125, 0, '2026-11-25T02:04')).toBe('2026-11-25T02:05');
    // 25 November 2026 is a Wednesday.
    expect(due('weekly', 0, 1, '2026-11-25T00:00')).toBe('2026-11-30T00:00');
    expect(due('weekly', 60, 3, '2026-11-25T00:00')).toBe('2026-11-25T01:00');
    expect(due('weekly', 0, 3, '2026-11-25T00:00')).toBe('2026-12-02T00:00');
  });
  it('a delivery writes whole files, by the clock and on release', async () => {
    const varga = await rule.signIn('varga');
    const target = join(folder, 'deliveries');
    mkdirSync(target);
    const { id: layout } = (
      await varga.post('/exchange/layouts', { name: 'All parts', purpose: '', shared: true, content: content({ filter: { kind: 'part' } }) })
    ).body as { id: number };
    const draft = { name: 'To planning', layout, format: 'xml', folder: target, when: 'hourly', state: '', minute: 0, weekday: 0, active: true };
    expect((await varga.post('/exchange/deliveries', { ...draft, folder: rule.library })).body).toMatchObject({ code: 'library-folder' });
    expect((await okafor.post('/exchange/deliveries', draft)).status).toBe(403);
    const { id } = (await varga.post('/exchange/deliveries', draft)).body as { id: number };
    await rule.db.run(`UPDATE deliveries SET next_at = now() - interval '1 minute' WHERE id = $1`, [id]);
    await rule.services.deliveries.tick();
    await rule.services.deliveries.tick();
    expect(readdirSync(target)).toEqual([expect.stringMatching(/^To planning \d{4}-\d\d-\d\d \d\d-\d\d-\d\d\.xml$/)]);
    expect(readFileSync(join(target, readdirSync(target)[0]!), 'utf8').match(/<row /g)).toHaveLength(16);
    rmSync(join(target, readdirSync(target)[0]!));
    await varga.put(`/exchange/deliveries/${id}`, { ...draft, when: 'release', state: 'released', format: 'csv' });
    await rule.services.deliveries.tick();
    await rule.services.deliveries.tick();
    const files = readdirSync(target);
    expect(files).toHaveLength(1);
    expect(
      readCsv(readFileSync(join(target, files[0]!)))
        .rows.slice(1)
        .map((row) => row[1]!.text),
    ).toEqual(['DR-15/parts/chimney-stub.step']);
    expect(((await varga.get('/exchange/deliveries')).body as Delivery[])[0]).toMatchObject({ last: { rows: 1, trouble: null } });
    expect((await varga.delete(`/exchange/layouts/${layout}`)).status).toBe(409);
    await varga.delete(`/exchange/deliveries/${id}`);
  });
  it('what is timed is done once, however many servers there are', async () => {
    const varga = await rule.signIn('varga');
    const [target, inbox, source] = ['twice', 'twice-in', 'sources'].map((name) => join(folder, name)) as [string, string, string];
    for (const each of [target, inbox, source]) mkdirSync(each);
    const { id: layout } = (
      await varga.post('/exchange/layouts', { name: 'Released parts', purpose: '', shared: true, content: content({ filter: { kind: 'part' } }) })
    ).body as { id: number };
    const draft = { name: 'On release', layout, format: 'csv', folder: target, when: 'release', state: 'released', minute: 0, weekday: 0, active: true };
    const released = (await varga.post('/exchange/deliveries', draft).expect(200)).body as { id: number };
    const hourly = (await varga.post('/exchange/deliveries', { ...draft, name: 'By the clock', when: 'hourly', state: '' }).expect(200)).body as { id: number };
    await rule.db.run(`UPDATE deliveries SET next_at = now() - interval '1 minute' WHERE id = $1`, [hourly.id]);
    const watched = (await varga.post('/exchange/folders', { folder: inbox, apply: false, active: true }).expect(200)).body as { id: number };
    writeFileSync(join(inbox, 'orders.csv'), 'File,Order number\nDR-15/parts/gear-motor.step,OM-77\n');
    utimesSync(join(inbox, 'orders.csv'), new Date(), new Date(Date.now() - 60_000));
    const before = (await rule.db.one<{ n: number }>('SELECT count(*)::int AS n FROM take_backs'))!.n;
    const second = rule.another();
    try {
      await Promise.all([1, 2, 3].flatMap(() => [rule.services.deliveries.tick(), second.services.deliveries.tick()]));
    } finally {
      await second.close();
    }
    expect(
      readdirSync(target)
        .map((name) => name.replace(/ \d{4}.*/, ''))
        .sort(),
    ).toEqual(['By the clock', 'On release']);
    expect((await rule.db.one<{ n: number }>('SELECT count(*)::int AS n FROM take_backs'))!.n).toBe(before + 1);
    await varga.delete(`/exchange/deliveries/${released.id}`);
    await varga.delete(`/exchange/deliveries/${hourly.id}`);
    await varga.delete(`/exchange/folders/${watched.id}`);
  });
  it('a watched folder takes tables back as they come, applies what is clear, and reports the rest', async () => {
    const varga = await rule.signIn('varga');
    const inbox = join(folder, 'inbox');
    mkdirSync(inbox);
    await varga.post('/exchange/folders', { folder: inbox, apply: true, active: true });
    const put = (name: string, text: string) => {
      writeFileSync(join(inbox, name), text);
      utimesSync(join(inbox, name), new Date(), new Date(Date.now() - 60_000));
    };
    put('orders.csv', 'File,Order number\nDR-15/parts/gear-motor.step,OM-40\nnowhere.step,OM-41\n');
    put('odd.csv', 'What,Why\na,b\n');
    writeFileSync(join(inbox, 'still being written.csv'), 'File,Order');
    await rule.services.deliveries.tick();
    expect(readdirSync(inbox).sort()).toEqual(['not taken', 'still being written.csv', 'taken']);
    const report = readdirSync(join(inbox, 'taken')).find((name) => name.endsWith('.report.txt'))!;
    expect(readFileSync(join(inbox, 'taken', report), 'utf8')).toMatch(
      /Row 3: The library has no file "nowhere\.step"\.\nApplied 1 values in 1 files, 0 not\./,
    );
    expect(readdirSync(join(inbox, 'not taken'))).toHaveLength(2);
    expect(((await varga.get('/exchange/folders')).body as WatchedFolder[])[0]!.last).toMatchObject({ file: 'orders.csv' });
    const held = await rule.db.one<{ text: string }>(
      `SELECT v.text FROM held_values v JOIN files f ON f.id = v.file_id WHERE f.path = 'DR-15/parts/gear-motor.step' AND v.name = 'Order number'`,
    );
    expect(held!.text).toBe('OM-40');
  });
  it('folders of tables, libraries and Rule itself stay apart, whichever comes first and whichever holds the other', async () => {
    const varga = await rule.signIn('varga');
    const watch = async (path: string) => ((await varga.post('/exchange/folders', { folder: path, apply: false, active: false })).body as Problem).code;
    mkdirSync(join(rule.library, 'orders'));
    expect([await watch(join(rule.library, 'orders')), await watch(rule.data), await watch(join(rule.library, '..'))]).toEqual([
      'library-folder',
      'own-folder',
      'own-folder',
    ]);
    mkdirSync(join(folder, 'around', 'tables'), { recursive: true });
    expect(await watch(join(folder, 'around', 'tables'))).toBeUndefined();
    for (const path of ['around', 'around/tables'])
      expect((await varga.post('/libraries', { name: 'Around', path: join(folder, path) })).body).toMatchObject({ code: 'other-use' });
    rmSync(join(rule.library, 'orders'), { recursive: true });
  });
  it('a table is never lost: neither when the server dies over it, nor when it cannot be moved away', async () => {
    const varga = await rule.signIn('varga');
    const inbox = join(folder, 'hard inbox');
    mkdirSync(inbox);
    const { id } = (await varga.post('/exchange/folders', { folder: inbox, apply: false, active: true }).expect(200)).body as { id: number };
    const last = async () => ((await varga.get('/exchange/folders')).body as WatchedFolder[]).find((one) => one.id === id)!.last;
    const put = (name: string, text: string) => {
      writeFileSync(join(inbox, name), text);
      utimesSync(join(inbox, name), new Date(), new Date(Date.now() - 60_000));
    };
    // The state a server leaves when it dies during an import.
    put('.left.csv.taking', 'File,Order number\nDR-15/parts/gear-motor.step,OM-50\n');
    await rule.services.deliveries.tick();
    expect([readdirSync(inbox), readdirSync(join(inbox, 'taken')).length]).toEqual([['taken'], 2]);
    // "taken" is no longer a folder: the table stays, with a message, and is not imported repeatedly.
    rmSync(join(inbox, 'taken'), { recursive: true });
    writeFileSync(join(inbox, 'taken'), '');
    put('orders.csv', 'File,Order number\nDR-15/parts/gear-motor.step,OM-51\n');
    await rule.services.deliveries.tick();
    expect(readdirSync(inbox).sort()).toEqual(['orders.csv', 'taken']);
    expect((await last())!.trouble).toMatch(/^orders\.csv cannot be moved to "taken" \(EEXIST\) and stays where it is\./);
    const before = (await rule.db.one<{ n: number }>('SELECT count(*)::int AS n FROM take_backs'))!.n;
    await rule.services.deliveries.tick();
    expect((await rule.db.one<{ n: number }>('SELECT count(*)::int AS n FROM take_backs'))!.n).toBe(before);
    // A second table of the same name in the same second replaces nothing.
    rmSync(join(inbox, 'taken'));
    put('orders.csv', 'File,Order number\nDR-15/parts/gear-motor.step,OM-52\n');
    utimesSync(join(inbox, 'orders.csv'), new Date(), new Date(Date.now() - 50_000));
    await rule.services.deliveries.tick();
    expect(readdirSync(inbox)).toEqual(['taken']);
    await varga.delete(`/exchange/folders/${id}`);
  });
});

describe('the command line', () => {
  it('sends out by a layout and takes back, with exit codes and rows that programs read', async () => {
    const { token } = (await okafor.post('/tokens', { name: 'nightly' })).body as { token: string };
    const rule_ = async (...args: string[]) => {
      let [out, err] = ['', ''];
      const exit = await run(
        args,
        { RULE_TOKEN: token, RULE_SERVER: rule.url },
        (text) => void (out += text),
        (text) => void (err += text),
      );
      return { exit, out, err };
    };
    await okafor.post('/exchange/layouts', { name: 'Bought parts', purpose: '', shared: true, content: content({ filter: { folder: 'bought parts' } }) });
    const file = join(folder, 'bought parts.csv');
    expect(await rule_('send-out', 'Nobody has this', file)).toMatchObject({
      exit: 3,
      err: expect.stringMatching(/There is no layout "Nobody has this"\. There are: .*Bought parts/),
    });
    expect(await rule_('send-out', 'Bought parts', join(folder, 'x.odt'))).toMatchObject({ exit: 3 });
    expect(await rule_('send-out', 'Bought parts', file, '--for', 'planning')).toMatchObject({
      exit: 0,
      err: expect.stringMatching(/^send-out \d+ of Bought parts is written to /),
    });
    expect(await rule_('take-back', file)).toMatchObject({ exit: 0, out: '', err: expect.stringMatching(/would change 0,.*\nnothing was written\n$/) });
    const rows = readCsv(new Uint8Array(readFileSync(file))).rows.map((row) => row.map((cell) => cell.text));
    rows[1]![rows[0]!.indexOf('Order number')] = 'CLI-1';
    rows[2]![rows[0]!.indexOf('Saved by')] = 'me';
    writeFileSync(file, writeCsv(rows));
    const dry = await rule_('take-back', file, '--dry-run', '--output', 'json');
    expect(dry.exit).toBe(2);
    expect((JSON.parse(dry.out) as { verdict: string; property: string }[]).map((row) => [row.property, row.verdict])).toEqual([
      ['Order number', 'change'],
      ['Saved by', 'error'],
    ]);
    expect(await rule_('take-back', file, '--apply', '--file-by-file')).toMatchObject({
      exit: 2,
      err: expect.stringMatching(/applied 1 values in 1 files, 0 not\n$/),
    });
    writeFileSync(join(folder, 'odd.csv'), 'What,Why\na,b\n');
    expect(await rule_('take-back', join(folder, 'odd.csv'))).toMatchObject({ exit: 3, err: expect.stringMatching(/No column "Rule identity" or "File"/) });
    expect((await rule_('take-back', file, '--apply', '--dry-run')).exit).toBe(3);

    // Unclear columns and rows are settled in the command; a dry run blocks nobody.
    const list = join(folder, 'suppliers.csv');
    writeFileSync(list, 'Piece,Vendor of it\nDR-15/parts/trier.step,Kolbe\ngear-motor.step,Kolbe\nDR-15/parts/drum.step,Kolbe\n');
    expect(await rule_('take-back', list)).toMatchObject({ exit: 3, err: expect.stringMatching(/--column "Header=Property"/) });
    const flags = ['--column', 'Piece=file', '--column', 'Vendor of it=Supplier'];
    expect(await rule_('take-back', list, ...flags)).toMatchObject({
      exit: 3,
      err: expect.stringMatching(/Several files are called "gear-motor\.step".*--leave-ambiguous/),
    });
    expect(await rule_('take-back', list, '--column', 'Nothing=file')).toMatchObject({
      exit: 3,
      err: expect.stringMatching(/no column "Nothing"\. It has: Piece, Vendor of it/),
    });
    const rehearsed = await rule_('take-back', list, ...flags, '--leave-ambiguous', '--dry-run');
    expect(rehearsed).toMatchObject({ exit: 1, err: expect.stringMatching(/would change 2,.*\n(.*\n)*nothing was written\n$/) });
    const applied = await rule_('take-back', list, ...flags, '--leave-ambiguous', '--apply');
    expect(applied.err).toMatch(/applied 2 values in 2 files, 0 not\n$/);
    expect(applied.err).not.toContain('was taken back on');
    const blanks = join(folder, 'blanks.csv');
    writeFileSync(blanks, 'Piece,Vendor of it\nDR-15/parts/trier.step,Other\n');
    expect((await rule_('take-back', blanks, '--only-blank', '--apply')).err).toMatch(/there was nothing to write\n$/);
  });
});
