import { inject } from '@angular/core';
import { Overview, Settings } from '@rule/contract';
import { Property } from '@rule/core/schema';
import { compileStandIns } from '@rule/core/values';
import { EntityState, createEntityAdapter } from '@ngrx/entity';
import { Actions, createEffect, ofType } from '@ngrx/effects';
import { createActionGroup, createFeature, createReducer, createSelector, emptyProps, on, props } from '@ngrx/store';
import { EMPTY, catchError, forkJoin, map, switchMap, tap } from 'rxjs';
import { Api } from './api';
import { SessionActions } from './session.state';

/** Shared state: properties, settings, and station counts. */
export const CatalogueActions = createActionGroup({
  source: 'Catalogue',
  events: {
    Load: emptyProps(),
    Loaded: props<{ properties: Property[]; settings: Settings }>(),
    'Settings Saved': props<{ settings: Settings }>(),
    /** Something that may affect the counts changed. */
    Recount: emptyProps(),
    Counted: props<{ overview: Overview }>(),
    /** The caption language changed. */
    Language: props<{ language: string }>(),
  },
});

interface State {
  readonly properties: EntityState<Property>;
  readonly settings: Settings | null;
  readonly overview: Overview | null;
  /** Caption language: an ISO 639 code, or empty for the company's own. */
  readonly language: string;
  readonly loaded: boolean;
}

const LANGUAGE = 'rule.language';

/** The chosen caption language; by default the browser's. */
function keptLanguage(): string {
  try {
    return localStorage.getItem(LANGUAGE) ?? (navigator.language || '').split('-')[0]!;
  } catch {
    return '';
  }
}

/** A property with its caption in a language, if available. */
export function inLanguage<P extends Property>(property: P, language: string): P {
  const caption = property.captions[language] ?? property.captions[language.split('-')[0]!];
  return caption ? { ...property, caption } : property;
}

/** In schema order. */
const adapter = createEntityAdapter<Property>();

export const catalogueFeature = createFeature({
  name: 'catalogue',
  reducer: createReducer<State>(
    { properties: adapter.getInitialState(), settings: null, overview: null, language: keptLanguage(), loaded: false },
    on(CatalogueActions.loaded, (state, { properties, settings }) => ({
      ...state,
      loaded: true,
      properties: adapter.setAll(properties, state.properties),
      settings,
    })),
    on(CatalogueActions.settingsSaved, (state, { settings }) => ({ ...state, settings })),
    on(CatalogueActions.language, (state, { language }) => ({ ...state, language })),
    on(CatalogueActions.counted, (state, { overview }) => ({ ...state, overview })),
  ),
  extraSelectors: ({ selectProperties, selectSettings, selectLanguage }) => {
    const selectAll = createSelector(selectProperties, selectLanguage, (state, language) =>
      adapter
        .getSelectors()
        .selectAll(state)
        .map((property) => inLanguage(property, language)),
    );
    return {
      selectAll,
      selectActive: createSelector(selectAll, (all) => all.filter((property) => !property.retired)),
      selectById: createSelector(
        selectAll,
        (all) => Object.fromEntries(all.map((property) => [property.id, property])) as Record<number, Property | undefined>,
      ),
      /** Additional caption languages. */
      selectLanguages: createSelector(selectProperties, (state) => [
        ...new Set(
          adapter
            .getSelectors()
            .selectAll(state)
            .flatMap((property) => Object.keys(property.captions)),
        ),
      ]),
      selectStandIns: createSelector(selectSettings, (settings) => compileStandIns(settings?.standIns ?? [])),
    };
  },
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
        switchMap(({ state }) => (state.user && !state.user.firstPassword ? [CatalogueActions.load(), CatalogueActions.recount()] : EMPTY)),
      ),
    { functional: true },
  ),
  keepLanguage: createEffect(
    (actions = inject(Actions)) =>
      actions.pipe(
        ofType(CatalogueActions.language),
        tap(({ language }) => {
          try {
            localStorage.setItem(LANGUAGE, language);
          } catch {
            // Where nothing can be stored the choice lives as long as the page.
          }
        }),
      ),
    { functional: true, dispatch: false },
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
