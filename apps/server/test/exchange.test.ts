import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import * as sheetjs from '@e965/xlsx';
import { afterAll, beforeAll, describe, expect, it, jest } from '@jest/globals';
import { ApplyReport, Problem, TakeBackView, Tray } from '@rule/contract';
import { newDraft } from '@rule/core/schema';
import Papa from 'papaparse';
import { Person, Rule, startRule } from './harness';

jest.setTimeout(120_000);

let rule: Rule;
let okafor: Person;
let lindqvist: Person;
const folder = mkdtempSync(join(tmpdir(), 'rule-exchange-'));

beforeAll(async () => {
  rule = await startRule();
  [okafor, lindqvist] = [await rule.signIn('okafor'), await rule.signIn('lindqvist')];
});
afterAll(async () => {
  await rule.stop();
  rmSync(folder, { recursive: true, force: true });
});

const sendOut = async (format: string, filter = {}, properties: number[] = []): Promise<Buffer> => {
  const answer = await okafor
    .post('/exchange/send-out', { format, filter, properties })
    .buffer(true)
    .parse((response, done) => {
      const chunks: Buffer[] = [];
      response.on('data', (chunk: Buffer) => chunks.push(chunk)).on('end', () => done(null, Buffer.concat(chunks)));
    });
  expect(answer.status).toBe(200);
  return answer.body as Buffer;
};
const takeBack = async (name: string, bytes: Uint8Array, person = okafor) => (await person.upload('/exchange/take-backs', name, bytes)).body as TakeBackView;
const refused = async (name: string, bytes: Uint8Array) => (await okafor.upload('/exchange/take-backs', name, bytes)).body as Problem;

/** Opens a file in LibreOffice and saves it again, as a person would without changing anything. */
function throughLibreOffice(bytes: Uint8Array, from: string, to: string): Buffer {
  const source = join(folder, `sent.${from}`);
  writeFileSync(source, bytes);
  execFileSync('soffice', ['--headless', `-env:UserInstallation=file://${folder}/profile`, '--convert-to', to, '--outdir', join(folder, 'out'), source], {
    stdio: 'pipe',
    timeout: 90_000,
  });
  return readFileSync(join(folder, 'out', `sent.${to.split(':')[0]}`));
}

/** Edits cells of the first sheet with another program's library. */
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
    const csv = throughLibreOffice(await sendOut('xlsx', { kind: 'part' }), 'xlsx', 'csv:Text - txt - csv (StarCalc):44,34,76,1,,0,false,false').toString(
      'utf8',
    );
    const rows = Papa.parse<string[]>(csv.trim()).data;
    const header = rows[0]!;
    const cell = (file: string, name: string) => rows.find((row) => row[1]!.endsWith(file))![header.indexOf(name)];
    expect(header.slice(0, 4)).toEqual(['Rule identity', 'File', 'Part number', 'Description']);
    expect(rows).toHaveLength(17);
    // Leading zeros and texts that look like dates stay what they are; numbers are numbers.
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
    writeFileSync(raw, await sendOut('xlsx', { kind: 'part' }));
    const part = execFileSync('unzip', ['-p', raw, 'xl/worksheets/sheet1.xml'], { encoding: 'utf8' });
    expect(part).toMatch(/<pane[^>]*xSplit="2"[^>]*ySplit="1"[^>]*state="frozen"/);
    expect(part).toContain('1.4301,1.4404,S235JR,DC01,100Cr6,steel 8.8,various');
    expect(part).toContain('<formula1>"yes,no"</formula1>'.replaceAll('"', '&quot;'));
  });
  it('keeps long lists of choices, and choices with commas, on a sheet of their own', async () => {
    const choices = Array.from({ length: 60 }, (_, i) => `alloy ${i}, hardened`);
    const id = (await rule.define({ ...newDraft('Alloy'), type: 'choice', choices }))[0]!;
    const sent = await sendOut('xlsx', { kind: 'part' }, [await rule.property('Part number'), id]);
    const book = sheetjs.read(sent, { type: 'buffer' });
    expect(sheetjs.utils.sheet_to_json<string[]>(book.Sheets['Choices']!, { header: 1 }).flat()).toEqual(['Alloy', ...choices]);
    const raw = join(folder, 'choices.xlsx');
    writeFileSync(raw, sent);
    expect(execFileSync('unzip', ['-p', raw, 'xl/worksheets/sheet1.xml'], { encoding: 'utf8' })).toContain('<formula1>Choices!$A$2:$A$61</formula1>');
    const back = edit(sent, (set) => set('drum.step', 'Alloy', 'alloy 7, hardened'));
    expect((await takeBack('choices.xlsx', back)).cells).toMatchObject([{ verdict: 'change', proposed: { text: 'alloy 7, hardened' } }]);
    await rule.amend('Alloy', { retired: true });
  });
  it('changes nothing when it comes back untouched, also after LibreOffice has saved it', async () => {
    const sent = await sendOut('xlsx');
    for (const bytes of [sent, throughLibreOffice(sent, 'xlsx', 'xlsx')]) {
      const { takeBack: row, cells, issues } = await takeBack('untouched.xlsx', bytes);
      expect([cells, issues]).toEqual([[], []]);
      expect(row.counts).toEqual({ unchanged: 352, change: 0, same: 0, conflict: 0, error: 0, notTaken: 0, total: 352 });
    }
    const csv = await sendOut('csv');
    expect((await takeBack('untouched.csv', csv)).takeBack.counts).toMatchObject({ unchanged: 352, total: 352 });
  });
  it('brings changes back, shows every one, and refuses what cannot be taken', async () => {
    const sent = await sendOut('xlsx');
    await lindqvist.post('/tray', { values: [{ file: await rule.file('trier.step'), property: await rule.property('Finish'), text: 'bead blasted' }] });
    await lindqvist.post('/tray/apply', { mode: 'whole' });
    const back = edit(sent, (set) => {
      set('bean-hopper.step', 'Finish', 'brushed');
      set('drum.step', 'Mass', 8.125);
      set('bought parts/gear-motor.step', 'Supplier', 'Otterby Drives');
      set('trier.step', 'Finish', 'brushed');
      set('tray-rail.step', 'Material', 'steel');
      set('chimney-stub.step', 'Revision', 'B');
      set('frame-leg.step', 'Saved by', 'me');
      set('drum-shaft.step', 'Description', null);
      set('agitator-arm.step', 'Rule identity', 'S1-F99999');
    });
    const view = await takeBack('edited.xlsx', back);
    expect(view.cells.map((cell) => [cell.path.split('/').at(-1), cell.verdict, cell.message])).toEqual(
      expect.arrayContaining([
        ['bean-hopper.step', 'change', 'fills a blank'],
        ['drum.step', 'change', 'changes the value'],
        ['gear-motor.step', 'change', 'fills a blank'],
        ['trier.step', 'conflict', 'Changed in Rule since it was sent out.'],
        ['tray-rail.step', 'error', 'Material: "steel" is not among the choices.'],
        ['chimney-stub.step', 'error', 'DR-15/parts/chimney-stub.step is released in the vault.'],
        ['frame-leg.step', 'error', 'Saved by is taken from the file and cannot be typed.'],
        ['drum-shaft.step', 'error', 'Description: is required and cannot be blanked.'],
      ]),
    );
    expect(view.cells).toHaveLength(8);
    expect(view.issues).toMatchObject([{ code: 'unknown-file' }]);
    expect(view.takeBack.counts).toEqual({ unchanged: 352 - 8 - 16, change: 3, same: 0, conflict: 1, error: 4, notTaken: 16, total: 352 });

    const conflict = view.cells.find((cell) => cell.verdict === 'conflict')!;
    const error = view.cells.find((cell) => cell.verdict === 'error')!;
    expect(((await okafor.post(`/exchange/take-backs/${view.takeBack.id}/tray`, { cells: [error.id] })).body as Problem).code).toBe('not-takeable');
    const changes = view.cells.filter((cell) => cell.verdict === 'change').map((cell) => cell.id);
    const after = (await okafor.post(`/exchange/take-backs/${view.takeBack.id}/tray`, { cells: [...changes, conflict.id] })).body as TakeBackView;
    expect(after.cells.filter((cell) => cell.outcome === 'tray')).toHaveLength(4);
    const pending = ((await okafor.get('/tray')).body as Tray).lines.filter((line) => !line.follows);
    expect(pending.map((line) => [line.path.split('/').at(-1), line.base?.text ?? null, line.proposed?.text, line.verdict])).toEqual(
      expect.arrayContaining([
        ['bean-hopper.step', null, 'brushed', 'apply'],
        ['drum.step', '7.961', '8.125', 'apply'],
        ['gear-motor.step', null, 'Otterby Drives', 'apply'],
        ['trier.step', 'bead blasted', 'brushed', 'apply'],
      ]),
    );
    expect((await okafor.post('/tray/apply', { mode: 'whole' })).body as ApplyReport).toMatchObject({ state: 'applied', applied: 4 });
    // The same file again changes nothing more.
    expect((await takeBack('edited.xlsx', back)).takeBack.counts).toMatchObject({ change: 0, same: 4, conflict: 0, error: 4 });
  });
  it('is listed as out until it comes back', async () => {
    await sendOut('csv', { kind: 'drawing' });
    const outs = (await okafor.get('/exchange/send-outs')).body as { takenBackAt: string | null; files: number }[];
    expect(outs[0]).toMatchObject({ files: 4, takenBackAt: null });
    expect(outs.some((out) => out.takenBackAt !== null)).toBe(true);
  });
});

describe('a file that cannot be taken back', () => {
  it('is refused with its name and the reason', async () => {
    expect(await refused('list.xlsx', Buffer.from('not a workbook'))).toMatchObject({
      status: 422,
      code: 'xlsx-not',
      detail: 'list.xlsx: This is not an XLSX workbook.',
    });
    expect(await refused('list.csv', Buffer.from('Name;Material\r\na;b\r\n'))).toMatchObject({ code: 'no-file-column' });
    expect(await refused('list.csv', Buffer.from('File;Material;Material\r\na;b;c\r\n'))).toMatchObject({ code: 'header-twice' });
    expect(await refused('empty.csv', Buffer.alloc(0))).toMatchObject({ code: 'empty-file' });
    const zip = await sendOut('xlsx');
    expect(await refused('cut.xlsx', zip.subarray(0, zip.length / 2))).toMatchObject({ code: 'xlsx-broken' });
  });
  it('is refused when it is larger than Rule takes', async () => {
    expect(await refused('huge.csv', Buffer.alloc(65 * 1024 * 1024, 65))).toMatchObject({ status: 413, code: 'too-large' });
  });
  it('in Windows-1252 with semicolons is read all the same', async () => {
    const view = await takeBack('liste.csv', Buffer.from('File;Description\r\nDR-15/parts/drum.step;Trommel für 15 kg\r\n', 'latin1'));
    expect(view.takeBack.note).toBe('read as windows-1252');
    expect(view.cells).toMatchObject([{ verdict: 'change', proposed: { text: 'Trommel für 15 kg' } }]);
  });
});
