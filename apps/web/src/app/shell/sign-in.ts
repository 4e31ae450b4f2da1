import { ChangeDetectionStrategy, Component, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { InputTextModule } from 'primeng/inputtext';
import { SessionActions, sessionFeature } from '../shared';

/** The sign-in page. */
@Component({
  selector: 'rule-sign-in',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [FormsModule, ButtonModule, InputTextModule],
  template: `
    <form class="card" (ngSubmit)="signIn()">
      <h1>Rule</h1>
      <p>{{ company() }}</p>
      <label class="field"
        ><span>Name</span><input pInputText name="name" autocomplete="username" required [ngModel]="name()" (ngModelChange)="name.set($event)"
      /></label>
      <label class="field"
        ><span>Password</span
        ><input
          pInputText
          type="password"
          name="password"
          autocomplete="current-password"
          required
          [ngModel]="password()"
          (ngModelChange)="password.set($event)"
      /></label>
      @if (error(); as text) {
        <p class="note bad" role="alert">{{ text }}</p>
      }
      <!-- Never disabled: Enter, pressed in the moment in which the last letter came, would be lost. -->
      <p-button type="submit" label="Sign in" />
    </form>
  `,
  styles: `
    :host {
      display: grid;
      place-items: center;
      height: 100%;
      background:
        repeating-linear-gradient(90deg, var(--soft) 0 1px, transparent 1px 10px) 0 100% / 100% 7px no-repeat,
        repeating-linear-gradient(90deg, var(--ink) 0 1px, transparent 1px 50px) 0 100% / 100% 14px no-repeat;
    }
    form {
      width: 330px;
      padding: 26px 28px;
      border-top: 3px solid var(--brass);
    }
    h1 {
      font-size: 30px;
    }
    p {
      margin: 2px 0 18px;
      color: var(--soft);
      min-height: 18px;
    }
    p.note {
      color: var(--ink);
      margin-bottom: 12px;
    }
  `,
})
export class SignInPage {
  private readonly store = inject(Store);
  protected readonly company = this.store.selectSignal(sessionFeature.selectCompany);
  protected readonly error = this.store.selectSignal(sessionFeature.selectError);
  protected readonly name = signal('');
  protected readonly password = signal('');

  protected signIn(): void {
    const signIn = { name: this.name().trim(), password: this.password() };
    if (signIn.name && signIn.password) this.store.dispatch(SessionActions.signIn({ signIn }));
    else this.store.dispatch(SessionActions.failed({ message: 'Enter your name and password.' }));
  }
}
