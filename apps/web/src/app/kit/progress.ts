import { ChangeDetectionStrategy, Component, computed, input } from '@angular/core';
import { ProgressBar } from 'primeng/progressbar';

/** How far a work has come. */
@Component({
  selector: 'rule-progress',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ProgressBar],
  template: `<p-progressbar [value]="percent()" [showValue]="false" [attr.aria-label]="label()" />`,
  styles: `
    :host {
      --p-progressbar-height: 6px;
      display: block;
      margin: 6px 0;
    }
  `,
})
export class RuleProgress {
  /** The work. */
  readonly label = input.required<string>();
  readonly done = input(0);
  /** All there is to do; 0 while that is not known. */
  readonly of = input(0);
  protected readonly percent = computed(() => (this.of() > 0 ? Math.min(100, Math.floor((100 * this.done()) / this.of())) : 0));
}
