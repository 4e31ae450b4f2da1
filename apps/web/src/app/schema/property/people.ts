import { ChangeDetectionStrategy, Component, inject } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { PropertyDraft } from '@rule/core/schema';
import { RuleOption, RuleSelect, RuleCheck } from '../../kit';
import { EditedProperty } from './edited';

/** Who may change the values of a property. */
@Component({
  selector: 'rule-property-people',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleCheck, FormsModule, RuleOption, RuleSelect],
  templateUrl: './people.html',
  styleUrl: './section.css',
})
export class PropertyPeople {
  protected readonly edited = inject(EditedProperty);
  protected setMayChange(change: Partial<PropertyDraft['mayChange']>): void {
    this.edited.draft.update((draft) => draft && { ...draft, mayChange: { ...draft.mayChange, ...change } });
  }
  protected toggleState(state: string): void {
    const { states } = this.edited.draft()!.mayChange;
    this.setMayChange({ states: states.includes(state) ? states.filter((other) => other !== state) : [...states, state] });
  }
}
