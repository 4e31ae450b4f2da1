import { inject } from '@angular/core';
import { Learned } from '@rule/contract';
import { Binding } from '@rule/core/schema';
import { patchState, signalStore, withMethods, withState } from '@ngrx/signals';
import { Store } from '@ngrx/store';
import { EMPTY } from 'rxjs';
import { Api, CatalogueActions, Notices, loads, problemOf } from '../shared';

interface State {
  readonly learned: Learned | null;
  readonly error: string | null;
}

/** Suggestions learned from the library. */
export const LearnedStore = signalStore(
  withState<State>({ learned: null, error: null }),
  withMethods((store, api = inject(Api), notices = inject(Notices), actions = inject(Store)) => {
    const load = loads<State>(store, (failure) => {
      patchState(store, { error: problemOf(failure).detail });
      return EMPTY;
    })<void, Learned>(
      () => api.learned(),
      (learned) => ({ learned, error: null }),
    );
    return {
      load,
      /** Binds a cell in the draft. */
      bind({ block, tag }: Learned['cells'][number], shows: Binding['shows'], caption: string): void {
        api.bindCells([{ block, cell: tag, shows, leads: false }]).subscribe({
          next: () => {
            notices.done(`In the draft, ${tag} of ${block} shows ${caption}.`);
            actions.dispatch(CatalogueActions.recount());
            load();
          },
          error: notices.failed,
        });
      },
    };
  }),
);
