import { inject } from '@angular/core';
import { RolloutAction } from '@rule/contract';
import { count } from '@rule/core/words';
import { patchState, signalStore, withMethods, withState } from '@ngrx/signals';
import { Api, Notices, toTray } from '../shared';

/** A file without a property's value. */
interface Missing {
  readonly file: number;
  readonly path: string;
  readonly reason: string | null;
}

/** Files that lack what the edition in force requires, and lines that mend them. */
export const RolloutStore = signalStore(
  withState<{ readonly missing: { readonly property: number; readonly files: readonly Missing[] } | null }>({ missing: null }),
  withMethods((store, api = inject(Api), notices = inject(Notices), tray = toTray()) => ({
    list(property: number): void {
      api.rolloutMissing(property).subscribe({ next: (files) => patchState(store, { missing: { property, files } }), error: notices.failed });
    },
    close: () => patchState(store, { missing: null }),
    act(property: number, action: RolloutAction): void {
      tray(api.rolloutTray(property, action), ({ lines, open }) => `${count(lines, 'value')} added to your tray.${open ? ` ${open} need a person.` : ''}`);
    },
  })),
);
