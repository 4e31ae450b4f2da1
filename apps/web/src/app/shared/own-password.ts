import { ChangeDetectionStrategy, Component, inject, output, signal } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { SHORTEST_PASSWORD } from '@rule/contract';
import { ButtonModule } from 'primeng/button';
import { InputTextModule } from 'primeng/inputtext';
import { PasswordStore } from './password.store';

/** Form for changing one's own password. */
@Component({
  selector: 'rule-own-password',
  changeDetection: ChangeDetectionStrategy.OnPush,
  providers: [PasswordStore],
  imports: [ButtonModule, FormsModule, InputTextModule],
  template: `
    <form (ngSubmit)="change()">
      @for (field of fields; track field.key) {
        <label class="field">
          <span>{{ field.label }}</span>
          <input
            pInputText
            type="password"
            [name]="field.key"
            [autocomplete]="field.autocomplete"
            [ngModel]="texts()[field.key]"
            (ngModelChange)="write(field.key, $event)"
          />
        </label>
      }
      <small>{{ shortest }} letters or more; a few words that nobody would put together are good.</small>
      @if (problem() ?? store.problem(); as text) {
        <p class="note bad" role="alert">{{ text }}</p>
      }
      <p-button type="submit" label="Change the password" [loading]="store.busy()" />
    </form>
  `,
  styles: `
    small {
      display: block;
      margin: -4px 0 12px;
    }
  `,
})
export class OwnPassword {
  protected readonly store = inject(PasswordStore);
  protected readonly shortest = SHORTEST_PASSWORD;
  protected readonly fields = [
    { key: 'current', label: 'Current password', autocomplete: 'current-password' },
    { key: 'next', label: 'New password', autocomplete: 'new-password' },
    { key: 'again', label: 'Repeat new password', autocomplete: 'new-password' },
  ] as const;
  protected readonly texts = signal<Record<'current' | 'next' | 'again', string>>({ current: '', next: '', again: '' });
  protected readonly problem = signal<string | null>(null);
  readonly changed = output();

  protected write(key: 'current' | 'next' | 'again', text: string): void {
    this.texts.update((texts) => ({ ...texts, [key]: text }));
  }

  protected change(): void {
    const { current, next, again } = this.texts();
    if (next !== again) {
      this.problem.set('The two passwords do not match.');
      return;
    }
    this.problem.set(null);
    this.store.change({ current, next }, () => {
      this.texts.set({ current: '', next: '', again: '' });
      this.changed.emit();
    });
  }
}
