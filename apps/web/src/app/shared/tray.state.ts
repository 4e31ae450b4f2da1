import { inject } from '@angular/core';
import { ApplyMode, ApplyReport, ProposedValue, SettleLine, Tray, TrayCounts, TrayLine, TrayLines, TraySteps } from '@rule/contract';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { createActionGroup, createFeature, createReducer, emptyProps, on, props } from '@ngrx/store';
import { mayActAs } from '@rule/contract';
import { EMPTY, Observable, catchError, concatMap, exhaustMap, map, mergeMap, of, switchMap, tap } from 'rxjs';
import { Api } from './api';
import { leftOutText } from './left-out';
import { problemOf } from './server';
import { CatalogueActions } from './catalogue.state';
import { Notices } from './notices';
import { SessionActions } from './session.state';

/** The tray: the only way to change values. */
export const TrayActions = createActionGroup({
  source: 'Tray',
  events: {
    Load: emptyProps(),
    Loaded: props<{ lines: readonly TrayLine[]; counts: TrayCounts; steps?: TraySteps }>(),
    Propose: props<{ values: readonly ProposedValue[]; reason: string }>(),
    Undo: props<{ again: boolean }>(),
    Drop: props<TrayLines>(),
    Accept: props<TrayLines & { accepted: boolean }>(),
    Settle: props<{ settle: SettleLine }>(),
    Apply: props<{ mode: ApplyMode; title: string }>(),
    Applied: props<{ report: ApplyReport }>(),
    Revert: props<{ changeSet: number }>(),
    Failed: props<{ message: string }>(),
    Open: props<{ open: boolean }>(),
  },
});

interface State {
  /** The first lines; counts cover all. */
  readonly lines: readonly TrayLine[];
  readonly counts: TrayCounts;
  /** Steps that can be undone and redone. */
  readonly steps: TraySteps;
  readonly open: boolean;
  readonly busy: boolean;
  readonly report: ApplyReport | null;
  /** Incremented with every applied change set, so views reload. */
  readonly appliedCount: number;
}

export const trayFeature = createFeature({
  name: 'tray',
  reducer: createReducer<State>(
    {
      lines: [],
      counts: { lines: 0, accepted: 0, files: 0, undecided: 0 },
      steps: { undo: 0, redo: 0 },
      open: false,
      busy: false,
      report: null,
      appliedCount: 0,
    },
    on(TrayActions.loaded, (state, { lines, counts, steps }) => ({ ...state, lines, counts, steps: steps ?? state.steps, busy: false })),
    on(TrayActions.apply, (state) => ({ ...state, busy: true, report: null })),
    on(TrayActions.applied, (state, { report }) => ({ ...state, report, busy: false, appliedCount: state.appliedCount + 1 })),
    on(TrayActions.failed, (state) => ({ ...state, busy: false })),
    on(TrayActions.open, (state, { open }) => ({ ...state, open, report: open ? state.report : null })),
    on(TrayActions.propose, (state) => ({ ...state, report: null })),
  ),
});

const change = <T>(work: (api: Api, input: T) => Observable<Tray>, api: Api, input: T) =>
  work(api, input).pipe(
    map((tray) => TrayActions.loaded(tray)),
    catchError((error: unknown) => of(TrayActions.failed({ message: problemOf(error).detail }))),
  );

export const trayEffects = {
  load: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(TrayActions.load),
        switchMap(() => change((a) => a.tray(), api, null)),
      ),
    { functional: true },
  ),
  loadWhenSignedIn: createEffect(
    (actions = inject(Actions)) =>
      actions.pipe(
        ofType(SessionActions.known),
        switchMap(({ state }) => (state.user && !state.user.firstPassword && mayActAs(state.user.role, 'editor') ? of(TrayActions.load()) : EMPTY)),
      ),
    { functional: true },
  ),
  propose: createEffect(
    (actions = inject(Actions), api = inject(Api), notices = inject(Notices)) =>
      actions.pipe(
        ofType(TrayActions.propose),
        concatMap(({ values, reason }) =>
          change(
            (a) =>
              a.propose({ values, reason }).pipe(
                map(({ left, ...tray }) => {
                  const without = leftOutText(left);
                  if (without) notices.done(without);
                  return tray;
                }),
              ),
            api,
            null,
          ),
        ),
      ),
    { functional: true },
  ),
  undo: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(TrayActions.undo),
        concatMap(({ again }) => change((a) => a.undoStep(again), api, null)),
      ),
    { functional: true },
  ),
  drop: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(TrayActions.drop),
        concatMap(({ lines }) => change((a) => a.dropLines(lines), api, null)),
      ),
    { functional: true },
  ),
  accept: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(TrayActions.accept),
        concatMap((body) => change((a) => a.acceptLines({ lines: body.lines, accepted: body.accepted }), api, null)),
      ),
    { functional: true },
  ),
  settle: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(TrayActions.settle),
        concatMap(({ settle }) => change((a) => a.settleLine(settle), api, null)),
      ),
    { functional: true },
  ),
  apply: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(TrayActions.apply),
        exhaustMap(({ mode, title }) =>
          api.applyTray({ mode, title }).pipe(
            map((report) => TrayActions.applied({ report })),
            catchError((error: unknown) => of(TrayActions.failed({ message: problemOf(error).detail }))),
          ),
        ),
      ),
    { functional: true },
  ),
  revert: createEffect(
    (actions = inject(Actions), api = inject(Api), notices = inject(Notices)) =>
      actions.pipe(
        ofType(TrayActions.revert),
        concatMap(({ changeSet }) =>
          api.revert(changeSet).pipe(
            mergeMap((report) => {
              if (report.failures.length) notices.error(report.failures.map((failure) => `${failure.path}: ${failure.message}`).join(' '));
              else notices.done(`Undone: ${report.applied} values in ${report.files} files.`);
              return [TrayActions.applied({ report: { ...report, applied: 0 } }), TrayActions.open({ open: false })];
            }),
            catchError((error: unknown) => of(TrayActions.failed({ message: problemOf(error).detail }))),
          ),
        ),
      ),
    { functional: true },
  ),
  afterwards: createEffect(
    (actions = inject(Actions)) =>
      actions.pipe(
        ofType(TrayActions.applied),
        mergeMap(() => [TrayActions.load(), CatalogueActions.recount()]),
      ),
    { functional: true },
  ),
  tell: createEffect(
    (actions = inject(Actions), notices = inject(Notices)) =>
      actions.pipe(
        ofType(TrayActions.failed),
        tap(({ message }) => notices.error(message)),
      ),
    { functional: true, dispatch: false },
  ),
};
