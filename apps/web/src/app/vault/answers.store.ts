import { inject } from '@angular/core';
import { FileDetails, LinkValues } from '@rule/contract';
import { patchState, signalStore, withMethods, withState } from '@ngrx/signals';
import { EMPTY, Observable } from 'rxjs';
import { Api, Notices, loads, withAnswer } from '../shared';

/** Outcome of the next check-in with other values. */
export const TriedValuesStore = signalStore(
  withAnswer(
    (api, { file, ...values }: { readonly file: number; readonly state: string; readonly edits: readonly object[] }): Observable<readonly LinkValues[]> =>
      api.tryValues(file, values as Parameters<typeof api.tryValues>[1]),
  ),
);

/** A file whose names can be linked. */
export const SampleStore = signalStore(
  withState<{ readonly file: FileDetails | null }>({ file: null }),
  withMethods((store, api = inject(Api), notices = inject(Notices)) => ({
    forget: () => patchState(store, { file: null }),
    look: loads<{ readonly file: FileDetails | null }>(store, (failure) => {
      notices.failed(failure);
      return EMPTY;
    })<number, FileDetails>(
      (id) => api.file(id),
      (file) => ({ file }),
    ),
  })),
);
