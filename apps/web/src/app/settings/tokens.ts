import { ChangeDetectionStrategy, Component, computed, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { LONGEST_TOKEN, TOKEN_SCOPES, TokenRow, TokenScope } from '@rule/contract';
import { Store } from '@ngrx/store';
import { ButtonModule } from 'primeng/button';
import { InputTextModule } from 'primeng/inputtext';
import { RuleColumn, RuleSelect, RuleTable } from '../kit';
import { sessionFeature, showInstant } from '../shared';
import { SettingsStore } from './settings.store';

const SCOPE_CHOICES: Readonly<Record<TokenScope, string>> = { read: 'read', work: 'my permissions', people: 'my permissions, including people' };

/** API tokens of the signed-in user. */
@Component({
  selector: 'rule-tokens',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [RuleColumn, RuleTable, ButtonModule, FormsModule, InputTextModule, RuleSelect],
  providers: [SettingsStore],
  template: `
    <section class="card" aria-label="Tokens for programs">
      <h1>Tokens for programs</h1>
      <p class="soft">
        A program that uses a token acts as you, within the token's scope. The command line reads RULE_TOKEN.
        {{ mayAdminister() ? 'As an administrator you see the tokens of everybody, and take any back.' : '' }}
      </p>
      @if (store.made(); as token) {
        <p class="note" role="status">
          New token, shown only once: <code class="mono">{{ token }}</code>
        </p>
      }
      <rule-table label="Tokens" [rows]="store.tokens()" key="id">
        <ng-container *ruleColumn="let row of store.tokens()">
          {{ row.name }}
          @if (!row.mine) {
            <span class="chip">{{ row.by }}</span>
          }
        </ng-container>
        <ng-container *ruleColumn="let row of store.tokens()">{{ scopes[row.scope] }}</ng-container>
        <ng-container *ruleColumn="let row of store.tokens()">{{ row.usedAt ? 'last used ' + instant(row.usedAt) : 'never used' }}</ng-container>
        <ng-container *ruleColumn="let row of store.tokens()">
          <span [class.bad]="ended(row)">{{ ended(row) ? 'ended' : 'ends' }} {{ instant(row.expiresAt) }}</span>
        </ng-container>
        <ng-container *ruleColumn="let row of store.tokens()">
          <button type="button" class="link" [attr.aria-label]="'take back ' + row.name" (click)="store.removeToken(row)">take back</button>
        </ng-container>
      </rule-table>
      <form (ngSubmit)="make()">
        <label class="field"><span>Purpose</span><input pInputText name="name" [ngModel]="name()" (ngModelChange)="name.set($event)" /></label>
        <div class="field">
          <span id="new-scope">It may</span>
          <rule-select
            name="scope"
            labelledBy="new-scope"
            [options]="choices()"
            optionLabel="text"
            optionValue="scope"
            [ngModel]="scope()"
            (ngModelChange)="scope.set($event)"
          />
        </div>
        <label class="field days"
          ><span>Valid for days</span><input pInputText type="number" name="days" min="1" [max]="longest" [ngModel]="days()" (ngModelChange)="days.set($event)"
        /></label>
        <p-button type="submit" severity="secondary" label="Create a token" [disabled]="!name().trim() || !(days() >= 1 && days() <= longest)" />
      </form>
    </section>
  `,
  styles: `
    section {
      max-width: 860px;
      margin-top: 16px;
    }
    form {
      display: flex;
      gap: 10px;
      align-items: flex-end;
      flex-wrap: wrap;
      margin-top: 10px;
    }
    .field {
      margin: 0;
      flex: 1 1 180px;
    }
    .days {
      flex: 0 1 130px;
    }
    code {
      overflow-wrap: anywhere;
      user-select: all;
    }
  `,
})
export class Tokens {
  protected readonly store = inject(SettingsStore);
  protected readonly name = signal('');
  protected readonly instant = showInstant;
  protected readonly mayAdminister = inject(Store).selectSignal(sessionFeature.selectMayAdminister);
  protected readonly scopes: Readonly<Record<TokenScope, string>> = {
    read: 'reads',
    work: 'your permissions',
    people: 'your permissions, including people',
  };
  protected readonly choices = computed(() =>
    TOKEN_SCOPES.filter((scope) => scope !== 'people' || this.mayAdminister()).map((scope) => ({ scope, text: SCOPE_CHOICES[scope] })),
  );
  protected readonly scope = signal<TokenScope>('work');
  protected readonly days = signal(90);
  protected readonly longest = LONGEST_TOKEN;

  constructor() {
    this.store.loadTokens();
  }

  protected ended(row: TokenRow): boolean {
    return Date.parse(row.expiresAt) < Date.now();
  }
  protected make(): void {
    this.store.makeToken({ name: this.name().trim(), scope: this.scope(), days: Math.round(this.days()) }, () => this.name.set(''));
  }
}
