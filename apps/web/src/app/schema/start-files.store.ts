import { inject } from '@angular/core';
import { OlderStart, StartComparison, StartFilesView, StartPlan } from '@rule/contract';
import { count } from '@rule/core/words';
import { patchState, signalStore, withMethods, withState } from '@ngrx/signals';
import { Api, Notices, problemOf, toTray } from '../shared';

/** Files to bring up at a time. */
const MOST_BROUGHT_UP = 5000;

interface State {
  readonly view: StartFilesView | null;
  /** What is to be published. */
  readonly plan: StartPlan | null;
  /** What publishing it would change; `null` if not compared. */
  readonly compared: readonly StartComparison[] | null;
  readonly older: { readonly total: number; readonly files: readonly OlderStart[] } | null;
  readonly error: string | null;
  readonly busy: boolean;
}

/** Start files as published, and the plan for the next ones. */
export const StartFilesStore = signalStore(
  withState<State>({ view: null, plan: null, compared: null, older: null, error: null, busy: false }),
  withMethods((store, api = inject(Api), notices = inject(Notices), tray = toTray()) => {
    const failed = (failure: unknown) => {
      patchState(store, { busy: false });
      notices.failed(failure);
    };
    /** @param loaded gets what is published */
    const load = (loaded: (view: StartFilesView) => void) =>
      void api.startFiles().subscribe({
        next: (view) => {
          patchState(store, { view, plan: store.plan() ?? { ...view.plan, block: view.plan.block ?? view.blocks[0] ?? null } });
          loaded(view);
          if (view.published) api.olderStarts().subscribe({ next: (older) => patchState(store, { older }), error: notices.failed });
        },
        error: (failure: unknown) => patchState(store, { error: problemOf(failure).detail }),
      });
    return {
      load,
      set(change: Partial<StartPlan>): void {
        const plan = store.plan();
        patchState(store, { plan: plan && { ...plan, ...change }, compared: null });
      },
      compare(): void {
        patchState(store, { busy: true });
        api.compareStartFiles(store.plan()!).subscribe({ next: (compared) => patchState(store, { busy: false, compared }), error: failed });
      },
      publish(published: (view: StartFilesView) => void): void {
        patchState(store, { busy: true });
        api.publishStartFiles(store.plan()!).subscribe({
          next: () => {
            patchState(store, { busy: false, compared: null });
            notices.done('The start files are published.');
            load(published);
          },
          error: failed,
        });
      },
      /** Adds to the tray what files from older start files lack. */
      bringUp(): void {
        const files = (store.older()?.files ?? []).filter((file) => file.reason === null).map((file) => file.file);
        tray(api.bringUp(files.slice(0, MOST_BROUGHT_UP)), ({ lines }) => `${count(lines, 'name')} added to your tray.`);
      },
    };
  }),
);
