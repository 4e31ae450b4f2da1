import { ChangeDetectionStrategy, Component, input, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { EntryForm, KINDS } from '@rule/core/schema';
import { InputTextModule } from 'primeng/inputtext';
import { RuleChoices } from '../kit';

/** A form's name and scope. */
@Component({
  selector: 'rule-form-facts',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, InputTextModule, RuleChoices],
  template: `
    <label class="field">
      <span>Name</span>
      <input pInputText [disabled]="disabled()" [ngModel]="form().name" (ngModelChange)="edited.emit({ name: $event })" />
    </label>
    <div class="field">
      <span id="form-kinds">Kinds</span>
      <rule-choices
        labelledBy="form-kinds"
        [options]="kinds"
        [disabled]="disabled()"
        [ngModel]="form().kinds"
        (ngModelChange)="edited.emit({ kinds: inOrder($event) })"
      />
    </div>
    <div class="field">
      <span id="form-classes">Classes</span>
      <rule-choices
        labelledBy="form-classes"
        placeholder="all classes"
        [options]="classes()"
        [disabled]="disabled()"
        [ngModel]="form().classes"
        (ngModelChange)="edited.emit({ classes: $event })"
      />
    </div>
  `,
  styles: `
    :host {
      display: grid;
      grid-template-columns: 2fr 1fr 2fr;
      gap: 0 14px;
      border-left: 3px solid var(--brass);
      background: var(--side);
      padding: 10px 14px 0;
      margin-bottom: 12px;
    }
    input,
    rule-choices {
      width: 100%;
    }
  `,
})
export class FormFacts {
  readonly form = input.required<Omit<EntryForm, 'id'>>();
  readonly classes = input.required<readonly string[]>();
  readonly disabled = input(false);
  readonly edited = output<Partial<Pick<EntryForm, 'name' | 'kinds' | 'classes'>>>();
  protected readonly kinds = [...KINDS];
  protected readonly inOrder = (kinds: readonly string[]) => KINDS.filter((kind) => kinds.includes(kind));
}
