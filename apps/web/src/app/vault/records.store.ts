import { inject } from '@angular/core';
import { FieldOrder, Newcomer, RecordEditReport, RecordEditRow, RecordEdits, RecordPage } from '@rule/contract';
import { DefinitionView } from '@rule/core/vault';
import { patchState, signalStore, withMethods, withState } from '@ngrx/signals';
import { rxMethod } from '@ngrx/signals/rxjs-interop';
import { EMPTY, Observable, catchError, pipe, switchMap, tap } from 'rxjs';
import { Api, Notices, loads, problemOf, saveBlob } from '../shared';
import { PAGE_SIZE, RecordsFilter } from './records';

interface State {
  readonly page: RecordPage | null;
  readonly history: readonly RecordEditRow[];
  readonly report: RecordEditReport | null;
  readonly busy: boolean;
  readonly definition: DefinitionView | null;
  /** Error of the edited field. */
  readonly fieldProblem: string | null;
  readonly newcomers: readonly Newcomer[] | null;
}

/** State of records, their definition and new files. */
export const RecordsStore = signalStore(
  withState<State>({ page: null, history: [], report: null, busy: false, definition: null, fieldProblem: null, newcomers: null }),
  withMethods((store, api = inject(Api), notices = inject(Notices)) => {
    const failed = (failure: unknown) => {
      notices.failed(failure);
      patchState(store, { busy: false });
      return EMPTY;
    };
    const load = loads<State>(store, failed);
    const loadHistory = load<void, RecordEditRow[]>(
      () => api.recordEdits(),
      (history) => ({ history }),
    );
    /** Reports the outcome and reloads. */
    const reported = (work: Observable<RecordEditReport>, again: () => void) => {
      patchState(store, { busy: true, report: null });
      work.subscribe({
        next: (report) => {
          patchState(store, { report, busy: false });
          loadHistory();
          again();
        },
        error: failed,
      });
    };
    return {
      loadHistory,
      loadPage: load<RecordsFilter & { readonly offset: number }, RecordPage>(
        (query) => api.records({ ...query, limit: PAGE_SIZE }),
        (page) => ({ page }),
      ),
      loadDefinition: load<void, DefinitionView>(
        () => api.recordDefinition(),
        (definition) => ({ definition }),
      ),
      loadNewcomers: rxMethod<string>(
        pipe(
          tap(() => patchState(store, { newcomers: null })),
          switchMap((folder) =>
            api.newcomers(folder).pipe(
              tap((newcomers) => patchState(store, { newcomers })),
              catchError(failed),
            ),
          ),
        ),
      ),
      forgetReport: () => patchState(store, { report: null }),
      write: (edits: RecordEdits, again: () => void) => reported(api.editRecords(edits), again),
      undo: (edit: number, again: () => void) => reported(api.undoRecordEdit(edit), again),
      clearFieldProblem: () => patchState(store, { fieldProblem: null }),
      /** Creates or changes a field in the vault. */
      order: (order: FieldOrder, done: () => void) => {
        patchState(store, { fieldProblem: null });
        api.orderField(order).subscribe({
          next: (definition) => {
            patchState(store, { definition });
            done();
          },
          error: (failure: unknown) =>
            order.property === undefined ? patchState(store, { fieldProblem: problemOf(failure).detail }) : notices.failed(failure),
        });
      },
      handOver: () => api.recordHandOver().subscribe({ next: saveBlob, error: notices.failed }),
      correct: (done: () => void) =>
        api.correctLinkTable().subscribe({
          next: ({ corrected }) => {
            notices.done(corrected === 1 ? '1 name corrected in the vault.' : `${corrected} names corrected in the vault.`);
            done();
          },
          error: notices.failed,
        }),
    };
  }),
);
export type RecordsStore = InstanceType<typeof RecordsStore>;
