import { inject } from '@angular/core';
import { Overview, Settings } from '@rule/contract';
import { Property } from '@rule/core/schema';
import { compileStandIns } from '@rule/core/values';
import { EntityState, createEntityAdapter } from '@ngrx/entity';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { createActionGroup, createFeature, createReducer, createSelector, emptyProps, on, props } from '@ngrx/store';
import { EMPTY, catchError, forkJoin, map, switchMap } from 'rxjs';
import { Api } from './api';
import { SessionActions } from './session.state';

/** What every station needs: the schema's properties, the settings, and the counts above the stations. */
export const CatalogueActions = createActionGroup({
  source: 'Catalogue',
  events: {
    Load: emptyProps(),
    Loaded: props<{ properties: Property[]; settings: Settings }>(),
    'Settings Saved': props<{ settings: Settings }>(),
    /** Something changed that the counts may depend on. */
    Recount: emptyProps(),
    Counted: props<{ overview: Overview }>(),
  },
});

interface State {
  readonly properties: EntityState<Property>;
  readonly settings: Settings | null;
  readonly overview: Overview | null;
  readonly loaded: boolean;
}

/** In the order of the schema, which is that of the answer. */
const adapter = createEntityAdapter<Property>();

export const catalogueFeature = createFeature({
  name: 'catalogue',
  reducer: createReducer<State>(
    { properties: adapter.getInitialState(), settings: null, overview: null, loaded: false },
    on(CatalogueActions.loaded, (state, { properties, settings }) => ({
      ...state,
      loaded: true,
      properties: adapter.setAll(properties, state.properties),
      settings,
    })),
    on(CatalogueActions.settingsSaved, (state, { settings }) => ({ ...state, settings })),
    on(CatalogueActions.counted, (state, { overview }) => ({ ...state, overview })),
  ),
  extraSelectors: ({ selectProperties, selectSettings }) => ({
    selectAll: createSelector(selectProperties, adapter.getSelectors().selectAll),
    selectActive: createSelector(selectProperties, (state) =>
      adapter
        .getSelectors()
        .selectAll(state)
        .filter((property) => !property.retired),
    ),
    selectById: createSelector(selectProperties, (state) => state.entities),
    selectStandIns: createSelector(selectSettings, (settings) => compileStandIns(settings?.standIns ?? [])),
  }),
});

export const catalogueEffects = {
  load: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(CatalogueActions.load),
        switchMap(() =>
          forkJoin({ properties: api.properties(), settings: api.settings() }).pipe(
            map((loaded) => CatalogueActions.loaded(loaded)),
            catchError(() => EMPTY),
          ),
        ),
      ),
    { functional: true },
  ),
  loadWhenSignedIn: createEffect(
    (actions = inject(Actions)) =>
      actions.pipe(
        ofType(SessionActions.known),
        switchMap(({ state }) => (state.user ? [CatalogueActions.load(), CatalogueActions.recount()] : EMPTY)),
      ),
    { functional: true },
  ),
  recount: createEffect(
    (actions = inject(Actions), api = inject(Api)) =>
      actions.pipe(
        ofType(CatalogueActions.recount, CatalogueActions.settingsSaved),
        switchMap(() =>
          api.overview().pipe(
            map((overview) => CatalogueActions.counted({ overview })),
            catchError(() => EMPTY),
          ),
        ),
      ),
    { functional: true },
  ),
};
