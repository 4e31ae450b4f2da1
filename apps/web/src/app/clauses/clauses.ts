import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Clause, FILE_SUBJECTS, NAMED_SUBJECTS, OPERATORS, SUBJECTS, clauseProblem } from '@rule/contract';
import { KINDS } from '@rule/core/schema';
import { ValueType } from '@rule/core/values';
import { InputTextModule } from 'primeng/inputtext';
import { RuleOption, RuleSelect } from '../kit';

type Operator = Clause['operator'];
const FILLED: readonly Operator[] = ['is filled', 'is blank', 'is a stand-in'];
const TEXT: readonly Operator[] = ['is', 'is not', 'contains', 'starts with', 'ends with'];
const SIZE: readonly Operator[] = ['is', 'is not', '<', '≤', '≥', '>'];

/** Operators for a subject, by value type. */
export function operatorsFor(subject: Clause['subject'], type: ValueType | null): readonly Operator[] {
  if (subject === 'kind' || subject === 'class') return ['is', 'is not'];
  if (subject === 'file name' || subject === 'folder') return TEXT;
  if (subject === 'record field') return OPERATORS.filter((operator) => operator !== 'is a stand-in');
  if (type === null) return OPERATORS;
  return [...(type === 'number' || type === 'whole' || type === 'date' ? SIZE : type === 'yesno' ? (['is', 'is not'] as const) : TEXT), ...FILLED];
}

/** Editor for conditions; all must hold. */
@Component({
  selector: 'rule-clauses',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleOption, RuleSelect, FormsModule, InputTextModule],
  template: `
    @for (clause of clauses(); track $index; let i = $index) {
      <div class="clause">
        <rule-select [ariaLabel]="'Condition ' + (i + 1) + ': what'" [ngModel]="clause.subject" (ngModelChange)="about(i, $event)">
          @for (subject of subjects(); track subject) {
            <rule-option [value]="subject" label="{{ subject }}" />
          }
        </rule-select>
        @if (named(clause)) {
          <input
            pInputText
            class="mono"
            [placeholder]="clause.subject === 'record field' ? 'record field' : 'written name'"
            [attr.list]="clause.subject === 'record field' ? fieldsId : listId"
            [attr.aria-label]="'Condition ' + (i + 1) + (clause.subject === 'record field' ? ': record field' : ': written name')"
            [ngModel]="clause.name"
            (ngModelChange)="edit(i, { name: $event })"
          />
        }
        <rule-select [ariaLabel]="'Condition ' + (i + 1) + ': comparison'" [ngModel]="clause.operator" (ngModelChange)="edit(i, { operator: $event })">
          @for (operator of operators(clause); track operator) {
            <rule-option [value]="operator" label="{{ operator }}" />
          }
        </rule-select>
        @if (clause.subject === 'kind') {
          <rule-select [ariaLabel]="'Condition ' + (i + 1) + ': kind'" [ngModel]="clause.text" (ngModelChange)="edit(i, { text: $event })">
            @for (kind of kinds; track kind) {
              <rule-option [value]="kind" label="{{ kind }}" />
            }
          </rule-select>
        } @else if (!clause.operator.startsWith('is f') && clause.operator !== 'is blank' && clause.operator !== 'is a stand-in') {
          <input
            pInputText
            [attr.aria-label]="'Condition ' + (i + 1) + ': text'"
            [placeholder]="typeOf()(clause.name ?? '') === 'date' ? 'year-month-day' : ''"
            [ngModel]="clause.text"
            (ngModelChange)="edit(i, { text: $event })"
          />
        }
        <button type="button" class="link" [attr.aria-label]="'Remove condition ' + (i + 1)" (click)="drop(i)">Remove</button>
        @if (problem(clause); as text) {
          <small class="soft">{{ text }}</small>
        }
      </div>
    }
    <button type="button" class="link" (click)="add()">Add a condition</button>
    <datalist [id]="listId">
      @for (name of names(); track name) {
        <option [value]="name"></option>
      }
    </datalist>
    <datalist [id]="fieldsId">
      @for (name of recordFields(); track name) {
        <option [value]="name"></option>
      }
    </datalist>
  `,
  styles: `
    :host {
      display: block;
    }
    .clause {
      display: flex;
      flex-wrap: wrap;
      gap: 6px;
      align-items: center;
      margin-bottom: 6px;
    }
    input {
      width: 170px;
    }
  `,
})
export class Clauses {
  readonly clauses = input.required<readonly Clause[]>();
  readonly names = input.required<readonly string[]>();
  /** Record fields available for conditions. */
  readonly recordFields = input<readonly string[]>([]);
  /** Value type of a name; `null` if unknown. */
  readonly typeOf = input<(name: string) => ValueType | null>(() => null);
  readonly changed = output<readonly Clause[]>();
  protected readonly subjects = computed(() =>
    this.recordFields().length || this.clauses().some((clause) => clause.subject === 'record field') ? SUBJECTS : FILE_SUBJECTS,
  );
  protected named = ({ subject }: Clause): boolean => NAMED_SUBJECTS.includes(subject);
  protected readonly kinds = KINDS;
  protected readonly listId = `rule-names-${Clauses.count++}`;
  protected readonly fieldsId = `${this.listId}-record`;
  private static count = 0;

  protected readonly problem = clauseProblem;

  protected operators(clause: Clause): readonly Operator[] {
    const fitting = operatorsFor(clause.subject, clause.subject === 'value' ? this.typeOf()(clause.name ?? '') : null);
    return fitting.includes(clause.operator) ? fitting : [...fitting, clause.operator];
  }
  protected about(at: number, subject: Clause['subject']): void {
    const next: Clause = {
      subject,
      operator: operatorsFor(subject, null)[0]!,
      text: subject === 'kind' ? 'part' : '',
      ...(NAMED_SUBJECTS.includes(subject) ? { name: '' } : {}),
    };
    this.changed.emit(this.clauses().map((clause, i) => (i === at ? next : clause)));
  }
  protected edit(at: number, change: Partial<Clause>): void {
    this.changed.emit(this.clauses().map((clause, i) => (i === at ? { ...clause, ...change } : clause)));
  }
  protected drop(at: number): void {
    this.changed.emit(this.clauses().filter((_, i) => i !== at));
  }
  protected add(): void {
    this.changed.emit([...this.clauses(), { subject: 'file name', operator: 'contains', text: '' }]);
  }
}
