import { inject } from '@angular/core';
import { FileDetails, FileFilter, FileGeometry, VaultFile } from '@rule/contract';
import { count } from '@rule/core/words';
import { patchState, signalStore, withMethods, withState } from '@ngrx/signals';
import { rxMethod } from '@ngrx/signals/rxjs-interop';
import { EMPTY, catchError, exhaustMap, interval, merge, of, pipe, startWith, switchMap, takeWhile, tap, timer } from 'rxjs';
import { Api, PendingStore, problemOf, toTray, TYPING_MS } from '../shared';

/** How often a shape that is being measured is asked for, in milliseconds. */
const MEASURED_MS = 3000;
interface State {
  readonly details: FileDetails | null;
  readonly geometry: FileGeometry | null;
  /** The file's record, as last fetched. */
  readonly record: VaultFile | null;
  readonly error: string | null;
}

/** One file with its values, shape and record. */
export const FileStore = signalStore(
  withState<State>({ details: null, geometry: null, record: null, error: null }),
  withMethods((store, api = inject(Api), pending = inject(PendingStore)) => {
    const details = (id: number) =>
      api.file(id).pipe(
        tap((found) => {
          patchState(store, { details: found });
          pending.see([found.file.id]);
        }),
        switchMap(({ file: { inVault } }) => (inVault ? api.record(id).pipe(catchError(() => of(null))) : of(null))),
        tap((record) => patchState(store, { record })),
        catchError((failure: unknown) => {
          patchState(store, { error: problemOf(failure).detail });
          return EMPTY;
        }),
      );
    // Asked again while the shape is being measured.
    const shape = (id: number) =>
      interval(MEASURED_MS).pipe(
        startWith(0),
        exhaustMap(() => api.geometry(id).pipe(catchError(() => of(null)))),
        takeWhile((geometry) => !geometry?.measured && (store.details()?.file.format ?? 'step') === 'step', true),
        tap((geometry) => geometry && patchState(store, { geometry })),
      );
    return {
      /** Loads a file; what is known of it stays until the answers. */
      look: rxMethod<number>(
        pipe(
          tap((id) => patchState(store, { error: null, ...(store.details()?.file.id === id ? {} : { details: null, geometry: null, record: null }) })),
          switchMap((id) => merge(details(id), shape(id))),
        ),
      ),
    };
  }),
);

/** Copies values of a file to others, through the tray. */
export const CopyStore = signalStore(
  withState<{ readonly reached: number | null }>({ reached: null }),
  withMethods((store, api = inject(Api), tray = toTray()) => ({
    /** Counts the files that a filter reaches. */
    reach: rxMethod<FileFilter>(
      pipe(
        switchMap((filter) =>
          timer(TYPING_MS).pipe(
            switchMap(() => api.count(filter)),
            tap(({ files }) => patchState(store, { reached: files })),
            catchError(() => {
              patchState(store, { reached: null });
              return EMPTY;
            }),
          ),
        ),
      ),
    ),
    copy(from: number, names: readonly string[], to: FileFilter, done: () => void): void {
      tray(
        api.copyValues({ from, names: [...names], to, files: [] }),
        ({ lines, skipped }) => `${count(lines, 'value')} added to the tray.${skipped ? ` ${skipped} locked or open files were skipped.` : ''}`,
        done,
      );
    },
  })),
);
