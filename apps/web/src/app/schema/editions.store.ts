import { inject } from '@angular/core';
import { SchemaChange } from '@rule/core/schema';
import { count } from '@rule/core/words';
import { patchState, signalStore, withMethods, withState } from '@ngrx/signals';
import { Store } from '@ngrx/store';
import { map } from 'rxjs';
import { Api, Notices, TrayActions, saveBlob } from '../shared';
import { SchemaStore } from './schema.store';

/** Brings drafts into force, compares editions, sends schemas out and takes them back. */
export const EditionsStore = signalStore(
  withState<{ readonly compared: { readonly from: number; readonly to: number; readonly changes: readonly SchemaChange[] } | null }>({ compared: null }),
  withMethods((store, api = inject(Api), notices = inject(Notices), actions = inject(Store), schema = inject(SchemaStore)) => ({
    /** Files still hold old names: lines that rename them are added to the tray. */
    enact(note: string, done: () => void): void {
      const renamed = schema
        .changes()
        .flatMap((change) => (change.type === 'property changed' && change.fields.some((field) => field.field === 'writtenName') ? [change] : []));
      schema.bringIntoForce(note, (edition) => {
        done();
        notices.done(`Edition ${edition} is in force.`);
        for (const change of renamed)
          api.rolloutTray(change.id, 'rename').subscribe({
            next: ({ lines }) => {
              actions.dispatch(TrayActions.load());
              notices.done(`${change.caption} has a new written name: ${count(lines, 'line')} that rename it in files were added to your tray.`);
            },
            // Nothing to rename is not an error.
            error: () => undefined,
          });
      });
    },
    compare(edition: number): void {
      const to = schema.draft()!.inForce;
      api.compareEditions(edition, to).subscribe({ next: (changes) => patchState(store, { compared: { from: edition, to, changes } }), error: notices.failed });
    },
    close: () => patchState(store, { compared: null }),
    sendOut(form: 'xlsx' | 'json'): void {
      const document =
        form === 'xlsx' ? api.schemaWorkbook().pipe(map(({ blob }) => blob)) : api.schemaJson().pipe(map((json) => new Blob([JSON.stringify(json, null, 2)])));
      document.subscribe({ next: (blob) => saveBlob({ name: `schema.${form}`, blob }), error: notices.failed });
    },
  })),
);
