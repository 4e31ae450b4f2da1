import { ChangeDetectionStrategy, Component, effect, inject, input, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { PropertyDraft } from '@rule/core/schema';
import { InputTextModule } from 'primeng/inputtext';
import { RuleColumn, RuleDetail, RuleTable } from '../kit';
import { FileLink, afterTyping } from '../shared';
import { tidy } from './draft';
import { ExplainStore } from './explain.store';

/** Live result of a rule on selected files, with explanation. */
@Component({
  selector: 'rule-explain',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [ExplainStore],
  imports: [RuleColumn, RuleDetail, RuleTable, FileLink, FormsModule, InputTextModule],
  template: `
    <h3>On files</h3>
    <label class="field find">
      <span class="visually-hidden">Find files to test the rule</span>
      <input pInputText name="explain-find" placeholder="Find files to test it" [ngModel]="search()" (ngModelChange)="find($event)" />
    </label>
    @if (store.error(); as text) {
      <p class="soft">{{ text }}</p>
    }
    @if (store.results().length && ready()) {
      <rule-table label="Files that were tried" [rows]="store.results()" key="file" [chosen]="open()">
        <ng-container *ruleColumn="let result of store.results(); name: 'File'; by: 'path'"><rule-file [id]="result.file" [path]="result.path" /></ng-container>
        <ng-container *ruleColumn="let result of store.results(); name: 'Holds'; look: 'mono'; by: 'held'">{{ result.held ?? '—' }}</ng-container>
        <ng-container *ruleColumn="let result of store.results(); name: 'The rule gives'; look: 'mono'; by: 'result'">
          <span [class.bad]="result.failure">{{ result.failure ?? result.result ?? 'blank' }}</span>
        </ng-container>
        <ng-container *ruleColumn="let result of store.results(); said: 'Explanation'">
          <button type="button" class="link" [attr.aria-expanded]="open() === result.file" (click)="open.set(open() === result.file ? null : result.file)">
            explain
          </button>
        </ng-container>
        <ng-container *ruleDetail="let result of store.results(); open: isOpen">
          <ol class="steps" [attr.aria-label]="'Why ' + result.path">
            @for (step of result.steps; track $index) {
              <li [style.margin-left.px]="18 * step.depth">
                <code>{{ step.text }}</code> <span class="eq">=</span>
                <b class="mono">{{ step.values.join(', ') }}{{ step.times > step.values.length ? ' …' : '' }}</b>
              </li>
            }
          </ol>
        </ng-container>
      </rule-table>
    }
  `,
  styles: `
    .find input {
      width: 260px;
    }
    .steps {
      list-style: none;
      margin: 2px 0;
      padding: 0;
    }
    .steps li {
      padding: 2px 0;
    }
    code {
      font:
        12px 'JetBrains Mono',
        monospace;
    }
    .eq {
      color: var(--faint);
      margin: 0 6px;
    }
    rule-table {
      margin-bottom: 12px;
    }
  `,
})
export class Explain {
  protected readonly store = inject(ExplainStore);
  readonly property = input.required<PropertyDraft>();
  readonly id = input<number | null>(null);
  /** Whether the rule is valid. */
  readonly ready = input(true);
  protected readonly search = signal('');
  protected readonly open = signal<number | null>(null);
  protected readonly isOpen = ({ file }: { readonly file: number }): boolean => this.open() === file;
  private readonly soon = afterTyping();

  constructor() {
    effect(() => {
      const [property, files, id] = [tidy(this.property()), this.store.files(), this.id()];
      const askable = files.length > 0 && property.rule.trim() !== '' && this.ready();
      untracked(() => this.store.explain(askable ? { property, id, files } : null));
    });
    effect(() => {
      const { kinds } = this.property();
      untracked(() => {
        if (this.store.files().length === 0) this.look('', kinds);
      });
    });
  }

  protected find(text: string): void {
    this.search.set(text);
    this.soon(() => this.look(text, this.property().kinds));
  }

  private look(text: string, kinds: PropertyDraft['kinds']): void {
    const kind = kinds[0];
    if (kind !== undefined) this.store.find({ text, kind });
  }
}
