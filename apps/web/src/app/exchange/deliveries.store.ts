import { inject } from '@angular/core';
import { Delivery, DeliveryDraft, Settings, WatchedFolder, WatchedFolderDraft } from '@rule/contract';
import { signalStore, withMethods, withState } from '@ngrx/signals';
import { EMPTY, Observable, forkJoin } from 'rxjs';
import { Api, Notices, loads } from '../shared';
import { ExchangeStore } from './exchange.store';

interface State {
  readonly list: readonly Delivery[];
  readonly folders: readonly WatchedFolder[];
  /** Workflow states that a delivery can wait for. */
  readonly states: Settings['workflowStates'];
}

/** Scheduled deliveries and watched folders. */
export const DeliveriesStore = signalStore(
  withState<State>({ list: [], folders: [], states: [] }),
  withMethods((store, api = inject(Api), notices = inject(Notices), exchange = inject(ExchangeStore)) => {
    const part = loads<State>(store, (failure) => {
      notices.failed(failure);
      return EMPTY;
    });
    const load = part<void, Pick<State, 'list' | 'folders'>>(
      () => forkJoin({ list: api.deliveries(), folders: api.watchedFolders() }),
      (loaded) => loaded,
    );
    const changing = <Answer>(work: Observable<Answer>, done: (answer: Answer) => void = () => undefined) =>
      void work.subscribe({
        next: (answer) => {
          done(answer);
          load();
        },
        error: exchange.failed,
      });
    return {
      load,
      loadStates: part<void, Settings>(
        () => api.settings(),
        ({ workflowStates }) => ({ states: workflowStates }),
      ),
      save: (id: number | null, draft: DeliveryDraft, saved: () => void) =>
        changing(api.saveDelivery(id, draft), () => {
          saved();
          notices.done(`The delivery ${draft.name} is saved.`);
        }),
      saveFolder: (id: number | null, draft: WatchedFolderDraft, saved: () => void) =>
        changing(api.saveWatchedFolder(id, draft), () => {
          saved();
          notices.done(`${draft.folder} is watched.`);
        }),
      deliver: (id: number) =>
        changing(api.deliverNow(id), ({ trouble, file }) => {
          if (trouble === null) notices.done(`${file} is written.`);
        }),
      remove: (id: number) => changing(api.removeDelivery(id)),
      removeFolder: (id: number) => changing(api.removeWatchedFolder(id)),
    };
  }),
);
