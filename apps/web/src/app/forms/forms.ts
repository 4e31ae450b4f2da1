import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router } from '@angular/router';
import { Edits, Filling, PreparedForm, checkForm, editKey, shadowedBy, unpackFill, waitingFor } from '@rule/core/forms';
import {
  EntryForm,
  FormDocument,
  FormInput,
  KINDS,
  PreparedSchema,
  formDocument,
  groundOn,
  readFormDocument,
  sameDefinition,
  withChoices,
} from '@rule/core/schema';
import { count } from '@rule/core/words';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { EntryFormView, FieldEdit } from '../entry-form';
import { RuleSelect, RuleTakeFile, RuleWaiting } from '../kit';
import { Bench, catalogueFeature, Count, FileChoices, GOES_ALONG, IndexRow, Notices, saveBlob, sessionFeature, Unsaved } from '../shared';
import { FormFacts } from './form-facts';
import { FormSheet } from './form-sheet';
import { FormsStore } from './forms.store';
import { Laid, Place, emptyForm } from './layout';

const NO_FORM = 'it contains no form';

/** The Forms station: entry forms in the draft. */
@Component({
  selector: 'rule-forms-station',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [FormsStore],
  imports: [RuleTakeFile, RuleWaiting, Bench, ButtonModule, Count, EntryFormView, FormFacts, FormSheet, FormsModule, IndexRow, RuleSelect],
  template: `
    <rule-bench label="Forms" [inspector]="false">
      <div bench="index">
        <h3>Entry forms</h3>
        @for (entry of store.forms(); track entry.id) {
          <rule-index-row
            [text]="entry.name"
            [end]="shadows().has(entry.id) ? 'never used' : entry.classes.length ? 'class' : entry.kinds.join(', ')"
            [tone]="hasErrors(entry.id) || shadows().has(entry.id) ? 'bad' : ''"
            [on]="'' + entry.id === formAsked()"
            (choose)="go({ form: entry.id })"
            (keydown.alt.arrowUp)="reorder(entry.id, -1, $event)"
            (keydown.alt.arrowDown)="reorder(entry.id, 1, $event)"
          />
        } @empty {
          <p class="hint">No forms yet. Until there is one, every editable property is shown.</p>
        }
        @if (mayAdminister()) {
          <rule-index-row text="New form" [on]="formAsked() === 'new'" (choose)="go({ form: 'new' })" />
          <rule-take-file class="take" quiet label="Import form" accept=".json,application/json" (taken)="takeIn($event[0]!)" />
          @if (store.forms().length > 1) {
            <p class="hint">The first form that fits a file is used; class forms take precedence. Alt+arrow changes the order.</p>
          }
        }
      </div>

      @if (store.error(); as text) {
        <p class="note bad" role="alert">{{ text }}</p>
      }
      @if (form(); as f) {
        <div class="head">
          <div>
            <h1>{{ f.name || 'New form' }}</h1>
            <p>
              {{ standing() }}
              <button type="button" class="link" [attr.aria-expanded]="facts()" (click)="facts.set(!facts())">
                {{ mayAdminister() ? 'Edit name and files' : 'Name and files' }}
              </button>
            </p>
          </div>
          <div class="actions">
            <p-button severity="secondary" [label]="looking() ? 'Back to layout' : 'Preview'" (onClick)="looking.set(!looking())" />
            <p-button severity="secondary" [label]="narrow() ? 'Wide' : 'Narrow'" (onClick)="narrow.set(!narrow())" />
            @if (mayAdminister()) {
              <p-button severity="secondary" label="Duplicate" (onClick)="duplicate()" />
              <p-button severity="secondary" label="Export" (onClick)="sendOut()" />
              @if (id() !== null) {
                <p-button severity="secondary" label="Remove" (onClick)="remove()" />
              }
              <p-button label="Save in the draft" [disabled]="!changed() || store.saving() || !f.name.trim()" (onClick)="save()" />
            }
          </div>
        </div>
        @if (facts()) {
          <rule-form-facts [form]="f" [classes]="store.classes()" [disabled]="!mayAdminister()" (edited)="editFacts($event)" />
        }
        @if (rivals(); as names) {
          <p class="note bad">
            No file gets this form: {{ names.join(' and ') }} {{ names.length === 1 ? 'comes' : 'come' }} first for every file that it is for.
            @if (mayAdminister() && id() !== null) {
              <button type="button" class="link" (click)="putFirst()">Move it before {{ names.join(' and ') }}</button>
            }
          </p>
        }
        @for (problem of general(); track $index) {
          <p class="note" [class.bad]="problem.severity === 'error'">{{ problem.message }}</p>
        }
        <div class="with">
          <span id="form-file">Filled with</span>
          <rule-select
            labelledBy="form-file"
            [options]="fileOptions()"
            optionLabel="path"
            optionValue="id"
            searches
            placeholder="Choose a file"
            (opened)="files.look('')"
            (searched)="files.look($event)"
            [ngModel]="previewed()?.id ?? null"
            (ngModelChange)="look($event)"
          />
          <span class="soft">
            @if (preview(); as view) {
              Entries here are only tried out; nothing is written.
              @if (view.values.length) {
                They would change {{ view.values.length | count: 'value' }}.
              }
            } @else {
              Without a file, inputs are shown by their names.
            }
          </span>
        </div>
        @for (left of preview()?.leftovers ?? []; track left.key) {
          <p class="note">
            {{ left.caption }} has a value in this file, but no input shows it.{{ left.asks ? ' The designer is asked whether to keep or clear it.' : '' }}
          </p>
        }
        @if (looking()) {
          @if (preview(); as view) {
            <div [class.phone]="narrow()">
              <rule-entry-form [view]="view" [narrow]="narrow()" (edited)="tryOut($event)" />
            </div>
          } @else {
            <p class="note">Choose a file to preview the form with.</p>
          }
        } @else {
          <rule-form-sheet
            [form]="f"
            [view]="preview()"
            [properties]="store.properties()"
            [problems]="problems()"
            [waiting]="waiting()"
            [hangs]="hangs()"
            [at]="at()"
            [editable]="mayAdminister()"
            [narrow]="narrow()"
            (laid)="form.set($event)"
            (chosen)="at.set($event)"
            (typed)="tryOut($event)"
          />
          @if (mayAdminister()) {
            <p class="soft">On an Edit button: Alt+arrow moves, Shift+arrow changes the width, Delete removes.</p>
          }
        }
      } @else if (store.draft()) {
        <h1>Forms</h1>
        <p class="soft">A form defines what a designer fills in: which values, in which panels, under which conditions. It takes effect with the edition.</p>
        @for (problem of unasked(); track $index) {
          <p class="note">{{ problem }}</p>
        }
        @if (store.forms().length === 0 && mayAdminister()) {
          <p-button label="Create the first form" (onClick)="go({ form: 'new' })" />
        }
      } @else {
        <rule-waiting />
      }
    </rule-bench>
  `,
  styles: `
    .hint {
      padding: 6px 18px 0;
      color: var(--soft);
      font-size: 12px;
    }
    .take {
      padding: 5px 18px;
    }
    .with {
      display: flex;
      flex-wrap: wrap;
      gap: 6px 12px;
      align-items: center;
      margin-bottom: 12px;
    }
    .with rule-select {
      width: 320px;
    }
    .phone {
      max-width: 400px;
    }
  `,
})
export class FormsStation {
  protected readonly store = inject(FormsStore);
  private readonly router = inject(Router);
  private readonly global = inject(Store);
  private readonly notices = inject(Notices);
  readonly formAsked = input<string | undefined>(undefined, { alias: 'form' });

  protected readonly mayAdminister = this.global.selectSignal(sessionFeature.selectMayAdminister);
  private readonly user = this.global.selectSignal(sessionFeature.selectUser);
  private readonly standIns = this.global.selectSignal(catalogueFeature.selectStandIns);
  protected readonly files = new FileChoices([...KINDS]);

  protected readonly id = signal<number | null>(null);
  /** The edited form, and its initial version. */
  protected readonly form = signal<Laid | null>(null);
  private readonly base = signal<Laid | null>(null);
  protected readonly at = signal<Place | null>(null);
  protected readonly facts = signal(false);
  protected readonly looking = signal(false);
  protected readonly narrow = signal(false);
  private readonly edits = signal<Edits>(new Map());

  protected readonly changed = computed(() => !sameDefinition(this.form(), this.base()));
  /** An empty new form can be discarded without warning. */
  private readonly typed = computed(() => this.changed() && !(this.base() === null && sameDefinition(this.form(), emptyForm(''))));
  protected readonly standing = computed(() => {
    const f = this.form()!;
    const asks = f.panels.reduce((sum, panel) => sum + panel.inputs.length, 0);
    return `${count(asks, 'input')} in ${count(f.panels.length, 'panel')}, for ${f.classes.length ? f.classes.join(', ') : `every ${f.kinds.join(', ')}`}.${this.changed() ? ' Changed, not saved.' : ''}`;
  });
  private readonly byId = computed(() => new Map(this.store.properties().map((property) => [property.id, property])));
  private readonly schema = computed(() => {
    const draft = this.store.draft();
    return draft
      ? new PreparedSchema(withChoices(draft.schema, this.store.lists()), groundOn(this.standIns(), this.store.lists(), [], Date.now() / 1000))
      : null;
  });
  protected readonly problems = computed(() => {
    const [form, schema] = [this.form(), this.schema()];
    return form && schema ? checkForm({ ...form, id: this.id() ?? 0 }, schema, this.store.classes()) : [];
  });
  protected readonly general = computed(() => this.problems().filter((problem) => problem.panel === null));
  protected readonly waiting = computed((): ReadonlyMap<number, readonly Place[]> => {
    const [form, schema] = [this.form(), this.schema()];
    return form && schema ? waitingFor({ ...form, id: 0 }, schema) : new Map();
  });
  protected readonly unasked = computed(() =>
    (this.store.draft()?.problems ?? []).filter((problem) => problem.code === 'not-asked').map((problem) => problem.message),
  );
  /** Forms that no file gets, and the forms that precede them. */
  protected readonly shadows = computed(() => {
    const forms = this.store.forms();
    const found = forms.map((form) => [form.id, shadowedBy(forms, form, this.store.classes())] as const);
    return new Map(found.filter(([, rivals]) => rivals.length > 0));
  });
  /** Forms that cover all files of the edited one. */
  protected readonly rivals = computed((): string[] | null => {
    const [laid, id] = [this.form(), this.id()];
    if (!laid) return null;
    const own: EntryForm = { ...laid, id: id ?? 0 };
    const forms = this.store.forms();
    const all = id === null ? [...forms, own] : forms.map((form) => (form.id === id ? own : form));
    const names = shadowedBy(all, own, this.store.classes()).map((form) => form.name);
    return names.length ? names : null;
  });

  constructor() {
    inject(Unsaved).watch(() => (this.typed() ? `the form ${this.form()?.name || 'without a name'}` : null));
    this.store.load();
    effect(() => {
      const [asked, draft] = [this.formAsked(), this.store.draft()];
      untracked(() => this.open(asked, draft !== null));
    });
  }

  private open(asked: string | undefined, loaded: boolean): void {
    if (!loaded) return;
    const entry = this.store.forms().find((candidate) => `${candidate.id}` === asked);
    if (asked === 'new') {
      if (this.id() === null && this.form() !== null) return;
      this.show(null, emptyForm(''), null);
      this.facts.set(true);
    } else if (!entry) this.show(null, null, null);
    else if (this.id() !== entry.id || !this.changed()) {
      const { id, ...form } = entry;
      if (this.id() !== id) this.facts.set(false);
      this.show(id, form, form);
    }
  }
  private show(id: number | null, form: Laid | null, base: Laid | null): void {
    const other = id === null || this.id() !== id;
    this.id.set(id);
    this.base.set(base);
    this.form.set(form);
    const at = this.at();
    const stands = form?.panels.some((panel) => panel.key === at?.panel && (at.input === null || panel.inputs.some((entry) => entry.key === at.input)));
    if (!stands) this.at.set(null);
    if (form && other) this.showWithFirst(form);
  }
  private showWithFirst(form: Laid): void {
    this.edits.set(new Map());
    this.store.lookWithFirst(form);
  }

  protected go(queryParams: Record<string, string | number | null>, info?: typeof GOES_ALONG): void {
    void this.router.navigate([], { queryParams, info });
  }
  protected hasErrors(id: number): boolean {
    return (this.store.draft()?.problems ?? []).some((problem) => problem.form === id && problem.severity === 'error');
  }
  private captionOf(entry: FormInput): string {
    return entry.caption || (this.byId().get(entry.property)?.caption ?? 'a property that is gone');
  }

  protected editFacts(change: Partial<Laid>): void {
    const form = this.form();
    if (!form) return;
    this.form.set({ ...form, ...change });
    if (change.kinds || change.classes) this.showWithFirst(this.form()!);
  }

  /** Dependencies of the selected input, shown before removal. */
  protected readonly hangs = computed((): string[] => {
    const [at, form] = [this.at(), this.form()];
    const entry = form?.panels.find((panel) => panel.key === at?.panel)?.inputs.find((own) => own.key === at?.input);
    const property = entry && this.byId().get(entry.property);
    if (!entry || !form || !property) return [];
    const looking = this.lookingAt(form, entry);
    const elsewhere = this.store
      .forms()
      .some((other) => other.id !== this.id() && other.panels.some((panel) => panel.inputs.some((one) => one.property === property.id)));
    return [
      ...(looking.length ? [`Conditions use its value: ${looking.join(', ')}.`] : []),
      ...((property.required || property.requiredWhen) && !elsewhere ? [`${property.caption} is required, and no other form asks for it.`] : []),
    ];
  });
  /** Panels and inputs with conditions on an input's property. */
  private lookingAt(form: Laid, entry: FormInput): string[] {
    const [schema, property] = [this.schema(), this.byId().get(entry.property)];
    if (!schema || !property) return [];
    const prepared = new PreparedForm({ ...form, id: 0 }, schema);
    const name = property.ruleName || property.writtenName;
    const looks = (panel: string, key: string | null, field: 'shownWhen' | 'requiredWhen' | 'readOnlyWhen') =>
      prepared.condition(panel, key, field)?.uses.some((use) => use.group === null && use.name === name) ?? false;
    return form.panels.flatMap((panel) => [
      ...(looks(panel.key, null, 'shownWhen') ? [`the panel ${panel.title}`] : []),
      ...panel.inputs
        .filter(
          (other) => other.key !== entry.key && (['shownWhen', 'requiredWhen', 'readOnlyWhen'] as const).some((field) => looks(panel.key, other.key, field)),
        )
        .map((other) => this.captionOf(other)),
    ]);
  }

  protected reorder(id: number, by: 1 | -1, event: Event): void {
    event.preventDefault();
    const ids = this.store.forms().map((entry) => entry.id);
    const at = ids.indexOf(id);
    if (!this.mayAdminister() || at + by < 0 || at + by >= ids.length) return;
    ids.splice(at + by, 0, ...ids.splice(at, 1));
    this.store.order(ids);
  }
  /** Moves the form before those that cover all its files. */
  protected putFirst(): void {
    const id = this.id()!;
    const ids = this.store.forms().map((entry) => entry.id);
    const rivals = this.shadows().get(id) ?? [];
    const others = ids.filter((other) => other !== id);
    const first = Math.min(...rivals.map((rival) => others.indexOf(rival.id)), others.length);
    others.splice(first, 0, id);
    this.store.order(others);
  }

  protected save(): void {
    const form = this.form();
    if (!form) return;
    this.store.save(this.id(), { ...form, name: form.name.trim() }, this.id() === null ? null : this.base(), (id) => {
      const entry = this.store.forms().find((candidate) => candidate.id === id);
      if (entry) {
        const { id: _, ...saved } = entry;
        void _;
        this.show(id, saved, saved);
      }
      this.notices.done('Form saved in the draft. It takes effect when the draft comes into force in Schema.');
      this.go({ form: id });
    });
  }
  protected duplicate(): void {
    const form = this.form();
    if (!form) return;
    this.id.set(null);
    this.base.set(null);
    this.form.set({ ...form, name: `${form.name}, copy` });
    this.go({ form: 'new' }, GOES_ALONG);
  }
  protected remove(): void {
    const id = this.id();
    if (id !== null) this.store.remove(id, () => this.go({ form: null }, GOES_ALONG));
  }
  protected sendOut(): void {
    const form = this.form();
    if (!form) return;
    const document = formDocument({ ...form, id: 0 }, this.store.properties());
    saveBlob({ name: `form ${form.name}.json`, blob: new Blob([`${JSON.stringify({ rule: 1, form: document }, null, 2)}\n`], { type: 'application/json' }) });
  }
  protected async takeIn(file: File): Promise<void> {
    try {
      const body = JSON.parse(await file.text()) as { form?: FormDocument };
      if (!body.form || !Array.isArray(body.form.panels)) throw new SyntaxError(NO_FORM);
      const { form, unknown } = readFormDocument(body.form, this.store.properties());
      this.id.set(null);
      this.base.set(null);
      this.form.set({ ...form, name: this.store.forms().some((entry) => entry.name === form.name) ? `${form.name}, imported` : form.name });
      this.at.set(null);
      this.go({ form: 'new' }, GOES_ALONG);
      this.notices.done(
        unknown.length ? `Left out, because they are not in the schema: ${unknown.join(', ')}.` : 'Form imported. Check it and save it in the draft.',
      );
    } catch (failure) {
      this.notices.error(
        `${file.name} is not an exported form: ${failure instanceof SyntaxError && failure.message === NO_FORM ? NO_FORM : 'it cannot be read as JSON'}.`,
      );
    }
  }

  // The form with a file.
  private readonly unpacked = computed(() => {
    const data = this.store.preview();
    return data ? unpackFill(data.packed) : null;
  });
  protected readonly previewed = computed(() => this.unpacked()?.files[0] ?? null);
  protected readonly fileOptions = computed(() => {
    const [now, found, kinds] = [this.previewed(), this.files.files(), this.form()?.kinds];
    const own = found.filter((file) => file.id !== now?.id && kinds?.includes(file.kind));
    return [...(now ? [{ id: now.id, path: now.path }] : []), ...own];
  });
  protected readonly preview = computed(() => {
    const [form, schema, unpacked, user] = [this.form(), this.schema(), this.unpacked(), this.user()];
    if (!form || !schema || !unpacked || !user) return null;
    return new Filling(
      [{ key: 'preview', title: form.name, form: { ...form, id: this.id() ?? 0 }, files: unpacked.files }],
      unpacked.wides,
      schema,
      user.role,
    ).view(this.edits(), new Map());
  });
  protected look(file: number): void {
    this.edits.set(new Map());
    this.store.look(file);
  }
  protected tryOut({ section, input: key, row, text }: FieldEdit): void {
    this.edits.update((edits) => {
      const next = new Map(edits);
      if (text === null) next.delete(editKey(section, key, row));
      else next.set(editKey(section, key, row), text);
      return next;
    });
  }
}
