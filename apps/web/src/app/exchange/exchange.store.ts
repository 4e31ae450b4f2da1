import { computed, inject } from '@angular/core';
import { CellFilter, DecideRequest, Layouts, ReadingChoice, SendOutRow, TakeBackRow, TakeBackView } from '@rule/contract';
import { patchState, signalStore, withComputed, withMethods, withState } from '@ngrx/signals';
import { Subscription, filter as when, first, switchMap, timer } from 'rxjs';
import { Api, problemOf } from '../shared';

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
  withMethods((store, api = inject(Api)) => {
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
      run,
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
    };
  }),
);
