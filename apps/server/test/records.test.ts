import { afterEach, beforeEach, describe, expect, it, jest } from '@jest/globals';
import {
  GridPage,
  LegacyRow,
  Newcomer,
  Problem,
  RecordEditReport,
  RecordEditRow,
  RecordPage,
  RecordsStarted,
  LinkValues,
  RehearsedFile,
  VaultFile,
  VaultRunResult,
  VaultState,
} from '@rule/contract';
import { Link, PLAIN_CELL, Property, newDraft } from '@rule/core/schema';
import { DefinitionView, passingOf } from '@rule/core/vault';
import ExcelJS from 'exceljs';
import { execFileSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { chmodSync, cpSync, linkSync, mkdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { User } from '../src/users/user';
import { Person, Rule, startRule } from './harness';
import { until } from './until';
import { variants } from './variants';

jest.setTimeout(240_000);

/** Two drawings with two sheets each: one with equal marks, one with different ones. */
const TWO_SHEETS = String.raw`
import sys
import ezdxf
for name, marks in (('same', ('P-1', 'P-1')), ('apart', ('P-1', 'P-2'))):
    doc = ezdxf.new('R2018', setup=True)
    doc.blocks.new('PAGED').add_attdef('MARK', (2, 2), dxfattribs={'height': 3.5})
    doc.layouts.new('Back')
    for layout, mark in zip(('Layout1', 'Back'), marks):
        doc.layout(layout).add_blockref('PAGED', (5, 5)).add_auto_attribs({'MARK': mark})
    doc.saveas(f'{sys.argv[1]}/{name}.dxf')
`;

let rule: Rule;
let okafor: Person;
let varga: Person;
beforeEach(async () => {
  rule = await startRule();
  okafor = await rule.signIn('okafor');
  varga = await rule.signIn('varga');
});
afterEach(() => rule.stop());

interface Entry {
  readonly id: number;
  readonly version: number;
  readonly path: string;
  readonly record: Record<string, string>;
  readonly checkedOutBy: string | null;
}
const GATE = 'DR-15/parts/slide-gate.step';
const entry = async (path: string) => (await rule.vault<Entry[]>('POST', '/api/files/query', { paths: [path] }))[0]!;
const values = async (file: number) => ((await okafor.get(`/files/${file}/record`)).body as VaultFile).values;
const decisions = async (file: number) => Object.fromEntries((await values(file)).map((v) => [v.link.field, v.decision.action]));
const page = async (query = '') => (await okafor.get(`/vault/records${query}`)).body as RecordPage;
const newLink = (field: string, change: Partial<Link>): Omit<Link, 'id'> => ({
  field,
  kinds: ['part'],
  classes: [],
  at: [],
  ...passingOf('both'),
  states: [],
  step: null,
  ...change,
});
const inForce = async () => void (await varga.post('/schema/draft/in-force', { note: 'links', revision: null }).expect(200));
const run = async (body: object) => (await okafor.job(await okafor.post('/vault/runs', { clash: 'leave out', ...body }))).result as VaultRunResult;

describe('a check-in that breaks off', () => {
  it.each(['failNext', 'dropNext', 'loseNext'])(
    'at any of its calls (%s) leaves file and record as they were or equal, and a retry ends right',
    async (fault) => {
      const gate = await rule.file('slide-gate.step');
      const before = rule.bytes('slide-gate.step');
      const record = (await entry(GATE)).record;
      let succeeded = false;
      for (let calls = 0; !succeeded; calls++) {
        expect(calls).toBeLessThan(20);
        await rule.vault('POST', '/api/faults', { skip: calls, [fault]: 1 });
        const answer = await okafor.post(`/files/${gate}/check-in`, { settled: {} });
        // Open operations are settled once the vault answers again.
        await rule.vault('POST', '/api/faults', {});
        await okafor.post('/vault/refresh').expect(200);
        const now = await entry(GATE);
        const same = Buffer.compare(rule.bytes('slide-gate.step'), before) === 0;
        succeeded = now.version > 1;
        expect(now.checkedOutBy).toBeNull();
        if (succeeded) {
          // The vault accepted it: both sides know, even if the answer was lost.
          expect([answer.status, same]).toEqual([200, false]);
          expect(Object.values(await decisions(gate)).filter((action) => !['equal', 'stays'].includes(action))).toEqual([]);
        } else {
          expect([calls, answer.status, same]).toEqual([calls, 502, true]);
          expect(now.record).toEqual(record);
        }
      }
      expect((await okafor.post(`/files/${gate}/check-in`, { settled: {} })).body).toMatchObject({ version: 3, recordChanges: 0, fileChanges: 0 });
    },
  );

  it('and of which nobody can say how it ended is settled when the vault answers again', async () => {
    const gate = await rule.file('slide-gate.step');
    const before = rule.bytes('slide-gate.step');
    // The vault accepts it, does not answer, and stays unavailable.
    const port = rule.services.vault['port'];
    const [checkIn, entries] = [port.checkIn.bind(port), port.entries.bind(port)];
    port.checkIn = async (...given) => {
      await checkIn(...given);
      port.entries = () => Promise.reject(new Error('away'));
      throw new Error('away');
    };
    expect((await okafor.post(`/files/${gate}/check-in`, { settled: {} })).status).toBe(500);
    port.checkIn = checkIn;
    port.entries = entries;
    expect(Buffer.compare(rule.bytes('slide-gate.step'), before)).not.toBe(0);
    expect(await rule.db.all('SELECT file_id FROM vault_begun')).toEqual([{ file_id: gate }]);
    expect((await okafor.post(`/files/${gate}/check-in`, { settled: {} })).body).toMatchObject({ version: 3, recordChanges: 0, fileChanges: 0 });
    expect(await rule.db.all('SELECT file_id FROM vault_begun')).toEqual([]);
  });
});

describe('links', () => {
  it('for several addresses take the first that holds a value, the model that a drawing shows among them', async () => {
    const drawing = await rule.file('face-plate.dxf');
    const title = async () => (await values(drawing)).find((value) => value.link.field === 'Title')!;
    const description = await rule.property('Description');
    await rule.amend('Description', { required: false });
    expect((await title()).link.at).toEqual([{ property: description }, { property: description, of: 'model' }]);
    // The drawing's description comes first; if blank, the model's.
    await okafor.post('/tray', { values: [{ file: drawing, property: description, text: 'Plate in front' }] }).expect(200);
    await okafor.apply();
    expect(await title()).toMatchObject({ file: 'Plate in front', end: { property: description } });
    await okafor.post('/tray', { values: [{ file: drawing, property: description, text: '' }] }).expect(200);
    await okafor.apply();
    expect(await title()).toMatchObject({ file: 'Face plate', end: { property: description, of: 'model' } });
    // A model's value cannot be written through the drawing's record.
    const refused = (await varga.post('/schema/draft/links', newLink('Supplier', { kinds: ['drawing'], at: [{ property: description, of: 'model' }] })))
      .body as Problem;
    expect(refused.detail).toContain('the record of a drawing cannot change the model');
  });

  it('pass values of sheets where they agree, both ways, and say so where they do not', async () => {
    const folder = join(rule.library, 'sheets');
    mkdirSync(folder);
    execFileSync('/usr/bin/python3', ['-c', TWO_SHEETS, folder]);
    await rule.services.scanner.rescan();
    await okafor.post('/vault/refresh');
    const [property] = await rule.define({ ...newDraft('Page mark'), kinds: ['drawing'], level: 'sheet' });
    await rule.bind({ block: 'PAGED', cell: 'MARK', leads: true, shows: [{ property: property!, from: 'sheet', form: PLAIN_CELL }] });
    const number = ((await varga.get('/vault')).body as VaultState).links.find((link) => link.field === 'Number')!;
    const { id, ...rest } = number;
    await varga.put(`/schema/draft/links/${id}`, { ...rest, at: [{ property }, ...rest.at], ...passingOf('both') }).expect(200);
    await inForce();
    const newcomers = (await okafor.post('/vault/newcomers', { folder: 'sheets' })).body as Newcomer[];
    expect(newcomers.map(({ path, record }) => [path, record['Number']])).toEqual([
      ['sheets/apart.dxf', undefined],
      ['sheets/same.dxf', 'P-1'],
    ]);
    await rule.services.jobs.open();
    await run({ kind: 'bring in', files: newcomers.map((row) => row.file) });
    const [apart, same] = newcomers.map((row) => row.file);
    expect((await values(apart!)).find((value) => value.link.id === id)!.decision).toEqual({
      action: 'stays',
      reason: 'its sheets hold 2 different values of Page mark',
    });
    await rule.vault('PUT', `/api/files/${(await entry('sheets/same.dxf')).id}/record`, { record: { Number: 'P-2' } });
    await okafor.post('/vault/refresh');
    expect((await run({ kind: 'records to files', files: [same!] })).rows).toMatchObject([{ outcome: 'done' }]);
    const marks = await rule.db.all(`SELECT text FROM held_values WHERE file_id = $1 AND place = 'cell' AND name = 'MARK'`, [same]);
    expect(marks).toEqual([{ text: 'P-2' }, { text: 'P-2' }]);
  });

  it('pass values of variants where they agree, both ways, and say so where they do not', async () => {
    mkdirSync(join(rule.library, 'variants'));
    writeFileSync(join(rule.library, 'variants/same.step'), variants('1.4301', '1.4301'));
    writeFileSync(join(rule.library, 'variants/apart.step'), variants('1.4301', 'DC01'));
    await rule.amend('Material', { level: 'variant' });
    await rule.services.scanner.rescan();
    await okafor.post('/vault/refresh');
    const newcomers = (await okafor.post('/vault/newcomers', { folder: 'variants' })).body as Newcomer[];
    expect(newcomers.map(({ path, record }) => [path, record['Material']])).toEqual([
      ['variants/apart.step', undefined],
      ['variants/same.step', '1.4301'],
    ]);
    await rule.services.jobs.open();
    await run({ kind: 'bring in', files: newcomers.map((row) => row.file) });
    const [apart, same] = newcomers.map((row) => row.file);
    const material = async (file: number) => (await values(file)).find((value) => value.link.field === 'Material')!;
    expect((await material(apart!)).decision).toEqual({ action: 'stays', reason: 'its variants hold 2 different values of Material' });
    await rule.vault('PUT', `/api/files/${(await entry('variants/same.step')).id}/record`, { record: { Material: 'DC01' } });
    await okafor.post('/vault/refresh');
    expect((await run({ kind: 'records to files', files: [same!] })).rows).toMatchObject([{ outcome: 'done' }]);
    expect(await rule.db.all(`SELECT holder, text FROM held_values WHERE file_id = $1 AND name = 'Material' ORDER BY holder`, [same])).toEqual([
      { holder: '', text: 'DC01' },
      { holder: 'variant:V-2', text: 'DC01' },
    ]);
    expect((await material(same!)).decision.action).toBe('equal');
  });

  it('are tried on copies: other values, another state, nothing written', async () => {
    const gate = await rule.file('slide-gate.step');
    const before = await values(gate);
    const material = before.find((value) => value.link.field === 'Material')!;
    const tried = async (state: string, edits: object[]) => okafor.post(`/files/${gate}/record/try`, { state, edits });
    const decided = async (state: string, edits: object[]) =>
      ((await tried(state, edits)).body as LinkValues[]).find((value) => value.link.id === material.link.id)!;
    expect((await tried('open', [])).body).toEqual(before);
    const both = await decided('open', [{ link: material.link.id, file: 'DC01', record: '1.4404' }]);
    expect([both.file, both.record, both.decision.action]).toEqual(['DC01', '1.4404', 'ask']);
    // During checking, the file leads.
    expect((await decided('in check', [{ link: material.link.id, file: 'DC01', record: '1.4404' }])).decision.action).toBe('in');
    expect((await decided('open', [{ link: material.link.id, file: '' }])).decision.action).toBe('out');
    expect((await decided('open', [{ link: material.link.id, file: '', record: '' }])).decision.action).toBe('equal');
    // Files may hold values the schema refuses; they pass if the field accepts them.
    expect((await decided('open', [{ link: material.link.id, file: 'tin' }])).file).toBe('tin');
    expect((await tried('nowhere', [])).body as Problem).toMatchObject({ code: 'no-state' });
    expect(await values(gate)).toEqual(before);
  });

  it('whose record leads close the value for typing, check it in all the same, and open it in other states', async () => {
    const gate = await rule.file('slide-gate.step');
    const food = await rule.property('Food contact');
    const refused = (await okafor.post('/tray', { values: [{ file: gate, property: food, text: 'no' }] })).body as Problem;
    expect(refused.detail).toBe('DR-15/parts/slide-gate.step, Food contact: is led by the record field Food contact; change it in the vault.');
    // The grid warns by property and state.
    const led = ((await okafor.get('/properties')).body as Property[]).find((property) => property.id === food)!.led;
    expect(led).toEqual([{ field: 'Food contact', kinds: ['part'], classes: [], step: null, states: null, except: [] }]);
    const row = ((await okafor.get('/values?search=slide-gate&limit=5')).body as GridPage).rows[0]!;
    expect(row.file.state).toBe('open');
    // The record leads, the file follows.
    await rule.vault('PUT', `/api/files/${(await entry(GATE)).id}/record`, { record: { 'Food contact': 'no' } });
    await okafor.post('/vault/refresh');
    expect((await values(gate)).find((value) => value.link.field === 'Food contact')).toMatchObject({ decision: { action: 'out' }, file: 'yes', record: 'no' });
    await okafor.post(`/files/${gate}/check-in`, { settled: {} }).expect(200);
    expect((await values(gate)).find((value) => value.link.field === 'Food contact')).toMatchObject({ decision: { action: 'equal' }, file: 'no' });
    // Material is shared, but the file's during checking.
    const leg = await rule.file('frame-leg.step');
    await rule.vault('PUT', `/api/files/${(await entry('DR-15/parts/frame-leg.step')).id}/record`, { record: { Material: '1.4404' } });
    await okafor.post('/vault/refresh');
    const material = (await values(leg)).find((value) => value.link.field === 'Material')!;
    expect([material.file === '1.4404', material.decision.action]).toEqual([false, 'in']);
  });

  it('do not pass what the field or the property would not take, and say so beforehand', async () => {
    const gate = await rule.file('slide-gate.step');
    const id = (await entry(GATE)).id;
    await rule.vault('PUT', `/api/files/${id}/record`, { record: { 'Food contact': 'indirect', Material: 'tin' } });
    await okafor.post('/vault/refresh');
    const told = Object.fromEntries((await values(gate)).map((value) => [value.link.field, value.refused]));
    expect(told['Food contact']).toMatch(/^Food contact .*yes/);
    expect(told['Material']).toMatch(/^Material /);
    expect(told['Title']).toBeNull();
    const rehearsed = ((await okafor.post('/vault/rehearse', { files: [gate] })).body as RehearsedFile[])[0]!;
    expect(rehearsed.blocked).toMatch(/^(Material|Food contact): /);
    expect((await okafor.post(`/files/${gate}/check-in`, { settled: {} })).body as Problem).toMatchObject({ code: 'cannot-pass' });
  });
});

describe('runs', () => {
  beforeEach(() => rule.services.jobs.open());

  it('pass records to files and files to records without a check-in', async () => {
    const gate = await rule.file('slide-gate.step');
    expect((await run({ kind: 'records to files', files: [gate] })).rows).toMatchObject([{ outcome: 'done', message: '1 value passed' }]);
    expect(rule.bytes('slide-gate.step').toString('latin1')).toContain("'1.4301'");
    expect((await entry(GATE)).version).toBe(1);
    expect(await decisions(gate)).toMatchObject({ Material: 'equal', Title: 'in' });
    expect((await run({ kind: 'files to records', files: [gate] })).rows).toMatchObject([{ outcome: 'done', message: '2 values passed' }]);
    expect(await entry(GATE)).toMatchObject({ version: 1, record: { Title: 'Slide gate', 'Mass kg': '0.196' } });
    expect((await run({ kind: 'files to records', files: [gate] })).rows).toMatchObject([{ outcome: 'nothing to do' }]);
    // Clashes are kept and counted unless a winner was chosen.
    await rule.vault('PUT', `/api/files/${(await entry(GATE)).id}/record`, { record: { Title: 'Gate' } });
    await okafor.post('/vault/refresh');
    await okafor.post('/tray', { values: [{ file: gate, property: await rule.property('Description'), text: 'Sliding gate' }] });
    await okafor.apply();
    expect((await run({ kind: 'files to records', files: [gate] })).rows[0]!.message).toBe('No value to pass; 1 value needs a decision.');
    expect((await run({ kind: 'files to records', files: [gate], clash: 'file' })).rows).toMatchObject([{ outcome: 'done' }]);
    expect((await entry(GATE)).record['Title']).toBe('Sliding gate');
  });

  it('check files out for Rule and give them free, each for itself', async () => {
    const [gate, stub] = [await rule.file('slide-gate.step'), await rule.file('chimney-stub.step')];
    expect((await run({ kind: 'check out', files: [gate, stub] })).rows.map((row) => [row.path.split('/').at(-1), row.outcome])).toEqual([
      ['chimney-stub.step', 'left out'],
      ['slide-gate.step', 'done'],
    ]);
    expect((await entry(GATE)).checkedOutBy).toBe('Rule');
    // Rule itself can still write.
    await okafor.post('/tray', { values: [{ file: gate, property: await rule.property('Finish'), text: 'polished' }] }).expect(200);
    expect((await run({ kind: 'undo check-out', files: [gate, gate + 100_000] })).rows).toMatchObject([{ outcome: 'done' }]);
    expect((await entry(GATE)).checkedOutBy).toBeNull();
    expect((await run({ kind: 'undo check-out', files: [gate] })).rows).toMatchObject([
      { outcome: 'left out', message: 'DR-15/parts/slide-gate.step is not checked out by Rule.' },
    ]);
  });

  it('go on after a restart with the first file that is not done', async () => {
    const files = ((await okafor.post('/vault/rehearse', { files: null })).body as RehearsedFile[])
      .filter((row) => row.blocked === null && row.counts.in + row.counts.out > 0 && row.counts.ask === 0)
      .slice(0, 5);
    const before = new Map(await Promise.all(files.map(async ({ file, path }) => [file, (await entry(path)).version] as const)));
    await rule.vault('POST', '/api/faults', { delayMs: 60 });
    await rule.services.jobs.close();
    const stopped = rule.another();
    await stopped.services.jobs.open();
    const user = (await rule.db.one<User>(`SELECT id, name, display_name AS "displayName", role FROM users WHERE name = 'okafor'`))!;
    const job = await stopped.services.vaultRuns.start(user, { clash: 'leave out', kind: 'check in', files: files.map((row) => row.file), titleBlocks: false });
    const done = async () => (await rule.db.all('SELECT 1 FROM vault_run_files WHERE job_id = $1', [job])).length;
    await until('the first two files of the run', async () => (await done()) >= 2);
    await stopped.close();
    const already = await done();
    expect(already).toBeLessThan(files.length);
    await rule.vault('POST', '/api/faults', {});
    await rule.services.jobs.open();
    const ended = await rule.services.jobs.ended(job);
    expect(ended.state).toBe('done');
    const { rows } = ended.result as VaultRunResult;
    expect(rows.map((row) => row.outcome)).toEqual(files.map(() => 'done'));
    expect(rows.map((row) => [row.file, row.version]).sort()).toEqual(files.map(({ file }) => [file, before.get(file)! + 1]).sort());
  });

  it('put the title blocks of a drawing right when it is checked in, if wished', async () => {
    const stale = async () =>
      (
        await rule.db.all<{ file: number }>(
          `SELECT DISTINCT c.file_id AS file FROM cell_states c JOIN files f ON f.id = c.file_id JOIN vault_records r ON r.path = f.path
         WHERE c.state = 'stale' AND f.lock_reason IS NULL ORDER BY 1`,
        )
      ).map((row) => row.file);
    const [drawing] = await stale();
    const rehearsed = (await okafor.post('/vault/rehearse', { files: [drawing] })).body as RehearsedFile[];
    expect(rehearsed[0]!.cells).toBeGreaterThan(0);
    await run({ kind: 'check in', files: [drawing], titleBlocks: false, clash: 'file' });
    expect(await stale()).toContain(drawing);
    const { rows } = await run({ kind: 'check in', files: [drawing], clash: 'file' });
    expect(rows).toMatchObject([{ outcome: 'done', message: expect.stringMatching(/title block texts? put right$/) }]);
    expect(await stale()).not.toContain(drawing);
  });

  /** Another program checks in a version of the slide gate; returns its bytes. */
  async function checkedInElsewhere(): Promise<Buffer> {
    const { id } = await entry(GATE);
    const theirs = Buffer.concat([rule.bytes('slide-gate.step'), Buffer.from('/* theirs */\n')]);
    await rule.vault('POST', `/api/files/${id}/check-out`, { by: 'Hedda Novak' });
    const meta = Buffer.from(JSON.stringify({ by: 'Hedda Novak', comment: '', record: {} })).toString('base64url');
    const headers = { authorization: 'Bearer test-token', 'x-check-in': meta, 'content-type': 'application/octet-stream' };
    await fetch(`${rule.vaultUrl}/api/files/${id}/check-in`, { method: 'POST', headers, body: new Uint8Array(theirs) });
    return theirs;
  }

  it('get the newest version of a file that has no changes of its own, and leave any other alone', async () => {
    const gate = await rule.file('slide-gate.step');
    const theirs = await checkedInElsewhere();
    // The vault tells the file's version, even one Rule has never seen.
    await rule.db.run('DELETE FROM vault_bases');
    await okafor.post('/vault/refresh');
    expect(((await okafor.post('/vault/rehearse', { files: [gate] })).body as RehearsedFile[])[0]!.blocked).toBe(
      'The vault has version 2; this file is based on version 1.',
    );
    const path = join(rule.library, GATE);
    chmodSync(path, 0o640);
    expect((await run({ kind: 'get newest', files: [gate] })).rows).toMatchObject([{ outcome: 'done' }]);
    expect([Buffer.compare(rule.bytes('slide-gate.step'), theirs), statSync(path).mode & 0o777]).toEqual([0, 0o640]);
    expect((await okafor.post(`/files/${gate}/check-in`, { settled: {} })).body).toMatchObject({ version: 3 });
    expect((await run({ kind: 'get newest', files: [gate] })).rows).toMatchObject([{ outcome: 'nothing to do' }]);
    // Files with changes of their own, or changed since reading, are not replaced.
    await okafor.post('/tray', { values: [{ file: gate, property: await rule.property('Finish'), text: 'polished' }] });
    await okafor.apply();
    const changed = rule.bytes('slide-gate.step');
    const { rows } = await run({ kind: 'get newest', files: [gate] });
    expect(rows).toMatchObject([{ outcome: 'left out', message: expect.stringMatching(/has changes of its own, and the vault holds version 3/) }]);
    expect(Buffer.compare(rule.bytes('slide-gate.step'), changed)).toBe(0);
  });

  it('get the newest version of a file with several names in its place, and go on where the server died half-way', async () => {
    const gate = await rule.file('slide-gate.step');
    const mine = rule.bytes('slide-gate.step');
    const theirs = await checkedInElsewhere();
    const path = join(rule.library, GATE);
    const other = join(rule.library, '..', 'another name of the gate');
    linkSync(path, other);
    expect((await run({ kind: 'get newest', files: [gate] })).rows).toMatchObject([{ outcome: 'done' }]);
    expect([statSync(path).nlink, Buffer.compare(readFileSync(other), theirs)]).toEqual([2, 0]);
    expect(await rule.db.all('SELECT * FROM newest_begun')).toEqual([]);
    // The state after a crash during writing: part of the new bytes.
    const begin = () =>
      rule.db.run('INSERT INTO newest_begun VALUES ($1, $2, $3, $4)', [
        gate,
        path,
        createHash('sha256').update(mine).digest('hex'),
        createHash('sha256').update(theirs).digest('hex'),
      ]);
    await begin();
    writeFileSync(path, theirs.subarray(0, 700));
    await okafor.post('/vault/refresh').expect(200);
    expect(Buffer.compare(readFileSync(other), theirs)).toBe(0);
    // Later edits are kept.
    await begin();
    writeFileSync(path, 'something else');
    await okafor.post('/vault/refresh').expect(200);
    expect(readFileSync(path, 'utf8')).toBe('something else');
    expect(await rule.db.all('SELECT * FROM newest_begun')).toEqual([]);
  });

  it('bring a folder in: what is new there, with its record filled, once', async () => {
    mkdirSync(join(rule.library, 'DR-15/new'));
    cpSync(join(rule.library, GATE), join(rule.library, 'DR-15/new/gate two.step'));
    await rule.services.scanner.rescan();
    await okafor.post('/vault/refresh');
    const newcomers = (await okafor.post('/vault/newcomers', { folder: 'DR-15' })).body as Newcomer[];
    expect(newcomers).toMatchObject([
      { path: 'DR-15/new/gate two.step', kind: 'part', problem: null, record: { Number: 'DR15-131', Title: 'Slide gate', 'Mass kg': '0.196' } },
    ]);
    const original = await entry(GATE);
    expect((await run({ kind: 'bring in', files: [newcomers[0]!.file] })).rows).toMatchObject([{ outcome: 'done', version: 1 }]);
    expect(await entry('DR-15/new/gate two.step')).toMatchObject({ version: 1, record: { Number: 'DR15-131', Title: 'Slide gate' } });
    // The original's record is unchanged.
    expect(await entry(GATE)).toEqual(original);
    expect((await run({ kind: 'bring in', files: [newcomers[0]!.file] })).rows).toMatchObject([
      { outcome: 'nothing to do', message: 'The file is in the vault already.' },
    ]);
    expect((await okafor.post('/vault/newcomers', { folder: '' })).body).toEqual([]);
  });
});

describe('records', () => {
  it('are found by folder, text, state and kind, with who holds them since when, and what cannot be typed', async () => {
    expect((await page('?limit=5')).total).toBe(22);
    expect((await page('?folder=DR-15/parts&limit=1000')).rows.every((row) => row.path.startsWith('DR-15/parts/'))).toBe(true);
    expect((await page('?text=otterby')).rows.map((row) => row.path)).toEqual(['bought parts/gear-motor.step']);
    expect((await page('?kind=assembly')).total).toBe(2);
    const [stub] = (await page('?state=released')).rows;
    expect(stub).toMatchObject({ path: 'DR-15/parts/chimney-stub.step', stateBy: 'Jori Haas', stateAt: expect.any(String) });
    expect(stub!.closed['Title']).toBe('belongs to a released file (Jori Haas)');
    const gate = (await page('?text=slide-gate')).rows[0]!;
    expect(gate.closed).toMatchObject({
      Number: 'is led by the file; change it there',
      Revision: 'is kept by the vault itself',
      'Released on': 'is set by a step of the workflow',
      'Keep until': 'does not exist for part files',
    });
    expect(gate.closed['Title']).toBeUndefined();
  });

  it('are changed with the checks of field and property, value by value, and given back', async () => {
    const gate = (await page('?text=slide-gate')).rows[0]!;
    const drum = (await page('?text=parts/drum.step')).rows[0]!;
    const edit = (row: { entry: number; record: Readonly<Record<string, string>> }, field: string, after: string) => ({
      entry: row.entry,
      field,
      before: row.record[field] ?? null,
      after,
    });
    const { report } = (
      await okafor.put('/vault/records', {
        title: 'suppliers',
        edits: [
          edit(gate, 'Supplier', 'Fenwick Spinning'),
          edit(gate, 'Material', 'tin'),
          edit(gate, 'Number', 'X-1'),
          edit(drum, 'Title', 'y'.repeat(37)),
          edit(drum, 'Title', 'Drum'),
          { ...edit(drum, 'Supplier', 'Otterby Drives'), before: 'somebody else' },
        ],
      })
    ).body as { report: RecordEditReport };
    expect(report.written).toBe(2);
    expect(Object.fromEntries(report.left.map(({ field, reason }) => [field, reason]))).toEqual({
      Material: expect.stringMatching(/^Material /),
      Number: 'is led by the file; change it there',
      Title: 'the record field Title takes 36 characters; the value has 37',
      Supplier: 'somebody changed it to "" meanwhile',
    });
    expect((await entry(GATE)).record).toMatchObject({ Supplier: 'Fenwick Spinning', Material: '1.4301' });
    const [row] = (await okafor.get('/vault/record-edits')).body as RecordEditRow[];
    expect(row).toMatchObject({ id: report.edit, title: 'suppliers', by: 'Tobe Okafor', values: 2, records: 2, undoneAt: null });
    // Later changes are kept.
    await rule.vault('PUT', `/api/files/${drum.entry}/record`, { record: { Title: 'Great drum' } });
    const lindqvist = await rule.signIn('lindqvist');
    expect((await lindqvist.post(`/vault/record-edits/${report.edit}/undo`)).status).toBe(409);
    const undone = ((await okafor.post(`/vault/record-edits/${report.edit}/undo`)).body as RecordsStarted).report!;
    expect([undone.written, undone.left]).toEqual([1, [{ path: drum.path, field: 'Title', reason: 'somebody changed it to "Great drum" meanwhile' }]]);
    expect((await entry(GATE)).record['Supplier']).toBeUndefined();
    expect((await okafor.post(`/vault/record-edits/${report.edit}/undo`)).body as Problem).toMatchObject({ code: 'undone-already' });
    const guest = await rule.signIn('guest');
    expect((await guest.put('/vault/records', { title: 'x', edits: [edit(gate, 'Supplier', 'x')] })).status).toBe(403);
  });

  it('take a list from elsewhere, refusing row by row what cannot be taken', async () => {
    const book = new ExcelJS.Workbook();
    const sheet = book.addWorksheet('Old list');
    sheet.addRows([
      ['File', 'Maker', 'Was called'],
      ['slide-gate.step', 'Fenwick Spinning', 'Gate'],
      ['gear-motor.step', 'Otterby Drives', ''],
      ['DR-15\\parts\\drum.step', 'Fenwick Spinning', 'z'.repeat(50)],
      ['', 'nobody', ''],
      ['not there.step', 'x', ''],
      ['DR-15/parts/slide-gate.step', 'again', ''],
    ]);
    const read = (await okafor.upload('/vault/list-file', 'old list.xlsx', Buffer.from(await book.xlsx.writeBuffer()))).body as {
      headers: string[];
      rows: string[][];
    };
    expect([read.headers, read.rows.length]).toEqual([['File', 'Maker', 'Was called'], 6]);
    const list = {
      ...read,
      key: 'File',
      keyField: null,
      columns: [
        { header: 'Maker', field: 'Supplier' },
        { header: 'Was called', field: 'Title' },
      ],
    };
    const rows = (await okafor.post('/vault/list/preview', list)).body as LegacyRow[];
    expect(rows.map((row) => [row.row, row.path, row.changes.length, row.problems[0] ?? ''])).toEqual([
      [2, GATE, 2, ''],
      [3, null, 0, '"gear-motor.step" fits several files of the vault.'],
      [4, 'DR-15/parts/drum.step', 1, 'Title: the record field Title takes 36 characters; the value has 50.'],
      [5, null, 0, 'The row does not say which file it is of.'],
      [6, null, 0, '"not there.step" is not in the vault.'],
      [7, GATE, 0, 'Row 2 is of the same file.'],
    ]);
    const started = (await okafor.post('/vault/list', list)).body as RecordsStarted;
    const report = started.report!;
    expect((await okafor.get(`/jobs/${started.job}`)).body).toMatchObject({ kind: 'records', title: 'Take a list of 6 rows into records', state: 'done' });
    expect([report.written, report.left.length]).toEqual([3, 5]);
    expect((await entry(GATE)).record).toMatchObject({ Supplier: 'Fenwick Spinning', Title: 'Gate' });
    // By record field: numbers are more reliable than names.
    const byNumber = {
      headers: ['No', 'Maker'],
      rows: [['DR15-131', 'Ostrelle Bearings']],
      key: 'No',
      keyField: 'Number',
      columns: [{ header: 'Maker', field: 'Supplier' }],
    };
    expect(((await okafor.post('/vault/list', byNumber)).body as RecordsStarted).report!.written).toBe(1);
    expect((await okafor.post('/vault/list', { ...byNumber, key: 'Nr' })).body as Problem).toMatchObject({ code: 'no-column' });
    expect((await okafor.upload('/vault/list-file', 'broken.xlsx', Buffer.from('not a workbook'))).status).toBe(422);
  });

  it('are defined beside the schema: fields are made, changed and retired where the vault allows it', async () => {
    const view = (await okafor.get('/vault/definition')).body as DefinitionView;
    const codes = (name: string, of = view) => of.rows.find((row) => row.field.name === name)!.findings.map((finding) => finding.code);
    expect([codes('Material'), codes('Mass kg'), codes('Title'), codes('Keep until')]).toEqual([
      ['type', 'required'],
      ['type'],
      ['length', 'required'],
      ['no-property'],
    ]);
    const finish = await rule.property('Finish');
    expect(view.unheld.map((row) => row.property)).toContain(finish);
    expect((await okafor.post('/vault/fields', { property: finish })).status).toBe(403);
    const made = (await varga.post('/vault/fields', { property: finish })).body as DefinitionView;
    expect(made.rows.find((row) => row.field.name === 'Finish')!.field).toMatchObject({
      type: 'list',
      kinds: ['part'],
      choices: expect.arrayContaining(['brushed']),
    });
    // Material becomes a list, as far as records allow.
    const material = view.rows.find((row) => row.field.name === 'Material')!.field;
    await rule.vault('PUT', `/api/files/${(await entry(GATE)).id}/record`, { record: { Material: 'tin' } });
    const list = { ...material, type: 'list', choices: ['1.4301', '1.4404', 'S235JR', 'DC01', '100Cr6', 'steel 8.8', 'various'] };
    expect(((await varga.post('/vault/fields', { name: 'Material', field: list })).body as Problem).detail).toContain(`${GATE} holds "tin"`);
    await rule.vault('PUT', `/api/files/${(await entry(GATE)).id}/record`, { record: { Material: '1.4301' } });
    expect(codes('Material', (await varga.post('/vault/fields', { name: 'Material', field: list })).body as DefinitionView)).toEqual(['required']);
    expect(((await varga.post('/vault/fields', { name: 'Released by', field: { ...material, name: 'Released by' } })).body as Problem).code).toBe(
      'vault-fixed',
    );
    expect(((await varga.post('/vault/fields', { name: 'State', field: { ...material, name: 'State' } })).body as Problem).code).toBe('system-field');
    // The rest is handed over as a list.
    const csv = (await okafor.get('/vault/definition/table')).text;
    expect(csv).toMatch(/^\uFEFF?Record field,What,Now,Wanted,Why/);
    expect(csv).toContain('Title,length,36,40,');
    expect(csv).toContain('Material,name for part files,"Material ",Material,');
    // The vault's link table is corrected where permitted.
    expect((await varga.post('/vault/link-table/correct')).body).toEqual({ corrected: 1 });
    expect(((await okafor.get('/vault')).body as VaultState).table.every((finding) => finding.state === 'exact')).toBe(true);
    // After a rename the vault's table is updated too.
    await rule.amend('Material', { writtenName: 'Werkstoff' });
    expect(((await okafor.get('/vault')).body as VaultState).table.filter((finding) => finding.state !== 'exact')).toMatchObject([
      { row: { field: 'Material', name: 'Material' }, state: 'renamed', nearest: 'Werkstoff' },
    ]);
    expect((await varga.post('/vault/link-table/correct')).body).toEqual({ corrected: 1 });
    expect(await rule.vault('GET', '/api/link-table')).toContainEqual({ field: 'Material', kind: 'part', name: 'Werkstoff' });
  });
});
