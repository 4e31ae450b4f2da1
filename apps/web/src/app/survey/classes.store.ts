import { inject } from '@angular/core';
import { ClassesDraft } from '@rule/contract';
import { patchState, signalStore, withMethods, withState } from '@ngrx/signals';
import { Api, Notices, problemOf } from '../shared';

/** Saves the classes. */
export const ClassesStore = signalStore(
  withState<{ readonly busy: boolean; readonly error: string | null }>({ busy: false, error: null }),
  withMethods((store, api = inject(Api), notices = inject(Notices)) => ({
    save(classes: ClassesDraft['classes'], saved: () => void): void {
      patchState(store, { busy: true, error: null });
      api.saveClasses({ classes }).subscribe({
        next: () => {
          patchState(store, { busy: false });
          notices.done('Classes saved and all files reclassified.');
          saved();
        },
        error: (failure: unknown) => patchState(store, { busy: false, error: problemOf(failure).detail }),
      });
    },
  })),
);
