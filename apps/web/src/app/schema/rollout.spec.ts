import { describe, expect, it } from '@jest/globals';
import { RolloutRow } from '@rule/contract';
import { throwError } from 'rxjs';
import { Stage, property } from '../../test/stage';
import { RolloutView } from './rollout';
import { SchemaStore } from './schema.store';

const properties = [
  property(1, 'Supplier', { caption: 'Supplier' }),
  property(2, 'Label', { caption: 'Label', feed: 'ruled', rule: 'Supplier' }),
  property(3, 'Colour', { caption: 'Colour', retired: true }),
  property(4, 'Old', { caption: 'Old', retired: true }),
  property(5, 'Saved by', { caption: 'Saved by', feed: 'file', fileField: 'author' }),
  property(6, 'Sheet title', { caption: 'Sheet title', level: 'sheet', kinds: ['drawing'] }),
];
const row = (id: number, change: Partial<RolloutRow> = {}): RolloutRow => ({
  property: id,
  reached: 40,
  named: 40,
  filled: 30,
  otherName: 0,
  barred: 0,
  left: 0,
  ...change,
});
const rollout = [row(1, { named: 35, barred: 2, otherName: 3 }), row(2), row(3, { left: 7 }), row(4), row(5), row(6)];

const staged = async (more: object = {}, role = 'editor'): Promise<Stage> => {
  const stage = new Stage({ rollout, rolloutTray: { lines: 3, open: 1 }, ...more }, { role, properties, providers: [SchemaStore] });
  await stage.show(RolloutView);
  return stage;
};
const cells = (stage: Stage) =>
  [...stage.page.querySelectorAll('tbody tr')].map((each) =>
    [...each.querySelectorAll('td')].slice(0, 7).map((cell) => cell.textContent.replace(/\s+/g, ' ').trim()),
  );

describe('the rollout of an edition', () => {
  it('counts what files hold: of retired properties only what is left, of files’ own fields and inner levels nothing', async () => {
    expect(cells(await staged())).toEqual([
      ['Supplier', '40', '35', '30', '3', '2', ''],
      ['Label', '40', '40', '30', '', '', ''],
      ['Colourretired', '', '', '', '', '', '7'],
    ]);
  });
  it('offers what carries each property on, and nothing else', async () => {
    const stage = await staged();
    const acts = [...stage.page.querySelectorAll('tbody tr')].map((each) =>
      [...each.querySelectorAll('td:last-child button')].map((button) => button.textContent.trim()),
    );
    expect(acts).toEqual([['Rename', 'Add the name'], ['Compute'], ['Remove 7']]);
    await stage.click('Rename to Supplier');
    await stage.click('Remove left over values of Colour');
    expect(stage.calls.filter((call) => call.name === 'rolloutTray').map((call) => call.args)).toEqual([
      [1, 'rename'],
      [3, 'remove'],
    ]);
    expect([stage.said[0], stage.actions.some((action) => action.type === '[Tray] Load')]).toEqual(['3 values added to your tray. 1 need a person.', true]);
  });
  it('lists the files that lack a name with what stands in the way', async () => {
    const stage = await staged({
      rolloutMissing: [
        { file: 8, path: 'parts/old.step', reason: 'is released in the vault' },
        { file: 9, path: 'parts/new.step', reason: null },
      ],
    });
    await stage.click(/^35 of 40 have the name Supplier/);
    expect(stage.text()).toMatch(/Files without Supplier.*parts\/old\.step ?is released in the vault.*parts\/new\.step ?can be written/);
  });
  it('a viewer sees it and carries nothing on; a failure is said', async () => {
    const stage = await staged({}, 'viewer');
    expect(() => stage.button('Rename to Supplier')).toThrow();
  });
  it('a failure is said', async () => {
    const stage = await staged({ rolloutTray: throwError(() => new Error('Nothing to do.')) });
    await stage.click('Compute Label');
    expect(stage.said).toEqual(['Error: Nothing to do.']);
  });
});
