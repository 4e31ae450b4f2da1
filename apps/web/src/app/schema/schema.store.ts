import { computed, inject } from '@angular/core';
import { ChoiceListRow, DraftView, EditionRow, RolloutRow, SchemaPlaces, SeriesRow, TrySummary } from '@rule/contract';
import { Check, Property, PropertyDraft, SchemaChange, draftOf } from '@rule/core/schema';
import type { Starter } from '@rule/core/standards';
import { patchState, signalStore, withComputed, withMethods, withState } from '@ngrx/signals';
import { Store } from '@ngrx/store';
import { EMPTY, Observable, catchError, forkJoin, map, switchMap, tap } from 'rxjs';
import { Api, CatalogueActions, Notices, loads, problemOf } from '../shared';

interface State {
  readonly draft: DraftView | null;
  readonly lists: readonly ChoiceListRow[];
  readonly series: readonly SeriesRow[];
  readonly editions: readonly EditionRow[];
  readonly rollout: readonly RolloutRow[] | null;
  readonly summary: TrySummary | null;
  readonly classes: readonly string[];
  /** Available homes and sources; `null` until loaded. */
  readonly places: SchemaPlaces | null;
  readonly error: string | null;
  readonly saving: boolean;
}

/** How a draft property differs from the edition in force. */
export type Standing = 'new' | 'changed' | 'as in force';

const touches = (change: SchemaChange, id: number): boolean =>
  change.type === 'property changed' ? change.id === id : change.type === 'property added' ? change.property.id === id : false;

/** State of the Schema station. */
export const SchemaStore = signalStore(
  withState<State>({ draft: null, lists: [], series: [], editions: [], rollout: null, summary: null, classes: [], places: null, error: null, saving: false }),
  withComputed(({ draft }) => ({
    properties: computed<readonly Property[]>(() => draft()?.schema.properties ?? []),
    changes: computed(() => draft()?.changes ?? []),
    problems: computed(() => draft()?.problems ?? []),
    errors: computed(() => (draft()?.problems ?? []).filter((problem) => problem.severity === 'error')),
  })),
  withMethods((store, api = inject(Api), global = inject(Store), notices = inject(Notices)) => {
    const fail = (failure: unknown) => {
      patchState(store, { saving: false });
      notices.failed(failure);
      return EMPTY;
    };
    /** Runs a request that returns the draft and displays it. */
    const changing = <T>(
      work: Observable<T>,
      draftOfAnswer: (answer: T) => DraftView,
      done: (answer: T) => void = () => undefined,
      failed: (failure: unknown) => boolean = () => false,
    ) => {
      patchState(store, { saving: true });
      work
        .pipe(
          tap((answer) => {
            const began = (store.draft()?.number ?? null) === null;
            patchState(store, { draft: draftOfAnswer(answer), saving: false });
            // Updates the station's draft count.
            if (began !== ((store.draft()?.number ?? null) === null)) global.dispatch(CatalogueActions.recount());
            done(answer);
          }),
          catchError((failure: unknown) => {
            patchState(store, { saving: false });
            return failed(failure) ? EMPTY : fail(failure);
          }),
        )
        .subscribe();
    };
    const itself = (draft: DraftView) => draft;
    const load = loads<State>(store, (failure) => {
      patchState(store, { error: problemOf(failure).detail });
      return EMPTY;
    })<void, Pick<State, 'lists' | 'series' | 'editions' | 'summary' | 'classes'> & { readonly draft: DraftView }>(
      () =>
        forkJoin({
          draft: api.draft(),
          lists: api.choiceLists(),
          series: api.numberSeries(),
          editions: api.editions(),
          summary: api.trySummary().pipe(map(({ summary }) => summary)),
          classes: api.classes().pipe(map((rows) => rows.map((row) => row.name))),
        }),
      (loaded) => ({ ...loaded, error: null }),
    );
    const part = loads<State>(store, fail);
    return {
      load,
      /** Checks whether someone else changed the draft. */
      look: loads<State>(store, () => EMPTY)<void, DraftView>(
        () => api.draft(),
        (draft) => {
          const known = store.draft();
          return known?.revision !== draft.revision || known.number !== draft.number || known.inForce !== draft.inForce ? { draft } : {};
        },
      ),
      loadRollout: part<void, readonly RolloutRow[]>(
        () => api.rollout(),
        (rollout) => ({ rollout }),
      ),
      loadPlaces: part<void, SchemaPlaces>(
        () => api.schemaPlaces(),
        (places) => ({ places }),
      ),
      loadSummary: part<void, { readonly summary: TrySummary | null }>(
        () => api.trySummary(),
        ({ summary }) => ({ summary }),
      ),
      standing(id: number): Standing {
        const change = store.changes().find((candidate) => touches(candidate, id));
        return change === undefined ? 'as in force' : change.type === 'property added' ? 'new' : 'changed';
      },
      add(draft: PropertyDraft, done: (id: number) => void, failed: (failure: unknown) => boolean): void {
        changing(
          api.addProperties([draft]),
          (answer) => answer.draft,
          ({ ids }) => done(ids[0]!),
          failed,
        );
      },
      change(
        properties: readonly { readonly base: Property; readonly draft: PropertyDraft; readonly retired?: boolean }[],
        done: () => void = () => undefined,
        failed?: (failure: unknown) => boolean,
      ): void {
        changing(
          api.changeProperties(
            properties.map(({ base, draft, retired }) => ({
              id: base.id,
              base: draftOf(base),
              baseRetired: base.retired,
              draft,
              retired: retired ?? base.retired,
            })),
          ),
          itself,
          done,
          failed,
        );
      },
      remove: (id: number, done: () => void) => changing(api.removeProperty(id), itself, done),
      order: (ids: readonly number[]) => changing(api.orderProperties(ids), itself),
      saveChecks: (checks: readonly (Omit<Check, 'id'> & { readonly id: number | null })[], saved: () => void) =>
        changing(api.saveChecks({ checks }), itself, () => {
          saved();
          notices.done('The checks are saved in the draft.');
        }),
      saveStrangers: (strangers: DraftView['schema']['strangers']) => changing(api.saveStrangers(strangers), itself),
      takeStarter: ({ id, title }: Starter) =>
        changing(api.takeStarter(id, null), itself, () => notices.done(`${title} is in the draft. Remove what the company does not need.`)),
      discard: () => changing(api.discardDraft(), itself, () => load()),
      reinstate: () => changing(api.reinstateDraft(), itself, () => load()),
      goBack: (edition: number) =>
        changing(api.goBackTo(edition), itself, () => {
          notices.done(`The draft now says what edition ${edition} says.`);
          load();
        }),
      takeDocument: (file: File) =>
        changing(api.takeDocument(file, file.name.endsWith('.json') ? 'document' : 'table'), itself, () => {
          notices.done(`${file.name} is in the draft. Look at what it changes.`);
          load();
        }),
      bringIntoForce(note: string, done: (edition: number) => void): void {
        patchState(store, { saving: true });
        api
          .bringIntoForce(note, store.draft()!.revision)
          .pipe(
            switchMap(({ edition }) =>
              forkJoin({ draft: api.draft(), editions: api.editions(), rollout: api.rollout() }).pipe(
                tap((loaded) => {
                  patchState(store, { ...loaded, saving: false });
                  global.dispatch(CatalogueActions.load());
                  global.dispatch(CatalogueActions.recount());
                  done(edition);
                }),
              ),
            ),
            catchError(fail),
          )
          .subscribe();
      },
      reloadLists: () => {
        api.choiceLists().subscribe((lists) => patchState(store, { lists }));
        global.dispatch(CatalogueActions.load());
      },
      reloadSeries: () => {
        api.numberSeries().subscribe((series) => patchState(store, { series }));
      },
    };
  }),
);
export type SchemaStore = InstanceType<typeof SchemaStore>;
