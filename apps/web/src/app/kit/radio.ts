import { ChangeDetectionStrategy, Component, booleanAttribute, input, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { RadioButton } from 'primeng/radiobutton';

/** One of several choices that are all seen, inside a label or with a name of its own. */
@Component({
  selector: 'rule-radio',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, RadioButton],
  template: `<p-radiobutton
    [name]="name()"
    [value]="true"
    [ngModel]="checked()"
    [ngModelOptions]="{ standalone: true }"
    [disabled]="disabled()"
    [ariaLabel]="ariaLabel() ?? undefined"
    (onClick)="choose.emit()"
  />`,
  styleUrl: './box.css',
})
export class RuleRadio {
  /** Of all that exclude each other. */
  readonly name = input.required<string>();
  /** Where no label stands around it. */
  readonly ariaLabel = input<string | null>(null);
  readonly checked = input(false, { transform: booleanAttribute });
  readonly disabled = input(false, { transform: booleanAttribute });
  readonly choose = output();
}
