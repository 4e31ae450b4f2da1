import { inject } from '@angular/core';
import { CheckIn, CheckInReport, ClassRow, KeptRehearsal, KeptRehearsalView, RehearsedFile, VaultFile, VaultRun, VaultState } from '@rule/contract';
import { Link } from '@rule/core/schema';
import { patchState, signalStore, withMethods, withState } from '@ngrx/signals';
import { rxMethod } from '@ngrx/signals/rxjs-interop';
import { Store } from '@ngrx/store';
import { EMPTY, Observable, catchError, concat, pipe, switchMap, tap } from 'rxjs';
import { Api, CatalogueActions, JobsActions, Notices, TrayActions, loads, problemOf, saveBlob } from '../shared';

interface State {
  readonly state: VaultState | null;
  readonly record: VaultFile | null;
  readonly error: string | null;
  readonly report: CheckInReport | null;
  readonly busy: boolean;
  /** The vault version a check-in would have replaced. */
  readonly newer: number | null;
  /** Error of the edited link. */
  readonly linkProblem: string | null;
  /** Rehearsal of all files. */
  readonly rehearsed: readonly RehearsedFile[] | null;
  /** Kept rehearsals, and the displayed one. */
  readonly kept: readonly KeptRehearsal[];
  readonly keptView: KeptRehearsalView | null;
  /** The running job. */
  readonly run: number | null;
  /** Names of the classes. */
  readonly classes: readonly string[];
}

/** State of the Vault station. */
export const VaultStore = signalStore(
  withState<State>({
    state: null,
    record: null,
    error: null,
    report: null,
    busy: false,
    newer: null,
    linkProblem: null,
    rehearsed: null,
    kept: [],
    keptView: null,
    run: null,
    classes: [],
  }),
  withMethods((store, api = inject(Api), global = inject(Store), notices = inject(Notices)) => {
    const failed = (failure: unknown) => {
      const problem = problemOf(failure);
      const newer = problem.code === 'newer-in-vault' ? Number(problem.issues?.[0]?.message) : NaN;
      patchState(store, { error: problem.detail, busy: false, newer: Number.isInteger(newer) ? newer : null });
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
    const loadKept = rxMethod<void>(
      pipe(
        switchMap(() =>
          api.rehearsals().pipe(
            tap((kept) => patchState(store, { kept })),
            catchError(failed),
          ),
        ),
      ),
    );
    /** Changes a link of the draft. */
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
      loadClasses: loads<State>(store, failed)<void, readonly ClassRow[]>(
        () => api.classes(),
        (rows) => ({ classes: rows.map((row) => row.name) }),
      ),
      /** First the stored state, then a fresh one. */
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
      forget: () => patchState(store, { error: null, report: null, record: null, newer: null }),
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
      loadKept,
      keepRehearsal: (title: string, done: (id: number) => void) =>
        api.keepRehearsal(title).subscribe({
          next: (kept) => {
            notices.done(`Rehearsal ${kept.title} kept.`);
            loadKept();
            done(kept.id);
          },
          error: notices.failed,
        }),
      openKept: rxMethod<number | null>(
        pipe(
          tap(() => patchState(store, { keptView: null })),
          switchMap((id) =>
            id === null
              ? EMPTY
              : api.rehearsal(id).pipe(
                  tap((keptView) => patchState(store, { keptView })),
                  catchError(failed),
                ),
          ),
        ),
      ),
      removeKept: (id: number, done: () => void) =>
        api.removeRehearsal(id).subscribe({
          next: () => {
            loadKept();
            done();
          },
          error: notices.failed,
        }),
      sendKept: (id: number) => api.rehearsalTable(id).subscribe({ next: saveBlob, error: notices.failed }),
      rehearse: rxMethod<void>(
        pipe(
          switchMap(() =>
            api.rehearse().pipe(
              tap((rehearsed) => patchState(store, { rehearsed })),
              catchError(failed),
            ),
          ),
        ),
      ),
      start: (run: VaultRun) =>
        api.runVault(run).subscribe({
          next: ({ job }) => {
            patchState(store, { run: job });
            global.dispatch(JobsActions.started({ job }));
          },
          error: notices.failed,
        }),
      clearLinkProblem: () => patchState(store, { linkProblem: null }),
      saveLink: (id: number | null, link: Omit<Link, 'id'>, done: () => void) => linking(id === null ? api.addLink(link) : api.changeLink(id, link), done),
      removeLink: (id: number, done: () => void) => linking(api.removeLink(id), done),
      checkIn: rxMethod<{ readonly file: number } & CheckIn>(
        pipe(
          switchMap(({ file, ...body }) => {
            patchState(store, { busy: true, report: null, newer: null });
            return api.checkIn(file, body).pipe(
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
