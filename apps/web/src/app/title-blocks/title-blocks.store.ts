import { computed, inject } from '@angular/core';
import { BlockCell, BlockRow, BlockView, CellTray, SheetPage, SheetRow } from '@rule/contract';
import { Binding, sameDefinition } from '@rule/core/schema';
import { CellState, CellWish } from '@rule/core/titleblocks';
import { patchState, signalStore, withComputed, withMethods, withState } from '@ngrx/signals';
import { rxMethod } from '@ngrx/signals/rxjs-interop';
import { Store } from '@ngrx/store';
import { EMPTY, catchError, pipe, switchMap, tap } from 'rxjs';
import { Api, CatalogueActions, leftOutText, Notices, problemOf, TrayActions } from '../shared';

interface State {
  readonly blocks: readonly BlockRow[] | null;
  /** The family that is worked on. */
  readonly family: string | null;
  /** The state by which sheets are listed; all of them when `null`. */
  readonly state: CellState | null;
  readonly sheets: SheetPage | null;
  readonly view: BlockView | null;
  readonly error: string | null;
}

/** What is asked for: the family, and the state of cells that its sheets are listed by. */
interface Wanted {
  readonly family: string | null;
  readonly state: CellState | null;
}

/** How many sheets the index lists. */
const MOST_SHEETS = 500;

const sum = (cells: readonly BlockCell[], state: CellState): number => cells.reduce((total, cell) => total + (cell.states[state] ?? 0), 0);

/** What the Title blocks station works on: families of blocks, the sheets that have one, and the one that is looked at. */
export const TitleBlocksStore = signalStore(
  withState<State>({ blocks: null, family: null, state: null, sheets: null, view: null, error: null }),
  withComputed(({ blocks, family, sheets }) => {
    const block = computed<BlockRow | null>(() => blocks()?.find((row) => row.family === family()) ?? blocks()?.[0] ?? null);
    return {
      block,
      rows: computed<readonly SheetRow[]>(() => sheets()?.rows ?? []),
      /** How many cells of the family are in a state. */
      inState: computed(() => {
        const cells = block()?.cells ?? [];
        return (state: CellState): number => sum(cells, state);
      }),
      unbound: computed(() => block()?.cells.filter((cell) => !cell.drafted && !cell.constant).length ?? 0),
      /** Cells of all families whose binding is another one in the draft. */
      drafted: computed(() => (blocks() ?? []).flatMap((row) => row.cells).filter((cell) => !sameDefinition(cell.binding, cell.drafted)).length),
    };
  }),
  withMethods((store, api = inject(Api), global = inject(Store), notices = inject(Notices)) => {
    const failed = (failure: unknown) => {
      patchState(store, { error: problemOf(failure).detail });
      return EMPTY;
    };
    const told = (failure: unknown) => {
      notices.failed(failure);
      return EMPTY;
    };
    const loadSheets = rxMethod<void>(
      pipe(
        switchMap(() => {
          const [block, state] = [store.block(), store.state()];
          if (!block) return EMPTY;
          return api.blockSheets({ block: block.family, limit: MOST_SHEETS, ...(state === null ? {} : { state }) }).pipe(
            tap((sheets) => patchState(store, { sheets })),
            catchError(failed),
          );
        }),
      ),
    );
    const load = rxMethod<void>(
      pipe(
        switchMap(() =>
          api.blocks().pipe(
            tap((blocks) => {
              patchState(store, { blocks, error: null });
              loadSheets();
            }),
            catchError(failed),
          ),
        ),
      ),
    );
    return {
      load,
      want: ({ family, state }: Wanted): void => {
        if (family === store.family() && state === store.state() && store.sheets() !== null) return;
        patchState(store, { family, state, ...(family === store.family() ? {} : { view: null }) });
        if (store.blocks()) loadSheets();
      },
      /** Shows one sheet's block, with what waits in the tray. */
      show: rxMethod<{ readonly file: number; readonly holder: string } | null>(
        pipe(
          switchMap((sheet) => {
            if (!sheet) return EMPTY;
            return api.block(sheet.file, sheet.holder).pipe(
              tap((view) => patchState(store, { view })),
              catchError(failed),
            );
          }),
        ),
      ),
      /** Says in the draft what a cell shows. */
      bind: rxMethod<{ readonly binding: Omit<Binding, 'id'>; readonly done: () => void }>(
        pipe(
          switchMap(({ binding, done }) =>
            api.bindCells([binding]).pipe(
              tap(() => {
                load();
                global.dispatch(CatalogueActions.recount());
                done();
              }),
              catchError(told),
            ),
          ),
        ),
      ),
      put: rxMethod<{ readonly wishes: readonly CellWish[]; readonly cells: readonly string[] | null; readonly drawings: readonly number[] | null }>(
        pipe(
          switchMap((wish) => {
            const body: CellTray = { block: store.block()!.family, ...wish };
            return api.cellTray(body).pipe(
              tap(({ tray, left }) => {
                global.dispatch(TrayActions.loaded({ lines: tray.lines, counts: tray.counts }));
                global.dispatch(TrayActions.open({ open: true }));
                const without = leftOutText(left, 'drawing');
                if (without) notices.done(without);
              }),
              catchError(told),
            );
          }),
        ),
      ),
      /** Settles the model of a drawing, or of one of its sheets alone. */
      settle: rxMethod<{ readonly file: number; readonly layout: string | null; readonly model: number | null; readonly done: () => void }>(
        pipe(
          switchMap(({ file, layout, model, done }) =>
            (layout === null ? api.settleModel(file, model) : api.settleSheet(file, { layout, model })).pipe(
              tap(() => {
                load();
                done();
              }),
              catchError(told),
            ),
          ),
        ),
      ),
    };
  }),
);
export type TitleBlocksStore = InstanceType<typeof TitleBlocksStore>;
