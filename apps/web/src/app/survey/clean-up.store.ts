import { inject } from '@angular/core';
import { CleanUpRequest } from '@rule/contract';
import { count } from '@rule/core/words';
import { patchState, signalStore, withMethods, withState } from '@ngrx/signals';
import { Store } from '@ngrx/store';
import { Api, Notices, TrayActions, problemOf } from '../shared';

/** Adds the lines of a clean-up to the tray. */
export const CleanUpStore = signalStore(
  withState<{ readonly busy: boolean; readonly error: string | null }>({ busy: false, error: null }),
  withMethods((store, api = inject(Api), notices = inject(Notices), actions = inject(Store)) => ({
    forgetError: () => patchState(store, { error: null }),
    put(request: CleanUpRequest, done: () => void): void {
      patchState(store, { busy: true });
      api.cleanUp(request).subscribe({
        next: ({ lines }) => {
          patchState(store, { busy: false });
          actions.dispatch(TrayActions.load());
          notices.done(`${count(lines, 'value')} added to the tray.`);
          done();
        },
        error: (failure: unknown) => patchState(store, { busy: false, error: problemOf(failure).detail }),
      });
    },
  })),
);
