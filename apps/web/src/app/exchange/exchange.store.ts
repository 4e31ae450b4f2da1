import { computed, inject } from '@angular/core';
import { ApplyMode, CellFilter, DecideRequest, Layouts, ReadingChoice, SendOutRow, TakeBackRow, TakeBackView } from '@rule/contract';
import { patchState, signalStore, withComputed, withMethods, withState } from '@ngrx/signals';
import { count } from '@rule/core/words';
import { Store } from '@ngrx/store';
import { EMPTY, Subscription, catchError, concatMap, filter as when, first, from, switchMap, timer } from 'rxjs';
import { Api, CatalogueActions, Notices, TrayActions, problemOf } from '../shared';
import { CellSource } from './cell-source';

interface State {
  readonly layouts: Layouts;
  /** Whether layouts are loaded. */
  readonly listed: boolean;
  readonly sendOuts: readonly SendOutRow[];
  readonly takeBacks: readonly TakeBackRow[];
  readonly view: TakeBackView | null;
  /** The current cell filter. */
  readonly filter: CellFilter;
  /** Incremented when cells change, to reload pages. */
  readonly revision: number;
  readonly busy: boolean;
  readonly error: string | null;
}

/** Polling interval of a running comparison, in milliseconds. */
const ASK_EVERY = 500;

/** State of the Exchange station. */
export const ExchangeStore = signalStore(
  withState<State>({
    layouts: { saved: [], purposes: [] },
    listed: false,
    sendOuts: [],
    takeBacks: [],
    view: null,
    filter: {},
    revision: 0,
    busy: false,
    error: null,
  }),
  withComputed(({ sendOuts }) => ({
    out: computed(() => sendOuts().filter((row) => row.takenBackAt === null && row.closedAt === null)),
  })),
  withMethods((store, api = inject(Api), notices = inject(Notices), actions = inject(Store)) => {
    let waiting: Subscription | undefined;
    const failed = (failure: unknown): void => patchState(store, { busy: false, error: problemOf(failure).detail });
    const lists = (): void => {
      api.tableLayouts().subscribe({ next: (layouts) => patchState(store, { layouts, listed: true }), error: failed });
      api.sendOuts().subscribe({ next: (sendOuts) => patchState(store, { sendOuts }), error: failed });
      api.takeBacks().subscribe({ next: (takeBacks) => patchState(store, { takeBacks }), error: failed });
    };
    const show = (view: TakeBackView): void => {
      const other = store.view()?.takeBack.id !== view.takeBack.id || store.view()?.takeBack.state !== view.takeBack.state;
      patchState(store, { view, busy: false, error: null, revision: store.revision() + 1, ...(other ? { filter: {} } : {}) });
      waiting?.unsubscribe();
      if (view.takeBack.state === 'comparing')
        waiting = timer(ASK_EVERY, ASK_EVERY)
          .pipe(
            switchMap(() => api.takeBackView(view.takeBack.id)),
            when((next) => next.takeBack.state !== 'comparing'),
            first(),
          )
          .subscribe({ next: show, error: failed });
    };
    const run = (work: ReturnType<typeof api.takeBackView>, then?: (view: TakeBackView) => void): void => {
      patchState(store, { busy: true, error: null });
      work.subscribe({
        next: (view) => {
          show(view);
          then?.(view);
        },
        error: failed,
      });
    };
    const id = () => store.view()!.takeBack.id;
    return {
      lists,
      failed,
      show,
      busyNow(): void {
        patchState(store, { busy: true, error: null });
      },
      ready(): void {
        patchState(store, { busy: false });
      },
      open(back: number | null): void {
        if (back === null) {
          waiting?.unsubscribe();
          patchState(store, { view: null, error: null });
        } else if (store.view()?.takeBack.id !== back) run(api.takeBackView(back));
      },
      look(filter: CellFilter): void {
        patchState(store, { filter });
      },
      decide(request: DecideRequest): void {
        run(api.takeBackDecide(id(), request));
      },
      answer(choice: ReadingChoice, then?: (view: TakeBackView) => void): void {
        run(api.takeBackReading(id(), choice), then);
      },
      reopen(): void {
        run(api.takeBackReopen(id()));
      },
      /** Cells of a take-back, by page. */
      cells: (takeBack: number, cellFilter: CellFilter, total: (total: number) => void) =>
        new CellSource((offset, limit) => api.takeBackCells(takeBack, { ...cellFilter, offset, limit }), total, notices.failed),
      /** Puts what is decided into the tray, and opens it. */
      toTray(): void {
        run(api.takeBackTray(id()), () => {
          actions.dispatch(TrayActions.load());
          actions.dispatch(TrayActions.open({ open: true }));
        });
      },
      apply(mode: ApplyMode): void {
        patchState(store, { busy: true, error: null });
        const takeBack = id();
        api.takeBackApply(takeBack, { mode }).subscribe({
          next: (report) => {
            notices.done(
              report.failed === 0
                ? `${count(report.applied, 'value')} written in ${count(report.files, 'file')}.`
                : `${count(report.applied, 'value')} written, ${report.failed} not: ${report.failures[0]?.path ?? ''} ${report.failures[0]?.message ?? ''}`,
            );
            actions.dispatch(CatalogueActions.recount());
            run(api.takeBackView(takeBack));
          },
          error: failed,
        });
      },
      /** Whether a table is expected back. */
      setClosed(sendOut: number, closed: boolean): void {
        api.closeSendOut(sendOut, { closed }).subscribe({
          next: () => {
            lists();
            actions.dispatch(CatalogueActions.recount());
          },
          error: failed,
        });
      },
      /**
       * Takes files back in sequence, continuing after refusals.
       * @param shown gets the number of the last take-back
       */
      take(files: readonly File[], shown: (takeBack: number) => void): void {
        if (files.length === 0) return;
        let last: TakeBackView | undefined;
        let refused: unknown;
        patchState(store, { busy: true, error: null });
        from(files)
          .pipe(
            concatMap((file) =>
              api.takeBack(file).pipe(
                catchError((failure: unknown) => {
                  refused = failure;
                  if (files.length > 1) notices.error(`${file.name}: ${problemOf(failure).detail}`);
                  return EMPTY;
                }),
              ),
            ),
          )
          .subscribe({
            next: (view) => (last = view),
            complete: () => {
              if (!last) return failed(refused);
              show(last);
              lists();
              actions.dispatch(CatalogueActions.recount());
              shown(last.takeBack.id);
            },
          });
      },
    };
  }),
);
