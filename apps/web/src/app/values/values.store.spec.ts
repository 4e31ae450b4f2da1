import { beforeEach, describe, expect, it } from '@jest/globals';
import { provideHttpClient } from '@angular/common/http';
import { HttpTestingController, TestRequest, provideHttpClientTesting } from '@angular/common/http/testing';
import { TestBed } from '@angular/core/testing';
import { GridPage, GridRow } from '@rule/contract';
import { ValuesStore } from './values.store';

const row = (id: number): GridRow => ({
  file: { id, library: 1, path: `${id}.step`, folder: '', name: `${id}.step`, kind: 'part', class: null, problem: null, lock: null },
  held: {},
  findings: [],
});
const page = (from: number, count: number, total: number): GridPage => ({ total, rows: Array.from({ length: count }, (_, i) => row(from + i)) });

describe('the rows of the grid', () => {
  let http: HttpTestingController;
  let store: InstanceType<typeof ValuesStore>;
  const asked = (): TestRequest[] => http.match((request) => request.url === '/api/values' && !request.params.has('none'));
  beforeEach(() => {
    TestBed.configureTestingModule({ providers: [provideHttpClient(), provideHttpClientTesting(), ValuesStore] });
    http = TestBed.inject(HttpTestingController);
    store = TestBed.inject(ValuesStore);
  });

  it('come page by page as they are needed, each page once', () => {
    store.load({ sort: 'file', descending: false });
    asked()[0]!.flush(page(0, 200, 1000));
    expect([store.total(), store.rows().length, store.files()[199]?.file.id, store.rows()[200]]).toEqual([1000, 1000, 199, null]);
    store.ensure(390, 410);
    store.ensure(395, 405);
    const more = asked();
    expect(more.map((request) => request.request.params.get('offset'))).toEqual(['200', '400']);
    more[1]!.flush(page(400, 200, 1000));
    expect([store.files()[400]?.file.id, store.rows()[399]]).toEqual([400, null]);
  });
  it('of an earlier question are not mixed into a later one', () => {
    store.load({ sort: 'file', descending: false });
    const first = asked()[0]!;
    store.load({ sort: 'file', descending: true, kind: 'part' });
    expect(first.cancelled).toBe(true);
    const second = asked()[0]!;
    expect([second.request.params.get('kind'), second.request.params.get('descending')]).toEqual(['part', 'true']);
    second.flush(page(7, 3, 3));
    expect(store.files().map((r) => r?.file.id)).toEqual([7, 8, 9]);
  });
  it('that cannot be read say so, and can be asked for again', () => {
    store.load({ sort: 'file', descending: false });
    asked()[0]!.flush({ code: 'database-unreachable', detail: 'The database does not answer.' }, { status: 503, statusText: '' });
    expect(store.error()).toBe('The database does not answer.');
    store.ensure(0, 10);
    asked()[0]!.flush(page(0, 2, 2));
    expect([store.error(), store.total()]).toEqual([null, 2]);
  });

  it('stand under the headings of their groups, and go away when one is closed', () => {
    store.load({ sort: 'file', descending: false, group: 'folder' });
    const groups = http.expectOne((request) => request.url === '/api/values/groups');
    expect(groups.request.params.has('sort')).toBe(false);
    groups.flush([
      { text: 'a', files: 2 },
      { text: 'b', files: 1 },
    ]);
    asked()[0]!.flush(page(1, 3, 3));
    const shown = () => store.rows().map((item) => (item === null ? null : 'group' in item ? item.group : item.file.id));
    expect(shown()).toEqual(['a', 1, 2, 'b', 3]);
    store.toggle('a');
    expect(shown()).toEqual(['a', 'b', 3]);
    store.toggle('a');
    store.load({ sort: 'file', descending: false });
    expect(store.groups()).toBeNull();
  });
  it('are brought where a range needs them, a few pages at a time', async () => {
    store.load({ sort: 'file', descending: false });
    asked()[0]!.flush(page(0, 200, 1200));
    const done = store.bring(0, 1199);
    const first = asked();
    expect(first.map((request) => request.request.params.get('offset'))).toEqual(['200', '400', '600']);
    for (const request of first) request.flush(page(Number(request.request.params.get('offset')), 200, 1200));
    await new Promise((next) => setTimeout(next));
    for (const request of asked()) request.flush(page(Number(request.request.params.get('offset')), 200, 1200));
    await done;
    expect(store.files().every((row, i) => row?.file.id === i)).toBe(true);
  });
});
