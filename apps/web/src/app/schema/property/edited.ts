import { Injectable, Signal, computed, inject, signal } from '@angular/core';
import { Property, PropertyDraft, checkDefinition, draftOf, newDraft } from '@rule/core/schema';
import { Store } from '@ngrx/store';
import { catalogueFeature, sessionFeature } from '../../shared';
import { tidy } from '../draft';
import { SchemaStore } from '../schema.store';

/** The property that is being edited, shared by the sections of its editor. */
@Injectable()
export class EditedProperty {
  readonly store = inject(SchemaStore);
  private readonly state = inject(Store);
  private readonly followed = signal<{ readonly id: Signal<number | null>; readonly define: Signal<string | null> } | null>(null);
  readonly id = computed(() => this.followed()?.id() ?? null);
  /** Written name of a new property; `null` when editing. */
  private readonly define = computed(() => this.followed()?.define() ?? null);
  readonly mayAdminister = this.state.selectSignal(sessionFeature.selectMayAdminister);
  private readonly inForce = this.state.selectSignal(catalogueFeature.selectById);
  readonly draft = signal<PropertyDraft | null>(null);
  /** The draft's version when editing began, for merging. */
  readonly base = signal<Property | null>(null);
  private readonly settings = this.state.selectSignal(catalogueFeature.selectSettings);
  readonly states = computed(() => this.settings()?.workflowStates ?? []);
  readonly chosen = computed(() => this.store.properties().find((property) => property.id === this.id()) ?? null);
  readonly others = computed(() => this.store.properties().filter((property) => property.id !== this.id()));
  /** The schema with the edited property. */
  readonly self = computed<Property | null>(() => {
    const draft = this.draft();
    return draft && { ...draft, id: this.id() ?? -1, retired: false };
  });
  readonly all = computed(() => {
    const self = this.self();
    return [...this.others().filter((property) => !property.retired), ...(self ? [self] : [])];
  });
  readonly problems = computed(() => {
    const draft = this.draft();
    return draft
      ? checkDefinition(tidy(draft), this.others(), {
          lists: this.store.lists().map((list) => list.name),
          series: this.store.series().map((series) => series.name),
          classes: this.store.classes(),
        })
      : [];
  });
  readonly errors = computed(() => this.problems().filter((problem) => problem.severity === 'error'));
  /** Duplicate names cannot be saved even in a draft. */
  readonly stuck = computed(() => this.errors().some((problem) => problem.code === 'name-taken' || problem.code === 'blank'));
  readonly changed = computed(() => {
    const [draft, base] = [this.draft(), this.base()];
    return draft !== null && (!base || JSON.stringify(tidy(draft)) !== JSON.stringify(tidy(draftOf(base))));
  });
  /** The definition with choices from its list. */
  readonly asUsed = computed<PropertyDraft>(() => {
    const draft = this.draft() ?? newDraft('');
    const list = draft.list === null ? undefined : this.store.lists().find((candidate) => candidate.name === draft.list);
    return list ? { ...draft, choices: list.choices.filter((choice) => !choice.retired).map((choice) => choice.value) } : draft;
  });
  /** The name in files: from the edition in force, or the edited one. */
  readonly nameInFiles = computed(() => this.inForce()[this.id() ?? -1]?.writtenName ?? this.chosen()?.writtenName ?? this.define() ?? '');
  problemAt(...fields: (keyof PropertyDraft)[]): string | null {
    const found = this.problems().find((problem) => fields.includes(problem.field) && !(problem.code === 'rule' && problem.from !== undefined));
    return found?.message ?? null;
  }
  isError(...fields: (keyof PropertyDraft)[]): boolean {
    return this.errors().some((problem) => fields.includes(problem.field));
  }
  set(change: Partial<PropertyDraft>): void {
    this.draft.update((draft) => draft && { ...draft, ...change });
  }

  /** Takes the number of the property, or the written name of a new one, from the editor. */
  follow(id: Signal<number | null>, define: Signal<string | null>): void {
    this.followed.set({ id, define });
  }
}
