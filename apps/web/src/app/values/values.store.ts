import { inject } from '@angular/core';
import { GridQuery, GridRow } from '@rule/contract';
import { patchState, signalStore, withMethods, withState } from '@ngrx/signals';
import { Subscription } from 'rxjs';
import { Api, problemOf } from '../shared';

/** Rows asked for in one go. */
const PAGE = 200;

type Query = Pick<GridQuery, 'sort' | 'descending' | 'folder' | 'kind' | 'search'>;

interface State {
  readonly total: number | null;
  /** Rows by position; `null` where they have not come yet. */
  readonly rows: readonly (GridRow | null)[];
  readonly folders: readonly { readonly folder: string; readonly files: number }[];
  readonly kinds: readonly { readonly kind: string; readonly files: number }[];
  readonly error: string | null;
}

/** The grid's rows, read page by page as they come into view. */
export const ValuesStore = signalStore(
  withState<State>({ total: null, rows: [], folders: [], kinds: [], error: null }),
  withMethods((store, api = inject(Api)) => {
    let query: Query = { sort: 'file', descending: false };
    let asked = new Set<number>();
    let open = new Subscription();

    const ask = (page: number): void => {
      if (asked.has(page)) return;
      asked.add(page);
      const mine = asked;
      open.add(
        api.values({ ...query, offset: page * PAGE, limit: PAGE }).subscribe({
          next: ({ total, rows }) => {
            if (mine !== asked) return;
            const all = total === store.rows().length ? [...store.rows()] : Array.from({ length: total }, (_, i) => store.rows()[i] ?? null);
            rows.forEach((row, i) => (all[page * PAGE + i] = row));
            patchState(store, { total, rows: all, error: null });
          },
          error: (failure: unknown) => {
            mine.delete(page);
            patchState(store, { error: problemOf(failure).detail });
          },
        }),
      );
    };
    return {
      /** Begins anew with a query; rows that stand stay until the new ones come. */
      load(next: Query): void {
        open.unsubscribe();
        open = new Subscription();
        query = next;
        asked = new Set();
        const keep = store.rows().length > PAGE ? [] : store.rows();
        patchState(store, { rows: keep });
        ask(0);
      },
      /** Reads the pages that hold rows `from` to `to`. */
      ensure(from: number, to: number): void {
        for (let page = Math.floor(from / PAGE); page <= Math.floor(to / PAGE); page++) ask(page);
      },
      loadFilters(): void {
        api
          .filters()
          .subscribe({ next: (filters) => patchState(store, filters), error: (failure: unknown) => patchState(store, { error: problemOf(failure).detail }) });
      },
    };
  }),
);
