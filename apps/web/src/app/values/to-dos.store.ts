import { inject } from '@angular/core';
import { ToDo } from '@rule/contract';
import { count } from '@rule/core/words';
import { patchState, signalStore, withMethods, withState } from '@ngrx/signals';
import { Store } from '@ngrx/store';
import { Api, CatalogueActions, Notices, TrayActions, problemOf } from '../shared';

/** New or changed files lacking something. */
export const ToDosStore = signalStore(
  withState<{ readonly list: readonly ToDo[] | null; readonly error: string | null }>({ list: null, error: null }),
  withMethods((store, api = inject(Api), notices = inject(Notices), actions = inject(Store)) => {
    const load = () =>
      void api
        .toDos()
        .subscribe({ next: (list) => patchState(store, { list }), error: (failure: unknown) => patchState(store, { error: problemOf(failure).detail }) });
    return {
      load,
      /** Adds the missing names of files to the tray. */
      addNames(files: readonly number[]): void {
        api.toDoTray([...files]).subscribe({
          next: ({ lines }) => {
            actions.dispatch(TrayActions.load());
            notices.done(`${count(lines, 'name')} added to your tray.`);
          },
          error: notices.failed,
        });
      },
      dismiss(files: readonly number[], done: () => void): void {
        api.dismissToDos([...files]).subscribe({
          next: () => {
            done();
            actions.dispatch(CatalogueActions.recount());
            load();
          },
          error: notices.failed,
        });
      },
    };
  }),
);
