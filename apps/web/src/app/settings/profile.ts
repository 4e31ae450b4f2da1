import { ChangeDetectionStrategy, Component, inject, linkedSignal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { InputTextModule } from 'primeng/inputtext';
import { Api, Notices, OwnPassword, SessionActions, sessionFeature } from '../shared';

/** The user's own name and password. */
@Component({
  selector: 'rule-profile',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ButtonModule, FormsModule, InputTextModule, OwnPassword],
  template: `
    <section class="card" aria-label="You">
      <h1>You</h1>
      @if (user(); as person) {
        <p class="soft">
          You sign in as {{ person.name }}, and are {{ person.role === 'administrator' || person.role === 'editor' ? 'an' : 'a' }} {{ person.role }}.
        </p>
        <form (ngSubmit)="rename()">
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
  private readonly api = inject(Api);
  private readonly store = inject(Store);
  private readonly notices = inject(Notices);
  protected readonly user = this.store.selectSignal(sessionFeature.selectUser);
  protected readonly name = linkedSignal(() => this.user()?.displayName ?? '');

  protected rename(): void {
    this.api.renameMyself(this.name().trim()).subscribe({
      next: () => {
        this.notices.done('Your name is saved.');
        this.store.dispatch(SessionActions.ask());
      },
      error: this.notices.failed,
    });
  }
  protected changed(): void {
    this.notices.done('Password changed. You are signed out everywhere else.');
  }
}
