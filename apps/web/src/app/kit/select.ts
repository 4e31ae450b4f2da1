import {
  ChangeDetectionStrategy,
  Component,
  DestroyRef,
  Directive,
  ElementRef,
  afterNextRender,
  booleanAttribute,
  computed,
  contentChildren,
  forwardRef,
  inject,
  input,
  signal,
} from '@angular/core';
import { ControlValueAccessor, FormsModule, NG_VALUE_ACCESSOR } from '@angular/forms';
import { Select } from 'primeng/select';

/** One of the choices of a {@link RuleSelect}. */
@Directive({ selector: 'rule-option' })
export class RuleOption {
  readonly value = input.required<unknown>();
  readonly label = input.required<string>();
}

/** From this number of choices on, a field above them finds one. */
const MANY = 12;

let lists = 0;

/** The kit's list to choose from, written in templates like the browser's own, whose label it takes. */
@Component({
  selector: 'rule-select',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, Select],
  providers: [{ provide: NG_VALUE_ACCESSOR, useExisting: forwardRef(() => RuleSelect), multi: true }],
  template: `
    <p-select
      appendTo="body"
      size="small"
      optionLabel="text"
      optionValue="at"
      filterBy="text"
      [options]="choices()"
      [filter]="choices().length > many"
      [resetFilterOnHide]="true"
      [ngModel]="at()"
      [placeholder]="placeholder()"
      [disabled]="off() || disabled() || closed()"
      [invalid]="invalid()"
      [pt]="attributes()"
      [ariaLabel]="own() ?? undefined"
      [ariaLabelledBy]="own() === null ? (labelledBy() ?? undefined) : undefined"
      (ngModelChange)="choose($event)"
      (onBlur)="left()"
    />
  `,
  styles: `
    :host {
      display: inline-flex;
      min-width: 0;
    }
    p-select {
      width: 100%;
    }
  `,
})
export class RuleSelect implements ControlValueAccessor {
  /** Where no label stands around it. */
  readonly ariaLabel = input<string | null>(null);
  /** Whether choosing is an act, after which the list shows what it did before. */
  readonly acts = input(false, { transform: booleanAttribute });
  /** Shown while nothing is chosen. */
  readonly placeholder = input('');
  readonly disabled = input(false, { transform: booleanAttribute });
  /** Whether what is chosen is refused. */
  readonly invalid = input(false, { transform: booleanAttribute });
  /** Id of the text that says more about it. */
  readonly describedBy = input<string | null>(null);
  protected readonly attributes = computed(() => ({
    label: { ...(this.describedBy() === null ? {} : { 'aria-describedby': this.describedBy() }), ...(this.invalid() ? { 'aria-invalid': 'true' } : {}) },
  }));
  private readonly options = contentChildren(RuleOption, { descendants: true });
  protected readonly many = MANY;
  protected readonly choices = computed(() => this.options().map((option, at) => ({ at, text: option.label() })));
  private readonly value = signal<unknown>(null);
  /** Place of the chosen one. */
  protected readonly at = computed(() => {
    const [value, values] = [this.value(), this.options().map((option) => option.value())];
    const at = values.indexOf(value);
    // A number may come as a text, from an address or as the key of a record.
    const alike = at < 0 && (typeof value === 'string' || typeof value === 'number') ? values.findIndex((own) => `${own as string}` === `${value}`) : at;
    return alike < 0 ? null : alike;
  });
  protected readonly off = signal(false);
  /** Whether the group of fields around it is disabled, which reaches only the browser's own fields. */
  protected readonly closed = signal(false);
  protected readonly labelledBy = signal<string | null>(null);
  /** The text of a label that has nothing else. */
  private readonly around = signal<string | null>(null);
  protected readonly own = computed(() => this.ariaLabel() ?? this.around());
  private told: (value: unknown) => void = () => undefined;
  protected left: () => void = () => undefined;

  constructor() {
    const host = inject<ElementRef<HTMLElement>>(ElementRef).nativeElement;
    const destroyed = inject(DestroyRef);
    afterNextRender(() => {
      const group = host.closest('fieldset');
      if (group) {
        const look = () => this.closed.set(group.disabled);
        const observer = new MutationObserver(look);
        observer.observe(group, { attributeFilter: ['disabled'] });
        destroyed.onDestroy(() => observer.disconnect());
        look();
      }
      const label = host.closest('label');
      const words = label?.querySelector<HTMLElement>(':scope > span');
      if (!words) {
        const texts = [...(label?.childNodes ?? [])].flatMap((node) => (node.nodeType === Node.TEXT_NODE ? [node.textContent ?? ''] : []));
        this.around.set(texts.join(' ').replace(/\s+/g, ' ').trim() || null);
        return;
      }
      words.id ||= `rule-select-${++lists}`;
      this.labelledBy.set(words.id);
      words.addEventListener('click', () => host.querySelector<HTMLElement>('[role=combobox]')?.focus());
    });
  }

  /** What it is called. */
  get name(): string | null {
    const id = this.labelledBy();
    return this.own() ?? (id === null ? null : (document.getElementById(id)?.textContent ?? '').replace(/\s+/g, ' ').trim());
  }

  /** Texts of the choices. */
  get texts(): readonly string[] {
    return this.choices().map(({ text }) => text);
  }

  /** Text of the chosen one. */
  get text(): string | null {
    const at = this.at();
    return at === null ? null : this.texts[at]!;
  }

  choose(at: number): void {
    const [before, value] = [this.value(), this.options()[at]?.value()];
    this.value.set(value);
    this.told(value);
    if (this.acts()) setTimeout(() => this.value.set(before));
  }

  writeValue(value: unknown): void {
    this.value.set(value);
  }
  registerOnChange(told: (value: unknown) => void): void {
    this.told = told;
  }
  registerOnTouched(left: () => void): void {
    this.left = left;
  }
  setDisabledState(off: boolean): void {
    this.off.set(off);
  }
}
