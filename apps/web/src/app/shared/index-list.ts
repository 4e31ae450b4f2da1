import { ScrollingModule } from '@angular/cdk/scrolling';
import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { IndexRow } from './index-row';

/** An index entry. */
export interface IndexEntry {
  readonly id: number;
  readonly text: string;
  readonly end: string;
  readonly tone?: string;
}

/** Longest list rendered completely; longer ones are virtual. */
const WHOLE = 100;

/** An index list that stays fast at any length. */
@Component({
  selector: 'rule-index-list',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [IndexRow, ScrollingModule],
  template: `
    @if (entries().length <= whole) {
      @for (entry of entries(); track entry.id) {
        <rule-index-row [text]="entry.text" [end]="entry.end" [tone]="entry.tone ?? ''" [on]="entry.id === chosen()" (choose)="choose.emit(entry.id)" />
      }
    } @else {
      <cdk-virtual-scroll-viewport itemSize="28">
        <rule-index-row
          *cdkVirtualFor="let entry of mutable()"
          class="fixed"
          [text]="entry.text"
          [end]="entry.end"
          [tone]="entry.tone ?? ''"
          [on]="entry.id === chosen()"
          (choose)="choose.emit(entry.id)"
        />
      </cdk-virtual-scroll-viewport>
    }
  `,
  styles: `
    cdk-virtual-scroll-viewport {
      height: 60vh;
    }
    .fixed {
      display: block;
      height: 28px;
    }
  `,
})
export class IndexList {
  readonly entries = input.required<readonly IndexEntry[]>();
  readonly chosen = input<number | null>(null);
  readonly choose = output<number>();
  protected readonly whole = WHOLE;
  protected readonly mutable = computed(() => [...this.entries()]);
}
