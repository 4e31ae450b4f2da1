import { computed, inject } from '@angular/core';
import { GridView, GridViewContent } from '@rule/contract';
import { Property } from '@rule/core/schema';
import { moveItemInArray } from '@angular/cdk/drag-drop';
import { patchState, signalStore, withComputed, withMethods, withState } from '@ngrx/signals';
import { Api, Notices } from '../shared';

interface State {
  /** Properties that may be columns. */
  readonly applying: readonly Property[];
  /** Chosen columns in order; none for all. */
  readonly chosen: readonly number[];
  readonly frozen: number;
  readonly widths: Readonly<Record<number, number>>;
  readonly views: readonly GridView[];
}

/** Columns of the grid and the views that keep them. */
export const ColumnsStore = signalStore(
  withState<State>({ applying: [], chosen: [], frozen: 0, widths: {}, views: [] }),
  withComputed(({ applying, chosen, views }) => {
    const columns = computed(() => {
      const byId = new Map(applying().map((property) => [property.id, property]));
      const found = chosen().flatMap((id) => byId.get(id) ?? []);
      return found.length ? found : applying();
    });
    /** All that may be columns, visible ones first. */
    const list = computed(() => {
      const shown = new Set(columns().map((property) => property.id));
      return [...columns(), ...applying().filter((property) => !shown.has(property.id))].map((property) => ({ property, on: shown.has(property.id) }));
    });
    return { columns, list, ownViews: computed(() => views().filter((kept) => kept.mine)) };
  }),
  withMethods((store, api = inject(Api), notices = inject(Notices)) => ({
    offer: (applying: readonly Property[]) => patchState(store, { applying }),
    /** Shows or hides a column; the last one stays. */
    show(id: number): void {
      const shown = store.columns().map((property) => property.id);
      const chosen = shown.includes(id) ? shown.filter((other) => other !== id) : [...shown, id];
      if (chosen.length) patchState(store, { chosen });
    },
    /** Moves a column in the list. */
    move(from: number, to: number): void {
      const list = store.list().map((entry) => entry.property.id);
      if (to < 0 || to >= list.length) return;
      const shown = new Set(store.columns().map((property) => property.id));
      moveItemInArray(list, from, to);
      patchState(store, { chosen: list.filter((id) => shown.has(id)) });
    },
    freeze(value: unknown): void {
      const n = Number(value);
      patchState(store, { frozen: Number.isInteger(n) ? Math.max(0, Math.min(10, n)) : 0 });
    },
    resize: ({ property, width }: { readonly property: number; readonly width: number }) =>
      patchState(store, ({ widths }) => ({ widths: { ...widths, [property]: width } })),
    reset: () => patchState(store, { chosen: [], widths: {}, frozen: 0 }),
    loadViews(): void {
      api.gridViews().subscribe({ next: (views) => patchState(store, { views }), error: notices.failed });
    },
    /** Keeps the columns with the rest of a view. */
    keep(name: string, shared: boolean, rest: Omit<GridViewContent, 'columns' | 'frozen' | 'widths'>, kept: () => void): void {
      const content = { ...rest, columns: store.chosen(), frozen: store.frozen(), widths: store.widths() };
      api.saveGridView({ name, shared, content }).subscribe({
        next: (views) => {
          patchState(store, { views });
          notices.done(`The view ${name} is kept.`);
          kept();
        },
        error: notices.failed,
      });
    },
    use: ({ columns, frozen, widths }: GridViewContent) => patchState(store, { chosen: columns, frozen, widths }),
    remove({ id }: GridView): void {
      api
        .removeGridView(id)
        .subscribe({ next: () => patchState(store, ({ views }) => ({ views: views.filter((other) => other.id !== id) })), error: notices.failed });
    },
  })),
);
export type ColumnsStore = InstanceType<typeof ColumnsStore>;
