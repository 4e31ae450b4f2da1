import { computed, inject } from '@angular/core';
import { ReplacementPreview, ReplacementRequest } from '@rule/contract';
import { patchState, signalStore, withComputed, withMethods, withState } from '@ngrx/signals';
import { rxMethod } from '@ngrx/signals/rxjs-interop';
import { EMPTY, catchError, pipe, switchMap, tap } from 'rxjs';
import { Api, Notices } from '../shared';

interface State {
  readonly found: ReplacementPreview | null;
  readonly looking: boolean;
}

/** What find and replace has found on the server. */
export const ReplaceStore = signalStore(
  withState<State>({ found: null, looking: false }),
  withComputed(({ found }) => ({ good: computed(() => (found()?.values ?? []).filter((entry) => entry.problem === null)) })),
  withMethods((store, api = inject(Api), notices = inject(Notices)) => ({
    look: rxMethod<ReplacementRequest>(
      pipe(
        tap(() => patchState(store, { looking: true })),
        switchMap((request) =>
          api.findReplacements(request).pipe(
            tap((found) => patchState(store, { found, looking: false })),
            catchError((failure: unknown) => {
              patchState(store, { looking: false });
              notices.failed(failure);
              return EMPTY;
            }),
          ),
        ),
      ),
    ),
    forget: () => patchState(store, { found: null }),
  })),
);
