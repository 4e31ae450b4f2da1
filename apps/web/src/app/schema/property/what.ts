import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { InputTextModule } from 'primeng/inputtext';
import { TextareaModule } from 'primeng/textarea';
import { oddLetters } from '@rule/core/schema';
import { ruleNameFor } from '@rule/core/rules';
import { UNITS, VALUE_TYPES } from '@rule/core/values';
import { RuleOption, RuleSelect } from '../../kit';
import { TYPE_NAMES } from '../../shared';
import { EditedProperty } from './edited';
import { linesIn, numberIn } from './typed';

/** What a property is: names, type, help. */
@Component({
  selector: 'rule-property-what',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, InputTextModule, RuleOption, RuleSelect, TextareaModule],
  templateUrl: './what.html',
  styleUrl: './section.css',
})
export class PropertyNames {
  protected readonly edited = inject(EditedProperty);
  protected readonly newline = '\n';
  protected readonly linesOf = linesIn;
  protected readonly number = numberIn;
  protected readonly types = VALUE_TYPES.map((value) => ({ value, label: TYPE_NAMES[value] }));
  protected readonly units = UNITS.map((unit) => unit.code);
  protected readonly oddOnes = computed(() => oddLetters(this.edited.draft()?.writtenName ?? ''));
  protected readonly suggestedRuleName = computed(() =>
    ruleNameFor(
      this.edited.draft()?.writtenName ?? '',
      this.edited.others().map((property) => property.ruleName || property.writtenName),
    ),
  );
}
