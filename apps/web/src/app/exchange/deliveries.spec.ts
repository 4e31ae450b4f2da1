import { TestBed } from '@angular/core/testing';
import { describe, expect, it } from '@jest/globals';
import { Delivery, WatchedFolder } from '@rule/contract';
import { throwError } from 'rxjs';
import { Stage } from '../../test/stage';
import { Unsaved } from '../shared';
import { Deliveries } from './deliveries';
import { ExchangeStore } from './exchange.store';

const delivery: Delivery = {
  id: 4,
  name: 'For planning',
  layout: 2,
  format: 'xml',
  folder: '/srv/out',
  when: 'weekly',
  state: '',
  minute: 375,
  weekday: 3,
  active: true,
  nextAt: '2026-12-02T06:15:00Z',
  last: { at: '2026-11-25T06:15:00Z', file: 'planning.xml', rows: 1, trouble: null },
};
const folder: WatchedFolder = {
  id: 6,
  folder: '/srv/in',
  apply: true,
  active: true,
  last: { at: '2026-11-25T07:00:00Z', file: 'x.csv', takeBack: null, trouble: 'x.csv: no column of files.' },
};

const staged = async (
  more: object = {},
  saved: readonly object[] = [
    { id: 2, name: 'Purchasing' },
    { id: 3, name: 'Everything' },
  ],
): Promise<Stage> => {
  const stage = new Stage(
    {
      tableLayouts: { saved, purposes: [] },
      sendOuts: [],
      takeBacks: [],
      deliveries: [delivery],
      watchedFolders: [folder],
      settings: { workflowStates: ['In work', 'Released'] },
      saveDelivery: {},
      saveWatchedFolder: {},
      removeDelivery: {},
      removeWatchedFolder: {},
      ...more,
    },
    { providers: [ExchangeStore] },
  );
  await stage.show(Deliveries);
  stage.fixture.componentRef.injector.get(ExchangeStore).lists();
  await stage.settled();
  return stage;
};

describe('deliveries and watched folders', () => {
  it('say in a sentence when, what and where, and how it went last', async () => {
    const stage = await staged();
    const list = stage.text('[aria-label="Deliveries"]');
    expect(list).toContain('Purchasing as XML to /srv/out, every Wednesday at 06:15; next');
    expect(list).toContain('1 row as planning.xml');
    const watched = stage.text('[aria-label="Watched folders"]');
    expect([watched.includes('What is clear is applied at once.'), watched.includes('x.csv: no column of files.')]).toEqual([true, true]);
  });

  it('a delivery needs a saved layout', async () => {
    const stage = await staged({ deliveries: [] }, []);
    expect([stage.button('New delivery').disabled, stage.text('.note')]).toEqual([true, 'A delivery needs a saved layout. Save one first.']);
  });

  it('a new one by the clock: times are minutes after midnight', async () => {
    const stage = await staged();
    await stage.click('New delivery');
    expect([stage.button('Save').disabled, TestBed.inject(Unsaved).what()]).toEqual([true, []]);
    await stage.type('Name', 'Nightly');
    expect(TestBed.inject(Unsaved).what()).toEqual(['the delivery Nightly']);
    await stage.type('Folder on the server', '/srv/night');
    await stage.select('Layout', 'Everything');
    await stage.type('At', '23:05');
    await stage.click('Save');
    expect(stage.last('saveDelivery')).toEqual([
      null,
      { name: 'Nightly', layout: 3, format: 'csv', folder: '/srv/night', when: 'daily', state: '', minute: 1385, weekday: 1, active: true },
    ]);
    expect([stage.said, stage.page.querySelector('[aria-label="Delivery"]')]).toEqual([['The delivery Nightly is saved.'], null]);
    expect(TestBed.inject(Unsaved).what()).toEqual([]);
  });

  it('one on release waits until a workflow state is named', async () => {
    const stage = await staged();
    await stage.click('New delivery');
    await stage.type('Name', 'Released parts');
    await stage.type('Folder on the server', '/srv/released');
    await stage.select('When', 'when files reach a workflow state');
    expect(stage.button('Save').disabled).toBe(true);
    await stage.select('State', 'Released');
    await stage.click('Save');
    expect(stage.last('saveDelivery')![1]).toMatchObject({ when: 'release', state: 'Released' });
  });

  it('one that exists is changed under its number, delivered at once, and removed; a refusal is shown and nothing is lost', async () => {
    const refused = throwError(() => new Error('/srv/out is not a folder.'));
    let save: unknown = refused;
    const stage = await staged({ saveDelivery: () => save, deliverNow: { at: '', file: 'planning.xml', rows: 3, trouble: null } });
    await stage.click('Change');
    await stage.select('On', 'Friday');
    await stage.click('Save');
    const store = stage.fixture.componentRef.injector.get(ExchangeStore);
    expect([store.error(), stage.field('Name').value]).toEqual(['/srv/out is not a folder.', 'For planning']);
    save = {};
    await stage.click('Save');
    expect(stage.last('saveDelivery')).toEqual([4, expect.objectContaining({ name: 'For planning', weekday: 5, minute: 375 })]);
    await stage.click('Deliver now');
    expect([stage.last('deliverNow'), stage.said.at(-1)]).toEqual([[4], 'planning.xml is written.']);
    await stage.click('Remove');
    expect(stage.last('removeDelivery')).toEqual([4]);
  });

  it('a folder is watched, with or without applying what is clear, and watched no longer', async () => {
    const stage = await staged();
    await stage.click('Watch a folder');
    expect(stage.button('Save').disabled).toBe(true);
    await stage.type('Folder on the server', '/srv/in2');
    const apply = [...stage.page.querySelectorAll<HTMLInputElement>('[aria-label="Watched folder"] input[type=checkbox]')];
    expect(apply.map((box) => box.checked)).toEqual([false, true]);
    await stage.click('Save');
    expect(stage.last('saveWatchedFolder')).toEqual([null, { folder: '/srv/in2', apply: false, active: true }]);
    await stage.click('Watch no longer');
    expect(stage.last('removeWatchedFolder')).toEqual([6]);
  });
});
