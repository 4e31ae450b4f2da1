import { computed, effect, inject, untracked } from '@angular/core';
import { TrayLine } from '@rule/contract';
import { patchState, signalStore, withComputed, withHooks, withMethods, withState } from '@ngrx/signals';
import { Store } from '@ngrx/store';
import { Api } from './api';
import { Notices } from './notices';
import { trayFeature } from './tray.state';

/** Files that one question names. */
const PIECE = 1000;

/** What a line is kept under: its file, holder, place and name. */
export const lineKey = (line: Pick<TrayLine, 'file' | 'holder' | 'place' | 'name'>): string => JSON.stringify([line.file, line.holder, line.place, line.name]);

/**
 * Pending lines by their address, for views that mark them. A small tray is in the page whole; of a larger one, the lines of
 * the files that a view looks at are asked for.
 */
export const PendingStore = signalStore(
  { providedIn: 'root' },
  withState<{ asked: readonly TrayLine[] }>({ asked: [] }),
  withComputed(({ asked }, store = inject(Store)) => {
    const lines = store.selectSignal(trayFeature.selectLines);
    const counts = store.selectSignal(trayFeature.selectCounts);
    const whole = computed(() => counts().lines <= lines().length);
    const here = computed(() => (whole() ? lines() : asked()));
    return {
      trayLines: lines,
      whole,
      /** Lines of the files that were looked at; of a small tray, all. */
      lines: here,
      byAddress: computed(() => new Map(here().map((line) => [lineKey(line), line]))),
    };
  }),
  withMethods((store, api = inject(Api), notices = inject(Notices)) => {
    let known = new Set<number>();
    let inSight: readonly number[] = [];
    let turn = 0;
    const ask = async (files: readonly number[]): Promise<void> => {
      const missing = [...new Set(files)].filter((file) => !known.has(file));
      if (store.whole() || missing.length === 0) return;
      const mine = turn;
      for (const file of missing) known.add(file);
      for (let at = 0; at < missing.length; at += PIECE) {
        const piece = missing.slice(at, at + PIECE);
        const found = await new Promise<readonly TrayLine[]>((done) =>
          api.pendingLines(piece).subscribe({
            next: done,
            error: (failure: unknown) => {
              for (const file of piece) known.delete(file);
              notices.failed(failure);
              done([]);
            },
          }),
        );
        // The tray has changed meanwhile, and all is asked again.
        if (mine !== turn) return;
        const fresh = new Set(piece);
        patchState(store, { asked: [...store.asked().filter((line) => !fresh.has(line.file)), ...found] });
      }
    };
    return {
      /** Names the files in sight: their lines are kept up to date. */
      see(files: readonly number[]): void {
        inSight = files;
        void ask(files);
      },
      /** Done when the lines of some files are there. */
      bring: ask,
      /** What was known may have changed. What is in sight stays until the answer comes. */
      forget(): void {
        turn++;
        known = new Set();
        const seen = new Set(inSight);
        patchState(store, { asked: store.asked().filter((line) => seen.has(line.file)) });
        void ask(inSight);
      },
    };
  }),
  withHooks({
    onInit(store) {
      effect(() => {
        store.trayLines();
        untracked(() => store.forget());
      });
    },
  }),
);
export type PendingStore = InstanceType<typeof PendingStore>;
