import { computed, inject } from '@angular/core';
import { SendOutRow, TakeBackCellRow, TakeBackRow, TakeBackView } from '@rule/contract';
import { patchState, signalStore, withComputed, withMethods, withState } from '@ngrx/signals';
import { Api, problemOf } from '../shared';

interface State {
  readonly sendOuts: readonly SendOutRow[];
  readonly takeBacks: readonly TakeBackRow[];
  readonly view: TakeBackView | null;
  /** Cells that are ticked to go to the tray. */
  readonly ticked: ReadonlySet<number>;
  readonly busy: boolean;
  readonly error: string | null;
}

const open = (cell: TakeBackCellRow, verdict: string) => cell.verdict === verdict && cell.outcome === null;

/** Send-outs, take-backs, and the one that is being reviewed. */
export const ExchangeStore = signalStore(
  withState<State>({ sendOuts: [], takeBacks: [], view: null, ticked: new Set<number>(), busy: false, error: null }),
  withComputed(({ view, ticked }) => ({
    changes: computed(() => (view()?.cells ?? []).filter((cell) => open(cell, 'change'))),
    conflicts: computed(() => (view()?.cells ?? []).filter((cell) => open(cell, 'conflict'))),
    taken: computed(() => (view()?.cells ?? []).filter((cell) => ticked().has(cell.id) && cell.outcome === null).map((cell) => cell.id)),
  })),
  withMethods((store, api = inject(Api)) => {
    const failed = (failure: unknown): void => patchState(store, { busy: false, error: problemOf(failure).detail });
    const show = (view: TakeBackView): void =>
      patchState(store, { view, busy: false, error: null, ticked: new Set(view.cells.filter((cell) => open(cell, 'change')).map((cell) => cell.id)) });
    const lists = (): void => {
      api.sendOuts().subscribe({ next: (sendOuts) => patchState(store, { sendOuts }), error: failed });
      api.takeBacks().subscribe({ next: (takeBacks) => patchState(store, { takeBacks }), error: failed });
    };
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
      open(id: number | null): void {
        if (id === null) patchState(store, { view: null, error: null });
        else if (store.view()?.takeBack.id !== id) api.takeBackView(id).subscribe({ next: show, error: failed });
      },
      tick(id: number, on: boolean): void {
        const ticked = new Set(store.ticked());
        if (on) ticked.add(id);
        else ticked.delete(id);
        patchState(store, { ticked });
      },
      tickAll(on: boolean): void {
        patchState(store, { ticked: new Set(on ? store.changes().map((cell) => cell.id) : []) });
      },
      keep(cells: readonly number[]): void {
        const id = store.view()?.takeBack.id;
        if (id !== undefined) api.takeBackKeep(id, cells).subscribe({ next: show, error: failed });
      },
    };
  }),
);
