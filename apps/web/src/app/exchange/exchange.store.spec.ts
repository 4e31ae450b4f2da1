import { beforeEach, describe, expect, it } from '@jest/globals';
import { provideHttpClient } from '@angular/common/http';
import { HttpTestingController, provideHttpClientTesting } from '@angular/common/http/testing';
import { TestBed } from '@angular/core/testing';
import { TakeBackCellRow, TakeBackView } from '@rule/contract';
import { ExchangeStore } from './exchange.store';

const cell = (id: number, verdict: TakeBackCellRow['verdict'], outcome: TakeBackCellRow['outcome'] = null): TakeBackCellRow => ({
  id,
  row: id,
  file: 1,
  path: 'a',
  property: 1,
  verdict,
  base: null,
  current: null,
  proposed: null,
  text: '',
  message: '',
  outcome,
});
const view = (...cells: TakeBackCellRow[]): TakeBackView => ({
  takeBack: { id: 5, name: 't.xlsx', by: '', at: '', counts: { unchanged: 0, change: 0, same: 0, conflict: 0, error: 0, notTaken: 0, total: 0 }, note: null },
  issues: [],
  cells,
});

describe('a take-back under review', () => {
  let http: HttpTestingController;
  let store: InstanceType<typeof ExchangeStore>;
  beforeEach(() => {
    TestBed.configureTestingModule({ providers: [provideHttpClient(), provideHttpClientTesting(), ExchangeStore] });
    http = TestBed.inject(HttpTestingController);
    store = TestBed.inject(ExchangeStore);
    store.show(view(cell(1, 'change'), cell(2, 'change'), cell(3, 'conflict'), cell(4, 'error'), cell(5, 'change', 'tray')));
  });

  it('takes all changes unless told otherwise, and no conflict by itself', () => {
    expect(store.taken()).toEqual([1, 2]);
    store.tick(2, false);
    store.tick(3, true);
    expect(store.taken()).toEqual([1, 3]);
    store.tickAll(false);
    expect(store.taken()).toEqual([]);
    store.tickAll(true);
    expect(store.taken()).toEqual([1, 2]);
  });
  it('counts as open only what has no outcome yet', () => {
    expect([store.changes().map((c) => c.id), store.conflicts().map((c) => c.id)]).toEqual([[1, 2], [3]]);
  });
  it('keeps what Rule holds where a person says so', () => {
    store.keep([3]);
    const request = http.expectOne('/api/exchange/take-backs/5/keep');
    expect(request.request.body).toEqual({ cells: [3] });
    request.flush(view(cell(1, 'change'), cell(3, 'conflict', 'kept')));
    expect([store.conflicts(), store.taken()]).toEqual([[], [1]]);
  });
  it('says why a file was not taken', () => {
    store.busyNow();
    store.failed(new Error('The server is gone.'));
    expect([store.busy(), store.error()]).toEqual([false, 'The server is gone.']);
  });
});
