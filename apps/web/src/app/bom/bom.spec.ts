import { TestBed } from '@angular/core/testing';
import { Router } from '@angular/router';
import { beforeEach, describe, expect, it, jest } from '@jest/globals';
import { BomLayout, BomPart, BomTable, BomTableRow, BomValue } from '@rule/contract';
import { BomContent, factColumn, packList, plainContent, propertyColumn } from '@rule/core/bom';
import { Store } from '@ngrx/store';
import { Subject, throwError } from 'rxjs';
import { Stage, giveRoom, property } from '../../test/stage';
import { TrayActions, Unsaved } from '../shared';
import { BomStation } from './bom';
import { withNumbersOf } from './layout-file';
import { linesOf, moved, totalText, widthOf } from './bom-lines';

const properties = [
  property(1, 'Description', { caption: 'Description', required: true, kinds: ['part', 'assembly'] }),
  property(2, 'Mass', { caption: 'Mass', type: 'number', unit: 'kg', decimals: 1, kinds: ['part'] }),
];
const content: BomContent = {
  ...plainContent([]),
  columns: [factColumn('item'), factColumn('quantity'), factColumn('part'), propertyColumn(1), { ...propertyColumn(2), sum: true }],
};
const row = (n: number, label: string, cells: readonly BomValue[], more: Partial<BomTableRow> = {}): BomTableRow => ({
  id: `row ${n}`,
  parent: null,
  level: 1,
  label,
  match: { state: 'matched', file: n, by: 'product id' },
  quantity: 2,
  total: 2,
  measure: null,
  bodies: null,
  open: false,
  counts: true,
  loop: false,
  item: String(n),
  number: n,
  path: `parts/${label.toLowerCase()}.step`,
  className: null,
  picture: false,
  members: 2,
  cells: [{ text: String(n), number: n }, { text: '2', number: 2 }, { text: `${label.toLowerCase()}.step` }, ...cells],
  candidates: [],
  copyOf: { assembly: 9, product: `p${n}` },
  ...more,
});
const rows = [
  row(1, 'Bearing', [
    { text: 'Ball bearing', copy: 'Bearing' },
    {
      text: 'differs (2 values)',
      differs: [
        { text: '0.4', pieces: 1 },
        { text: '0.5', pieces: 1 },
      ],
    },
  ]),
  row(
    2,
    'Drum',
    [
      { text: '', state: 'missing' },
      { text: '8.0', number: 8 },
    ],
    { open: true, match: { state: 'matched', file: 2, by: 'settled' } },
  ),
  row(3, 'Shaft', [{ text: 'Shaft' }, { text: '' }], { id: 'row 2\nrow 3', parent: 'row 2', level: 2, item: '2.3', counts: false }),
  row(
    4,
    'Bolt',
    [
      { text: '', state: 'unknown' },
      { text: '', state: 'unknown' },
    ],
    {
      match: { state: 'ambiguous', candidates: [6, 7], by: 'product id' },
      path: null,
      candidates: [
        { id: 7, path: 'z/bolt.step' },
        { id: 6, path: 'y/bolt.step' },
      ],
    },
  ),
];
const table = {
  assembly: { id: 9, name: 'drum-assembly.step', path: 'DR-15/drum-assembly.step' },
  root: 'top',
  headers: ['Item', 'Quantity', 'Part file', 'Description', 'Mass, kg'],
  rows,
  groups: [{ title: null, rows: rows.map((entry) => entry.id), totals: [] }],
  totals: [null, null, null, null, { value: 16.9, without: 2 }],
  pieces: 6,
  leftOut: 0,
  gone: [],
  twice: [],
} as unknown as BomTable;
const part = (list: BomTable, whole: boolean): BomPart => ({ whole, rows: table.rows.length, table: { ...list, ...packList(list) } });
const whole = part(table, true);
const layout: BomLayout = { id: 1, name: 'Shop', purpose: '', shared: true, content, version: 3, by: '', mine: false };

async function staged(inputs: Record<string, unknown> = {}, more: object = {}, role = 'administrator') {
  const stage = new Stage(
    {
      assemblies: [{ id: 9, path: 'DR-15/drum-assembly.step', unmatched: 2, roots: [{ product: 'top', label: 'Drum' }] }],
      bomLayouts: [layout],
      keptBoms: [],
      classes: [{ id: 5, name: 'bought part' }],
      files: { rows: [{ id: 8, path: 'x/bolt.step', kind: 'part' }] },
      bom: whole,
      way: [],
      changeBomLayout: (id: number, body: object) => ({ ...layout, ...body, id, version: 4 }),
      bomValue: { lines: [], counts: { lines: 1, files: 1 }, left: [] },
      bomNumber: null,
      settlePart: null,
      ...more,
    },
    { role, properties },
  );
  const gone: unknown[] = [];
  jest.spyOn(TestBed.inject(Router), 'navigate').mockImplementation((_, extras) => {
    gone.push(extras?.queryParams);
    return Promise.resolve(true);
  });
  await stage.show(BomStation, inputs);
  await stage.settled();
  return { stage, gone };
}
const cellAt = (stage: Stage, line: number, column: number) => stage.page.querySelector<HTMLElement>(`[data-cell="${line}/${column}"]`)!;
const press = async (stage: Stage, element: Element, key: string, held: KeyboardEventInit = {}) => {
  element.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true, ...held }));
  await stage.settled();
};
const typeIn = async (stage: Stage, line: number, column: number, text: string) => {
  await press(stage, cellAt(stage, line, column), 'F2');
  const field = stage.page.querySelector<HTMLInputElement>('input.edit')!;
  field.value = text;
  await press(stage, field, 'Enter');
};

beforeEach(giveRoom);

describe('lines of a list', () => {
  it('are without those below folded rows, with totals where something is summed', () => {
    const keys = (folded: string[]) => linesOf(table, content, new Set(folded)).map((line) => line.key);
    expect(keys([])).toEqual(['row 1', 'row 2', 'row 2\nrow 3', 'row 4', 'total']);
    expect(keys(['row 2'])).toEqual(['row 1', 'row 2', 'row 4', 'total']);
    const grouped = {
      ...table,
      groups: [
        { title: 'made', rows: ['row 1'], totals: [] },
        { title: '', rows: ['row 4'], totals: [] },
      ],
    };
    expect(linesOf(grouped, content, new Set()).map((line) => ('title' in line ? line.title : line.key))).toEqual([
      'made',
      'row 1',
      'Total made',
      '(blank)',
      'row 4',
      'Total (blank)',
      'Total',
    ]);
  });
  it('have columns that are moved, and widths that suit them', () => {
    expect(moved(content.columns, 0, 2).map((column) => ('fact' in column.of ? column.of.fact : column.of.property))).toEqual([
      'quantity',
      'part',
      'item',
      1,
      2,
    ]);
    expect([widthOf(factColumn('item'), undefined), widthOf({ ...factColumn('item'), width: 31 }, undefined)]).toEqual([64, 31]);
    expect([totalText(null), totalText({ value: 0.1 + 0.2, without: 0 }), totalText({ value: null, without: 3 })]).toEqual(['', '0.3', '–']);
  });
});

describe('the BOM of an assembly', () => {
  it('counts rows, pieces and required values that are missing, and shows what each row says', async () => {
    const { stage } = await staged();
    expect(stage.text('.head p')).toBe('Single-level: 4 rows, 6 pieces. 1 required value is missing.');
    const shown = [0, 1, 2, 3].map((line) => [2, 3, 4].map((column) => cellAt(stage, line, column).textContent.replace(/\s+/g, ' ').trim()));
    expect(shown).toEqual([
      ['bearing.step', 'Ball bearing copy: Bearing', 'differs (2 values)'],
      ['▾ drum.step', 'missing', '8.0'],
      ['shaft.step', 'Shaft', ''],
      ['Bolt 2 files could be it', '?', '?'],
    ]);
    expect(stage.text('.total')).toBe('Total16.9');
    expect(stage.calls.find((call) => call.name === 'bom')!.args).toEqual([9, { layout: 1, content }]);
  });

  it('folds by key and by click, and goes from cell to cell', async () => {
    const { stage, gone } = await staged();
    await press(stage, cellAt(stage, 1, 2), 'ArrowLeft');
    expect(cellAt(stage, 2, 2).textContent).toContain('Bolt');
    await press(stage, cellAt(stage, 1, 2), 'ArrowRight');
    expect(cellAt(stage, 2, 2).textContent).toContain('shaft');
    await press(stage, cellAt(stage, 0, 3), 'ArrowDown');
    expect([document.activeElement, gone.at(-1)]).toEqual([cellAt(stage, 1, 3), { item: 'row 2' }]);
    await stage.click('Fold all');
    expect(stage.page.querySelectorAll('.pick')).toHaveLength(3);
  });

  it('a value typed in a row goes to the tray and is shown as waiting; a number goes to the list', async () => {
    const { stage } = await staged();
    await typeIn(stage, 1, 3, 'Drum, 15 kg');
    expect(stage.last('bomValue')).toEqual([9, { layout: 1, content, row: 'row 2', property: 1, text: 'Drum, 15 kg' }]);
    expect(cellAt(stage, 1, 3).classList.contains('typed')).toBe(true);
    await typeIn(stage, 0, 0, '7');
    expect(stage.last('bomNumber')).toEqual([9, { layout: 1, content, row: 'row 1', number: 7 }]);
    // Unknown parts hold no values, and unchanged cells are not sent.
    await press(stage, cellAt(stage, 3, 3), 'F2');
    expect(stage.page.querySelector('input.edit')).toBeNull();
    await typeIn(stage, 0, 3, 'Ball bearing');
    expect(stage.calls.filter((call) => call.name === 'bomValue')).toHaveLength(1);
  });

  it('columns are moved and widened by keys, headings renamed, and the layout is saved against its version', async () => {
    const { stage } = await staged();
    const heading = (i: number) => stage.page.querySelector<HTMLElement>(`[data-column="${i}"]`)!;
    await press(stage, heading(1), 'ArrowLeft', { altKey: true });
    await press(stage, heading(0), 'ArrowRight', { shiftKey: true });
    expect(TestBed.inject(Unsaved).what()).toEqual(['the layout Shop']);
    await stage.click('Save layout');
    const [id, body] = stage.last('changeBomLayout') as [number, { version: number; content: BomContent }];
    expect([id, body.version, body.content.columns.slice(0, 2)]).toEqual([1, 3, [{ ...factColumn('quantity'), width: 92 }, factColumn('item')]]);
    expect([TestBed.inject(Unsaved).what(), stage.said]).toEqual([[], ['Layout Shop saved.']]);
  });

  it('a row whose part nobody knows asks for it', async () => {
    const { stage } = await staged({ item: 'row 4' });
    expect(stage.text('rule-bom-row')).toContain('2 files could be the part file. Choose one.');
  });

  it('contradictions and different values stand with the row', async () => {
    const { stage } = await staged({ item: 'row 1' });
    const said = stage.text('rule-bom-row');
    expect(said).toContain("Description: the part file says Ball bearing, the assembly's own copy says Bearing. The part file leads.");
    expect(said).toContain('Mass, kg differs 0.4 1 piece 0.5 1 piece');
  });

  it('viewers look and change nothing that is kept', async () => {
    const { stage } = await staged({}, {}, 'viewer');
    await press(stage, cellAt(stage, 1, 3), 'F2');
    expect(stage.page.querySelector('input.edit')).toBeNull();
    expect(() => stage.button('Keep')).toThrow();
  });

  it('shows the first rows of a long list until the others follow; a list that stands there is replaced by the whole one alone', async () => {
    const first = part({ ...table, rows: rows.slice(0, 1), groups: [{ title: null, rows: [rows[0]!.id], totals: [] }], totals: [] }, false);
    let answer = new Subject<BomPart>();
    const { stage } = await staged({}, { bom: () => answer });
    const shown = () => [stage.page.querySelectorAll('[role=row] [data-cell$="/2"]').length, stage.text('.head p')];
    answer.next(first);
    await stage.rested();
    expect(shown()).toEqual([1, 'Single-level: 4 rows, 6 pieces. The first 1 are shown, the others follow.']);
    await press(stage, cellAt(stage, 0, 3), 'F2');
    expect(stage.page.querySelector('input.edit')).toBeNull();
    answer.next(whole);
    await stage.rested();
    expect(shown()).toEqual([4, 'Single-level: 4 rows, 6 pieces. 1 required value is missing.']);
    answer = new Subject<BomPart>();
    TestBed.inject(Store).dispatch(TrayActions.applied({ report: {} as never }));
    await stage.settled();
    answer.next(first);
    await stage.rested();
    expect(shown()[0]).toBe(4);
  });

  it('says what went wrong', async () => {
    const { stage } = await staged({}, { bom: () => throwError(() => new Error('The list is too long.')) });
    expect(stage.text('[role=alert]')).toContain('The list is too long.');
  });
});

describe('a layout from elsewhere', () => {
  it('keeps what the schema knows by written name, and tells the rest', () => {
    const own = withNumbersOf(
      {
        ...content,
        key: [11],
        columns: [factColumn('item'), propertyColumn(12), propertyColumn(13)],
        group: { property: 13 },
        classes: [{ class: 1, rule: 'dissolve', property: null }],
      },
      { 11: 'Description', 12: 'Mass', 13: 'Colour' },
      properties,
    );
    expect([own.content.key, own.content.columns, own.content.group, own.content.classes, own.lost]).toEqual([
      [1],
      [factColumn('item'), propertyColumn(2)],
      null,
      [],
      ['Colour'],
    ]);
  });
});
