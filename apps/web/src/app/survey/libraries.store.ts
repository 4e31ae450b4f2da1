import { inject } from '@angular/core';
import { FileFilter } from '@rule/contract';
import { patchState, signalStore, withMethods, withState } from '@ngrx/signals';
import { Store } from '@ngrx/store';
import { Api, CatalogueActions, JobsActions, Notices, problemOf, saveBlob } from '../shared';

/** Adds libraries, has them read, and sends out what was found in them. */
export const LibrariesStore = signalStore(
  withState<{ readonly busy: boolean; readonly error: string | null }>({ busy: false, error: null }),
  withMethods((store, api = inject(Api), notices = inject(Notices), actions = inject(Store)) => {
    const begin = () => patchState(store, { busy: true, error: null });
    const error = (failure: unknown) => patchState(store, { busy: false, error: problemOf(failure).detail });
    const done = () => {
      patchState(store, { busy: false });
      actions.dispatch(CatalogueActions.recount());
    };
    return {
      /** @param added gets the new library's number */
      addUpload(name: string, added: (library: number) => void): void {
        begin();
        api.addUpload(name).subscribe({
          next: ({ library }) => {
            done();
            added(library);
          },
          error,
        });
      },
      addFolder(folder: { readonly name: string; readonly path: string }, added: () => void): void {
        begin();
        api.addLibrary(folder).subscribe({
          next: (started) => {
            actions.dispatch(JobsActions.started(started));
            done();
            added();
          },
          error,
        });
      },
      /** @param library `null` for all */
      rescan(library: number | null): void {
        api.rescan(library).subscribe({ next: (started) => actions.dispatch(JobsActions.started(started)), error: notices.failed });
      },
      sendOut(table: { readonly format: 'xlsx' | 'csv'; readonly filter: FileFilter; readonly names: readonly string[] }): void {
        api.surveyTable(table).subscribe({ next: saveBlob, error: notices.failed });
      },
    };
  }),
);
