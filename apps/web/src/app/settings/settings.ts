import { ChangeDetectionStrategy, Component, computed, effect, inject, signal, untracked } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Settings } from '@rule/contract';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { InputTextModule } from 'primeng/inputtext';
import { TextareaModule } from 'primeng/textarea';
import { Api, Bench, CatalogueActions, Notices, SessionActions, catalogueFeature, sessionFeature } from '../shared';

/** Company-wide settings. */
@Component({
  selector: 'rule-settings-station',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [Bench, ButtonModule, FormsModule, InputTextModule, TextareaModule],
  template: `
    <rule-bench label="Settings" [index]="false" [inspector]="false">
      <form (ngSubmit)="save()">
        <div class="head">
          <div>
            <h1>Settings</h1>
            <p>For the whole company.{{ mayAdminister() ? '' : ' Changing them needs the role administrator.' }}</p>
          </div>
          @if (mayAdminister()) {
            <div class="actions"><p-button type="submit" label="Save" [disabled]="!changed()" /></div>
          }
        </div>
        @if (draft(); as d) {
          <fieldset class="card" [disabled]="!mayAdminister()">
            <legend class="visually-hidden">Settings</legend>
            <label class="field"
              ><span>Company</span><input pInputText name="company" [ngModel]="d.company" (ngModelChange)="set({ company: $event })"
            /></label>
            <label class="field">
              <span>A drawing names its model in the document property</span>
              <input pInputText name="modelProperty" class="mono" [ngModel]="d.modelProperty" (ngModelChange)="set({ modelProperty: $event })" />
              <small>Its value is a file name. Drawings without it are matched by their own base name.</small>
            </label>
            <label class="field">
              <span>Stand-ins, one a line</span>
              <textarea
                pTextarea
                name="standIns"
                class="mono"
                rows="10"
                [ngModel]="lines()"
                (ngModelChange)="set({ standIns: $event.split('\\n') })"
              ></textarea>
              <small
                >Texts that look like values and count as blank. One character followed by * stands for one or more of it; a letter must stand at least
                twice.</small
              >
            </label>
          </fieldset>
        }
      </form>
    </rule-bench>
  `,
  styles: `
    fieldset {
      border: 1px solid var(--line);
      padding: 16px 18px 8px;
      max-width: 640px;
      margin: 0;
    }
  `,
})
export class SettingsStation {
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  private readonly notices = inject(Notices);
  protected readonly mayAdminister = this.store.selectSignal(sessionFeature.selectMayAdminister);
  private readonly kept = this.store.selectSignal(catalogueFeature.selectSettings);
  protected readonly draft = signal<Settings | null>(null);
  protected readonly lines = computed(() => this.draft()?.standIns.join('\n') ?? '');
  protected readonly changed = computed(() => JSON.stringify(this.draft()) !== JSON.stringify(this.kept()));

  constructor() {
    effect(() => {
      const kept = this.kept();
      untracked(() => this.draft.set(kept));
    });
  }

  protected set(change: Partial<Settings>): void {
    this.draft.update((draft) => draft && { ...draft, ...change });
  }

  protected save(): void {
    const draft = this.draft();
    if (!draft) return;
    this.api.saveSettings({ ...draft, standIns: draft.standIns.filter((pattern) => pattern !== '') }).subscribe({
      next: (settings) => {
        this.store.dispatch(CatalogueActions.settingsSaved({ settings }));
        this.store.dispatch(SessionActions.ask());
        this.notices.done('Settings are saved.');
      },
      error: this.notices.failed,
    });
  }
}
