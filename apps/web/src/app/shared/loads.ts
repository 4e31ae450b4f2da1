import { WritableStateSource, patchState } from '@ngrx/signals';
import { rxMethod } from '@ngrx/signals/rxjs-interop';
import { Observable, catchError, pipe, switchMap, tap } from 'rxjs';

/**
 * Makes methods of a store that ask the server and put the answer into the store; of several questions, only the last one's answer counts.
 * @param failed what happens when there is none
 */
export const loads =
  <State extends object>(store: WritableStateSource<State>, failed: (failure: unknown) => Observable<never>) =>
  <Given, Answer>(ask: (given: Given) => Observable<Answer>, put: (answer: Answer) => Partial<State>) =>
    rxMethod<Given>(
      pipe(
        switchMap((given) =>
          ask(given).pipe(
            tap((answer) => patchState(store, put(answer))),
            catchError(failed),
          ),
        ),
      ),
    );
