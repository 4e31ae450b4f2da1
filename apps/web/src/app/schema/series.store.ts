import { inject } from '@angular/core';
import { SeriesRow } from '@rule/contract';
import { SeriesDraft } from '@rule/core/schema';
import { signalStore, withMethods } from '@ngrx/signals';
import { Observable } from 'rxjs';
import { Api, Notices } from '../shared';
import { SchemaStore } from './schema.store';

/** Saves number series, reserves their numbers and releases them. */
export const SeriesStore = signalStore(
  withMethods((_, api = inject(Api), notices = inject(Notices), schema = inject(SchemaStore)) => {
    const changing = <Answer>(work: Observable<Answer>, done: (answer: Answer) => void = () => undefined) =>
      void work.subscribe({
        next: (answer) => {
          schema.reloadSeries();
          done(answer);
        },
        error: notices.failed,
      });
    return {
      /** @param saved gets the series as it was saved */
      save: (id: number | null, draft: SeriesDraft, saved: (row: SeriesRow) => void) =>
        changing(api.saveSeries(id, draft), (row) => {
          notices.done(`${row.name} is saved.`);
          saved(row);
        }),
      remove: (id: number, removed: () => void) => changing(api.removeSeries(id), removed),
      draw: (id: number, note: string, drawn: () => void) =>
        changing(api.drawNumber(id, note), (number) => {
          notices.done(`${number.text} is reserved for you.`);
          drawn();
        }),
      release: (number: number) => changing(api.releaseNumber(number)),
    };
  }),
);
