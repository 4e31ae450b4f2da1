import { beforeAll, beforeEach, describe, expect, it } from '@jest/globals';
import { CellPage, CellQuery, DecideRequest, TakeBackCellRow, TakeBackView } from '@rule/contract';
import { Stage, giveRoom, property } from '../../test/stage';
import { ExchangeStore } from './exchange.store';
import { TakeBackReview } from './review';

const text = (value: string) => ({ text: value, form: 'text' as const });
const cell = (id: number, change: Partial<TakeBackCellRow> = {}): TakeBackCellRow => ({
  id,
  row: id + 1,
  file: id,
  path: `DR-15/parts/file-${id}.step`,
  kind: 'part',
  holder: '',
  property: 2,
  name: null,
  verdict: 'change',
  base: text('Old'),
  current: text('Old'),
  proposed: text('New'),
  takeable: true,
  proven: false,
  text: 'New',
  code: '',
  message: '',
  decision: 'take',
  outcome: null,
  ...change,
});
const cells = [
  cell(1),
  cell(2, { verdict: 'conflict', current: text('Theirs'), decision: null, code: 'conflict', message: 'Changed here and there.' }),
  cell(3, { verdict: 'spoiled', text: '62042', takeable: true, decision: null, code: 'zeros', message: 'Leading zeros are lost.' }),
  cell(4, { verdict: 'error', takeable: false, decision: null, code: 'closed-list', message: 'Not in the list.' }),
  cell(5, { verdict: 'same', decision: null }),
  cell(6, { outcome: 'applied', property: -1, name: 'Colour', holder: 'Body 2', text: '' }),
];
const view = (change: Partial<TakeBackView> = {}): TakeBackView => ({
  takeBack: {
    id: 3,
    name: 'parts.xlsx',
    by: 'okafor',
    at: '2026-11-25T10:00:00Z',
    state: 'compared',
    counts: { rows: 10, total: 30, unchanged: 20, change: 2, conflict: 1, spoiled: 1, error: 1, same: 1, ignored: 3, notTaken: 1 },
    note: null,
    sendOuts: [1],
  },
  inspection: null,
  issues: [{ row: 9, code: 'unknown-file', message: 'No file is called ghost.step.', cells: 1 }],
  issueCount: 1,
  warnings: ['A newer copy is out since yesterday.'],
  byProperty: [{ key: '2', caption: 'Supplier', counts: { change: 1, conflict: 1, spoiled: 1, error: 1, same: 1 }, open: 2 }],
  byFolder: [{ key: 'DR-15/parts', caption: 'DR-15/parts', counts: { change: 2, conflict: 1, spoiled: 1, error: 1, same: 1 }, open: 2 }],
  byCode: [{ verdict: 'spoiled', code: 'zeros', count: 1, open: 1 }],
  ready: 1,
  inTray: 0,
  written: 0,
  open: 2,
  job: null,
  ...change,
});

describe('the review of a table that came back', () => {
  beforeAll(giveRoom);
  let asked: CellQuery[];
  let stage: Stage;
  beforeEach(() => {
    asked = [];
  });
  const staged = async (of = view(), role = 'editor', more: object = {}): Promise<void> => {
    const page = (_: number, query: CellQuery): CellPage => {
      asked.push(query);
      const found = cells.filter((each) => query.verdict === undefined || each.verdict === query.verdict);
      return { total: found.length, cells: found };
    };
    stage = new Stage(
      { takeBackCells: page, takeBackView: of, takeBackDecide: of, takeBackReopen: of, ...more },
      { role, properties: [property(2, 'Supplier')], providers: [ExchangeStore] },
    );
    await stage.show(TakeBackReview, { view: of, selected: null });
    stage.fixture.componentRef.injector.get(ExchangeStore).show(of);
    await rest();
  };
  const rest = async () => {
    await stage.rested();
  };
  const rows = () => [...stage.page.querySelectorAll<HTMLElement>('cdk-virtual-scroll-viewport [role=row]')];
  const said = (row: HTMLElement) => [...row.querySelectorAll('[role=cell]')].map((each) => (each.textContent ?? '').replace(/\s+/g, ' ').trim());

  it('counts that add up to the cells of the table', async () => {
    await staged();
    const group = stage.page.querySelector('[aria-label="Cells by outcome"]')!;
    const numbers = [...group.querySelectorAll('b')].map((each) => Number(each.textContent));
    expect(numbers).toEqual([20, 2, 1, 1, 1, 1, 1, 3, 30]);
    expect(numbers.slice(0, -1).reduce((all, n) => all + n)).toBe(numbers.at(-1));
  });

  it('says what Rule holds, what the table says, what it means and what is decided', async () => {
    await staged();
    expect(rows().map(said)).toEqual([
      ['2', 'file-1.step', 'Supplier', 'Old', 'New', '', 'leave take'],
      ['3', 'file-2.step', 'Supplier', 'Theirs', 'New', 'Changed here and there.', 'leave take'],
      ['4', 'file-3.step', 'Supplier', 'Old', '62042', 'Leading zeros are lost.', 'leave take'],
      ['5', 'file-4.step', 'Supplier', 'Old', 'New', 'Not in the list.', 'refused'],
      ['6', 'file-5.step', 'Supplier', 'Old', 'New', '', 'nothing to do'],
      ['7', 'file-6.step · Body 2', 'Colour', 'Old', 'blank', '', 'applied'],
    ]);
    expect(stage.text('details')).toContain('Row 9: No file is called ghost.step.');
    expect(stage.text('[role=status].warn')).toBe('A newer copy is out since yesterday.');
  });

  it('filters by outcome and lets go of it; all that is shown is decided at once', async () => {
    await staged();
    await stage.click('1spoiled on the way');
    await rest();
    expect([asked.at(-1)!.verdict, rows().length]).toEqual(['spoiled', 1]);
    await stage.select('Property', 'Supplier (5, 2 open)');
    await stage.select('Reason', 'leading zeros lost (1)');
    await stage.click(/^Take all 1 shown/);
    expect(stage.last('takeBackDecide')).toEqual([3, { cells: null, filter: { verdict: 'spoiled', property: 2, code: 'zeros' }, decision: 'take' }]);
    await stage.click('1spoiled on the way');
    await rest();
    expect(asked.at(-1)).toMatchObject({ property: 2, code: 'zeros', offset: 0 });
    expect(asked.at(-1)).not.toHaveProperty('verdict');
  });

  it('decides a cell by button and by key, and takes a decision back', async () => {
    await staged();
    const decided = () => stage.last('takeBackDecide')![1] as DecideRequest;
    await stage.click('take New in row 3, Supplier');
    expect(decided()).toEqual({ cells: [2], filter: {}, decision: 'take' });
    await stage.click('take New in row 2, Supplier');
    expect(decided()).toEqual({ cells: [1], filter: {}, decision: null });
    const press = (at: number, key: string) => rows()[at]!.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true }));
    press(2, 'l');
    expect(decided()).toEqual({ cells: [3], filter: {}, decision: 'leave' });
    const before = stage.calls.filter((call) => call.name === 'takeBackDecide').length;
    press(3, 't'); // refused
    press(4, 'l'); // nothing to do
    press(5, 't'); // applied already
    expect(stage.calls.filter((call) => call.name === 'takeBackDecide').length).toBe(before);
  });

  it('goes from row to row by arrow keys and opens one with Enter', async () => {
    await staged();
    const chosen: (TakeBackCellRow | null)[] = [];
    (stage.fixture.componentInstance as TakeBackReview).choose.subscribe((each) => chosen.push(each));
    const press = (key: string) => document.activeElement!.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true }));
    document.body.append(stage.page);
    rows()[0]!.focus();
    press('ArrowDown');
    press('ArrowDown');
    press('ArrowUp');
    press('Enter');
    expect(chosen.map((each) => each?.id)).toEqual([2]);
  });

  it('applies past the tray only after it was asked, and says what was written and what was not', async () => {
    const report = { set: 5, applied: 1, failed: 1, files: 1, failures: [{ path: 'DR-15/parts/file-2.step', message: 'is open in another program.' }] };
    await staged(view(), 'editor', { takeBackApply: report });
    await stage.click('Apply them now');
    expect(stage.text('[aria-label="Apply now"]')).toContain('1 value would be written as one change set');
    expect(stage.last('takeBackApply')).toBeUndefined();
    await stage.click('File by file');
    expect([stage.last('takeBackApply'), stage.said]).toEqual([
      [3, { mode: 'file by file' }],
      ['1 value written, 1 not: DR-15/parts/file-2.step is open in another program.'],
    ]);
    expect(stage.page.querySelector('[aria-label="Apply now"]')).toBeNull();
  });

  it('is not read in another way once values have gone further', async () => {
    await staged();
    expect(stage.text('.head')).toContain('Nothing is written yet. Read it in another way');
    stage.fixture.componentRef.setInput('view', view({ inTray: 2 }));
    await stage.settled();
    expect(stage.text('.head')).not.toContain('Read it in another way');
  });
  it('a viewer sees the decisions and has no buttons to decide', async () => {
    await staged(view(), 'viewer');
    expect(said(rows()[0]!).at(-1)).toBe('take');
    expect(said(rows()[1]!).at(-1)).toBe('open');
    expect(() => stage.button('Apply them now')).toThrow();
  });
});
