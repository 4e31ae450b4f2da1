import { inject } from '@angular/core';
import { FileChoice, FileDetails, FileRow, FillData, ValueSetRow } from '@rule/contract';
import { FilledValue, InputView } from '@rule/core/forms';
import { count } from '@rule/core/words';
import { patchState, signalStore, withMethods, withState } from '@ngrx/signals';
import { rxMethod } from '@ngrx/signals/rxjs-interop';
import { Store } from '@ngrx/store';
import { catchError, debounceTime, map, of, pipe, switchMap, tap } from 'rxjs';
import { Api, Notices, TrayActions, leftOutText, problemOf } from '../../shared';

interface State {
  readonly data: FillData | null;
  readonly error: string | null;
  readonly busy: boolean;
  /** Why the tray refused the values. */
  readonly issues: readonly { readonly field: string; readonly message: string }[];
  /** Values put to hand, or no longer, since the data was loaded. */
  readonly atHand: readonly { readonly property: number; readonly text: string; readonly on: boolean }[];
  /** Files to copy from. */
  readonly found: readonly FileRow[];
  /** The one that was chosen. */
  readonly source: { readonly row: FileRow; readonly details: FileDetails } | null;
  readonly sets: readonly ValueSetRow[];
}

/** Requests of the fill-in sheet. */
export const FillStore = signalStore(
  withState<State>({ data: null, error: null, busy: false, issues: [], atHand: [], found: [], source: null, sets: [] }),
  withMethods((store, api = inject(Api), notices = inject(Notices), actions = inject(Store)) => ({
    load(choice: FileChoice, loaded: () => void): void {
      api.fill(choice).subscribe({
        next: (data) => {
          patchState(store, { data, error: null });
          loaded();
        },
        error: (failure: unknown) => patchState(store, { error: problemOf(failure).detail }),
      });
    },
    /** Adds values to the tray: all, or none if any is refused. */
    put(values: readonly FilledValue[], reason: string, done: () => void): void {
      patchState(store, { busy: true });
      api.propose({ values: [...values], reason }).subscribe({
        next: ({ left, ...tray }) => {
          patchState(store, { busy: false });
          actions.dispatch(TrayActions.loaded(tray));
          const without = new Set(left.map(({ file }) => file));
          const waiting = values.filter(({ file }) => !without.has(file)).length;
          notices.done([`${count(waiting, 'value')} added to your tray.`, leftOutText(left)].filter(Boolean).join(' '));
          done();
        },
        error: (failure: unknown) => {
          const problem = problemOf(failure);
          patchState(store, { busy: false, issues: problem.issues?.length ? problem.issues : [{ field: '', message: problem.detail }] });
        },
      });
    },
    forgetIssues: () => patchState(store, { issues: [] }),
    draw(entry: InputView): void {
      api.drawForFiles(entry.property.id, entry.drawable).subscribe({
        next: ({ lines, skipped }) => {
          actions.dispatch(TrayActions.load());
          const [first] = skipped;
          const more = skipped.length > 1 ? ` And ${skipped.length - 1} more.` : '';
          notices.done(`${count(lines, 'number')} added to your tray.${first ? ` Passed over: ${first.path} ${first.message}${more}` : ''}`);
        },
        error: notices.failed,
      });
    },
    favour(value: State['atHand'][number]): void {
      api.keepAtHand(value).subscribe({ next: () => patchState(store, ({ atHand }) => ({ atHand: [...atHand, value] })), error: notices.failed });
    },
    /** Finds files to copy from, while their name is typed. */
    search: rxMethod<string>(
      pipe(
        debounceTime(250),
        switchMap((text) => {
          const none: readonly FileRow[] = [];
          if (text.trim() === '') return of(none);
          return api.files({ search: text.trim(), limit: 12 }).pipe(
            map((page): readonly FileRow[] => page.rows),
            catchError(() => of(none)),
          );
        }),
        tap((found) => patchState(store, { found })),
      ),
    ),
    takeFrom(row: FileRow): void {
      api.file(row.id).subscribe({ next: (details) => patchState(store, { source: { row, details } }), error: notices.failed });
    },
    forgetSource: () => patchState(store, { source: null }),
    loadSets(): void {
      api.valueSets().subscribe({ next: (sets) => patchState(store, { sets }), error: notices.failed });
    },
    saveSet(set: Pick<ValueSetRow, 'name' | 'shared' | 'values'>, saved: () => void): void {
      api.saveValueSet({ ...set, values: [...set.values] }).subscribe({
        next: (sets) => {
          patchState(store, { sets });
          saved();
        },
        error: notices.failed,
      });
    },
    removeSet({ id }: ValueSetRow): void {
      api
        .removeValueSet(id)
        .subscribe({ next: () => patchState(store, ({ sets }) => ({ sets: sets.filter((other) => other.id !== id) })), error: notices.failed });
    },
  })),
);
