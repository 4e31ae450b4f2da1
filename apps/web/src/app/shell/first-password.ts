import { ChangeDetectionStrategy, Component, inject } from '@angular/core';
import { Store } from '@ngrx/store';
import { OwnPassword, SessionActions, sessionFeature } from '../shared';

/** Choosing one's own password after the initial one. */
@Component({
  selector: 'rule-first-password',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [OwnPassword],
  template: `
    <main class="card">
      <h1>Choose a password</h1>
      <p>{{ user()?.displayName }}, the password that you came in with was made by somebody else. Choose your own.</p>
      <rule-own-password (changed)="goOn()" />
      <button type="button" class="link" (click)="signOut()">Sign out</button>
    </main>
  `,
  styles: `
    :host {
      display: grid;
      place-items: center;
      height: 100%;
    }
    main {
      width: 380px;
      padding: 26px 28px;
      border-top: 3px solid var(--brass);
    }
    p {
      color: var(--soft);
    }
    button {
      margin-top: 14px;
    }
  `,
})
export class FirstPasswordPage {
  private readonly store = inject(Store);
  protected readonly user = this.store.selectSignal(sessionFeature.selectUser);

  protected goOn(): void {
    this.store.dispatch(SessionActions.ask());
  }
  protected signOut(): void {
    this.store.dispatch(SessionActions.signOut());
  }
}
