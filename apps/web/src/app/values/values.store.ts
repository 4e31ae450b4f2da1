import { computed, inject } from '@angular/core';
import { GridGroup, GridQuery, GridRow } from '@rule/contract';
import { InnerLevel } from '@rule/core/schema';
import { patchState, signalStore, withComputed, withMethods, withState } from '@ngrx/signals';
import { Subscription } from 'rxjs';
import { Api, problemOf } from '../shared';
import { GridItem } from './grid';

/** Rows loaded at a time. */
const PAGE = 200;

type Query = Pick<GridQuery, 'sort' | 'descending' | 'folder' | 'kind' | 'class' | 'search' | 'where' | 'group' | 'level'>;

interface State {
  readonly total: number | null;
  /** Files by position; `null` if not loaded. */
  readonly files: readonly (GridRow | null)[];
  readonly groups: readonly GridGroup[] | null;
  readonly closed: ReadonlySet<string>;
  readonly folders: readonly { readonly folder: string; readonly files: number }[];
  readonly kinds: readonly { readonly kind: string; readonly files: number }[];
  /** Levels available for rows. */
  readonly levels: readonly InnerLevel[];
  readonly error: string | null;
}

/** Grid lines with file positions; -1 for group headings. */
function linesOf(
  files: readonly (GridRow | null)[],
  groups: readonly GridGroup[] | null,
  closed: ReadonlySet<string>,
): { rows: readonly GridItem[]; places: Int32Array | null } {
  if (groups === null) return { rows: files, places: null };
  const rows: GridItem[] = [];
  const places: number[] = [];
  let place = 0;
  for (const { text, files: count } of groups) {
    const open = !closed.has(text);
    rows.push({ group: text, files: count, open });
    places.push(-1);
    if (open)
      for (let i = 0; i < count; i++) {
        rows.push(files[place + i] ?? null);
        places.push(place + i);
      }
    place += count;
  }
  return { rows, places: Int32Array.from(places) };
}

/** Grid rows, loaded by page on demand. */
export const ValuesStore = signalStore(
  withState<State>({ total: null, files: [], groups: null, closed: new Set<string>(), folders: [], kinds: [], levels: [], error: null }),
  withComputed(({ files, groups, closed }) => {
    const lines = computed(() => linesOf(files(), groups(), closed()));
    return { rows: computed(() => lines().rows), places: computed(() => lines().places) };
  }),
  withMethods((store, api = inject(Api)) => {
    let query: Query = { sort: 'file', descending: false };
    let asked = new Map<number, Promise<void>>();
    let open = new Subscription();

    const ask = (page: number): Promise<void> => {
      const known = asked.get(page);
      if (known) return known;
      const mine = asked;
      const coming = new Promise<void>((done) => {
        const request = api.values({ ...query, offset: page * PAGE, limit: PAGE }).subscribe({
          next: ({ total, rows }) => {
            const all = total === store.files().length ? [...store.files()] : Array.from({ length: total }, (_, i) => store.files()[i] ?? null);
            rows.forEach((row, i) => (all[page * PAGE + i] = row));
            patchState(store, { total, files: all, error: null });
            done();
          },
          error: (failure: unknown) => {
            mine.delete(page);
            patchState(store, { error: problemOf(failure).detail });
            done();
          },
        });
        // A cancelled request yields nothing.
        request.add(done);
        open.add(request);
      });
      if (!asked.has(page)) asked.set(page, coming);
      return coming;
    };
    /** Pages containing lines `from` to `to`. */
    const pagesOf = (from: number, to: number): number[] => {
      const places = store.places();
      const found = places === null ? [from, to] : [...places.slice(from, to + 1)].filter((place) => place >= 0);
      if (found.length === 0) return [];
      const [first, last] = [Math.floor(Math.min(...found) / PAGE), Math.floor(Math.max(...found) / PAGE)];
      return Array.from({ length: last - first + 1 }, (_, i) => first + i);
    };
    return {
      /** Restarts with a query, keeping old rows until the answer. */
      load(next: Query): void {
        const regrouped = next.group !== query.group;
        // Old rows are of another kind and must not be kept.
        if (next.level !== query.level) patchState(store, { files: [], total: null });
        open.unsubscribe();
        open = new Subscription();
        query = next;
        asked = new Map();
        patchState(store, { files: store.files().length > PAGE ? [] : store.files(), ...(regrouped ? { closed: new Set<string>() } : {}) });
        if (next.group === undefined) patchState(store, { groups: null });
        else {
          const { sort: _s, descending: _d, group, ...filter } = next;
          void _s;
          void _d;
          open.add(
            api.gridGroups({ ...filter, group }).subscribe({
              next: (groups) => patchState(store, { groups }),
              error: (failure: unknown) => patchState(store, { error: problemOf(failure).detail }),
            }),
          );
        }
        void ask(0);
      },
      /** Loads pages containing lines `from` to `to`. */
      ensure(from: number, to: number): void {
        for (const page of pagesOf(from, Math.max(from, Math.min(to, store.rows().length - 1)))) void ask(page);
      },
      /** The same, completing when loaded. */
      async bring(from: number, to: number): Promise<void> {
        const pages = pagesOf(from, to);
        // Limits concurrency: large ranges must not send hundreds of requests at once.
        for (let i = 0; i < pages.length; i += 4) await Promise.all(pages.slice(i, i + 4).map(ask));
      },
      toggle(group: string): void {
        const closed = new Set(store.closed());
        if (!closed.delete(group)) closed.add(group);
        patchState(store, { closed });
      },
      loadFilters(): void {
        api
          .filters()
          .subscribe({ next: (filters) => patchState(store, filters), error: (failure: unknown) => patchState(store, { error: problemOf(failure).detail }) });
      },
    };
  }),
);
export type ValuesStore = InstanceType<typeof ValuesStore>;
