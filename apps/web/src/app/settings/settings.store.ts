import { inject } from '@angular/core';
import { Library, PersonRow, Settings, TokenRow } from '@rule/contract';
import { patchState, signalStore, withMethods, withState } from '@ngrx/signals';
import { Store } from '@ngrx/store';
import { Observable } from 'rxjs';
import { Api, CatalogueActions, JobsActions, Notices, SessionActions } from '../shared';

interface State {
  readonly people: readonly PersonRow[];
  /** The first password of somebody who was added, or whose password was reset. */
  readonly first: { readonly name: string; readonly password: string } | null;
  readonly tokens: readonly TokenRow[];
  /** A new token, shown once. */
  readonly made: string | null;
  /** Libraries that are folders. */
  readonly libraries: readonly Library[];
}

/** Requests of the settings; every section has its own. */
export const SettingsStore = signalStore(
  withState<State>({ people: [], first: null, tokens: [], made: null, libraries: [] }),
  withMethods((store, api = inject(Api), notices = inject(Notices), actions = inject(Store)) => {
    const loadPeople = () => void api.people().subscribe({ next: (people) => patchState(store, { people }), error: notices.failed });
    /** Does something to people and reloads them, also after a refusal. */
    const toPeople = <T>(work: Observable<T>, then: (result: T) => void = () => undefined) => {
      patchState(store, { first: null });
      work.subscribe({
        next: (result) => {
          then(result);
          loadPeople();
        },
        error: (failure: unknown) => {
          notices.failed(failure);
          loadPeople();
        },
      });
    };
    const loadTokens = () => void api.tokens().subscribe({ next: (tokens) => patchState(store, { tokens }), error: notices.failed });
    const loadLibraries = () =>
      void api.libraries().subscribe({ next: (rows) => patchState(store, { libraries: rows.filter((row) => row.kind === 'folder') }), error: notices.failed });
    return {
      loadPeople,
      addPerson(draft: Pick<PersonRow, 'name' | 'displayName' | 'role'>, added: () => void): void {
        toPeople(api.addPerson(draft), ({ password }) => {
          patchState(store, { first: { name: draft.displayName, password } });
          added();
        });
      },
      changePerson(row: PersonRow, change: Partial<Pick<PersonRow, 'role' | 'locked'>>): void {
        const { displayName, role, locked } = { ...row, ...change };
        toPeople(api.changePerson(row.id, { displayName, role, locked }));
      },
      resetPassword(row: PersonRow): void {
        toPeople(api.resetPassword(row.id), ({ password }) => patchState(store, { first: { name: row.displayName, password } }));
      },
      removePerson(row: PersonRow): void {
        toPeople(api.removePerson(row.id), () => notices.done(`${row.displayName} is removed.`));
      },
      loadTokens,
      makeToken(token: Pick<TokenRow, 'name' | 'scope'> & { readonly days: number }, then: () => void): void {
        api.makeToken(token).subscribe({
          next: (made) => {
            patchState(store, { made: made.token });
            then();
            loadTokens();
          },
          error: notices.failed,
        });
      },
      removeToken(row: TokenRow): void {
        patchState(store, { made: null });
        api.removeToken(row.id).subscribe({ next: loadTokens, error: notices.failed });
      },
      loadLibraries,
      /** Says where a library's folder stands now, and has it read. */
      placeLibrary(row: Library, folder: string, placed: () => void): void {
        api.placeLibrary(row.id, folder).subscribe({
          next: (started) => {
            notices.done(`${row.name} stands in ${folder}, and is read.`);
            placed();
            actions.dispatch(JobsActions.started(started));
            loadLibraries();
          },
          error: notices.failed,
        });
      },
      rename(name: string): void {
        api.renameMyself(name).subscribe({
          next: () => {
            notices.done('Your name is saved.');
            actions.dispatch(SessionActions.ask());
          },
          error: notices.failed,
        });
      },
      save(draft: Settings): void {
        api.saveSettings(draft).subscribe({
          next: (settings) => {
            actions.dispatch(CatalogueActions.settingsSaved({ settings }));
            actions.dispatch(SessionActions.ask());
            notices.done('Settings are saved.');
          },
          error: notices.failed,
        });
      },
    };
  }),
);
