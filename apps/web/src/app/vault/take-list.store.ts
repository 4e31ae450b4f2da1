import { inject } from '@angular/core';
import { LegacyList, LegacyRow, RecordEditReport } from '@rule/contract';
import { patchState, signalStore, withMethods, withState } from '@ngrx/signals';
import { rxMethod } from '@ngrx/signals/rxjs-interop';
import { EMPTY, catchError, pipe, switchMap, tap } from 'rxjs';
import { Api, problemOf } from '../shared';

interface Table {
  readonly headers: readonly string[];
  readonly rows: readonly (readonly string[])[];
}

interface State {
  readonly table: Table | null;
  /** What the list would change; `null` until compared. */
  readonly rows: readonly LegacyRow[] | null;
  readonly report: RecordEditReport | null;
  readonly problem: string | null;
  readonly busy: boolean;
}

const NOTHING: State = { table: null, rows: null, report: null, problem: null, busy: false };

/** A list that is taken into records. */
export const TakeListStore = signalStore(
  withState<State>(NOTHING),
  withMethods((store, api = inject(Api)) => {
    const failed = (failure: unknown) => {
      patchState(store, { busy: false, problem: problemOf(failure).detail });
      return EMPTY;
    };
    /** `null` while the list is incomplete. */
    const preview = rxMethod<LegacyList | null>(
      pipe(
        tap(() => patchState(store, { rows: null, problem: null })),
        switchMap((list) =>
          list === null
            ? EMPTY
            : api.previewRecordList(list).pipe(
                tap((rows) => patchState(store, { rows })),
                catchError(failed),
              ),
        ),
      ),
    );
    return {
      preview,
      /** @param opened gets the table before it is compared */
      open(file: File, opened: (table: Table) => void): void {
        patchState(store, NOTHING);
        api.openRecordList(file).subscribe({
          next: (table) => {
            patchState(store, { table });
            opened(table);
          },
          error: failed,
        });
      },
      take(list: LegacyList, taken: () => void): void {
        patchState(store, { busy: true });
        api.takeRecordList(list).subscribe({
          next: (report) => {
            patchState(store, { busy: false, report });
            preview(list);
            taken();
          },
          error: failed,
        });
      },
    };
  }),
);
