import { ChangeDetectionStrategy, Component, ElementRef, afterNextRender, effect, inject, input, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Clause, OPERATORS, clauseProblem } from '@rule/contract';
import { Property } from '@rule/core/schema';
import { ButtonModule } from 'primeng/button';
import { InputTextModule } from 'primeng/inputtext';
import { RuleOption, RuleSelect } from '../kit';
import { Notices } from '../shared';

/** Comparisons that need no text. */
const alone = (operator: Clause['operator']): boolean => operator.startsWith('is f') || operator === 'is blank' || operator === 'is a stand-in';

/** A clause in words; `caption` is that of its property. */
export function clauseText({ subject, name, operator, text }: Clause, caption: string | undefined): string {
  const what = subject === 'value' || subject === 'field' ? (caption ?? name ?? '') : subject;
  return `${what} ${operator}${text && !alone(operator) ? ` ${text}` : ''}`;
}

/** Filters the grid by a column. */
@Component({
  selector: 'rule-column-filter',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ButtonModule, FormsModule, InputTextModule, RuleOption, RuleSelect],
  template: `
    <section class="card panel" aria-label="Filter by a column">
      <form class="keep" (ngSubmit)="submit()">
        <b>{{ property().caption }}</b>
        <rule-select ariaLabel="Comparison" name="operator" [ngModel]="operator()" (ngModelChange)="operator.set($event)">
          @for (one of operators; track one) {
            <rule-option [value]="one" label="{{ one }}" />
          }
        </rule-select>
        @if (!alone(operator())) {
          <input pInputText class="filter-text" name="text" aria-label="Text to compare with" [ngModel]="text()" (ngModelChange)="text.set($event)" />
        }
        <p-button type="submit" label="Filter" />
        <button type="button" class="link" (click)="closed.emit()">Close</button>
      </form>
    </section>
  `,
  styleUrl: './panel.css',
})
export class ColumnFilter {
  readonly property = input.required<Property>();
  readonly add = output<Clause>();
  readonly closed = output();
  private readonly notices = inject(Notices);
  protected readonly operators = OPERATORS;
  protected readonly alone = alone;
  protected readonly operator = signal<Clause['operator']>('contains');
  protected readonly text = signal('');

  constructor() {
    const host = inject<ElementRef<HTMLElement>>(ElementRef).nativeElement;
    const focus = () => host.querySelector<HTMLElement>('.filter-text')?.focus();
    afterNextRender(focus);
    effect(() => {
      this.property();
      untracked(() => this.text.set(''));
      setTimeout(focus);
    });
  }

  protected submit(): void {
    const property = this.property();
    const subject = property.feed === 'file' && property.fileField ? ('field' as const) : ('value' as const);
    const name = subject === 'field' ? property.fileField! : property.writtenName;
    const clause: Clause = { subject, name, operator: this.operator(), text: this.text() };
    const problem = clauseProblem(clause);
    if (problem === null) this.add.emit(clause);
    else this.notices.error(problem);
  }
}
