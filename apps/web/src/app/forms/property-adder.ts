import { ChangeDetectionStrategy, Component, ElementRef, afterNextRender, computed, inject, input, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Property } from '@rule/core/schema';
import { AutoComplete } from 'primeng/autocomplete';

/** Names separated by commas or semicolons. */
const namesIn = (text: string) =>
  text
    .split(/[;,]/)
    .map((name) => name.trim())
    .filter(Boolean);

/** Field for adding properties by name; Enter adds them. */
@Component({
  selector: 'rule-property-adder',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [AutoComplete, FormsModule],
  template: `
    <p-autocomplete
      appendTo="body"
      [style]="wide"
      [inputStyle]="wide"
      [suggestions]="suggestions()"
      optionLabel="caption"
      [autoHighlight]="true"
      [completeOnFocus]="true"
      [minLength]="0"
      [ariaLabel]="label()"
      [placeholder]="placeholder()"
      [(ngModel)]="text"
      (completeMethod)="asked.set($event.query)"
      (onSelect)="choose($event.value)"
      (keydown.enter)="enter()"
      (keydown.escape)="closed.emit()"
    >
      <ng-template #item let-property>
        <span>{{ property.caption }}</span>
        @if (property.required) {
          <span class="chip warn">required</span>
        }
        @if (property.level !== 'document') {
          <span class="chip">{{ property.level }}</span>
        }
      </ng-template>
    </p-autocomplete>
    @if (unknown(); as names) {
      <small class="bad" role="alert">Not in the schema, or already in this form: {{ names }}.</small>
    }
  `,
  styles: `
    :host,
    p-autocomplete {
      display: block;
    }
    .chip {
      margin-left: 8px;
    }
  `,
})
export class PropertyAdder {
  private readonly host = inject<ElementRef<HTMLElement>>(ElementRef);
  /** Available properties. */
  readonly properties = input.required<readonly Property[]>();
  readonly label = input.required<string>();
  readonly placeholder = input('Type property names');
  /** Whether it takes focus on appearing. */
  readonly eager = input(false);
  readonly added = output<readonly Property[]>();
  readonly closed = output();
  protected readonly asked = signal('');
  protected readonly unknown = signal<string | null>(null);
  protected readonly wide = { width: '100%' };
  protected text: string | Property | null = null;
  protected readonly suggestions = computed(() => {
    const last = namesIn(this.asked()).at(-1)?.toLowerCase() ?? '';
    return this.properties().filter((property) => `${property.caption} ${property.writtenName}`.toLowerCase().includes(last));
  });

  constructor() {
    afterNextRender(() => {
      if (this.eager()) this.host.nativeElement.querySelector('input')?.focus();
    });
  }

  protected choose(property: Property): void {
    const before = typeof this.text === 'string' ? namesIn(this.text).slice(0, -1) : namesIn(this.asked()).slice(0, -1);
    this.add([...before.map((name) => this.find(name)), property]);
  }
  /** Text typed without selecting a suggestion. */
  protected enter(): void {
    if (typeof this.text !== 'string') return;
    const names = namesIn(this.text);
    if (names.length === 0) return;
    const found = names.map((name) => this.find(name));
    const lost = names.filter((_, i) => found[i] === undefined);
    this.unknown.set(lost.length ? lost.join(', ') : null);
    if (lost.length === 0) this.add(found);
  }
  private find(name: string): Property | undefined {
    const wanted = name.toLowerCase();
    return this.properties().find((property) => property.caption.toLowerCase() === wanted || property.writtenName.toLowerCase() === wanted);
  }
  private add(found: readonly (Property | undefined)[]): void {
    const properties = [...new Set(found.filter((property) => property !== undefined))];
    this.text = null;
    this.unknown.set(null);
    if (properties.length) this.added.emit(properties);
  }
}
