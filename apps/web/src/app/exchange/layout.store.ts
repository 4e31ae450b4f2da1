import { inject } from '@angular/core';
import { ClassRow, LayoutContent, LayoutDraft, TableFormat, WideRow } from '@rule/contract';
import { patchState, signalStore, withMethods, withState } from '@ngrx/signals';
import { rxMethod } from '@ngrx/signals/rxjs-interop';
import { Store } from '@ngrx/store';
import { EMPTY, Observable, catchError, filter, first, map, merge, pipe, switchMap, tap, timer } from 'rxjs';
import { Api, CatalogueActions, Notices, goesOn, TYPING_MS } from '../shared';
import { ExchangeStore } from './exchange.store';

/** Polling interval of a table being written, in milliseconds. */
const ASK_EVERY = 300;

interface State {
  /** Rows that the layout gives; `null` while they are counted. */
  readonly rows: number | null;
  /** The format being written. */
  readonly sending: TableFormat | null;
  readonly folders: readonly string[];
  readonly classes: readonly ClassRow[];
  readonly projects: readonly WideRow[];
  readonly assemblies: readonly { readonly id: number; readonly path: string }[];
  readonly bomLayouts: readonly { readonly id: number; readonly name: string }[];
  readonly recordFields: readonly string[];
  readonly cellTags: readonly string[];
}

/** What a table layout can choose from, how many rows it gives, saving and sending out. */
export const LayoutStore = signalStore(
  withState<State>({
    rows: null,
    sending: null,
    folders: [],
    classes: [],
    projects: [],
    assemblies: [],
    bomLayouts: [],
    recordFields: [],
    cellTags: [],
  }),
  withMethods((store, api = inject(Api), notices = inject(Notices), actions = inject(Store), exchange = inject(ExchangeStore)) => {
    const failed = (failure: unknown) => {
      notices.failed(failure);
      return EMPTY;
    };
    return {
      /** Loads all that can be chosen; one part that fails does not stop the others. */
      loadChoices: rxMethod<void>(
        pipe(
          switchMap(() => {
            const parts: readonly Observable<Partial<State>>[] = [
              api.filters().pipe(map(({ folders }) => ({ folders: folders.map((row) => row.folder).filter(Boolean) }))),
              api.classes().pipe(map((classes) => ({ classes }))),
              api.projects().pipe(map((rows) => ({ projects: rows.filter((row) => row.level !== 'company') }))),
              api.assemblies().pipe(map((assemblies) => ({ assemblies }))),
              api.bomLayouts().pipe(map((bomLayouts) => ({ bomLayouts }))),
              api.vault().pipe(
                map(({ definition: { fields, systemFields } }) => ({
                  recordFields: [...fields.filter((field) => !field.retired).map((field) => field.name), ...systemFields],
                })),
              ),
              api.blocks().pipe(map((blocks) => ({ cellTags: [...new Set(blocks.flatMap((block) => block.cells.map((cell) => cell.tag)))].sort() }))),
            ];
            return merge(...parts.map((part) => part.pipe(catchError(failed)))).pipe(tap((loaded) => patchState(store, loaded)));
          }),
        ),
      ),
      count: rxMethod<LayoutContent>(
        pipe(
          tap(() => patchState(store, { rows: null })),
          switchMap((content) =>
            timer(TYPING_MS).pipe(
              switchMap(() => api.countRows(content)),
              tap(({ rows }) => patchState(store, { rows })),
              catchError(failed),
            ),
          ),
        ),
      ),
      /** @param saved gets the layout's number */
      save(id: number | null, draft: LayoutDraft, saved: (id: number) => void): void {
        api.saveTableLayout(id, draft).subscribe({
          next: (kept) => {
            exchange.lists();
            notices.done(`The layout ${draft.name} is saved.`);
            saved(kept.id);
          },
          error: exchange.failed,
        });
      },
      remove(id: number, name: string, removed: () => void): void {
        api.removeTableLayout(id).subscribe({
          next: () => {
            exchange.lists();
            notices.done(`The layout ${name} is removed.`);
            removed();
          },
          error: exchange.failed,
        });
      },
      /** @param sent gets the address of the table */
      send(
        table: { readonly format: TableFormat; readonly content: LayoutContent; readonly layout: number | null; readonly recipient: string },
        sent: (address: string) => void,
      ): void {
        exchange.busyNow();
        patchState(store, { sending: table.format });
        const ended = (failure?: unknown) => {
          patchState(store, { sending: null });
          if (failure === undefined) exchange.ready();
          else exchange.failed(failure);
        };
        api.sendOut(table).subscribe({
          next: ({ id, job }) =>
            timer(0, ASK_EVERY)
              .pipe(
                switchMap(() => api.job(job)),
                filter((row) => !goesOn(row)),
                first(),
              )
              .subscribe({
                next: (row) => {
                  if (row.state !== 'done') return ended(new Error(row.message ?? 'The table was not written.'));
                  ended();
                  exchange.lists();
                  actions.dispatch(CatalogueActions.recount());
                  sent(`/api/exchange/send-outs/${id}/file`);
                },
                error: ended,
              }),
          error: ended,
        });
      },
    };
  }),
);
