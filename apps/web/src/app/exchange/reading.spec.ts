import { describe, expect, it } from '@jest/globals';
import { ReadingChoice, TableInspection, TakeBackView } from '@rule/contract';
import { ColumnMatch } from '@rule/core/exchange';
import { Stage, property } from '../../test/stage';
import { ExchangeStore } from './exchange.store';
import { TableReading } from './reading';

const column = (at: number, header: string, change: Partial<ColumnMatch> = {}): ColumnMatch => ({
  at,
  header,
  use: 'ignored',
  property: null,
  by: null,
  ask: false,
  message: '',
  ...change,
});
const inspection = (change: Partial<TableInspection> = {}): TableInspection => ({
  format: 'csv',
  encoding: 'windows-1252',
  delimiter: ';',
  decimal: null,
  sheets: [],
  sheet: null,
  headerRow: 1,
  columns: [
    column(0, 'Datei', { use: 'file', by: 'role', message: 'Names the files.' }),
    column(1, 'Lieferant', { use: 'property', property: 2, by: 'likeness', ask: true }),
    column(2, 'Farbe', { ask: true, message: 'Not in the schema.' }),
  ],
  sample: [
    ['drum.step', 'Kaldewei', 'red'],
    ['hopper.step', '', 'green'],
  ],
  rows: 2,
  ambiguous: [],
  asks: ['columns'],
  problem: null,
  ...change,
});
const view = (of: TableInspection): TakeBackView => ({
  takeBack: { id: 3, name: 'liste.csv', by: 'varga', at: '2026-11-25T10:00:00Z', state: 'asking', counts: null, note: null, sendOuts: [] },
  inspection: of,
  issues: [],
  issueCount: 0,
  warnings: [],
  byProperty: [],
  byFolder: [],
  byCode: [],
  ready: 0,
  inTray: 0,
  written: 0,
  open: 0,
  job: null,
});

const staged = async (of: TableInspection, role = 'administrator'): Promise<{ stage: Stage; asked: () => ReadingChoice }> => {
  const stage = new Stage(
    { takeBackReading: () => view(of), takeBackView: view(of) },
    { role, properties: [property(1, 'Description'), property(2, 'Supplier')], providers: [ExchangeStore] },
  );
  await stage.show(TableReading, { view: view(of) });
  stage.fixture.componentRef.injector.get(ExchangeStore).show(view(of));
  return { stage, asked: () => stage.last('takeBackReading')![1] as ReadingChoice };
};

describe('reading a table that came back', () => {
  it('shows what each column is taken for and why, with its first values', async () => {
    const { stage } = await staged(inspection());
    await stage.rested();
    const rows = [...stage.page.querySelectorAll('tbody tr')].map((row) =>
      [...row.querySelectorAll('td')].map((cell) => (cell.querySelector('[role=combobox]') ?? cell).textContent?.trim()),
    );
    expect(rows).toEqual([
      ['Datei', "the file's name or path", 'Names the files.', 'drum.step · hopper.step'],
      ['Lieferant', 'Supplier', 'probably', 'Kaldewei'],
      ['Farbe', 'left out', 'Not in the schema.', 'red · green'],
    ]);
  });

  it('what is shown when somebody goes on is what was agreed to', async () => {
    const { stage, asked } = await staged(inspection());
    await stage.click('Compare');
    expect(asked()).toEqual({ encoding: 'windows-1252', columns: { 1: { use: 'property', property: 2 }, 2: { use: 'ignored' } } });
  });

  it('what was chosen goes before what was guessed; only an administrator may make a draft of a property', async () => {
    const { stage, asked } = await staged(inspection());
    await stage.select('What Farbe is', 'a draft of a new property');
    await stage.select('What Lieferant is', 'Description');
    await stage.tick('take values only where Rule holds none, as for values of an older system', true);
    await stage.click('Compare');
    expect(asked()).toEqual({ encoding: 'windows-1252', columns: { 1: { use: 'property', property: 1 }, 2: { use: 'draft' } }, onlyBlanks: true });
  });

  it('an editor is not offered a draft of a property', async () => {
    const editor = await staged(inspection(), 'editor');
    await expect(editor.stage.select('What Farbe is', 'a draft of a new property')).rejects.toThrow('left out');
  });
  it('a viewer sees it and changes nothing', async () => {
    const { stage } = await staged(inspection(), 'viewer');
    expect(() => stage.button('Compare')).toThrow('no button');
  });

  it('reads again in another encoding without comparing yet, and keeps what was chosen', async () => {
    const { stage, asked } = await staged(inspection({ asks: ['encoding', 'columns'] }));
    expect(stage.text('section[aria-label="File"]')).toContain('please look');
    await stage.select('What Farbe is', 'Description');
    await stage.select('Encoding', 'utf-8');
    expect(asked()).toEqual({ columns: { 2: { use: 'property', property: 1 } }, encoding: 'utf-8', hold: true });
    await stage.select('Decimal sign', 'comma');
    expect(asked()).toMatchObject({ encoding: 'utf-8', decimal: ',', hold: true });
    await stage.select('Decimal sign', 'either');
    expect(asked()).not.toHaveProperty('decimal');
  });

  it('another sheet or header row forgets what was said about the columns', async () => {
    const { stage, asked } = await staged(
      inspection({
        format: 'xlsx',
        encoding: null,
        delimiter: null,
        sheet: 'Parts',
        sheets: [
          { name: 'Parts', ours: true },
          { name: 'Notes', ours: false },
        ],
        asks: ['sheet'],
      }),
    );
    await stage.select('What Farbe is', 'Description');
    await stage.select('Sheet', 'Notes');
    expect(asked()).toEqual({ sheet: 'Notes', hold: true });
    await stage.type('Header in row', '4');
    expect(asked()).toEqual({ sheet: 'Notes', headerRow: 4, hold: true });
  });

  it('a table without a column of files cannot be compared until one is named', async () => {
    const problem = 'No column "Rule identity" or "File" is in the header row, so Rule cannot tell which file each row belongs to.';
    const { stage, asked } = await staged(
      inspection({ columns: [column(0, 'Nummer', { ask: true }), column(1, 'Supplier', { use: 'property', property: 2, by: 'written name' })], problem }),
    );
    expect([stage.text('[role=alert]'), stage.button('Compare').disabled]).toEqual([problem, true]);
    await stage.select('What Nummer is', "the file's name or path");
    expect([stage.text('[role=alert]'), stage.button('Compare').disabled]).toEqual(['', false]);
    await stage.click('Compare');
    expect(asked()).toMatchObject({ columns: { 0: { use: 'file' } } });
  });

  it('a name that several files have waits for an answer; none is an answer too', async () => {
    const files = [
      { id: 11, path: 'DR-15/parts/bracket.step' },
      { id: 12, path: 'inherited/bracket.step' },
    ];
    const { stage, asked } = await staged(
      inspection({
        columns: [inspection().columns[0]!],
        ambiguous: [
          { name: 'bracket.step', rows: 1, files },
          { name: 'plate.step', rows: 3, files },
        ],
        asks: ['rows'],
      }),
    );
    expect(stage.button('Compare').disabled).toBe(true);
    await stage.select('bracket.step, in 1 row', 'inherited/bracket.step');
    expect(stage.button('Compare').disabled).toBe(true);
    await stage.select('plate.step, in 3 rows', 'none: skip these rows');
    await stage.click('Compare');
    expect(asked()).toEqual({ encoding: 'windows-1252', files: { 'bracket.step': 12, 'plate.step': 0 } });
  });
});
