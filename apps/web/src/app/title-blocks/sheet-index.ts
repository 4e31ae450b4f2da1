import { ChangeDetectionStrategy, Component, computed, inject, input, output } from '@angular/core';
import { fileName } from '@rule/core/files';
import { CELL_STATE_WORDS, CellState } from '@rule/core/titleblocks';
import { Count, IndexEntry, IndexList, IndexRow } from '../shared';
import { SHORT, SHOWN_STATES } from './cell-row';
import { TitleBlocksStore } from './title-blocks.store';

/** Title blocks and their sheets to choose from. */
@Component({
  selector: 'rule-sheet-index',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [Count, IndexList, IndexRow],
  template: `
    <h3>Title blocks</h3>
    @for (row of store.blocks() ?? []; track row.family) {
      <rule-index-row
        [text]="row.name"
        [end]="row.placed > row.sheets ? (row.placed | count: 'label') : (row.sheets | count: 'sheet')"
        [on]="!onBare() && row.family === store.block()?.family"
        (choose)="go.emit({ block: row.family, sheet: null, cell: null, state: null, bare: null })"
      />
    }
    @if (store.bare()?.total; as n) {
      <rule-index-row
        text="Without cells"
        [end]="n | count: 'sheet'"
        [on]="onBare()"
        (choose)="go.emit({ bare: 1, block: null, sheet: null, cell: null, state: null })"
      />
    }
    @if (onBare()) {
      <h3>Sheets without cells</h3>
      <rule-index-list [entries]="bareEntries()" [chosen]="bareAt()" (choose)="goBare($event)" />
    } @else if (store.block()) {
      <h3>{{ chosenState() ? 'Sheets with a cell that ' + clause(chosenState()!) : 'Sheets with this block' }}</h3>
      <rule-index-list [entries]="sheetEntries()" [chosen]="sheetAt()" (choose)="goSheet($event)" />
      @if (store.sheets(); as page) {
        @if (page.total > page.rows.length) {
          <p class="soft rest">{{ page.total - page.rows.length }} more; choose a state to see fewer.</p>
        } @else if (page.total === 0) {
          <p class="soft rest">None.</p>
        }
      }
    }
  `,
  styles: `
    .rest {
      padding: 4px 18px;
    }
  `,
})
export class SheetIndex {
  protected readonly store = inject(TitleBlocksStore);
  /** Whether sheets without cells are shown. */
  readonly onBare = input.required<boolean>();
  readonly chosenState = input.required<CellState | null>();
  /** Place of the shown sheet among its list. */
  readonly sheetAt = input.required<number | null>();
  readonly bareAt = input.required<number | null>();
  /** Query parameters to go to. */
  readonly go = output<Record<string, string | number | null>>();
  protected readonly bareEntries = computed<IndexEntry[]>(() =>
    (this.store.bare()?.rows ?? []).map(({ path, layout, sheets, lock }, id) => ({
      id,
      text: sheets > 1 ? `${fileName(path)} · ${layout}` : fileName(path),
      end: lock ? 'locked' : '',
      tone: '',
    })),
  );
  protected readonly sheetEntries = computed<IndexEntry[]>(() =>
    this.store.rows().map(({ path, layout, sheets, label, states, lock }, id) => {
      const [odd] = SHOWN_STATES.filter((state) => state !== 'right' && state !== 'blank' && state !== 'fixed' && state !== 'computed' && states[state]);
      return {
        id,
        text: [label, fileName(path), sheets > 1 ? layout : null].filter(Boolean).join(' · '),
        end: odd ? `${states[odd]} ${SHORT[odd] ?? odd}` : lock ? 'locked' : '',
        tone: odd ? 'warn' : '',
      };
    }),
  );

  /** A state as a clause, such as "a cell that is stale". */
  protected clause(state: CellState): string {
    return state === 'right' || state === 'would be erased' ? CELL_STATE_WORDS[state] : state === 'no model' ? 'has no model' : `is ${CELL_STATE_WORDS[state]}`;
  }
  protected goSheet(at: number): void {
    const { file, holder } = this.store.rows()[at]!;
    this.go.emit({ sheet: `${file}/${holder}` });
  }
  protected goBare(at: number): void {
    const { file, layout } = this.store.bare()!.rows[at]!;
    this.go.emit({ sheet: `${file}/${layout}` });
  }
}
