import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router } from '@angular/router';
import { BindingRequest, BlockRow, BlockView } from '@rule/contract';
import { CellFormat, CellSource, isStale } from '@rule/core/titleblocks';
import { fileName } from '@rule/core/files';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { SelectModule } from 'primeng/select';
import {
  Api,
  Bench,
  CatalogueActions,
  catalogueFeature,
  FileChoices,
  FileLink,
  IndexEntry,
  IndexList,
  IndexRow,
  Notices,
  problemOf,
  sessionFeature,
  TrayActions,
  trayFeature,
  Way,
} from '../shared';
import { BlockPicture } from './picture';

/** Title blocks: their cells, what each is bound to, and every drawing's block filled. */
@Component({
  selector: 'rule-title-blocks-station',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FileLink, Bench, BlockPicture, ButtonModule, FormsModule, IndexList, IndexRow, SelectModule, Way],
  template: `
    <rule-bench label="Title blocks">
      <div bench="index">
        <h3>Title blocks</h3>
        @for (row of blocks() ?? []; track row.name) {
          <rule-index-row
            [text]="row.name"
            [end]="row.drawings.length + (row.drawings.length === 1 ? ' drawing' : ' drawings')"
            [on]="row.name === block()?.name"
            (choose)="go({ block: row.name, drawing: null, cell: null })"
          />
        }
        @if (block()) {
          <h3>Drawings with this block</h3>
          <rule-index-list [entries]="drawingEntries()" [chosen]="drawingId()" (choose)="go({ drawing: $event })" />
        }
      </div>

      @if (error(); as text) {
        <p class="note bad" role="alert">{{ text }}</p>
      }
      @if (block(); as b) {
        <div class="head">
          <div>
            <h1>{{ b.name }}</h1>
            <p>
              {{ b.cells.length }} cells{{ unbound() ? ', ' + unbound() + ' bound to no property' : '' }}.
              @if (view(); as v) {
                Shown filled for <rule-file [id]="v.file.id" [path]="v.file.path" [text]="v.file.name" />
                @switch (v.model.match.state) {
                  @case ('matched') {
                    with model <rule-file [id]="v.model.match.file" [path]="v.model.path ?? ''" [text]="leaf(v.model.path ?? '')" />, found by
                    {{ matchedBy(v) }}.
                  }
                  @case ('ambiguous') {
                    <span class="bad">whose model is ambiguous.</span>
                  }
                  @default {
                    <span class="bad">whose model is not in the library.</span>
                  }
                }
              }
            </p>
          </div>
          @if (mayEdit()) {
            <div class="actions">
              <p-button severity="secondary" label="Put this drawing in the tray" [disabled]="!staleHere()" (onClick)="put([drawingId()!])" />
              <p-button [label]="'Put all ' + staleAll() + ' stale cells in the tray'" [disabled]="!staleAll()" (onClick)="put(null)" />
            </div>
          }
        </div>
        @if (view(); as v) {
          <div class="card picture"><rule-block-picture [view]="v" [selected]="cell() ?? null" (choose)="go({ cell: $event })" /></div>
          <p class="legend">
            <span class="placeholder">text</span> a placeholder for a blank, never written · <span class="chip brass">text</span> differs from what the drawing
            holds now
          </p>
        }
        <div class="card cells">
          <table class="list">
            <thead>
              <tr>
                <th>Cell</th>
                <th>Shows</th>
                <th>From</th>
                <th>As</th>
                <th>In the drawing</th>
                <th>Would read</th>
              </tr>
            </thead>
            <tbody>
              @for (row of rows(); track row.tag) {
                <tr [class.on]="row.tag === cell()" (click)="go({ cell: row.tag })">
                  <td class="mono" [title]="row.prompt">{{ row.tag }}</td>
                  <td>
                    <p-select
                      size="small"
                      appendTo="body"
                      [options]="choices()"
                      optionLabel="label"
                      optionValue="value"
                      [filter]="true"
                      [showClear]="true"
                      placeholder="nothing"
                      [disabled]="!mayAdminister()"
                      [ariaLabel]="'Property of cell ' + row.tag"
                      [ngModel]="row.binding?.propertyId ?? null"
                      (ngModelChange)="bind(row, { property: $event })"
                    />
                  </td>
                  <td>
                    @if (row.binding; as binding) {
                      <p-select
                        size="small"
                        appendTo="body"
                        [options]="sources"
                        optionLabel="label"
                        optionValue="value"
                        [disabled]="!mayAdminister()"
                        [ariaLabel]="'Source of cell ' + row.tag"
                        [ngModel]="binding.source"
                        (ngModelChange)="bind(row, { source: $event })"
                      />
                    }
                  </td>
                  <td>
                    @if (row.binding; as binding) {
                      <p-select
                        size="small"
                        appendTo="body"
                        [options]="formats"
                        [disabled]="!mayAdminister()"
                        [ariaLabel]="'Format of cell ' + row.tag"
                        [ngModel]="binding.format"
                        (ngModelChange)="bind(row, { format: $event })"
                      />
                    }
                  </td>
                  <td class="mono" [title]="row.stored ?? ''">{{ row.stored === null ? 'no such cell' : row.stored || '—' }}</td>
                  <td>
                    @if (row.bound; as bound) {
                      @if (bound.shown.state === 'value') {
                        <span class="mono" [class.changed]="row.stale">{{ bound.shown.text }}</span>
                      } @else {
                        <span class="soft" [title]="bound.shown.why">{{ bound.shown.why }}</span>
                      }
                    } @else {
                      <span class="soft">left as it is</span>
                    }
                  </td>
                </tr>
              }
            </tbody>
          </table>
        </div>
      } @else if (blocks()?.length === 0) {
        <p class="note">No drawing has a block with attribute definitions. Rule lists the blocks that it finds when it reads DXF drawings.</p>
      } @else if (!error()) {
        <span class="skeleton"></span><span class="skeleton"></span><span class="skeleton"></span>
      }

      <div bench="inspector">
        @if (view(); as v) {
          @if (v.model.match.state !== 'matched' || v.model.match.by === 'settled') {
            <h2>Which model does it show?</h2>
            <p class="soft">
              {{
                v.model.match.state === 'ambiguous'
                  ? 'More than one file could be it.'
                  : v.model.match.state === 'matched'
                    ? 'This was settled by hand.'
                    : 'Neither its document property nor its base name leads to a file.'
              }}
            </p>
            @if (mayEdit()) {
              <p-select
                [options]="models()"
                optionLabel="path"
                optionValue="id"
                [filter]="true"
                [showClear]="true"
                placeholder="Choose the model"
                ariaLabel="Model"
                [ngModel]="v.model.match.state === 'matched' ? v.model.match.file : null"
                (ngModelChange)="settle($event)"
                (onShow)="candidates.look('')"
                (onFilter)="candidates.look($event.filter)"
              />
            }
          }
        }
        @if (chosenRow(); as row) {
          <h2>Cell {{ row.tag }}</h2>
          <p class="soft">{{ row.prompt }}</p>
          @if (row.bound; as bound) {
            @if (bound.shown.state !== 'value') {
              <p class="note bad">Empty: {{ bound.shown.why }}.</p>
            } @else if (row.stale) {
              <p class="note">The drawing holds {{ row.stored || 'nothing' }}; the property says {{ bound.shown.text }}.</p>
            } @else {
              <p class="good">The drawing holds what the property says.</p>
            }
          }
          <rule-way [property]="row.binding?.propertyId ?? null" />
        } @else {
          <p class="soft">Choose a cell in the picture or the list to see why it reads as it does.</p>
        }
      </div>
    </rule-bench>
  `,
  styles: `
    .picture {
      padding: 14px 18px;
      background: var(--panel);
    }
    .legend {
      color: var(--soft);
      margin: 6px 2px 12px;
    }
    .cells {
      overflow: auto;
    }
    .changed {
      background: var(--brass-tint);
      color: var(--brass-ink);
      padding: 1px 5px;
      border-radius: 3px;
    }
    td p-select {
      width: 100%;
    }
    td:nth-child(2) {
      width: 150px;
    }
    td:nth-child(3) {
      width: 118px;
    }
    td:nth-child(4) {
      width: 106px;
    }
    td:nth-child(n + 5) {
      max-width: 140px;
      overflow: hidden;
      text-overflow: ellipsis;
      white-space: nowrap;
    }
  `,
})
export class TitleBlocksStation {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  private readonly notices = inject(Notices);
  protected readonly leaf = fileName;
  readonly blockName = input<string | undefined>(undefined, { alias: 'block' });
  readonly drawing = input<string>();
  readonly cell = input<string>();

  protected readonly mayEdit = this.store.selectSignal(sessionFeature.selectMayEdit);
  protected readonly mayAdminister = this.store.selectSignal(sessionFeature.selectMayAdminister);
  private readonly properties = this.store.selectSignal(catalogueFeature.selectActive);
  private readonly applied = this.store.selectSignal(trayFeature.selectAppliedCount);
  private readonly lines = this.store.selectSignal(trayFeature.selectLines);
  protected readonly blocks = signal<BlockRow[] | null>(null);
  protected readonly view = signal<BlockView | null>(null);
  protected readonly error = signal<string | null>(null);
  protected readonly candidates = new FileChoices(['part', 'assembly', 'other']);
  /** The model that was settled, and those that are found. */
  protected readonly models = computed(() => {
    const { match, path } = this.view()?.model ?? { match: null, path: null };
    const found = this.candidates.files();
    const settled = match?.state === 'matched' && path !== null && !found.some((file) => file.id === match.file) ? [{ id: match.file, path }] : [];
    return [...settled, ...found];
  });
  protected readonly sources: { value: CellSource; label: string }[] = [
    { value: 'model', label: 'the model' },
    { value: 'drawing', label: 'this drawing' },
  ];
  protected readonly formats: CellFormat[] = ['plain', 'with unit', 'upper case'];
  protected readonly choices = computed(() => this.properties().map((property) => ({ value: property.id, label: property.caption })));
  protected readonly block = computed(() => this.blocks()?.find((row) => row.name === this.blockName()) ?? this.blocks()?.[0] ?? null);
  protected readonly drawingId = computed(() => (this.drawing() ? Number(this.drawing()) : (this.block()?.drawings[0]?.file ?? null)));
  protected readonly drawingEntries = computed<IndexEntry[]>(() =>
    (this.block()?.drawings ?? []).map(({ file, path, stale }) => ({ id: file, text: fileName(path), end: stale ? `${stale} stale` : '', tone: 'warn' })),
  );
  protected readonly unbound = computed(() => this.block()?.cells.filter((cell) => !cell.binding).length ?? 0);
  protected readonly staleAll = computed(() => this.block()?.drawings.reduce((sum, drawing) => sum + drawing.stale, 0) ?? 0);
  protected readonly rows = computed(() =>
    (this.block()?.cells ?? []).map((cell) => {
      const shown = this.view()?.cells.find((candidate) => candidate.tag === cell.tag);
      const bound = shown?.bound ?? null;
      const stale = bound !== null && isStale(bound);
      return { ...cell, stored: shown?.stored ?? null, bound, stale };
    }),
  );
  protected readonly staleHere = computed(() => this.rows().filter((row) => row.stale).length);
  protected readonly chosenRow = computed(() => this.rows().find((row) => row.tag === this.cell()) ?? null);

  constructor() {
    effect(() => {
      this.applied();
      untracked(() => this.loadBlocks());
    });
    effect((onCleanup) => {
      const [file, block] = [this.drawingId(), this.block()];
      // Pending lines show in the picture as if they were applied.
      this.lines();
      if (file === null || !block) return;
      const subscription = this.api
        .block(file, block.name)
        .subscribe({ next: (view) => this.view.set(view), error: (failure: unknown) => this.error.set(problemOf(failure).detail) });
      onCleanup(() => subscription.unsubscribe());
    });
  }

  private loadBlocks(): void {
    this.api.blocks().subscribe({ next: (blocks) => this.blocks.set(blocks), error: (failure: unknown) => this.error.set(problemOf(failure).detail) });
  }

  protected matchedBy(view: BlockView): string {
    return view.model.match.state === 'matched' ? view.model.match.by : '';
  }

  protected go(queryParams: Record<string, string | number | null>): void {
    void this.router.navigate([], { queryParams, queryParamsHandling: 'merge' });
  }

  protected bind(row: { tag: string; binding: BlockRow['cells'][number]['binding'] }, change: Partial<BindingRequest>): void {
    const before = {
      property: row.binding?.propertyId ?? null,
      source: row.binding?.source ?? ('model' as const),
      format: row.binding?.format ?? ('plain' as const),
    };
    this.api.bind({ block: this.block()!.name, tag: row.tag, ...before, ...change }).subscribe({
      next: () => {
        this.loadBlocks();
        this.store.dispatch(CatalogueActions.recount());
      },
      error: this.notices.failed,
    });
  }

  protected put(drawings: number[] | null): void {
    this.api.blockTray({ block: this.block()!.name, drawings }).subscribe({
      next: ({ lines, counts }) => {
        this.store.dispatch(TrayActions.loaded({ lines, counts }));
        this.store.dispatch(TrayActions.open({ open: true }));
      },
      error: this.notices.failed,
    });
  }

  protected settle(model: number | null): void {
    this.api.settleModel(this.drawingId()!, model).subscribe({ next: () => this.loadBlocks(), error: this.notices.failed });
  }
}
