import { inject } from '@angular/core';
import { FoundDraft } from '@rule/contract';
import { PropertyDraft } from '@rule/core/schema';
import { count } from '@rule/core/words';
import { patchState, signalStore, withMethods, withState } from '@ngrx/signals';
import { rxMethod } from '@ngrx/signals/rxjs-interop';
import { EMPTY, catchError, pipe, switchMap, tap } from 'rxjs';
import { Api, Notices, problemOf } from '../shared';

/** A found draft, taken or not. */
export interface DraftRow extends FoundDraft {
  readonly take: boolean;
}

interface State {
  readonly rows: readonly DraftRow[];
  readonly error: string | null;
  readonly busy: boolean;
}

/** Draft properties from strays. */
export const DraftsStore = signalStore(
  withState<State>({ rows: [], error: null, busy: false }),
  withMethods((store, api = inject(Api), notices = inject(Notices)) => {
    const failed = (failure: unknown) => {
      patchState(store, { busy: false, error: problemOf(failure).detail });
      return EMPTY;
    };
    return {
      load: rxMethod<readonly string[]>(
        pipe(
          tap(() => patchState(store, { rows: [], error: null })),
          switchMap((names) =>
            names.length === 0
              ? EMPTY
              : api.drafts(names).pipe(
                  tap((drafts) => patchState(store, { rows: drafts.map((draft) => ({ ...draft, take: true })) })),
                  catchError(failed),
                ),
          ),
        ),
      ),
      change(at: number, change: Partial<DraftRow>): void {
        patchState(store, { rows: store.rows().map((row, i) => (i === at ? { ...row, ...change } : row)) });
      },
      /** Adds them to the draft, all or none. */
      accept(drafts: readonly PropertyDraft[], done: () => void): void {
        patchState(store, { busy: true });
        api.addProperties(drafts).subscribe({
          next: ({ ids, draft }) => {
            patchState(store, { busy: false });
            notices.done(`${count(ids.length, 'property is', 'properties are')} in the draft of edition ${draft.number ?? ''}.`);
            done();
          },
          error: failed,
        });
      },
    };
  }),
);
