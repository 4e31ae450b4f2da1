import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router } from '@angular/router';
import { FILE_FIELDS, KINDS, Kind, PropertyDraft, checkDefinition, newDraft } from '@rule/core/schema';
import { UNITS, VALUE_TYPES } from '@rule/core/values';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { CheckboxModule } from 'primeng/checkbox';
import { InputNumberModule } from 'primeng/inputnumber';
import { InputTextModule } from 'primeng/inputtext';
import { SelectModule } from 'primeng/select';
import { TextareaModule } from 'primeng/textarea';
import { Api, Bench, CatalogueActions, ExactName, IndexRow, Notices, Way, catalogueFeature, problemOf, sessionFeature } from '../shared';
import { draftOf, kindsFrom, tidy } from './draft';

const TYPE_NAMES: Readonly<Record<string, string>> = {
  text: 'text',
  whole: 'whole number',
  number: 'number',
  yesno: 'yes or no',
  date: 'date',
  choice: 'choice',
};
const KIND_MARKS: Readonly<Record<Kind, string>> = { part: 'P', assembly: 'A', drawing: 'D', other: 'O' };

/** The schema: properties defined, edited and retired, checked as they are typed. */
@Component({
  selector: 'rule-schema-station',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [Bench, ButtonModule, CheckboxModule, ExactName, FormsModule, IndexRow, InputNumberModule, InputTextModule, SelectModule, TextareaModule, Way],
  template: `
    <rule-bench label="Schema">
      <div bench="index">
        <div class="find">
          <input pInputText placeholder="Find a property" aria-label="Find a property" [ngModel]="find()" (ngModelChange)="find.set($event)" />
        </div>
        @if (mayAdminister()) {
          <rule-index-row text="Define a property …" [on]="define() !== undefined" (choose)="go({ define: '' })" />
        }
        <h3>Properties</h3>
        @for (property of active(); track property.id) {
          <rule-index-row [text]="property.caption" [end]="marks(property.kinds)" [on]="property.id === chosenId()" (choose)="go({ property: property.id })" />
        }
        @if (retired().length) {
          <h3>Retired</h3>
          @for (property of retired(); track property.id) {
            <rule-index-row [text]="property.caption" end="retired" [on]="property.id === chosenId()" (choose)="go({ property: property.id })" />
          }
        }
      </div>

      @if (draft(); as d) {
        <form (ngSubmit)="save()">
          <div class="head">
            <div>
              <h1>{{ d.caption || 'New property' }}</h1>
              <p>
                <rule-exact-name [name]="d.writtenName || ' '" />
                <span class="chip">{{ typeName(d.type) }}</span>
                @if (chosen()?.retired) {
                  <span class="chip warn">retired</span>
                }
                @if (define() !== undefined) {
                  <span class="chip brass">not saved yet</span>
                }
              </p>
            </div>
            @if (mayAdminister()) {
              <div class="actions">
                @if (chosen(); as property) {
                  <p-button type="button" severity="secondary" [label]="property.retired ? 'Take up again' : 'Retire'" (onClick)="retire(!property.retired)" />
                }
                <p-button type="submit" [label]="chosen() ? 'Save' : 'Define'" [disabled]="!changed() || problems().length > 0" [loading]="saving()" />
              </div>
            }
          </div>
          @if (serverProblem(); as text) {
            <p class="note bad" role="alert">{{ text }}</p>
          }
          <fieldset [disabled]="!mayAdminister()" class="card">
            <legend class="visually-hidden">Definition</legend>
            <div class="pair">
              <label class="field">
                <span>Written name</span>
                <input
                  pInputText
                  name="writtenName"
                  class="mono"
                  autocomplete="off"
                  spellcheck="false"
                  [ngModel]="d.writtenName"
                  (ngModelChange)="set({ writtenName: $event })"
                  [attr.aria-invalid]="!!problemAt('writtenName')"
                />
                @if (problemAt('writtenName'); as text) {
                  <small class="bad" role="alert">{{ text }}</small>
                } @else {
                  <small>The exact spelling kept in files. Case and blanks count.</small>
                }
              </label>
              <label class="field">
                <span>Caption</span>
                <input pInputText name="caption" [ngModel]="d.caption" (ngModelChange)="set({ caption: $event })" />
                @if (problemAt('caption'); as text) {
                  <small class="bad">{{ text }}</small>
                } @else {
                  <small>What people read. Free to change.</small>
                }
              </label>
            </div>
            <label class="field"
              ><span>Help</span><textarea pTextarea name="help" rows="2" [ngModel]="d.help" (ngModelChange)="set({ help: $event })"></textarea>
            </label>
            <div class="pair three">
              <div class="field">
                <span id="type-label">Type</span>
                <p-select
                  name="type"
                  [options]="types"
                  optionLabel="label"
                  optionValue="value"
                  ariaLabelledBy="type-label"
                  [disabled]="!mayAdminister()"
                  [ngModel]="d.type"
                  (ngModelChange)="set({ type: $event })"
                />
              </div>
              <div class="field">
                <span id="feed-label">Value comes from</span>
                <p-select
                  name="feed"
                  [options]="feeds"
                  optionLabel="label"
                  optionValue="value"
                  ariaLabelledBy="feed-label"
                  [disabled]="!mayAdminister()"
                  [ngModel]="d.feed === 'file' ? 'file:' + d.fileField : 'typed'"
                  (ngModelChange)="setFeed($event)"
                />
                @if (problemAt('fileField'); as text) {
                  <small class="bad">{{ text }}</small>
                }
              </div>
              <label class="field"
                ><span>Placeholder</span><input pInputText name="placeholder" [ngModel]="d.placeholder" (ngModelChange)="set({ placeholder: $event })" /><small
                  >Shown for a blank, never written.</small
                ></label
              >
            </div>
            <div class="field" role="group" aria-label="Applies to">
              <span>Applies to</span>
              <div class="ticks">
                @for (kind of kinds; track kind) {
                  <label [for]="'kind-' + kind"
                    ><p-checkbox
                      [binary]="true"
                      [name]="'kind-' + kind"
                      [inputId]="'kind-' + kind"
                      [disabled]="!mayAdminister()"
                      [ngModel]="d.kinds.includes(kind)"
                      (ngModelChange)="setKind(kind, $event)"
                    />
                    {{ kind }}</label
                  >
                }
                <label for="required"
                  ><p-checkbox
                    [binary]="true"
                    name="required"
                    inputId="required"
                    [disabled]="!mayAdminister()"
                    [ngModel]="d.required"
                    (ngModelChange)="set({ required: $event })"
                  />
                  required</label
                >
                <label for="searched"
                  ><p-checkbox
                    [binary]="true"
                    name="searched"
                    inputId="searched"
                    [disabled]="!mayAdminister()"
                    [ngModel]="d.searched"
                    (ngModelChange)="set({ searched: $event })"
                  />
                  found by the quick search</label
                >
              </div>
              @if (problemAt('kinds'); as text) {
                <small class="bad">{{ text }}</small>
              }
            </div>
            @if (d.feed === 'typed') {
              @switch (d.type) {
                @case ('text') {
                  <div class="pair three">
                    <div class="field">
                      <span id="min-length">Shortest length</span
                      ><p-inputnumber
                        ariaLabelledBy="min-length"
                        name="minLength"
                        [min]="0"
                        [ngModel]="d.minLength"
                        (ngModelChange)="set({ minLength: $event })"
                      />
                    </div>
                    <div class="field">
                      <span id="max-length">Longest length</span
                      ><p-inputnumber
                        ariaLabelledBy="max-length"
                        name="maxLength"
                        [min]="1"
                        [ngModel]="d.maxLength"
                        (ngModelChange)="set({ maxLength: $event })"
                      />
                    </div>
                  </div>
                  @if (problemAt('minLength'); as text) {
                    <small class="bad">{{ text }}</small>
                  }
                }
                @case ('choice') {
                  <label class="field">
                    <span>Choices, one a line</span>
                    <textarea pTextarea name="choices" class="mono" rows="7" [ngModel]="d.choices.join('\\n')" (ngModelChange)="setChoices($event)"></textarea>
                    @if (problemAt('choices'); as text) {
                      <small class="bad">{{ text }}</small>
                    }
                  </label>
                }
                @default {
                  @if (d.type === 'number' || d.type === 'whole') {
                    <div class="pair four">
                      @if (d.type === 'number') {
                        <div class="field">
                          <span id="unit-label">Unit</span>
                          <p-select
                            name="unit"
                            [options]="units"
                            [showClear]="true"
                            placeholder="none"
                            ariaLabelledBy="unit-label"
                            [ngModel]="d.unit"
                            (ngModelChange)="set({ unit: $event })"
                          />
                        </div>
                        <div class="field">
                          <span id="decimals">Decimals</span
                          ><p-inputnumber
                            ariaLabelledBy="decimals"
                            name="decimals"
                            [min]="0"
                            [max]="12"
                            [ngModel]="d.decimals"
                            (ngModelChange)="set({ decimals: $event })"
                          />
                        </div>
                      }
                      <div class="field">
                        <span id="min">Smallest</span
                        ><p-inputnumber ariaLabelledBy="min" name="min" [maxFractionDigits]="12" [ngModel]="d.min" (ngModelChange)="set({ min: $event })" />
                      </div>
                      <div class="field">
                        <span id="max">Largest</span
                        ><p-inputnumber ariaLabelledBy="max" name="max" [maxFractionDigits]="12" [ngModel]="d.max" (ngModelChange)="set({ max: $event })" />
                      </div>
                    </div>
                    @if (problemAt('min'); as text) {
                      <small class="bad">{{ text }}</small>
                    }
                  }
                }
              }
            }
          </fieldset>
          @if (chosen()?.retired) {
            <p class="note">Retired properties are asked for nowhere. Their values stay in the files, and their name stays taken.</p>
          }
        </form>
      } @else {
        <div class="head">
          <div>
            <h1>The schema</h1>
            <p>
              {{
                all().length
                  ? 'Choose a property at the left.'
                  : 'No property is defined yet. Survey shows which names your files hold; define the first one from there, or here.'
              }}
            </p>
          </div>
        </div>
      }

      <div bench="inspector">
        @if (chosenId()) {
          <rule-way [property]="chosenId()" />
        } @else {
          <p class="soft">The way of a property through the company stands here once it is defined.</p>
        }
      </div>
    </rule-bench>
  `,
  styles: `
    .find {
      padding: 0 26px 8px 14px;
    }
    .find input {
      width: 100%;
    }
    fieldset {
      border: 1px solid var(--line);
      padding: 16px 18px 8px;
      margin: 0 0 14px;
      min-width: 0;
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
      gap: 18px;
      flex-wrap: wrap;
    }
    .ticks label {
      display: flex;
      gap: 6px;
      align-items: center;
    }
    p-inputnumber {
      display: block;
    }
    :host ::ng-deep p-inputnumber input {
      width: 100%;
    }
    .head p {
      display: flex;
      gap: 8px;
      align-items: center;
    }
  `,
})
export class SchemaStation {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  private readonly notices = inject(Notices);
  readonly property = input<string>();
  readonly define = input<string>();
  readonly kindsAsked = input<string | undefined>(undefined, { alias: 'kinds' });

  protected readonly all = this.store.selectSignal(catalogueFeature.selectAll);
  private readonly byId = this.store.selectSignal(catalogueFeature.selectById);
  protected readonly mayAdminister = this.store.selectSignal(sessionFeature.selectMayAdminister);
  protected readonly find = signal('');
  protected readonly draft = signal<PropertyDraft | null>(null);
  protected readonly saving = signal(false);
  protected readonly serverProblem = signal<string | null>(null);
  protected readonly types = VALUE_TYPES.map((value) => ({ value, label: TYPE_NAMES[value]! }));
  protected readonly feeds = [
    { value: 'typed', label: 'people, who type or choose it' },
    ...FILE_FIELDS.map((field) => ({ value: `file:${field}`, label: `the file's ${field}` })),
  ];
  protected readonly units = UNITS.map((unit) => unit.code);
  protected readonly kinds = KINDS;

  private readonly found = computed(() => {
    const wanted = this.find().trim().toLowerCase();
    return this.all().filter((property) => `${property.caption} ${property.writtenName}`.toLowerCase().includes(wanted));
  });
  protected readonly active = computed(() => this.found().filter((property) => !property.retired));
  protected readonly retired = computed(() => this.found().filter((property) => property.retired));
  protected readonly chosenId = computed(() => (this.define() === undefined && this.property() ? Number(this.property()) : null));
  protected readonly chosen = computed(() => this.byId()[this.chosenId() ?? 0]);
  protected readonly problems = computed(() => {
    const draft = this.draft();
    return draft
      ? checkDefinition(
          tidy(draft),
          this.all().filter((property) => property.id !== this.chosenId()),
        )
      : [];
  });
  protected readonly changed = computed(() => {
    const [draft, chosen] = [this.draft(), this.chosen()];
    return draft !== null && (!chosen || JSON.stringify(tidy(draft)) !== JSON.stringify(draftOf(chosen)));
  });

  constructor() {
    effect(() => {
      const chosen = this.chosen();
      const define = this.define();
      const kinds = kindsFrom(this.kindsAsked());
      untracked(() => {
        this.serverProblem.set(null);
        this.draft.set(define !== undefined ? { ...newDraft(define), ...(kinds.length ? { kinds } : {}) } : chosen ? draftOf(chosen) : null);
      });
    });
  }

  protected marks(kinds: readonly Kind[]): string {
    return KINDS.filter((kind) => kinds.includes(kind))
      .map((kind) => KIND_MARKS[kind])
      .join(' ');
  }

  protected typeName(type: string): string {
    return TYPE_NAMES[type] ?? type;
  }

  protected problemAt(field: keyof PropertyDraft): string | null {
    return this.problems().find((problem) => problem.field === field)?.message ?? null;
  }

  protected set(change: Partial<PropertyDraft>): void {
    this.draft.update((draft) => draft && { ...draft, ...change });
  }

  protected setFeed(feed: string): void {
    const field = FILE_FIELDS.find((candidate) => feed === `file:${candidate}`) ?? null;
    this.set({ feed: field ? 'file' : 'typed', fileField: field });
  }

  protected setKind(kind: Kind, on: boolean): void {
    this.draft.update((draft) => draft && { ...draft, kinds: KINDS.filter((candidate) => (candidate === kind ? on : draft.kinds.includes(candidate))) });
  }

  protected setChoices(text: string): void {
    // The last line may be empty while the next choice is typed.
    this.set({ choices: text === '' ? [] : text.replace(/\n$/, '').split('\n') });
  }

  protected go(queryParams: Record<string, string | number | null>): void {
    void this.router.navigate([], { queryParams });
  }

  protected save(): void {
    const draft = this.draft();
    if (!draft || this.problems().length) return;
    const id = this.chosenId();
    this.saving.set(true);
    this.serverProblem.set(null);
    (id === null ? this.api.defineProperty(tidy(draft)) : this.api.editProperty(id, tidy(draft))).subscribe({
      next: (property) => {
        this.saving.set(false);
        this.store.dispatch(CatalogueActions.propertySaved({ property }));
        this.notices.done(id === null ? `${property.caption} is defined.` : `${property.caption} is saved.`);
        this.go({ property: property.id });
      },
      error: (failure: unknown) => {
        this.saving.set(false);
        this.serverProblem.set(problemOf(failure).detail);
      },
    });
  }

  protected retire(retired: boolean): void {
    this.api.retireProperty(this.chosenId()!, retired).subscribe({
      next: (property) => {
        this.store.dispatch(CatalogueActions.propertySaved({ property }));
        this.notices.done(retired ? `${property.caption} is retired. Its values stay in the files.` : `${property.caption} is in use again.`);
      },
      error: this.notices.failed,
    });
  }
}
