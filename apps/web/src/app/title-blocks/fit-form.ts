import { ChangeDetectionStrategy, Component, computed, input, output } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Abbreviation, FIT_STEPS, FitRule, FitStep, PLAIN_FIT } from '@rule/core/lettering';
import { InputNumberModule } from 'primeng/inputnumber';
import { TextareaModule } from 'primeng/textarea';
import { RuleCheck } from '../kit';

const LABELS: Readonly<Record<FitStep, string>> = {
  'lower height': 'a lower height of the series',
  'narrower letters': 'narrower letters',
  'second line': 'a second line, where the cell takes one',
  abbreviations: 'agreed abbreviations',
};

/** Remedies for texts that do not fit, in order. */
@Component({
  selector: 'rule-fit-form',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleCheck, FormsModule, InputNumberModule, TextareaModule],
  template: `
    <ol aria-label="Remedies for texts that are too long, in their order">
      @for (step of steps(); track step.step; let i = $index) {
        <li>
          <label><rule-check [checked]="step.on" (flip)="toggle(step.step, $event)" /> {{ step.label }}</label>
          @if (step.on && i > 0) {
            <button type="button" class="link" [attr.aria-label]="'Earlier: ' + step.label" (click)="earlier(step.step)">earlier</button>
          }
        </li>
      }
    </ol>
    @if (rule().steps.includes('narrower letters')) {
      <label class="row" for="fit-narrowest"
        >Not below
        <p-inputnumber
          inputId="fit-narrowest"
          size="small"
          [min]="0.3"
          [max]="1"
          [step]="0.05"
          [showButtons]="true"
          [minFractionDigits]="2"
          [maxFractionDigits]="2"
          [ngModel]="rule().narrowest"
          (ngModelChange)="put({ narrowest: $event ?? 0.75 })"
        />
        of their width</label
      >
    }
    @if (rule().steps.includes('abbreviations')) {
      <label for="fit-words">One abbreviation per line: word = abbreviation</label>
      <textarea
        pTextarea
        id="fit-words"
        rows="3"
        [ngModel]="words()"
        [ngModelOptions]="{ updateOn: 'blur' }"
        (ngModelChange)="put({ abbreviations: read($event) })"
      ></textarea>
    }
  `,
  styles: `
    ol {
      list-style: none;
      margin: 0;
      padding: 0;
    }
    li,
    .row {
      display: flex;
      gap: 8px;
      align-items: center;
      justify-content: space-between;
      padding: 2px 0;
    }
    .row {
      justify-content: flex-start;
    }
    label {
      display: flex;
      gap: 8px;
      align-items: center;
    }
    textarea {
      width: 100%;
      font-family: var(--mono);
    }
    :host ::ng-deep p-inputnumber input {
      width: 72px;
    }
  `,
})
export class FitForm {
  readonly fit = input<FitRule | null>(null);
  readonly ruled = output<FitRule>();
  protected readonly rule = computed(() => this.fit() ?? PLAIN_FIT);
  /** Selected remedies in order, then the others. */
  protected readonly steps = computed(() => {
    const { steps } = this.rule();
    return [...steps, ...FIT_STEPS.filter((step) => !steps.includes(step))].map((step) => ({ step, label: LABELS[step], on: steps.includes(step) }));
  });
  protected readonly words = computed(() =>
    this.rule()
      .abbreviations.map(({ word, short }) => `${word} = ${short}`)
      .join('\n'),
  );

  protected put(change: Partial<FitRule>): void {
    this.ruled.emit({ ...this.rule(), ...change });
  }
  protected toggle(step: FitStep, on: boolean): void {
    const { steps } = this.rule();
    this.put({ steps: on ? [...steps, step] : steps.filter((other) => other !== step) });
  }
  protected earlier(step: FitStep): void {
    const steps = [...this.rule().steps];
    const at = steps.indexOf(step);
    steps.splice(at - 1, 2, step, steps[at - 1]!);
    this.put({ steps });
  }
  /** Incomplete lines are ignored. */
  protected read(text: string): Abbreviation[] {
    return text.split('\n').flatMap((line) => {
      const at = line.indexOf('=');
      const [word, short] = at < 0 ? ['', ''] : [line.slice(0, at).trim(), line.slice(at + 1).trim()];
      return word && short ? [{ word, short }] : [];
    });
  }
}
