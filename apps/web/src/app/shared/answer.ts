import { inject } from '@angular/core';
import { patchState, signalStoreFeature, withMethods, withState } from '@ngrx/signals';
import { rxMethod } from '@ngrx/signals/rxjs-interop';
import { EMPTY, Observable, catchError, of, pipe, switchMap, tap, timer } from 'rxjs';
import { Api } from './api';
import { problemOf } from './server';

/**
 * Part of a store that holds one answer of the server, or why there is none. Of several questions, only the last one counts; an answer
 * stays until the next one arrives.
 * @param pauseMs wait before asking, while somebody types or moves on
 */
export function withAnswer<Given, Answer>(ask: (api: Api, given: Given) => Observable<Answer>, pauseMs = 0) {
  return signalStoreFeature(
    withState<{ readonly answer: Answer | null; readonly error: string | null }>({ answer: null, error: null }),
    withMethods((store, api = inject(Api)) => ({
      /** `null` forgets the answer. */
      ask: rxMethod<Given | null>(
        pipe(
          tap((given) => patchState(store, given === null ? { answer: null, error: null } : { error: null })),
          switchMap((given) =>
            given === null
              ? EMPTY
              : (pauseMs ? timer(pauseMs) : of(0)).pipe(
                  switchMap(() => ask(api, given)),
                  tap((answer) => patchState(store, { answer })),
                  catchError((failure: unknown) => {
                    patchState(store, { answer: null, error: problemOf(failure).detail });
                    return EMPTY;
                  }),
                ),
          ),
        ),
      ),
    })),
  );
}
