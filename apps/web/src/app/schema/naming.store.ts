import { computed, inject } from '@angular/core';
import { NamingPlan } from '@rule/contract';
import { NamingRule } from '@rule/core/naming';
import { sameDefinition } from '@rule/core/schema';
import { count } from '@rule/core/words';
import { patchState, signalStore, withComputed, withMethods, withState } from '@ngrx/signals';
import { Store } from '@ngrx/store';
import { EMPTY, finalize } from 'rxjs';
import { Api, Notices, TrayActions, inPieces, loads, problemOf, toTray } from '../shared';

/** Files copied in one request. */
const COPIED_AT_ONCE = 500;

interface State {
  readonly rules: readonly NamingRule[];
  readonly saved: readonly NamingRule[];
  readonly loaded: boolean;
  /** What the saved rules give. */
  readonly plan: NamingPlan | null;
  readonly error: string | null;
}

/** Rules for file names, and the names that files would get. */
export const NamingStore = signalStore(
  withState<State>({ rules: [], saved: [], loaded: false, plan: null, error: null }),
  withComputed(({ rules, saved, plan }) => {
    const good = computed(() => (plan()?.rows ?? []).filter((row) => row.problem === null));
    return {
      changed: computed(() => !sameDefinition(rules(), saved())),
      renames: computed(() => good().filter((row) => row.mode === 'rename')),
      copies: computed(() => good().filter((row) => row.mode === 'copy')),
    };
  }),
  withMethods((store, api = inject(Api), notices = inject(Notices), actions = inject(Store), tray = toTray()) => {
    const load = loads<State>(store, (failure) => {
      patchState(store, { error: problemOf(failure).detail });
      return EMPTY;
    });
    const look = load<void, NamingPlan>(
      () => api.namingPlan(),
      (plan) => ({ plan }),
    );
    return {
      look,
      load: load<void, { readonly rules: readonly NamingRule[] }>(
        () => api.naming(),
        ({ rules }) => ({ rules, saved: rules, loaded: true }),
      ),
      set: (rules: readonly NamingRule[]) => patchState(store, { rules }),
      save(): void {
        api.saveNaming({ rules: store.rules() }).subscribe({
          next: ({ rules }) => {
            patchState(store, { rules, saved: rules, error: null });
            look();
          },
          error: (failure: unknown) => patchState(store, { error: problemOf(failure).detail }),
        });
      },
      rename(): void {
        tray(api.namesToTray(store.renames().map((row) => row.file)), ({ lines, barred }) => {
          const left = barred === 0 ? '' : ` ${count(barred, 'file')} cannot be renamed.`;
          return `${count(lines, 'line')} added to your tray.${left}`;
        });
      },
      /** @param replace whether drawings and assemblies show the copies */
      copy(replace: boolean): void {
        inPieces(
          store.copies().map((row) => row.file),
          COPIED_AT_ONCE,
          (files) => api.copyUnderNewNames({ files, replace }),
        )
          .pipe(
            finalize(() => {
              // Reloads after a refusal too: earlier parts are done.
              actions.dispatch(TrayActions.load());
              look();
            }),
          )
          .subscribe({
            next: (answers) => {
              const copied = answers.reduce((sum, answer) => sum + answer.copied.length, 0);
              const lines = answers.reduce((sum, answer) => sum + answer.lines, 0);
              notices.done(`${count(copied, 'copy', 'copies')} made.${lines ? ` ${count(lines, 'drawing')} added to your tray to show them.` : ''}`);
            },
            error: notices.failed,
          });
      },
    };
  }),
);
