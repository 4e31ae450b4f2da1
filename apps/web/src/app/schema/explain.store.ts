import { inject } from '@angular/core';
import { ExpressionResult, FilesPage } from '@rule/contract';
import { Kind, PropertyDraft } from '@rule/core/schema';
import { patchState, signalStore, withMethods, withState } from '@ngrx/signals';
import { rxMethod } from '@ngrx/signals/rxjs-interop';
import { EMPTY, catchError, pipe, switchMap, tap, timer } from 'rxjs';
import { Api, loads, problemOf, TYPING_MS } from '../shared';

/** Files that a rule is tried on. */
const FILES = 5;

interface State {
  readonly files: readonly number[];
  readonly results: readonly ExpressionResult[];
  readonly error: string | null;
}

/** Results of a rule on some files. */
export const ExplainStore = signalStore(
  withState<State>({ files: [], results: [], error: null }),
  withMethods((store, api = inject(Api)) => {
    const failed = (failure: unknown) => {
      patchState(store, { error: problemOf(failure).detail });
      return EMPTY;
    };
    const load = loads<State>(store, failed);
    return {
      find: load<{ readonly text: string; readonly kind: Kind }, FilesPage>(
        ({ text, kind }) => api.files({ ...(text ? { search: text } : {}), kind, offset: 0, limit: FILES }),
        ({ rows }) => ({ files: rows.map((row) => row.id), ...(rows.length === 0 ? { results: [] } : {}) }),
      ),
      /** Tries a rule after a pause; `null` waits for the next. */
      explain: rxMethod<{ readonly property: PropertyDraft; readonly id: number | null; readonly files: readonly number[] } | null>(
        pipe(
          switchMap((asked) =>
            asked === null
              ? EMPTY
              : timer(TYPING_MS).pipe(
                  switchMap(() => api.explainRule(asked)),
                  tap((results) => patchState(store, { results, error: null })),
                  catchError(failed),
                ),
          ),
        ),
      ),
    };
  }),
);
