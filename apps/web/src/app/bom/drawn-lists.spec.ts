import { describe, expect, it } from '@jest/globals';
import { DrawnBom, DrawnSheet } from '@rule/contract';
import { BomContent, plainContent } from '@rule/core/bom';
import { Stage, property } from '../../test/stage';
import { DrawnLists } from './drawn-lists';

const properties = [property(1, 'Part number', { caption: 'Part number' }), property(2, 'Description', { caption: 'Description' })];
const blocks = [
  { name: 'ROW', tags: ['POS', 'QTY', 'PARTNO', 'DESCR', 'NOTE'] },
  { name: 'MARK', tags: ['N'] },
];
const content: BomContent = {
  ...plainContent([]),
  drawn: {
    block: 'ROW',
    cells: [{ tag: 'QTY', of: { fact: 'quantity' } }],
    growth: 'up',
    rowsPerColumn: null,
    side: 'left',
    marks: { block: 'MARK', tag: 'N' },
  },
};
const sheet = (more: Partial<DrawnSheet> = {}): DrawnSheet => ({
  file: 7,
  path: 'drawings/drum.dxf',
  layout: 'Sheet 1',
  lock: null,
  pending: false,
  defined: true,
  marksDefined: true,
  lent: { list: null, marks: null },
  views: 1,
  rows: 2,
  differences: [
    { kind: 'same', row: 'a', holder: 'h1', item: '1', label: 'Drum', cells: [] },
    { kind: 'changed', row: 'b', holder: 'h2', item: '2', label: 'Arm', cells: [{ tag: 'QTY', now: '3', should: '4', keeps: false }] },
    { kind: 'added', row: 'c', holder: null, item: '3', label: 'Shaft', cells: [] },
  ],
  erased: 0,
  marks: [
    { holder: 'm1', number: '1', state: 'right', row: 'a', should: '1', label: 'Drum' },
    { holder: 'm2', number: '9', state: 'no row', row: null, should: null, label: '' },
    { holder: 'm3', number: '2', state: 'wrong number', row: 'b', should: '20', label: 'Arm' },
  ],
  without: [{ row: 'c', item: '3', label: 'Shaft' }],
  ...more,
});

async function staged(sheets: readonly DrawnSheet[], more: object = {}) {
  const stage = new Stage({}, { role: 'editor', properties });
  const view: DrawnBom = { heads: { QTY: 'Quantity' }, sheets };
  await stage.show(DrawnLists, { content, view, blocks, properties, rows: [{ id: 'c', text: '3 Shaft' }], editable: true, ...more });
  const said: unknown[] = [];
  const shown = stage.find(DrawnLists);
  for (const name of ['changed', 'put', 'marked', 'placed'] as const) shown[name].subscribe((value: unknown) => said.push([name, value]));
  return { stage, said };
}

describe('lists on drawings', () => {
  it('tell row by row what differs, and are put in order one by one or together', async () => {
    const { stage, said } = await staged([sheet(), sheet({ file: 8, path: 'drawings/locked.dxf', lock: 'is released in the vault' })]);
    expect(stage.text('header p')).toBe('2 rows drawn, 2 differ from the BOM.');
    expect(stage.text('section table')).toContain('2ArmchangedQuantity: 3 → 4');
    expect(stage.text('section table')).toContain('3Shaftnot drawn');
    await stage.click('Update this list');
    await stage.click('Update the list');
    expect(said).toEqual([
      ['put', { drawing: 7, sheet: 'Sheet 1', corner: null, erase: false }],
      ['put', { drawing: null, sheet: null, corner: null, erase: false }],
    ]);
    expect(stage.text()).toContain('2 rows drawn, 2 differ from the BOM. The file is released in the vault.');
  });

  it('are placed where there is none, and say what keeps them from it', async () => {
    const { stage, said } = await staged([sheet({ rows: 0, differences: [] }), sheet({ file: 8, path: 'other.dxf', rows: 0, defined: false })]);
    expect(stage.text('header p')).toBe('No list drawn yet.');
    expect(stage.text()).toContain('The drawing does not define ROW.');
    await stage.click('Place the list');
    expect(said).toEqual([['put', { drawing: 7, sheet: 'Sheet 1', corner: 'title block', erase: false }]]);
  });

  it('bring their block from another drawing where this one lacks it', async () => {
    const { stage, said } = await staged([sheet({ rows: 0, differences: [], defined: false, lent: { list: 'DR-15/other.dxf', marks: null } })]);
    expect(stage.text('header p')).toBe('No list drawn yet. The block ROW will be copied from other.dxf.');
    await stage.click('Place the list');
    expect(said).toEqual([['put', { drawing: 7, sheet: 'Sheet 1', corner: 'title block', erase: false }]]);
  });

  it('leave texts that the list has no value for, unless that is asked for', async () => {
    const kept = sheet({
      erased: 1,
      differences: [{ kind: 'same', row: 'a', holder: 'h1', item: '1', label: 'Drum', cells: [{ tag: 'QTY', now: '2', should: '', keeps: true }] }],
    });
    const { stage } = await staged([kept]);
    expect(stage.text('header p')).toBe('2 rows drawn, up to date.');
    expect(stage.text('section table')).toContain('kept textQuantity: 2 → blank; the text stays');
    expect(stage.text()).toContain('Clear 1 text that the BOM leaves blank');
  });

  it('have item marks that are set to their rows and placed where they lack', async () => {
    const { stage, said } = await staged([sheet()]);
    expect(stage.text()).toContain('3 marks, 2 wrong. Without a mark: 3.');
    expect(stage.text()).toContain('9 no row has this number');
    expect(stage.text()).toContain('2 Arm is item 20');
    await stage.click('Set to 20');
    await stage.click('Set 1 mark to the new numbers');
    await stage.click('Place marks');
    expect(said).toEqual([
      ['marked', { drawing: 7, sheet: 'Sheet 1', holder: 'm3', row: null }],
      ['marked', { drawing: 7, sheet: 'Sheet 1', holder: null, row: null }],
      ['placed', { drawing: 7, sheet: 'Sheet 1', edge: 'top', view: 0 }],
    ]);
  });

  it('are set up by a block, whose cells are understood by their names', async () => {
    const { stage, said } = await staged([], { content: { ...content, drawn: null }, view: null });
    const shown = stage.find(DrawnLists) as unknown as { chooseBlock(block: string): void };
    shown.chooseBlock('ROW');
    expect(said).toEqual([
      [
        'changed',
        {
          drawn: {
            block: 'ROW',
            cells: [
              { tag: 'POS', of: { fact: 'item' } },
              { tag: 'QTY', of: { fact: 'quantity' } },
              { tag: 'PARTNO', of: { property: 1 } },
              { tag: 'DESCR', of: { property: 2 } },
            ],
            growth: 'up',
            rowsPerColumn: null,
            side: 'left',
            marks: null,
          },
        },
      ],
    ]);
  });
});
