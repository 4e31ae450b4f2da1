import { computed, effect, inject, untracked } from '@angular/core';
import { TrayLine } from '@rule/contract';
import { patchState, signalStore, withComputed, withHooks, withMethods, withState } from '@ngrx/signals';
import { Store } from '@ngrx/store';
import { Api } from './api';
import { Notices } from './notices';
import { trayFeature } from './tray.state';

/** Maximum files per request. */
const PIECE = 1000;

/** Key of a line: file, holder, place and name. */
export const lineKey = (line: Pick<TrayLine, 'file' | 'holder' | 'place' | 'name'>): string => JSON.stringify([line.file, line.holder, line.place, line.name]);

/** Pending lines by address. Small trays are loaded completely; otherwise lines of viewed files are requested. */
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
      /** Lines of viewed files; of small trays, all. */
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
        // Reloads everything after the tray changed.
        if (mine !== turn) return;
        const fresh = new Set(piece);
        patchState(store, { asked: [...store.asked().filter((line) => !fresh.has(line.file)), ...found] });
      }
    };
    return {
      /** Sets the visible files, whose lines are kept up to date. */
      see(files: readonly number[]): void {
        inSight = files;
        void ask(files);
      },
      /** Completes when lines of the files are loaded. */
      bring: ask,
      /** Invalidates, keeping visible lines until the answer. */
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
