import { ChangeDetectionStrategy, Component, inject } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { InputTextModule } from 'primeng/inputtext';
import { TextareaModule } from 'primeng/textarea';
import { PropertyDraft } from '@rule/core/schema';
import { LETTER_FORMS, NUMBER_FORMS, UNITS } from '@rule/core/values';
import { RuleOption, RuleSelect, RuleCheck } from '../../kit';
import { EditedProperty } from './edited';
import { linesIn, numberIn } from './typed';

/** Where and how the values of a property appear. */
@Component({
  selector: 'rule-property-shown',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleCheck, FormsModule, InputTextModule, RuleOption, RuleSelect, TextareaModule],
  templateUrl: './shown.html',
  styleUrl: './section.css',
})
export class PropertyForms {
  protected readonly edited = inject(EditedProperty);
  protected readonly units = UNITS.map((unit) => unit.code);
  protected readonly number = numberIn;
  /** Letter case options, least intrusive first. */
  protected readonly letterForms = LETTER_FORMS;
  protected readonly letterWords: Readonly<Record<(typeof LETTER_FORMS)[number], string>> = {
    'as stored': 'left as they are in the file',
    title: 'capital where a word begins',
    'first upper': 'capital where the text begins',
    upper: 'all capitals',
    lower: 'no capitals',
  };
  protected readonly numberForms = NUMBER_FORMS;
  protected setForm(change: Partial<PropertyDraft['form']>): void {
    this.edited.draft.update((draft) => draft && { ...draft, form: { ...draft.form, ...change } });
  }
  protected languages(): string {
    return Object.entries(this.edited.draft()?.captions ?? {})
      .map(([code, caption]) => `${code}: ${caption}`)
      .join('\n');
  }
  protected setLanguages(text: string): void {
    this.edited.set({
      captions: Object.fromEntries(
        linesIn(text).flatMap((line) => {
          const m = /^\s*([a-z]{2,3}(?:-[A-Za-z0-9]{2,8})*)\s*:\s*(.*)$/.exec(line);
          return m ? [[m[1]!, m[2]!.trim()]] : [];
        }),
      ),
    });
  }
}
