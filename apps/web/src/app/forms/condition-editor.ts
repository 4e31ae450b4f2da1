import { ChangeDetectionStrategy, Component, computed, input, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Clause, ClauseCondition, ClauseTest, clauseTests, readCondition, writeCondition } from '@rule/core/forms';
import { Property } from '@rule/core/schema';
import { InputTextModule } from 'primeng/inputtext';
import { RuleSelect } from '../kit';
import { RuleField } from '../rule-field';

/** Condition builder with its expression; either can be edited. */
@Component({
  selector: 'rule-condition-editor',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, InputTextModule, RuleField, RuleSelect],
  template: `
    <div class="head" role="group" [attr.aria-label]="label()">
      <b>{{ title() }}</b>
      @if (clauses(); as condition) {
        @for (clause of condition.clauses; track $index; let i = $index) {
          <div class="clause">
            @if (i > 0) {
              <rule-select
                class="joint"
                [options]="joints"
                [ariaLabel]="label() + ': and or or'"
                [disabled]="disabled()"
                [ngModel]="condition.joint"
                (ngModelChange)="write({ joint: $event, clauses: condition.clauses })"
              />
            }
            <rule-select
              [options]="choosable()"
              optionLabel="caption"
              optionValue="id"
              placeholder="property"
              [ariaLabel]="label() + ': property ' + (i + 1)"
              [disabled]="disabled()"
              [ngModel]="clause.property"
              (ngModelChange)="setProperty(condition, i, $event)"
            />
            <rule-select
              [options]="testsOf(clause)"
              [ariaLabel]="label() + ': test ' + (i + 1)"
              [disabled]="disabled()"
              [ngModel]="clause.test"
              (ngModelChange)="setTest(condition, i, $event)"
            />
            @if (asksValue(clause)) {
              @if (choicesOf(clause); as choices) {
                <rule-select
                  [options]="choices"
                  [ariaLabel]="label() + ': value ' + (i + 1)"
                  [disabled]="disabled()"
                  [ngModel]="clause.values[0] ?? null"
                  (ngModelChange)="setValues(condition, i, [$event])"
                />
              } @else {
                <input
                  pInputText
                  [attr.aria-label]="label() + ': value ' + (i + 1)"
                  [placeholder]="clause.test === 'is one of' ? 'values, separated by commas' : 'value'"
                  [disabled]="disabled()"
                  [value]="clause.values.join(', ')"
                  (change)="typed(condition, i, $any($event.target).value)"
                />
              }
            }
            @if (!disabled()) {
              <button type="button" class="link" [attr.aria-label]="'Remove clause ' + (i + 1) + ' of ' + label()" (click)="removeClause(condition, i)">
                ✕
              </button>
            }
          </div>
        } @empty {
          <span class="soft">{{ hint() }}</span>
        }
        @if (!disabled()) {
          <button type="button" class="link" (click)="addClause(condition)">{{ condition.clauses.length ? 'Add clause' : 'Add condition' }}</button>
        }
      } @else {
        <span class="soft">This condition says more than clauses can; edit its expression.</span>
      }
      @if (!disabled() && value().trim() === '' && !expression()) {
        <button type="button" class="link" [attr.aria-label]="'Write as expression: ' + label()" (click)="expression.set(true)">Write as expression</button>
      }
    </div>
    @if (value().trim() !== '' || expression()) {
      <rule-rule-field
        [label]="label()"
        purpose="condition"
        [properties]="properties()"
        [value]="value()"
        [disabled]="disabled()"
        [hint]="hint()"
        (changed)="changed.emit($event)"
      />
    }
  `,
  styles: `
    :host {
      display: block;
      margin-bottom: 10px;
    }
    .head,
    .clause {
      display: flex;
      flex-wrap: wrap;
      gap: 6px 8px;
      align-items: center;
      margin: 0 0 4px;
    }
    .head > b {
      flex: 0 0 110px;
      font-weight: 600;
    }
    .clause rule-select {
      min-width: 110px;
      max-width: 200px;
    }
    .clause .joint {
      min-width: 76px;
    }
    input {
      width: 180px;
    }
  `,
})
export class ConditionEditor {
  readonly title = input.required<string>();
  /** Accessible name, unique on the page. */
  readonly label = input.required<string>();
  readonly value = input.required<string>();
  readonly properties = input.required<readonly Property[]>();
  readonly hint = input('always');
  readonly disabled = input(false);
  readonly changed = output<string>();
  protected readonly joints = ['and', 'or'];
  protected readonly expression = signal(false);
  /** Keeps unfinished clauses, which have no expression. */
  private readonly open = signal<{ readonly value: string; readonly condition: ClauseCondition } | null>(null);
  protected readonly clauses = computed(() => {
    const open = this.open();
    return open?.value === this.value() ? open.condition : readCondition(this.value(), this.properties());
  });
  private readonly byId = computed(() => new Map(this.properties().map((property) => [property.id, property])));
  protected readonly choosable = computed(() => this.properties().filter((property) => !property.retired));

  protected testsOf = (clause: Clause): ClauseTest[] => {
    const property = this.byId().get(clause.property);
    return property ? clauseTests(property) : ['is'];
  };
  protected asksValue = ({ property, test }: Clause) => this.byId().has(property) && test !== 'is filled in' && test !== 'is blank';
  protected choicesOf({ property: id, test }: Clause): string[] | null {
    const property = this.byId().get(id)!;
    if (property.type === 'yesno') return ['yes', 'no'];
    return property.type === 'choice' && test !== 'is one of' && property.choices.length ? [...property.choices] : null;
  }

  protected addClause(condition: ClauseCondition): void {
    this.write({ joint: condition.joint, clauses: [...condition.clauses, { property: 0, test: 'is', values: [] }] });
  }
  protected removeClause(condition: ClauseCondition, at: number): void {
    this.write({ joint: condition.joint, clauses: condition.clauses.filter((_, i) => i !== at) });
  }
  protected setProperty(condition: ClauseCondition, at: number, id: number): void {
    const property = this.byId().get(id)!;
    const values = property.type === 'yesno' ? ['yes'] : [];
    this.set(condition, at, { property: id, test: clauseTests(property)[0]!, values });
  }
  protected setTest(condition: ClauseCondition, at: number, test: ClauseTest): void {
    const clause = condition.clauses[at]!;
    this.set(condition, at, { property: clause.property, test, values: test === 'is filled in' || test === 'is blank' ? [] : clause.values });
  }
  protected setValues(condition: ClauseCondition, at: number, values: readonly string[]): void {
    const { property, test } = condition.clauses[at]!;
    this.set(condition, at, { property, test, values });
  }
  protected typed(condition: ClauseCondition, at: number, text: string): void {
    const several = condition.clauses[at]!.test === 'is one of';
    this.setValues(condition, at, several ? text.split(',').flatMap((value) => value.trim() || []) : text === '' ? [] : [text]);
  }
  private set(condition: ClauseCondition, at: number, clause: Clause): void {
    this.write({ joint: condition.joint, clauses: condition.clauses.map((other, i) => (i === at ? clause : other)) });
  }
  /** Updates the condition, keeping unfinished clauses. */
  write(condition: ClauseCondition): void {
    const whole = condition.clauses.filter((clause) => this.byId().has(clause.property) && (!this.asksValue(clause) || clause.values.length > 0));
    const value = writeCondition({ joint: condition.joint, clauses: whole }, this.properties());
    this.open.set({ value, condition });
    if (value !== this.value()) this.changed.emit(value);
  }
}
