import { ChangeDetectionStrategy, Component, computed, inject } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { InputTextModule } from 'primeng/inputtext';
import {
  FEEDS,
  FILE_FIELDS,
  Feed,
  INHERIT_FROM,
  MODEL_FACTS,
  PropertyDraft,
  SHEET_FACTS,
  SheetArea,
  namesRead,
  newSheetArea,
  runExample,
} from '@rule/core/schema';
import { RuleCheck, RuleColumn, RuleOption, RuleSelect, RuleTable } from '../../kit';
import { RuleField } from '../../rule-field';
import { Explain } from '../explain';
import { tidy } from '../draft';
import { EditedProperty } from './edited';

const FEED_WORDS: Readonly<Record<Feed, string>> = {
  typed: 'people type or choose it',
  file: "taken from the file's own field",
  model: 'taken from the model',
  sheet: 'taken from the sheet',
  inherited: 'inherited',
  counted: 'counted by a number series',
  ruled: 'computed by a rule',
};

/** Where the values of a property come from. */
@Component({
  selector: 'rule-property-source',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleColumn, RuleTable, RuleCheck, Explain, FormsModule, InputTextModule, RuleField, RuleOption, RuleSelect],
  templateUrl: './source.html',
  styleUrl: './section.css',
})
export class PropertySource {
  protected readonly edited = inject(EditedProperty);
  protected readonly feeds = FEEDS.map((value) => ({ value, label: FEED_WORDS[value] }));
  protected readonly fileFields = FILE_FIELDS;
  protected readonly modelFacts = MODEL_FACTS;
  protected readonly sheetFacts = SHEET_FACTS;
  protected readonly areasOf = [
    { value: 'all of a layer', text: 'all outlines of a layer' },
    { value: 'largest of a layer', text: 'the largest outline of a layer' },
    { value: 'around a text', text: 'the outline around a text' },
  ] as const;
  protected readonly outlines = this.edited.store.places;
  protected readonly inheritFrom = INHERIT_FROM;
  protected readonly examples = computed(() => {
    const draft = this.edited.draft();
    return draft?.feed === 'ruled' ? draft.examples.map((example) => ({ example, result: runExample(tidy(draft), example, this.edited.others()) })) : [];
  });
  /** Names that the rule reads, for its example columns. */
  protected readonly given = computed(() => {
    const draft = this.edited.draft();
    if (!draft) return [];
    return [...new Set([...draft.examples.flatMap((example) => Object.keys(example.given)), ...namesRead(draft, this.edited.others())])];
  });
  protected setArea(area: SheetArea, change: Partial<SheetArea>): void {
    this.edited.set({ sheetArea: { ...area, ...change } });
  }
  protected setSheetFact(sheetFact: PropertyDraft['sheetFact']): void {
    this.edited.set({ sheetFact, sheetArea: sheetFact === 'closed area' ? (this.edited.draft()!.sheetArea ?? newSheetArea()) : null });
  }
  protected addExample(): void {
    const draft = this.edited.draft()!;
    this.edited.set({
      examples: [
        ...draft.examples,
        { title: `Example ${draft.examples.length + 1}`, given: Object.fromEntries(this.given().map((name) => [name, ''])), expected: '' },
      ],
    });
  }
  protected setExample(at: number, change: Partial<PropertyDraft['examples'][number]>): void {
    this.edited.set({ examples: this.edited.draft()!.examples.map((example, i) => (i === at ? { ...example, ...change } : example)) });
  }
  protected setGiven(at: number, name: string, text: string): void {
    this.setExample(at, { given: { ...this.edited.draft()!.examples[at]!.given, [name]: text } });
  }
  protected dropExample(at: number): void {
    this.edited.set({ examples: this.edited.draft()!.examples.filter((_, i) => i !== at) });
  }
}
