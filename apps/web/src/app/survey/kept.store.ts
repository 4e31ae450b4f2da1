import { inject } from '@angular/core';
import { FileFilter, SurveyComparison, SurveyRow } from '@rule/contract';
import { signalStore, withMethods, withState } from '@ngrx/signals';
import { EMPTY } from 'rxjs';
import { Api, Notices, loads } from '../shared';

/** Surveys loaded at a time. */
const PAGE = 200;

interface State {
  readonly rows: readonly SurveyRow[] | null;
  /** Whether older ones may exist. */
  readonly older: boolean;
  readonly comparison: SurveyComparison | null;
}

/** Kept surveys, and one of them compared with today. */
export const KeptStore = signalStore(
  withState<State>({ rows: null, older: false, comparison: null }),
  withMethods((store, api = inject(Api), notices = inject(Notices)) => {
    const part = loads<State>(store, (failure) => {
      notices.failed(failure);
      return EMPTY;
    });
    const load = part<void, readonly SurveyRow[]>(
      () => api.surveys({ limit: PAGE }),
      (rows) => ({ rows, older: rows.length === PAGE }),
    );
    return {
      load,
      more: part<number, readonly SurveyRow[]>(
        (before) => api.surveys({ limit: PAGE, before }),
        (rows) => ({ rows: [...(store.rows() ?? []), ...rows], older: rows.length === PAGE }),
      ),
      compare: part<number, SurveyComparison>(
        (id) => api.compareSurvey(id),
        (comparison) => ({ comparison }),
      ),
      keep(title: string, filter: FileFilter, kept: () => void): void {
        api.keepSurvey(title, filter).subscribe({
          next: () => {
            kept();
            load();
          },
          error: notices.failed,
        });
      },
    };
  }),
);
