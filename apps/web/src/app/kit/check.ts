import { ChangeDetectionStrategy, Component, afterRenderEffect, booleanAttribute, input, output, viewChild } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Checkbox } from 'primeng/checkbox';

/** The kit's box to tick, inside a label or with a name of its own. */
@Component({
  selector: 'rule-check',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [Checkbox, FormsModule],
  template: `<p-checkbox
    binary
    [ngModel]="checked()"
    [ngModelOptions]="{ standalone: true }"
    [disabled]="disabled()"
    [ariaLabel]="ariaLabel() ?? undefined"
    [tabindex]="tabindex() ?? undefined"
    [indeterminate]="some()"
    (ngModelChange)="flip.emit($event)"
  />`,
  styleUrl: './box.css',
})
export class RuleCheck {
  /** Where no label stands around it. */
  readonly ariaLabel = input<string | null>(null);
  readonly checked = input(false, { transform: booleanAttribute });
  /** Holds for some of what it stands for. */
  readonly some = input(false, { transform: booleanAttribute });
  readonly disabled = input(false, { transform: booleanAttribute });
  readonly tabindex = input<number | string | null>(null);
  /** Ticked, or no longer. */
  readonly flip = output<boolean>();
  private readonly box = viewChild.required(Checkbox);

  constructor() {
    // The mark alone would not tell those who do not see it.
    afterRenderEffect(() => {
      const some = this.some();
      (this.box().inputViewChild!.nativeElement as HTMLInputElement).indeterminate = some;
    });
  }
}
