import { describe, expect, it } from '@jest/globals';
import { SeriesRow } from '@rule/contract';
import { newSeries } from '@rule/core/schema';
import { throwError } from 'rxjs';
import { Stage } from '../../test/stage';
import { SchemaStore } from './schema.store';
import { NumberSeriesView } from './series';

const row: SeriesRow = {
  ...newSeries('Part numbers'),
  parts: [{ type: 'text', text: 'DR-' }, { type: 'count' }],
  digits: 5,
  start: 10,
  id: 4,
  usedBy: ['Part number'],
  counters: [{ frame: 'DR-', last: 12, next: 'DR-00013' }],
  numbers: [{ id: 9, text: 'DR-00012', state: 'reserved', by: 'okafor', at: '2026-11-25T08:00:00Z', file: null, note: 'chute' }],
};
const staged = async (id: string, more: object = {}, role = 'administrator'): Promise<{ stage: Stage; picked: string[] }> => {
  const stage = new Stage(
    {
      numberSeries: [row],
      saveSeries: (_: unknown, draft: object) => ({ ...row, ...draft, id: 7 }),
      removeSeries: {},
      drawNumber: { text: 'DR-00013' },
      releaseNumber: {},
      ...more,
    },
    { role, providers: [SchemaStore] },
  );
  await stage.show(NumberSeriesView, { id });
  stage.fixture.componentRef.injector.get(SchemaStore).reloadSeries();
  const picked: string[] = [];
  (stage.fixture.componentInstance as NumberSeriesView).picked.subscribe((each) => picked.push(each));
  await stage.settled();
  return { stage, picked };
};

describe('number series', () => {
  it('a new one shows what its first number looks like while it is put together', async () => {
    const { stage, picked } = await staged('new');
    expect(stage.button('Save').disabled).toBe(true);
    await stage.type('Name', 'Bought parts');
    await stage.click('Add a text');
    const last = () =>
      [...stage.page.querySelectorAll<HTMLInputElement>('input')]
        .filter((input) => (input.getAttribute('aria-label') ?? '').startsWith('Text of part'))
        .at(-1)!;
    await stage.type(last().getAttribute('aria-label')!, 'BP-');
    await stage.type('Digits', '4');
    await stage.type('Starts at', '100');
    expect(stage.text('[aria-label="Series"]')).toContain('0100BP-');
    const at = Number(/\d+/.exec(last().getAttribute('aria-label')!)![0]);
    await stage.click(`Move up part ${at}`);
    expect(stage.text('[aria-label="Series"]')).toContain('BP-0100');
    await stage.click('Save');
    expect(stage.last('saveSeries')).toEqual([
      null,
      expect.objectContaining({ name: 'Bought parts', digits: 4, start: 100, parts: [{ type: 'text', text: 'BP-' }, { type: 'count' }] }),
    ]);
    expect([picked, stage.said]).toEqual([['7'], ['Bought parts is saved.']]);
  });
  it('one without a digit cannot be saved', async () => {
    const { stage } = await staged('4');
    await stage.type('Digits', '0');
    expect([stage.button('Save').disabled, stage.page.querySelector('[role=alert]') !== null]).toEqual([true, true]);
  });
  it('what is typed stays when a number is reserved meanwhile', async () => {
    let last = 12;
    const { stage } = await staged('4', { numberSeries: () => [{ ...row, counters: [{ frame: 'DR-', last: last++, next: 'DR-00013' }] }] });
    await stage.type('Digits', '6');
    await stage.click('Reserve the next number');
    expect([stage.field('Digits').value, stage.button('Save').disabled]).toEqual(['6', false]);
  });
  it('a number is reserved with what it is for, and released again', async () => {
    const { stage } = await staged('4');
    expect(stage.text('[aria-labelledby="handed"]')).toContain('DR-00012');
    await stage.type('What the number is for', 'hopper lid');
    await stage.click('Reserve the next number');
    expect([stage.last('drawNumber'), stage.said, stage.field('What the number is for').value]).toEqual([
      [4, 'hopper lid'],
      ['DR-00013 is reserved for you.'],
      '',
    ]);
    await stage.click('release DR-00012');
    expect(stage.last('releaseNumber')).toEqual([9]);
  });
  it('no number is drawn from a series that is being changed', async () => {
    const { stage } = await staged('4');
    await stage.type('Digits', '6');
    expect(stage.button('Reserve the next number').disabled).toBe(true);
  });
  it('one that is used is not removed without a word', async () => {
    const { stage, picked } = await staged('4', { removeSeries: throwError(() => new Error('Part numbers is used by Part number.')) });
    await stage.click('Remove');
    expect([stage.said, picked]).toEqual([['Error: Part numbers is used by Part number.'], []]);
  });
  it('one that counts in each file hands nothing out by itself', async () => {
    const { stage } = await staged('4', { numberSeries: [{ ...row, per: 'file', counters: [], numbers: [] }] });
    expect(stage.page.querySelector('#handed')).toBeNull();
    expect(stage.text('.note')).toContain('Assign the next revision where files are filled in');
    await stage.select('A number is unique', 'once in the library');
    await stage.click('Save');
    expect(stage.last('saveSeries')![1]).toMatchObject({ per: 'library' });
  });
});
