import { cpSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, afterEach, beforeAll, describe, expect, it } from '@jest/globals';
import {
  AppliedCheck,
  ClassRow,
  CleanUpPreview,
  Coverage,
  FileDetails,
  FilesPage,
  ForeignPreview,
  FoundDraft,
  FoundValues,
  Learned,
  NewToken,
  OtherName,
  Problem,
  Remark,
  Survey,
  SurveyComparison,
  SurveyRow,
  CellPage,
  TakeBackView,
  Tray,
  TwinRow,
} from '@rule/contract';
import { readCsv, writeCsv } from '@rule/core/exchange';
import { newDraft } from '@rule/core/schema';
import { run } from '../../cli/src/rule';
import { Person, Rule, startRule } from './harness';

let rule: Rule;
let varga: Person;
let okafor: Person;
let haas: Person;

const INHERITED = join(import.meta.dirname, '../../../packages/demo/inherited');

beforeAll(async () => {
  // The DR-5's library is a subfolder of the company's.
  rule = await startRule({ prepareLibrary: (folder) => cpSync(INHERITED, join(folder, 'inherited'), { recursive: true }) });
  [varga, okafor, haas] = (await Promise.all(['varga', 'okafor', 'haas'].map((name) => rule.signIn(name)))) as [Person, Person, Person];
}, 60_000);
afterAll(() => rule.stop());

const got = async <T>(path: string, query: object = {}): Promise<T> => {
  const text = new URLSearchParams(
    Object.entries(query).map(([key, value]): [string, string] => [key, typeof value === 'object' ? JSON.stringify(value) : String(value)]),
  );
  const answer = await okafor.get(`${path}?${text.toString()}`);
  expect([path, answer.status, answer.status === 200 ? '' : answer.text]).toEqual([path, 200, '']);
  return answer.body as T;
};
const tray = async () => (await okafor.get('/tray')).body as Tray;
const apply = async () => await okafor.apply();
const revert = async (set: number) => await okafor.revert(set);
const empty = async () => {
  const { lines } = await tray();
  if (lines.length) await okafor.post('/tray/drop', { lines: lines.map((line) => line.id) });
};
afterEach(empty);

describe('names', () => {
  // Figures from the demo's description.
  it('counts by kind and level over everything, and the same for a folder from the values themselves', async () => {
    const all = await got<Survey>('/survey');
    const itemNo = all.names.filter((row) => row.name === 'Item no').map(({ kind, files, filled, distinct }) => ({ kind, files, filled, distinct }));
    expect(itemNo).toEqual([
      { kind: 'assembly', files: 4, filled: 4, distinct: 4 },
      { kind: 'drawing', files: 8, filled: 8, distinct: 8 },
      { kind: 'other', files: 2, filled: 2, distinct: 2 },
      { kind: 'part', files: 21, filled: 21, distinct: 21 },
    ]);
    const limited = await got<Survey>('/survey', { folder: 'inherited' });
    expect(limited.names.filter((row) => row.name === 'Item no')).toEqual(all.names.filter((row) => row.name === 'Item no'));
    expect(limited.names.some((row) => row.name === 'Roast batch size')).toBe(false);
    expect(all.names.find((row) => row.name === 'Weight')).toMatchObject({ kind: 'part', guess: { type: 'number', unit: 'lb' } });
    expect(all.names.find((row) => row.name === 'Greased')).toMatchObject({ level: 'occurrence', files: 1, distinct: 2 });
    expect(all.names.find((row) => row.name === 'Surface' && row.kind === 'part')).toMatchObject({ standIns: 3 });
  });

  it('says how far names are filled by folder, class and level', async () => {
    const byFolder = await got<Coverage>('/survey/coverage', { by: 'folder' });
    const at = byFolder.columns.findIndex((column) => column.label.endsWith('inherited/DR-5/models'));
    // 18 parts and 4 assemblies; 4 parts use another name.
    expect(byFolder.columns[at]!.files).toBe(22);
    expect(byFolder.rows.find((row) => row.name === 'Descr')!.cells[at]).toEqual({ files: 20, filled: 20, standIns: 0 });
    const limited = await got<Coverage>('/survey/coverage', { by: 'kind', where: [{ subject: 'value', name: 'Vendor', operator: 'is filled' }] });
    expect(limited.columns).toEqual([{ key: 'part', label: 'part', files: 5 }]);
    const records = await got<Coverage>('/survey/coverage', { of: 'record fields', by: 'kind' });
    const parts = records.columns.findIndex((column) => column.key === 'part');
    const counted = await rule.db.one<{ files: number; filled: number }>(
      `SELECT count(*)::int AS files, count(nullif(r.record->>'Material', ''))::int AS filled FROM vault_records r WHERE r.kind = 'part'`,
    );
    expect(records.columns[parts]!.files).toBe(counted!.files);
    expect(records.rows.find((row) => row.name === 'Material')!.cells[parts]).toEqual({ files: counted!.files, filled: counted!.filled, standIns: 0 });
    const [some] = (
      await got<FilesPage>('/survey/files', { where: [{ subject: 'record field', name: 'Number', operator: 'is', text: 'DR15-131' }], offset: 0, limit: 5 })
    ).rows;
    expect(some!.path).toBe('DR-15/parts/slide-gate.step');
    await rule.db.run(
      `UPDATE vault_records SET record = record || jsonb_build_object('Mass kg', CASE WHEN path LIKE '%gate%' THEN '5,4' ELSE '12' END) WHERE path ~ '(gate|drum)'`,
    );
    const light = await got<FilesPage>('/survey/files', {
      where: [{ subject: 'record field', name: 'Mass kg', operator: '<', text: '5,5' }],
      offset: 0,
      limit: 50,
    });
    expect(light.rows.map((row) => row.path)).toEqual(['DR-15/parts/slide-gate.step']);
    expect((await okafor.get('/survey/coverage?of=record+fields&by=level')).body as Problem).toMatchObject({ code: 'no-levels' });
    // Derived values must not depend on what the vault can change.
    const byRecord = { classes: [{ name: 'x', statedMass: false, clauses: [{ subject: 'record field', name: 'Number', operator: 'is filled' }] }] };
    expect((await varga.put('/classes', byRecord)).status).toBe(400);
    const levels = await got<Coverage>('/survey/coverage', { by: 'level' });
    expect(levels.columns.map((column) => column.key)).toContain('occurrence');
  });

  it('finds twins with their reasons, and values under another name', async () => {
    const twins = await got<TwinRow[]>('/survey/twins');
    const material = twins.find((group) => group.names.some((row) => row.name === 'Matl'))!;
    expect(material.names.map((row) => row.name).sort()).toEqual(['Material', 'Material ', 'Matl', 'Matl ']);
    expect(material.reasons).toEqual(['case or blanks', 'abbreviation']);
    expect(material.names[0]!.property).toBe(await rule.property('Material'));
    const others = await got<OtherName[]>('/survey/other-names');
    expect(others.filter((row) => row.property === material.names[0]!.property).map(({ name, differs }) => [name, differs])).toEqual(
      expect.arrayContaining([
        ['Material ', 'blanks'],
        ['Matl', 'wording'],
      ]),
    );
  });

  it('drafts properties from strays', async () => {
    const answer = await varga.post('/survey/drafts', { names: ['Weight', 'Rev', 'Material '] });
    const [weight, rev, material] = answer.body as FoundDraft[];
    expect(weight!.draft).toMatchObject({ writtenName: 'Weight', type: 'number', unit: 'lb', kinds: ['part'] });
    expect(rev).toMatchObject({ files: 30, problems: [] });
    expect(material!.problems[0]).toContain('The schema already has');
    expect(((await varga.post('/survey/drafts', { names: ['nothing of the kind'] })).body as Problem).code).toBe('unknown-name');
  });

  it('keeps a survey and tells afterwards what got better', async () => {
    const kept = (await okafor.post('/surveys', { title: 'before', folder: 'DR-15/parts' })).body as SurveyRow;
    await okafor.post('/tray', { values: [{ file: await rule.file('bean-hopper.step'), property: await rule.property('Finish'), text: 'brushed' }] });
    const { changeSet } = await apply();
    const { names, files } = await got<SurveyComparison>(`/surveys/${kept.id}/comparison`);
    expect(files).toBe(kept.files);
    expect(names.filter((row) => JSON.stringify(row.then) !== JSON.stringify(row.now))).toEqual([
      { name: 'Finish', then: { files: 10, filled: 9, standIns: 1 }, now: { files: 11, filled: 10, standIns: 1 } },
    ]);
    await revert(changeSet);
    expect((await haas.post('/surveys', { title: 'x' })).status).toBe(403);
  });
});

describe('values and files', () => {
  it('looks at the values of one name', async () => {
    const found = await got<FoundValues>('/survey/values', { name: 'Matl' });
    expect(found).toMatchObject({ files: 16, blank: 0, distinct: 14 });
    const steel = found.picture.clusters.find((cluster) => cluster.values.includes('mild steel'))!;
    expect([...steel.values].sort()).toEqual(['MS', 'Mild Steel', 'Mild steel', 'mild  steel', 'mild steel'].sort());
    const dates = await got<FoundValues>('/survey/values', { name: 'Issue date', kind: 'drawing' });
    expect(dates.picture.byType).toEqual({ number: 0, date: 6, 'yes/no': 0, text: 1 });
    expect(dates.picture.unreadable.map((entry) => entry.text)).toEqual(['June 2019']);
  });

  const paths = async (query: object) => (await got<FilesPage>('/survey/files', query)).rows.map((row) => row.path);
  const clause = (operator: string, name: string, text = '') => ({ where: [{ subject: 'value', name, operator, text }] });

  it('finds files by any value, numbers and dates by size', async () => {
    const heavy = await got<FilesPage>('/survey/files', { ...clause('≥', 'Weight', '9'), name: 'Weight' });
    expect(heavy.rows.length).toBeGreaterThan(0);
    for (const row of heavy.rows) expect(parseFloat(row.values[0]!)).toBeGreaterThanOrEqual(9);
    expect(await paths(clause('≥', 'Date of issue', '2026-08-20'))).toEqual([
      'DR-15/drawings/DR15-115 agitator arm.dxf',
      'DR-15/drawings/DR15-200 drum unit.dxf',
    ]);
    expect(await paths(clause('is a stand-in', 'Surface'))).toEqual([
      'inherited/DR-5/models/F5-012.stp',
      'inherited/DR-5/models/F5-022.stp',
      'inherited/DR-5/models/F5-030.stp',
    ]);
    expect(await paths({ ...clause('is blank', 'Finish'), folder: 'DR-15/parts' })).toEqual([
      'DR-15/parts/bean-hopper.step',
      'DR-15/parts/burner-rail.step',
      'DR-15/parts/drum-shaft.step',
      'DR-15/parts/gear-motor.step',
    ]);
    expect(
      await paths({
        where: [
          { subject: 'field', name: 'author', operator: 'is', text: 'R. Lindqvist' },
          { subject: 'file name', operator: 'starts with', text: 'hex' },
        ],
      }),
    ).toEqual(['bought parts/hex-bolt-m8x25.step']);
    // Pattern characters in names are literal.
    expect(await paths(clause('contains', 'Matl', '%'))).toEqual([]);
    expect((await okafor.get(`/survey/files?where=${encodeURIComponent('[{"subject":"value"}]')}`)).status).toBe(400);
    expect((await okafor.get('/survey/files?where=x')).status).toBe(400);
  });

  it('the quick search covers the properties that say so', async () => {
    expect(await paths({ search: 'Ostrelle' })).toHaveLength(2);
    await rule.amend('Supplier', { searched: false });
    expect(await paths({ search: 'Ostrelle' })).toEqual(['inherited/DR-5/purchased/V-6202.stp']);
    await rule.amend('Supplier', { searched: true });
  });

  it('tells what stands twice and what cannot be found', async () => {
    const remarks = await got<Remark[]>('/survey/remarks');
    const about = (word: string) => remarks.filter((remark) => remark.about === word).map((remark) => remark.path);
    expect(about('same name')).toEqual(
      expect.arrayContaining(['bought parts/gear-motor.step', 'DR-15/parts/gear-motor.step', 'inherited/projects/Halden Mill/thermocouple.step']),
    );
    expect(about('cannot be read')).toEqual([]);
  });

  it('one page knows everything about a file', async () => {
    const bearing = await got<FileDetails>(`/files/${await rule.file('bought parts/drum-bearing.step')}`);
    // The roaster's file contains the complete drum unit.
    expect(bearing.usedIn.map(({ path, times }) => [path, times])).toEqual([
      ['DR-15/assemblies/drum-unit.step', 2],
      ['DR-15/assemblies/roaster.step', 2],
    ]);
    const drum = await got<FileDetails>(`/files/${await rule.file('assemblies/drum-unit.step')}`);
    expect(drum.drawings.map((row) => row.path)).toEqual(['DR-15/drawings/DR15-200 drum unit.dxf']);
    expect(drum.holders.filter((holder) => holder.level === 'occurrence' && holder.values.length).map((holder) => holder.label)).toEqual([
      'bearing front',
      'bearing rear',
    ]);
    const inch = await got<FileDetails>(`/files/${await rule.file('F5-072.dxf')}`);
    // 130 × 12 mm on a sheet in inches.
    expect(inch.sheets.flatMap((sheet) => sheet.outlines).find((outline) => outline.layer === 'VIEW')!.area).toBeCloseTo((130 * 12) / 25.4 ** 2, 3);
  });
});

describe('classes', () => {
  it('sorts files by conditions, the first that holds', async () => {
    const classes = [
      { name: 'purchase', clauses: [{ subject: 'folder', operator: 'contains', text: 'purchased' }], statedMass: true },
      { name: 'heavy', clauses: [{ subject: 'value', name: 'Weight', operator: '>', text: '9' }], statedMass: false },
      { name: 'part', clauses: [{ subject: 'kind', operator: 'is', text: 'part' }], statedMass: false },
    ];
    const before = (await varga.get('/classes')).body as ClassRow[];
    const rows = (await varga.put('/classes', { classes })).body as ClassRow[];
    const heavy = (await got<FilesPage>('/survey/files', { where: [{ subject: 'value', name: 'Weight', operator: '>', text: '9' }] })).total;
    expect(rows.map(({ name, files }) => [name, files])).toEqual([
      ['purchase', 3],
      ['heavy', heavy],
      ['part', 40 - 3 - heavy],
    ]);
    expect((await got<FilesPage>('/survey/files', { class: rows[0]!.id })).rows.every((row) => row.class === 'purchase')).toBe(true);
    expect((await got<Survey>('/survey', { class: rows[0]!.id })).names.find((row) => row.name === 'Vendor')!.files).toBe(3);
    expect((await okafor.put('/classes', { classes })).status).toBe(403);
    await varga.put('/classes', { classes: before.map(({ files: _files, ...row }) => row) });
  });
});

describe('cleaning up', () => {
  const everything = { filter: {}, levels: [], chosen: [] };
  const preview = async (action: object, more: object = {}) =>
    (await okafor.post('/clean-up/preview', { ...everything, action, ...more })).body as CleanUpPreview;

  it('merges twins: preview, tray, files, revert to the byte', async () => {
    const action = { do: 'merge', names: ['Matl', 'Matl ', 'Material '], to: 'Material', clash: 'keep the filled one' };
    const seen = await preview(action);
    // 17 DR-5 parts and one of the DR-15, two lines each.
    expect(seen).toMatchObject({ lines: 36, files: 18, going: 0, clashes: 0, skipped: [] });
    expect(seen.violationSample[0]!.message).toContain('is not among the choices');
    const before = new Map(['F5-001.stp', 'F5-050.stp', 'cooling-tray.step'].map((name) => [name, rule.bytes(name)]));
    expect((await okafor.post('/clean-up/tray', { ...everything, action })).body).toEqual({ lines: 36 });
    const report = await apply();
    expect(report).toMatchObject({ state: 'applied', failed: 0 });
    const names = (await got<Survey>('/survey')).names.map((row) => row.name);
    expect(names).not.toContain('Matl');
    expect(names).not.toContain('Material ');
    expect(rule.bytes('cooling-tray.step').includes("'Material '")).toBe(false);
    const checked = await got<AppliedCheck>(`/history/${report.changeSet}/check`);
    expect(checked).toEqual({ lines: report.applied, asMeant: report.applied, different: [], unreadable: [] });
    expect((await revert(report.changeSet)).state).toBe('applied');
    for (const [name, bytes] of before) expect([name, rule.bytes(name).equals(bytes)]).toEqual([name, true]);
    expect((await got<Survey>('/survey')).names.map((row) => row.name)).toContain('Matl');
  });

  it('the check names what another program has changed after applying', async () => {
    const file = await rule.file('F5-071.stp');
    await okafor.post('/clean-up/tray', { ...everything, filter: { search: 'F5-071' }, action: { do: 'case', name: 'Matl', style: 'upper' } });
    const { changeSet } = await apply();
    const path = join(rule.library, 'inherited/DR-5/models/F5-071.stp');
    const kept = readFileSync(path);
    writeFileSync(path, kept.toString('latin1').replace("'BEECH'", "'OAK'"), 'latin1');
    expect((await got<AppliedCheck>(`/history/${changeSet}/check`)).different).toEqual([
      { file, path: 'inherited/DR-5/models/F5-071.stp', name: 'Matl', meant: 'BEECH', found: 'OAK' },
    ]);
    writeFileSync(path, kept);
    await revert(changeSet);
  });

  it('leaves clashes until somebody chooses', async () => {
    const merge = { do: 'merge', names: ['Vendor no'], to: 'Vendor', clash: 'ask' };
    expect((await preview(merge)).clashes).toBe(4);
    const chosen = [{ file: await rule.file('V-M6.stp'), holder: '', name: 'Vendor no' }];
    const settled = await preview(merge, { chosen });
    expect(settled).toMatchObject({ clashes: 3, lines: 2, going: 1 });
  });

  it('skips released files and files that another program holds open, with the reason', async () => {
    writeFileSync(join(rule.library, 'DR-15/parts/.~lock.drum.step#'), 'somebody');
    const seen = await preview({ do: 'case', name: 'Finish', style: 'upper' }, { filter: { folder: 'DR-15/parts' } });
    expect(seen.skipped.map(({ path, message }) => [path, message]).sort()).toEqual([
      ['DR-15/parts/chimney-stub.step', 'The file is released in the vault.'],
      ['DR-15/parts/drum.step', 'The file is open in another program.'],
    ]);
    expect(seen.sample.map((line) => line.path)).not.toContain('DR-15/parts/drum.step');
    writeFileSync(join(rule.library, 'DR-15/parts/.~lock.drum.step#'), '');
    rmSync(join(rule.library, 'DR-15/parts/.~lock.drum.step#'));
  });

  it('replaces a cluster, converts a unit, removes at one level, and refuses what it cannot do', async () => {
    const replaced = await preview({ do: 'replace', name: 'Surface', values: ['Brushed', 'BRUSHED'], by: 'brushed' });
    expect(replaced).toMatchObject({ lines: 2, files: 2 });
    const converted = await preview({ do: 'convert', name: 'Weight', unit: 'kg' });
    expect(converted.leftOut).toBe(0);
    expect(converted.sample[0]!.after).toMatch(/ kg$/);
    expect(await preview({ do: 'remove', names: ['Greased'] }, { levels: ['document'] })).toMatchObject({ lines: 0 });
    expect(await preview({ do: 'remove', names: ['Greased'] }, { levels: ['occurrence'] })).toMatchObject({ lines: 2, going: 2 });
    expect(((await okafor.post('/clean-up/tray', { ...everything, action: { do: 'remove', names: ['nothing'] } })).body as Problem).code).toBe('nothing-to-do');
    expect(
      ((await okafor.post('/clean-up/preview', { ...everything, action: { do: 'merge', names: ['Descr'], to: 'Saved by', clash: 'ask' } })).body as Problem)
        .code,
    ).toBe('computed');
    expect((await okafor.post('/clean-up/preview', { ...everything, action: { do: 'explode' } })).status).toBe(400);
    expect((await haas.post('/clean-up/tray', { ...everything, action: { do: 'trim', name: 'Descr' } })).status).toBe(403);
  });

  it('copies chosen values from one file to many', async () => {
    const from = await rule.file('F5-001.stp');
    const answer = await okafor.post('/clean-up/copy', { from, names: ['Surface', 'Matl'], to: { folder: 'inherited/DR-5/purchased' } });
    expect(answer.body).toEqual({ lines: 6, skipped: 0 });
    expect(new Set((await tray()).lines.map((line) => line.path)).size).toBe(3);
    expect(((await okafor.post('/clean-up/copy', { from, names: ['Surface'] })).body as Problem).code).toBe('no-target');
  });

  it('keeps values beside files that hold none themselves', async () => {
    const scan = await rule.file('gas approval.pdf');
    const [property] = await rule.define({ ...newDraft('Approval'), kinds: ['other'], maxLength: 30 });
    const bytes = rule.bytes('gas approval.pdf');
    await okafor.post('/tray', { values: [{ file: scan, property, text: 'G-2041' }] });
    const report = await apply();
    expect(report).toMatchObject({ state: 'applied', applied: 1 });
    expect(rule.bytes('gas approval.pdf').equals(bytes)).toBe(true);
    const values = async () => (await got<FileDetails>(`/files/${scan}`)).holders.flatMap((holder) => holder.values.map(({ name, held }) => [name, held.text]));
    expect(await values()).toContainEqual(['Approval', 'G-2041']);
    await rule.services.scanner.rescan();
    expect(await values()).toContainEqual(['Approval', 'G-2041']);
    expect(await got<AppliedCheck>(`/history/${report.changeSet}/check`)).toMatchObject({ lines: 1, asMeant: 1 });
    await revert(report.changeSet);
    expect(await values()).not.toContainEqual(['Approval', 'G-2041']);
  });

  it('what is kept beside files and what is looked up are the same, whatever is written, changed and taken away', async () => {
    const scans = (await rule.db.all<{ id: number }>(`SELECT id FROM files WHERE format = 'other' AND NOT removed ORDER BY path`)).map((row) => row.id);
    expect(scans.length).toBeGreaterThan(1);
    const [kept, state, length] = await rule.define(
      { ...newDraft('Kept in'), kinds: ['other'], maxLength: 60 },
      { ...newDraft('Condition'), kinds: ['other'], maxLength: 60 },
      { ...newDraft('Sheet length'), kinds: ['other'], type: 'number', unit: 'mm', decimals: 1 },
    );
    /** Both tables, value by value. */
    const both = async () => {
      const [beside, held] = await Promise.all([
        rule.db.all(`SELECT file_id, name, text, form, unit FROM beside_values WHERE file_id = ANY($1::int[]) ORDER BY 1, 2`, [scans]),
        rule.db.all(
          `SELECT file_id, name, text, form, unit FROM held_values WHERE place = 'property' AND holder = '' AND file_id = ANY($1::int[]) ORDER BY 1, 2`,
          [scans],
        ),
      ]);
      expect(held).toEqual(beside);
      return held;
    };
    const before = await both();
    const write = async (...values: { file: number; property: number; text: string }[]) => {
      expect((await okafor.post('/tray', { values })).status).toBe(200);
      const report = await apply();
      expect([report.state, report.applied]).toEqual(['applied', values.length]);
      await both();
      return report.changeSet;
    };
    const first = await write(
      ...scans.flatMap((file, n) => [
        { file, property: kept!, text: `drawer ${n}` },
        { file, property: length!, text: '297' },
      ]),
    );
    const second = await write({ file: scans[0]!, property: kept!, text: 'cellar, "left"\\' }, { file: scans[1]!, property: state!, text: 'dry' });
    expect(
      await rule.db.all(
        `SELECT text, stand_in, unit, number FROM held_values WHERE file_id = ANY($1::int[]) AND name IN ('Condition', 'Sheet length') ORDER BY name, file_id LIMIT 2`,
        [scans],
      ),
    ).toEqual([
      { text: 'dry', stand_in: false, unit: null, number: null },
      { text: '297', stand_in: false, unit: 'mm', number: 297 },
    ]);
    const gone = await write({ file: scans[0]!, property: kept!, text: '' });
    for (const set of [gone, second, first]) {
      await revert(set);
      await both();
    }
    expect(await both()).toEqual(before);
  });

  it('writes custom properties into office documents', async () => {
    const offer = rule.bytes('offer.docx');
    await okafor.post('/clean-up/tray', { ...everything, action: { do: 'merge', names: ['Document type'], to: 'Kind of document', clash: 'ask' } });
    const { changeSet, files } = await apply();
    expect(files).toBe(3);
    expect((await got<FilesPage>('/survey/files', { where: [{ subject: 'value', name: 'Kind of document', operator: 'is', text: 'offer' }] })).total).toBe(1);
    expect(await revert(changeSet)).toMatchObject({ state: 'applied', failures: [] });
    expect(rule.bytes('offer.docx').equals(offer)).toBe(true);
  });
});

describe('surveys as tables', () => {
  const csv = async (body: object) => {
    const answer = await okafor
      .post('/survey/table', body)
      .buffer(true)
      .parse((response, done) => {
        const chunks: Buffer[] = [];
        response.on('data', (chunk: Buffer) => chunks.push(chunk));
        response.on('end', () => done(null, Buffer.concat(chunks)));
      });
    expect(answer.status).toBe(200);
    return readCsv(new Uint8Array(answer.body as Buffer)).rows.map((row) => row.map((cell) => cell.text));
  };

  const cellsOf = async (view: TakeBackView) => (await got<CellPage>(`/exchange/take-backs/${view.takeBack.id}/cells`, { offset: 0, limit: 500 })).cells;

  it('of files that hold nothing yet go out with what the schema asks of them', async () => {
    await rule.db.run(
      `UPDATE held_values v SET name = 'hidden ' || v.name, place = 'fact' FROM files f WHERE f.id = v.file_id AND f.folder = 'inherited/projects/Tern Street' AND v.place = 'property'`,
    );
    const rows = await csv({ format: 'csv', filter: { folder: 'inherited/projects/Tern Street' }, names: [] });
    expect(rows.length).toBeGreaterThan(1);
    expect(rows[0]).toEqual(expect.arrayContaining(['Rule identity', 'File', 'Part number', 'Description', 'Material']));
    expect(rows[0]).not.toContain('Saved by');
    await rule.db.run(`UPDATE held_values v SET name = substring(name from 8), place = 'property' WHERE name LIKE 'hidden %'`);
  });
  it('one row a file, one column a name, filled in and taken back', async () => {
    const rows = await csv({ format: 'csv', filter: { folder: 'inherited/DR-5/models', kind: 'part' }, names: [] });
    const header = rows[0]!;
    expect(header.slice(0, 2)).toEqual(['Rule identity', 'File']);
    expect(header).toEqual(expect.arrayContaining(['Descr', 'Matl', 'Matl ', 'Weight', 'REV']));
    expect(rows).toHaveLength(19);
    const at = (name: string) => header.indexOf(name);
    const gate = rows.find((row) => row[1]!.endsWith('F5-021.stp'))!;
    expect([gate[at('Descr')], gate[at('Surface')]]).toEqual(['slide gate with handle, for hopper with sight glass and service opening', '']);
    gate[at('Descr')] = 'slide gate';
    gate[at('Surface')] = 'brushed';
    gate[at('Weight')] = '0.4';
    const view = (await okafor.upload('/exchange/take-backs', 'survey.csv', new TextEncoder().encode(writeCsv(rows)))).body as TakeBackView;
    expect(view.issues).toEqual([]);
    expect(view.takeBack.counts).toMatchObject({ change: 3, error: 0, conflict: 0, notTaken: 0, total: 18 * (header.length - 2) });
    expect((await cellsOf(view)).map((cell) => [cell.name, cell.verdict]).sort()).toEqual([
      ['Descr', 'change'],
      ['Surface', 'change'],
      ['Weight', 'change'],
    ]);
    await okafor.post(`/exchange/take-backs/${view.takeBack.id}/tray`);
    const { changeSet, applied } = await apply();
    expect(applied).toBe(3);
    const details = await got<FileDetails>(`/files/${await rule.file('F5-021.stp')}`);
    const held = Object.fromEntries(details.holders[0]!.values.map((value) => [value.name, value.held]));
    expect(held['Descr']).toEqual({ text: 'slide gate', form: 'text' });
    expect(held['Weight']).toEqual({ text: '0.4', form: 'measure', unit: 'lb' });
    // The same file again changes nothing.
    const again = (await okafor.upload('/exchange/take-backs', 'survey.csv', new TextEncoder().encode(writeCsv(rows)))).body as TakeBackView;
    expect(again.takeBack.counts).toMatchObject({ change: 0, same: 3 });
    await revert(changeSet);
  });

  it('a cell that somebody changed meanwhile is a conflict; a copy of another send-out is told apart', async () => {
    const filter = { folder: 'inherited/DR-5/models', search: 'F5-070' };
    const first = await csv({ format: 'csv', filter, names: ['Matl', 'Surface'] });
    const second = await csv({ format: 'csv', filter, names: ['Surface', 'Rev'] });
    await okafor.post('/clean-up/tray', { ...everything(), filter, action: { do: 'case', name: 'Surface', style: 'upper' } });
    const { changeSet } = await apply();
    first[1]![first[0]!.indexOf('Surface')] = 'polished';
    second[1]![second[0]!.indexOf('Rev')] = 'B';
    const clash = (await okafor.upload('/exchange/take-backs', 'a.csv', new TextEncoder().encode(writeCsv(first)))).body as TakeBackView;
    expect((await cellsOf(clash)).map((cell) => [cell.name, cell.verdict, cell.base?.text, cell.current?.text])).toEqual([
      ['Surface', 'conflict', 'brushed', 'BRUSHED'],
    ]);
    const other = (await okafor.upload('/exchange/take-backs', 'b.csv', new TextEncoder().encode(writeCsv(second)))).body as TakeBackView;
    expect((await cellsOf(other)).map((cell) => [cell.name, cell.verdict])).toEqual([['Rev', 'change']]);
    await revert(changeSet);
  });
});
const everything = () => ({ filter: {}, levels: [], chosen: [] });

describe('foreign names', () => {
  it('brings values over with conversions and conditions, says what does not arrive, and checks it afterwards', async () => {
    const [material, mass, description] = await Promise.all(['Material', 'Mass', 'Description'].map((name) => rule.property(name)));
    const words = {
      do: 'words',
      pairs: [
        { theirs: 'mild steel', ours: 'S235JR' },
        { theirs: 'MS', ours: 'S235JR' },
        { theirs: '304 stainless', ours: '1.4301' },
      ],
      others: 'refuse',
    };
    const rows = [
      { from: 'Weight', to: mass, convert: { do: 'from unit', unit: 'lb' }, where: [] },
      { from: 'Matl', to: material, convert: words, where: [{ subject: 'folder', operator: 'is', text: 'inherited/DR-5/models' }] },
      { from: 'Descr', to: description, convert: { do: 'as it is' }, where: [] },
    ];
    const saved = (await okafor.post('/foreign', { name: 'DR-5', rows })).body as { id: number };
    expect((await okafor.post('/foreign', { name: 'DR-5', rows })).status).toBe(409);
    const request = { rows, filter: { folder: 'inherited' }, clash: 'keep ours', keep: false };
    const seen = (await okafor.post('/foreign/preview', request)).body as ForeignPreview;
    for (const row of seen.rows) expect(row.values).toBe(row.arrive + row.same + row.blank + row.refused + row.kept);
    const [weight, matl, descr] = seen.rows;
    expect(weight).toMatchObject({ values: 18, arrive: 18 });
    // "mild steel" in its spellings, MS and 304 stainless; glass, beech, rubber and other wordings are refused.
    expect(matl).toMatchObject({ values: 16, arrive: 7, refused: 9 });
    expect(descr).toMatchObject({ values: 23, refused: 1 });
    expect(seen.refused.find((entry) => entry.from === 'Descr')!.message).toContain('may have 40 characters');
    expect(seen.unmapped.map((entry) => entry.name)).toEqual(expect.arrayContaining(['Item no', 'Surface', 'Rev']));
    expect(seen.sample.find((line) => line.from === 'Weight')).toMatchObject({ before: null });

    expect((await okafor.post('/foreign/tray', request)).status).toBe(200);
    const report = await apply();
    expect(report.state).toBe('applied');
    expect(await got<AppliedCheck>(`/history/${report.changeSet}/check`)).toMatchObject({ lines: report.applied, asMeant: report.applied });
    const plate = await got<FileDetails>(`/files/${await rule.file('F5-001.stp')}`);
    const held = Object.fromEntries(plate.holders[0]!.values.filter((value) => value.place === 'property').map((value) => [value.name, value.held]));
    expect(held['Material']).toEqual({ text: 'S235JR', form: 'text' });
    expect(held['Matl']).toBeUndefined();
    const lb = seen.sample.find((line) => line.path.endsWith('F5-001.stp') && line.from === 'Weight')!;
    // Pounds to kilograms (NIST SP 811, appendix B).
    expect(Number(held['Mass']!.text)).toBeCloseTo(parseFloat(lb.theirs) * 0.45359237, 3);
    // Once brought over, nothing is left.
    expect(((await okafor.post('/foreign/preview', request)).body as ForeignPreview).rows[0]).toMatchObject({ values: 0 });
    await revert(report.changeSet);
    expect((await okafor.delete(`/foreign/${saved.id}`)).status).toBe(200);
    expect(((await okafor.post('/foreign/preview', { ...request, rows: [{ ...rows[0], to: await rule.property('Saved by') }] })).body as Problem).code).toBe(
      'computed',
    );
    const twice = { ...request, rows: [rows[2], { from: 'Item no', to: description, convert: { do: 'as it is' }, where: [] }], keep: true };
    expect(((await okafor.post('/foreign/preview', twice)).body as ForeignPreview).refused.some((entry) => entry.message.startsWith('another row gives'))).toBe(
      true,
    );
  });

  it('learns bindings and meanings from the library, with the exceptions', async () => {
    const { cells, names } = await got<Learned>('/survey/learned');
    const revision = cells.find((cell) => cell.block === 'MRW-TITLE' && cell.tag === 'REV')!;
    expect(revision).toMatchObject({ source: 'drawing', agree: 3, compared: 4, exceptionCount: 1 });
    expect(revision.exceptions[0]).toMatchObject({ path: 'DR-15/drawings/face-plate.dxf', reason: 'stale', text: 'A', wanted: 'B' });
    const matl = names.find((row) => row.name === 'Matl')!;
    expect(matl).toMatchObject({ property: await rule.property('Material'), reasons: expect.arrayContaining(['abbreviation']), files: 16 });
  });
});

describe('the command line', () => {
  it('surveys and checks a library with a token, and is refused without', async () => {
    const { token, id } = (await okafor.post('/tokens', { name: 'nightly check' })).body as NewToken;
    const call = async (args: string[], env: Record<string, string> = { RULE_TOKEN: token }) => {
      let [out, err] = ['', ''];
      const code = await run(
        [...args, '--server', rule.url],
        env,
        (text) => (out += text),
        (text) => (err += text),
      );
      return { code, out, err };
    };
    const survey = await call(['survey', '--library', 'Workshop', '--output', 'json']);
    expect(survey.code).toBe(0);
    const found = JSON.parse(survey.out) as { name: string; kind: string; files: number }[];
    expect(found.find((row) => row.name === 'Item no' && row.kind === 'part')!.files).toBe(21);
    const check = await call(['check', '--library', 'Workshop', '--output', 'csv']);
    expect(check.code).toBe(2);
    expect(check.out).toContain('cooling-tray.step,error,nearly,"Material ",');
    expect(check.out).toContain('slide-gate.step,error,required,Material');
    // A local folder checked by the server's schema gives the same errors.
    const folder = await call(['check', rule.library, '--output', 'csv']);
    const errors = (text: string) =>
      text
        .split('\r\n')
        .filter((line) => line.includes(',error,'))
        .sort();
    expect(errors(folder.out)).toEqual(errors(check.out).filter((line) => !line.includes('.pdf')));
    expect(await call(['survey', '--library', 'Nowhere'])).toMatchObject({ code: 3, err: expect.stringContaining('There is: Workshop') });
    expect(await call(['survey', '--library', 'Workshop'], {})).toMatchObject({ code: 3, err: expect.stringContaining('RULE_TOKEN') });
    expect((await okafor.get('/tokens')).body).toEqual([expect.objectContaining({ name: 'nightly check', usedAt: expect.any(String) })]);
    expect(JSON.stringify(await rule.db.all('SELECT * FROM api_tokens'))).not.toContain(token);
    await okafor.delete(`/tokens/${id}`);
    expect(await call(['survey', '--library', 'Workshop'])).toMatchObject({ code: 3, err: expect.stringContaining('not valid') });
  });

  it('a token carries the role of its person and needs no token of a session', async () => {
    const { token } = (await haas.post('/tokens', { name: 'x' })).body as NewToken;
    const ask = (method: string, path: string, body?: object) =>
      fetch(`${rule.url}/api${path}`, {
        method,
        headers: { authorization: `Bearer ${token}`, 'content-type': 'application/json' },
        ...(body ? { body: JSON.stringify(body) } : {}),
      });
    expect((await ask('GET', '/survey')).status).toBe(200);
    expect((await ask('POST', '/surveys', { title: 'x' })).status).toBe(403);
    const okaforsToken = ((await okafor.post('/tokens', { name: 'y' })).body as NewToken).id;
    expect((await haas.delete(`/tokens/${okaforsToken}`)).status).toBe(404);
  });
});
