import { ChangeDetectionStrategy, Component, input } from '@angular/core';
import { BlockExchangePlan } from '@rule/contract';
import { Count } from '../shared';

/** What a change of blocks would lose, and the drawings that it leaves out. */
@Component({
  selector: 'rule-change-effects',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [Count],
  template: `
    @if (lost().length) {
      <div class="note" role="status">
        <b>{{ heading() }}</b>
        <ul>
          @for (entry of lost(); track entry.tag) {
            <li>
              <span class="mono">{{ entry.tag }}</span> on {{ entry.texts | count: 'sheet' }}: {{ entry.examples.join(', ') }}
            </li>
          }
        </ul>
      </div>
    }
    @if (left().length) {
      <details>
        <summary>{{ left().length | count: 'drawing is' : 'drawings are' }} left out</summary>
        <ul>
          @for (row of left(); track row.file) {
            <li>{{ row.path }}: {{ row.reason }}</li>
          }
        </ul>
      </details>
    }
  `,
  styles: `
    ul {
      margin: 4px 0 0;
      padding-left: 20px;
    }
  `,
})
export class ChangeEffects {
  readonly heading = input.required<string>();
  readonly lost = input.required<BlockExchangePlan['lost']>();
  readonly left = input.required<BlockExchangePlan['left']>();
}
