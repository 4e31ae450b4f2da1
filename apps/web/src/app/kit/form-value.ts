import { Directive, WritableSignal, booleanAttribute, input, signal } from '@angular/core';
import { ControlValueAccessor } from '@angular/forms';

/** What fields of forms have in common: a value, and whether it can be changed. */
@Directive()
export abstract class FormValue<V> implements ControlValueAccessor {
  /** Where no label stands around it. */
  readonly ariaLabel = input<string | null>(null);
  /** Id of the text that names it, if that is not a label around it. */
  readonly labelledBy = input<string | null>(null);
  /** Shown while nothing is chosen. */
  readonly placeholder = input('');
  readonly disabled = input(false, { transform: booleanAttribute });
  protected abstract readonly value: WritableSignal<V>;
  /** The value while nothing is chosen. */
  protected abstract readonly nothing: V;
  /** Whether the form disabled it. */
  protected readonly off = signal(false);
  private told: (value: V) => void = () => undefined;
  protected left: () => void = () => undefined;

  /** Takes a value that the user chose. */
  protected take(value: V): void {
    this.value.set(value);
    this.told(value);
  }

  writeValue(value: V | null): void {
    this.value.set(value ?? this.nothing);
  }
  registerOnChange(told: (value: V) => void): void {
    this.told = told;
  }
  registerOnTouched(left: () => void): void {
    this.left = left;
  }
  setDisabledState(off: boolean): void {
    this.off.set(off);
  }
}
