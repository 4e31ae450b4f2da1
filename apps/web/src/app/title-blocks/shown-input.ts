import { ChangeDetectionStrategy, Component, ElementRef, computed, effect, input, output, signal, viewChild } from '@angular/core';
import { Property } from '@rule/core/schema';
import { nameAt, nameables, suggested } from '@rule/core/titleblocks';
import { InputTextModule } from 'primeng/inputtext';

/** Input for cell text: a name, or words with names in braces, with completion. */
@Component({
  selector: 'rule-shown-input',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [InputTextModule],
  template: `
    <input
      #field
      pInputText
      role="combobox"
      autocomplete="off"
      aria-autocomplete="list"
      aria-controls="shown-names"
      [attr.aria-label]="label()"
      [attr.aria-expanded]="open()"
      [attr.aria-activedescendant]="open() && at() >= 0 ? 'shown-name-' + at() : null"
      placeholder="Material, file name, Sheet {sheet number}"
      [value]="text()"
      (input)="typed()"
      (click)="look()"
      (keydown)="key($event)"
      (blur)="close()"
    />
    @if (open()) {
      <ul id="shown-names" role="listbox" aria-label="What can be shown">
        @for (choice of choices(); track choice.name; let i = $index) {
          <li
            [id]="'shown-name-' + i"
            role="option"
            [attr.aria-selected]="i === at()"
            [class.at]="i === at()"
            (pointerdown)="$event.preventDefault(); take(choice.name)"
          >
            {{ choice.name }} <small>{{ 'fact' in choice.piece ? 'fact' : 'property' }}</small>
          </li>
        }
      </ul>
    }
  `,
  styles: `
    :host {
      display: block;
      position: relative;
    }
    input {
      width: 100%;
    }
    ul {
      position: absolute;
      z-index: 20;
      left: 0;
      right: 0;
      margin: 2px 0 0;
      padding: 4px 0;
      list-style: none;
      background: var(--panel);
      border: 1px solid var(--line);
      border-radius: 4px;
      box-shadow: 0 6px 18px rgb(0 0 0 / 12%);
      max-height: 240px;
      overflow: auto;
    }
    li {
      padding: 4px 12px;
      cursor: pointer;
    }
    li.at,
    li:hover {
      background: var(--brass-tint);
    }
    small {
      color: var(--soft);
    }
  `,
})
export class ShownInput {
  readonly text = input.required<string>();
  readonly properties = input.required<readonly Property[]>();
  readonly label = input('What the cell shows');
  readonly typing = output<string>();
  /** Enter was pressed without an open suggestion. */
  readonly done = output<void>();
  private readonly field = viewChild.required<ElementRef<HTMLInputElement>>('field');
  private readonly caret = signal(-1);
  protected readonly at = signal(-1);
  private readonly all = computed(() => nameables(this.properties()));
  private readonly name = computed(() => (this.caret() < 0 ? null : nameAt(this.text(), this.caret())));
  protected readonly choices = computed(() => {
    const name = this.name();
    if (!name) return [];
    const found = suggested(name.name, this.all());
    return found.length === 1 && found[0]!.name.toLowerCase() === name.name.toLowerCase() ? [] : found;
  });
  protected readonly open = computed(() => this.choices().length > 0);

  constructor() {
    effect(() => {
      // Only typing moves the caret and triggers completion.
      const field = this.field().nativeElement;
      if (field.value !== this.text()) field.value = this.text();
    });
  }

  focus(): void {
    this.field().nativeElement.focus();
    this.field().nativeElement.select();
  }
  protected typed(): void {
    this.typing.emit(this.field().nativeElement.value);
    this.look();
  }
  protected look(): void {
    this.at.set(-1);
    this.caret.set(this.field().nativeElement.selectionStart ?? this.field().nativeElement.value.length);
  }
  protected close(): void {
    this.caret.set(-1);
    this.at.set(-1);
  }
  protected take(name: string): void {
    const found = this.name();
    if (!found) return;
    const text = this.text();
    const whole = found.from === 0 && found.to === text.length && !text.startsWith('{');
    const put = whole ? name : `{${name}}`;
    const next = text.slice(0, found.from) + put + text.slice(found.to);
    const field = this.field().nativeElement;
    field.value = next;
    field.setSelectionRange(found.from + put.length, found.from + put.length);
    this.typing.emit(next);
    this.close();
  }
  protected key(event: KeyboardEvent): void {
    const choices = this.choices();
    if (event.key === 'ArrowDown' || event.key === 'ArrowUp') {
      if (!this.open()) return this.look();
      const by = event.key === 'ArrowDown' ? 1 : -1;
      this.at.set((this.at() + by + choices.length) % choices.length);
    } else if (event.key === 'Escape' && this.open()) this.close();
    else if (event.key === 'Enter') {
      if (this.at() >= 0) this.take(choices[this.at()]!.name);
      else {
        this.close();
        this.done.emit();
      }
    } else return;
    event.preventDefault();
  }
}
