import { inject } from '@angular/core';
import type { Practice, StandardFinding, Starter } from '@rule/core/standards';
import { signalStore, withMethods, withState } from '@ngrx/signals';
import { EMPTY } from 'rxjs';
import { Api, Notices, loads } from '../shared';

interface State {
  readonly starters: readonly Starter[];
  /** `null` until loaded. */
  readonly findings: readonly StandardFinding[] | null;
}

/** Starter schemas, and what draft and drawings lack of a standard. */
export const StandardsStore = signalStore(
  withState<State>({ starters: [], findings: null }),
  withMethods((store, api = inject(Api), notices = inject(Notices)) => {
    const load = loads<State>(store, (failure) => {
      notices.failed(failure);
      return EMPTY;
    });
    return {
      loadStarters: load<void, readonly Starter[]>(
        () => api.starters(),
        (starters) => ({ starters }),
      ),
      look: load<Practice, readonly StandardFinding[]>(
        (practice) => api.standards(practice),
        (findings) => ({ findings }),
      ),
    };
  }),
);
