import { TestBed } from '@angular/core/testing';
import { beforeEach, describe, expect, it, jest } from '@jest/globals';
import { TakeBackView } from '@rule/contract';
import { provideStore } from '@ngrx/store';
import { Observable, Subject, of, throwError } from 'rxjs';
import { Api, Notices } from '../shared';
import { CellSource } from './cell-source';
import { ExchangeStore } from './exchange.store';

const view = (id: number, state: TakeBackView['takeBack']['state'], ready = 0): TakeBackView => ({
  takeBack: { id, name: 'a.xlsx', by: '', at: '', state, counts: null, note: null, sendOuts: [] },
  inspection: null,
  issues: [],
  issueCount: 0,
  warnings: [],
  byProperty: [],
  byFolder: [],
  byCode: [],
  ready,
  inTray: 0,
  written: 0,
  open: 0,
  job: null,
});

describe('the exchange store', () => {
  const api = {
    tableLayouts: () => of({ saved: [], purposes: [] }),
    sendOuts: () =>
      of([
        { id: 1, takenBackAt: null, closedAt: null },
        { id: 2, takenBackAt: '2026-11-25', closedAt: null },
        { id: 3, takenBackAt: null, closedAt: '2026-11-25' },
      ]),
    takeBacks: () => of([]),
    takeBackView: jest.fn<(id: number) => Observable<TakeBackView>>(),
    takeBackDecide: jest.fn<(id: number, body: object) => Observable<TakeBackView>>(),
  };
  let store: InstanceType<typeof ExchangeStore>;
  beforeEach(() => {
    jest.useFakeTimers();
    TestBed.configureTestingModule({ providers: [ExchangeStore, provideStore(), { provide: Api, useValue: api }, { provide: Notices, useValue: {} }] });
    store = TestBed.inject(ExchangeStore);
    api.takeBackView.mockReset();
  });

  it('counts copies that are out: those that neither came back nor will not', () => {
    store.lists();
    expect(store.out().map((row) => row.id)).toEqual([1]);
  });
  it('asks after a comparison until it has ended, and then shows it', () => {
    api.takeBackView
      .mockReturnValueOnce(of(view(4, 'comparing')))
      .mockReturnValueOnce(of(view(4, 'comparing')))
      .mockReturnValueOnce(of(view(4, 'compared', 2)));
    store.open(4);
    expect(store.view()?.takeBack.state).toBe('comparing');
    jest.advanceTimersByTime(2000);
    expect([store.view()?.takeBack.state, store.view()?.ready, api.takeBackView.mock.calls.length]).toEqual(['compared', 2, 3]);
  });
  it('keeps the filter while cells are decided about, and forgets it with another table', () => {
    api.takeBackView.mockReturnValueOnce(of(view(4, 'compared')));
    api.takeBackDecide.mockReturnValueOnce(of(view(4, 'compared', 1)));
    store.open(4);
    store.look({ verdict: 'conflict' });
    const before = store.revision();
    store.decide({ cells: [7], filter: {}, decision: 'take' });
    expect([store.filter(), store.revision() > before]).toEqual([{ verdict: 'conflict' }, true]);
    api.takeBackView.mockReturnValueOnce(of(view(5, 'compared')));
    store.open(5);
    expect(store.filter()).toEqual({});
  });
  it('says what went wrong', () => {
    api.takeBackView.mockReturnValueOnce(throwError(() => new Error('The table is gone.')));
    store.open(6);
    expect([store.error(), store.busy()]).toEqual(['The table is gone.', false]);
  });
});

describe('cells of a take-back', () => {
  const cell = (id: number) => ({ id }) as never;
  it('are read page by page as they come into sight, and again when they have changed', () => {
    const asked: number[] = [];
    const totals: number[] = [];
    const source = new CellSource(
      (offset, limit) => {
        asked.push(offset);
        return of({ total: 1_000_000, cells: Array.from({ length: limit }, (_, i) => cell(offset + i)) });
      },
      (total) => totals.push(total),
      () => undefined,
    );
    const sight = new Subject<{ start: number; end: number }>();
    let seen: readonly unknown[] = [];
    source.connect({ viewChange: sight }).subscribe((cells) => (seen = cells));
    expect([seen.length, asked]).toEqual([1_000_000, [0]]);
    sight.next({ start: 500_100, end: 500_320 });
    expect(asked).toEqual([0, 500_000, 500_200]);
    expect([seen[500_150], seen[700_000]]).toEqual([{ id: 500_150 }, undefined]);
    source.refresh();
    expect(asked).toEqual([0, 500_000, 500_200, 500_000, 500_200]);
    expect(totals.every((total) => total === 1_000_000)).toBe(true);
  });
  it('that are far out of sight are given up, so that memory stays small', () => {
    const source = new CellSource(
      (offset, limit) => of({ total: 100_000, cells: Array.from({ length: limit }, (_, i) => cell(offset + i)) }),
      () => undefined,
      () => undefined,
    );
    const sight = new Subject<{ start: number; end: number }>();
    let seen: readonly unknown[] = [];
    source.connect({ viewChange: sight }).subscribe((cells) => (seen = cells));
    for (let start = 0; start < 100_000; start += 200) sight.next({ start, end: start + 40 });
    expect(seen.filter((entry) => entry !== undefined).length).toBeLessThanOrEqual(40 * 200);
  });
});
