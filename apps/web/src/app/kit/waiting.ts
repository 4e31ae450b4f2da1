import { ChangeDetectionStrategy, Component, input } from '@angular/core';

/** What stands in the place of an answer: why there is none, or that it is awaited. */
@Component({
  selector: 'rule-waiting',
  changeDetection: ChangeDetectionStrategy.OnPush,
  template: `
    @if (error(); as text) {
      <p class="note bad" role="alert">{{ text }}</p>
    } @else {
      <span class="skeleton"></span><span class="skeleton"></span><span class="skeleton"></span>
    }
  `,
})
export class RuleWaiting {
  readonly error = input<string | null>(null);
}
