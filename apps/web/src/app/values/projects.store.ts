import { inject } from '@angular/core';
import { FileRow, WideDraft, WideRow, WideView } from '@rule/contract';
import { count } from '@rule/core/words';
import { patchState, signalStore, withMethods, withState } from '@ngrx/signals';
import { rxMethod } from '@ngrx/signals/rxjs-interop';
import { Store } from '@ngrx/store';
import { EMPTY, catchError, debounceTime, map, of, pipe, switchMap, tap } from 'rxjs';
import { Api, Notices, PendingStore, TrayActions, problemOf } from '../shared';

interface State {
  readonly list: readonly WideRow[] | null;
  readonly view: WideView | null;
  /** Files to add. */
  readonly found: readonly FileRow[];
  readonly error: string | null;
}

/** The company, projects and drawing sets, and what is kept in them. */
export const ProjectsStore = signalStore(
  withState<State>({ list: null, view: null, found: [], error: null }),
  withMethods((store, api = inject(Api), notices = inject(Notices), tray = inject(PendingStore), actions = inject(Store)) => {
    const failed = (failure: unknown) => {
      notices.failed(failure);
      return EMPTY;
    };
    const load = () =>
      void api
        .projects()
        .subscribe({ next: (list) => patchState(store, { list }), error: (failure: unknown) => patchState(store, { error: problemOf(failure).detail }) });
    const open = rxMethod<number | null>(
      pipe(
        switchMap((id) => {
          if (id === null) {
            patchState(store, { view: null });
            return EMPTY;
          }
          return api.project(id).pipe(
            tap((view) => {
              patchState(store, { view, error: null });
              tray.see([-view.id, ...view.sheets.map((sheet) => sheet.file)]);
            }),
            catchError((failure: unknown) => {
              patchState(store, { view: null, error: problemOf(failure).detail });
              return EMPTY;
            }),
          );
        }),
      ),
    );
    return {
      load,
      open,
      save(id: number | null, draft: WideDraft, saved: (row: WideRow) => void): void {
        api.saveProject(id, draft).subscribe({
          next: (row) => {
            load();
            saved(row);
          },
          error: failed,
        });
      },
      remove(id: number, removed: () => void): void {
        api.removeProject(id).subscribe({
          next: () => {
            load();
            removed();
          },
          error: failed,
        });
      },
      /** Finds files to add, while their path is typed. */
      search: rxMethod<string>(
        pipe(
          debounceTime(250),
          switchMap((text) => {
            const none: readonly FileRow[] = [];
            if (text.trim() === '') return of(none);
            return api.files({ search: text.trim(), limit: 10 }).pipe(
              map((page): readonly FileRow[] => page.rows),
              catchError(failed),
            );
          }),
          tap((found) => patchState(store, { found })),
        ),
      ),
      /** @param member whether the file belongs to it by hand; `null` leaves it to the rule */
      member(id: number, file: number, member: boolean | null): void {
        api.projectMembers(id, { files: [file], member }).subscribe({
          next: () => {
            patchState(store, { found: [] });
            open(id);
            load();
          },
          error: failed,
        });
      },
      /** Adds the values that its files lack to the tray. */
      push(id: number): void {
        api.pushProject(id).subscribe({
          next: ({ lines, barred }) => {
            actions.dispatch(TrayActions.load());
            notices.done(`${count(lines, 'value')} added to your tray.${barred ? ` ${barred} cannot be written now.` : ''}`);
          },
          error: failed,
        });
      },
    };
  }),
);
