import { beforeAll, describe, expect, it } from '@jest/globals';
import { ChangeSetRow, LineRow } from '@rule/contract';
import { throwError } from 'rxjs';
import { Stage, giveRoom } from '../../test/stage';
import { HistoryStation } from './history';

const set = (id: number, change: Partial<ChangeSetRow> = {}): ChangeSetRow => ({
  id,
  title: `Set ${id}`,
  by: 'T. Okafor',
  at: '2026-11-25T08:00:00Z',
  mode: 'whole',
  state: 'applied',
  lines: 2,
  files: 1,
  revertOf: null,
  revertedBy: null,
  problem: null,
  ...change,
});
const line = {
  id: 1,
  file: 7,
  path: 'parts/drum.step',
  place: 'property',
  name: 'Supplier',
  base: null,
  proposed: { text: 'Kessler', form: 'text' },
  message: null,
  reason: 'typed',
} as unknown as LineRow;

const staged = async (inputs: Record<string, unknown> = {}, more: object = {}, role = 'editor'): Promise<Stage> => {
  const stage = new Stage(
    {
      history: [set(3, { revertOf: 2 }), set(2, { revertedBy: 3 }), set(1)],
      changeSet: [line],
      changeSetRow: (id: number) => set(id, { title: 'An old one' }),
      ...more,
    },
    { role },
  );
  await stage.show(HistoryStation, inputs);
  await stage.rested();
  return stage;
};

describe('history', () => {
  beforeAll(giveRoom);
  it('shows the newest change set with its lines, and which ones revert which', async () => {
    const stage = await staged();
    expect(stage.text('h1')).toBe('Change set 3: Set 3');
    expect(stage.text('.head p')).toContain('reverts 2');
    expect([...stage.page.querySelectorAll('cdk-virtual-scroll-viewport [role=cell]')].map((cell) => cell.textContent.trim())).toEqual([
      'parts/drum.step',
      'Supplier',
      '—',
      'Kessler',
      'typed',
    ]);
  });
  it('finds the one that the address names however old it is, and lists older ones when asked', async () => {
    const long = Array.from({ length: 200 }, (_, i) => set(2000 - i));
    const stage = await staged({ set: '7' }, { history: (query: { before?: number }) => (query.before ? [set(query.before - 1)] : long) });
    expect(stage.text('h1')).toBe('Change set 7: An old one');
    await stage.click('Show older');
    expect(stage.last('history')).toEqual([{ before: 1801, limit: 200 }]);
    expect(() => stage.button('Show older')).toThrow();
  });
  it('one that is reverted already, or was put back, has nothing to revert', async () => {
    const stage = await staged({ set: '2' });
    expect(stage.text('.head p')).toContain('reverted by 3');
    expect(() => stage.button(/^Revert/)).toThrow();
  });
  it('what was put back is neither reverted nor checked', async () => {
    const stage = await staged({}, { history: [set(9, { state: 'put back' })] });
    expect(() => stage.button(/^Revert|^Check/)).toThrow();
  });
  it('one that was interrupted says why it is not finished, and is neither reverted nor checked', async () => {
    const stage = await staged({ set: '1' }, { history: [set(1, { state: 'applying', problem: 'The disk is full.' })] });
    expect([stage.text('.chip'), stage.text('.note[role=status]')]).toEqual(['being recovered', expect.stringContaining('The disk is full.')]);
    expect(() => stage.button(/^Revert|^Check/)).toThrow();
  });
  it('reverts as a change set of its own', async () => {
    const stage = await staged({ set: '1' }, { revert: { changeSet: 4, state: 'applied', applied: 2, failed: 0, files: 1, failures: [] } });
    await stage.click('Revert 2 values in 1 file');
    expect([stage.last('revert'), stage.said]).toEqual([[1], ['Change set 1 is reverted: 2 values in 1 files.']]);
    expect(stage.actions.some((action) => action.type === '[Tray] Applied')).toBe(true);
  });
  it('what stands in the way of a revert is said by file', async () => {
    const failures = [{ path: 'parts/drum.step', message: 'has been changed since.' }];
    const stage = await staged({ set: '1' }, { revert: { changeSet: 4, state: 'put back', applied: 0, failed: 1, files: 0, failures } });
    await stage.click('Revert 2 values in 1 file');
    expect([stage.text('[role=alert]'), stage.said]).toEqual(['Nothing was reverted. parts/drum.step: has been changed since.', []]);
  });
  it('reads the files anew and names what another program has changed', async () => {
    const checked = {
      lines: 2,
      asMeant: 1,
      different: [{ file: 7, path: 'parts/drum.step', name: 'Supplier', meant: 'Kessler', found: null }],
      unreadable: [],
    };
    const stage = await staged({ set: '1' }, { checkChangeSet: checked });
    await stage.click('Check against the files');
    expect(stage.text('.note[role=status]')).toBe(
      'Read again: 1 of 2 values are in the files as intended. parts/drum.step, Supplier: meant Kessler, found nothing',
    );
    expect(stage.page.querySelector('.note[role=status]')!.classList.contains('bad')).toBe(true);
  });
  it('says that nothing was applied yet', async () => {
    expect((await staged({}, { history: [] })).text('.head p')).toBe(
      'Nothing has been applied yet. Every applied change set will be listed here and can be reverted.',
    );
  });
  it('says what went wrong', async () => {
    expect((await staged({}, { history: throwError(() => new Error('The server does not answer.')) })).text('[role=alert]')).toBe(
      'The server does not answer.',
    );
  });
  it('a viewer checks, and reverts nothing', async () => {
    const stage = await staged({ set: '1' }, {}, 'viewer');
    expect(stage.button('Check against the files').disabled).toBe(false);
    expect(() => stage.button(/^Revert/)).toThrow();
  });
});
