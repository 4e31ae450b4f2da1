import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { FormInput, HOLDER_PRESETS, LEVELS, Property, WHEN_HIDDEN, isHeldAt, looksFor, spanOf } from '@rule/core/schema';
import { count } from '@rule/core/words';
import { InputTextModule } from 'primeng/inputtext';
import { TextareaModule } from 'primeng/textarea';
import { RuleSelect } from '../kit';
import { ConditionEditor } from './condition-editor';

const HIDDEN_WORDS = { keep: 'kept', clear: 'cleared', ask: 'asked about' } as const;

/** Settings of an input, opened below it. */
@Component({
  selector: 'rule-input-settings',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ConditionEditor, FormsModule, InputTextModule, RuleSelect, TextareaModule],
  template: `
    @let e = entry();
    @if (property(); as p) {
      <div class="fields">
        <label class="field">
          <span>Caption</span>
          <input pInputText [placeholder]="p.caption" [disabled]="disabled()" [ngModel]="e.caption" (ngModelChange)="edited.emit({ caption: $event })" />
        </label>
        <label class="field wide">
          <span>Help</span>
          <input pInputText [placeholder]="p.help" [disabled]="disabled()" [ngModel]="e.help" (ngModelChange)="edited.emit({ help: $event })" />
        </label>
        <div class="field">
          <span id="form-look">Shown as</span>
          <rule-select labelledBy="form-look" [options]="looks()" [disabled]="disabled()" [ngModel]="e.look" (ngModelChange)="edited.emit({ look: $event })" />
        </div>
        <div class="field">
          <span id="form-width">Width</span>
          <rule-select
            labelledBy="form-width"
            [options]="widths()"
            optionLabel="text"
            optionValue="value"
            [disabled]="disabled()"
            [ngModel]="spanOf({ columns: columns() }, e)"
            (ngModelChange)="edited.emit({ width: $event })"
          />
        </div>
        @if (levels().length > 1) {
          <div class="field">
            <span id="form-level">Level</span>
            <rule-select
              labelledBy="form-level"
              [options]="levels()"
              [disabled]="disabled()"
              [ngModel]="e.level"
              (ngModelChange)="edited.emit({ level: $event })"
            />
          </div>
        }
        @if (isInner()) {
          <div class="field">
            <span id="form-holders">Filled in for</span>
            <rule-select
              labelledBy="form-holders"
              [options]="presets()"
              optionLabel="text"
              optionValue="value"
              [disabled]="disabled()"
              [ngModel]="e.holders"
              (ngModelChange)="edited.emit({ holders: $event })"
            />
          </div>
          @if (e.holders === 'named') {
            <label class="field wide">
              <span>Names, one per line</span>
              <textarea
                pTextarea
                rows="3"
                [disabled]="disabled()"
                [ngModel]="e.holderNames.join('\\n')"
                (ngModelChange)="edited.emit({ holderNames: linesOf($event) })"
              ></textarea>
            </label>
          }
        }
      </div>
      @for (condition of conditions; track condition.field) {
        <rule-condition-editor
          [title]="condition.title"
          [label]="condition.title + ', ' + caption()"
          [properties]="properties()"
          [value]="e[condition.field]"
          [hint]="condition.field === 'requiredWhen' && p.required ? 'always: the property is required' : condition.hint"
          [disabled]="disabled()"
          (changed)="setCondition(condition.field, $event)"
        />
        @if (condition.field === 'shownWhen' && (e.shownWhen || panelShownWhen())) {
          <div class="field hidden">
            <span id="form-hidden">When hidden, its value is</span>
            <rule-select
              labelledBy="form-hidden"
              [options]="hidden"
              optionLabel="text"
              optionValue="value"
              [disabled]="disabled()"
              [ngModel]="e.whenHidden"
              (ngModelChange)="edited.emit({ whenHidden: $event })"
            />
          </div>
        }
      }
    } @else {
      <p class="note bad">The property of this input is no longer in the schema.</p>
    }
    @for (text of hangs(); track $index) {
      <p class="note">{{ text }}</p>
    }
    @if (!disabled()) {
      <div class="actions">
        <button type="button" class="link" (click)="removed.emit()">Remove input</button>
        <button type="button" class="link" (click)="closed.emit()">Close settings</button>
      </div>
    }
  `,
  styles: `
    :host {
      display: block;
      border-left: 3px solid var(--brass);
      background: var(--side);
      padding: 10px 14px;
    }
    .fields {
      display: grid;
      grid-template-columns: repeat(4, minmax(0, 1fr));
      gap: 0 14px;
    }
    .wide {
      grid-column: span 3;
    }
    .hidden {
      max-width: 220px;
    }
    rule-select,
    input,
    textarea {
      width: 100%;
    }
  `,
})
export class InputSettings {
  readonly entry = input.required<FormInput>();
  /** Columns of its panel. */
  readonly columns = input.required<number>();
  readonly property = input.required<Property | undefined>();
  readonly properties = input.required<readonly Property[]>();
  readonly caption = input.required<string>();
  readonly panelShownWhen = input('');
  /** What depends on the input. */
  readonly hangs = input<readonly string[]>([]);
  readonly disabled = input(false);
  readonly edited = output<Partial<FormInput>>();
  readonly removed = output();
  readonly closed = output();

  protected readonly conditions = [
    { field: 'shownWhen', title: 'Shown when', hint: 'always' },
    { field: 'requiredWhen', title: 'Required when', hint: 'never' },
    { field: 'readOnlyWhen', title: 'Read-only when', hint: 'never' },
  ] as const;
  protected readonly spanOf = spanOf;
  protected readonly widths = computed(() =>
    Array.from({ length: this.columns() }, (_, i) => ({ value: i + 1, text: `${i + 1} of ${count(this.columns(), 'column')}` })),
  );
  protected readonly hidden = WHEN_HIDDEN.map((value) => ({ value, text: HIDDEN_WORDS[value] }));
  protected readonly looks = computed(() => looksFor(this.property()!));
  protected readonly levels = computed(() => LEVELS.filter((level) => isHeldAt(this.property()!, level)));
  protected readonly isInner = computed(() => ['variant', 'body', 'occurrence', 'sheet'].includes(this.entry().level));
  protected readonly presets = computed(() => {
    const { level } = this.entry();
    const words = {
      document: level === 'variant' ? 'the document: what all variants have' : 'all of them',
      all: `each ${level}, in its own field`,
      named: `${level}s with certain names`,
    };
    return HOLDER_PRESETS.map((value) => ({ value, text: words[value] }));
  });
  protected setCondition(field: (typeof this.conditions)[number]['field'], text: string): void {
    this.edited.emit({ [field]: text });
  }
  protected linesOf(text: string): string[] {
    return text
      .split('\n')
      .map((line) => line.trim())
      .filter(Boolean);
  }
}
