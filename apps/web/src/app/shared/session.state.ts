import { inject } from '@angular/core';
import { SessionState, SignIn, mayActAs } from '@rule/contract';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { createActionGroup, createFeature, createReducer, createSelector, emptyProps, on, props } from '@ngrx/store';
import { catchError, exhaustMap, map, of } from 'rxjs';
import { Api } from './api';
import { problemOf } from './server';

export const SessionActions = createActionGroup({
  source: 'Session',
  events: {
    Ask: emptyProps(),
    'Sign In': props<{ signIn: SignIn }>(),
    'Sign Out': emptyProps(),
    Known: props<{ state: SessionState }>(),
    Failed: props<{ message: string }>(),
  },
});

interface State {
  readonly asked: boolean;
  readonly user: SessionState['user'];
  readonly csrf: string;
  readonly company: string;
  readonly error: string | null;
}

export const sessionFeature = createFeature({
  name: 'session',
  reducer: createReducer<State>(
    { asked: false, user: null, csrf: '', company: '', error: null },
    on(SessionActions.known, (state, { state: { user, csrf, company } }) => ({ ...state, asked: true, user, csrf, company, error: null })),
    on(SessionActions.signIn, (state) => ({ ...state, error: null })),
    on(SessionActions.failed, (state, { message }) => ({ ...state, asked: true, error: message })),
  ),
  extraSelectors: ({ selectUser }) => ({
    selectMayEdit: createSelector(selectUser, (user) => user !== null && mayActAs(user.role, 'editor')),
    selectMayAdminister: createSelector(selectUser, (user) => user !== null && mayActAs(user.role, 'administrator')),
  }),
});

const failed = (error: unknown) => of(SessionActions.failed({ message: problemOf(error).detail }));

export const sessionEffects = {
  ask: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(SessionActions.ask),
        exhaustMap(() =>
          api.session().pipe(
            map((state) => SessionActions.known({ state })),
            catchError(failed),
          ),
        ),
      ),
    { functional: true },
  ),
  signIn: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(SessionActions.signIn),
        exhaustMap(({ signIn }) =>
          api.signIn(signIn).pipe(
            map((state) => SessionActions.known({ state })),
            catchError(failed),
          ),
        ),
      ),
    { functional: true },
  ),
  signOut: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(SessionActions.signOut),
        exhaustMap(() =>
          api.signOut().pipe(
            map(() => SessionActions.ask()),
            catchError(failed),
          ),
        ),
      ),
    { functional: true },
  ),
};
