import { inject } from '@angular/core';
import { ChoiceListRow, ListPreview, ListSource } from '@rule/contract';
import { ChoiceListDraft } from '@rule/core/schema';
import { count } from '@rule/core/words';
import { patchState, signalStore, withMethods, withState } from '@ngrx/signals';
import { Api, Notices, toTray } from '../shared';
import { SchemaStore } from './schema.store';

/** Saves choice lists, and loads them from sources and files. */
export const ListsStore = signalStore(
  withState<{ readonly preview: ListPreview | null; readonly file: File | null }>({ preview: null, file: null }),
  withMethods((store, api = inject(Api), notices = inject(Notices), schema = inject(SchemaStore), tray = toTray()) => ({
    /** @param saved gets the list as it was saved */
    save(id: number | null, draft: ChoiceListDraft, saved: (row: ChoiceListRow) => void): void {
      api.saveChoiceList(id, draft).subscribe({
        next: (row) => {
          schema.reloadLists();
          notices.done(`${row.name} is saved.`);
          saved(row);
        },
        error: notices.failed,
      });
    },
    remove(id: number, removed: () => void): void {
      api.removeChoiceList(id).subscribe({
        next: () => {
          schema.reloadLists();
          removed();
        },
        error: notices.failed,
      });
    },
    setSource(id: number, source: ListSource | null): void {
      api.setListSource(id, source).subscribe({
        next: () => {
          schema.reloadLists();
          notices.done('The source is saved.');
        },
        error: notices.failed,
      });
    },
    /** @param file `null` for the list's source */
    compare(id: number, file: File | null): void {
      patchState(store, { file });
      api.previewList(id, file).subscribe({ next: (preview) => patchState(store, { preview }), error: notices.failed });
    },
    /** Loads what was compared. */
    load({ id, name }: ChoiceListRow): void {
      api.loadList(id, store.preview()!.token, store.file()).subscribe({
        next: () => {
          patchState(store, { preview: null });
          schema.reloadLists();
          notices.done(`${name} is loaded.`);
        },
        error: notices.failed,
      });
    },
    replaceRetired(id: number): void {
      tray(api.replaceRetired(id), ({ lines }) => `${count(lines, 'value')} added to your tray.`);
    },
  })),
);
