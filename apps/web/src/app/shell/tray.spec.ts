import { beforeAll, describe, expect, it } from '@jest/globals';
import { ApplyReport, TrayCounts, TrayLine } from '@rule/contract';
import { Action, Store } from '@ngrx/store';
import { TestBed } from '@angular/core/testing';
import { Stage, giveRoom } from '../../test/stage';
import { TrayActions } from '../shared';
import { TrayBar } from './tray';

const text = (value: string) => ({ text: value, form: 'text' as const });
const line = (id: number, change: Partial<TrayLine> = {}): TrayLine =>
  ({
    id,
    file: id,
    path: `parts/file-${id}.step`,
    kind: 'part',
    holder: '',
    place: 'property',
    name: 'Supplier',
    base: text('Old'),
    current: text('Old'),
    proposed: text('New'),
    reason: 'typed',
    accepted: true,
    verdict: 'apply',
    refused: null,
    message: null,
    alsoPending: [],
    ...change,
  }) as unknown as TrayLine;
const report: ApplyReport = {
  changeSet: 8,
  state: 'partly applied',
  applied: 2,
  failed: 1,
  files: 2,
  failures: [{ path: 'parts/file-3.step', message: 'is open in another program.' }],
} as unknown as ApplyReport;

describe('the tray', () => {
  beforeAll(giveRoom);
  const staged = async (lines: readonly TrayLine[], counts: Partial<TrayCounts> = {}, open = true): Promise<Stage> => {
    const stage = new Stage({}, { role: 'editor' });
    const all = { lines: lines.length, accepted: lines.filter((each) => each.accepted).length, files: lines.length, undecided: 0, ...counts };
    const store = TestBed.inject(Store);
    store.dispatch(TrayActions.loaded({ lines, counts: all }));
    store.dispatch(TrayActions.open({ open }));
    await stage.show(TrayBar);
    await stage.rested();
    return stage;
  };
  const rows = (stage: Stage) =>
    [...stage.page.querySelectorAll('cdk-virtual-scroll-viewport [role=row]')].map((row) =>
      [...row.querySelectorAll('[role=cell]')].slice(1, 6).map((cell) => cell.textContent.replace(/\s+/g, ' ').trim()),
    );

  it('is a bar that says how much would change, and opens into the lines', async () => {
    const stage = await staged([line(1), line(2)], { undecided: 1 }, false);
    expect(stage.text('.bar')).toBe('2 values would change in 2 files 1 needs a decisionReview');
    expect(stage.page.querySelector('.sheet')).toBeNull();
    await stage.click('Review');
    expect([stage.page.querySelector('.sheet') !== null, stage.button('Close').getAttribute('aria-expanded')]).toEqual([true, 'true']);
  });
  it('says that nothing waits', async () => {
    const stage = await staged([]);
    expect([stage.text('.bar'), stage.button('Discard all').disabled]).toEqual(['0 nothing pending Close', true]);
  });

  it('every line says what it was, what it becomes and why; a blank is a word', async () => {
    const stage = await staged([
      line(1),
      line(2, { proposed: null }),
      line(3, { alsoPending: ['L. Lindqvist'] }),
      line(4, { refused: 'The file is released in the vault.' }),
      line(5, { message: 'Supplier is not in the list.' }),
    ]);
    expect(rows(stage)).toEqual([
      ['parts/file-1.step', 'Supplier', 'Old', 'New', 'typed'],
      ['parts/file-2.step', 'Supplier', 'Old', 'blank', 'typed'],
      ['parts/file-3.step', 'Supplier', 'Old', 'New', 'typed also pending: L. Lindqvist'],
      ['parts/file-4.step', 'Supplier', 'Old', 'New', 'The file is released in the vault.'],
      ['parts/file-5.step', 'Supplier', 'Old', 'New', 'Supplier is not in the list.'],
    ]);
  });

  it('a conflict shows all three values and is settled either way', async () => {
    const stage = await staged([line(1, { verdict: 'conflict', current: text('Theirs') })], { undecided: 1 });
    expect(rows(stage)[0]).toEqual(['parts/file-1.step', 'Supplier', 'Theirs', 'New', 'changed since, was OldKeep TheirsUse New']);
    expect(stage.text('.head')).toContain('1 cannot be applied as they are.');
    await stage.click('Use New');
    expect(stage.action<Action & { settle: unknown }>('[Tray] Settle')!.settle).toEqual({ line: 1, take: 'mine' });
    await stage.click('Keep Theirs');
    expect(stage.action<Action & { settle: unknown }>('[Tray] Settle')!.settle).toEqual({ line: 1, take: 'theirs' });
  });

  it('lines are set aside, given up, singly and all', async () => {
    const stage = await staged([line(1), line(2, { accepted: false })]);
    expect(stage.text('.head')).toContain('1 of 2 lines accepted');
    await stage.tick('Accept parts/file-1.step Supplier', false);
    expect(stage.action('[Tray] Accept')).toMatchObject({ lines: [1], accepted: false });
    await stage.tick('Accept all lines', true);
    expect(stage.action('[Tray] Accept')).toMatchObject({ lines: 'all', accepted: true });
    await stage.click('Discard parts/file-2.step Supplier');
    expect(stage.action('[Tray] Drop')).toMatchObject({ lines: [2] });
    await stage.click('Discard all');
    expect(stage.action('[Tray] Drop')).toMatchObject({ lines: 'all' });
  });

  it('is applied in the mode that was chosen, and the report offers the way back', async () => {
    const stage = await staged([line(1)]);
    await stage.tick('if a file fails, continue with the others', true);
    await stage.click('Apply 1 value');
    expect(stage.action('[Tray] Apply')).toMatchObject({ mode: 'file by file', title: '' });
    TestBed.inject(Store).dispatch(TrayActions.applied({ report }));
    await stage.settled();
    expect(stage.text('.note')).toBe('2 values written into 2 files. Undoparts/file-3.step: is open in another program.');
    await stage.click('Undo');
    expect(stage.action('[Tray] Revert')).toMatchObject({ changeSet: 8 });
  });
  it('says that only the first lines are shown when there are more', async () => {
    const stage = await staged([line(1), line(2)], { lines: 7000, accepted: 7000, files: 3000 });
    expect(stage.text('.sheet > .soft')).toContain(
      'The first 2 lines are shown, those that need a decision before the others. All 7000 are applied or discarded together.',
    );
    expect(stage.button('Apply 7000 values').disabled).toBe(false);
  });
});
