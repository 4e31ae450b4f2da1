import { inject } from '@angular/core';
import { CheckInReport, VaultFile, VaultState } from '@rule/contract';
import { Link } from '@rule/core/schema';
import { patchState, signalStore, withMethods, withState } from '@ngrx/signals';
import { rxMethod } from '@ngrx/signals/rxjs-interop';
import { Store } from '@ngrx/store';
import { EMPTY, Observable, catchError, concat, pipe, switchMap, tap } from 'rxjs';
import { Api, CatalogueActions, Notices, TrayActions, problemOf } from '../shared';

interface State {
  readonly state: VaultState | null;
  readonly record: VaultFile | null;
  readonly error: string | null;
  readonly report: CheckInReport | null;
  readonly busy: boolean;
  /** What is wrong with the link that is being edited. */
  readonly linkProblem: string | null;
}

/** What the Vault station works on: the vault as it last said, the links, and one file beside its record. */
export const VaultStore = signalStore(
  withState<State>({ state: null, record: null, error: null, report: null, busy: false, linkProblem: null }),
  withMethods((store, api = inject(Api), global = inject(Store), notices = inject(Notices)) => {
    const failed = (failure: unknown) => {
      patchState(store, { error: problemOf(failure).detail, busy: false });
      return EMPTY;
    };
    const look = rxMethod<void>(
      pipe(
        switchMap(() =>
          api.vault().pipe(
            tap((state) => patchState(store, { state })),
            catchError(failed),
          ),
        ),
      ),
    );
    const show = rxMethod<number | null>(
      pipe(
        switchMap((file) => {
          if (file === null) {
            patchState(store, { record: null });
            return EMPTY;
          }
          return api.record(file).pipe(
            tap((record) => patchState(store, { record, error: null })),
            catchError(failed),
          );
        }),
      ),
    );
    /** Changes a link of the draft, and says where it went. */
    const linking = (work: Observable<unknown>, done: () => void) => {
      patchState(store, { linkProblem: null });
      work.subscribe({
        next: () => {
          look();
          global.dispatch(CatalogueActions.recount());
          done();
        },
        error: (failure: unknown) => patchState(store, { linkProblem: problemOf(failure).detail }),
      });
    };
    return {
      look,
      show,
      /** What is known at once, then what the vault says now. */
      open: rxMethod<void>(
        pipe(
          switchMap(() =>
            concat(api.vault(), api.refreshVault()).pipe(
              tap((state) => patchState(store, { state })),
              catchError(failed),
            ),
          ),
        ),
      ),
      forget: () => patchState(store, { error: null, report: null, record: null }),
      stand: rxMethod<{ readonly library: number; readonly inVault: boolean }>(
        pipe(
          switchMap(({ library, inVault }) =>
            api.setInVault(library, inVault).pipe(
              tap(() => look()),
              catchError((failure: unknown) => {
                notices.failed(failure);
                return EMPTY;
              }),
            ),
          ),
        ),
      ),
      clearLinkProblem: () => patchState(store, { linkProblem: null }),
      saveLink: (id: number | null, link: Omit<Link, 'id'>, done: () => void) => linking(id === null ? api.addLink(link) : api.changeLink(id, link), done),
      removeLink: (id: number, done: () => void) => linking(api.removeLink(id), done),
      checkIn: rxMethod<{ readonly file: number; readonly settled: Readonly<Record<string, 'file' | 'record'>> }>(
        pipe(
          switchMap(({ file, settled }) => {
            patchState(store, { busy: true, report: null });
            return api.checkIn(file, { settled }).pipe(
              tap((report) => {
                patchState(store, { busy: false, report });
                look();
                show(file);
                global.dispatch(CatalogueActions.recount());
                global.dispatch(TrayActions.load());
              }),
              catchError(failed),
            );
          }),
        ),
      ),
    };
  }),
);
export type VaultStore = InstanceType<typeof VaultStore>;
