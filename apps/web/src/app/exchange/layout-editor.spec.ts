import { describe, expect, it } from '@jest/globals';
import { LayoutContent, LayoutDraft, WHOLE_LIBRARY } from '@rule/contract';
import { Stage, property } from '../../test/stage';
import { ExchangeStore } from './exchange.store';
import { LayoutEditor } from './layout-editor';

const properties = [
  property(1, 'Description', { caption: 'Description' }),
  property(2, 'Supplier', { caption: 'Supplier' }),
  property(3, 'Order No', { caption: 'Order number' }),
  property(4, 'Sheet title', { caption: 'Sheet title', level: 'sheet', kinds: ['drawing'] }),
];
const answers = {
  filters: { folders: [{ folder: '' }, { folder: 'DR-15/parts' }] },
  classes: [{ id: 7, name: 'Bought part' }],
  projects: [
    { id: 1, level: 'company', name: 'All' },
    { id: 2, level: 'project', name: 'DR-15' },
  ],
  assemblies: [{ id: 9, path: 'DR-15/drum.step' }],
  bomLayouts: [{ id: 3, name: 'Structure' }],
  countRows: { rows: 12 },
  vault: {
    definition: {
      fields: [
        { name: 'Number', retired: false },
        { name: 'Old', retired: true },
      ],
      systemFields: ['Revision'],
    },
  },
  blocks: [{ cells: [{ tag: 'TITLE' }] }, { cells: [{ tag: 'TITLE' }, { tag: 'DATE' }] }],
  tableLayouts: { saved: [], purposes: [] },
  sendOuts: [],
  takeBacks: [],
};
const draft: LayoutDraft = { name: '', purpose: '', shared: true, content: WHOLE_LIBRARY };

const staged = async (more: object = {}, inputs: object = {}): Promise<Stage> => {
  const stage = new Stage({ ...answers, ...more }, { properties, providers: [ExchangeStore] });
  await stage.show(LayoutEditor, { layout: null, start: draft, ...inputs });
  return stage;
};
/** The preview counts as last computed; the editor debounces. */
const content = async (stage: Stage): Promise<LayoutContent> => {
  await stage.rested();
  return stage.last('countRows')![0] as LayoutContent;
};

describe('a layout of a table', () => {
  it('begins with every file and every property that a file holds, and counts the rows', async () => {
    const stage = await staged();
    expect(stage.text('section[aria-label="Columns"]')).toContain('All 3 properties that apply');
    expect(stage.text('[role=status]')).toBe('counting …');
    expect(stage.button('Workbook (XLSX)').disabled).toBe(true);
    expect(await content(stage)).toEqual(WHOLE_LIBRARY);
    expect([stage.text('[role=status]'), stage.button('Workbook (XLSX)').disabled]).toEqual(['12 rows', false]);
  });

  it('limits rows by kind, folder, class, project and the BOM of an assembly; the company itself is no limit', async () => {
    const stage = await staged();
    await stage.select('Files', 'parts');
    await stage.select('Folder', 'DR-15/parts');
    await stage.select('Class', 'Bought part');
    await stage.select('Project or drawing set', 'project: DR-15');
    await stage.select('BOM of an assembly', 'DR-15/drum.step');
    await stage.select('Which of them', 'files that lack a required value');
    expect(await content(stage)).toMatchObject({ rows: 'missing', filter: { kind: 'part', folder: 'DR-15/parts', class: 7, within: 2, assembly: 9 } });
    await stage.select('Class', 'all classes');
    await stage.select('Files', 'of all kinds');
    expect((await content(stage)).filter).toEqual({ folder: 'DR-15/parts', within: 2, assembly: 9 });
    expect(stage.list('Project or drawing set').texts).toEqual(['any', 'project: DR-15']);
  });

  it('gives the rows of a BOM their item numbers and quantities, as long as there is one', async () => {
    const stage = await staged();
    await stage.select('BOM of an assembly', 'DR-15/drum.step');
    await stage.select('Item number and quantity', 'as in Structure');
    expect((await content(stage)).bom).toEqual({ layout: 3 });
    await stage.select('Item number and quantity', 'numbered in order');
    expect((await content(stage)).bom).toEqual({ layout: null });
    await stage.select('BOM of an assembly', 'none in particular');
    expect((await content(stage)).bom).toBeNull();
    expect(() => stage.field('Item number and quantity')).toThrow();
  });

  it('offers columns for reading: of the vault, its records, and title block cells', async () => {
    const stage = await staged({}, { start: { ...draft, content: { ...WHOLE_LIBRARY, beside: [{ record: 'Gone' }] } } });
    const editor = stage.fixture.componentInstance as { besides(): string[]; readBeside(headers: string[]): void };
    // Existing columns stay even if the vault no longer has them.
    expect(editor.besides()).toEqual([
      ...['Vault state', 'Vault version', 'Checked out by', 'Cell states', 'Record: Number', 'Record: Revision', 'Cell: DATE', 'Cell: TITLE', 'Record: Gone'],
    ]);
    editor.readBeside(['Cell: TITLE', 'Vault state']);
    expect((await content(stage)).beside).toEqual([{ cell: 'TITLE' }, { fact: 'vault state' }]);
  });

  it('orders columns by button and by key, gives them headers, and says which are filled in', async () => {
    const stage = await staged();
    await stage.select('Add a column', 'Supplier');
    await stage.select('Add a column', 'Order number');
    await stage.select('Add a column', 'Description');
    await stage.type('Header of Order number', ' Bestellnummer ');
    await stage.tick('Description is filled in', false);
    await stage.click('Move Description up');
    expect((await content(stage)).columns).toEqual([
      { property: 2, header: '', editable: true },
      { property: 1, header: '', editable: false },
      { property: 3, header: 'Bestellnummer', editable: true },
    ]);
    expect(stage.list('Add a column').texts).toEqual(['choose a property']);
    const key = (name: string, more: object) => stage.field(name).dispatchEvent(new KeyboardEvent('keydown', { bubbles: true, cancelable: true, ...more }));
    key('Header of Order number', { key: 'ArrowUp', altKey: true });
    key('Header of Order number', { key: 'ArrowUp' });
    await stage.settled();
    expect((await content(stage)).columns.map((column) => column.property)).toEqual([2, 3, 1]);
    expect(stage.button('Move Supplier up').disabled).toBe(true);
    await stage.click('Take Order number out');
    expect((await content(stage)).columns.map((column) => column.property)).toEqual([2, 1]);
  });

  it('a row of a sheet takes what sheets hold; what a file holds stands beside for reading', async () => {
    const stage = await staged();
    await stage.select('One row is', 'a sheet of a drawing');
    await stage.select('Add a column', 'Sheet title');
    await stage.select('Add a column', 'Supplier');
    expect((await content(stage)).columns).toEqual([
      { property: 4, header: '', editable: true },
      { property: 2, header: '', editable: false },
    ]);
    await stage.select('One row is', 'a file');
    expect((await content(stage)).columns.map((column) => column.property)).toEqual([2]);
  });

  it('is saved under a name, as another, and removed', async () => {
    const kept: unknown[] = [];
    const stage = await staged({ saveTableLayout: { id: 5 }, removeTableLayout: {} }, { layout: 4, start: { ...draft, name: 'Purchasing' } });
    (stage.fixture.componentInstance as LayoutEditor).saved.subscribe((id) => kept.push(id));
    await stage.type('Name of the layout', '  ');
    expect([stage.button('Save').disabled, stage.button('Save as another').disabled]).toEqual([true, true]);
    await stage.type('Name of the layout', ' Purchasing 2 ');
    await stage.click('Save');
    expect(stage.last('saveTableLayout')).toEqual([4, { ...draft, name: 'Purchasing 2' }]);
    await stage.click('Save as another');
    expect(stage.last('saveTableLayout')![0]).toBeNull();
    await stage.click('Remove');
    expect([stage.last('removeTableLayout'), kept, stage.said[0]]).toEqual([[4], [5, 5, null], 'The layout Purchasing 2 is saved.']);
  });

  it('sends out by a job and hands the file over when it stands; a failed one says why', async () => {
    const states = ['running', 'done'];
    const fetched: string[] = [];
    const stage = await staged({ sendOut: { id: 31, job: 8 }, job: () => ({ id: 8, state: states.shift() ?? 'failed', message: 'The disk is full.' }) });
    (stage.fixture.componentInstance as LayoutEditor).sent.subscribe((path) => fetched.push(path));
    await content(stage);
    await stage.type('For', ' Purchasing ');
    await stage.click('CSV');
    await stage.rested();
    expect(stage.last('sendOut')).toEqual([{ format: 'csv', content: WHOLE_LIBRARY, layout: null, recipient: 'Purchasing' }]);
    expect(fetched).toEqual(['/api/exchange/send-outs/31/file']);
    await stage.click('JSON');
    await stage.rested();
    const store = stage.fixture.componentRef.injector.get(ExchangeStore);
    expect([store.busy(), store.error(), fetched.length]).toEqual([false, 'The disk is full.', 1]);
  });
});
