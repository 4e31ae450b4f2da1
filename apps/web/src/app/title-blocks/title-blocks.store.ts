import { computed, inject } from '@angular/core';
import {
  AnchorChange,
  AnchorPlan,
  BareSheets,
  BlockCell,
  BlockCellChange,
  BlockCellPlan,
  BlockExchange,
  BlockExchangePlan,
  BlockRow,
  BlockView,
  CellTray,
  CellTrayAnswer,
  DrawnBlock,
  Learned,
  OwnedValue,
  SheetPage,
  SheetRow,
  TakenUpAnswer,
  TakeUp,
  Tray,
} from '@rule/contract';
import { Binding, Property, PropertyDraft, familyOf, sameDefinition } from '@rule/core/schema';
import { CellState, CellWish } from '@rule/core/titleblocks';
import { count } from '@rule/core/words';
import { patchState, signalStore, withComputed, withMethods, withState } from '@ngrx/signals';
import { rxMethod } from '@ngrx/signals/rxjs-interop';
import { Store } from '@ngrx/store';
import { EMPTY, Observable, catchError, debounceTime, pipe, switchMap, tap } from 'rxjs';
import { Api, CatalogueActions, catalogueFeature, leftOutText, Notices, problemOf, TrayActions } from '../shared';

interface State {
  readonly blocks: readonly BlockRow[] | null;
  /** The current family. */
  readonly family: string | null;
  /** State filter of sheets; `null` for all. */
  readonly state: CellState | null;
  readonly sheets: SheetPage | null;
  readonly view: BlockView | null;
  /** Properties of the draft, or in force without one. */
  readonly properties: readonly Property[];
  /** Bindings learned from drawings; `null` until requested. */
  readonly learned: readonly LearnedCell[] | null;
  readonly learning: boolean;
  /** Texts that could not be taken up, with reasons. */
  readonly conflicts: TakenUpAnswer['conflicts'];
  /** Blocks defined in any drawing. */
  readonly known: readonly DrawnBlock[];
  /** Sheets without any cell. */
  readonly bare: BareSheets | null;
  /** Preview of anchored texts; `null` without a change. */
  readonly anchorPlan: AnchorPlan | null;
  readonly anchorProblem: string | null;
  /** Preview of changed cells; `null` without a change. */
  readonly cellPlan: BlockCellPlan | null;
  readonly cellProblem: string | null;
  /** Preview of the exchange; `null` until a block is chosen. */
  readonly exchange: BlockExchangePlan | null;
  readonly exchangeProblem: string | null;
  readonly exchanging: boolean;
  readonly error: string | null;
}

/** A binding learned from drawings. */
export type LearnedCell = Learned['cells'][number];

/** Text typed on the sheet: a value of an owner, or text of the cell alone. */
export type Written =
  { readonly owner: OwnedValue; readonly text: string } | { readonly file: number; readonly holder: string; readonly tag: string; readonly text: string };

/** The requested family and state filter. */
interface Wanted {
  readonly family: string | null;
  readonly state: CellState | null;
}

/** Maximum sheets in the index. */
const MOST_SHEETS = 500;
/** Typing pauses that end a request. */
const PAUSE_MS = 250;

const sum = (cells: readonly BlockCell[], state: CellState): number => cells.reduce((total, cell) => total + (cell.states[state] ?? 0), 0);

/** State of the Title blocks station. */
export const TitleBlocksStore = signalStore(
  withState<State>({
    blocks: null,
    family: null,
    state: null,
    sheets: null,
    view: null,
    properties: [],
    learned: null,
    learning: false,
    conflicts: [],
    known: [],
    bare: null,
    anchorPlan: null,
    anchorProblem: null,
    cellPlan: null,
    cellProblem: null,
    exchange: null,
    exchangeProblem: null,
    exchanging: false,
    error: null,
  }),
  withComputed(({ blocks, family, sheets }) => {
    const block = computed<BlockRow | null>(() => blocks()?.find((row) => row.family === family()) ?? blocks()?.[0] ?? null);
    return {
      block,
      rows: computed<readonly SheetRow[]>(() => sheets()?.rows ?? []),
      /** Counts cells of the family by state. */
      inState: computed(() => {
        const cells = block()?.cells ?? [];
        return (state: CellState): number => sum(cells, state);
      }),
      unbound: computed(() => block()?.cells.filter((cell) => !cell.drafted && !cell.constant).length ?? 0),
      /** Cells whose binding differs in the draft. */
      drafted: computed(() => (blocks() ?? []).flatMap((row) => row.cells).filter((cell) => !sameDefinition(cell.binding, cell.drafted)).length),
    };
  }),
  withComputed(({ block, learned, properties }, global = inject(Store)) => {
    const active = global.selectSignal(catalogueFeature.selectActive);
    const captions = computed(() => new Map([...properties(), ...active()].map((property) => [property.id, property.caption])));
    return {
      /** Caption of a property, from the draft or in force. */
      captionOf: computed(
        () =>
          (id: number, otherwise = 'a property'): string =>
            captions().get(id) ?? otherwise,
      ),
      /** Learned bindings for unbound cells of this block. */
      learnedHere: computed(() => {
        const free = new Set((block()?.cells ?? []).filter((cell) => !cell.constant && !cell.drafted).map((cell) => cell.tag));
        return (learned() ?? []).filter((found) => familyOf(found.block) === block()?.family && free.has(found.tag));
      }),
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
    const loadProperties = rxMethod<void>(
      pipe(
        switchMap(() =>
          api.draft().pipe(
            tap(({ schema }) => patchState(store, { properties: schema.properties.filter((property) => !property.retired) })),
            catchError(told),
          ),
        ),
      ),
    );
    /** Sets bindings in the draft. */
    const bind = rxMethod<readonly Omit<Binding, 'id'>[]>(
      pipe(
        switchMap((bindings) =>
          api.bindCells(bindings).pipe(
            tap(() => {
              load();
              global.dispatch(CatalogueActions.recount());
            }),
            catchError(told),
          ),
        ),
      ),
    );
    /** Shows added tray lines. */
    const trayed = ({ lines, counts, steps }: Tray, open: boolean) => {
      global.dispatch(TrayActions.loaded({ lines, counts, ...(steps ? { steps } : {}) }));
      if (open) global.dispatch(TrayActions.open({ open: true }));
    };
    /** Work on placed blocks that ends in the tray. */
    const inTray = (
      work: Observable<CellTrayAnswer>,
      problem: (text: string | null) => Partial<Pick<State, 'anchorProblem' | 'cellProblem' | 'exchangeProblem'>>,
      done: () => void,
    ): void => {
      patchState(store, { exchanging: true, ...problem(null) });
      work.subscribe({
        next: ({ tray, left }) => {
          patchState(store, { exchanging: false, exchange: null, cellPlan: null, anchorPlan: null });
          trayed(tray, true);
          const without = leftOutText(left, 'drawing');
          if (without) notices.done(without);
          done();
        },
        error: (failure: unknown) => patchState(store, { exchanging: false, ...problem(problemOf(failure).detail) }),
      });
    };
    return {
      load,
      /** Bindable properties; drafts are visible to administrators only. */
      loadProperties,
      want: ({ family, state }: Wanted): void => {
        if (family === store.family() && state === store.state() && store.sheets() !== null) return;
        patchState(store, { family, state, ...(family === store.family() ? {} : { view: null, conflicts: [] }) });
        if (store.blocks()) loadSheets();
      },
      /** Loads one sheet's block with pending changes. */
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
      /** Defines a missing property in the draft. */
      define: rxMethod<{ readonly property: PropertyDraft; readonly done: () => void }>(
        pipe(
          switchMap(({ property, done }) =>
            api.addProperties([property]).pipe(
              tap(({ draft }) => {
                patchState(store, { properties: draft.schema.properties.filter((one) => !one.retired) });
                global.dispatch(CatalogueActions.recount());
                done();
              }),
              catchError(told),
            ),
          ),
        ),
      ),
      /** Adds typed text to the tray. */
      write: rxMethod<Written>(
        pipe(
          switchMap((written) =>
            ('owner' in written
              ? api.propose({
                  values: [
                    {
                      file: written.owner.file,
                      property: written.owner.property,
                      text: written.text,
                      ...(written.owner.holder ? { holder: written.owner.holder } : {}),
                    },
                  ],
                  reason: 'typed in the title block',
                })
              : api.typeCell(written.file, { holder: written.holder, tag: written.tag, text: written.text })
            ).pipe(
              tap((tray) => trayed(tray, false)),
              catchError(told),
            ),
          ),
        ),
      ),
      /** Takes up texts that exist only in title blocks. */
      takeUp: rxMethod<TakeUp>(
        pipe(
          switchMap((body) =>
            api.takeUp(body).pipe(
              tap(({ tray, values, conflicts }) => {
                trayed(tray, true);
                patchState(store, { conflicts });
                notices.done(
                  `${count(values, 'value')} added to your tray${conflicts.length ? `; ${count(conflicts.length, 'text')} could not be taken up` : ''}.`,
                );
              }),
              catchError(told),
            ),
          ),
        ),
      ),
      /** Learns bindings from drawings. */
      learn: rxMethod<void>(
        pipe(
          tap(() => patchState(store, { learning: true })),
          switchMap(() =>
            api.learned().pipe(
              tap(({ cells }) => patchState(store, { learned: cells, learning: false })),
              catchError((failure: unknown) => {
                patchState(store, { learning: false });
                return told(failure);
              }),
            ),
          ),
        ),
      ),
      bind,
      /** Binds cells as learned. */
      bindLearned: (cells: readonly LearnedCell[]): void => {
        const block = store.block()!.name;
        bind(cells.map(({ tag, propertyId, source, form }) => ({ block, cell: tag, leads: false, shows: [{ property: propertyId, from: source, form }] })));
      },
      put: rxMethod<{ readonly wishes: readonly CellWish[]; readonly cells: readonly string[] | null; readonly drawings: readonly number[] | null }>(
        pipe(
          switchMap((wish) => {
            const body: CellTray = { block: store.block()!.family, ...wish };
            return api.cellTray(body).pipe(
              tap(({ tray, left }) => {
                trayed(tray, true);
                const without = leftOutText(left, 'drawing');
                if (without) notices.done(without);
              }),
              catchError(told),
            );
          }),
        ),
      ),
      loadBare: rxMethod<void>(
        pipe(
          switchMap(() =>
            api.bareSheets({ offset: 0, limit: MOST_SHEETS }).pipe(
              tap((bare) => patchState(store, { bare })),
              catchError(failed),
            ),
          ),
        ),
      ),
      /** Previews anchoring of texts; nothing without one. */
      planAnchors: rxMethod<AnchorChange | null>(
        pipe(
          tap(() => patchState(store, { anchorProblem: null, anchorPlan: null })),
          debounceTime(PAUSE_MS),
          switchMap((change) =>
            change === null
              ? EMPTY
              : api.planAnchors(change).pipe(
                  tap((anchorPlan) => patchState(store, { anchorPlan })),
                  catchError((failure: unknown) => {
                    patchState(store, { anchorProblem: problemOf(failure).detail });
                    return EMPTY;
                  }),
                ),
          ),
        ),
      ),
      /** Adds anchored texts to the tray. */
      anchorTexts: (change: AnchorChange, done: () => void): void => inTray(api.anchorTexts(change), (anchorProblem) => ({ anchorProblem }), done),
      loadKnown: rxMethod<void>(
        pipe(
          switchMap(() =>
            api.bomBlocks().pipe(
              tap((known) => patchState(store, { known })),
              catchError(told),
            ),
          ),
        ),
      ),
      /** Previews changes of a block's cells; nothing without one. */
      planCells: rxMethod<BlockCellChange | null>(
        pipe(
          tap(() => patchState(store, { cellProblem: null, cellPlan: null })),
          switchMap((change) =>
            change === null
              ? EMPTY
              : api.planCells(change).pipe(
                  tap((cellPlan) => patchState(store, { cellPlan })),
                  catchError((failure: unknown) => {
                    patchState(store, { cellProblem: problemOf(failure).detail });
                    return EMPTY;
                  }),
                ),
          ),
        ),
      ),
      /** Adds changes of a block's cells to the tray. */
      changeCells: (change: BlockCellChange, done: () => void): void => inTray(api.changeCells(change), (cellProblem) => ({ cellProblem }), done),
      /** Previews an exchange; nothing without a chosen block. */
      planExchange: rxMethod<BlockExchange | null>(
        pipe(
          tap((request) => patchState(store, { exchangeProblem: null, ...(request?.cells ? {} : { exchange: null }) })),
          switchMap((request) =>
            request === null
              ? EMPTY
              : api.planExchange(request).pipe(
                  tap((exchange) => patchState(store, { exchange })),
                  catchError((failure: unknown) => {
                    patchState(store, { exchange: null, exchangeProblem: problemOf(failure).detail });
                    return EMPTY;
                  }),
                ),
          ),
        ),
      ),
      /** Adds an exchange to the tray. */
      exchangeBlock: (request: BlockExchange, done: () => void): void => inTray(api.exchangeBlock(request), (exchangeProblem) => ({ exchangeProblem }), done),
      /** Sets the model of a drawing or one sheet. */
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
