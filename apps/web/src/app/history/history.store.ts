import { computed, inject } from '@angular/core';
import { AppliedCheck, ChangeSetRow, LineRow } from '@rule/contract';
import { patchState, signalStore, withComputed, withMethods, withState } from '@ngrx/signals';
import { rxMethod } from '@ngrx/signals/rxjs-interop';
import { Store } from '@ngrx/store';
import { EMPTY, catchError, pipe, switchMap, tap } from 'rxjs';
import { Api, Notices, TrayActions, loads, problemOf } from '../shared';

/** Change sets loaded at a time. */
const PAGE = 200;

interface State {
  readonly sets: readonly ChangeSetRow[] | null;
  /** Whether older ones may exist. */
  readonly older: boolean;
  /** The number asked for; without, the latest is meant. */
  readonly asked: number | null;
  /** The one asked for, if it is older than the list. */
  readonly named: ChangeSetRow | null;
  readonly lines: readonly LineRow[];
  /** What the files hold of a change set. */
  readonly checked: AppliedCheck | null;
  readonly checking: boolean;
  readonly busy: boolean;
  readonly error: string | null;
}

/** Applied change sets, their lines, and reverts. */
export const HistoryStore = signalStore(
  withState<State>({ sets: null, older: false, asked: null, named: null, lines: [], checked: null, checking: false, busy: false, error: null }),
  withComputed(({ sets, asked, named }) => ({
    chosen: computed(() => {
      const id = asked();
      if (id === null) return sets()?.[0] ?? null;
      return sets()?.find((row) => row.id === id) ?? (named()?.id === id ? named() : null);
    }),
  })),
  withMethods((store, api = inject(Api), notices = inject(Notices), actions = inject(Store)) => {
    const failed = (failure: unknown) => {
      patchState(store, { error: problemOf(failure).detail, checking: false, busy: false });
      return EMPTY;
    };
    const load = loads<State>(store, failed);
    const named = load<number, ChangeSetRow>(
      (id) => api.changeSetRow(id),
      (row) => ({ named: row }),
    );
    return {
      load: load<void, ChangeSetRow[]>(
        () => api.history({ limit: PAGE }),
        (sets) => ({ sets, older: sets.length === PAGE }),
      ),
      more: load<number, ChangeSetRow[]>(
        (before) => api.history({ before, limit: PAGE }),
        (sets) => ({ sets: [...(store.sets() ?? []), ...sets], older: sets.length === PAGE }),
      ),
      ask(id: number | null): void {
        patchState(store, { asked: id });
        if (id !== null) named(id);
      },
      loadLines: rxMethod<ChangeSetRow | null>(
        pipe(
          tap(() => patchState(store, { checked: null })),
          switchMap((set) =>
            set === null
              ? EMPTY
              : api.changeSet(set.id).pipe(
                  tap((lines) => patchState(store, { lines })),
                  catchError(failed),
                ),
          ),
        ),
      ),
      /** Re-reads the files of a change set. */
      check(id: number): void {
        patchState(store, { checking: true });
        api.checkChangeSet(id).subscribe({ next: (checked) => patchState(store, { checked, checking: false }), error: failed });
      },
      /** @param reverted gets the number of the set that reverts */
      revert(id: number, reverted: (set: number) => void): void {
        patchState(store, { busy: true, error: null });
        api.revert(id).subscribe({
          next: (report) => {
            patchState(store, { busy: false });
            if (report.state === 'applied') {
              notices.done(`Change set ${id} is reverted: ${report.applied} values in ${report.files} files.`);
              reverted(report.changeSet);
            } else patchState(store, { error: `Nothing was reverted. ${report.failures.map(({ path, message }) => `${path}: ${message}`).join(' ')}` });
            actions.dispatch(TrayActions.applied({ report }));
          },
          error: failed,
        });
      },
    };
  }),
);
