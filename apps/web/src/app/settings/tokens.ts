import { ChangeDetectionStrategy, Component, inject, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { TokenRow } from '@rule/contract';
import { ButtonModule } from 'primeng/button';
import { InputTextModule } from 'primeng/inputtext';
import { Api, Notices, showInstant } from '../shared';

/** Tokens by which programs, such as the command line, act for the person who is signed in. */
@Component({
  selector: 'rule-tokens',
  changeDetection: ChangeDetectionStrategy.OnPush,
  imports: [ButtonModule, FormsModule, InputTextModule],
  template: `
    <section class="card" aria-label="Tokens for programs">
      <h2>Your tokens for programs</h2>
      <p class="soft">A program that carries one acts as you. The command line takes it from the environment variable RULE_TOKEN.</p>
      @if (made(); as token) {
        <p class="note" role="status">
          The new token, said this once: <code class="mono">{{ token }}</code>
        </p>
      }
      <table class="list">
        <tbody>
          @for (row of rows(); track row.id) {
            <tr>
              <td>{{ row.name }}</td>
              <td>made {{ instant(row.at) }}</td>
              <td>{{ row.usedAt ? 'last used ' + instant(row.usedAt) : 'never used' }}</td>
              <td><button type="button" class="link" [attr.aria-label]="'take back ' + row.name" (click)="remove(row)">take back</button></td>
            </tr>
          }
        </tbody>
      </table>
      <form (ngSubmit)="make()">
        <label class="field"><span>What it is for</span><input pInputText name="name" [ngModel]="name()" (ngModelChange)="name.set($event)" /></label>
        <p-button type="submit" severity="secondary" label="Make a token" [disabled]="!name().trim()" />
      </form>
    </section>
  `,
  styles: `
    section {
      max-width: 640px;
      margin-top: 16px;
    }
    form {
      display: flex;
      gap: 10px;
      align-items: flex-end;
      margin-top: 10px;
    }
    .field {
      margin: 0;
      flex: 1;
    }
    code {
      overflow-wrap: anywhere;
      user-select: all;
    }
  `,
})
export class Tokens {
  private readonly api = inject(Api);
  private readonly notices = inject(Notices);
  protected readonly rows = signal<readonly TokenRow[]>([]);
  protected readonly name = signal('');
  protected readonly made = signal<string | null>(null);
  protected readonly instant = showInstant;

  constructor() {
    this.load();
  }

  private load(): void {
    this.api.tokens().subscribe({ next: (rows) => this.rows.set(rows), error: this.notices.failed });
  }
  protected make(): void {
    this.api.makeToken(this.name().trim()).subscribe({
      next: ({ token }) => {
        this.made.set(token);
        this.name.set('');
        this.load();
      },
      error: this.notices.failed,
    });
  }
  protected remove(row: TokenRow): void {
    this.made.set(null);
    this.api.removeToken(row.id).subscribe({ next: () => this.load(), error: this.notices.failed });
  }
}
