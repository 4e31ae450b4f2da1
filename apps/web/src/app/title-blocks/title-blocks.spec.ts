import { describe, expect, it } from '@jest/globals';
import { BlockCell, BlockRow, BlockView, SheetPage } from '@rule/contract';
import { Binding, PLAIN_CELL } from '@rule/core/schema';
import { BoundCell } from '@rule/core/titleblocks';
import { TestBed } from '@angular/core/testing';
import { Stage, property } from '../../test/stage';
import { BindingEditor } from './binding-editor';
import { TitleBlocksStation } from './title-blocks';

const shows = (id: number, cell: string, of: number, from: 'model' | 'drawing' | 'sheet'): Binding => ({
  id,
  block: 'MRW-TITLE',
  cell,
  leads: false,
  shows: [{ property: of, from, form: PLAIN_CELL }],
});
const cell = (tag: string, binding: Binding | null, states: BlockCell['states'], drafted = binding): BlockCell => ({
  tag,
  prompt: '',
  constant: false,
  binding,
  drafted,
  states,
});
const block: BlockRow = {
  family: 'mrw-title',
  name: 'MRW-TITLE',
  drawings: 2,
  sheets: 3,
  cells: [
    cell('MATL', shows(1, 'MATL', 1, 'model'), { stale: 3, right: 1, 'would be erased': 1 }),
    cell('REV', shows(2, 'REV', 2, 'drawing'), { right: 3 }, shows(2, 'REV', 2, 'model')),
    cell('NOTE', null, {}),
    { ...cell('MAKER', null, {}), constant: true },
  ],
};
const sheets: SheetPage = {
  total: 2,
  rows: [
    { file: 7, path: 'DR-15/drum.dxf', lock: null, layout: 'Front', number: 1, sheets: 2, holder: 'insert:1', states: { stale: 2, right: 1 } },
    { file: 8, path: 'DR-15/frame.dxf', lock: 'is released in the vault', layout: 'Layout1', number: 1, sheets: 1, holder: 'insert:2', states: { right: 2 } },
  ],
};
const bound = (tag: string, stored: string, shown: BoundCell['shown'], state: BoundCell['state']): BlockView['cells'][number] => ({
  tag,
  stored,
  fixed: null,
  bound: { drawing: 7, holder: 'insert:1', tag, binding: 1, stored, fixed: null, shown, state },
});
const view: BlockView = {
  file: { id: 7, library: 1, path: 'DR-15/drum.dxf', folder: 'DR-15', name: 'drum.dxf', kind: 'drawing', class: null, problem: null, lock: null },
  block: { name: 'MRW-TITLE', shapes: [], cells: [] },
  family: 'mrw-title',
  holder: 'insert:1',
  layout: 'Front',
  number: 1,
  sheets: 2,
  scale: 0.5,
  inside: null,
  model: { match: { state: 'matched', file: 9, by: 'base name' }, file: 9, path: 'DR-15/drum.step', settled: false },
  cells: [
    bound('MATL', '1.4301', { state: 'value', text: '1.4404' }, 'stale'),
    bound('REV', 'C', { state: 'value', text: 'C' }, 'right'),
    { tag: 'NOTE', stored: 'by hand', fixed: null, bound: null },
  ],
};
const properties = [
  property(1, 'Material', { kinds: ['part'] }),
  property(2, 'Revision', { kinds: ['part', 'drawing'] }),
  property(3, 'Sheet number', { kinds: ['drawing'], level: 'sheet' }),
];

const staged = async (more: object = {}, inputs: Record<string, unknown> = {}, role = 'administrator'): Promise<Stage> => {
  const stage = new Stage(
    {
      blocks: [block],
      blockSheets: sheets,
      block: view,
      bindCells: {},
      cellTray: { tray: { lines: [], counts: { lines: 3, accepted: 3, files: 2, undecided: 0 } }, cells: 3, left: [] },
      files: {
        rows: [
          { id: 3, path: 'other.step', kind: 'part' },
          { id: 4, path: 'plan.dxf', kind: 'drawing' },
        ],
      },
      settleModel: {},
      settleSheet: {},
      way: [],
      ...more,
    },
    { role, properties },
  );
  await stage.show(TitleBlocksStation, inputs);
  return stage;
};
const rows = (stage: Stage) =>
  [...stage.page.querySelectorAll('.cells tbody tr')].map((row) => [...row.querySelectorAll('td')].map((one) => one.textContent.replace(/\s+/g, ' ').trim()));
const station = (stage: Stage) =>
  stage.fixture.componentInstance as {
    models(): { id: number }[];
    candidates: { look(text: string): void };
    settle(model: number | null): void;
  };

describe('title blocks', () => {
  it('say what their cells show, how they stand on this sheet and on all, and what the draft changes', async () => {
    const stage = await staged();
    expect(stage.text('.head p').replace(/\s+/g, ' ')).toBe('4 cells, 1 bound to nothing, on 3 sheets of 2 drawings.');
    expect(stage.text('.sheet').replace(/\s+/g, ' ')).toContain('drum.dxf, Front (sheet 1 of 2): fed by drum.step, found by base name.');
    expect(rows(stage)).toEqual([
      ['MATL', 'Material of the model', '1.4301', '1.4404', '3 stale · 1 to empty · 1 right'],
      ['REV', 'Revision of the model draft', 'C', 'the same', '3 right'],
      ['NOTE', 'nothing', 'by hand', 'left as it is', ''],
      ['MAKER', 'what its block says', '', 'fixed in the block', ''],
    ]);
    expect([...stage.page.querySelectorAll('.states button')].map((button) => button.textContent.trim())).toEqual([
      '3 stale',
      '1 would be erased',
      '4 as they should be',
    ]);
    expect(stage.text('.note').replace(/\s+/g, ' ')).toContain('1 cell shows something else in the draft.');
  });

  it('put stale texts in the tray, and empty others by a decision of its own', async () => {
    const stage = await staged();
    await stage.click('Put 3 stale cells in the tray');
    expect([stage.last('cellTray'), stage.action('[Tray] Open')]).toMatchObject([
      [{ block: 'mrw-title', wishes: ['stale'], cells: null, drawings: null }],
      { open: true },
    ]);
    await stage.click('Empty 1 text whose source is blank');
    expect(stage.last('cellTray')).toMatchObject([{ wishes: ['would be erased'] }]);
    await stage.click('Put the 2 stale cells of this drawing in the tray');
    expect(stage.last('cellTray')).toMatchObject([{ wishes: ['stale'], drawings: [7] }]);
  });

  it('say which drawings are left out, and why', async () => {
    const left = [{ file: 8, path: 'DR-15/frame.dxf', reason: 'The file is released in the vault.', cells: 2 }];
    const stage = await staged({ cellTray: { tray: { lines: [], counts: { lines: 1, accepted: 1, files: 1, undecided: 0 } }, cells: 1, left } });
    await stage.click('Put 3 stale cells in the tray');
    expect(stage.said).toEqual(['1 drawing is left out: DR-15/frame.dxf. The file is released in the vault.']);
  });

  it('list the sheets by the state of a cell', async () => {
    const stage = await staged({}, { state: 'stale' });
    expect(stage.last('blockSheets')).toEqual([{ block: 'mrw-title', limit: 500, state: 'stale' }]);
    expect(stage.text('nav h3:nth-of-type(2)')).toBe('Sheets with a cell that is stale');
  });

  it('a cell is bound in the draft, in one or several pieces', async () => {
    const stage = await staged({}, { cell: 'MATL' });
    const editor = stage.find(BindingEditor) as unknown as {
      add(): void;
      choose(at: number, choice: string): void;
      put(at: number, piece: object): void;
      from(at: number, from: string): void;
    };
    editor.add();
    editor.put(1, { words: ' · ' });
    editor.add();
    editor.choose(2, 'p2');
    editor.from(2, 'drawing');
    await stage.settled();
    expect(stage.text('rule-binding-editor > p')).toBe('Shows Material of the model + “ · ” + Revision of the drawing.');
    await stage.click('Into the draft');
    expect(stage.last('bindCells')).toEqual([
      [
        {
          block: 'MRW-TITLE',
          cell: 'MATL',
          leads: false,
          shows: [{ property: 1, from: 'model', form: PLAIN_CELL }, { words: ' · ' }, { property: 2, from: 'drawing', form: PLAIN_CELL }],
        },
      ],
    ]);
  });

  it('a cell can be the home of a value of its sheet, and of nothing else', async () => {
    const stage = await staged({}, { cell: 'NOTE' });
    const editor = stage.find(BindingEditor) as unknown as {
      add(): void;
      choose(at: number, choice: string): void;
      setLeads(leads: boolean): void;
      mayLead(): boolean;
    };
    editor.add();
    expect(editor.mayLead()).toBe(false);
    editor.choose(0, 'p3');
    expect(editor.mayLead()).toBe(true);
    editor.setLeads(true);
    await stage.settled();
    await stage.click('Into the draft');
    expect(stage.last('bindCells')).toMatchObject([[{ cell: 'NOTE', leads: true, shows: [{ property: 3, from: 'sheet' }] }]]);
    editor.choose(0, 'file name');
    expect(editor.mayLead()).toBe(false);
  });

  it('an ambiguous model is not guessed: a person looks for it, and one sheet of several is settled alone', async () => {
    const stage = await staged({ block: { ...view, model: { match: { state: 'ambiguous', candidates: [5, 6] }, file: null, path: null, settled: false } } });
    expect(stage.text('.sheet')).toContain('more than one file could be its model.');
    expect(stage.text('[bench="inspector"]')).toContain('More than one file could be it.');
    station(stage).candidates.look('other');
    await stage.rested();
    expect([stage.last('files'), station(stage).models()]).toEqual([[{ search: 'other', limit: 200 }], [{ id: 3, path: 'other.step' }]]);
    station(stage).settle(3);
    expect(stage.last('settleSheet')).toEqual([7, { layout: 'Front', model: 3 }]);
  });

  it('the only sheet of a drawing is settled with the drawing', async () => {
    const stage = await staged({ block: { ...view, sheets: 1 } });
    station(stage).settle(3);
    expect(stage.last('settleModel')).toEqual([7, 3]);
  });

  it('a chosen cell says why it reads as it does', async () => {
    const erased = bound('MATL', '1.4301', { state: 'blank', placeholder: '', why: 'Material is blank' }, 'would be erased');
    expect((await staged({}, { cell: 'MATL' })).text('[bench="inspector"]')).toContain('The sheet shows 1.4301; it should show 1.4404.');
    TestBed.resetTestingModule();
    const stage = await staged({ block: { ...view, cells: [erased] } }, { cell: 'MATL' });
    expect(stage.text('[bench="inspector"]').replace(/\s+/g, ' ')).toContain(
      'its source has nothing to show: Material is blank. The text stays until somebody empties it.',
    );
  });

  it('no drawing with a block is said', async () => {
    expect((await staged({ blocks: [] })).text('.note')).toContain('No drawing has a block with attributes.');
  });

  it('a viewer looks', async () => {
    const stage = await staged({}, { cell: 'MATL' }, 'viewer');
    expect(() => stage.button(/in the tray/)).toThrow();
    expect(() => stage.button('Into the draft')).toThrow();
  });
});
