import { describe, expect, it } from '@jest/globals';
import { AnchorPlan, BlockCell, BlockCellPlan, BlockExchangePlan, BlockRow, BlockView, OwnedValue, SheetPage } from '@rule/contract';
import { FitRule } from '@rule/core/lettering';
import { Binding, PLAIN_CELL } from '@rule/core/schema';
import { BoundCell, CellFit } from '@rule/core/titleblocks';
import { TestBed } from '@angular/core/testing';
import { Stage, draftView, property } from '../../test/stage';
import { BindSeveral } from './bind-several';
import { BindingEditor } from './binding-editor';
import { FromSheet, ToSheet } from './sheet-messages';
import { PieceForm } from './piece-form';
import { SheetModel } from './sheet-model';
import { SheetPainters } from './sheet-painter';
import { SheetView } from './sheet-view';
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
  placed: 3,
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
    { file: 7, path: 'DR-15/drum.dxf', lock: null, layout: 'Front', number: 1, sheets: 2, holder: 'insert:1', label: null, states: { stale: 2, right: 1 } },
    {
      file: 8,
      path: 'DR-15/frame.dxf',
      lock: 'is released in the vault',
      layout: 'Layout1',
      number: 1,
      sheets: 1,
      holder: 'insert:2',
      label: null,
      states: { right: 2 },
    },
  ],
};
const bound = (
  tag: string,
  stored: string,
  shown: BoundCell['shown'],
  state: BoundCell['state'],
  more: Partial<BoundCell> = {},
): BlockView['cells'][number] => ({
  tag,
  stored,
  fixed: null,
  bound: { drawing: 7, holder: 'insert:1', tag, binding: 1, stored, fixed: null, shown, state, fit: null, value: null, ...more },
  owner: null,
});
const material: OwnedValue = { file: 9, holder: '', property: 1, before: '', behind: '', of: 'DR-15/drum.step', text: '1.4404', closed: null };
const defined = (tag: string): BlockView['block']['cells'][number] => ({
  tag,
  prompt: '',
  preset: '',
  at: { x: 0, y: 0 },
  height: 2.5,
  widthFactor: 1,
  rotation: 0,
  align: 'left',
  valign: 'baseline',
  constant: false,
  multiline: false,
});
const view: BlockView = {
  file: { id: 7, library: 1, path: 'DR-15/drum.dxf', folder: 'DR-15', name: 'drum.dxf', kind: 'drawing', class: null, problem: null, lock: null },
  block: { name: 'MRW-TITLE', shapes: [], cells: [defined('MATL'), defined('REV'), defined('NOTE')] },
  family: 'mrw-title',
  holder: 'insert:1',
  layout: 'Front',
  number: 1,
  sheets: 2,
  scale: 0.5,
  inside: null,
  model: { match: { state: 'matched', file: 9, by: 'base name' }, file: 9, path: 'DR-15/drum.step', settled: false },
  cells: [
    { ...bound('MATL', '1.4301', { state: 'value', text: '1.4404' }, 'stale'), owner: material },
    bound('REV', 'C', { state: 'value', text: 'C' }, 'right'),
    { tag: 'NOTE', stored: 'by hand', fixed: null, bound: null, owner: null },
  ],
};
const properties = [
  property(1, 'Material', { kinds: ['part'] }),
  property(2, 'Revision', { kinds: ['part', 'drawing'] }),
  property(3, 'Sheet number', { kinds: ['drawing'], level: 'sheet' }),
];

/** Replaces the drawing worker: records messages and sends what a test wants. */
class Painters {
  readonly told: ToSheet[] = [];
  say: (message: FromSheet) => void = () => undefined;
  open(heard: (message: FromSheet) => void) {
    this.say = heard;
    return { tell: (message: ToSheet) => void this.told.push(message), close: () => undefined };
  }
  get asked(): Extract<ToSheet, { do: 'open' }>[] {
    return this.told.filter((message) => message.do === 'open');
  }
}
let painters = new Painters();
const room = [
  { x: 0, y: 0 },
  { x: 40, y: 0 },
  { x: 40, y: 8 },
  { x: 0, y: 8 },
];
/** The sheet with cells MATL and NOTE. */
const drawn = (stage: Stage): Promise<void> => {
  const cells = ['MATL', 'NOTE'].map((tag, i) => ({
    holder: 'insert:1',
    block: 'MRW-TITLE',
    tag,
    text: '',
    lacking: false,
    handle: null,
    corners: room.map(({ x, y }) => ({ x, y: y + 10 * i })),
  }));
  painters.say({
    is: 'opened',
    n: painters.asked.at(-1)!.n,
    extent: { x: 0, y: 0, width: 420, height: 297 },
    focus: { x: 0, y: 0, width: 40, height: 18 },
    cells,
    texts: [
      { name: '5 50 on Front', text: 'NOT TO BE SCALED', anchor: null, closed: null, corners: room.map(({ x, y }) => ({ x, y: y + 50 })) },
      { name: '5 70 on Front', text: 'bold', anchor: null, closed: 'formatted' as const, corners: room.map(({ x, y }) => ({ x, y: y + 70 })) },
    ],
    left: { picture: 1 },
    cut: false,
  });
  return stage.settled();
};

const staged = async (more: object = {}, inputs: Record<string, unknown> = {}, role = 'administrator'): Promise<Stage> => {
  const stage = new Stage(
    {
      blocks: [block],
      blockSheets: sheets,
      bareSheets: { total: 0, rows: [] },
      block: view,
      bindCells: {},
      draft: draftView(properties),
      addProperties: { ids: [9], draft: draftView([...properties, property(9, 'Finish code', { kinds: ['part'] })]) },
      propose: { lines: [], counts: { lines: 1, accepted: 1, files: 1, undecided: 0 } },
      typeCell: { lines: [], counts: { lines: 1, accepted: 1, files: 1, undecided: 0 } },
      learned: { cells: [], names: [] },
      takeUp: {},
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
    { role, properties, providers: [{ provide: SheetPainters, useValue: (painters = new Painters()) }] },
  );
  await stage.show(TitleBlocksStation, inputs);
  return stage;
};
const rows = (stage: Stage) =>
  [...stage.page.querySelectorAll('rule-cell-table tbody tr')].map((row) =>
    [...row.querySelectorAll('td')].map((one) => one.textContent.replace(/\s+/g, ' ').trim()),
  );
const station = (stage: Stage) =>
  stage.find(SheetModel) as unknown as {
    models(): { id: number }[];
    candidates: { look(text: string): void };
    settle(model: number | null): void;
  };

describe('title blocks', () => {
  it('say what their cells show, how they stand on this sheet and on all, and what the draft changes', async () => {
    const stage = await staged();
    expect(stage.text('.head p').replace(/\s+/g, ' ')).toBe('4 cells, 1 not bound, on 3 sheets of 2 drawings.');
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

  /** Types the selected cell's content. */
  const typeShown = async (stage: Stage, text: string): Promise<HTMLInputElement> => {
    const field = stage.page.querySelector<HTMLInputElement>('rule-shown-input input')!;
    field.value = text;
    field.setSelectionRange(text.length, text.length);
    field.dispatchEvent(new Event('input'));
    await stage.settled();
    return field;
  };
  const press = async (stage: Stage, field: Element, key: string): Promise<void> => {
    field.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true }));
    await stage.settled();
  };

  it('a cell is bound by typing what it shows: a name alone, or words with names in braces', async () => {
    const stage = await staged({}, { cell: 'NOTE' });
    await press(stage, await typeShown(stage, 'file name'), 'Enter');
    expect(stage.last('bindCells')).toEqual([[{ block: 'MRW-TITLE', cell: 'NOTE', leads: false, shows: [{ fact: 'file name', form: PLAIN_CELL }] }]]);
    await typeShown(stage, '{Material} · {Revision of the drawing}');
    expect(stage.text('rule-binding-editor > p')).toBe('Shows Material of the model + “ · ” + Revision of the drawing.');
    await stage.click('Save to draft');
    expect(stage.last('bindCells')).toMatchObject([[{ shows: [{ property: 1, from: 'model' }, { words: ' · ' }, { property: 2, from: 'drawing' }] }]]);
  });

  it('names are completed as they are typed', async () => {
    const stage = await staged({}, { cell: 'NOTE' });
    const field = await typeShown(stage, 'No {sheet n');
    expect([...stage.page.querySelectorAll('[role="option"]')].map((one) => one.textContent.trim().replace(/\s+/g, ' '))).toEqual([
      'Sheet number property',
      'sheet name fact',
      'sheet number fact',
      'sheet number in set fact',
      'number of sheets fact',
      'number of sheets in set fact',
    ]);
    await press(stage, field, 'ArrowDown');
    await press(stage, field, 'ArrowDown');
    await press(stage, field, 'Enter');
    expect(field.value).toBe('No {sheet name}');
  });

  it('what the schema lacks is defined on the way', async () => {
    const stage = await staged({}, { cell: 'NOTE' });
    const field = await typeShown(stage, '{Finish code}!');
    expect(stage.text('rule-binding-editor .note').replace(/\s+/g, ' ')).toContain('The schema has no property “Finish code”.');
    await press(stage, field, 'Enter');
    expect(stage.last('bindCells')).toBeUndefined();
    await stage.click('the model');
    expect(stage.last('addProperties')).toMatchObject([[{ writtenName: 'Finish code', kinds: ['part', 'assembly'], level: 'document' }]]);
    await press(stage, field, 'Enter');
    expect(stage.last('bindCells')).toMatchObject([[{ shows: [{ property: 9, from: 'model' }, { words: '!' }] }]]);
  });

  it('a cell can be the home of a value of its sheet, and of nothing else', async () => {
    const stage = await staged({}, { cell: 'NOTE' });
    const editor = stage.find(BindingEditor) as unknown as { setLeads(leads: boolean): void; mayLead(): boolean };
    await typeShown(stage, 'Material');
    expect(editor.mayLead()).toBe(false);
    await typeShown(stage, '{Sheet number}');
    expect(editor.mayLead()).toBe(true);
    editor.setLeads(true);
    await stage.settled();
    await stage.click('Save to draft');
    expect(stage.last('bindCells')).toMatchObject([[{ cell: 'NOTE', leads: true, shows: [{ property: 3, from: 'sheet' }] }]]);
    await typeShown(stage, 'file name');
    expect(editor.mayLead()).toBe(false);
  });

  it('the form of a text and the remedies for one that is too long are part of the binding', async () => {
    const stage = await staged({}, { cell: 'MATL' });
    const editor = stage.find(BindingEditor) as unknown as { form(at: number, form: object): void; fit: { set(rule: object): void } };
    editor.form(0, { ...PLAIN_CELL, letters: 'capitals' });
    const rule: FitRule = { steps: ['abbreviations'], narrowest: 0.8, abbreviations: [{ word: 'bearing', short: 'brg' }] };
    editor.fit.set(rule);
    await stage.settled();
    expect(stage.text('rule-binding-editor > p')).toBe('Shows Material of the model, in capitals.');
    await stage.click('Save to draft');
    expect(stage.last('bindCells')).toMatchObject([[{ shows: [{ form: { letters: 'capitals' } }], fit: rule }]]);
  });

  it('every value of a cell has a form of its own: what is not chosen is as the property says, and labels are not shared', async () => {
    const pieces = [
      { property: 1, from: 'model' as const, form: PLAIN_CELL },
      { fact: 'scale' as const, form: PLAIN_CELL },
      { fact: 'date saved' as const, form: PLAIN_CELL },
    ];
    const drafted: Binding = { id: 1, block: 'MRW-TITLE', cell: 'MATL', leads: false, shows: pieces };
    const length = property(1, 'Length', { kinds: ['part'], type: 'number', unit: 'mm' });
    const stage = await staged({ blocks: [{ ...block, cells: [cell('MATL', drafted, {})] }], draft: draftView([length]) }, { cell: 'MATL' });
    const labels = [...stage.page.querySelectorAll('rule-piece-form [id^="piece-"]')].map((one) => one.id);
    expect(labels.length).toBeGreaterThan(8);
    expect(new Set(labels).size).toBe(labels.length);
    type Choices = { choices(): { label: string; value: string; put(value: string): void }[] };
    const written = (stage.find(PieceForm) as unknown as Choices).choices().find((one) => one.label === 'Written as')!;
    expect(written.value).toBe('as defined');
    written.put('decimal');
    await stage.settled();
    await stage.click('Save to draft');
    expect(stage.last('bindCells')).toMatchObject([[{ shows: [{ form: { number: 'decimal' } }, { fact: 'scale' }, { fact: 'date saved' }] }]]);
  });

  it('the sheet is drawn with what its cells would show, and its cells are chosen there', async () => {
    const stage = await staged({}, { cell: 'MATL' });
    expect(painters.asked).toEqual([{ do: 'open', n: 1, file: 7, layout: 'Front', holder: 'insert:1' }]);
    await drawn(stage);
    expect(painters.told.findLast((message) => message.do === 'texts')).toEqual({
      do: 'texts',
      texts: [
        { holder: 'insert:1', tag: 'MATL', text: '1.4404', tone: 'changed', higher: 1, wider: 1 },
        { holder: 'insert:1', tag: 'REV', text: 'C', tone: 'kept', higher: 1, wider: 1 },
      ],
    });
    const cells = [...stage.page.querySelectorAll('.frame .cell')];
    expect(cells.map((one) => [one.getAttribute('aria-label'), one.getAttribute('aria-pressed')])).toEqual([
      ['Cell MATL: 1.4404, stale', 'true'],
      ['Cell NOTE: by hand', 'false'],
    ]);
    expect(stage.text('.tools .soft')).toBe('not drawn: 1 × picture');
    // In other colours it is drawn again.
    const looks = () => painters.told.filter((message) => message.do === 'look').length;
    const before = looks();
    document.documentElement.classList.toggle('dark');
    await stage.settled();
    expect(looks()).toBe(before + 1);
    document.documentElement.classList.toggle('dark');
    expect(stage.page.querySelector('.frame')!.getAttribute('aria-busy')).toBe('true');
    painters.say({ is: 'painted', milliseconds: 3 });
    await stage.settled();
    expect(stage.page.querySelector('.frame')!.getAttribute('aria-busy')).toBe('false');
  });

  it('a sheet that cannot be drawn says why', async () => {
    const stage = await staged();
    painters.say({ is: 'failed', n: 1, message: 'The file is no DXF drawing.' });
    await stage.settled();
    expect(stage.text('.frame .note')).toBe('The file is no DXF drawing.');
  });

  it('the sheet is moved and zoomed by keys', async () => {
    const stage = await staged();
    await drawn(stage);
    const view = stage.find(SheetView) as unknown as { look(): { x: number; y: number; zoom: number } };
    const frame = stage.page.querySelector('.frame')!;
    const before = view.look();
    await press(stage, frame, '+');
    expect(view.look().zoom).toBeGreaterThan(before.zoom);
    await press(stage, frame, 'ArrowRight');
    expect(view.look().x).toBeGreaterThan(before.x);
    await press(stage, frame, 's');
    expect(view.look()).toMatchObject({ x: 210, y: 148.5 });
    await press(stage, frame, 'b');
    expect(view.look()).toMatchObject({ x: 20, y: 9 });
  });

  /** Types in a cell on the sheet. */
  const writeIn = async (stage: Stage, label: RegExp, text: string): Promise<void> => {
    const cell = [...stage.page.querySelectorAll('.frame .cell')].find((one) => label.test(one.getAttribute('aria-label')!))!;
    cell.dispatchEvent(new MouseEvent('dblclick', { bubbles: true }));
    await stage.settled();
    const field = stage.page.querySelector<HTMLInputElement>('.writing input')!;
    field.value = text;
    await press(stage, field, 'Enter');
  };

  it('what is typed on the sheet goes to the owner of the value, which is named before, and to the cell where it shows none', async () => {
    const stage = await staged({}, { cell: 'MATL' });
    await drawn(stage);
    expect(stage.text('[bench="inspector"]').replace(/\s+/g, ' ')).toContain('changes Material of drum.step');
    await writeIn(stage, /MATL/, '1.4301');
    expect(stage.last('propose')).toEqual([{ values: [{ file: 9, property: 1, text: '1.4301' }], reason: 'typed in the title block' }]);
    await writeIn(stage, /NOTE/, 'checked');
    expect(stage.last('typeCell')).toEqual([7, { holder: 'insert:1', tag: 'NOTE', text: 'checked' }]);
  });

  it('nothing is typed where the value is closed, and the reason is said', async () => {
    const closed = { ...bound('MATL', 'x', { state: 'value', text: 'x' }, 'right'), owner: { ...material, closed: 'is computed' } };
    const stage = await staged({ block: { ...view, cells: [closed] } }, { cell: 'MATL' });
    await drawn(stage);
    stage.page.querySelector('.frame .cell')!.dispatchEvent(new MouseEvent('dblclick', { bubbles: true }));
    await stage.settled();
    expect(stage.page.querySelector('.writing')).toBeNull();
    expect(stage.said).toEqual(['DR-15/drum.step: is computed.']);
  });

  it('texts that stand in blocks alone are taken up, and those that are not are listed with the reason', async () => {
    const conflicts = [{ file: 8, path: 'DR-15/frame.dxf', tag: 'MATL', text: 'steel', why: 'Sheets say different things of one value.' }];
    const tray = { lines: [], counts: { lines: 2, accepted: 2, files: 2, undecided: 0 } };
    const stage = await staged({ takeUp: { tray, values: 2, conflicts } });
    await stage.click('Take up 1 text');
    expect(stage.last('takeUp')).toEqual([{ block: 'mrw-title', cells: null, drawings: null }]);
    expect(stage.text('rule-conflict-list').replace(/\s+/g, ' ')).toContain('1 text not taken up');
    expect(stage.text('rule-conflict-list tbody')).toContain('Sheets say different things of one value.');
    expect(stage.said).toEqual(['2 values added to your tray; 1 text could not be taken up.']);
  });

  it('what the drawings say of cells is offered with its evidence, and bound at once', async () => {
    const found = {
      block: 'MRW-TITLE',
      tag: 'NOTE',
      propertyId: 2,
      source: 'drawing',
      form: PLAIN_CELL,
      agree: 3,
      compared: 4,
      texts: 2,
      bound: null,
      drafted: null,
      exceptionCount: 0,
      exceptions: [],
    };
    const stage = await staged({ learned: { cells: [found, { ...found, tag: 'REV' }], names: [] } });
    await stage.click('Learn from drawings');
    expect(stage.text('[bench="inspector"]').replace(/\s+/g, ' ')).toContain('NOTE shows Revision of the drawing (3 of 4 drawings)');
    await stage.click('Bind 1 cell');
    expect(stage.last('bindCells')).toMatchObject([[{ cell: 'NOTE', shows: [{ property: 2, from: 'drawing' }] }]]);
  });

  it('bindings are copied from another block, for cells of the same name that are not bound', async () => {
    const other: BlockRow = {
      ...block,
      family: 'old',
      name: 'OLD',
      cells: [cell('note', shows(8, 'note', 1, 'drawing'), {}), cell('MATL', shows(9, 'MATL', 2, 'drawing'), {})],
    };
    const stage = await staged({ blocks: [block, other] });
    (stage.find(BindSeveral) as unknown as { copyFrom(family: string): void }).copyFrom('old');
    expect(stage.last('bindCells')).toEqual([
      [{ block: 'MRW-TITLE', cell: 'NOTE', leads: false, shows: [{ property: 1, from: 'drawing', form: PLAIN_CELL }] }],
    ]);
  });

  it('a text that is too long says by how much, and what makes it fit', async () => {
    const fit: CellFit = {
      ratio: 1.4,
      needs: 56,
      has: 40,
      height: 3.5,
      widthFactor: 1,
      unit: 'mm',
      perUnit: 1,
      exact: false,
      font: 'isocp.shx',
      defined: { height: 3.5, widthFactor: 1 },
      held: { height: 3.5, widthFactor: 1 },
      remedy: { text: 'x', height: 2.5, widthFactor: 1, by: ['lower height'] },
    };
    const long = bound('MATL', 'x', { state: 'value', text: 'x' }, 'does not fit', { fit });
    const stage = await staged({ block: { ...view, cells: [long] } }, { cell: 'MATL' });
    expect(stage.text('[bench="inspector"]').replace(/\s+/g, ' ')).toContain('Too long: it takes 56 mm of 40 mm, measured with a font near to isocp.shx.');
    await stage.click('Make it fit here: 2.5 mm high instead of 3.5 mm');
    expect(stage.last('cellTray')).toMatchObject([{ wishes: ['does not fit'], cells: ['MATL'], drawings: [7] }]);
  });

  it('an ambiguous model is not guessed: a person looks for it, and one sheet of several is settled alone', async () => {
    const stage = await staged({ block: { ...view, model: { match: { state: 'ambiguous', candidates: [5, 6] }, file: null, path: null, settled: false } } });
    expect(stage.text('.sheet')).toContain('more than one file could be its model.');
    expect(stage.text('[bench="inspector"]')).toContain('More than one file could be it.');
    station(stage).candidates.look('other');
    await stage.rested();
    expect([stage.last('files'), station(stage).models()]).toEqual([[{ search: 'other', limit: 200 }], [{ id: 3, kind: 'part', path: 'other.step' }]]);
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
    expect(stage.text('[bench="inspector"]').replace(/\s+/g, ' ')).toContain('but Material is blank. The text stays until someone clears it.');
  });

  it('no drawing with a block is said', async () => {
    expect((await staged({ blocks: [] })).text('.note')).toContain('No drawing has a title block with cells yet.');
  });

  it('a viewer looks', async () => {
    const stage = await staged({}, { cell: 'MATL' }, 'viewer');
    expect(() => stage.button(/in the tray/)).toThrow();
    expect(() => stage.button('Save to draft')).toThrow();
  });
});

describe('a cell that is renamed', () => {
  it('takes its binding along in the draft', async () => {
    const plan: BlockCellPlan = { drawings: 2, sheets: 3, definitions: 1, cells: [], anew: true, lost: [], bound: ['MATL'], left: [] };
    const stage = await staged({
      planCells: plan,
      changeCells: { tray: { lines: [], counts: { lines: 3, accepted: 3, files: 2, undecided: 0 } }, cells: 3, left: [] },
    });
    await stage.click('Change the cells of this block');
    await stage.pick('Kind of change', 'name');
    await stage.pick('Cell', 'MATL');
    const field = stage.page.querySelector<HTMLInputElement>('#cell-name')!;
    field.value = 'MATERIAL';
    field.dispatchEvent(new Event('input'));
    await stage.settled();
    await stage.click('Add to the list');
    expect(stage.text('rule-change-cells')).toContain('In the draft, the bindings follow: MATL to MATERIAL.');
    await stage.click('Change on 3 sheets');
    expect(stage.last('bindCells')).toEqual([[{ block: 'MRW-TITLE', cell: 'MATERIAL', leads: false, shows: shows(1, 'MATL', 1, 'model').shows }]]);
  });
});

describe('a property of sheets that no cell holds', () => {
  it('gets a cell of the block as its home', async () => {
    const stage = await staged({}, { home: '3' });
    expect(stage.text('#home-title')).toBe('A cell for Sheet number');
    await stage.pick('Cell that is not bound', 'NOTE');
    await stage.click('Make it the home');
    expect(stage.last('bindCells')).toEqual([[{ block: 'MRW-TITLE', cell: 'NOTE', leads: true, shows: [{ property: 3, from: 'sheet', form: PLAIN_CELL }] }]]);
  });
  it('or a cell that is added to the block, which is its home from then on', async () => {
    const plan: BlockCellPlan = { drawings: 2, sheets: 3, definitions: 1, cells: [], anew: false, lost: [], bound: [], left: [] };
    const stage = await staged(
      { planCells: plan, changeCells: { tray: { lines: [], counts: { lines: 3, accepted: 3, files: 2, undecided: 0 } }, cells: 3, left: [] } },
      { home: '3' },
    );
    await stage.click('Add a cell to MRW-TITLE');
    await stage.pick('Neighbour that it is copied from', 'REV');
    await stage.click('Add to the list');
    expect(stage.last('planCells')).toEqual([
      { block: 'MRW-TITLE', drawings: null, steps: [{ do: 'add', tag: 'SHEET_NUMBER', prompt: 'Sheet number', like: 'REV', by: { x: 0, y: 0 } }] },
    ]);
    await stage.click('Change on 3 sheets');
    expect(stage.last('bindCells')).toMatchObject([[{ block: 'MRW-TITLE', cell: 'SHEET_NUMBER', leads: true }]]);
    expect(stage.said.at(-1)).toContain('SHEET_NUMBER holds Sheet number');
  });
  it('is of no matter to people who do not administer', async () => {
    const stage = await staged({}, { home: '3' }, 'editor');
    expect(stage.page.querySelector('rule-give-home')).toBeNull();
  });
});

describe('plain texts that are made cells', () => {
  const plan: AnchorPlan = {
    drawings: 2,
    texts: 3,
    examples: [
      { file: 7, path: 'DR-15/drum.dxf', layout: 'Front', text: 'NOT TO BE SCALED' },
      { file: 8, path: 'DR-15/frame.dxf', layout: 'Layout1', text: 'Not to be scaled' },
    ],
    left: [{ file: 9, path: 'DR-15/old.dxf', reason: 'The file is released in the vault.' }],
  };
  const tray = { tray: { lines: [], counts: { lines: 3, accepted: 3, files: 2, undecided: 0 } }, cells: 3, left: [] };
  const texts = (stage: Stage) => [...stage.page.querySelectorAll<HTMLElement>('.cell')].map((one) => one.getAttribute('aria-label'));

  it('are chosen on the sheet, named, looked for in other drawings, and go to the tray', async () => {
    const stage = await staged({ planAnchors: plan, anchorTexts: tray });
    await drawn(stage);
    await stage.click('Anchor texts');
    expect(texts(stage)).toEqual(['Text NOT TO BE SCALED', 'Text bold']);
    await stage.click('Text bold');
    expect(stage.text('rule-anchor-text')).toContain('formatting of its own');
    await stage.click('Text NOT TO BE SCALED');
    expect(stage.last('planAnchors')).toBeUndefined();
    await stage.type('Name of the cell', 'Note');
    await stage.pick('So are', 'same place');
    await stage.rested();
    expect(stage.text('rule-anchor-text')).toContain('3 texts in 2 drawings.');
    expect(stage.last('planAnchors')).toEqual([
      { file: 7, name: '5 50 on Front', anchor: { kind: 'cell', name: 'Note' }, among: 'same place', in: 'its folder' },
    ]);
    expect(stage.text('rule-anchor-text')).toContain('DR-15/old.dxf: The file is released in the vault.');
    await stage.click('Anchor 3 texts');
    expect(stage.last('anchorTexts')).toMatchObject([{ anchor: { kind: 'cell', name: 'Note' } }]);
    expect(stage.page.querySelector('rule-anchor-text')).toBeNull();
    await stage.click('Back to cells');
    expect(texts(stage)).toHaveLength(2);
    expect(texts(stage)[0]).toContain('Cell MATL');
  });
  it('are found on sheets that have no cell at all', async () => {
    const stage = await staged(
      { bareSheets: { total: 1, rows: [{ file: 7, path: 'DR-15/old.dxf', lock: null, layout: 'Front', sheets: 1 }] }, planAnchors: plan },
      { bare: '1' },
    );
    expect(stage.text('h1')).toBe('Sheets without cells');
    await drawn(stage);
    expect(painters.asked.at(-1)).toMatchObject({ file: 7, layout: 'Front', holder: '' });
    expect(texts(stage)).toContain('Text NOT TO BE SCALED');
  });
  it('are only looked at by viewers', async () => {
    const bareSheets = { total: 1, rows: [{ file: 7, path: 'DR-15/old.dxf', lock: null, layout: 'Front', sheets: 1 }] };
    const stage = await staged({ bareSheets }, { bare: '1' }, 'viewer');
    await drawn(stage);
    expect(texts(stage)).toEqual([]);
    expect(stage.text()).toContain('Editors make its texts cells.');
  });
});

describe('a block that is exchanged for another', () => {
  const plan: BlockExchangePlan = {
    sheets: 2,
    cells: [
      { tag: 'MATERIAL', prompt: '', from: 'MATL', by: 'binding' },
      { tag: 'REMARK', prompt: 'Remark', from: null, by: null },
    ],
    from: [
      { tag: 'MATL', prompt: '', texts: 2 },
      { tag: 'NOTE', prompt: '', texts: 1 },
    ],
    lost: [{ tag: 'NOTE', texts: 1, examples: ['by hand'] }],
    lender: 'DR-15/new.dxf',
    left: [{ file: 8, path: 'DR-15/frame.dxf', reason: 'The file is released in the vault.' }],
  };
  it('is planned cell by cell, says what would be lost, and goes to the tray', async () => {
    const stage = await staged({
      bomBlocks: [
        { name: 'mrw-title', tags: [] },
        { name: 'NEW', tags: ['MATERIAL', 'REMARK'] },
      ],
      planExchange: plan,
      exchangeBlock: { tray: { lines: [], counts: { lines: 8, accepted: 8, files: 2, undecided: 0 } }, cells: 8, left: [{ ...plan.left[0]!, cells: 0 }] },
    });
    await stage.click('Exchange this block for another');
    expect(stage.last('planExchange')).toBeUndefined();
    await stage.pick('New block', 'NEW');
    expect(stage.last('planExchange')).toEqual([{ from: 'mrw-title', to: 'NEW', drawings: null }]);
    const rows = [...stage.page.querySelectorAll('[aria-label="Cells of the new block"] tbody tr')].map((row) => row.textContent.replace(/\s+/g, ' ').trim());
    expect(rows[0]).toMatch(/^MATERIAL.*both show the same$/);
    expect(rows[1]).toMatch(/^REMARK \(Remark\).*stays blank$/);
    expect(stage.text('rule-exchange-block')).toContain('NOTE on 1 sheet: by hand');
    expect(stage.text('rule-exchange-block')).toContain('DR-15/frame.dxf: The file is released in the vault.');
    // A text goes to one cell; its former cell becomes blank.
    await stage.pick('Text of REMARK', 'MATL');
    expect(stage.last('planExchange')).toEqual([{ from: 'mrw-title', to: 'NEW', drawings: null, cells: { MATERIAL: null, REMARK: 'MATL' } }]);
    await stage.pick('In', true);
    expect(stage.last('planExchange')).toMatchObject([{ drawings: [7] }]);
    await stage.click('Exchange on 2 sheets and lose 1 text');
    expect(stage.last('exchangeBlock')).toEqual([{ from: 'mrw-title', to: 'NEW', drawings: [7], cells: { MATERIAL: null, REMARK: 'MATL' } }]);
    expect(stage.page.querySelector('rule-exchange-block')).toBeNull();
  });
});

describe('a block whose cells are changed', () => {
  const plan: BlockCellPlan = {
    drawings: 2,
    sheets: 3,
    definitions: 2,
    cells: [
      { tag: 'MATERIAL', prompt: '' },
      { tag: 'REV', prompt: 'Revision' },
    ],
    anew: true,
    lost: [{ tag: 'NO', texts: 1, examples: ['D-1'] }],
    bound: ['NO'],
    left: [{ file: 8, path: 'DR-15/frame.dxf', reason: 'The file is released in the vault.' }],
  };
  const typed = async (stage: Stage, id: string, text: string) => {
    const field = stage.page.querySelector<HTMLInputElement>(`#${id}`)!;
    field.value = text;
    field.dispatchEvent(new Event('input'));
    await stage.settled();
  };

  it('is planned change by change, says what would be lost, and goes to the tray', async () => {
    const stage = await staged({
      planCells: plan,
      changeCells: { tray: { lines: [], counts: { lines: 8, accepted: 8, files: 2, undecided: 0 } }, cells: 8, left: [{ ...plan.left[0]!, cells: 0 }] },
    });
    await stage.click('Change the cells of this block');
    const next = () =>
      [...stage.page.querySelectorAll<HTMLButtonElement>('rule-change-cells button')].find((each) => each.textContent.includes('Add to the list'))!;
    expect(next().disabled).toBe(true);
    await stage.pick('Neighbour that it is copied from', 'MATL');
    await typed(stage, 'cell-name', 'MASS');
    await typed(stage, 'cell-prompt', 'Mass');
    expect(next().disabled).toBe(false);
    next().click();
    await stage.settled();
    await stage.pick('Kind of change', 'remove');
    await stage.pick('Cell', 'MASS');
    next().click();
    await stage.settled();
    const said = [...stage.page.querySelectorAll('rule-change-cells ol li')].map((li) => li.textContent.replace('leave out', '').trim());
    expect(said).toEqual(['Add MASS like MATL, on top', 'Remove MASS']);
    await stage.click('Leave out: Remove MASS');
    const steps = [{ do: 'add', tag: 'MASS', prompt: 'Mass', like: 'MATL', by: { x: 0, y: 0 } }];
    expect(stage.last('planCells')).toEqual([{ block: stage.text('h1'), steps, drawings: null }]);
    for (const text of [
      '3 sheets of 2 drawings would change, which define the block in 2 ways. Cells then: MATERIAL, REV.',
      'Each block is placed anew where it stands',
      'The bindings of NO are left without a cell.',
      'NO on 1 sheet: D-1',
      'DR-15/frame.dxf: The file is released in the vault.',
    ])
      expect(stage.text('rule-change-cells')).toContain(text);
    await stage.click('Change on 3 sheets and lose 1 text');
    expect(stage.last('changeCells')).toEqual([{ block: stage.text('h1'), steps, drawings: null }]);
    expect(stage.page.querySelector('rule-change-cells')).toBeNull();
  });
});
