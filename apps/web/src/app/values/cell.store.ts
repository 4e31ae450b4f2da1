import { inject } from '@angular/core';
import { FileDetails, UpToDate } from '@rule/contract';
import { count } from '@rule/core/words';
import { patchState, signalStore, withMethods, withState } from '@ngrx/signals';
import { rxMethod } from '@ngrx/signals/rxjs-interop';
import { Store } from '@ngrx/store';
import { EMPTY, catchError, pipe, switchMap, tap } from 'rxjs';
import { Api, Notices, TrayActions } from '../shared';

/** What is asked about selected cells, and done to them. */
export const CellStore = signalStore(
  withState<{ /** The file whose name is selected. */ readonly details: FileDetails | null }>({ details: null }),
  withMethods((store, api = inject(Api), notices = inject(Notices), actions = inject(Store)) => ({
    loadDetails: rxMethod<number>(
      pipe(
        tap(() => patchState(store, { details: null })),
        switchMap((file) =>
          api.file(file).pipe(
            tap((details) => patchState(store, { details })),
            catchError((failure: unknown) => {
              notices.failed(failure);
              return EMPTY;
            }),
          ),
        ),
      ),
    ),
    /** Adds updates of stale values to the tray. */
    bringUpToDate(what: UpToDate): void {
      api.bringUpToDate(what).subscribe({
        next: ({ lines, barred, blanks }) => {
          const left = [
            barred ? `${count(barred, 'file')} cannot be written now` : '',
            blanks ? `${count(blanks, 'value')} would only be emptied and stay` : '',
          ].filter(Boolean);
          notices.done(`${count(lines, 'value')} added to your tray.${left.length ? ` ${left.join('; ')}.` : ''}`);
          actions.dispatch(TrayActions.load());
        },
        error: notices.failed,
      });
    },
  })),
);
