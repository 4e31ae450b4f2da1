import { execFileSync } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { BlockView, CheckPage, CheckRow, FillData, GridPage, Overview, RolloutRow, SheetPage, Tray } from '@rule/contract';
import { Filling, planSections, unpackFill } from '@rule/core/forms';
import { formatOf } from '@rule/core/files';
import { Binding, PLAIN_CELL, PreparedSchema, groundOn, newDraft, newSheetArea } from '@rule/core/schema';
import { DEFAULT_STAND_INS, compileStandIns } from '@rule/core/values';
import { UNWATCHED } from '../src/jobs/jobs';
import { Person, Rule, startRule } from './harness';

/** A sheet with two rooms, in feet, and title block cells for scale and floor. */
const DRAW = `
import sys, ezdxf
doc = ezdxf.new('R2010')
doc.units = ezdxf.units.FT
msp = doc.modelspace()
for layer, w, h, x in (('ROOM', 12, 10, 0), ('TERRACE', 3, 3, 20)):
    msp.add_lwpolyline([(x, 0), (x + w, 0), (x + w, h), (x, h)], dxfattribs={'layer': layer}, close=True)
block = doc.blocks.new('FLOOR-BLOCK')
block.add_attdef('SCALE', (0, 0), text='', height=2.5)
block.add_attdef('FLOOR', (0, 10), text='', height=2.5)
sheet = doc.layout('Layout1')
sheet.add_viewport(center=(150, 100), size=(200, 100), view_center_point=(0, 0), view_height=200)
insert = sheet.add_blockref('FLOOR-BLOCK', (10, 10))
insert.add_attrib('SCALE', '', (10, 10))
insert.add_attrib('FLOOR', '', (10, 20))
doc.header['$CUSTOMPROPERTYTAG'] if False else None
doc.saveas(sys.argv[1])
`;

let rule: Rule;
let varga: Person;
let okafor: Person;
beforeAll(async () => {
  rule = await startRule({
    jobs: true,
    prepareLibrary: (folder) => {
      execFileSync('/usr/bin/python3', ['-c', DRAW, join(folder, 'DR-15/drawings/floor.dxf')]);
    },
  });
  [varga, okafor] = await Promise.all([rule.signIn('varga'), rule.signIn('okafor')]);
});
afterAll(() => rule.stop());

const grid = async (query = '') => (await okafor.get(`/values?limit=1000${query}`).expect(200)).body as GridPage;
const overview = async () => (await okafor.get('/overview').expect(200)).body as Overview;
const toDo = async (finding: string) => (await overview()).toDo.find((entry) => entry.finding === finding)?.count ?? 0;
const check = async () => {
  const library = (await rule.db.one<{ id: number }>('SELECT id FROM libraries ORDER BY id LIMIT 1'))!.id;
  const rows: CheckRow[] = [];
  for (let after: number | null = 0; after !== null;) {
    const page = (await okafor.get(`/check?library=${library}&after=${after}`).expect(200)).body as CheckPage;
    rows.push(...page.rows);
    after = page.last;
  }
  return rows;
};
const apply = () => okafor.apply();
const tray = async () => (await okafor.get('/tray')).body as Tray;
const findingsOf = async (path: string, name: string) => {
  const [{ rows }, property] = [await grid(), await rule.property(name)];
  return rows.find((row) => row.file.path.endsWith(path))!.findings.filter((finding) => finding.property === property);
};

describe('values that are required by a condition, by class or from a state on', () => {
  it('are missing alike in the grid, in forms, in Overview and for a check', async () => {
    const { id } = (await rule.db.one<{ id: number }>(`SELECT id FROM classes ORDER BY position LIMIT 1`)) ?? { id: 0 };
    const className = (await rule.db.one<{ name: string }>('SELECT name FROM classes WHERE id = $1', [id]))?.name ?? '';
    await rule.define(
      { ...newDraft('Coating'), kinds: ['part'], requiredWhen: 'Make or buy = "made"' },
      { ...newDraft('Approval'), kinds: ['part', 'assembly'], requiredFrom: 'released' },
      { ...newDraft('Lead time'), kinds: ['part'], overrides: className ? [{ class: className, required: true }] : [] },
    );
    const names = ['Coating', 'Approval', 'Lead time'];
    const ids = new Set(await Promise.all(names.map((name) => rule.property(name))));
    const page = await grid();
    const inGrid = page.rows
      .flatMap((row) => row.findings.filter((finding) => finding.code === 'required').map((finding) => `${row.file.path} ${finding.property}`))
      .sort();
    expect(inGrid.some((key) => ids.has(Number(key.split(' ').at(-1))))).toBe(true);

    const rows = await check();
    const byName = new Map((await rule.services.properties.list(rule.db)).map((property) => [property.writtenName, property]));
    const inside = (row: CheckRow) => !row.message.startsWith(`${byName.get(row.name ?? '')?.caption ?? ''} `);
    const inCheck = rows
      .filter((row) => row.code === 'required' && !inside(row))
      .map((row) => `${row.path} ${byName.get(row.name!)!.id}`)
      .sort();
    expect(inCheck).toEqual(inGrid);
    // Overview also counts missing values inside files.
    expect(await toDo('missing')).toBe(rows.filter((row) => row.code === 'required').length);

    // A form asking for every property, over each file on its own; see planSections.
    for (const form of (await rule.services.editions.inForce(rule.db)).schema.forms) await rule.services.editions.removeForm(null, form.id);
    await rule.services.editions.bringIntoForce(null, 'without forms', null);
    const files = page.rows.filter((row) => row.file.problem === null).map((row) => row.file.id);
    const data = (await okafor.post('/fill', { files }).expect(200)).body as FillData;
    const unpacked = unpackFill(data.packed);
    const schema = new PreparedSchema(data.schema, groundOn(compileStandIns(DEFAULT_STAND_INS), data.lists, data.states, Date.now() / 1000));
    const inForms = unpacked.files
      .flatMap((file) => {
        const filling = new Filling(planSections([file], data.schema.forms, data.schema.properties, 'apart'), unpacked.wides, schema, 'administrator');
        return filling.view(new Map(), new Map()).panels.flatMap((panel) =>
          panel.inputs
            .filter((entry) => entry.missing > 0 && entry.rows.every((row) => row.id === ''))
            .map((entry) => {
              expect(entry.required).toBe(true);
              return `${file.path} ${entry.property.id}`;
            }),
        );
      })
      .sort();
    expect(inForms).toEqual(inGrid.filter((key) => byName.size > 0 && key !== ''));
  });

  it('can be looked for by what is the matter with them', async () => {
    const missing = await grid('&finding=missing');
    expect(missing.total).toBeGreaterThan(0);
    expect(missing.rows.every((row) => row.findings.some((finding) => finding.code === 'required'))).toBe(true);
    const { total } = await grid();
    expect(missing.total).toBeLessThan(total);
  });

  it('are not missing any more at once when they were applied', async () => {
    const before = await toDo('missing');
    const missing = await grid('&finding=missing');
    const coating = await rule.property('Coating');
    const row = missing.rows.find((candidate) => candidate.file.lock === null && candidate.findings.some((finding) => finding.property === coating))!;
    await okafor.post('/tray', { values: [{ file: row.file.id, property: coating, text: 'oil' }], reason: 'typed' }).expect(200);
    await apply();
    expect(await toDo('missing')).toBe(before - 1);
  });
});

describe('values taken from the sheet', () => {
  const floor = 'floor.dxf';
  beforeAll(async () => {
    await rule.define(
      { ...newDraft('Main scale'), kinds: ['drawing'], feed: 'sheet', sheetFact: 'scale' },
      {
        ...newDraft('Floor area'),
        kinds: ['drawing'],
        type: 'number',
        unit: 'ft²',
        decimals: 1,
        feed: 'sheet',
        sheetFact: 'closed area',
        sheetArea: { ...newSheetArea(), layer: 'ROOM' },
      },
      {
        ...newDraft('Sheet scale'),
        kinds: ['drawing'],
        level: 'sheet',
        feed: 'sheet',
        sheetFact: 'scale',
        homes: { drawing: { place: 'cell', name: 'SCALE' } },
      },
      {
        ...newDraft('Sheet floor'),
        kinds: ['drawing'],
        level: 'sheet',
        type: 'number',
        unit: 'm²',
        decimals: 2,
        feed: 'sheet',
        sheetFact: 'closed area',
        sheetArea: { ...newSheetArea(), layer: 'ROOM' },
      },
    );
  });

  it('are in the grid before anybody has written them, and say so', async () => {
    // 12 × 10 ft on layer ROOM; the terrace is on another.
    expect(await findingsOf(floor, 'Floor area')).toMatchObject([{ code: 'stale', wanted: { text: '120', form: 'measure', unit: 'ft²' } }]);
    expect(await findingsOf(floor, 'Main scale')).toMatchObject([{ code: 'stale', wanted: { text: '1:2' } }]);
    const rollout = (await varga.get('/schema/rollout').expect(200)).body as RolloutRow[];
    expect(rollout.find((row) => row.property > 0)).toBeDefined();
  });

  it('are shown by title blocks that are bound to them, at the document and at the sheet', async () => {
    const file = await rule.file(floor);
    const shows = async (cell: string, name: string, leads: boolean): Promise<Omit<Binding, 'id'>> => ({
      block: 'FLOOR-BLOCK',
      cell,
      leads,
      shows: [{ property: await rule.property(name), from: 'sheet', form: { ...PLAIN_CELL, unit: !leads } }],
    });
    await rule.bind(await shows('SCALE', 'Sheet scale', true), await shows('FLOOR', 'Sheet floor', false));
    const { rows } = (await okafor.get('/title-blocks/sheets?block=floor-block').expect(200)).body as SheetPage;
    const view = (await okafor.get(`/files/${file}/title-block?holder=${encodeURIComponent(rows[0]!.holder)}`).expect(200)).body as BlockView;
    expect(view.cells.map((cell) => [cell.tag, cell.bound?.shown])).toEqual([
      ['SCALE', { state: 'value', text: '1:2' }],
      ['FLOOR', { state: 'value', text: '11.15 m²' }],
    ]);
  });

  it('come into the file by the repair where they are seen, homes in cells included, and follow when the outline changes', async () => {
    const file = await rule.file(floor);
    expect((await okafor.post('/values/up-to-date', { files: [file] }).expect(200)).body).toMatchObject({ lines: 3, barred: 0, blanks: 0 });
    const { lines } = await tray();
    expect(lines.find((line) => line.place === 'cell' && line.name === 'SCALE')).toMatchObject({
      holderLevel: 'sheet',
      holderLabel: 'FLOOR-BLOCK',
      proposed: { text: '1:2' },
    });
    await apply();
    const read = () => formatOf(floor)!.read(rule.bytes(floor));
    const values = () => Object.fromEntries(read().holders.flatMap((holder) => holder.values.map((value) => [value.name, value.held.text])));
    expect(values()).toMatchObject({ 'Floor area': '120', 'Main scale': '1:2', SCALE: '1:2' });
    expect(await findingsOf(floor, 'Floor area')).toEqual([]);
    const full = join(rule.library, 'DR-15/drawings', floor);
    writeFileSync(full, readFileSync(full, 'utf8').replace(/^(\s*10\r?\n)12\.0(\r?)$/gm, '$115.0$2'));
    await rule.services.scanner.rescan();
    expect(await findingsOf(floor, 'Floor area')).toMatchObject([{ code: 'stale', wanted: { text: '150' } }]);
    expect((await check()).filter((row) => row.path.endsWith(floor) && row.code === 'stale').map((row) => [row.severity, row.name])).toContainEqual([
      'warning',
      'Floor area',
    ]);
  });
});

describe('values taken from the model', () => {
  it('go stale when the material changes, everywhere, and a change of material proposes the new mass', async () => {
    await rule.amend('Mass', { feed: 'model', modelFact: 'mass' });
    await rule.services.geometries.measureAll(UNWATCHED);
    const settings = (await varga.get('/settings').expect(200)).body as { densities: { material: string; density: number }[] };
    await varga
      .put('/settings', {
        ...settings,
        densities: [
          { material: '1.4301', density: 7900 },
          { material: '1.4404', density: 790 },
        ],
      })
      .expect(200);
    const drum = await rule.file('parts/drum.step');
    const [mass, material] = [await rule.property('Mass'), await rule.property('Material')];
    await okafor.post('/tray', { values: [{ file: drum, property: material, text: '1.4301' }], reason: 'typed' }).expect(200);
    await okafor.post('/values/up-to-date', { files: [drum], properties: [mass] }).expect((answer) => expect([200, 409]).toContain(answer.status));
    if ((await tray()).counts.lines) await apply();
    expect(await findingsOf('parts/drum.step', 'Mass')).toEqual([]);
    const heavy = Number((await grid()).rows.find((row) => row.file.id === drum)!.held[mass]!.text);
    await okafor.post('/tray', { values: [{ file: drum, property: material, text: '1.4404' }], reason: 'typed' }).expect(200);
    const lighter = (await tray()).lines.find((line) => line.file === drum && line.name === 'Mass')!;
    expect(lighter).toMatchObject({ follows: true, reason: 'taken from the model' });
    expect(Number(lighter.proposed!.text) / heavy).toBeCloseTo(0.1, 3);
    // The assembly that contains the drum gets lighter too.
    expect((await tray()).lines.some((line) => line.path.endsWith('drum-unit.step') && line.name === 'Mass' && line.follows)).toBe(true);
    await okafor.post('/tray/drop', { lines: 'all' }).expect(200);

    // Conversely: a changed density table makes every mass stale.
    const stale = await toDo('stale');
    await varga.put('/settings', { ...settings, densities: [{ material: '1.4301', density: 8000 }] }).expect(200);
    expect(await findingsOf('parts/drum.step', 'Mass')).toMatchObject([{ code: 'stale' }]);
    expect(await toDo('stale')).toBeGreaterThan(stale);
  });
});
