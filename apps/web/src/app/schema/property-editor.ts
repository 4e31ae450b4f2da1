import { ChangeDetectionStrategy, Component, computed, effect, inject, input, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { RouterLink } from '@angular/router';
import {
  FEEDS,
  FILE_FIELDS,
  Feed,
  INHERIT_FROM,
  KINDS,
  Kind,
  LETTER_CASES,
  LEVELS,
  MODEL_FACTS,
  Property,
  PropertyDraft,
  SHEET_FACTS,
  SheetArea,
  Slot,
  UNIQUENESS,
  checkDefinition,
  draftOf,
  newDraft,
  newSheetArea,
  oddLetters,
  runExample,
  sameDefinition,
  cellName,
  linkName,
  usesOf,
} from '@rule/core/schema';
import { ruleNameFor } from '@rule/core/rules';
import { LETTER_FORMS, NUMBER_FORMS, UNITS, VALUE_TYPES } from '@rule/core/values';
import { count } from '@rule/core/words';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { CheckboxModule } from 'primeng/checkbox';
import { InputTextModule } from 'primeng/inputtext';
import { TextareaModule } from 'primeng/textarea';
import { RuleOption, RuleSelect } from '../kit';
import { catalogueFeature, ExactName, Notices, problemOf, sessionFeature, TYPE_NAMES, Unsaved } from '../shared';
import { kindsFrom, tidy } from './draft';
import { Explain } from './explain';
import { Impact } from './impact';
import { RuleField } from '../rule-field';
import { SchemaStore } from './schema.store';

const FEED_WORDS: Readonly<Record<Feed, string>> = {
  typed: 'people type or choose it',
  file: "taken from the file's own field",
  model: 'taken from the model',
  sheet: 'taken from the sheet',
  inherited: 'inherited',
  counted: 'counted by a number series',
  ruled: 'computed by a rule',
};

/** Editor of one property of the draft. */
@Component({
  selector: 'rule-property-editor',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [
    RuleOption,
    RuleSelect,
    ButtonModule,
    CheckboxModule,
    ExactName,
    Explain,
    FormsModule,
    Impact,
    InputTextModule,
    RouterLink,
    RuleField,
    TextareaModule,
  ],
  templateUrl: './property-editor.html',
  styles: `
    .bare {
      border: 0;
      padding: 0;
      margin: 0;
      min-width: 0;
    }
    section.card {
      padding: 14px 18px 6px;
      margin: 0 0 14px;
    }
    h2 {
      margin: 0 0 10px;
    }
    .pair {
      display: grid;
      grid-template-columns: 1fr 1fr;
      gap: 0 16px;
    }
    .three {
      grid-template-columns: 1fr 1fr 1fr;
    }
    .four {
      grid-template-columns: repeat(4, minmax(0, 1fr));
    }
    .ticks {
      display: flex;
      gap: 6px 18px;
      flex-wrap: wrap;
    }
    .ticks label {
      display: flex;
      gap: 6px;
      align-items: center;
    }
    .field input,
    .field textarea,
    .field select {
      width: 100%;
    }
    .field {
      min-width: 0;
    }
    table input,
    table select {
      width: 100%;
    }
    .head p {
      display: flex;
      gap: 8px;
      align-items: center;
      flex-wrap: wrap;
    }
    .gap {
      margin-bottom: 12px;
    }
  `,
})
export class PropertyEditor {
  protected readonly store = inject(SchemaStore);
  private readonly notices = inject(Notices);
  readonly id = input<number | null>(null);
  /** Written name of a new property; `null` when editing. */
  readonly define = input<string | null>(null);
  readonly kindsAsked = input<string>();
  readonly opened = output<number | null>();

  protected readonly mayAdminister = inject(Store).selectSignal(sessionFeature.selectMayAdminister);
  private readonly inForce = inject(Store).selectSignal(catalogueFeature.selectById);
  protected readonly draft = signal<PropertyDraft | null>(null);
  /** The draft's version when editing began, for merging. */
  private readonly base = signal<Property | null>(null);
  protected readonly conflict = signal<string | null>(null);

  protected readonly types = VALUE_TYPES.map((value) => ({ value, label: TYPE_NAMES[value] }));
  protected readonly feeds = FEEDS.map((value) => ({ value, label: FEED_WORDS[value] }));
  protected readonly fileFields = FILE_FIELDS;
  protected readonly modelFacts = MODEL_FACTS;
  protected readonly sheetFacts = SHEET_FACTS;
  protected readonly areasOf = [
    { value: 'all of a layer', text: 'all outlines of a layer' },
    { value: 'largest of a layer', text: 'the largest outline of a layer' },
    { value: 'around a text', text: 'the outline around a text' },
  ] as const;
  protected readonly outlines = this.store.places;
  protected readonly inheritFrom = INHERIT_FROM;
  protected readonly levels = LEVELS;
  protected readonly units = UNITS.map((unit) => unit.code);
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
  protected readonly letterCases = LETTER_CASES;
  protected readonly uniqueness = UNIQUENESS;
  private readonly settings = inject(Store).selectSignal(catalogueFeature.selectSettings);
  protected readonly states = computed(() => this.settings()?.workflowStates ?? []);
  protected readonly kinds = KINDS;
  protected readonly newline = '\n';

  protected readonly chosen = computed(() => this.store.properties().find((property) => property.id === this.id()) ?? null);
  protected readonly others = computed(() => this.store.properties().filter((property) => property.id !== this.id()));
  /** The schema with the edited property. */
  protected readonly self = computed<Property | null>(() => {
    const draft = this.draft();
    return draft && { ...draft, id: this.id() ?? -1, retired: false };
  });
  protected readonly all = computed(() => {
    const self = this.self();
    return [...this.others().filter((property) => !property.retired), ...(self ? [self] : [])];
  });
  protected readonly problems = computed(() => {
    const draft = this.draft();
    return draft
      ? checkDefinition(tidy(draft), this.others(), {
          lists: this.store.lists().map((list) => list.name),
          series: this.store.series().map((series) => series.name),
          classes: this.store.classes(),
        })
      : [];
  });
  protected readonly errors = computed(() => this.problems().filter((problem) => problem.severity === 'error'));
  /** Duplicate names cannot be saved even in a draft. */
  protected readonly stuck = computed(() => this.errors().some((problem) => problem.code === 'name-taken' || problem.code === 'blank'));
  protected readonly changed = computed(() => {
    const [draft, base] = [this.draft(), this.base()];
    return draft !== null && (!base || JSON.stringify(tidy(draft)) !== JSON.stringify(tidy(draftOf(base))));
  });
  /** An untouched new property can be discarded without warning. */
  private readonly asked = signal<PropertyDraft | null>(null);
  private readonly typed = computed(() => this.changed() && !sameDefinition(this.draft(), this.asked()));
  protected readonly standing = computed(() => {
    this.store.changes();
    const id = this.id();
    return id === null ? 'new' : this.store.standing(id);
  });
  /** The definition with choices from its list. */
  protected readonly asUsed = computed<PropertyDraft>(() => {
    const draft = this.draft() ?? newDraft('');
    const list = draft.list === null ? undefined : this.store.lists().find((candidate) => candidate.name === draft.list);
    return list ? { ...draft, choices: list.choices.filter((choice) => !choice.retired).map((choice) => choice.value) } : draft;
  });
  /** The name in files: from the edition in force, or the edited one. */
  protected readonly nameInFiles = computed(() => this.inForce()[this.id() ?? -1]?.writtenName ?? this.chosen()?.writtenName ?? this.define() ?? '');
  protected readonly oddOnes = computed(() => oddLetters(this.draft()?.writtenName ?? ''));
  protected readonly suggestedRuleName = computed(() =>
    ruleNameFor(
      this.draft()?.writtenName ?? '',
      this.others().map((property) => property.ruleName || property.writtenName),
    ),
  );
  protected readonly examples = computed(() => {
    const draft = this.draft();
    return draft?.feed === 'ruled' ? draft.examples.map((example) => ({ example, result: runExample(tidy(draft), example, this.others()) })) : [];
  });
  /** Names used by the rule, for its example columns. */
  protected readonly given = computed(() => {
    const draft = this.draft();
    if (!draft) return [];
    const used = new Set(draft.examples.flatMap((example) => Object.keys(example.given)));
    for (const property of this.others()) if (draft.rule.includes(property.ruleName || property.writtenName)) used.add(property.writtenName);
    return [...used];
  });
  protected readonly groups = computed(() => [
    ...new Set(
      this.store
        .properties()
        .map((property) => property.group)
        .filter(Boolean),
    ),
  ]);
  protected readonly usedIn = computed(() => {
    const draft = this.draft();
    if (!draft) return [];
    const name = draft.ruleName || draft.writtenName;
    const looks = (text: string) => name !== '' && text.includes(name);
    return this.others().filter(
      (property) =>
        !property.retired && (looks(property.rule) || looks(property.requiredWhen) || looks(property.allowed) || property.narrowedBy === draft.writtenName),
    );
  });

  /** Cells and record fields that use the property. */
  protected readonly mapped = computed(() => {
    const [id, schema] = [this.id(), this.store.draft()?.schema];
    if (id === null || !schema) return null;
    const { bindings, links } = usesOf(id, schema.bindings ?? [], schema.links ?? []);
    if (bindings.length + links.length === 0) return null;
    return [
      ...bindings.map((binding) => `the cell ${cellName(binding)}${binding.leads ? ', its home,' : ''}`),
      ...links.map((link) => `the record field ${linkName(link)}`),
    ].join(', ');
  });

  constructor() {
    if (!this.store.places()) this.store.loadPlaces();
    inject(Unsaved).watch(() => (this.typed() ? `the property ${this.draft()?.caption || 'without a name'}` : null));
    effect(() => {
      const [id, define, kinds] = [this.id(), this.define(), kindsFrom(this.kindsAsked())];
      const chosen = this.chosen();
      untracked(() => {
        // Edits survive a reload of the draft; saving merges.
        if (define === null && chosen && this.base()?.id === id && this.changed()) return;
        this.conflict.set(null);
        this.base.set(define !== null ? null : chosen);
        this.draft.set(define !== null ? { ...newDraft(define), ...(kinds.length ? { kinds } : {}) } : chosen ? draftOf(chosen) : null);
        this.asked.set(this.draft());
      });
    });
  }

  protected problemAt(...fields: (keyof PropertyDraft)[]): string | null {
    const found = this.problems().find((problem) => fields.includes(problem.field) && !(problem.code === 'rule' && problem.from !== undefined));
    return found?.message ?? null;
  }
  protected isError(...fields: (keyof PropertyDraft)[]): boolean {
    return this.errors().some((problem) => fields.includes(problem.field));
  }
  protected set(change: Partial<PropertyDraft>): void {
    this.draft.update((draft) => draft && { ...draft, ...change });
  }
  protected setForm(change: Partial<PropertyDraft['form']>): void {
    this.draft.update((draft) => draft && { ...draft, form: { ...draft.form, ...change } });
  }
  protected setKind(kind: Kind, on: boolean): void {
    this.draft.update((draft) => draft && { ...draft, kinds: KINDS.filter((candidate) => (candidate === kind ? on : draft.kinds.includes(candidate))) });
  }
  protected toggle(key: 'classes', value: string): void {
    this.draft.update(
      (draft) => draft && { ...draft, [key]: draft[key].includes(value) ? draft[key].filter((other) => other !== value) : [...draft[key], value] },
    );
  }
  protected setMayChange(change: Partial<PropertyDraft['mayChange']>): void {
    this.draft.update((draft) => draft && { ...draft, mayChange: { ...draft.mayChange, ...change } });
  }
  protected toggleState(state: string): void {
    const { states } = this.draft()!.mayChange;
    this.setMayChange({ states: states.includes(state) ? states.filter((other) => other !== state) : [...states, state] });
  }
  protected setArea(area: SheetArea, change: Partial<SheetArea>): void {
    this.set({ sheetArea: { ...area, ...change } });
  }
  protected setSheetFact(sheetFact: PropertyDraft['sheetFact']): void {
    this.set({ sheetFact, sheetArea: sheetFact === 'closed area' ? (this.draft()!.sheetArea ?? newSheetArea()) : null });
  }

  /** Homes for a kind; other names are typed separately. */
  protected homesOf(kind: Kind): { value: string; text: string }[] {
    const places = this.store.places();
    const fields = (places?.fields ?? []).filter((field) => field.kind === kind && field.name !== 'file name');
    const offered = fields.map(({ name, files }) => ({ value: `field: ${name}`, text: `file field ${name} (${count(files, 'file')})` }));
    const now = this.homeText(kind);
    const home = this.draft()?.homes[kind];
    const known = now === '' || home?.place === 'property' || offered.some((entry) => entry.value === now);
    return known ? offered : [...offered, { value: now, text: `${home!.place} ${home!.name} (in no file)` }];
  }
  protected homePlace(kind: Kind): string {
    const home: Slot | undefined = this.draft()?.homes[kind];
    return home === undefined ? '' : home.place === 'property' ? 'property' : this.homeText(kind);
  }
  protected chooseHome(kind: Kind, value: string): void {
    this.setHome(kind, value === 'property' ? `property: ${this.draft()?.writtenName ?? ''}` : value);
  }
  protected setHome(kind: Kind, text: string): void {
    const { homes } = this.draft()!;
    const rest = Object.fromEntries(Object.entries(homes).filter(([other]) => other !== kind));
    const [place, ...name] = text.split(':');
    if (text.trim() === '') this.set({ homes: rest });
    else if (place === 'field' || place === 'property') this.set({ homes: { ...rest, [kind]: { place, name: name.join(':').trim() } } });
  }
  /** Homes with another name, by kind; blank names stay and are reported. */
  protected withHome(kind: Kind, name: string): PropertyDraft['homes'] {
    return { ...this.draft()!.homes, [kind]: { place: 'property', name } };
  }
  protected homeText(kind: Kind): string {
    const home = this.draft()?.homes[kind];
    return home ? `${home.place}: ${home.name}` : '';
  }
  protected number(text: string | number | null): number | null {
    if (text === null || text === '') return null;
    const n = Number(text);
    return Number.isFinite(n) ? n : null;
  }
  protected linesOf(text: string): string[] {
    return text === '' ? [] : text.replace(/\n$/, '').split('\n');
  }
  protected languages(): string {
    return Object.entries(this.draft()?.captions ?? {})
      .map(([code, caption]) => `${code}: ${caption}`)
      .join('\n');
  }
  protected setLanguages(text: string): void {
    this.set({
      captions: Object.fromEntries(
        this.linesOf(text).flatMap((line) => {
          const m = /^\s*([a-z]{2,3}(?:-[A-Za-z0-9]{2,8})*)\s*:\s*(.*)$/.exec(line);
          return m ? [[m[1]!, m[2]!.trim()]] : [];
        }),
      ),
    });
  }
  protected addOverride(): void {
    const draft = this.draft()!;
    const free = this.store.classes().find((name) => !draft.overrides.some((override) => override.class === name));
    if (free) this.set({ overrides: [...draft.overrides, { class: free }] });
  }
  protected setOverride(at: number, change: object): void {
    this.set({ overrides: this.draft()!.overrides.map((override, i) => (i === at ? { ...override, ...change } : override)) });
  }
  protected dropOverride(at: number): void {
    this.set({ overrides: this.draft()!.overrides.filter((_, i) => i !== at) });
  }
  protected addExample(): void {
    const draft = this.draft()!;
    this.set({
      examples: [
        ...draft.examples,
        { title: `Example ${draft.examples.length + 1}`, given: Object.fromEntries(this.given().map((name) => [name, ''])), expected: '' },
      ],
    });
  }
  protected setExample(at: number, change: Partial<PropertyDraft['examples'][number]>): void {
    this.set({ examples: this.draft()!.examples.map((example, i) => (i === at ? { ...example, ...change } : example)) });
  }
  protected setGiven(at: number, name: string, text: string): void {
    this.setExample(at, { given: { ...this.draft()!.examples[at]!.given, [name]: text } });
  }
  protected dropExample(at: number): void {
    this.set({ examples: this.draft()!.examples.filter((_, i) => i !== at) });
  }

  protected save(): void {
    const draft = this.draft();
    if (!draft || this.stuck()) return;
    this.conflict.set(null);
    const failed = (failure: unknown) => {
      const problem = problemOf(failure);
      this.conflict.set([problem.detail, ...(problem.issues ?? []).slice(1).map((issue) => issue.message)].join(' '));
      // The user decides after seeing the draft's current content.
      this.store.look();
      return true;
    };
    const base = this.base();
    if (base === null)
      this.store.add(
        tidy(draft),
        (id) => {
          this.asked.set(this.draft());
          this.notices.done(`${draft.caption} is in the draft.`);
          this.opened.emit(id);
        },
        failed,
      );
    else
      this.store.change(
        [{ base, draft: tidy(draft) }],
        () => {
          this.base.set(this.chosen());
          this.draft.set(this.chosen() ? draftOf(this.chosen()!) : null);
          this.notices.done(`${draft.caption} is saved in the draft.`);
        },
        failed,
      );
  }
  /** After a conflict: continue from the draft's current content. */
  protected takeTheirs(): void {
    const chosen = this.chosen();
    this.conflict.set(null);
    this.base.set(chosen);
    this.draft.set(chosen ? draftOf(chosen) : null);
  }
  /** After a conflict: keep own edits after seeing the other's. */
  protected keepMine(): void {
    this.base.set(this.chosen());
    this.save();
  }
  protected reset(): void {
    const base = this.base();
    this.draft.set(base ? draftOf(base) : newDraft(this.define() ?? ''));
  }
  protected retire(retired: boolean): void {
    const property = this.chosen()!;
    this.store.change([{ base: property, draft: draftOf(property), retired }], () =>
      this.notices.done(retired ? `${property.caption} is retired in the draft. Its values stay in the files.` : `${property.caption} is in use again.`),
    );
  }
  protected remove(): void {
    this.store.remove(this.id()!, () => {
      this.asked.set(this.draft());
      this.opened.emit(null);
    });
  }
}
