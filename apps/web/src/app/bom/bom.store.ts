import { computed, inject } from '@angular/core';
import {
  BomAssembly,
  BomComparison,
  BomLayout,
  BomLayoutDraft,
  BomMember,
  BomRenumbered,
  BomRequest,
  BomSide,
  BomTable,
  DrawnBlock,
  DrawnBom,
  KeptBom,
  KeptBomView,
  PlaceMarks,
  ProposedAnswer,
  PutDrawn,
  SendBom,
  SetMark,
  WhereUsed,
} from '@rule/contract';
import { BomContent, plainContent, unpackList } from '@rule/core/bom';
import { sameDefinition } from '@rule/core/schema';
import { count } from '@rule/core/words';
import { patchState, signalStore, withComputed, withMethods, withState } from '@ngrx/signals';
import { rxMethod } from '@ngrx/signals/rxjs-interop';
import { Store } from '@ngrx/store';
import { EMPTY, catchError, filter, forkJoin, pipe, switchMap, tap } from 'rxjs';
import { Api, CatalogueActions, Notices, TrayActions, problemOf, saveBlob } from '../shared';

interface State {
  readonly assemblies: readonly BomAssembly[] | null;
  readonly layouts: readonly BomLayout[];
  readonly kept: readonly KeptBom[];
  readonly classes: readonly { readonly id: number; readonly name: string }[];
  readonly assembly: number | null;
  readonly root: string | null;
  /** The displayed saved layout; `null` for none. */
  readonly layout: BomLayout | null;
  /** The displayed set-up, saved or not. */
  readonly content: BomContent;
  readonly table: BomTable | null;
  /** Rows of the whole list while only its first ones are here. */
  readonly following: number | null;
  readonly error: string | null;
  readonly busy: boolean;
  readonly members: { readonly row: string; readonly list: readonly BomMember[] } | null;
  readonly used: WhereUsed | null;
  readonly renumbered: BomRenumbered | null;
  readonly comparison: BomComparison | null;
  readonly keptView: KeptBomView | null;
  /** Lists on drawings; `null` until requested. */
  readonly drawn: DrawnBom | null;
  readonly blocks: readonly DrawnBlock[];
  /** Pending typed values, by property and row. */
  readonly typed: Readonly<Record<string, string>>;
}

const first: State = {
  assemblies: null,
  layouts: [],
  kept: [],
  classes: [],
  assembly: null,
  root: null,
  layout: null,
  content: plainContent([]),
  table: null,
  following: null,
  error: null,
  busy: false,
  members: null,
  used: null,
  renumbered: null,
  comparison: null,
  keptView: null,
  drawn: null,
  blocks: [],
  typed: {},
};

/** State of the BOM station. */
export const BomStore = signalStore(
  withState<State>(first),
  withComputed(({ layout, content }) => ({
    changed: computed(() => layout() !== null && !sameDefinition(layout()!.content, content())),
  })),
  withMethods((store, api = inject(Api), global = inject(Store), notices = inject(Notices)) => {
    const request = (): BomRequest => ({
      layout: store.layout()?.id ?? null,
      content: store.content(),
      ...(store.root() === null ? {} : { root: store.root()! }),
    });
    const failed = (failure: unknown) => {
      patchState(store, { error: problemOf(failure).detail, busy: false, following: null });
      return EMPTY;
    };
    const told = (failure: unknown) => {
      notices.failed(failure);
      return EMPTY;
    };
    /** The list whose rows are shown. */
    let shown = '';
    const show = rxMethod<void>(
      pipe(
        switchMap(() => {
          const assembly = store.assembly();
          if (assembly === null) return EMPTY;
          patchState(store, { busy: true });
          const asked = request();
          const list = JSON.stringify([assembly, asked.root, asked.layout]);
          return api.bom(assembly, asked).pipe(
            // A list that stands there is replaced by the whole one alone, or its place in it would be lost.
            filter(({ whole }) => whole || store.table() === null || shown !== list),
            tap(({ whole, rows, table }) => {
              shown = list;
              patchState(store, { table: { ...table, ...unpackList(table) }, following: whole ? null : rows, error: null, busy: !whole });
            }),
            catchError(failed),
          );
        }),
      ),
    );
    const showDrawn = rxMethod<void>(
      pipe(
        switchMap(() => {
          const assembly = store.assembly();
          if (assembly === null || !store.content().drawn) {
            patchState(store, { drawn: null });
            return EMPTY;
          }
          return api.drawnBom(assembly, request()).pipe(
            tap((drawn) => patchState(store, { drawn })),
            catchError(told),
          );
        }),
      ),
    );
    /** Handles added tray lines or the refusal. */
    const proposed = (words: string) => ({
      next: ({ left, ...tray }: ProposedAnswer) => {
        global.dispatch(TrayActions.loaded(tray));
        notices.done(words);
        if (left.length) notices.error(`${count(left.length, 'file was', 'files were')} left out: ${left[0]!.path}: ${left[0]!.reason}`);
        showDrawn();
      },
      error: notices.failed,
    });
    const loadKept = rxMethod<void>(
      pipe(
        switchMap(() =>
          api.keptBoms().pipe(
            tap((kept) => patchState(store, { kept })),
            catchError(told),
          ),
        ),
      ),
    );
    const taken = (layout: BomLayout) => {
      const others = store.layouts().filter((row) => row.id !== layout.id);
      patchState(store, { layouts: [...others, layout].sort((a, b) => a.name.localeCompare(b.name)), layout, content: layout.content });
    };
    return {
      show,
      showDrawn,
      loadBlocks: rxMethod<void>(
        pipe(
          switchMap(() =>
            api.bomBlocks().pipe(
              tap((blocks) => patchState(store, { blocks })),
              catchError(told),
            ),
          ),
        ),
      ),
      putDrawn: (what: Pick<PutDrawn, 'drawing' | 'sheet' | 'corner' | 'erase'>) =>
        api.putDrawn(store.assembly()!, { ...request(), ...what }).subscribe(proposed('Changes of the parts list added to your tray.')),
      setMark: (what: Pick<SetMark, 'drawing' | 'sheet' | 'holder' | 'row'>) =>
        api.setMark(store.assembly()!, { ...request(), ...what }).subscribe(proposed('Item marks added to your tray.')),
      placeMarks: (what: Pick<PlaceMarks, 'drawing' | 'sheet' | 'edge' | 'view'>) =>
        api.placeMarks(store.assembly()!, { ...request(), ...what }).subscribe(proposed('New item marks added to your tray.')),
      load: rxMethod<void>(
        pipe(
          switchMap(() =>
            forkJoin({ assemblies: api.assemblies(), layouts: api.bomLayouts(), kept: api.keptBoms(), classes: api.classes() }).pipe(
              tap((loaded) => patchState(store, loaded)),
              catchError(failed),
            ),
          ),
        ),
      ),
      /** Selects a list. The current layout keeps unsaved changes. */
      choose(assembly: number | null, layout: BomLayout | null, root: string | null): void {
        const same = layout !== null && layout.id === store.layout()?.id;
        const other = assembly !== store.assembly() || !same || root !== store.root();
        if (!other && store.table()) return;
        patchState(store, {
          assembly,
          root,
          layout,
          ...(same ? {} : { content: layout?.content ?? store.content() }),
          members: null,
          renumbered: null,
          ...(assembly === store.assembly() ? {} : { table: null, comparison: null, keptView: null }),
          drawn: null,
        });
        show();
      },
      change(content: BomContent): void {
        patchState(store, { content, renumbered: null });
        show();
        if (store.drawn()) showDrawn();
      },
      discard(): void {
        patchState(store, { content: store.layout()?.content ?? plainContent([]) });
        show();
      },
      save(draft: BomLayoutDraft, done: () => void = () => undefined): void {
        const layout = store.layout();
        if (!layout) return;
        api.changeBomLayout(layout.id, { ...draft, version: layout.version }).subscribe({
          next: (saved) => {
            taken(saved);
            notices.done(`Layout ${saved.name} saved.`);
            show();
            done();
          },
          error: notices.failed,
        });
      },
      saveAs: (draft: BomLayoutDraft, done: (id: number) => void) =>
        api.addBomLayout(draft).subscribe({
          next: (saved) => {
            taken(saved);
            notices.done(`Layout ${saved.name} saved.`);
            done(saved.id);
          },
          error: notices.failed,
        }),
      removeLayout: (id: number, done: () => void) =>
        api.removeBomLayout(id).subscribe({
          next: () => {
            patchState(store, { layouts: store.layouts().filter((row) => row.id !== id), layout: null });
            done();
          },
          error: notices.failed,
        }),
      openRow: rxMethod<string>(
        pipe(
          switchMap((row) =>
            api.bomMembers(store.assembly()!, { ...request(), row }).pipe(
              tap((list) => patchState(store, { members: { row, list } })),
              catchError(told),
            ),
          ),
        ),
      ),
      lookUsed: rxMethod<number | null>(
        pipe(
          tap(() => patchState(store, { used: null })),
          switchMap((file) =>
            file === null
              ? EMPTY
              : api.whereUsed(file).pipe(
                  tap((used) => patchState(store, { used })),
                  catchError(told),
                ),
          ),
        ),
      ),
      /**
       * Adds a typed value to the tray.
       * @param row `null` for all rows with a value
       */
      type: (row: string | null, property: number, text: string, member?: string) =>
        api.bomValue(store.assembly()!, { ...request(), row, property, text, ...(member === undefined ? {} : { member }) }).subscribe({
          next: ({ left, ...tray }) => {
            global.dispatch(TrayActions.loaded(tray));
            if (row !== null && member === undefined && left.length === 0) patchState(store, { typed: { ...store.typed(), [`${property}\n${row}`]: text } });
            if (left.length) notices.error(`${count(left.length, 'file was', 'files were')} left out: ${left[0]!.path}: ${left[0]!.reason}`);
          },
          error: notices.failed,
        }),
      number: (row: string, number: number) =>
        api.bomNumber(store.assembly()!, { ...request(), row, number }).subscribe({ next: () => show(), error: notices.failed }),
      renumber: (write: boolean) =>
        api.bomRenumber(store.assembly()!, { ...request(), write }).subscribe({
          next: (renumbered) => {
            patchState(store, { renumbered: write ? null : renumbered });
            if (write) {
              notices.done(`${count(renumbered.changes.length, 'row')} renumbered.`);
              show();
            } else if (renumbered.changes.length === 0) {
              patchState(store, { renumbered: null });
              notices.done('The rows are numbered in this order already.');
            }
          },
          error: notices.failed,
        }),
      forgetRenumbering: () => patchState(store, { renumbered: null }),
      settle: (assembly: number, product: string, part: number | null) =>
        api.settlePart(assembly, product, part).subscribe({
          next: () => {
            global.dispatch(CatalogueActions.recount());
            api.assemblies().subscribe({ next: (assemblies) => patchState(store, { assemblies }), error: notices.failed });
            show();
          },
          error: notices.failed,
        }),
      send: (format: SendBom['format']) => api.bomTable(store.assembly()!, { ...request(), format }).subscribe({ next: saveBlob, error: notices.failed }),
      keep: (title: string, done: () => void) =>
        api.keepBom(store.assembly()!, { ...request(), title }).subscribe({
          next: (kept) => {
            notices.done(`${kept.title} kept: ${count(kept.rows, 'row')}.`);
            loadKept();
            done();
          },
          error: notices.failed,
        }),
      openKept: rxMethod<number | null>(
        pipe(
          tap(() => patchState(store, { keptView: null })),
          switchMap((id) =>
            id === null
              ? EMPTY
              : api.keptBom(id).pipe(
                  tap((keptView) => patchState(store, { keptView })),
                  catchError(told),
                ),
          ),
        ),
      ),
      sendKept: (id: number, format: SendBom['format']) => api.keptBomTable(id, format).subscribe({ next: saveBlob, error: notices.failed }),
      removeKept: (id: number, done: () => void) =>
        api.removeKeptBom(id).subscribe({
          next: () => {
            loadKept();
            done();
          },
          error: notices.failed,
        }),
      /** Compares a list with the current one. */
      compare: (before: { readonly kept: number } | { readonly assembly: number }) => {
        const side: BomSide = 'kept' in before ? before : { assembly: before.assembly, layout: null, content: store.content() };
        api
          .compareBoms({ before: side, after: { assembly: store.assembly()!, ...request() } })
          .subscribe({ next: (comparison) => patchState(store, { comparison }), error: notices.failed });
      },
      /** Typed values were applied or discarded. */
      forgetTyped: () => patchState(store, { typed: {} }),
      forgetComparison: () => patchState(store, { comparison: null }),
    };
  }),
);
export type BomStore = InstanceType<typeof BomStore>;
