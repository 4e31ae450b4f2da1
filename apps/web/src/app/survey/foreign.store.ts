import { inject } from '@angular/core';
import { ForeignMapping, ForeignRequest, ForeignRow } from '@rule/contract';
import { count } from '@rule/core/words';
import { patchState, signalStore, withMethods, withState } from '@ngrx/signals';
import { Store } from '@ngrx/store';
import { EMPTY } from 'rxjs';
import { Api, Notices, TrayActions, loads, problemOf } from '../shared';

interface State {
  readonly mappings: readonly ForeignMapping[];
  readonly error: string | null;
  readonly busy: boolean;
}

/** Kept mappings of foreign names, and their lines for the tray. */
export const ForeignStore = signalStore(
  withState<State>({ mappings: [], error: null, busy: false }),
  withMethods((store, api = inject(Api), notices = inject(Notices), actions = inject(Store)) => {
    const failed = (failure: unknown) => patchState(store, { busy: false, error: problemOf(failure).detail });
    const load = loads<State>(store, (failure) => {
      notices.failed(failure);
      return EMPTY;
    })<void, readonly ForeignMapping[]>(
      () => api.foreign(),
      (mappings) => ({ mappings }),
    );
    return {
      load,
      forgetError: () => patchState(store, { error: null }),
      /** @param saved gets the mapping as it was saved */
      save(id: number | null, mapping: { readonly name: string; readonly rows: readonly ForeignRow[] }, saved: (mapping: ForeignMapping) => void): void {
        api.saveForeign(id, mapping).subscribe({
          next: (kept) => {
            notices.done(`The mapping ${kept.name} is kept.`);
            saved(kept);
            load();
          },
          error: failed,
        });
      },
      remove(id: number, removed: () => void): void {
        api.removeForeign(id).subscribe({
          next: () => {
            removed();
            load();
          },
          error: notices.failed,
        });
      },
      put(request: ForeignRequest): void {
        patchState(store, { busy: true });
        api.foreignTray(request).subscribe({
          next: ({ lines }) => {
            patchState(store, { busy: false });
            actions.dispatch(TrayActions.load());
            notices.done(`${count(lines, 'value')} added to the tray. After applying, History can check them against the files.`);
          },
          error: failed,
        });
      },
    };
  }),
);
