import { CdkDrag, CdkDragDrop, CdkDropList, CdkDropListGroup } from '@angular/cdk/drag-drop';
import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Router } from '@angular/router';
import { FileRow } from '@rule/contract';
import { Edits, Filling, PreparedForm, checkForm, editKey, unpackFill } from '@rule/core/forms';
import {
  EntryForm,
  FormDocument,
  FormInput,
  FormPanel,
  HOLDER_PRESETS,
  KINDS,
  Kind,
  LEVELS,
  PANEL_COLUMNS,
  PreparedSchema,
  Property,
  WHEN_HIDDEN,
  formDocument,
  groundOn,
  isHeldAt,
  looksFor,
  readFormDocument,
  sameDefinition,
  withChoices,
} from '@rule/core/schema';
import { count } from '@rule/core/words';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { InputTextModule } from 'primeng/inputtext';
import { EntryFormView, FieldEdit } from '../entry-form';
import { RuleField } from '../rule-field';
import { Api, Bench, catalogueFeature, Count, GOES_ALONG, IndexRow, Notices, saveBlob, sessionFeature, Unsaved } from '../shared';
import { FormsStore } from './forms.store';
import { Place, addInput, addPanel, changeInput, changePanel, emptyForm, moveInput, removeAt, step } from './layout';

type Laid = Omit<EntryForm, 'id'>;

/** Conditions of an input, as the inspector asks for them. */
const CONDITIONS = [
  { field: 'shownWhen', title: 'Shown when', hint: 'always' },
  { field: 'requiredWhen', title: 'Required when', hint: 'never' },
  { field: 'readOnlyWhen', title: 'Read-only when', hint: 'never' },
] as const;

/** Entry forms: what designers fill in, laid out in the schema's draft and looked at with real files. */
@Component({
  selector: 'rule-forms-station',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [FormsStore],
  imports: [Bench, ButtonModule, CdkDrag, CdkDropList, CdkDropListGroup, Count, EntryFormView, FormsModule, IndexRow, InputTextModule, RuleField],
  template: `
    <rule-bench label="Forms" [inspector]="form() !== null" cdkDropListGroup>
      <div bench="index">
        <h3>Entry forms</h3>
        @for (entry of store.forms(); track entry.id) {
          <rule-index-row
            [text]="entry.name"
            [end]="entry.classes.length ? 'class' : entry.kinds.join(', ')"
            [tone]="hasErrors(entry.id) ? 'bad' : ''"
            [on]="'' + entry.id === formAsked()"
            (choose)="go({ form: entry.id })"
            (keydown.alt.arrowUp)="reorder(entry.id, -1, $event)"
            (keydown.alt.arrowDown)="reorder(entry.id, 1, $event)"
          />
        } @empty {
          <p class="hint">None yet. Without a form a file is filled in by everything that can be typed.</p>
        }
        @if (mayAdminister()) {
          <rule-index-row text="Lay out a form …" [on]="formAsked() === 'new'" (choose)="go({ form: 'new' })" />
          <label class="take">
            <span class="link">Take a form in …</span>
            <input type="file" accept=".json,application/json" class="visually-hidden" (change)="takeIn($event)" />
          </label>
          @if (store.forms().length > 1) {
            <p class="hint">A form for a class comes before one for all; Alt with an arrow key changes the order.</p>
          }
        }
        @if (form() && mayAdminister()) {
          <h3>Properties that it does not ask for</h3>
          <div class="find">
            <input pInputText placeholder="Find a property" aria-label="Find a property" [ngModel]="find()" (ngModelChange)="find.set($event)" />
          </div>
          <div cdkDropList [cdkDropListData]="palette()" cdkDropListSortingDisabled>
            @for (property of palette(); track property.id) {
              <rule-index-row
                cdkDrag
                [cdkDragData]="property"
                [text]="property.caption"
                [end]="property.required ? 'required' : property.level === 'document' ? '' : property.level"
                [tone]="property.required ? 'warn' : ''"
                (choose)="add(property)"
              />
            }
          </div>
          <p class="hint">Drag a property into a panel, or press Enter on it to add it to the chosen panel.</p>
        }
      </div>

      @if (store.error(); as text) {
        <p class="note bad" role="alert">{{ text }}</p>
      }
      @if (form(); as f) {
        <div class="head">
          <div>
            <h1>{{ f.name || 'A new form' }}</h1>
            <p>{{ standing() }}</p>
          </div>
          <div class="actions">
            <div class="switch" role="group" aria-label="What is shown">
              <button type="button" class="link" [attr.aria-pressed]="!looking()" (click)="looking.set(false)">Layout</button>
              <button type="button" class="link" [attr.aria-pressed]="looking()" (click)="looking.set(true)">Preview</button>
            </div>
            @if (mayAdminister()) {
              <button pButton type="button" class="p-button-text" (click)="duplicate()">Duplicate</button>
              <button pButton type="button" class="p-button-text" (click)="sendOut()">Send out</button>
              @if (id() !== null) {
                <button pButton type="button" class="p-button-text" (click)="remove()">Remove</button>
              }
              <button pButton type="button" [disabled]="!changed() || store.saving() || !f.name.trim()" (click)="save()">Save in the draft</button>
            }
          </div>
        </div>
        @for (problem of general(); track $index) {
          <p class="note" [class.bad]="problem.severity === 'error'">{{ problem.message }}</p>
        }
        @if (looking()) {
          <div class="looks">
            <label class="field">
              <span>Look at it with a file</span>
              <input pInputText placeholder="part of its path or of a value" [ngModel]="search()" (ngModelChange)="searched($event)" />
            </label>
            <div class="switch" role="group" aria-label="Width">
              <button type="button" class="link" [attr.aria-pressed]="!narrow()" (click)="narrow.set(false)">broad</button>
              <button type="button" class="link" [attr.aria-pressed]="narrow()" (click)="narrow.set(true)">narrow</button>
            </div>
          </div>
          @for (file of found(); track file.id) {
            <button type="button" class="link spaced" (click)="look(file)">{{ file.path }}</button>
          }
          @if (previewed(); as file) {
            <p class="soft">
              With {{ file.path }}. What is typed here is tried out and written nowhere.
              @if (preview()!.values.length) {
                It would change {{ preview()!.values.length | count: 'value' }}.
              }
            </p>
            @for (left of preview()!.leftovers; track left.key) {
              <p class="note">
                {{ left.caption }} stands in the file, and no input shows it.{{ left.asks ? ' Whoever fills it in is asked: keep it or clear it?' : '' }}
              </p>
            }
            <div [class.phone]="narrow()">
              <rule-entry-form [view]="preview()!" [narrow]="narrow()" (edited)="tryOut($event)" />
            </div>
          } @else {
            <p class="note">Choose a file to see the form as its designer will.</p>
          }
        } @else {
          @for (panel of f.panels; track panel.key) {
            <section class="card panel" [class.on]="at()?.panel === panel.key && at()?.input === null" [attr.aria-label]="'Panel ' + panel.title">
              <button
                type="button"
                class="plain title"
                (click)="at.set({ panel: panel.key, input: null })"
                (keydown)="key($event, { panel: panel.key, input: null })"
              >
                <b>{{ panel.title || 'untitled panel' }}</b>
                @if (panel.shownWhen) {
                  <span class="mono soft">when {{ panel.shownWhen }}</span>
                }
                @if (problemAt(panel.key, null); as text) {
                  <span class="bad">{{ text }}</span>
                }
              </button>
              <div
                class="tiles"
                cdkDropList
                cdkDropListOrientation="mixed"
                [cdkDropListData]="panel"
                [cdkDropListDisabled]="!mayAdminister()"
                (cdkDropListDropped)="dropped($event)"
              >
                @for (entry of panel.inputs; track entry.key) {
                  <button
                    type="button"
                    class="plain tile"
                    cdkDrag
                    [cdkDragData]="entry"
                    [style.grid-column]="'span ' + entry.width"
                    [class.on]="at()?.input === entry.key"
                    [attr.data-input]="entry.key"
                    (click)="at.set({ panel: panel.key, input: entry.key })"
                    (keydown)="key($event, { panel: panel.key, input: entry.key })"
                  >
                    <span>{{ captionOf(entry) }}</span>
                    <small>
                      {{ entry.look }}{{ entry.level === 'document' ? '' : ', ' + entry.level }}
                      @if (entry.shownWhen) {
                        <span class="mono">when {{ entry.shownWhen }}</span>
                      }
                    </small>
                    @if (problemAt(panel.key, entry.key); as text) {
                      <small class="bad">{{ text }}</small>
                    }
                  </button>
                } @empty {
                  <p class="soft empty">Drag a property here.</p>
                }
              </div>
            </section>
          }
          @if (mayAdminister()) {
            <button type="button" class="link" (click)="newPanel()">Add a panel</button>
            <p class="soft">Alt with an arrow key moves what is chosen, Shift with an arrow key makes an input broader or narrower, Delete takes it out.</p>
          }
        }
      } @else if (store.draft()) {
        <h1>Forms</h1>
        <p class="soft">
          A form says what a designer is asked for: which values, in which panels, under which conditions. It comes into force with the schema's edition.
        </p>
        @for (problem of unasked(); track $index) {
          <p class="note">{{ problem }}</p>
        }
        @if (store.forms().length === 0 && mayAdminister()) {
          <button pButton type="button" (click)="go({ form: 'new' })">Lay out the first form</button>
        }
      } @else {
        <span class="skeleton"></span><span class="skeleton"></span>
      }

      <div bench="inspector">
        @if (form(); as f) {
          @if (chosenInput(); as entry) {
            <h2>{{ captionOf(entry) }}</h2>
            @if (propertyOf(entry); as property) {
              <label class="field">
                <span>Caption</span>
                <input
                  pInputText
                  [placeholder]="property.caption"
                  [disabled]="!mayAdminister()"
                  [ngModel]="entry.caption"
                  (ngModelChange)="edit({ caption: $event })"
                />
              </label>
              <label class="field">
                <span>Help</span>
                <textarea
                  rows="2"
                  [placeholder]="property.help"
                  [disabled]="!mayAdminister()"
                  [ngModel]="entry.help"
                  (ngModelChange)="edit({ help: $event })"
                ></textarea>
              </label>
              <label class="field">
                <span>Shown as</span>
                <select [disabled]="!mayAdminister()" [ngModel]="entry.look" (ngModelChange)="edit({ look: $event })">
                  @for (look of looks(property); track look) {
                    <option [value]="look">{{ look }}</option>
                  }
                </select>
              </label>
              <label class="field">
                <span>Width</span>
                <select [disabled]="!mayAdminister()" [ngModel]="entry.width" (ngModelChange)="edit({ width: +$event })">
                  @for (width of widths; track width) {
                    <option [value]="width">{{ width }} of {{ columns }} columns</option>
                  }
                </select>
              </label>
              @if (levelsOf(property).length > 1) {
                <label class="field">
                  <span>Asked for at the level</span>
                  <select [disabled]="!mayAdminister()" [ngModel]="entry.level" (ngModelChange)="edit({ level: $event })">
                    @for (level of levelsOf(property); track level) {
                      <option [value]="level">{{ level }}</option>
                    }
                  </select>
                </label>
              }
              @if (isInner(entry)) {
                <label class="field">
                  <span>Preset to</span>
                  <select [disabled]="!mayAdminister()" [ngModel]="entry.holders" (ngModelChange)="edit({ holders: $event })">
                    @for (preset of presets; track preset) {
                      <option [value]="preset">{{ presetText(entry, preset) }}</option>
                    }
                  </select>
                </label>
                @if (entry.holders === 'named') {
                  <label class="field">
                    <span>Names, one a line</span>
                    <textarea
                      rows="3"
                      [disabled]="!mayAdminister()"
                      [ngModel]="entry.holderNames.join('\\n')"
                      (ngModelChange)="edit({ holderNames: linesOf($event) })"
                    ></textarea>
                  </label>
                }
              }
              @for (condition of conditions; track condition.field) {
                <div class="field">
                  <span>{{ condition.title }}</span>
                  <rule-rule-field
                    [label]="condition.title + ', ' + captionOf(entry)"
                    purpose="condition"
                    [properties]="store.properties()"
                    [value]="entry[condition.field]"
                    [disabled]="!mayAdminister()"
                    [hint]="condition.field === 'requiredWhen' && property.required ? 'always: the property is required' : condition.hint"
                    (changed)="setCondition(condition.field, $event)"
                  />
                </div>
                @if (condition.field === 'shownWhen' && (entry.shownWhen || panelShownWhen())) {
                  <label class="field">
                    <span>When it disappears, its value is</span>
                    <select [disabled]="!mayAdminister()" [ngModel]="entry.whenHidden" (ngModelChange)="edit({ whenHidden: $event })">
                      @for (what of hidden; track what) {
                        <option [value]="what">{{ { keep: 'kept', clear: 'cleared', ask: 'asked about' }[what] }}</option>
                      }
                    </select>
                  </label>
                }
              }
            } @else {
              <p class="note bad">The property of this input is not in the schema any more.</p>
            }
            @if (mayAdminister()) {
              @for (text of hangs(); track $index) {
                <p class="note">{{ text }}</p>
              }
              <button type="button" class="link" (click)="takeOut()">Take this input out</button>
            }
          } @else if (chosenPanel(); as panel) {
            <h2>Panel</h2>
            <label class="field">
              <span>Title</span>
              <input pInputText [disabled]="!mayAdminister()" [ngModel]="panel.title" (ngModelChange)="editPanel({ title: $event })" />
            </label>
            <div class="field">
              <span>Shown when</span>
              <rule-rule-field
                [label]="'Shown when, panel ' + panel.title"
                purpose="condition"
                [properties]="store.properties()"
                [value]="panel.shownWhen"
                [disabled]="!mayAdminister()"
                hint="always"
                (changed)="editPanel({ shownWhen: $event })"
              />
            </div>
            @if (mayAdminister() && f.panels.length > 1) {
              <button type="button" class="link" (click)="takeOut()">
                Take this panel out{{ panel.inputs.length ? ', with ' + (panel.inputs.length | count: 'input') : '' }}
              </button>
            }
          }
          <h2 class="whole">The form</h2>
          <label class="field">
            <span>Name</span>
            <input
              pInputText
              [disabled]="!mayAdminister()"
              [ngModel]="f.name"
              (ngModelChange)="form.set({ name: $event, kinds: f.kinds, classes: f.classes, panels: f.panels })"
            />
          </label>
          <div class="field" role="group" aria-label="For files of the kinds">
            <span>For files of the kinds</span>
            @for (kind of kinds; track kind) {
              <label class="tick"
                ><input type="checkbox" [disabled]="!mayAdminister()" [checked]="f.kinds.includes(kind)" (change)="toggleKind(kind)" /> {{ kind }}</label
              >
            }
          </div>
          <div class="field" role="group" aria-label="For the classes">
            <span>For the classes {{ f.classes.length ? '' : '(all)' }}</span>
            @for (name of store.classes(); track name) {
              <label class="tick"
                ><input type="checkbox" [disabled]="!mayAdminister()" [checked]="f.classes.includes(name)" (change)="toggleClass(name)" /> {{ name }}</label
              >
            }
          </div>
        }
      </div>
    </rule-bench>
  `,
  styles: `
    .hint {
      padding: 6px 18px 0;
      color: var(--soft);
      font-size: 12px;
    }
    .tile .mono,
    .title .mono {
      font-size: 11px;
    }
    .take {
      display: block;
      padding: 5px 18px;
      cursor: pointer;
    }
    .take .link {
      color: var(--verdigris);
      font-weight: 600;
    }
    .take:focus-within {
      outline: 2px solid var(--brass);
    }
    .find {
      padding: 0 14px 8px;
    }
    .find input {
      width: 100%;
    }
    .switch {
      display: inline-flex;
      gap: 2px;
      border: 1px solid var(--line);
      border-radius: 4px;
      padding: 2px;
    }
    .switch button {
      padding: 3px 10px;
      border-radius: 3px;
    }
    .switch [aria-pressed='true'] {
      background: var(--verdigris-tint);
      color: var(--ink);
    }
    .panel {
      padding: 8px 12px 12px;
      margin-bottom: 12px;
    }
    .panel.on {
      border-color: var(--brass);
    }
    .title {
      display: flex;
      gap: 12px;
      width: 100%;
      padding: 3px 0 8px;
    }
    .tiles {
      display: grid;
      grid-template-columns: repeat(4, minmax(0, 1fr));
      gap: 8px;
      min-height: 46px;
    }
    .tile {
      border: 1px solid var(--line);
      border-left: 3px solid var(--verdigris);
      border-radius: 4px;
      background: var(--side);
      padding: 6px 10px;
      min-width: 0;
      cursor: grab;
    }
    .tile.on {
      border-color: var(--brass);
      background: var(--brass-tint);
    }
    .tile span,
    .tile small {
      display: block;
      overflow: hidden;
      text-overflow: ellipsis;
    }
    .tile small {
      color: var(--soft);
    }
    .tile small.bad {
      color: var(--vermilion);
    }
    .empty {
      grid-column: 1 / -1;
      margin: 8px 0 0;
    }
    .cdk-drag-placeholder {
      opacity: 0.4;
    }
    .looks {
      display: flex;
      gap: 18px;
      align-items: end;
    }
    .looks .field {
      flex: 1;
      max-width: 420px;
      margin: 0;
    }
    .looks {
      margin-bottom: 12px;
    }
    .spaced {
      margin-right: 12px;
    }
    .phone {
      max-width: 400px;
    }
    .tick {
      display: block;
    }
    .whole {
      margin-top: 18px;
      border-top: 1px solid var(--line);
      padding-top: 12px;
    }
  `,
})
export class FormsStation {
  protected readonly store = inject(FormsStore);
  private readonly api = inject(Api);
  private readonly router = inject(Router);
  private readonly global = inject(Store);
  private readonly notices = inject(Notices);
  readonly formAsked = input<string | undefined>(undefined, { alias: 'form' });

  protected readonly mayAdminister = this.global.selectSignal(sessionFeature.selectMayAdminister);
  private readonly user = this.global.selectSignal(sessionFeature.selectUser);
  private readonly standIns = this.global.selectSignal(catalogueFeature.selectStandIns);
  protected readonly kinds = KINDS;
  protected readonly presets = HOLDER_PRESETS;
  protected readonly hidden = WHEN_HIDDEN;
  protected readonly conditions = CONDITIONS;
  protected readonly columns = PANEL_COLUMNS;
  protected readonly widths = [1, 2, 3, 4];

  protected readonly id = signal<number | null>(null);
  /** The form as it is being laid out, and as it was when it was opened. */
  protected readonly form = signal<Laid | null>(null);
  private readonly base = signal<Laid | null>(null);
  protected readonly at = signal<Place | null>(null);
  protected readonly find = signal('');
  protected readonly looking = signal(false);
  protected readonly narrow = signal(false);
  private readonly edits = signal<Edits>(new Map());

  protected readonly changed = computed(() => !sameDefinition(this.form(), this.base()));
  /** A new form in which nothing was laid out yet is no loss. */
  private readonly typed = computed(() => this.changed() && !(this.base() === null && sameDefinition(this.form(), emptyForm(''))));
  protected readonly standing = computed(() => {
    const f = this.form()!;
    const asks = f.panels.reduce((sum, panel) => sum + panel.inputs.length, 0);
    return `${count(asks, 'input')} in ${count(f.panels.length, 'panel')}, for ${f.classes.length ? f.classes.join(', ') : `every ${f.kinds.join(', ')}`}.${this.changed() ? ' Changed, and not saved yet.' : ''}`;
  });
  private readonly byId = computed(() => new Map(this.store.properties().map((property) => [property.id, property])));
  private readonly schema = computed(() => {
    const draft = this.store.draft();
    return draft
      ? new PreparedSchema(withChoices(draft.schema, this.store.lists()), groundOn(this.standIns(), this.store.lists(), [], Date.now() / 1000))
      : null;
  });
  private readonly problems = computed(() => {
    const [form, schema] = [this.form(), this.schema()];
    return form && schema ? checkForm({ ...form, id: this.id() ?? 0 }, schema, this.store.classes()) : [];
  });
  protected readonly general = computed(() => this.problems().filter((problem) => problem.panel === null));
  protected readonly unasked = computed(() =>
    (this.store.draft()?.problems ?? []).filter((problem) => problem.code === 'not-asked').map((problem) => problem.message),
  );
  protected readonly palette = computed(() => {
    const form = this.form();
    const asked = new Set(form?.panels.flatMap((panel) => panel.inputs.map((entry) => entry.property)));
    const wanted = this.find().trim().toLowerCase();
    return this.store
      .properties()
      .filter(
        (property) =>
          !property.retired &&
          !asked.has(property.id) &&
          (form?.kinds.some((kind) => property.kinds.includes(kind)) ?? false) &&
          `${property.caption} ${property.writtenName}`.toLowerCase().includes(wanted),
      )
      .sort((a, b) => Number(b.required) - Number(a.required));
  });
  protected readonly chosenPanel = computed(() => this.form()?.panels.find((panel) => panel.key === this.at()?.panel) ?? null);
  protected readonly chosenInput = computed(() => this.chosenPanel()?.inputs.find((entry) => entry.key === this.at()?.input) ?? null);
  protected readonly panelShownWhen = computed(() => this.chosenPanel()?.shownWhen ?? '');

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
    } else if (!entry) this.show(null, null, null);
    else if (this.id() !== entry.id || !this.changed()) {
      const { id, ...form } = entry;
      this.show(id, form, form);
    }
  }
  private show(id: number | null, form: Laid | null, base: Laid | null): void {
    this.id.set(id);
    this.base.set(base);
    this.form.set(form);
    const at = this.at();
    const stands = form?.panels.some((panel) => panel.key === at?.panel && (at.input === null || panel.inputs.some((entry) => entry.key === at.input)));
    if (!stands) this.at.set(form?.panels[0] ? { panel: form.panels[0].key, input: null } : null);
  }

  protected go(queryParams: Record<string, string | number | null>, info?: typeof GOES_ALONG): void {
    void this.router.navigate([], { queryParams, info });
  }
  protected hasErrors(id: number): boolean {
    return (this.store.draft()?.problems ?? []).some((problem) => problem.form === id && problem.severity === 'error');
  }
  protected problemAt(panel: string, key: string | null): string | null {
    return this.problems().find((problem) => problem.panel === panel && problem.input === key)?.message ?? null;
  }
  protected propertyOf(entry: FormInput): Property | undefined {
    return this.byId().get(entry.property);
  }
  protected captionOf(entry: FormInput): string {
    return entry.caption || (this.propertyOf(entry)?.caption ?? 'a property that is gone');
  }
  protected looks = looksFor;
  protected levelsOf(property: Property) {
    return LEVELS.filter((level) => isHeldAt(property, level));
  }
  protected isInner(entry: FormInput): boolean {
    return ['variant', 'body', 'occurrence', 'sheet'].includes(entry.level);
  }
  protected presetText(entry: FormInput, preset: FormInput['holders']): string {
    if (preset === 'document') return entry.level === 'variant' ? 'the document: what all variants have' : 'all of them';
    return preset === 'all' ? `all, each ${entry.level} in a field of its own` : `${entry.level}s with certain names`;
  }
  protected linesOf(text: string): string[] {
    return text
      .split('\n')
      .map((line) => line.trim())
      .filter(Boolean);
  }

  // Laying out.
  private change(work: (form: Laid) => Laid): void {
    this.form.update((form) => form && work(form));
  }
  protected edit(change: Partial<FormInput>): void {
    const at = this.at();
    if (at) this.change((form) => changeInput(form, at, change));
  }
  protected setCondition(field: (typeof CONDITIONS)[number]['field'], text: string): void {
    this.edit({ [field]: text });
  }
  protected editPanel(change: Partial<FormPanel>): void {
    const at = this.at();
    if (at) this.change((form) => changePanel(form, at.panel, change));
  }
  protected add(property: Property): void {
    const form = this.form();
    const panel = this.at()?.panel ?? form?.panels[0]?.key;
    if (!form || panel === undefined) return;
    const added = addInput(form, panel, property);
    this.form.set(added.form);
    this.at.set({ panel, input: added.key });
  }
  protected newPanel(): void {
    const form = this.form();
    if (!form) return;
    const added = addPanel(form);
    this.form.set(added.form);
    this.at.set({ panel: added.key, input: null });
  }
  protected dropped({ item, container, currentIndex }: CdkDragDrop<FormPanel>): void {
    const panel = container.data.key;
    const data = item.data as Property | FormInput;
    const form = this.form();
    if (!form) return;
    if ('writtenName' in data) {
      const added = addInput(form, panel, data, currentIndex);
      this.form.set(added.form);
      this.at.set({ panel, input: added.key });
    } else {
      this.form.set(moveInput(form, data.key, panel, currentIndex));
      this.at.set({ panel, input: data.key });
    }
  }
  protected key(event: KeyboardEvent, place: Place): void {
    if (!this.mayAdminister()) return;
    const by = event.key === 'ArrowDown' || event.key === 'ArrowRight' ? 1 : event.key === 'ArrowUp' || event.key === 'ArrowLeft' ? -1 : null;
    if (by !== null && event.altKey) {
      this.change((form) => step(form, place, by));
      const panel = this.form()?.panels.find((own) => own.key === place.panel || own.inputs.some((entry) => entry.key === place.input));
      const now = this.form()?.panels.find((own) => own.inputs.some((entry) => entry.key === place.input)) ?? panel;
      this.at.set({ panel: now?.key ?? place.panel, input: place.input });
      setTimeout(() => document.querySelector<HTMLElement>(`[data-input="${place.input}"]`)?.focus());
    } else if (by !== null && event.shiftKey && place.input !== null) {
      const width =
        this.form()
          ?.panels.flatMap((panel) => panel.inputs)
          .find((entry) => entry.key === place.input)?.width ?? 1;
      this.change((form) => changeInput(form, place, { width: Math.max(1, Math.min(PANEL_COLUMNS, width + by)) }));
    } else if (event.key === 'Delete') {
      this.at.set(place);
      if (place.input !== null) this.takeOut();
    } else return;
    event.preventDefault();
  }
  protected takeOut(): void {
    const at = this.at();
    if (!at) return;
    this.change((form) => removeAt(form, at));
    this.at.set(at.input === null ? (this.form()?.panels[0] ? { panel: this.form()!.panels[0]!.key, input: null } : null) : { panel: at.panel, input: null });
  }
  /** What hangs on the chosen input, before it is taken out. */
  protected readonly hangs = computed((): string[] => {
    const [entry, form, schema] = [this.chosenInput(), this.form(), this.schema()];
    const property = entry && this.byId().get(entry.property);
    if (!entry || !form || !schema || !property) return [];
    const prepared = new PreparedForm({ ...form, id: 0 }, schema);
    const name = property.ruleName || property.writtenName;
    const looking = form.panels.flatMap((panel) => [
      ...(prepared.condition(panel.key, null, 'shownWhen')?.uses.some((use) => use.group === null && use.name === name) ? [`the panel ${panel.title}`] : []),
      ...panel.inputs
        .filter((other) => other.key !== entry.key)
        .filter((other) =>
          (['shownWhen', 'requiredWhen', 'readOnlyWhen'] as const).some((field) =>
            prepared.condition(panel.key, other.key, field)?.uses.some((use) => use.group === null && use.name === name),
          ),
        )
        .map((other) => this.captionOf(other)),
    ]);
    const elsewhere = this.store
      .forms()
      .some((other) => other.id !== this.id() && other.panels.some((panel) => panel.inputs.some((one) => one.property === property.id)));
    return [
      ...(looking.length ? [`Conditions look at its value: ${looking.join(', ')}.`] : []),
      ...((property.required || property.requiredWhen) && !elsewhere ? [`${property.caption} is required, and no other form asks for it.`] : []),
    ];
  });

  protected toggleKind(kind: Kind): void {
    this.change((form) => ({ ...form, kinds: KINDS.filter((one) => (one === kind ? !form.kinds.includes(one) : form.kinds.includes(one))) }));
  }
  protected toggleClass(name: string): void {
    this.change((form) => ({ ...form, classes: form.classes.includes(name) ? form.classes.filter((other) => other !== name) : [...form.classes, name] }));
  }
  protected reorder(id: number, by: 1 | -1, event: Event): void {
    event.preventDefault();
    const ids = this.store.forms().map((entry) => entry.id);
    const at = ids.indexOf(id);
    if (!this.mayAdminister() || at + by < 0 || at + by >= ids.length) return;
    ids.splice(at + by, 0, ...ids.splice(at, 1));
    this.store.order(ids);
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
      this.notices.done('The form is saved in the draft. It is in use when the draft comes into force, in Schema.');
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
  protected async takeIn(event: Event): Promise<void> {
    const field = event.target as HTMLInputElement;
    const file = field.files?.[0];
    field.value = '';
    if (!file) return;
    try {
      const body = JSON.parse(await file.text()) as { form?: FormDocument };
      if (!body.form || !Array.isArray(body.form.panels)) throw new SyntaxError('it holds no form');
      const { form, unknown } = readFormDocument(body.form, this.store.properties());
      this.id.set(null);
      this.base.set(null);
      this.form.set({ ...form, name: this.store.forms().some((entry) => entry.name === form.name) ? `${form.name}, taken in` : form.name });
      this.at.set(form.panels[0] ? { panel: form.panels[0].key, input: null } : null);
      this.go({ form: 'new' }, GOES_ALONG);
      this.notices.done(
        unknown.length ? `Left out, since the schema does not know them: ${unknown.join(', ')}.` : 'Look at the form and save it in the draft.',
      );
    } catch (failure) {
      this.notices.error(`${file.name} is not a form as Rule sends it out: ${failure instanceof Error ? failure.message : ''}.`);
    }
  }

  // Looking at it with a file.
  protected readonly search = signal('');
  protected readonly found = signal<readonly FileRow[]>([]);
  private timer: ReturnType<typeof setTimeout> | undefined;
  private readonly unpacked = computed(() => {
    const data = this.store.preview();
    return data ? unpackFill(data.packed) : null;
  });
  protected readonly previewed = computed(() => this.unpacked()?.files[0] ?? null);
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
  protected searched(text: string): void {
    this.search.set(text);
    clearTimeout(this.timer);
    this.timer = setTimeout(() => {
      const kind = this.form()?.kinds.length === 1 ? this.form()!.kinds[0]! : undefined;
      if (text.trim() === '') this.found.set([]);
      else
        this.api
          .files({ search: text.trim(), limit: 8, ...(kind ? { kind } : {}) })
          .subscribe({ next: (page) => this.found.set(page.rows), error: this.notices.failed });
    }, 250);
  }
  protected look(file: FileRow): void {
    this.edits.set(new Map());
    this.found.set([]);
    this.search.set('');
    this.store.look(file.id);
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
