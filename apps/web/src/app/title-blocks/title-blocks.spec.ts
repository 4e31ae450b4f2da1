import { describe, expect, it } from '@jest/globals';
import { BlockRow, BlockView } from '@rule/contract';
import { Stage, property } from '../../test/stage';
import { TitleBlocksStation } from './title-blocks';

const block: BlockRow = {
  name: 'MRW-TITLE',
  cells: [
    { tag: 'MATL', prompt: 'Material', binding: { block: 'MRW-TITLE', tag: 'MATL', propertyId: 1, source: 'model', format: 'plain' } },
    { tag: 'REV', prompt: 'Revision', binding: { block: 'MRW-TITLE', tag: 'REV', propertyId: 2, source: 'drawing', format: 'plain' } },
    { tag: 'NOTE', prompt: '', binding: null },
  ],
  drawings: [
    { file: 7, path: 'DR-15/drum.dxf', stale: 1 },
    { file: 8, path: 'DR-15/frame.dxf', stale: 2 },
  ],
} as unknown as BlockRow;
const bound = (tag: string, stored: string, shown: object) => ({ tag, stored, bound: { drawing: 7, holder: 'b1', tag, stored, shown } });
const view: BlockView = {
  file: { id: 7, path: 'DR-15/drum.dxf', name: 'drum.dxf', kind: 'drawing' },
  block: { name: 'MRW-TITLE', shapes: [], cells: [] },
  holder: 'b1',
  model: { match: { state: 'matched', file: 9, by: 'base name' }, path: 'DR-15/drum.step' },
  cells: [
    bound('MATL', '1.4301', { state: 'value', text: '1.4404' }),
    bound('REV', 'C', { state: 'value', text: 'C' }),
    { tag: 'NOTE', stored: 'by hand', bound: null },
  ],
} as unknown as BlockView;

const staged = async (more: object = {}, inputs: Record<string, unknown> = {}, role = 'administrator'): Promise<Stage> => {
  const stage = new Stage(
    {
      blocks: [block],
      block: view,
      bind: {},
      blockTray: { lines: [], counts: { lines: 3, accepted: 3, files: 2, undecided: 0 } },
      files: {
        rows: [
          { id: 3, path: 'other.step', kind: 'part' },
          { id: 4, path: 'plan.dxf', kind: 'drawing' },
        ],
      },
      settleModel: {},
      way: [],
      ...more,
    },
    { role, properties: [property(1, 'Material', { caption: 'Material' }), property(2, 'Revision', { caption: 'Revision' })] },
  );
  await stage.show(TitleBlocksStation, inputs);
  return stage;
};
const cells = (stage: Stage) =>
  [...stage.page.querySelectorAll('.cells tbody tr')].map((row) =>
    [...row.querySelectorAll('td')].filter((_, i) => i === 0 || i > 3).map((cell) => cell.textContent.trim()),
  );
const station = (stage: Stage) =>
  stage.fixture.componentInstance as {
    bind(row: object, change: object): void;
    models(): { id: number }[];
    candidates: { look(text: string): void };
    settle(model: number): void;
  };

describe('title blocks', () => {
  it('say which cells are bound, with which model a drawing is filled, and what would read otherwise', async () => {
    const stage = await staged();
    expect(stage.text('.head p')).toMatch(/^3 cells, 1 bound to no property\. Shown filled for drum\.dxf with model drum\.step, found by ?base name\./);
    expect(cells(stage)).toEqual([
      ['MATL', '1.4301', '1.4404'],
      ['REV', 'C', 'C'],
      ['NOTE', 'by hand', 'left as it is'],
    ]);
    expect(stage.page.querySelectorAll('.changed').length).toBe(1);
  });
  it('put one drawing or all of them in the tray', async () => {
    const stage = await staged();
    await stage.click('Put this drawing in the tray');
    expect([stage.last('blockTray'), stage.action('[Tray] Open')]).toMatchObject([[{ block: 'MRW-TITLE', drawings: [7] }], { open: true }]);
    await stage.click('Put all 3 stale cells in the tray');
    expect(stage.last('blockTray')).toEqual([{ block: 'MRW-TITLE', drawings: null }]);
  });
  it('a binding is changed as a whole: what was not touched goes along', async () => {
    const stage = await staged();
    station(stage).bind(block.cells[0]!, { format: 'upper case' });
    station(stage).bind(block.cells[2]!, { property: 2 });
    expect(stage.calls.filter((call) => call.name === 'bind').map((call) => call.args[0])).toEqual([
      { block: 'MRW-TITLE', tag: 'MATL', property: 1, source: 'model', format: 'upper case' },
      { block: 'MRW-TITLE', tag: 'NOTE', property: 2, source: 'model', format: 'plain' },
    ]);
    expect(stage.calls.filter((call) => call.name === 'blocks').length).toBe(3);
  });
  it('an ambiguous model is not guessed: a person looks for it, and drawings are none', async () => {
    const stage = await staged({ block: { ...view, model: { match: { state: 'ambiguous', candidates: [5, 6] }, path: null } } });
    expect(stage.text('.head p')).toContain('whose model is ambiguous.');
    expect(stage.text('[bench="inspector"]')).toContain('More than one file could be it.');
    station(stage).candidates.look('other');
    await stage.rested();
    expect([stage.last('files'), station(stage).models()]).toEqual([[{ search: 'other', limit: 200 }], [{ id: 3, path: 'other.step' }]]);
    station(stage).settle(3);
    expect(stage.last('settleModel')).toEqual([7, 3]);
  });
  it('a settled model stays offered, though nothing that was looked for finds it', async () => {
    const stage = await staged({ block: { ...view, model: { match: { state: 'matched', file: 9, by: 'settled' }, path: 'DR-15/drum.step' } } });
    station(stage).candidates.look('');
    await stage.rested();
    expect([
      stage.last('files'),
      station(stage)
        .models()
        .map((file) => file.id),
    ]).toEqual([[{ limit: 200 }], [9, 3]]);
  });
  it('a chosen cell says why it reads as it does', async () => {
    const stage = await staged({}, { cell: 'MATL' });
    expect(stage.text('[bench="inspector"]')).toContain('The drawing holds 1.4301; the property says 1.4404.');
  });
  it('no drawing with a block is said', async () => {
    expect((await staged({ blocks: [] })).text('.note')).toContain('No drawing has a block with attribute definitions.');
  });
  it('a viewer looks', async () => {
    const stage = await staged({}, {}, 'viewer');
    expect(() => stage.button('Put this drawing in the tray')).toThrow();
  });
});
