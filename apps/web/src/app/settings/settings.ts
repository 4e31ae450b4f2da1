import { ChangeDetectionStrategy, Component, computed, effect, inject, input, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Settings } from '@rule/contract';
import { sameDefinition } from '@rule/core/schema';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { InputTextModule } from 'primeng/inputtext';
import { TextareaModule } from 'primeng/textarea';
import { Router } from '@angular/router';
import { RuleOption, RuleSelect } from '../kit';
import { Bench, CatalogueActions, IndexRow, Unsaved, catalogueFeature, sessionFeature } from '../shared';
import { LibraryPlaces } from './library-places';
import { PeopleSection } from './people';
import { Profile } from './profile';
import { Tokens } from './tokens';
import { AREAS, AreaKey, readArea, textsOf } from './areas';
import { SettingsStore } from './settings.store';

/** Company-wide settings. */
@Component({
  selector: 'rule-settings-station',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleOption, RuleSelect, Bench, ButtonModule, FormsModule, IndexRow, InputTextModule, LibraryPlaces, PeopleSection, Profile, TextareaModule, Tokens],
  providers: [SettingsStore],
  template: `
    <rule-bench label="Settings" [inspector]="false">
      <div bench="index">
        <h3>Settings</h3>
        @for (entry of parts(); track entry.id) {
          <rule-index-row [text]="entry.text" [on]="entry.id === part()" (choose)="go(entry.id)" />
        }
      </div>
      @switch (part()) {
        @case ('you') {
          <rule-profile />
          <section class="card own" aria-label="Only for you">
            <h2>Only for you</h2>
            <label class="field">
              <span>Captions in the language</span>
              <rule-select [ngModel]="language()" (ngModelChange)="speak($event)">
                <rule-option value="" label="the company's own" />
                @for (code of languages(); track code) {
                  <rule-option [value]="code" label="{{ code }}" />
                }
              </rule-select>
              <small>Captions that a property has in this language are shown in it, everywhere but in Schema.</small>
            </label>
          </section>
        }
        @case ('tokens') {
          <rule-tokens />
        }
        @case ('people') {
          <rule-people />
        }
        @case ('libraries') {
          <rule-library-places />
        }
        @default {
          <form (ngSubmit)="save()">
            <div class="head">
              <div>
                <h1>The company</h1>
                <p>For everybody.{{ mayAdminister() ? '' : ' Changing them needs the role administrator.' }}</p>
              </div>
              @if (mayAdminister()) {
                <div class="actions"><p-button type="submit" label="Save" [disabled]="!changed() || !sound()" /></div>
              }
            </div>
            @if (draft(); as d) {
              <fieldset class="card" [disabled]="!mayAdminister()">
                <legend class="visually-hidden">Settings</legend>
                <label class="field"
                  ><span>Company</span><input pInputText name="company" [ngModel]="d.company" (ngModelChange)="set({ company: $event })"
                /></label>
                <label class="field">
                  <span>Document property that names a drawing's model</span>
                  <input pInputText name="modelProperty" class="mono" [ngModel]="d.modelProperty" (ngModelChange)="set({ modelProperty: $event })" />
                  <small>Its value is a file name. Drawings without it are matched by their file name.</small>
                </label>
                <label class="field">
                  <span>Property for the mass of a part</span>
                  <input pInputText name="massProperty" class="mono" [ngModel]="d.massProperty" (ngModelChange)="set({ massProperty: $event })" />
                  <small>It is compared with the mass calculated from geometry.</small>
                </label>
                <label class="field">
                  <span>Property for the material of a part</span>
                  <input pInputText name="materialProperty" class="mono" [ngModel]="d.materialProperty" (ngModelChange)="set({ materialProperty: $event })" />
                  <small>It is compared with the material stated in the model, and gives the density where the model has none.</small>
                </label>
                @for (area of areas; track area.key) {
                  <label class="field">
                    <span>{{ area.label }}</span>
                    <textarea
                      pTextarea
                      class="mono"
                      [name]="area.key"
                      [rows]="area.rows"
                      [ngModel]="texts()[area.key]"
                      (ngModelChange)="write(area.key, $event)"
                    ></textarea>
                    <small [class.bad]="problems()[area.key]">{{ problems()[area.key] ?? area.help }}</small>
                  </label>
                }
              </fieldset>
            }
          </form>
        }
      }
    </rule-bench>
  `,
  styles: `
    .own {
      max-width: 640px;
      margin: 14px 0;
    }
    fieldset {
      border: 1px solid var(--line);
      padding: 16px 18px 8px;
      max-width: 640px;
      margin: 0;
    }
  `,
})
export class SettingsStation {
  private readonly settings = inject(SettingsStore);
  private readonly store = inject(Store);
  private readonly router = inject(Router);
  /** The settings page in the URL. */
  readonly view = input<string>();
  protected readonly parts = computed(() => [
    { id: 'company', text: 'The company' },
    { id: 'you', text: 'You' },
    { id: 'tokens', text: 'Tokens for programs' },
    ...(this.mayAdminister()
      ? [
          { id: 'people', text: 'People' },
          { id: 'libraries', text: 'Library folders' },
        ]
      : []),
  ]);
  protected readonly part = computed(() => this.parts().find((part) => part.id === this.view())?.id ?? 'company');
  protected readonly mayAdminister = this.store.selectSignal(sessionFeature.selectMayAdminister);
  protected readonly languages = this.store.selectSignal(catalogueFeature.selectLanguages);
  private readonly chosenLanguage = this.store.selectSignal(catalogueFeature.selectLanguage);
  protected readonly language = computed(() => (this.languages().includes(this.chosenLanguage()) ? this.chosenLanguage() : ''));
  private readonly kept = this.store.selectSignal(catalogueFeature.selectSettings);
  protected readonly draft = signal<Settings | null>(null);
  protected readonly areas = AREAS;
  /** Typed text of the areas. */
  protected readonly texts = signal<Readonly<Record<AreaKey, string>>>({ workflowStates: '', standIns: '', densities: '', abbreviations: '', synonyms: '' });
  protected readonly problems = signal<Readonly<Partial<Record<AreaKey, string>>>>({});
  private readonly base = signal<Settings | null>(null);
  protected readonly changed = computed(() => !sameDefinition(this.draft(), this.base()));

  constructor() {
    inject(Unsaved).watch(() => (this.changed() || !this.sound() ? 'the settings' : null));
    effect(() => {
      const kept = this.kept();
      untracked(() => {
        // Unsaved text survives a reload, even if invalid.
        const typing = !this.sound() || !sameDefinition(this.draft(), this.base());
        if (this.draft() !== null && typing && (!this.sound() || !sameDefinition(this.draft(), kept))) return;
        this.base.set(kept);
        this.draft.set(kept);
        if (kept) this.texts.set(textsOf(kept));
        this.problems.set({});
      });
    });
  }

  protected set(change: Partial<Settings>): void {
    this.draft.update((draft) => draft && { ...draft, ...change });
  }

  protected go(part: string): void {
    void this.router.navigate([], { queryParams: { view: part } });
  }

  protected speak(language: string): void {
    this.store.dispatch(CatalogueActions.language({ language }));
  }

  protected sound(): boolean {
    return Object.keys(this.problems()).length === 0;
  }

  protected write(key: AreaKey, text: string): void {
    this.texts.update((texts) => ({ ...texts, [key]: text }));
    const read = readArea(key, text);
    const { [key]: _, ...others } = this.problems();
    this.problems.set('problem' in read ? { ...others, [key]: read.problem } : others);
    if (!('problem' in read)) this.set(read);
  }

  protected save(): void {
    const draft = this.draft();
    if (draft) this.settings.save(draft);
  }
}
