import { computed, inject } from '@angular/core';
import { ChoiceListRow, DraftView, FillData } from '@rule/contract';
import { EntryForm, Property } from '@rule/core/schema';
import { patchState, signalStore, withComputed, withMethods, withState } from '@ngrx/signals';
import { rxMethod } from '@ngrx/signals/rxjs-interop';
import { Store } from '@ngrx/store';
import { EMPTY, catchError, forkJoin, pipe, switchMap, tap } from 'rxjs';
import { Api, CatalogueActions, Notices, problemOf } from '../shared';

interface State {
  readonly draft: DraftView | null;
  readonly lists: readonly ChoiceListRow[];
  readonly classRows: readonly { readonly id: number; readonly name: string }[];
  readonly preview: FillData | null;
  readonly error: string | null;
  readonly saving: boolean;
}

/** State of the Forms station. */
export const FormsStore = signalStore(
  withState<State>({ draft: null, lists: [], classRows: [], preview: null, error: null, saving: false }),
  withComputed(({ draft, classRows }) => ({
    classes: computed(() => classRows().map((row) => row.name)),
    forms: computed<readonly EntryForm[]>(() => draft()?.schema.forms ?? []),
    properties: computed<readonly Property[]>(() => draft()?.schema.properties ?? []),
  })),
  withMethods((store, api = inject(Api), global = inject(Store), notices = inject(Notices)) => {
    const take = (draft: DraftView) => {
      const began = store.draft()?.number !== draft.number;
      patchState(store, { draft, saving: false });
      if (began) global.dispatch(CatalogueActions.recount());
    };
    const fail = (failure: unknown) => {
      patchState(store, { saving: false });
      notices.failed(failure);
    };
    return {
      load: rxMethod<void>(
        pipe(
          switchMap(() =>
            forkJoin({ draft: api.draft(), lists: api.choiceLists(), classes: api.classes() }).pipe(
              tap(({ draft, lists, classes }) => patchState(store, { draft, lists, classRows: classes, error: null })),
              catchError((failure: unknown) => {
                patchState(store, { error: problemOf(failure).detail });
                return EMPTY;
              }),
            ),
          ),
        ),
      ),
      save(id: number | null, form: Omit<EntryForm, 'id'>, base: Omit<EntryForm, 'id'> | null, done: (id: number) => void): void {
        patchState(store, { saving: true });
        api.saveForm({ id, form, base }).subscribe({
          next: (answer) => {
            take(answer.draft);
            done(answer.id);
          },
          error: fail,
        });
      },
      remove: (id: number, done: () => void) =>
        api.removeForm(id).subscribe({
          next: (draft) => {
            take(draft);
            done();
          },
          error: fail,
        }),
      order: (ids: readonly number[]) => api.orderForms(ids).subscribe({ next: take, error: fail }),
      /** Previews a form with the first matching file. */
      lookWithFirst: ({ kinds, classes }: Pick<EntryForm, 'kinds' | 'classes'>) => {
        const own = store.classRows().find((row) => row.name === classes[0])?.id;
        patchState(store, { preview: null });
        if (kinds.length)
          api.files({ kind: kinds[0]!, limit: 1, ...(own === undefined ? {} : { class: own }) }).subscribe({
            next: ({ rows }) => rows[0] && api.fill({ files: [rows[0].id] }).subscribe({ next: (preview) => patchState(store, { preview }), error: fail }),
            error: fail,
          });
      },
      /** Previews with a file. */
      look: (file: number) => api.fill({ files: [file] }).subscribe({ next: (preview) => patchState(store, { preview }), error: fail }),
    };
  }),
);
export type FormsStore = InstanceType<typeof FormsStore>;
