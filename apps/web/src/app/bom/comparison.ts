import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { BomComparison } from '@rule/contract';
import { BomDifference } from '@rule/core/bom';
import { RuleColumn, RuleTable } from '../kit';
import { Count } from '../shared';

const WORDS: Readonly<Record<BomDifference['what'], string>> = {
  added: 'added',
  removed: 'removed',
  quantity: 'quantity',
  item: 'item number',
  value: 'value',
  file: 'part file',
};

/** Differences between two lists. */
@Component({
  selector: 'rule-bom-comparison',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleColumn, RuleTable, Count],
  template: `
    <section class="card" aria-label="Comparison">
      <div class="head">
        <h2>{{ comparison().differences.length | count: 'difference' }} from {{ comparison().before }} to {{ comparison().after }}</h2>
        <button type="button" class="link" (click)="closed.emit()">Close comparison</button>
      </div>
      @if (comparison().differences.length) {
        <p class="soft">{{ summary() }}</p>
        <div class="rows">
          <rule-table label="Differences" [rows]="comparison().differences">
            <ng-container *ruleColumn="let difference of comparison().differences; name: 'Item'; by: 'item'">{{ difference.item }}</ng-container>
            <ng-container *ruleColumn="let difference of comparison().differences; name: 'Part'; by: 'label'">{{ difference.label }}</ng-container>
            <ng-container *ruleColumn="let difference of comparison().differences; name: 'What'">
              {{ difference.column ?? words[difference.what] }}
            </ng-container>
            <ng-container *ruleColumn="let difference of comparison().differences; name: 'Before'; by: 'before'">{{ difference.before }}</ng-container>
            <ng-container *ruleColumn="let difference of comparison().differences; name: 'After'">
              <b>{{ difference.after }}</b>
            </ng-container>
          </rule-table>
        </div>
      } @else {
        <p class="soft">Both lists say the same.</p>
      }
    </section>
  `,
  styles: `
    .rows {
      max-height: 34vh;
      overflow: auto;
    }
  `,
})
export class BomComparisonView {
  readonly comparison = input.required<BomComparison>();
  readonly closed = output();
  protected readonly words = WORDS;
  protected readonly summary = computed(() => {
    const counts = new Map<string, number>();
    for (const { what } of this.comparison().differences) counts.set(WORDS[what], (counts.get(WORDS[what]) ?? 0) + 1);
    return [...counts].map(([what, n]) => `${what}: ${n}`).join(' · ');
  });
}
