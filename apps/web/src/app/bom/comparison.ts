import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { BomComparison } from '@rule/contract';
import { BomDifference } from '@rule/core/bom';
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
  imports: [Count],
  template: `
    <section class="card" aria-label="Comparison">
      <div class="head">
        <h2>{{ comparison().differences.length | count: 'difference' }} from {{ comparison().before }} to {{ comparison().after }}</h2>
        <button type="button" class="link" (click)="closed.emit()">Close comparison</button>
      </div>
      @if (comparison().differences.length) {
        <p class="soft">{{ summary() }}</p>
        <div class="rows">
          <table class="list">
            <thead>
              <tr>
                <th>Item</th>
                <th>Part</th>
                <th>What</th>
                <th>Before</th>
                <th>After</th>
              </tr>
            </thead>
            <tbody>
              @for (difference of comparison().differences; track $index) {
                <tr>
                  <td>{{ difference.item }}</td>
                  <td>{{ difference.label }}</td>
                  <td>{{ difference.column ?? words[difference.what] }}</td>
                  <td>{{ difference.before }}</td>
                  <td>
                    <b>{{ difference.after }}</b>
                  </td>
                </tr>
              }
            </tbody>
          </table>
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
