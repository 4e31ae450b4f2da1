import { ChangeDetectionStrategy, Component, computed, effect, inject, input, output, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { PreparedSchema, PropertyDraft, cellName, draftOf, groundOn, linkName, newDraft, sameDefinition, usesOf } from '@rule/core/schema';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { ExactName, Notices, Unsaved, catalogueFeature, problemOf } from '../../shared';
import { kindsFrom, tidy } from '../draft';
import { Impact } from '../impact';
import { SchemaStore } from '../schema.store';
import { EditedProperty } from './edited';
import { PropertyLimits } from './limits';
import { PropertyPeople } from './people';
import { PropertyForms } from './shown';
import { PropertySource } from './source';
import { PropertyNames } from './what';
import { PropertyReach } from './where';

/** Editor of one property of the draft. */
@Component({
  selector: 'rule-property-editor',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ButtonModule, ExactName, FormsModule, Impact, PropertyNames, PropertyReach, PropertySource, PropertyLimits, PropertyPeople, PropertyForms],
  providers: [EditedProperty],
  templateUrl: './property-editor.html',
  styles: `
    .bare {
      border: 0;
      padding: 0;
      margin: 0;
      min-width: 0;
    }
    .head p {
      display: flex;
      gap: 8px;
      align-items: center;
      flex-wrap: wrap;
    }
  `,
})
export class PropertyEditor {
  protected readonly store = inject(SchemaStore);
  protected readonly edited = inject(EditedProperty);
  private readonly standIns = inject(Store).selectSignal(catalogueFeature.selectStandIns);
  private readonly notices = inject(Notices);
  readonly id = input<number | null>(null);
  /** Written name of a new property; `null` when editing. */
  readonly define = input<string | null>(null);
  readonly kindsAsked = input<string>();
  readonly opened = output<number | null>();

  protected readonly conflict = signal<string | null>(null);

  /** An untouched new property can be discarded without warning. */
  private readonly asked = signal<PropertyDraft | null>(null);
  private readonly typed = computed(() => this.edited.changed() && !sameDefinition(this.edited.draft(), this.asked()));
  protected readonly standing = computed(() => {
    this.store.changes();
    const id = this.id();
    return id === null ? 'new' : this.store.standing(id);
  });
  protected readonly groups = computed(() => [
    ...new Set(
      this.store
        .properties()
        .map((property) => property.group)
        .filter(Boolean),
    ),
  ]);
  /** The draft as it was saved last, its rules compiled. */
  private readonly compiled = computed(() => {
    const schema = this.store.draft()?.schema;
    return schema ? new PreparedSchema(schema, groundOn(this.standIns(), [], [], 0)) : null;
  });
  /** Properties whose rules read this one, or whose choices it narrows. */
  protected readonly usedIn = computed(() => {
    const [id, compiled] = [this.id(), this.compiled()];
    return id === null || !compiled ? [] : this.edited.others().filter((property) => compiled.looksAt.get(property.id)?.has(id));
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
    this.edited.follow(this.id, this.define);
    if (!this.store.places()) this.store.loadPlaces();
    inject(Unsaved).watch(() => (this.typed() ? `the property ${this.edited.draft()?.caption || 'without a name'}` : null));
    effect(() => {
      const [id, define, kinds] = [this.id(), this.define(), kindsFrom(this.kindsAsked())];
      const chosen = this.edited.chosen();
      untracked(() => {
        // Edits survive a reload of the draft; saving merges.
        if (define === null && chosen && this.edited.base()?.id === id && this.edited.changed()) return;
        this.conflict.set(null);
        this.edited.base.set(define !== null ? null : chosen);
        this.edited.draft.set(define !== null ? { ...newDraft(define), ...(kinds.length ? { kinds } : {}) } : chosen ? draftOf(chosen) : null);
        this.asked.set(this.edited.draft());
      });
    });
  }

  protected save(): void {
    const draft = this.edited.draft();
    if (!draft || this.edited.stuck()) return;
    this.conflict.set(null);
    const failed = (failure: unknown) => {
      const problem = problemOf(failure);
      this.conflict.set([problem.detail, ...(problem.issues ?? []).slice(1).map((issue) => issue.message)].join(' '));
      // The user decides after seeing the draft's current content.
      this.store.look();
      return true;
    };
    const base = this.edited.base();
    if (base === null)
      this.store.add(
        tidy(draft),
        (id) => {
          this.asked.set(this.edited.draft());
          this.notices.done(`${draft.caption} is in the draft.`);
          this.opened.emit(id);
        },
        failed,
      );
    else
      this.store.change(
        [{ base, draft: tidy(draft) }],
        () => {
          this.edited.base.set(this.edited.chosen());
          this.edited.draft.set(this.edited.chosen() ? draftOf(this.edited.chosen()!) : null);
          this.notices.done(`${draft.caption} is saved in the draft.`);
        },
        failed,
      );
  }
  /** After a conflict: continue from the draft's current content. */
  protected takeTheirs(): void {
    const chosen = this.edited.chosen();
    this.conflict.set(null);
    this.edited.base.set(chosen);
    this.edited.draft.set(chosen ? draftOf(chosen) : null);
  }
  /** After a conflict: keep own edits after seeing the other's. */
  protected keepMine(): void {
    this.edited.base.set(this.edited.chosen());
    this.save();
  }
  protected reset(): void {
    const base = this.edited.base();
    this.edited.draft.set(base ? draftOf(base) : newDraft(this.define() ?? ''));
  }
  protected retire(retired: boolean): void {
    const property = this.edited.chosen()!;
    this.store.change([{ base: property, draft: draftOf(property), retired }], () =>
      this.notices.done(retired ? `${property.caption} is retired in the draft. Its values stay in the files.` : `${property.caption} is in use again.`),
    );
  }
  protected remove(): void {
    this.store.remove(this.id()!, () => {
      this.asked.set(this.edited.draft());
      this.opened.emit(null);
    });
  }
}
