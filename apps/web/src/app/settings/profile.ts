import { ChangeDetectionStrategy, Component, inject, linkedSignal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { InputTextModule } from 'primeng/inputtext';
import { Notices, OwnPassword, sessionFeature } from '../shared';
import { SettingsStore } from './settings.store';

/** The user's own name and password. */
@Component({
  selector: 'rule-profile',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ButtonModule, FormsModule, InputTextModule, OwnPassword],
  providers: [SettingsStore],
  template: `
    <section class="card" aria-label="You">
      <h1>You</h1>
      @if (user(); as person) {
        <p class="soft">
          You sign in as {{ person.name }}, and are {{ person.role === 'administrator' || person.role === 'editor' ? 'an' : 'a' }} {{ person.role }}.
        </p>
        <form (ngSubmit)="settings.rename(name().trim())">
          <label class="field"><span>Display name</span><input pInputText name="displayName" [ngModel]="name()" (ngModelChange)="name.set($event)" /></label>
          <p-button type="submit" severity="secondary" label="Save the name" [disabled]="!name().trim() || name().trim() === person.displayName" />
        </form>
        <h2>Password</h2>
        <rule-own-password (changed)="changed()" />
      }
    </section>
  `,
  styles: `
    section {
      max-width: 640px;
      margin-top: 16px;
    }
    h2 {
      margin: 18px 0 8px;
    }
  `,
})
export class Profile {
  protected readonly settings = inject(SettingsStore);
  private readonly notices = inject(Notices);
  protected readonly user = inject(Store).selectSignal(sessionFeature.selectUser);
  protected readonly name = linkedSignal(() => this.user()?.displayName ?? '');

  protected changed(): void {
    this.notices.done('Password changed. You are signed out everywhere else.');
  }
}
