import { ChangeDetectionStrategy, Component, inject } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { InputTextModule } from 'primeng/inputtext';
import { TextareaModule } from 'primeng/textarea';
import { LETTER_CASES, UNIQUENESS } from '@rule/core/schema';
import { RuleCheck, RuleColumn, RuleOption, RuleSelect, RuleTable } from '../../kit';
import { RuleField } from '../../rule-field';
import { EditedProperty } from './edited';
import { linesIn, numberIn } from './typed';

/** Which values a property accepts. */
@Component({
  selector: 'rule-property-limits',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleColumn, RuleTable, RuleCheck, FormsModule, InputTextModule, RuleField, RuleOption, RuleSelect, TextareaModule],
  templateUrl: './limits.html',
  styleUrl: './section.css',
})
export class PropertyLimits {
  protected readonly edited = inject(EditedProperty);
  protected readonly linesOf = linesIn;
  protected readonly number = numberIn;
  protected readonly letterCases = LETTER_CASES;
  protected readonly uniqueness = UNIQUENESS;
  protected addOverride(): void {
    const draft = this.edited.draft()!;
    const free = this.edited.store.classes().find((name) => !draft.overrides.some((override) => override.class === name));
    if (free) this.edited.set({ overrides: [...draft.overrides, { class: free }] });
  }
  protected setOverride(at: number, change: object): void {
    this.edited.set({ overrides: this.edited.draft()!.overrides.map((override, i) => (i === at ? { ...override, ...change } : override)) });
  }
  protected dropOverride(at: number): void {
    this.edited.set({ overrides: this.edited.draft()!.overrides.filter((_, i) => i !== at) });
  }
  protected readonly newline = '\n';
}
