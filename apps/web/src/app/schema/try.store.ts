import { computed, inject } from '@angular/core';
import { Effect, TryFinding } from '@rule/contract';
import { count } from '@rule/core/words';
import { patchState, signalStore, withComputed, withMethods, withState } from '@ngrx/signals';
import { Store } from '@ngrx/store';
import { EMPTY } from 'rxjs';
import { Api, JobsActions, Notices, goesOn, jobsFeature, leftOutText, loads, toTray } from '../shared';

/** Findings listed at most. */
const LISTED = 500;

/** What findings have in common: an effect on one property, check, cell or record field. */
export interface TryGroup {
  readonly effect: Effect;
  readonly property: number | null;
  readonly check: number | null;
  readonly cell: string | null;
  readonly record: string | null;
}

interface State {
  readonly rows: readonly TryFinding[];
  readonly total: number;
  readonly job: number | null;
}

/** Tries a draft, lists findings and repairs them. */
export const TryStore = signalStore(
  withState<State>({ rows: [], total: 0, job: null }),
  withComputed(({ job }, jobs = inject(Store).selectSignal(jobsFeature.selectAllJobs)) => {
    const own = computed(() => jobs().find((candidate) => candidate.id === job()) ?? null);
    return {
      running: computed(() => job() !== null && (own() === null || goesOn(own()!))),
      ended: computed(() => own() !== null && !goesOn(own()!)),
    };
  }),
  withMethods((store, api = inject(Api), notices = inject(Notices), actions = inject(Store), tray = toTray()) => {
    const load = loads<State>(store, (failure) => {
      notices.failed(failure);
      return EMPTY;
    });
    return {
      list: load<TryGroup & { readonly run: number }, { readonly rows: readonly TryFinding[]; readonly total: number }>(
        ({ run, effect, property, check, cell, record }) =>
          api.tryFindings(run, {
            effect,
            ...(property === null ? {} : { property }),
            ...(check === null ? {} : { check }),
            ...(cell === null ? {} : { cell }),
            ...(record === null ? {} : { record }),
            limit: LISTED,
          }),
        ({ rows, total }) => ({ rows, total }),
      ),
      start(): void {
        api.tryDraft().subscribe({
          next: ({ job }) => {
            patchState(store, { job });
            actions.dispatch(JobsActions.started({ job }));
          },
          error: notices.failed,
        });
      },
      forgetJob: () => patchState(store, { job: null }),
      repair(run: number, effect: Effect, property: number): void {
        tray(api.repair(run, effect, property), ({ lines, open, left }) =>
          [`${count(lines, 'value')} added to your tray.`, open ? `${count(open, 'needs', 'need')} a person.` : null, leftOutText(left)]
            .filter(Boolean)
            .join(' '),
        );
      },
    };
  }),
);
