import { DataSource } from '@angular/cdk/collections';
import { CdkFixedSizeVirtualScroll, CdkVirtualForOf, CdkVirtualScrollViewport } from '@angular/cdk/scrolling';
import { NgTemplateOutlet } from '@angular/common';
import {
  ChangeDetectionStrategy,
  Component,
  ViewEncapsulation,
  booleanAttribute,
  computed,
  contentChild,
  contentChildren,
  input,
  linkedSignal,
  numberAttribute,
  output,
  signal,
  viewChild,
} from '@angular/core';
import { toObservable, toSignal } from '@angular/core/rxjs-interop';
import { EMPTY, switchMap } from 'rxjs';
import { Of, Orderable, RuleColumn, RuleDetail, Rows, valueOf } from './column';

const words = new Intl.Collator('en', { numeric: true });

/** Rows of a table of the page that are rendered at a time. */
const STEP = 200;

/** Order of two values: numbers by size, texts as people count, nothing last however the rest is turned. */
function compared(a: Orderable, b: Orderable, sign: 1 | -1): number {
  const [noA, noB] = [a ?? '', b ?? ''].map((value) => value === '');
  if (noA || noB) return Number(noA) - Number(noB);
  return sign * (typeof a === 'number' && typeof b === 'number' ? a - b : words.compare(String(a), String(b)));
}

/**
 * The kit's table. Short ones are tables of the page, whose columns fit their texts; long ones (`virtual`) render the
 * rows in sight only, all of one height. Both are ordered with the headings of columns that say by what.
 */
@Component({
  selector: 'rule-table',
  changeDetection: ChangeDetectionStrategy.OnPush,
  encapsulation: ViewEncapsulation.None,
  imports: [CdkFixedSizeVirtualScroll, CdkVirtualForOf, CdkVirtualScrollViewport, NgTemplateOutlet],
  host: { '[class.virtual]': 'virtual()' },
  styleUrl: './table.css',
  template: `
    <ng-template #heading let-column>
      @if (column.ruleColumnHead(); as head) {
        <ng-container [ngTemplateOutlet]="head" />
      } @else if (column.ruleColumnSaid()) {
        <span class="visually-hidden">{{ column.ruleColumnSaid() }}</span>
      } @else if (column.ruleColumnBy() !== null) {
        <button type="button" class="plain" (click)="turn(column)">{{ column.ruleColumnName() }}{{ arrow(column) }}</button>
      } @else {
        {{ column.ruleColumnName() }}
      }
    </ng-template>
    @if (!virtual()) {
      <table [attr.aria-label]="label()">
        @if (headed()) {
          <thead>
            <tr>
              @for (column of columns(); track column) {
                <th scope="col" [class.num]="column.ruleColumnNum()" [attr.aria-sort]="sorting(column)">
                  <ng-container [ngTemplateOutlet]="heading" [ngTemplateOutletContext]="{ $implicit: column }" />
                </th>
              }
            </tr>
          </thead>
        }
        <tbody>
          @for (row of begun(); track track($index, row); let i = $index) {
            <tr
              [class]="look()(row)"
              [class.on]="isChosen(row)"
              [class.pick]="picks()"
              [attr.aria-selected]="picks() ? isChosen(row) : null"
              [attr.tabindex]="picks() ? (i === active() ? 0 : -1) : null"
              (focus)="focused.set(i)"
              (click)="chose(row)"
              (keydown)="typed($event, row)"
            >
              @for (column of columns(); track column) {
                <td [class]="column.ruleColumnLook()" [class.num]="column.ruleColumnNum()" [attr.title]="tip(column, row)">
                  <ng-container [ngTemplateOutlet]="column.template" [ngTemplateOutletContext]="{ $implicit: row, index: i }" />
                </td>
              }
            </tr>
            @if (detail(); as d) {
              @if (d.ruleDetailOpen()(row, i)) {
                <tr class="detail">
                  <td [attr.colspan]="columns().length">
                    <ng-container [ngTemplateOutlet]="d.template" [ngTemplateOutletContext]="{ $implicit: row, index: i }" />
                  </td>
                </tr>
              }
            }
          } @empty {
            @if (empty()) {
              <tr>
                <td [attr.colspan]="columns().length" class="soft">{{ empty() }}</td>
              </tr>
            }
          }
        </tbody>
      </table>
      @if (whole().length > begun().length) {
        <p class="none">
          {{ begun().length }} of {{ whole().length }} rows.
          <button type="button" class="link" (click)="most.set(most() + next())">Show {{ next() }} more</button>
        </p>
      }
    } @else {
      <div role="table" class="lines" [attr.aria-label]="label()" [attr.aria-rowcount]="length() + 1" [style.--columns]="widths()" [style.--line.px]="line()">
        <div class="row header" role="row" aria-rowindex="1">
          @for (column of columns(); track column) {
            <span role="columnheader" [class.num]="column.ruleColumnNum()" [attr.aria-sort]="sorting(column)">
              <ng-container [ngTemplateOutlet]="heading" [ngTemplateOutletContext]="{ $implicit: column }" />
            </span>
          }
        </div>
        @if (length()) {
          <cdk-virtual-scroll-viewport [itemSize]="line()" role="rowgroup" [style.height]="room()" (scrolledIndexChange)="reached.emit($event)">
            <div
              role="row"
              *cdkVirtualFor="let row of drawn(); trackBy: track; templateCacheSize: 80; let i = index"
              [class]="'row ' + (row ? look()(row) : '')"
              [class.on]="row && isChosen(row)"
              [class.pick]="picks()"
              [attr.aria-rowindex]="i + 2"
              [attr.aria-selected]="row && picks() ? isChosen(row) : null"
              [attr.tabindex]="picks() ? (i === active() ? 0 : -1) : null"
              (focus)="focused.set(i)"
              (click)="chose(row)"
              (keydown)="typed($event, row)"
            >
              @if (row) {
                @for (column of columns(); track column) {
                  <span role="cell" [class]="column.ruleColumnLook()" [class.num]="column.ruleColumnNum()" [attr.title]="tip(column, row)">
                    <ng-container [ngTemplateOutlet]="column.template" [ngTemplateOutletContext]="{ $implicit: row, index: i }" />
                  </span>
                }
              } @else {
                <span role="cell" class="waiting"><span class="skeleton"></span></span>
              }
            </div>
          </cdk-virtual-scroll-viewport>
        } @else if (empty()) {
          <p class="none">{{ empty() }}</p>
        }
      </div>
    }
  `,
})
export class RuleTable<T> {
  /** What it lists, for those who hear it. */
  readonly label = input.required<string>();
  readonly rows = input.required<Rows<T>>();
  /** What tells rows apart, if not their place. */
  readonly key = input<Of<T, unknown> | null>(null);
  /** Said where there is no row. */
  readonly empty = input('');
  /** Style classes of a row. */
  readonly look = input<(row: NonNullable<T>) => string>(() => '');
  /** Whether a row can be chosen, with the pointer or the keyboard. */
  readonly picks = input(false, { transform: booleanAttribute });
  /** Key of the chosen row, or the row where rows have no key. */
  readonly chosen = input<unknown>(null);
  /** Name of the column that orders the rows at first. */
  readonly order = input('');
  /** Whether only the rows in sight are rendered. */
  readonly virtual = input(false, { transform: booleanAttribute });
  /** Most room of virtual rows, as a length of a style sheet. */
  readonly height = input('60vh');
  /** Height of a virtual row, in pixels. */
  readonly line = input(32, { transform: numberAttribute });
  /** Number of rows of a source. */
  readonly total = input<number | null>(null);
  readonly pick = output<NonNullable<T>>();
  /** A key that was pressed on a row and means nothing to the table. */
  readonly keyed = output<{ readonly event: KeyboardEvent; readonly row: NonNullable<T> }>();
  /** The first virtual row in sight. */
  readonly reached = output<number>();

  protected readonly columns = contentChildren<RuleColumn<T>>(RuleColumn);
  protected readonly detail = contentChild<RuleDetail<T>>(RuleDetail);
  protected readonly headed = computed(() => this.columns().some((each) => each.ruleColumnName() || each.ruleColumnSaid() || each.ruleColumnHead()));
  protected readonly widths = computed(() =>
    this.columns()
      .map((each) => each.ruleColumnWidth())
      .join(' '),
  );
  /** The ordering column by name, as columns may be made anew. */
  private readonly ordered = linkedSignal<{ readonly name: string; readonly sign: 1 | -1 }>(() => ({ name: this.order(), sign: 1 }));
  protected readonly whole = computed((): readonly NonNullable<T>[] => {
    const rows = this.rows();
    if (rows instanceof DataSource) return [];
    const { name, sign } = this.ordered();
    const by = this.columns()
      .find((each) => each.ruleColumnName() === name)
      ?.ruleColumnBy();
    const all = [...rows] as NonNullable<T>[];
    if (!by) return all;
    const values = new Map(all.map((row) => [row, valueOf(row, by) as Orderable]));
    return all.sort((a, b) => compared(values.get(a), values.get(b), sign));
  });
  protected readonly most = signal(STEP);
  /** The rows of a short table, in steps if they are many. */
  protected readonly begun = computed(() => (this.whole().length > this.most() ? this.whole().slice(0, this.most()) : this.whole()));
  protected readonly next = computed(() => Math.min(STEP, this.whole().length - this.begun().length));
  protected readonly drawn = computed((): NonNullable<T>[] | DataSource<T> => {
    const rows = this.rows();
    return rows instanceof DataSource ? rows : (this.whole() as NonNullable<T>[]);
  });
  protected readonly length = computed(() => (this.rows() instanceof DataSource ? (this.total() ?? 8) : this.whole().length));
  protected readonly room = computed(() => `min(${this.height()}, ${this.line() * this.length()}px)`);

  protected readonly focused = signal(0);
  private readonly viewport = viewChild(CdkVirtualScrollViewport);
  private readonly rendered = toSignal(toObservable(this.viewport).pipe(switchMap((viewport) => viewport?.renderedRangeStream ?? EMPTY)));
  /** The one row that the Tab key reaches; arrows lead to the others. */
  protected readonly active = computed(() => {
    const [first, last] = this.virtual() ? [this.rendered()?.start ?? 0, (this.rendered()?.end ?? 1) - 1] : [0, this.begun().length - 1];
    return Math.max(first, Math.min(this.focused(), last));
  });

  protected readonly track = (index: number, row: T | undefined): unknown => {
    const key = this.key();
    return key === null || row === null || row === undefined ? index : valueOf(row, key);
  };
  protected isChosen(row: NonNullable<T>): boolean {
    const [chosen, key] = [this.chosen(), this.key()];
    return chosen !== null && chosen === (key === null ? row : valueOf(row, key));
  }
  protected tip(column: RuleColumn<T>, row: NonNullable<T>): string | null {
    const of = column.ruleColumnTip();
    return of === null ? null : ((valueOf(row, of) as string | null | undefined) ?? null);
  }

  protected sorting(column: RuleColumn<T>): 'ascending' | 'descending' | null {
    const { name, sign } = this.ordered();
    if (column.ruleColumnBy() === null || column.ruleColumnName() !== name) return null;
    return sign > 0 ? 'ascending' : 'descending';
  }
  protected arrow(column: RuleColumn<T>): string {
    const sorting = this.sorting(column);
    return sorting === null ? '' : sorting === 'ascending' ? ' ↑' : ' ↓';
  }
  /** Orders by a column, turns its order, and then gives back the order of before. */
  protected turn(column: RuleColumn<T>): void {
    const name = column.ruleColumnName();
    const first = column.ruleColumnNum() ? -1 : 1;
    const { name: before, sign } = this.ordered();
    if (before !== name) this.ordered.set({ name, sign: first });
    else if (sign === first) this.ordered.set({ name, sign: first > 0 ? -1 : 1 });
    else this.ordered.set({ name: this.order(), sign: 1 });
    this.viewport()?.scrollToIndex(0);
  }

  protected chose(row: T | undefined): void {
    if (this.picks() && row !== undefined && row !== null) this.pick.emit(row);
  }
  protected typed(event: KeyboardEvent, row: T | undefined): void {
    const own = event.currentTarget as HTMLElement;
    // Keys of what stands in its cells are theirs.
    if (event.target !== own || !this.picks() || row === undefined || row === null) return;
    if (event.key === 'Enter') this.pick.emit(row);
    else if (event.key === 'ArrowDown' || event.key === 'ArrowUp') this.step(own, event.key === 'ArrowDown' ? 'nextElementSibling' : 'previousElementSibling');
    else {
      this.keyed.emit({ event, row });
      return;
    }
    event.preventDefault();
  }
  /** Focuses the next row in a direction, past details. */
  private step(from: HTMLElement, way: 'nextElementSibling' | 'previousElementSibling'): void {
    let next = from[way] as HTMLElement | null;
    while (next && !next.hasAttribute('tabindex')) next = next[way] as HTMLElement | null;
    next?.focus();
  }
}
