import { ChangeDetectionStrategy, Component, booleanAttribute, computed, forwardRef, input, output, signal } from '@angular/core';
import { FormsModule, NG_VALUE_ACCESSOR } from '@angular/forms';
import { MultiSelect } from 'primeng/multiselect';
import { FormValue } from './form-value';
import { MANY } from './select';

/** The kit's list from which several may be chosen. */
@Component({
  selector: 'rule-choices',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, MultiSelect],
  providers: [{ provide: NG_VALUE_ACCESSOR, useExisting: forwardRef(() => RuleChoices), multi: true }],
  template: `
    <p-multiselect
      appendTo="body"
      size="small"
      [options]="offered()"
      [optionLabel]="optionLabel() ?? undefined"
      [optionValue]="optionValue() ?? undefined"
      [filter]="many()"
      [showToggleAll]="!searches()"
      [showHeader]="many()"
      [placeholder]="placeholder()"
      [maxSelectedLabels]="named()"
      [selectedItemsLabel]="counted()"
      [ngModel]="value()"
      [disabled]="off() || disabled()"
      [ariaLabel]="ariaLabel() ?? undefined"
      [ariaLabelledBy]="labelledBy() ?? undefined"
      (ngModelChange)="choose($event)"
      (onPanelShow)="opened.emit()"
      (onFilter)="searched.emit($event.filter ?? '')"
      (onBlur)="left()"
    />
  `,
  styles: `
    :host {
      display: inline-flex;
      min-width: 0;
    }
    p-multiselect {
      width: 100%;
    }
  `,
})
export class RuleChoices extends FormValue<readonly unknown[]> {
  /** Texts, or objects with the fields below. */
  readonly options = input.required<readonly unknown[]>();
  readonly optionLabel = input<string | null>(null);
  readonly optionValue = input<string | null>(null);
  /** Whether what is typed above the choices is looked for elsewhere, see `searched`. */
  readonly searches = input(false, { transform: booleanAttribute });
  /** Up to so many chosen ones are named, more are counted. */
  readonly named = input(3);
  /** Words for the count, with {0} for the number. */
  readonly counted = input('{0} chosen');
  readonly opened = output();
  readonly searched = output<string>();
  protected readonly nothing = [];
  protected readonly value = signal<readonly unknown[]>([]);
  protected readonly offered = computed(() => [...this.options()]);
  protected readonly many = computed(() => this.searches() || this.options().length > MANY);

  /** Takes what is chosen from now on. */
  choose(value: readonly unknown[]): void {
    this.take(value);
  }
}
