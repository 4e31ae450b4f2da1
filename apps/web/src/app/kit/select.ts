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
  output,
  signal,
} from '@angular/core';
import { FormsModule, NG_VALUE_ACCESSOR } from '@angular/forms';
import { Select } from 'primeng/select';
import { FormValue } from './form-value';

/** One of the choices of a {@link RuleSelect}. */
@Directive({ selector: 'rule-option' })
export class RuleOption {
  readonly value = input.required<unknown>();
  readonly label = input.required<string>();
}

/** From this number of choices on, a field above them finds one. */
export const MANY = 12;

let lists = 0;

/** The kit's list to choose from: its choices are written in the template, as in the browser's own, or given as `options`. */
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
      [filter]="searches() || choices().length > many"
      [resetFilterOnHide]="true"
      [showClear]="clear()"
      [editable]="editable()"
      [emptyMessage]="none()"
      [ngModel]="shown()"
      [placeholder]="placeholder()"
      [disabled]="off() || disabled() || closed()"
      [invalid]="invalid()"
      [pt]="attributes()"
      [ariaLabel]="own() ?? undefined"
      [ariaLabelledBy]="own() === null ? (heading() ?? undefined) : undefined"
      (ngModelChange)="choose($event)"
      (onShow)="opened.emit()"
      (onFilter)="searched.emit($event.filter ?? '')"
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
export class RuleSelect extends FormValue<unknown> {
  /** Choices that are not written in the template: texts, or objects with the fields below. */
  readonly options = input<readonly unknown[] | null>(null);
  readonly optionLabel = input<string | null>(null);
  readonly optionValue = input<string | null>(null);
  /** Whether it can be left without a choice again. */
  readonly clear = input(false, { transform: booleanAttribute });
  /** Whether a text that is none of the choices can be typed. */
  readonly editable = input(false, { transform: booleanAttribute });
  /** Whether what is typed above the choices is looked for elsewhere, see `searched`. */
  readonly searches = input(false, { transform: booleanAttribute });
  /** Said where there is no choice. */
  readonly none = input('No choices');
  readonly opened = output();
  readonly searched = output<string>();
  /** Whether choosing is an act, after which the list shows what it did before. */
  readonly acts = input(false, { transform: booleanAttribute });
  /** Whether what is chosen is refused. */
  readonly invalid = input(false, { transform: booleanAttribute });
  /** Id of the text that says more about it. */
  readonly describedBy = input<string | null>(null);
  protected readonly attributes = computed(() => ({
    label: { ...(this.describedBy() === null ? {} : { 'aria-describedby': this.describedBy() }), ...(this.invalid() ? { 'aria-invalid': 'true' } : {}) },
  }));
  protected readonly nothing = null;
  protected readonly value = signal<unknown>(null);
  private readonly written = contentChildren(RuleOption, { descendants: true });
  /** What can be chosen, with its texts. */
  private readonly offered = computed((): readonly { readonly value: unknown; readonly text: string }[] => {
    const [options, label, value] = [this.options(), this.optionLabel(), this.optionValue()];
    if (options === null) return this.written().map((option) => ({ value: option.value(), text: option.label() }));
    const field = (option: unknown, name: string | null): unknown => (name === null ? option : (option as Readonly<Record<string, unknown>>)[name]);
    return options.map((option) => ({ value: field(option, value), text: String(field(option, label)) }));
  });
  protected readonly many = MANY;
  protected readonly choices = computed(() => this.offered().map(({ text }, at) => ({ at, text })));
  /** Place of the chosen one. */
  protected readonly at = computed(() => {
    const [value, values] = [this.value(), this.offered().map((option) => option.value)];
    const at = values.indexOf(value);
    // A number may come as a text, from an address or as the key of a record.
    const alike = at < 0 && (typeof value === 'string' || typeof value === 'number') ? values.findIndex((own) => `${own as string}` === `${value}`) : at;
    return alike < 0 ? null : alike;
  });
  protected readonly shown = computed(() => this.at() ?? (this.editable() ? this.value() : null));
  /** Whether the group of fields around it is disabled, which reaches only the browser's own fields. */
  protected readonly closed = signal(false);
  /** Id of the text in the label around it. */
  private readonly around = signal<string | null>(null);
  protected readonly heading = computed(() => this.labelledBy() ?? this.around());
  /** The text of a label that has nothing else. */
  private readonly words = signal<string | null>(null);
  protected readonly own = computed(() => this.ariaLabel() ?? (this.labelledBy() === null ? this.words() : null));

  constructor() {
    super();
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
        this.words.set(texts.join(' ').replace(/\s+/g, ' ').trim() || null);
        return;
      }
      words.id ||= `rule-select-${++lists}`;
      this.around.set(words.id);
      words.addEventListener('click', () => host.querySelector<HTMLElement>('[role=combobox]')?.focus());
    });
  }

  /** What it is called. */
  get name(): string | null {
    const id = this.heading();
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

  /** Values of the choices. */
  get values(): readonly unknown[] {
    return this.offered().map(({ value }) => value);
  }

  /** Takes the choice at a place, none, or a text that was typed. */
  choose(at: number | string | null): void {
    const before = this.value();
    const value = typeof at === 'number' ? this.offered()[at]?.value : at;
    this.take(value);
    if (this.acts()) setTimeout(() => this.value.set(before));
  }
}
