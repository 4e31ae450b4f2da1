import { inject } from '@angular/core';
import { patchState, signalStore, withMethods, withState } from '@ngrx/signals';
import { Api } from './api';
import { problemOf } from './server';

/** Changes one's own password. */
export const PasswordStore = signalStore(
  withState<{ readonly busy: boolean; readonly problem: string | null }>({ busy: false, problem: null }),
  withMethods((store, api = inject(Api)) => ({
    change(passwords: { readonly current: string; readonly next: string }, changed: () => void): void {
      patchState(store, { busy: true, problem: null });
      api.changePassword(passwords).subscribe({
        next: () => {
          patchState(store, { busy: false });
          changed();
        },
        error: (failure: unknown) => patchState(store, { busy: false, problem: problemOf(failure).detail }),
      });
    },
  })),
);
